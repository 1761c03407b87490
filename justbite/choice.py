"""Choosing the bite by minutes: once a path is there, whether another bite would be done sooner.

The first path is planned with the best removal rate. What it was like (KnownPath) predicts the
minutes of every other bite; where one promises enough, it is planned too, and the quicker stays.
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from justbite.bite import solver
from justbite.bite.case import Case
from justbite.bite.known import STRAIGHT, KnownPath, Sections
from justbite.model.bite import Bite
from justbite.model.job import Machine
from justbite.model.moves import CUT, ENTRY, LINE, Moves, lengths
from justbite.motion.clock import Drive, block_times

LEAST_PROMISE = 0.03
"""Share of the minutes that another bite must promise before it is planned as well."""
AS_STEEP = 0.97
"""Share of the steepest slope from which on a way in is held up by that, not by its load."""
CLASSES = 12
"""Classes of curve radius that a path is remembered by."""


@dataclass(frozen=True, slots=True)
class Trial:
    """A bite and the seconds that its path takes on the machine."""

    ae: float
    steps: int
    seconds: float


@dataclass(frozen=True, slots=True)
class PathClock:
    """How many seconds moves take on a machine, from rest to rest."""

    drive: Drive
    tolerance: float
    """mm by which corners may be rounded."""

    @classmethod
    def of(cls, machine: Machine, tolerance: float) -> "PathClock":
        return cls(Drive(machine.rapid_feed, machine.max_feed, machine.acceleration, machine.block_rate), tolerance)

    def __call__(self, moves: Moves) -> float:
        return float(block_times(moves, self.drive, self.tolerance).sum())


def path_seconds(moves: Moves, machine: Machine, tolerance: float) -> np.ndarray:
    """(n,) seconds of each block of an operation by itself."""
    return block_times(moves, PathClock.of(machine, tolerance).drive, tolerance)


def known_path(moves: Moves, seconds: np.ndarray, bite: Bite, case: Case, areas: tuple[Sections, ...] = ()
               ) -> KnownPath | None:  # fmt: skip
    """What the path of one operation was like; None when it cuts nothing. `areas`: what it cut, if that is told."""
    cut = moves.part == CUT
    length = lengths(moves)
    whole = float(length[cut].sum())
    if whole <= 0:
        return None
    radius = np.where(moves.kind == LINE, STRAIGHT, np.hypot(*(moves.centre - moves.end[:, :2]).T))
    order = np.argsort(radius[cut])
    r, share = radius[cut][order], length[cut][order] / whole
    at = np.minimum((np.cumsum(share) * CLASSES).astype(int), CLASSES - 1)
    # Of a class the radius whose held feed is the mean one; what is straight stands apart.
    at = np.where(r >= STRAIGHT, CLASSES, at)
    radii = tuple(
        (float(np.average(np.sqrt(r[at == k]), weights=share[at == k]) ** 2), float(share[at == k].sum()))
        for k in np.unique(at)
    )
    # What goes as links do, where there is nothing, is long and soon gone: of the time, not of the way.
    feed = whole / float((length[cut] / moves.feed[cut]).sum())
    asked = replace(case, path=None, areas=areas or case.areas)
    # Where all that is cut is less deep than the bite its load did not hold ways in back.
    rate = bite.removal_rate * min(1.0, asked.step(bite.ap) / bite.ap)
    entry = moves.part == ENTRY
    fall = moves.starts()[:, 2] - moves.end[:, 2]
    most = math.sin(math.radians(case.material.ramp_angle)) * length
    steep = entry & (fall > AS_STEEP * most) & (fall < most / AS_STEEP)
    return KnownPath(
        ae=bite.ae, steps=asked.levels(bite.ap), cut_length=whole, radii=radii,
        link_seconds=float(seconds[~cut & ~entry].sum()), entry_seconds=float(seconds[entry].sum()),
        entry_feed=bite.entry_feed, faster=feed / bite.feed,
        removal_rate=rate, areas=areas, slope_seconds=float(seconds[steep].sum()),
    )  # fmt: skip


def promising(case: Case, bite: Bite, known: KnownPath) -> Bite | None:
    """The bite of the fewest predicted minutes, where it promises enough; else None."""
    if case.ae is not None and case.ap is not None:
        return None
    asked = {deep for _, deep in case.depths}
    case = replace(case, path=known)
    # Where some of it was not cut the best rate may be another.
    same = {deep for _, deep in case.depths} == asked
    other = solver.solve(case, bite.best_removal_rate if same else None)
    acceleration = case.machine.acceleration
    now, then = (known.seconds(b, acceleration, case.levels(b.ap)) for b in (bite, other))
    return other if then < (1.0 - LEAST_PROMISE) * now else None
