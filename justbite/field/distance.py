"""Signed distance from grid nodes to the boundary of a polygon, exact within a cap.

Positive inside the polygon, negative outside, clipped to +-cap (mm).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, Grid
from justbite.model.shapes import borders_of


def segments_of(shape: BaseGeometry) -> NDArray[np.float64]:
    """All boundary segments of a (multi)polygon as an (n, 4) array x1, y1, x2, y2."""
    parts = [np.hstack([xy[:-1], xy[1:]]) for xy in borders_of(shape)]
    return np.vstack(parts) if parts else np.zeros((0, 4))


def signed_distance(shape: BaseGeometry, grid: Grid, cap: float) -> Field:
    """Signed distance field (ny, nx) of `shape`, positive inside, clipped to +-cap."""
    segments = segments_of(shape)
    squared = np.full((grid.ny, grid.nx), cap * cap)
    _nearest(squared, segments, grid.x0, grid.y0, grid.cell, cap)
    inside = np.zeros((grid.ny, grid.nx), dtype=np.bool_)
    _inside(inside, segments, grid.x0, grid.y0, grid.cell)
    # In place: a large area's field would be there three times.
    np.sqrt(squared, out=squared)
    np.negative(squared, out=squared, where=~inside)
    return squared.astype(np.float32)


@njit(cache=True, nogil=True)
def _nearest(squared, segments, x0, y0, cell, cap):  # type: ignore[no-untyped-def]
    ny, nx = squared.shape
    for k in range(segments.shape[0]):
        ax, ay, bx, by = segments[k]
        dx, dy = bx - ax, by - ay
        length2 = dx * dx + dy * dy
        i1 = max(0, int((min(ax, bx) - cap - x0) / cell))
        i2 = min(nx - 1, int((max(ax, bx) + cap - x0) / cell) + 1)
        j1 = max(0, int((min(ay, by) - cap - y0) / cell))
        j2 = min(ny - 1, int((max(ay, by) + cap - y0) / cell) + 1)
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
                squared[j, i] = min(squared[j, i], d2)


@njit(cache=True, nogil=True)
def _inside(inside, segments, x0, y0, cell):  # type: ignore[no-untyped-def]
    """Even-odd rule: toggle the nodes to the right of each crossing of a row."""
    ny, nx = inside.shape
    for k in range(segments.shape[0]):
        ax, ay, bx, by = segments[k]
        if ay > by:
            ax, ay, bx, by = bx, by, ax, ay
        j1 = max(0, int(np.ceil((ay - y0) / cell)))
        j2 = min(ny - 1, int(np.ceil((by - y0) / cell)) - 1)
        for j in range(j1, j2 + 1):
            y = y0 + j * cell
            x = ax + (y - ay) / (by - ay) * (bx - ax)
            i1 = max(0, int(np.ceil((x - x0) / cell)))
            for i in range(i1, nx):
                inside[j, i] = not inside[j, i]
