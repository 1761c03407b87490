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
from scipy import ndimage
from shapely.geometry.base import BaseGeometry

from justbite.field.pieces import labels_in
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
FARTHEST = 0.5**0.5
"""Cells from the middle of a cell to its nodes."""


def cores(plane: Plane, material: BaseGeometry, ways: Iterable[Points]) -> list[Points]:
    """Places (n, 2) in each core; `ways` (m, 2): all that the cutter's middle cut along, `material` what stood."""
    x0, y0, cell = plane.frame
    deep = [plane.cleared[rows, columns] for rows in _HALVES for columns in _HALVES]
    highest = np.maximum(np.maximum(deep[0], deep[1]), np.maximum(deep[2], deep[3]))
    lowest = np.minimum(np.minimum(deep[0], deep[1]), np.minimum(deep[2], deep[3]))
    # One node alone covers the cell, or all of them together do; what is seen standing passes are for.
    doubtful = (highest <= plane.skin) & (highest > -FARTHEST * cell) & (lowest > -2.0 * FARTHEST * cell)
    doubtful &= plane.room[:-1, :-1] > plane.wall - plane.radius + OFF_WALLS * cell
    row, column = np.nonzero(doubtful)
    if not len(row):
        return []
    inside = (np.arange(FINER) + 0.5) / FINER
    across, up = (part.ravel() for part in np.meshgrid(inside, inside))
    open_ = np.ones((len(row), FINER**2), dtype=bool)
    for (j, i), depth in zip(((0, 0), (0, 1), (1, 0), (1, 1)), deep, strict=True):
        open_ &= np.hypot(across - i, up - j) * cell > -depth[row, column][:, None]
    k, at = np.nonzero(open_)
    places = np.column_stack([x0 + (column[k] + across[at]) * cell, y0 + (row[k] + up[at]) * cell])
    stands = shapely.contains_xy(material, places)
    k, places = k[stands], places[stands]
    stands = missed_by(places, ways, (1.0 + SURE) * plane.radius)
    k, places = k[stands], places[stands]
    if not len(k):
        return []
    mask = np.zeros(doubtful.shape, dtype=bool)
    mask[row[k], column[k]] = True
    labels, count = ndimage.label(mask, structure=np.ones((3, 3)))
    label = labels[row[k], column[k]]
    least = LEAST_CORE * (plane.radius * FINER / cell) ** 2
    # Where what is seen to stand ends in a tip there is no core.
    seen = ndimage.binary_dilation(highest > plane.skin, np.ones((3, 3)))
    tips = labels_in(labels, seen, count + 1)
    found = (places[label == n] for n in range(1, count + 1) if not tips[n])
    return [core for core in found if len(core) > least]


_HALVES = slice(None, -1), slice(1, None)


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
