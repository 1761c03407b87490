"""Cores: what passes left standing in the middle of a floor, thinner than a cell, so that no node of the field sees it.

The last of a piece is swallowed from all sides. A post as thick as half a cell may stay there, as high as the level is
deep: the next operation, or the next level, meets it sideways. The field itself tells where one can be: between four
nodes none of which is so deep in what is cleared that it covers the cell. There the way is asked, which is exact.
"""

from collections.abc import Iterable

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import bands
from justbite.path.fronts import Points
from justbite.path.plane import Plane

FINER = 8
"""Places across a cell that are asked for."""
SURE = 0.001
"""R: as exactly as the way that is written keeps to the one that was planned, about; what is thinner is no core."""
LEAST_CORE = 0.0001
"""R squared: what is smaller breaks off."""
OFF_WALLS = 1.5
"""Cells: what is as near to a wall as that is a film on it, no core."""
ROWS = 64
"""Rows of the field that are looked at at once: there are half a dozen numbers for each node then."""
FARTHEST = 0.5**0.5
"""Cells from the middle of a cell to its nodes."""


def cores(plane: Plane, material: BaseGeometry, ways: Iterable[Points]) -> list[Points]:
    """Places (n, 2) in each core; `ways` (m, 2): all that the cutter's middle cut along, `material` what stood."""
    x0, y0, cell = plane.frame
    row, column = _doubtful(plane)
    inside = (np.arange(FINER) + 0.5) / FINER
    across, up = (part.ravel() for part in np.meshgrid(inside, inside))
    open_ = np.ones((len(row), FINER**2), dtype=bool)
    for j, i in ((0, 0), (0, 1), (1, 0), (1, 1)):
        open_ &= np.hypot(across - i, up - j) * cell > -plane.cleared[row + j, column + i][:, None]
    k, at = np.nonzero(open_)
    places = np.column_stack([x0 + (column[k] + across[at]) * cell, y0 + (row[k] + up[at]) * cell])
    stands = shapely.contains_xy(material, places)
    k, places = k[stands], places[stands]
    stands = missed_by(places, ways, (1.0 + SURE) * plane.radius)
    k, places = k[stands], places[stands]
    cells, own = np.unique(k, return_inverse=True)
    label = _together(row[cells], column[cells])
    # Where what is seen to stand ends in a tip there is no core.
    tips = label[_beside_seen(plane, row[cells], column[cells])]
    least = LEAST_CORE * (plane.radius * FINER / cell) ** 2
    found = (places[label[own] == n] for n in np.setdiff1d(label, tips))
    return [core for core in found if len(core) > least]


def _doubtful(plane: Plane) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Row and column of the cells that their nodes may not cover, band by band to spare memory."""
    cell, found = plane.grid.cell, []
    for band in bands(len(plane.cleared) - 1, ROWS):
        deep = plane.cleared[band.start : band.stop + 1]
        room = plane.room[band.start : band.stop + 1]
        sides = np.maximum(deep[:-1], deep[1:]), np.minimum(deep[:-1], deep[1:])
        highest, lowest = np.maximum(sides[0][:, :-1], sides[0][:, 1:]), np.minimum(sides[1][:, :-1], sides[1][:, 1:])
        # One node alone covers the cell, or all of them together do; what is seen standing passes are for.
        own = (highest <= plane.skin) & (highest > -FARTHEST * cell) & (lowest > -2.0 * FARTHEST * cell)
        own &= room[:-1, :-1] > plane.wall - plane.radius + OFF_WALLS * cell
        rows, columns = np.nonzero(own)
        found.append((rows + band.start, columns))
    return np.concatenate([f[0] for f in found]), np.concatenate([f[1] for f in found])


def _together(row: NDArray[np.intp], column: NDArray[np.intp]) -> NDArray[np.int32]:
    """A number for each cell, the same for cells that touch."""
    near = (np.abs(row[:, None] - row) <= 1) & (np.abs(column[:, None] - column) <= 1)
    labels: NDArray[np.int32] = connected_components(near, directed=False)[1]
    return labels


def _beside_seen(plane: Plane, row: NDArray[np.intp], column: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Which cells have a node of theirs, or of the cells round them, that is seen to stand."""
    ny, nx = plane.cleared.shape
    seen = np.zeros(len(row), dtype=bool)
    for j in range(-1, 3):
        for i in range(-1, 3):
            seen |= plane.cleared[np.clip(row + j, 0, ny - 1), np.clip(column + i, 0, nx - 1)] > plane.skin
    return seen


def missed_by(places: Points, ways: Iterable[Points], reach: float) -> NDArray[np.bool_]:
    """Which places no way comes within `reach` of."""
    stands = np.ones(len(places), dtype=bool)
    if len(places):
        low, high = places.min(axis=0) - reach, places.max(axis=0) + reach
        for way in ways:
            if len(way) > 1 and (way.max(axis=0) >= low).all() and (way.min(axis=0) <= high).all():
                _take(places, np.ascontiguousarray(way, dtype=float), reach, stands)
    return stands


@njit(cache=True, nogil=True)
def _take(places: Points, way: Points, reach: float, stands: NDArray[np.bool_]) -> None:
    """Mark the places as gone that are nearer than `reach` to a way."""
    for q in range(1, way.shape[0]):
        ax, ay = way[q - 1, 0], way[q - 1, 1]
        dx, dy = way[q, 0] - ax, way[q, 1] - ay
        length2 = dx * dx + dy * dy
        for k in range(places.shape[0]):
            if stands[k]:
                px, py = places[k, 0] - ax, places[k, 1] - ay
                t = min(1.0, max(0.0, (px * dx + py * dy) / length2)) if length2 > 0.0 else 0.0
                if (px - t * dx) ** 2 + (py - t * dy) ** 2 < reach * reach:
                    stands[k] = False
