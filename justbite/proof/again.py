"""A second look at places of which a coarse map tells more than the bite.

A large part with a small bite asks for more cells than there is time for, and on a coarser map single cells count as
load. So what is told to be more than the bite is run again, with all that was cut before, on as fine a map as the bite
asks for; of that there are the tiles alone that lie about such places.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from justbite.model.job import Job, Operation
from justbite.model.moves import Moves, lengths
from justbite.proof.lanes import run_over
from justbite.proof.measure import Trace
from justbite.proof.running import MOST_STEPS, Emptied, Ran, Stretch, stretches
from justbite.proof.shelf import Shelf
from justbite.proof.steps import Steps, chunks
from justbite.proof.stockmap import Stock, onto_map

BEYOND = 1.02
"""Over the target: what a coarse map tells to be more is looked at again."""
MOST_TILES = 128
"""Tiles that are run over again, at most, those about the worst places: all of a large part would take hours."""


@dataclass(frozen=True, slots=True)
class Gone:
    """An operation as it was run over the map."""

    operation: Operation
    moves: Moves
    step: NDArray[np.float64]
    """(blocks,) mm: the longest that a step may be."""


def beyond(trace: Trace, target: float) -> NDArray[np.float64]:
    """(n, 2) where more than the bite is told, the most first; ways in left out."""
    over = np.nonzero((trace.depth > BEYOND * target) & ~trace.entry)[0]
    worst = over[np.argsort(-trace.depth[over], kind="stable")]
    return trace.position[worst, :2].astype(float)


def looked_at_again(ran: Ran, gone: Sequence[Gone], job: Job, fine: Stock, places: NDArray[np.float64],
                    window: float, spacing: float, tick: Callable[[float], None]) -> Ran:  # fmt: skip
    """What the last of some operations took, its steps about `places` (n, 2) of the drawing as a `fine` map tells them.

    `gone`: with all before it, in their order. `window`, mm: what is told of a place is of so much way;
    `spacing`, mm: so far off it may be. `tick` is called with the share that is done, and may raise to stop.
    """
    *before, own = gone
    radius = job.tool(own.operation.tool).diameter / 2
    # All that the steps take of which something is told there.
    tiles = fine.about(onto_map(places), radius + window + spacing + fine.coarsest, MOST_TILES)
    only = np.flatnonzero(tiles).tolist()
    for one in before:
        for _ in _run(fine, job, one, stretches_of(one, window), only, lambda _share: None):
            pass
    shelf, made = Shelf(), []
    rows = [stretch.rows for stretch in ran.stretches]
    for stretch, steps in zip(ran.stretches, _run(fine, job, own, rows, only, tick), strict=True):
        volume, lowered = stretch.volume.taken().copy(), stretch.lowered.taken().copy()
        for some in chunks(len(steps)):
            held = fine.held_by(tiles, onto_map(steps.place[some, :2].astype(float)), radius + fine.coarsest)
            volume[some][held] = steps.volume[some][held]
            lowered[some][held] = steps.lowered[some][held]
        made.append(Stretch(stretch.rows, shelf.put(volume), shelf.put(lowered)))
    return replace(ran, stretches=tuple(made))


def _told(tick: Callable[[float], None], number: int, count: int, share: float) -> None:
    tick((number + share) / count)


def stretches_of(gone: Gone, window: float) -> list[slice]:
    """Blocks of an operation that are run at a time."""
    way = lengths(gone.moves)
    return stretches(gone.moves, way, np.ceil(way / gone.step), window, MOST_STEPS)


def _run(fine: Stock, job: Job, gone: Gone, parts: Sequence[slice], only: Sequence[int], tick: Callable[[float], None]
         ) -> Iterator[Steps]:  # fmt: skip
    """Run an operation over some tiles; what its steps take there, stretch by stretch: each is held while it is asked
    for."""
    radius = job.tool(gone.operation.tool).diameter / 2
    for number, rows in enumerate(parts):
        empty = Emptied(job, gone.operation, radius, fine.chord) if number == 0 else None
        run, _ = run_over(
            fine, gone.moves.only(rows), radius, gone.step[rows], job.approach_gap, empty, None,
            partial(_told, tick, number, len(parts)), True, only,
        )  # fmt: skip
        yield run.steps
