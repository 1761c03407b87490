"""Ways into the material: helix, ramp, or from outside. Each is checked to fit."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Point, Polygon

from justbite.field.grid import Field, Grid
from justbite.path.area import Area, air_start, longest_line

LEAST_HELIX, MOST_HELIX = 0.25, 0.9
"""Radius of the helix in cutter radii: wide enough to leave no core, narrow enough to be quick."""
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


def find_entry(area: Area, part: Polygon, room: Field, grid: Grid, clearance: float) -> Entry | None:
    """The best way into `part`; None when there is none."""
    if area.has_air:
        spot = air_start(area, part, clearance)
        if spot is not None:
            return Entry("outside", np.array([spot]), None)
    x, y, widest = _widest(part, room, grid)
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


def _widest(part: Polygon, room: Field, grid: Grid) -> tuple[float, float, float]:
    """The node inside `part` farthest from all walls, and that distance."""
    order = np.argsort(room, axis=None)[::-1]
    for flat in order[: 200_000 : max(1, len(order) // 200_000)]:
        j, i = divmod(int(flat), grid.nx)
        x, y = grid.x0 + i * grid.cell, grid.y0 + j * grid.cell
        if part.contains(Point(x, y)):
            return x, y, float(room[j, i])
    spot = part.representative_point()
    return spot.x, spot.y, 0.0
