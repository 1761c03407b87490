"""Level floors: flat faces that look up, and where beside them material rises or falls away.

What a border is, wall or drop, is told by the triangle on its other side, not by what lies near: chords of one round
wall at two heights cross each other, and what lies beside such a border changes from chord to chord.
"""

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.part.feet import SHEER, feet_of
from justbite.part.named import LEVEL
from justbite.part.shadow import sheets, united
from justbite.part.sides import Sides

LEAST_AREA = 0.5
"""mm2: smaller floors are not told."""
MOST_LEVELS = 200
STRIP = 1.3
"""A level facet of a bent surface is not wider than so many times its neighbours."""


@dataclass(frozen=True, slots=True)
class Level:
    """Flat faces of one height."""

    z: float
    shape: BaseGeometry
    """Their plane area."""
    falls: BaseGeometry
    """Stretches of its borders beside which the material falls away."""
    slopes: BaseGeometry
    """Those of them where it falls away over a slope that is seen from above, not sheer."""
    unsure: BaseGeometry
    """Stretches with no neighbour, or more than one, as in a mesh that is not closed."""
    feet: tuple[BaseGeometry, ...]
    """Slopes, seen from above, that it rises over to the walls round it."""
    members: NDArray[np.int64]
    """Numbers of its triangles."""


def level_floors(vertices: NDArray[np.float64], triangles: NDArray[np.int32], bent: NDArray[np.bool_],
                 most_turn: float) -> list[Level]:  # fmt: skip
    """Levels of flat faces that look up, highest first.

    `bent` (m,): triangles that may belong to a bent surface; where one happens to lie level between others that turn
    from it by less than `most_turn` radians and are as wide, it is a chord of that surface and no floor.
    """
    corners = vertices[triangles]
    z = corners[:, :, 2]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    level = (np.ptp(z, axis=1) < LEVEL) & (across[:, 2] > 0)
    if not level.any():
        return []
    sides = Sides.of(triangles, len(vertices))
    suspect = level & bent
    if suspect.any():
        level[_facets(vertices, triangles, across, sides, np.nonzero(suspect)[0], most_turn)] = False
    own = np.nonzero(level)[0]
    if not len(own):
        return []
    own = own[np.argsort(-z[own].mean(axis=1), kind="stable")]
    heights, areas = z[own].mean(axis=1), across[own, 2] / 2
    group = np.concatenate([[0], np.cumsum(-np.diff(heights) > LEVEL)])
    sizes = np.bincount(group, weights=areas)
    chosen = sorted(k for k in np.argsort(-sizes)[:MOST_LEVELS] if sizes[k] >= LEAST_AREA)
    members = [own[group == g] for g in chosen]
    at = [float(heights[group == g].mean()) for g in chosen]
    level_of = np.full(len(triangles), -1)
    for number, mine in enumerate(members):
        level_of[mine] = number
    feet = feet_of(vertices, triangles, across, sides, level_of, at)
    found = []
    for mine, height, own_feet in zip(members, at, feet, strict=True):
        borders = _borders(vertices, triangles, across, sides, mine, height)
        shape = united(vertices[:, :2], triangles[mine].astype(np.int64))
        found.append(Level(height, shape, *borders, tuple(own_feet), mine))
    return found


def _facets(vertices: NDArray[np.float64], triangles: NDArray[np.int32], across: NDArray[np.float64], sides: Sides,
            suspect: NDArray[np.int64], most_turn: float) -> NDArray[np.int64]:  # fmt: skip
    """Those of the level triangles `suspect` that are chords of a bent surface."""
    sheet = sheets(triangles[suspect].astype(np.int64), len(vertices))
    count = int(sheet.max()) + 1
    owner = np.full(len(triangles), -1)
    owner[suspect] = sheet
    mine = np.concatenate([suspect + k * len(triangles) for k in range(3)])
    own, beyond = owner[mine % len(triangles)], sides.twin[mine]
    border = (beyond < 0) | (owner[beyond] != own)
    mine, own, beyond = mine[border], own[border], beyond[border]
    length = np.hypot(*(vertices[sides.ends[mine, 0]] - vertices[sides.ends[mine, 1]])[:, :2].T)
    size = np.linalg.norm(across[beyond], axis=1)
    smooth = (beyond >= 0) & (across[beyond, 2] > np.cos(most_turn) * size) & (length > 1e-9)
    every = np.bincount(own, weights=length, minlength=count)
    bends = np.bincount(own, weights=np.where(smooth, length, 0.0), minlength=count)
    # Height of a neighbour over the side it shares: twice its area over that.
    beside = np.bincount(own, weights=np.where(smooth, size, 0.0), minlength=count) / np.maximum(bends, 1e-12)
    area = np.bincount(sheet, weights=across[suspect, 2] / 2, minlength=count)
    chord = (bends > 0.5 * every) & (2.0 * area < STRIP * beside * bends)
    return suspect[chord[sheet]]


def _borders(vertices: NDArray[np.float64], triangles: NDArray[np.int32], across: NDArray[np.float64], sides: Sides,
             own: NDArray[np.int64], z: float) -> tuple[BaseGeometry, BaseGeometry, BaseGeometry]:  # fmt: skip
    """Where beside the floor of the triangles `own` material falls away, where over a slope, where that is not told."""
    inside = np.zeros(len(triangles), dtype=bool)
    inside[own] = True
    mine, beyond = sides.beyond(inside)
    heights = vertices[triangles[beyond], 2] - z
    farthest = np.take_along_axis(heights, np.abs(heights).argmax(axis=1)[:, None], axis=1)[:, 0]
    falls = (beyond >= 0) & (farthest < -LEVEL)
    slopes = falls & (across[beyond, 2] > SHEER * np.linalg.norm(across[beyond], axis=1))
    unsure = (beyond < 0) | (np.abs(farthest) <= LEVEL)
    lines = vertices[sides.ends[mine], :2]
    falling, sloping, open_ = (shapely.multilinestrings(shapely.linestrings(lines[k])) for k in (falls, slopes, unsure))
    return falling, sloping, open_
