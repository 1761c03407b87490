"""What clearing works with: stretches of path, thresholds of a sweep, fronts, and what a flood finds."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
CONTACTS_APART, MOST_CONTACTS = 0.7, 200
"""R between two contacts of a flood, and how many it looks for at most."""


@dataclass(slots=True)
class Piece:
    """A stretch of path in the plane: `points` (n, 2) in mm, `depth` (n,) radial depth, mm."""

    kind: str
    """"cut" or "link"."""
    points: Points
    depth: NDArray[np.float64]
    drop: int = -1
    """Links: last point where the cutter may come down at rapid, clear all round; -1 if none."""
    load: NDArray[np.float64] | None = None
    """(n,) mm of radial depth by what was marked as taken just before each point, which feeds are held to as well as
    to `depth`: of links what they graze. None where nothing was marked."""
    whole: bool = False
    """Cuts: all that stands there is taken at once, and may be more than the bite over less than the proof's window."""


@dataclass(frozen=True, slots=True)
class Sweep:
    """Thresholds of one sweep; lengths as shares of the radius unless said otherwise."""

    fade: float
    """Share of the target depth under which a pass fades out."""
    contact: float
    escape: float
    turn_in: float
    least: float
    """A pass that removes less than this (in R squared) is taken back."""


Start = tuple[float, float, float]
"""x, y and heading, radians."""


@dataclass(frozen=True, slots=True)
class Front:
    """A stretch of standing material that a pass can follow."""

    start: Start
    contact: int
    """Node by which it was found."""
    seen: Points
    """The flood's row of that contact."""
    way: float
    """mm from where the cutter is; inf while not known."""
    side: int = 1
    """1: material on the right of travel (climb), -1: on the left."""
    length: float = 0.0
    """mm that it is long, as far as it was walked."""


@dataclass(frozen=True, slots=True)
class Flood:
    """What can be reached from a place through what is cleared."""

    distance: NDArray[np.float64]
    parent: NDArray[np.int32]
    contacts: Points
    """Rows x, y of the contact, x, y before it, distance, node; nearest first."""
    reached: float
    """mm to which the flood went."""
    whole: bool
    """Whether there is nothing beyond."""


@dataclass(slots=True)
class Sheet:
    """What a flood writes on, kept from one to the next: the first `count` of `touched` are to be wiped."""

    distance: NDArray[np.float64]
    parent: NDArray[np.int32]
    touched: NDArray[np.int64]
    count: int = 0

    @staticmethod
    def over(shape: tuple[int, ...]) -> "Sheet":
        """A blank sheet for nodes of this shape."""
        size = int(np.prod(shape))
        return Sheet(np.full(shape, np.inf), np.full(shape, -1, dtype=np.int32), np.empty(size, dtype=np.int64))


def same_front(one: tuple[float, float, float, float], other: tuple[float, float, float, float], radius: float) -> bool:
    """Whether two contacts are neighbours with the material on the same side."""
    near = (one[0] - other[0]) ** 2 + (one[1] - other[1]) ** 2 < (1.6 * CONTACTS_APART * radius) ** 2
    return near and one[2] * other[2] + one[3] * other[3] > 0.3


SWEEPS = (
    Sweep(fade=0.03, contact=0.10, escape=0.25, turn_in=0.6, least=0.02),
    Sweep(fade=0.05, contact=0.03, escape=0.10, turn_in=0.4, least=0.003),
    Sweep(fade=0.02, contact=0.015, escape=0.05, turn_in=0.25, least=0.0004),
    Sweep(fade=0.005, contact=0.006, escape=0.015, turn_in=0.2, least=0.002),
)
