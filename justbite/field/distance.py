"""Signed distance from grid nodes to the boundary of a polygon, exact within a cap.

Positive inside the polygon, negative outside, clipped to +-cap (mm).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, Grid
from justbite.model.shapes import borders_of

BAND = 256
"""Rows of a field that are worked on at once."""


def segments_of(shape: BaseGeometry) -> NDArray[np.float64]:
    """All boundary segments of a (multi)polygon as an (n, 4) array x1, y1, x2, y2."""
    parts = [np.hstack([xy[:-1], xy[1:]]) for xy in borders_of(shape)]
    return np.vstack(parts) if parts else np.zeros((0, 4))


def signed_distance(shape: BaseGeometry, grid: Grid, cap: float) -> Field:
    """Signed distance field (ny, nx) of `shape`, positive inside, clipped to +-cap."""
    segments = segments_of(shape)
    field = np.empty((grid.ny, grid.nx), dtype=np.float32)
    # In bands: doubles of all of a large area would take twice what the field itself does.
    for first in range(0, grid.ny, BAND):
        squared = np.full((min(BAND, grid.ny - first), grid.nx), cap * cap)
        _nearest(squared, first, segments, grid.x0, grid.y0, grid.cell, cap)
        np.sqrt(squared, out=squared)
        np.negative(squared, out=squared, where=~_inside_band(segments, grid, first, len(squared)))
        field[first : first + BAND] = squared
    return field


def nodes_in(shape: BaseGeometry, grid: Grid) -> NDArray[np.bool_]:
    """Which nodes (ny, nx) lie in `shape`."""
    return _inside_band(segments_of(shape), grid, 0, grid.ny)


def _inside_band(segments: NDArray[np.float64], grid: Grid, first: int, count: int) -> NDArray[np.bool_]:
    found = np.zeros((count, grid.nx), dtype=np.bool_)
    _inside(found, first, segments, grid.x0, grid.y0, grid.cell)
    return found


@njit(cache=True, nogil=True)
def _nearest(squared, first, segments, x0, y0, cell, cap):  # type: ignore[no-untyped-def]
    """Lower `squared` (mm2), the rows of the grid from `first` on, to the squared distance of the nearest segment."""
    rows, nx = squared.shape
    for k in range(segments.shape[0]):
        ax, ay, bx, by = segments[k]
        dx, dy = bx - ax, by - ay
        length2 = dx * dx + dy * dy
        i1 = max(0, int((min(ax, bx) - cap - x0) / cell))
        i2 = min(nx - 1, int((max(ax, bx) + cap - x0) / cell) + 1)
        j1 = max(first, int((min(ay, by) - cap - y0) / cell))
        j2 = min(first + rows - 1, int((max(ay, by) + cap - y0) / cell) + 1)
        for j in range(j1, j2 + 1):
            y = y0 + j * cell
            for i in range(i1, i2 + 1):
                x = x0 + i * cell
                t = 0.0
                if length2 > 0.0:
                    t = ((x - ax) * dx + (y - ay) * dy) / length2
                    t = min(1.0, max(0.0, t))
                ex = ax + t * dx - x
                ey = ay + t * dy - y
                d2 = ex * ex + ey * ey
                squared[j - first, i] = min(squared[j - first, i], d2)


@njit(cache=True, nogil=True)
def _inside(found, first, segments, x0, y0, cell):  # type: ignore[no-untyped-def]
    """Even-odd rule: toggle the nodes to the right of each crossing of a row, of the rows from `first` on."""
    rows, nx = found.shape
    for k in range(segments.shape[0]):
        ax, ay, bx, by = segments[k]
        if ay > by:
            ax, ay, bx, by = bx, by, ax, ay
        j1 = max(first, int(np.ceil((ay - y0) / cell)))
        j2 = min(first + rows - 1, int(np.ceil((by - y0) / cell)) - 1)
        for j in range(j1, j2 + 1):
            y = y0 + j * cell
            x = ax + (y - ay) / (by - ay) * (bx - ax)
            i1 = max(0, int(np.ceil((x - x0) / cell)))
            for i in range(i1, nx):
                found[j - first, i] = not found[j - first, i]
