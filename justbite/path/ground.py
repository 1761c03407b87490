"""What all plans of one part of an area find there before anything is cut: its fields, borders and nodes."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely.geometry import Polygon

from justbite.field.aside import bands, filled
from justbite.field.distance import room_in, signed_distance
from justbite.field.grid import Field, Grid
from justbite.field.nodes import Nodes
from justbite.model.borders import grown
from justbite.path.area import Area
from justbite.path.fronts import Points
from justbite.path.rim import corners_of, rims_of

CELL, CELL_ISLANDS, CELL_LEAST = 16.0, 20.0, 60.0
"""Cells to a radius: plain, with islands, and at most for small bites."""
FILMS = 0.025
"""R that may stand along a wall where passes end at it."""


@dataclass(frozen=True, slots=True)
class Ground:
    """One part of the locus as all plans for it find it."""

    grid: Grid
    room: Field
    least: float
    """mm: the room that the centre has to have; less than the distance to walls that it keeps where the field is so."""
    cleared: Field
    """Before anything is cut."""
    reach: Nodes
    """Those in material that the cutter can take."""
    rims: tuple[Points, ...]
    corners: Points
    whole: float
    """mm2 of material that the cutter can take."""
    takes: Nodes
    """Those in it, without the films that may stand along walls where passes end."""


@dataclass(frozen=True)
class Shared:
    """What several plans of a part find there, made when one of them asks for it."""

    area: Area
    part: Polygon
    target: float

    @cached_property
    def ground(self) -> Ground:
        """Its ground, the same for all."""
        return ground_of(self.area, self.part, self.target)

    def make(self) -> None:
        """Make it now, before forks do, each its own."""
        self.ground  # noqa: B018 -- kept as soon as it is asked for


def ground_of(area: Area, part: Polygon, target: float) -> Ground:
    """What is the same for every plan of a part."""
    room, least, cleared, grid = fields_of(area, part, target)
    reach = Nodes.within(grown(part, area.wall).intersection(area.material), grid)
    whole = grown(part, area.radius).intersection(area.material).area
    takes = Nodes.within(grown(part, (1.0 - FILMS) * area.radius).intersection(area.material), grid)
    return Ground(grid, room, least, cleared, reach, rims_of(part, area.radius), corners_of(part), whole, takes)


def fields_of(area: Area, part: Polygon, target: float) -> tuple[Field, float, Field, Grid]:
    """Room over one part, and how much of it there has to be, the cleared field, and their grid, its cell fit for the
    bite."""
    radius = area.radius
    share = CELL_ISLANDS if len(part.interiors) else CELL
    # Between nodes the distance from a corner reads up to cell^2 / (4 wall) too large: no more than the snap.
    share = min(CELL_LEAST, max(share, 4.0 * radius / target, radius / np.sqrt(4.0 * area.wall * area.snap)))
    x1, y1, x2, y2 = part.bounds
    rim = area.wall + 0.5 * radius
    grid = Grid.over((x1 - rim, y1 - rim, x2 + rim, y2 + rim), radius / share)
    # Farther from walls than that nothing asks.
    cap = area.wall + radius
    room, less = room_in(area.free, grid, cap)
    if area.has_air:
        cleared = signed_distance(area.free.difference(area.material), grid, 3.0 * radius)
        for band in bands(grid.ny):
            np.negative(cleared[band], out=cleared[band])
    else:
        cleared = filled((grid.ny, grid.nx), 3.0 * radius)
    return room, area.wall - less, cleared, grid
