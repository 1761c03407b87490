"""The line where a field is zero, as polygons: what is clear at the end of a plan, as exact as the field."""

from itertools import pairwise

import numpy as np
import shapely
from contourpy import FillType, contour_generator
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, Grid


def below_zero(field: Field, grid: Grid) -> BaseGeometry:
    """Where a (ny, nx) field on `grid` is below zero, linear between nodes.

    For distances to round shapes of radius R the line is right to cell^2 / (8 R): the chord of an arc.
    """
    x, y = grid.x0 + grid.cell * np.arange(grid.nx), grid.y0 + grid.cell * np.arange(grid.ny)
    lines = contour_generator(x, y, field, fill_type=FillType.OuterOffset)
    found = []
    for points, offsets in zip(*lines.filled(min(0.0, float(field.min())) - 1.0, 0.0), strict=True):
        outer, *holes = [points[a:b] for a, b in pairwise(offsets)]
        found.append(shapely.make_valid(shapely.Polygon(outer, holes)))
    return shapely.union_all(found)
