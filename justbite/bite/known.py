"""What a path of an operation was like, to tell how many minutes another bite would take.

Lengths of cut go with area over radial depth and with the number of levels; links with the number
of passes; how tight the curves are stays as it was. The machine holds v = sqrt(a r) in a curve.
"""

import math
from dataclasses import dataclass
from typing import Any

from justbite.model.bite import Bite

Sections = tuple[float, tuple[float, ...]]
"""How large an area is, mm2, and how deep its sections are, mm, that levels do not reach across."""
STRAIGHT = 1e9
LOST = 0.65
"""How much longer than the area over the bite cuts are, over the square of the bite's share of D: wide passes lose more
where they begin and end, and at walls. On three areas of everyday work 1.02, 1.05, 1.17 and 1.31 times as much as at
0.1 D, on the mean, at 0.2, 0.3, 0.5 and 0.7 D."""
TIGHT_SHARE = 0.1
"""Share of the cutting length that is in the path's tightest curves, for the ceiling told."""


def lengthened(share: float) -> float:
    """How much longer cuts are than the area over the bite, with a bite of such a share of D."""
    return 1.0 + LOST * share**2


@dataclass(frozen=True, slots=True)
class KnownPath:
    """Measured on a finished path: lengths mm, times s."""

    ae: float
    steps: float
    """Levels; the mean where areas have more and fewer."""
    cut_length: float
    radii: tuple[tuple[float, float], ...]
    """(curve radius, share of the cutting length), rising; straight stretches have the radius STRAIGHT."""
    link_seconds: float
    entry_seconds: float
    entry_feed: float
    faster: float = 1.0
    """Way of the cuts over their time, were there no curves, over the bite's feed: it follows what is cut."""
    removal_rate: float = 0.0
    """Of the bite, cm3/min; 0 where it is not known."""
    areas: tuple[Sections, ...] = ()
    """What was cut, where that is not all that was asked for: what a cutter does not come to, or finds gone."""
    slope_seconds: float = 0.0
    """Of those of entries, what goes down as steeply as it may: only a quicker feed makes it shorter."""
    choose: bool = True
    """Whether the fewest minutes are chosen by it; False: only its curves are told."""

    @staticmethod
    def of(told: dict[str, Any]) -> "KnownPath":
        """From plain data, as a report keeps it."""
        radii = tuple((float(r), float(s)) for r, s in told["radii"])
        areas = tuple((float(size), tuple(map(float, deep))) for size, deep in told.get("areas", ()))
        return KnownPath(**{**told, "radii": radii, "areas": areas})

    def seconds(self, bite: Bite, acceleration: float, steps: float | None = None) -> float:
        """Predicted seconds of the operation with another bite; `steps`: its levels, where they are not the bite's."""
        levels = (steps or bite.steps) / self.steps
        finer = self.ae / bite.ae
        share = 0.5 * (1.0 - math.cos(math.radians(bite.angle)))
        lost = lengthened(share) / lengthened(share * finer)
        feed = bite.feed * self.faster / 60.0
        slow = sum(share / min(feed, math.sqrt(acceleration * r)) for r, share in self.radii)
        cut = self.cut_length * levels * finer * lost * slow
        # An entry goes down the same depth in all, whatever the number of levels: on the steepest slope at its feed, or
        # as quickly as the bite's removal rate allows.
        slower = self.entry_feed / bite.entry_feed
        entry = self.slope_seconds * slower
        entry += (self.entry_seconds - self.slope_seconds) * max(slower, self.removal_rate / bite.removal_rate)
        return cut + self.link_seconds * levels * finer + entry

    def held_feed(self, acceleration: float) -> float | None:
        """mm/min that the machine holds in all but the tightest tenth of the curves; None if that is straight."""
        total = 0.0
        for r, share in self.radii:
            total += share
            if total >= TIGHT_SHARE:
                return 60.0 * math.sqrt(acceleration * r) if r < STRAIGHT else None
        return None
