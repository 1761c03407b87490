"""Odd areas for `justbite bench --odd`: shapes that clearing is hard on, drawn from seeds.

Combs, spirals, gears, eccentric rings, islands just off a wall, holes across the border, cusps, acute corners,
areas hardly larger than the cutter, thousands of points: where a planner leaves material, cuts into a wall or
goes round and round. Every kind in turn, with closed, half open and open outlines.
"""

import math
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import shapely
import shapely.affinity
from shapely.geometry import LineString, Point, Polygon, box

from justbite.bench import job_of
from justbite.grooves import GROOVES, drawn

CUTTERS = (3.0, 5.0, 6.0, 10.0, 12.0, 20.0)
BITES = (0.05, 0.08, 0.12, 0.2, 0.3, 0.4)
ALL_OPEN, SOME_OPEN = 0.12, 0.3
"""Share of the areas with all of the outline open, and with that or a fifth of it."""
GROOVES_FROM = 1000
"""Seeds from which on grooves hardly wider than the cutter are drawn."""
Random = np.random.Generator


def odd_areas(seeds: range) -> Iterator[dict[str, Any]]:
    """Jobs on odd areas: sizes in cutter diameters, so that each meets every cutter at like proportions."""
    for seed in seeds:
        random = np.random.default_rng(seed + 5000)
        kinds = GROOVES if seed >= GROOVES_FROM else KINDS
        draw = kinds[seed % len(kinds)]
        diameter, share = float(random.choice(CUTTERS)), float(random.choice(BITES))
        whole = drawn(draw, random) if seed >= GROOVES_FROM else draw(random).buffer(0)
        shape = max(shapely.get_parts(whole), key=lambda part: part.area)
        count = len(shape.exterior.coords) - 1
        chance = random.random()
        open_edges: Any = []
        if draw is _star_boss or chance < ALL_OPEN:
            open_edges = "all"
        elif chance < SOME_OPEN:
            first = random.integers(0, count)
            open_edges = sorted({int((first + k) % count) for k in range(max(1, count // 5))})
        rings = [np.array(r.coords)[:-1] * diameter for r in (shape.exterior, *shape.interiors)]
        outline, *islands = [r.round(4).tolist() for r in rings]
        name = f"{seed} {draw.__name__[1:].replace('_', ' ')} D{diameter:g} {100 * share:.0f}%"
        yield job_of(f"{name}{' open' if open_edges else ''}", outline, islands, open_edges, diameter, share)


def _comb(random: Random) -> shapely.Geometry:
    count = random.integers(3, 6)
    width, gap, length = random.uniform(1.1, 1.8), random.uniform(0.3, 0.9), random.uniform(3, 6)
    fingers = [box(k * (width + gap), 0, k * (width + gap) + width, length) for k in range(count)]
    return shapely.union_all([*fingers, box(0, -random.uniform(1.3, 3), count * (width + gap) - gap, 0.2)])


def _spiral(random: Random) -> shapely.Geometry:
    angle = np.linspace(1.5 * math.pi, random.uniform(4, 6) * math.pi, 200)
    width = random.uniform(1.08, 1.7)
    rise = (width + random.uniform(0.2, 0.6)) / (2 * math.pi)
    return LineString(_polar(angle, rise * angle)).buffer(width / 2)


def _gear(random: Random) -> shapely.Geometry:
    count, tip = int(random.integers(5, 14)), random.uniform(2.5, 5)
    return Polygon(_toothed(count, tip, tip * random.uniform(0.6, 0.85)))


def _annulus(random: Random) -> shapely.Geometry:
    outer, width = random.uniform(2.5, 5), random.uniform(1.05, 3)
    hole = Point(random.uniform(0, 0.3) * (outer - width), 0).buffer(outer - width, 64)
    return Point(0, 0).buffer(outer, 64).difference(hole)


def _near_wall(random: Random) -> shapely.Geometry:
    wide, high = random.uniform(5, 9), random.uniform(4, 6)
    gap, width = random.uniform(0.3, 1.4), random.uniform(1, 2)
    island = box(wide / 2 - width / 2, gap, wide / 2 + width / 2, high - random.uniform(1.1, 2))
    return box(0, 0, wide, high).difference(island)


def _scatter(random: Random) -> shapely.Geometry:
    wide, high = random.uniform(5, 9), random.uniform(4, 7)
    shape: shapely.Geometry = box(0, 0, wide, high)
    for _ in range(random.integers(3, 12)):
        spot = Point(random.uniform(0, wide), random.uniform(0, high))
        shape = shape.difference(spot.buffer(random.uniform(0.1, 0.8)))
    return shape


def _zigzag(random: Random) -> shapely.Geometry:
    bends = [(k * random.uniform(1.5, 3), (k % 2) * random.uniform(2, 5)) for k in range(random.integers(3, 6))]
    return LineString(bends).buffer(random.uniform(0.55, 1.3))


def _crescent(random: Random) -> shapely.Geometry:
    outer = random.uniform(2.5, 5)
    hole = Point(random.uniform(0.3, 0.6) * outer, 0).buffer(outer * random.uniform(0.7, 0.95), 64)
    return Point(0, 0).buffer(outer, 64).difference(hole)


def _acute(random: Random) -> shapely.Geometry:
    length = random.uniform(5, 9)
    return Polygon([(0, 0), (length, 0), (length, length * math.tan(math.radians(random.uniform(12, 40))))])


def _cross(random: Random) -> shapely.Geometry:
    one, other, length = random.uniform(1.1, 2.5), random.uniform(1.1, 2.5), random.uniform(4, 7)
    bars = box(-length / 2, -one / 2, length / 2, one / 2), box(-other / 2, -length / 2, other / 2, length / 2)
    return shapely.affinity.rotate(shapely.union_all(bars), random.uniform(0, 90))


def _tiny(random: Random) -> shapely.Geometry:
    width, kind = random.uniform(1.05, 1.8), random.integers(0, 3)
    if kind == 0:
        return Point(0, 0).buffer(width / 2, 32)
    return box(0, 0, width if kind == 1 else random.uniform(1.5, 4), width)


def _keyhole(random: Random) -> shapely.Geometry:
    radius, width = random.uniform(1.2, 3), random.uniform(1.05, 1.6)
    return Point(0, 0).buffer(radius, 48).union(box(0, -width / 2, radius + random.uniform(2, 5), width / 2))


def _dense(random: Random) -> shapely.Geometry:
    """Thousands of points, with waves finer than any cutter."""
    angle = np.linspace(0, 2 * math.pi, 4000, endpoint=False)
    radius = random.uniform(2.5, 4)
    waves = 1 + 0.08 * np.sin(random.integers(3, 9) * angle) + 0.004 * np.sin(90 * angle)
    return Polygon(_polar(angle, radius * waves) * (1.4, 1.0))


def _star_boss(random: Random) -> shapely.Geometry:
    wide, count = random.uniform(6, 9), int(random.integers(4, 8))
    tip = random.uniform(1.5, 2.5)
    return box(-wide / 2, -wide / 2, wide / 2, wide / 2).difference(Polygon(_toothed(count, tip, 0.5 * tip)))


def _frames(random: Random) -> shapely.Geometry:
    wide, rim, wall = random.uniform(7, 10), random.uniform(1.1, 2), random.uniform(0.3, 0.7)
    inner = box(rim, rim, wide - rim, wide - rim).difference(
        box(rim + wall, rim + wall, wide - rim - wall, wide - rim - wall)
    )
    door = box(wide / 2 - 0.6, 0, wide / 2 + 0.6, wide / 2)
    return box(0, 0, wide, wide).difference(inner).union(door)


def _rooms(random: Random) -> shapely.Geometry:
    rooms: list[shapely.Geometry] = []
    for k in range(random.integers(2, 5)):
        wide = random.uniform(2.5, 4.5)
        rooms.append(box(k * 5, 0, k * 5 + wide, random.uniform(2.5, 5)))
        door = box(k * 5 - 4, 0.4, k * 5 + 1, 0.4 + random.uniform(1.05, 1.7))
        if k > 0:
            rooms.append(door)
    return shapely.union_all(rooms)


def _polar(angle: np.ndarray, radius: np.ndarray) -> np.ndarray:
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])


def _toothed(count: int, tip: float, root: float) -> np.ndarray:
    """A star of `count` teeth, its corners in turn at the radius of root and tip."""
    angle = np.linspace(0, 2 * math.pi, 2 * count, endpoint=False)
    return _polar(angle, np.where(np.arange(2 * count) % 2, tip, root))


KINDS: tuple[Callable[[Random], shapely.Geometry], ...] = (
    _comb, _spiral, _gear, _annulus, _near_wall, _scatter, _zigzag, _crescent, _acute, _cross, _tiny, _keyhole, _dense,
    _star_boss, _frames, _rooms,
)  # fmt: skip
