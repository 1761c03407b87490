"""Terrace steps: heights at which what stands above slopes and bent bottoms is cut, from the deepest one up.

No level floor tells of a sloped wall, a cone, a ball's half, a drafted wall above a fillet: what stands above them
belongs to no floor's area. It is cut down to level steps, each over all of the slope that lies below it and the floors
beside that; so the first cuts go as deep as the flutes do, and finer steps climb the slope after them.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown, mitred, without_seams
from justbite.part.feet import SHEER
from justbite.part.margin import RIM
from justbite.part.named import LEVEL
from justbite.part.shadow import shadow, sheets, united

LEFT = 1.4
"""mm that a step leaves on the slope, measured square to it, where it need not be finer than `FINEST` for that."""
FINEST, COARSEST = 2.0, 8.0
"""mm from step to step."""
MOST_STEPS = 20
"""On one slope."""
MOST_SLOPES = 40
"""Of a part, the largest ones; what stands on others is told by the proof."""
ONE_HEIGHT = 1e-3
"""mm between two heights that are one."""
BEYOND = 1.0
"""mm round a slope and its floors in which the part is looked at."""
WHISKER = 0.1
"""mm: half of how wide a step is everywhere at least."""
LEAST_AREA = 2.0
"""mm2 seen from above: smaller slopes, and smaller pieces of one, get no step."""
LEAST_RISE = 0.4
"""mm: what rises less is as good as level."""
THICK, WIDE, LAST = 0.5, 0.3, 0.1
"""mm: a step is for what stands higher and is wider than that; the last one, below a wall, for less: a skin as high as
the wall would stay on that."""


@dataclass(frozen=True, slots=True)
class Ground:
    """What is known to be free down to a height: a floor, a hole."""

    z: float
    shape: BaseGeometry


@dataclass(frozen=True, slots=True)
class Terrace:
    """A step: where the cutter may go at a height."""

    z: float
    shape: Polygon
    over: float
    """mm that the part's surface may lie below it."""
    above: BaseGeometry
    """What of the part stands above it, there and about."""
    slope: int = 0
    """Number of the slope, from 1."""


@dataclass(frozen=True, slots=True)
class _Slope:
    """A connected slope of the part, or several that rise from one floor alike."""

    triangles: NDArray[np.int64]
    """(m, 3)"""
    shape: BaseGeometry
    low: float
    high: float

    def beside(self, grounds: Sequence[Ground], hair: float) -> list[Ground]:
        """The grounds that it touches."""
        return [g for g in grounds if g.shape.distance(self.shape) < 2.0 * hair]


def terraces(vertices: NDArray[np.float64], triangles: NDArray[np.int32], known: NDArray[np.bool_],
             grounds: Sequence[Ground], cut: Sequence[Ground], stock_top: float, hair: float
             ) -> list[Terrace]:  # fmt: skip
    """The steps on all slopes of a part.

    `known` (m,): triangles of level floors. `cut`: what the areas found so far take, and how deep. `hair`: mm that
    chords of one surface at two heights may lie apart.
    """
    found: list[Terrace] = []
    corners = vertices[triangles][:, :, :2]
    low, high = corners.min(axis=1), corners.max(axis=1)
    for slope in _merged(_slopes(vertices, triangles, known), grounds, hair):
        beside = slope.beside(grounds, hair)
        if _is_rim(slope, beside, cut, stock_top):
            continue
        number = found[-1].slope + 1 if found else 1
        zone = np.array(shapely.union_all([slope.shape, *(g.shape for g in beside)]).bounds)
        near = triangles[(low < zone[2:] + BEYOND).all(axis=1) & (high > zone[:2] - BEYOND).all(axis=1)]
        steps = _steps(slope, vertices, near, beside, grounds, cut, stock_top, hair)
        found += [replace(step, slope=number) for step in steps]
    return found


def _across(vertices: NDArray[np.float64], triangles: NDArray[Any]) -> NDArray[np.float64]:
    """(m, 3) normals, twice as long as the triangles' areas."""
    corners = vertices[triangles]
    return np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])


def _slopes(vertices: NDArray[np.float64], triangles: NDArray[np.int32], known: NDArray[np.bool_]) -> list[_Slope]:
    """The connected slopes, largest first."""
    across = _across(vertices, triangles)
    own = np.nonzero(~known & (across[:, 2] > SHEER * np.linalg.norm(across, axis=1)))[0]
    if not len(own):
        return []
    t = triangles[own].astype(np.int64)
    sheet = sheets(t, len(vertices))
    area = np.bincount(sheet, weights=across[own, 2] / 2)
    found = []
    for number in np.argsort(-area, kind="stable")[:MOST_SLOPES]:
        if area[number] < LEAST_AREA:
            break
        mine = t[sheet == number]
        z = vertices[mine, 2]
        if np.ptp(z) >= LEAST_RISE:
            found.append(_Slope(mine, united(vertices[:, :2], mine), float(z.min()), float(z.max())))
    return found


