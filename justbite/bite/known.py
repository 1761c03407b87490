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
TIGHT_SHARE = 0.1
"""Share of the cutting length that is in the path's tightest curves, for the ceiling told."""


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
    """Mean feed of the cuts over the bite's, where it follows the bite."""
    removal_rate: float = 0.0
    """Of the bite, cm3/min; 0 where it is not known."""
    areas: tuple[Sections, ...] = ()
    """What was cut, where that is not all that was asked for: what a cutter does not come to, or finds gone."""
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
        feed = bite.feed * self.faster / 60.0
        slow = sum(share / min(feed, math.sqrt(acceleration * r)) for r, share in self.radii)
        cut = self.cut_length * levels * finer * slow
        # An entry goes down the same depth in all, whatever the number of levels: on a slope at its feed, or as
        # quickly as the bite's removal rate allows.
        slower = max(self.entry_feed / bite.entry_feed, self.removal_rate / bite.removal_rate)
        return cut + self.link_seconds * levels * finer + self.entry_seconds * slower

    def held_feed(self, acceleration: float) -> float | None:
        """mm/min that the machine holds in all but the tightest tenth of the curves; None if that is straight."""
        total = 0.0
        for r, share in self.radii:
            total += share
            if total >= TIGHT_SHARE:
                return 60.0 * math.sqrt(acceleration * r) if r < STRAIGHT else None
        return None
