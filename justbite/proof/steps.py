"""A program walked in small steps, and what each of them takes."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

CHUNK = 100_000
"""Steps that are worked on at once."""
ALL = slice(None)


@dataclass(frozen=True, slots=True)
class Steps:
    """n steps; a long program has millions of them, so that what is alike for all of a block is held once."""

    block: NDArray[np.int32]
    """(n,)"""
    place: NDArray[np.floating]
    """(n, 3) mm: where the step ends, on the drawing."""
    piece: NDArray[np.float64]
    """(blocks,) mm: how long each step of a block is; 0 where it has none."""
    volume: NDArray[np.floating]
    """(n,) mm3 taken."""
    lowered: NDArray[np.float32]
    """(n,) mm2: area that is lowered."""

    def __len__(self) -> int:
        return len(self.block)

    def length(self, rows: slice | NDArray[np.intp] = ALL) -> NDArray[np.float64]:
        """(rows,) mm"""
        found: NDArray[np.float64] = self.piece[self.block[rows]]
        return found


@dataclass(frozen=True, slots=True)
class Run:
    """What a program takes, and what its rapids meet."""

    steps: Steps
    rapids: NDArray[np.float64]
    """(blocks,) mm: the most stock met at a rapid."""
    drops: NDArray[np.float64]
    """(blocks,) mm: where a rapid comes down, how far below what stands beside the cutter it ends."""


def chunks(count: int) -> list[slice]:
    """Rows by CHUNK: a long program has millions of steps, and each of a sum's terms would be there for all of them."""
    return [slice(k, min(count, k + CHUNK)) for k in range(0, count, CHUNK)]
