"""Grooves hardly wider than the cutter for `justbite bench --odd` from seed 1000 on: rings, frames, networks, bends.

Widths of 1.002 to 1.5 of the cutter's diameter, as many near the one end as near the other.
"""

import math
from collections.abc import Callable

import numpy as np
import shapely
import shapely.affinity
from shapely.geometry import LineString, MultiLineString, Point, box

Random = np.random.Generator
THINNEST, WIDEST = 0.002, 0.5
"""What a groove is wider than the cutter, over its diameter."""
FINEST = 5e-5
"""Grid of its corners: what is rounded later must not cross itself."""


def drawn(draw: Callable[[Random], shapely.Geometry], random: Random) -> shapely.Geometry:
    """The groove along the lines that `draw` makes, in cutter diameters, its corners round or sharp."""
    width = 1.0 + math.exp(random.uniform(math.log(THINNEST), math.log(WIDEST)))
    lines = shapely.affinity.rotate(draw(random), random.uniform(0, 90))
    shape = lines.buffer(width / 2, quad_segs=48, cap_style=str(random.choice(["round", "flat"])),
                        join_style=str(random.choice(["round", "mitre"])))  # fmt: skip
    return shapely.set_precision(shape, FINEST)


def _ring(random: Random) -> shapely.Geometry:
    return Point(0, 0).buffer(random.uniform(1.2, 4), 64).exterior


def _frame(random: Random) -> shapely.Geometry:
    wide, high, corner = random.uniform(3, 8), random.uniform(3, 8), random.uniform(0, 1)
    return box(0, 0, wide, high).buffer(-corner).buffer(corner, 24).exterior


def _eight(random: Random) -> shapely.Geometry:
    one, other = random.uniform(1.5, 3.5), random.uniform(1.5, 3.5)
    circles = [Point(x, 0).buffer(r, 64).exterior for x, r in ((0, one), (one + other, other))]
    return shapely.union_all(circles)


def _tee(random: Random) -> shapely.Geometry:
    length, at = random.uniform(4, 9), random.uniform(0.2, 0.8)
    return MultiLineString([[(0, 0), (length, 0)], [(at * length, 0), (at * length, random.uniform(2, 6))]])


def _wheel(random: Random) -> shapely.Geometry:
    radius, spokes = random.uniform(3, 5), int(random.integers(2, 6))
    ends = [radius * np.array([math.cos(a), math.sin(a)]) for a in np.linspace(0, 2 * math.pi, spokes, endpoint=False)]
    return shapely.union_all([Point(0, 0).buffer(radius, 64).exterior, *(LineString([(0, 0), end]) for end in ends)])


def _ladder(random: Random) -> shapely.Geometry:
    long, high, rungs = random.uniform(6, 10), random.uniform(2.2, 4), int(random.integers(1, 4))
    at = np.linspace(0, long, rungs + 2)[1:-1]
    return shapely.union_all([box(0, 0, long, high).exterior, *(LineString([(x, 0), (x, high)]) for x in at)])


def _bent(random: Random) -> shapely.Geometry:
    ways = np.cumsum(random.uniform(-2.0, 2.0, int(random.integers(1, 5))))
    steps = random.uniform(1.5, 4, len(ways))[:, None] * np.column_stack([np.cos(ways), np.sin(ways)])
    return LineString(np.vstack([[0.0, 0.0], np.cumsum(steps, axis=0)]))


def _wave(random: Random) -> shapely.Geometry:
    x = np.linspace(0, random.uniform(4, 9), 120)
    return LineString(np.column_stack([x, random.uniform(0.3, 1.2) * np.sin(random.uniform(0.8, 1.6) * x)]))


GROOVES: tuple[Callable[[Random], shapely.Geometry], ...] = (
    _ring, _frame, _eight, _tee, _wheel, _ladder, _bent, _wave,
)  # fmt: skip
