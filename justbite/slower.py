"""Feeds brought down where the proof met thicker chips than a tooth bears.

What is thinner than the planner's field can tell (a fin between two passes) is met by the proof: where a quick link
runs through it, the link goes slower there, and the program is written anew.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import Moves

IN_HAND = 0.95
"""Share of the feed that would be just bearable: beside blocks of other feeds a chip is told over a shorter way."""


def slowed(moves: Moves, bearable: NDArray[np.float64]) -> Moves:
    """The moves, none of them faster than is `bearable` (n,); in whole mm/min, as they are written."""
    most = np.maximum(1.0, np.floor(IN_HAND * bearable))
    return replace(moves, feed=np.where(most < moves.feed, most, moves.feed))


def on_lines(planned: Moves, lines: NDArray[np.integer], feed: NDArray[np.float64]) -> Moves:
    """The planned moves, on these NC `lines` no faster than at this `feed`, mm/min (both (m,))."""
    least: dict[int, float] = {}
    for line, own in zip(lines.tolist(), feed.tolist(), strict=True):
        least[line] = min(own, least.get(line, np.inf))
    most = np.array([least.get(line, np.inf) for line in planned.line.tolist()])
    return replace(planned, feed=np.where(most < planned.feed, most, planned.feed))
