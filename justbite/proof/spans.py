"""Shapes on the map's rows: where along each row a shape lies, and what is done to the cells there.

A cell lies in a shape where its middle does. Kernels over spans leave the other cells alone: of most shapes few of a
band's rows, or few cells of a row, are any.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _rows(ay, by, y0, cell, ny):  # type: ignore[no-untyped-def]
    """The rows that a line between heights ay and by crosses."""
    low, high = min(ay, by), max(ay, by)
    return range(max(0, int(np.ceil((low - y0) / cell))), min(ny, int(np.ceil((high - y0) / cell))))


@njit(cache=True, nogil=True)
def spans(segments, x0, y0, cell, ny, nx):  # type: ignore[no-untyped-def]
    """Where the borders `segments` (n, 4: from x, y, to x, y; mm) of a shape cross the rows of a map.

    Returns `first` (ny + 1,) and `cells`: of row j, `cells[first[j] : first[j + 1]]` are in turn the first cell inside
    and the first outside again, in ascending order.
    """
    first = np.zeros(ny + 1, dtype=np.int64)
    for k in range(segments.shape[0]):
        for j in _rows(segments[k, 1], segments[k, 3], y0, cell, ny):
            first[j + 1] += 1
    for j in range(ny):
        first[j + 1] += first[j]
    cells = np.empty(first[ny], dtype=np.int64)
    there = first[:-1].copy()
    for k in range(segments.shape[0]):
        ax, ay, bx, by = segments[k]
        if ay > by:
            ax, ay, bx, by = bx, by, ax, ay
        for j in _rows(ay, by, y0, cell, ny):
            x = ax + (y0 + j * cell - ay) / (by - ay) * (bx - ax)
            at = min(nx, max(0, int(np.ceil((x - x0) / cell))))
            # A row has few: each goes in where it belongs.
            m = there[j]
            while m > first[j] and cells[m - 1] > at:
                cells[m] = cells[m - 1]
                m -= 1
            cells[m] = at
            there[j] += 1
    return first, cells


@njit(cache=True, nogil=True)
def fill(field, first, cells, value):  # type: ignore[no-untyped-def]
    """Set the cells (ny, nx) of a shape to `value`."""
    for j in range(field.shape[0]):
        for k in range(first[j], first[j + 1] - 1, 2):
            field[j, cells[k] : cells[k + 1]] = value


@njit(cache=True, nogil=True)
def lower(height, share, first, cells, level):  # type: ignore[no-untyped-def]
    """Nothing stands higher than `level` (in the map's units) in a shape, and no cell is swept in part."""
    for j in range(height.shape[0]):
        for k in range(first[j], first[j + 1] - 1, 2):
            for i in range(np.uintp(cells[k]), np.uintp(cells[k + 1])):
                height[j, i] = min(height[j, i], level)
                share[j, i] = 0


@njit(cache=True, nogil=True)
def count(height, low, share, first, cells, floor, half):  # type: ignore[no-untyped-def]
    """How many cells a shape has, and of how many the greater part (`share` of at least `half`) is over `floor`."""
    inside = standing = 0
    for j in range(height.shape[0]):
        for k in range(first[j], first[j + 1] - 1, 2):
            inside += cells[k + 1] - cells[k]
            for i in range(np.uintp(cells[k]), np.uintp(cells[k + 1])):
                top = low[j, i] if share[j, i] >= half else height[j, i]
                standing += top > floor
    return inside, standing


@njit(cache=True, nogil=True)
def finer(needed, places, reach, cell):  # type: ignore[no-untyped-def]
    """Ask for `cell` mm in all tiles (rows, columns) of a map that a disc of `reach` about any of the `places` touches.

    `places` (n, 2) and `reach` in sides of a tile, from the map's edge.
    """
    rows, columns = needed.shape
    for k in range(places.shape[0]):
        x, y = places[k]
        for j in range(max(0, int(np.floor(y - reach))), min(rows, int(y + reach) + 1)):
            for i in range(max(0, int(np.floor(x - reach))), min(columns, int(x + reach) + 1)):
                dx, dy = max(i - x, x - i - 1, 0.0), max(j - y, y - j - 1, 0.0)
                if dx * dx + dy * dy <= reach * reach:
                    needed[j, i] = min(needed[j, i], cell)
