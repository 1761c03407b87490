"""The line where a field is zero, as polygons: what is clear at the end of a plan, as exact as the field."""

from itertools import pairwise

import numpy as np
import shapely
from contourpy import FillType, contour_generator
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import bands, is_large
from justbite.field.grid import Field, Grid


def below_zero(field: Field, grid: Grid) -> BaseGeometry:
    """Where a (ny, nx) field on `grid` is below zero, linear between nodes.

    For distances to round shapes of radius R the line is right to cell^2 / (8 R): the chord of an arc.
    """
    if not is_large(field):
        return shapely.union_all(_below(field, grid, slice(0, grid.ny)))
    # It is drawn from doubles: of all of a large field they would take twice what it does itself. Strips of it meet in
    # a row of nodes, where the line has corners anyway.
    parts = [part for band in bands(grid.ny - 1) for part in _below(field, grid, slice(band.start, band.stop + 1))]
    return shapely.union_all(parts)


def _below(field: Field, grid: Grid, rows: slice) -> list[BaseGeometry]:
    """Where some rows of a field are below zero."""
    own = field[rows]
    x, y = grid.x0 + grid.cell * np.arange(grid.nx), grid.y0 + grid.cell * np.arange(rows.start, rows.stop)
    lines = contour_generator(x, y, own, fill_type=FillType.OuterOffset)
    found = []
    for points, offsets in zip(*lines.filled(min(0.0, float(own.min())) - 1.0, 0.0), strict=True):
        outer, *holes = [points[a:b] for a, b in pairwise(offsets)]
        found.append(shapely.make_valid(shapely.Polygon(outer, holes)))
    return found
