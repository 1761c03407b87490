"""A regular grid over the plane and bilinear reading of a field that lives on it.

Field arrays have shape (rows, columns) = (ny, nx); node (j, i) lies at
(x0 + i*cell, y0 + j*cell), in mm.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

Field = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Grid:
    """Origin (mm), cell size (mm) and node counts of a regular grid."""

    x0: float
    y0: float
    cell: float
    nx: int
    ny: int

    @staticmethod
    def over(bounds: tuple[float, float, float, float], cell: float) -> "Grid":
        """The smallest grid of the given cell that covers (xmin, ymin, xmax, ymax)."""
        xmin, ymin, xmax, ymax = bounds
        nx = int(np.ceil((xmax - xmin) / cell)) + 2
        ny = int(np.ceil((ymax - ymin) / cell)) + 2
        return Grid(xmin - 0.5 * cell, ymin - 0.5 * cell, cell, nx, ny)


@njit(cache=True, inline="always", nogil=True)
def read(field, x0, y0, cell, x, y):  # type: ignore[no-untyped-def]
    """Bilinear value of `field` at (x, y) in mm; outside the grid the border value."""
    return read_cells(field, (x - x0) / cell, (y - y0) / cell)


@njit(cache=True, inline="always", nogil=True)
def read_cells(field, gx, gy):  # type: ignore[no-untyped-def]
    """As `read`, at (gx, gy) in cells from the grid's origin."""
    ny, nx = field.shape
    gx = min(max(gx, 0.0), nx - 1.000001)
    gy = min(max(gy, 0.0), ny - 1.000001)
    i = int(gx)
    j = int(gy)
    u = gx - i
    v = gy - j
    low = field[j, i] + u * (field[j, i + 1] - field[j, i])
    high = field[j + 1, i] + u * (field[j + 1, i + 1] - field[j + 1, i])
    return low + v * (high - low)


@njit(cache=True, nogil=True)
def read_at(field, x0, y0, cell, places):  # type: ignore[no-untyped-def]
    """As `read`, at `places` (n, 2) in mm."""
    found = np.empty(places.shape[0])
    for k in range(places.shape[0]):
        found[k] = read(field, x0, y0, cell, places[k, 0], places[k, 1])
    return found