def _merged(slopes: list[_Slope], grounds: Sequence[Ground], hair: float) -> list[_Slope]:
    """Slopes that rise from one floor to one height are one: each step goes round all of it."""
    left, found = list(slopes), []
    while left:
        first = left.pop(0)
        floors = [g for g in first.beside(grounds, hair) if g.z <= first.low + LEVEL]
        alike = [
            s for s in left
            if abs(s.low - first.low) < LEVEL and abs(s.high - first.high) < LEVEL and s.beside(floors, hair)
        ]  # fmt: skip
        left = [s for s in left if not any(s is a for a in alike)]
        every = [first, *alike]
        whole = shapely.union_all([s.shape for s in every])
        found.append(_Slope(np.concatenate([s.triangles for s in every]), whole, first.low, first.high))
    return found


def _is_rim(slope: _Slope, beside: Sequence[Ground], cut: Sequence[Ground], stock_top: float) -> bool:
    """A chamfer or a rounded edge at the top of what stands: told, and left to a tool of its own."""
    if slope.high - slope.low > RIM or not grown(slope.shape, -RIM / 2.0).is_empty:
        return False
    if stock_top <= slope.high + LEVEL:
        return not any(abs(g.z - slope.low) < LEVEL for g in beside)
    over = shapely.union_all([c.shape for c in cut if c.z <= slope.high + LEVEL])
    return not _wide(slope.shape.difference(over), WIDE)


def _steps(slope: _Slope, vertices: NDArray[np.float64], near: NDArray[np.int32], beside: Sequence[Ground],
           grounds: Sequence[Ground], cut: Sequence[Ground], stock_top: float, hair: float
           ) -> list[Terrace]:  # fmt: skip
    """The steps on one slope, from the lowest up; `near`: the triangles over it and what is `beside` it."""
    found: list[Terrace] = []
    done: BaseGeometry = Polygon()
    last = slope.low
    for z in (_on(z, grounds) for z in _heights(slope, vertices)):
        if z > stock_top - THICK:
            break
        above = shadow(vertices, near, z)
        gone = [c.shape for c in cut if c.z <= z + THICK]
        fresh = slope.shape.difference(shapely.union_all([above, done, *gone]))
        least = WIDE if z < slope.high - ONE_HEIGHT else LAST
        if not _wide(fresh, least):
            continue
        ground = shapely.union_all([g.shape for g in beside if g.z < z - ONE_HEIGHT])
        joined = shapely.union_all([slope.shape, ground])
        joined = without_seams(joined, 2.0 * hair)
        filled = shapely.union_all([Polygon(g.exterior) for g in shapely.get_parts(joined) if isinstance(g, Polygon)])
        # Hairs between chords at two heights are no islands.
        solid = _opened(above, hair)
        # A floor as high has an area of its own.
        taken = shapely.union_all([solid, *(g.shape for g in grounds if abs(g.z - z) <= ONE_HEIGHT)])
        free = filled.difference(taken)
        # No whiskers, and of the part nothing.
        for piece in shapely.get_parts(_opened(free, WHISKER).intersection(free)):
            if isinstance(piece, Polygon) and _wide(fresh.intersection(piece), least):
                found.append(Terrace(z, shapely.orient_polygons(piece), z - last, above))
        done = shapely.union_all([done, slope.shape.difference(above)])
        last = z
    return found


def _heights(slope: _Slope, vertices: NDArray[np.float64]) -> list[float]:
    """The heights of the steps of a slope, lowest first: finer where it is flatter."""
    across, heights = _across(vertices, slope.triangles), vertices[slope.triangles, 2]
    size = np.linalg.norm(across, axis=1)
    low, high = heights.min(axis=1), heights.max(axis=1)
    finest = max(FINEST, (slope.high - slope.low) / MOST_STEPS)
    z, found = slope.low, []
    while z < slope.high - LEVEL:
        here = (low < z + finest) & (high > z)
        # Of what is seen from above, how much it is seen so.
        level = float(across[here, 2] @ (across[here, 2] / size[here]) / across[here, 2].sum())
        z += min(COARSEST, max(finest, LEFT / level))
        z = slope.high if slope.high - z < 0.25 * finest else math.ceil(100.0 * z) / 100.0
        found.append(z)
    return found


def _on(z: float, grounds: Sequence[Ground]) -> float:
    """The height, or that of a floor that is as high: two areas are of one floor only where that is the same."""
    near = min((g.z for g in grounds), key=lambda other: abs(other - z), default=math.inf)
    return near if abs(near - z) < ONE_HEIGHT else round(math.ceil(z / ONE_HEIGHT - 0.1) * ONE_HEIGHT, 3)


def _opened(shape: BaseGeometry, by: float) -> BaseGeometry:
    """The shape without what is narrower than twice `by` mm."""
    return mitred(mitred(shape, -by), by)


def _wide(shape: BaseGeometry, least: float) -> bool:
    """Whether more of a shape than crumbs is wider than `least` mm."""
    return bool(_opened(shape, least / 2.0).area >= LEAST_AREA)
