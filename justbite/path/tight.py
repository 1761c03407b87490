"""Necks and arms hardly wider than the cutter: passes loop there, each for a sliver; they are left to ramps.

Between walls that close a pass takes the bite at one wall only, as long as the arm is, and comes back idle: four arms
of 1.1 D about a room took twice as long as with a ramp into each.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import shapely
from shapely.geometry import Polygon

from justbite.field.grid import read_at
from justbite.path.fronts import Points
from justbite.path.plane import Plane
from justbite.path.spine import necks_of

TIGHT, LEAST_LENGTH = 0.12, 2.0
"""R: half the width that the centre has in such a place, at most, and how long one is at least."""
APART, STANDS, ABOUT = 0.25, 0.5, 0.05
"""R between the places along it that are looked at; how deep in what stands the centre is where it was not gone along
yet; and how far off it a pass that leads into it may begin."""


@dataclass(frozen=True)
class Tight:
    """One of them."""

    shape: Polygon
    radius: float

    @cached_property
    def _spots(self) -> Points:
        return shapely.get_coordinates(shapely.segmentize(self.shape.boundary, APART * self.radius))

    def holds(self, x: float, y: float) -> bool:
        """Whether a pass from there leads into it."""
        return bool(shapely.dwithin(self.shape, shapely.Point(x, y), ABOUT * self.radius))

    def stands(self, plane: Plane) -> bool:
        """Whether some of it was not gone along yet."""
        deep = read_at(plane.cleared, *plane.frame, self._spots)
        return bool((deep > STANDS * self.radius).any())


def tight_places(part: Polygon, radius: float) -> tuple[Tight, ...]:
    """Those of a part of the locus."""
    return tuple(Tight(neck, radius) for neck in necks_of(part, radius, TIGHT, LEAST_LENGTH))


def leads_into(places: Sequence[Tight], plane: Plane, x: float, y: float) -> bool:
    """Whether a pass from there leads into one that was not gone along yet."""
    return any(place.holds(x, y) and place.stands(plane) for place in places)
