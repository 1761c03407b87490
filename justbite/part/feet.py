"""Fillets and chamfers at the foot of walls: slopes that a level floor rises over before the wall stands upright.

The floor ends where they begin, and steps on the slope take what stands above them (`terraces.py`). Where a wall ends
at the edge of a higher floor they lie right before that, and must be told from that floor's own rim.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph
from shapely.geometry.base import BaseGeometry

from justbite.part.named import LEVEL
from justbite.part.shadow import united
from justbite.part.sides import Sides

SHEER, DRAFT = 0.01, 0.2
"""Cosine between a wall's normal and the spindle, at most: of an upright one, and of one with a draft."""
LEAST, MOST = 0.4, 8.0
"""mm that a slope rises: what rises less stays on as an allowance does, what rises more is no foot of a wall."""


def feet_of(vertices: NDArray[np.float64], triangles: NDArray[np.int32], across: NDArray[np.float64], sides: Sides,
            level: NDArray[np.int64], heights: Sequence[float]) -> list[list[BaseGeometry]]:  # fmt: skip
    """For each level the feet of the walls round it, seen from above.

    `across` (m, 3): normals of the triangles, of any length. `level` (m,): which level a triangle is of; -1 for none.
    """
    upward = np.where(level < 0, across[:, 2] / np.maximum(np.linalg.norm(across, axis=1), 1e-300), 0.0)
    low = vertices[triangles, 2].min(axis=1)
    mine, beyond = sides.beyond(level >= 0)
    slopes = (beyond >= 0) & (upward[beyond] > SHEER)
    owner, beyond = level[mine % len(level)][slopes], beyond[slopes]
    away = vertices[triangles[beyond], 2] - np.asarray(heights)[owner][:, None]
    farthest = np.take_along_axis(away, np.abs(away).argmax(axis=1)[:, None], axis=1)[:, 0]
    # A slope that a floor falls away over is that floor's rim.
    rims = beyond[farthest < -LEVEL]
    found: list[list[BaseGeometry]] = []
    for number, z in enumerate(heights):
        own = np.unique(beyond[(owner == number) & (farthest > LEVEL)])
        found.append([])
        # Where upright walls alone end no slope that is low enough, those with a draft do.
        for wall in (SHEER, DRAFT) if len(own) else ():
            near = np.nonzero((upward > wall) & (low > z - LEVEL) & (low < z + MOST))[0]
            for piece in _joined(near, sides, own):
                top = float(vertices[triangles[piece], 2].max())
                if LEAST < top - z < MOST and not np.isin(rims, piece).any():
                    found[-1].append(united(vertices[:, :2], triangles[piece].astype(np.int64)))
                    own = np.setdiff1d(own, piece)
    return found


def _joined(near: NDArray[np.int64], sides: Sides, begin: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """The connected pieces of the triangles `near` that have one of `begin` in them."""
    count = len(sides.twin) // 3
    place = np.full(count, -1)
    place[near] = np.arange(len(near))
    twin = sides.twin.reshape(3, count)[:, near]
    rows, columns = np.nonzero((twin >= 0) & (place[twin] >= 0))
    links = sparse.coo_matrix(
        (np.ones(len(rows), bool), (columns, place[twin[rows, columns]])), shape=(len(near), len(near))
    )
    group = csgraph.connected_components(links, directed=False)[1]
    begins = place[begin]
    return [near[group == number] for number in np.unique(group[begins[begins >= 0]])]
