"""Signed distance from grid nodes to the boundary of a polygon, exact within a cap.

Positive inside the polygon, negative outside, clipped to +-cap (mm).
"""

from collections.abc import Iterator

import numpy as np
from numba import njit
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.field import aside
from justbite.field.aside import bands, blank, zeros
from justbite.field.grid import Field, Grid
from justbite.model.shapes import borders_of

COARSE, FINE = 64, 16
"""Nodes along the squares in which it is told what may be nearest: coarse ones, and those within them."""


def segments_of(shape: BaseGeometry) -> NDArray[np.float64]:
    """All boundary segments of a (multi)polygon as an (n, 4) array x1, y1, x2, y2."""
    parts = [np.hstack([xy[:-1], xy[1:]]) for xy in borders_of(shape)]
    return np.vstack(parts) if parts else np.zeros((0, 4))


def signed_distance(shape: BaseGeometry, grid: Grid, cap: float) -> Field:
    """Signed distance field (ny, nx) of `shape`, positive inside, clipped to +-cap."""
    field = blank((grid.ny, grid.nx), np.float32)
    for band, distance in _bands_of(shape, grid, cap):
        field[band] = distance
    return field


def room_in(shape: BaseGeometry, grid: Grid, cap: float) -> tuple[Field, float]:
    """As `signed_distance`, of a large field less `cap`; and by how much less it is.

    Nearly all of a large area is farther than that from its border. What is zero and never written to takes no memory.
    """
    if 4 * grid.nx * grid.ny < aside.LARGE:
        return signed_distance(shape, grid, cap), 0.0
    field = zeros((grid.ny, grid.nx))
    for band, distance in _bands_of(shape, grid, cap):
        near = distance < cap
        field[band][near] = distance[near] - cap
    return field, cap


def _bands_of(shape: BaseGeometry, grid: Grid, cap: float) -> Iterator[tuple[slice, NDArray[np.float64]]]:
    """The distances of some rows after the other: doubles of all of a large area would take twice what it does."""
    segments = segments_of(shape)
    for band in bands(grid.ny):
        squared = np.full((band.stop - band.start, grid.nx), cap * cap)
        _nearest(squared, band.start, segments, grid.x0, grid.y0, grid.cell, cap)
        np.sqrt(squared, out=squared)
        np.negative(squared, out=squared, where=~inside_rows(segments, grid, band))
        yield band, squared


def inside_rows(segments: NDArray[np.float64], grid: Grid, band: slice) -> NDArray[np.bool_]:
    """Which nodes (rows, nx) of some rows lie in the shape with these borders."""
    found = np.zeros((band.stop - band.start, grid.nx), dtype=np.bool_)
    _inside(found, band.start, segments, grid.x0, grid.y0, grid.cell)
    return found


@njit(cache=True, nogil=True)
def _nearest(squared, first, segments, x0, y0, cell, cap):  # type: ignore[no-untyped-def]
    """Lower `squared` (mm2), the rows of the grid from `first` on, to the squared distance of the nearest segment.

    Square by square, of two sizes: one that is `away` from a place is no more than that and half the square's diagonal
    from any node of the square about it. What is farther from the place by twice that than the nearest is from no node
    the nearest.
    """
    rows, nx = squared.shape
    every, some = np.arange(segments.shape[0]), np.empty(segments.shape[0], np.int64)
    few, away = np.empty(segments.shape[0], np.int64), np.empty(segments.shape[0])
    for j1 in range(0, rows, COARSE):
        j2 = min(rows, j1 + COARSE)
        for i1 in range(0, nx, COARSE):
            i2 = min(nx, i1 + COARSE)
            near = _near(i1, i2, first + j1, first + j2, segments, every, len(every), x0, y0, cell, cap, away, some)
            if near == 0:
                continue
            for j3 in range(j1, j2, FINE):
                j4 = min(j2, j3 + FINE)
                for i3 in range(i1, i2, FINE):
                    i4 = min(i2, i3 + FINE)
                    left = _near(
                        i3, i4, first + j3, first + j4, segments, some, near, x0, y0, cell, cap, away, few
                    )  # fmt: skip
                    for n in range(left):
                        _lower(squared, first, segments[few[n]], i3, i4, j3, j4, x0, y0, cell)


@njit(cache=True, nogil=True)
def _near(i1, i2, j1, j2, segments, asked, count, x0, y0, cell, cap, away, found):  # type: ignore[no-untyped-def]
    """How many of the first `count` segments that are `asked` may be the nearest to a node of columns i1 to i2, rows j1
    to j2, and within `cap` of it; which, is put into `found`. `away`: room for their distances."""
    x, y = x0 + 0.5 * (i1 + i2 - 1) * cell, y0 + 0.5 * (j1 + j2 - 1) * cell
    half = 0.5 * cell * np.hypot(i2 - i1 - 1, j2 - j1 - 1) + 1e-6 * cell
    least = cap
    for n in range(count):
        ax, ay, bx, by = segments[asked[n]]
        dx, dy, fx, fy = bx - ax, by - ay, x - ax, y - ay
        t = min(1.0, max(0.0, (fx * dx + fy * dy) / max(dx * dx + dy * dy, 1e-30)))
        away[n] = np.sqrt((t * dx - fx) ** 2 + (t * dy - fy) ** 2)
        least = min(least, away[n])
    many = 0
    for n in range(count):
        if away[n] <= min(least + 2.0 * half, cap + half):
            found[many] = asked[n]
            many += 1
    return many


@njit(cache=True, nogil=True)
def _lower(squared, first, segment, i1, i2, j1, j2, x0, y0, cell):  # type: ignore[no-untyped-def]
    """Lower one square of nodes to the squared distance of a segment; four nodes at once, written so that they can."""
    ax, ay, bx, by = segment
    dx, dy = bx - ax, by - ay
    length2 = dx * dx + dy * dy
    share = 1.0 / length2 if length2 > 0.0 else 0.0
    for j in range(j1, j2):
        fy = y0 + (first + j) * cell - ay
        row = squared[j, i1:i2]
        for i in range(len(row)):
            fx = x0 + (i1 + i) * cell - ax
            t = min(1.0, max(0.0, (fx * dx + fy * dy) * share))
            ex, ey = t * dx - fx, t * dy - fy
            row[i] = min(row[i], ex * ex + ey * ey)


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
