"""Fillets and chamfers at the foot of walls: slopes that a level floor rises over before the wall stands upright.

The floor ends where they begin. What stands above them, up to the wall, is a strip as wide as the fillet and as high as
the wall: it is cut down to where the slope ends, in steps of its own after the floor.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph
from shapely.geometry.base import BaseGeometry

from justbite.part.named import LEVEL
from justbite.part.shadow import united
from justbite.part.sides import Sides

WALLS = (0.01, 0.2)
"""Cosine between a wall's normal and the spindle, at most: upright ones; and where those with a draft count as well."""
LEAST, MOST = 0.4, 8.0
"""mm that a slope rises: what rises less stays on as an allowance does, what rises more is no foot of a wall."""


@dataclass(frozen=True, slots=True)
class Foot:
    """A slope that rises from a floor to a wall."""

    shape: BaseGeometry
    """Seen from above."""
    top: float


def feet_of(vertices: NDArray[np.float64], triangles: NDArray[np.int32], across: NDArray[np.float64], sides: Sides,
            level: NDArray[np.int64], heights: Sequence[float]) -> list[list[Foot]]:  # fmt: skip
    """For each level the feet of the walls round it.

    `across` (m, 3): normals of the triangles, of any length. `level` (m,): which level a triangle is of; -1 for none.
    """
    count = len(triangles)
    found: list[list[Foot]] = [[] for _ in heights]
    upward = np.where(level < 0, across[:, 2] / np.maximum(np.linalg.norm(across, axis=1), 1e-300), 0.0)
    told = np.zeros(count, dtype=bool)
    for wall in WALLS:
        slope = (upward > wall) & ~told
        for at, foot, own in _feet(vertices, triangles, sides, slope, level, np.asarray(heights)):
            found[at].append(foot)
            told |= own
    return found


def _feet(vertices: NDArray[np.float64], triangles: NDArray[np.int32], sides: Sides, slope: NDArray[np.bool_],
          level: NDArray[np.int64], heights: NDArray[np.float64]
          ) -> Iterator[tuple[int, Foot, NDArray[np.bool_]]]:  # fmt: skip
    """Which of the triangles that `slope` make feet, and of which level."""
    mine, beyond = sides.beyond(level >= 0)
    known = (beyond >= 0) & slope[beyond]
    mine, beyond = mine[known], beyond[known]
    if not len(mine):
        return
    owner = level[mine % len(level)]
    away = vertices[triangles[beyond], 2] - heights[owner][:, None]
    farthest = np.take_along_axis(away, np.abs(away).argmax(axis=1)[:, None], axis=1)[:, 0]
    group = _joined(slope, sides)
    # A slope that a floor falls away over is that floor's rim.
    rims = np.unique(group[beyond[farthest < -LEVEL]])
    for pair in np.unique(np.column_stack([owner, group[beyond]])[farthest > LEVEL], axis=0):
        at, number = int(pair[0]), pair[1]
        own = slope & (group == number)
        top = float(vertices[triangles[own], 2].max())
        if number not in rims and LEAST < top - heights[at] < MOST:
            yield at, Foot(united(vertices[:, :2], triangles[own].astype(np.int64)), top), own


def _joined(slope: NDArray[np.bool_], sides: Sides) -> NDArray[np.int32]:
    """(m,) the connected piece of the slopes that each triangle is of."""
    count = len(slope)
    own = np.nonzero(np.tile(slope, 3) & (sides.twin >= 0))[0]
    own = own[slope[sides.twin[own]]]
    links = sparse.coo_matrix((np.ones(len(own), bool), (own % count, sides.twin[own])), shape=(count, count))
    return np.asarray(csgraph.connected_components(links, directed=False)[1])
