"""Ways into the material: helix, ramp, or from outside. Each is checked to fit."""

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from justbite.path.area import Area, air_start, longest_line

LEAST_HELIX, MOST_HELIX = 0.25, 0.9
"""Radius of the helix in cutter radii: wide enough to leave no core, narrow enough to be quick."""
SPOTS, NEARLY = 60, 0.97
"""Places tried each way for an entry, and from what share of the greatest width on one counts as as wide."""
SLOT = 1.6
"""Half the width that the centre has, in R, up to which an area is cleared as a slot, from one end."""
LEAST_RAMP, MOST_RAMP = 0.8, 100.0
"""Shortest and longest ramp in cutter radii: a slot that takes no helix is ramped along its length."""


@dataclass(frozen=True, slots=True)
class Entry:
    """How the cutter gets to the level: "helix", "ramp" or "outside".

    helix: `points` is the flat circle it ends with (closed, counterclockwise), `centre` set;
    ramp: `points` are the line's ends; outside: `points` is the one place.
    """

    kind: str
    points: NDArray[np.float64]
    heading: float | None
    centre: tuple[float, float] | None = None


def find_entry(area: Area, part: Polygon, clearance: float) -> Entry | None:
    """The best way into `part`; None when there is none."""
    if area.has_air:
        spot = air_start(area, part, clearance)
        if spot is not None:
            return Entry("outside", np.array([spot]), None)
    x, y, widest = _widest(part, area.wall, area.radius)
    spare = widest - area.wall
    if spare >= LEAST_HELIX * area.radius:
        r = min(MOST_HELIX * area.radius, spare)
        angles = np.linspace(0.0, 2.0 * np.pi, 73)
        circle = np.column_stack([x + r * np.cos(angles), y + r * np.sin(angles)])
        return Entry("helix", circle, float(np.pi / 2), (x, y))
    a, b = longest_line(part, x, y, MOST_RAMP * area.radius)
    way = b - a
    length = float(np.hypot(*way))
    if length >= LEAST_RAMP * area.radius:
        return Entry("ramp", np.array([a, b]), float(np.arctan2(way[1], way[0])) + np.pi)
    return None


def _widest(part: Polygon, wall: float, radius: float) -> tuple[float, float, float]:
    """Where a spiral has most room in `part` (of the locus), and how far walls are there.

    Of the places that are nearly as wide as the widest, the one in the middle: a spiral from there goes
    round undisturbed for longest. In a slot, where none goes round, the one at an end: from there on it
    is cleared in one go.
    """
    inscribed = shapely.maximum_inscribed_circle(part)
    x1, y1, x2, y2 = part.bounds
    xs, ys = np.meshgrid(np.linspace(x1, x2, SPOTS), np.linspace(y1, y2, SPOTS))
    spots = shapely.points(np.append(xs, inscribed.coords[0][0]), np.append(ys, inscribed.coords[0][1]))
    spots = spots[shapely.contains(part, spots)]
    if len(spots) == 0:
        spot = part.representative_point()
        return spot.x, spot.y, wall + float(part.boundary.distance(spot))
    room = shapely.distance(part.boundary, spots)
    wide = spots[room >= NEARLY * room.max()]
    off = shapely.distance(part.centroid, wide)
    best = wide[np.argmax(off) if room.max() < SLOT * radius else np.argmin(off)]
    return float(best.x), float(best.y), wall + float(part.boundary.distance(best))
