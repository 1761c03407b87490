"""Moves as arrays: what the planner makes, the NC program says, and the proof runs.

Row k is one block: it ends at `end[k]`; it starts where row k - 1 ended.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

RAPID, LINE, CLOCKWISE, COUNTERCLOCKWISE = 0, 1, 2, 3
CUT, LINK, ENTRY, POSITION = 0, 1, 2, 3


ROWS = ("kind", "end", "centre", "feed", "part", "operation", "z_level", "depth", "line")
"""What there is of each block."""


@dataclass(frozen=True, slots=True)
class Moves:
    """Blocks of a program, n rows; lengths in mm, feeds in mm/min."""

    start: NDArray[np.float64]
    """(3,) position before the first block."""
    kind: NDArray[np.uint8]
    """(n,) RAPID, LINE, CLOCKWISE or COUNTERCLOCKWISE (seen from +Z)."""
    end: NDArray[np.float64]
    """(n, 3)"""
    centre: NDArray[np.float64]
    """(n, 2) absolute centre of arcs; NaN for others."""
    feed: NDArray[np.float64]
    """(n,) NaN for rapids."""
    part: NDArray[np.uint8]
    """(n,) CUT, LINK, ENTRY or POSITION: what the block is for."""
    operation: NDArray[np.int16]
    """(n,) index of the operation."""
    z_level: NDArray[np.float64]
    """(n,) Z of the level being cut."""
    depth: NDArray[np.float32]
    """(n,) planner's radial depth over target; 0 outside cuts."""
    line: NDArray[np.int32]
    """(n,) line of the NC text, counted from 1; 0 before it is written."""

    def __len__(self) -> int:
        return len(self.kind)

    def starts(self) -> NDArray[np.float64]:
        """(n, 3) where each block begins."""
        return np.vstack([self.start[None, :], self.end[:-1]])

    def only(self, rows: slice | NDArray[np.int64]) -> "Moves":
        """Blocks that follow each other, on their own: they start where the one before them ended."""
        first = rows.start if isinstance(rows, slice) else int(rows[0]) if len(rows) else 0
        picked = {name: getattr(self, name)[rows] for name in ROWS}
        return replace(self, start=self.end[first - 1] if first > 0 else self.start, **picked)


def sweep_angles(moves: Moves) -> NDArray[np.float64]:
    """(n,) angle swept by each arc in radians, positive counterclockwise; 0 for lines.

    An arc that ends where it starts is a full turn.
    """
    begin = moves.starts()[:, :2] - moves.centre
    finish = moves.end[:, :2] - moves.centre
    cross = begin[:, 0] * finish[:, 1] - begin[:, 1] * finish[:, 0]
    dot = (begin * finish).sum(axis=1)
    angle = np.arctan2(cross, dot)
    full = 2.0 * np.pi
    left = np.where(angle <= 1e-9, angle + full, angle)
    right = np.where(angle >= -1e-9, angle - full, angle)
    swept = np.where(moves.kind == COUNTERCLOCKWISE, left, right)
    return np.where(moves.kind >= CLOCKWISE, swept, 0.0)


def lengths(moves: Moves) -> NDArray[np.float64]:
    """(n,) length of each block, helices included."""
    delta = moves.end - moves.starts()
    flat = np.hypot(delta[:, 0], delta[:, 1])
    radius = np.hypot(*(moves.starts()[:, :2] - moves.centre).T)
    arc = np.abs(sweep_angles(moves)) * np.where(np.isfinite(radius), radius, 0.0)
    return np.hypot(np.where(moves.kind >= CLOCKWISE, arc, flat), delta[:, 2])
