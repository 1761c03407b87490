"""Feeds brought down where the proof met thicker chips than a tooth bears.

What is thinner than the planner's field can tell (a fin between two passes) is met by the proof: where a quick link
runs through it, the link goes slower there, and the program is proved again.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import Moves

IN_HAND = 0.95
"""Share of the feed that would be just bearable: beside blocks of other feeds a chip is told over a shorter way."""


def slowed(planned: Moves, lines: NDArray[np.integer], bearable: NDArray[np.float64]) -> Moves:
    """The moves with the blocks on these NC `lines` no faster than is `bearable` (both (n,); mm/min)."""
    least: dict[int, float] = {}
    for line, feed in zip(lines[np.isfinite(bearable)].tolist(), bearable[np.isfinite(bearable)].tolist(), strict=True):
        least[line] = min(feed, least.get(line, np.inf))
    most = np.array([least.get(line, np.inf) for line in planned.line.tolist()])
    # In whole mm/min, as it is written.
    return replace(planned, feed=np.minimum(planned.feed, np.maximum(1.0, np.floor(IN_HAND * most))))
