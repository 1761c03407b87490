"""The sides of a mesh's triangles, and which triangle lies beyond each."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Sides:
    """The directed sides of m triangles: their first sides, then their second, then their third."""

    ends: NDArray[np.int64]
    """(3 m, 2)"""
    twin: NDArray[np.int64]
    """(3 m,) the triangle beyond; -1 for none, or more than one."""

    @classmethod
    def of(cls, triangles: NDArray[np.int32], count: int) -> "Sides":
        """Of triangles (m, 3) of `count` vertices."""
        t = triangles.astype(np.int64)
        ends = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
        key = np.minimum(*ends.T) * count + np.maximum(*ends.T)
        order = np.argsort(key, kind="stable")
        _, first, runs = np.unique(key[order], return_index=True, return_counts=True)
        two = first[runs == 2]
        a, b = order[two], order[two + 1]
        twin = np.full(len(ends), -1)
        twin[a], twin[b] = b % len(t), a % len(t)
        return cls(ends, twin)

    def beyond(self, own: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The sides that bound the triangles `own` (m,), and the triangle beyond each; -1 where that is not told."""
        mine = np.nonzero(np.tile(own, 3))[0]
        twin = self.twin[mine]
        border = (twin < 0) | ~own[twin]
        return mine[border], twin[border]
