"""Picking edges: chains that follow tangent or level edges from where one was picked; strips beside them."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon

from justbite.errors import JobError
from justbite.model.drawing import Vertices
from justbite.part.rings import ring_with_arcs

Follow = Literal["height", "tangent"]
MEET = 1e-3
"""mm: ends of edges that agree so far are joined."""
TANGENT = math.radians(12.0)


@dataclass(frozen=True, slots=True)
class Chain:
    """A run of edges seen from above."""

    points: NDArray[np.float64]
    """(n, 2); the first is repeated at the end of a closed chain."""
    z: float
    closed: bool
    gap: float
    """Distance between the two ends; 0 when closed."""


def pick_chain(edges: list[NDArray[np.float64]], x: float, y: float, follow: Follow, within: float) -> Chain | None:
    """The chain through the edge nearest to (x, y), or None when none is `within` mm.

    `edges` are polylines (k, 3). Only level edges are chained; the highest of the nearest counts.
    Going on, the edge at the same height that bends least is taken; with "tangent" only one
    without a corner.
    """
    level = [e for e in edges if np.ptp(e[:, 2]) < MEET and len(e) > 1]
    if not level:
        return None
    shapes = np.array([LineString(e[:, :2]) for e in level])
    far = shapely.distance(shapes, shapely.Point(x, y))
    near = np.nonzero(far <= far.min() + 1e-6)[0]
    if far.min() > within:
        return None
    first = max(near, key=lambda k: level[k][0, 2])
    z = float(level[first][0, 2])
    own = [e[:, :2] for e in level if abs(e[0, 2] - z) < MEET]
    run = level[first][:, :2]
    rest = [e for e in own if e is not run and not _same(e, run)]
    run, rest = _grown(run, rest, follow)
    if not _meet(run[0], run[-1]):
        run, _ = _grown(run[::-1], rest, follow)
    gap = float(np.hypot(*(run[0] - run[-1])))
    closed = gap < MEET and len(run) > 3
    return Chain(run, z, closed, 0.0 if closed else gap)


def _same(a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
    return len(a) == len(b) and bool(np.allclose(a, b, atol=1e-9))


def _meet(a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
    return bool(np.hypot(*(a - b)) < MEET)


def _grown(run: NDArray[np.float64], rest: list[NDArray[np.float64]],
           follow: Follow) -> tuple[NDArray[np.float64], list[NDArray[np.float64]]]:  # fmt: skip
    """The run lengthened at its end until it closes or nothing goes on."""
    rest = list(rest)
    while not (_meet(run[0], run[-1]) and len(run) > 3):
        best: tuple[float, int, NDArray[np.float64]] | None = None
        for k, edge in enumerate(rest):
            for way in (edge, edge[::-1]):
                if _meet(way[0], run[-1]):
                    bend = _bend(run, way)
                    if best is None or bend < best[0]:
                        best = (bend, k, way)
        if best is None or (follow == "tangent" and best[0] > TANGENT):
            return run, rest
        run = np.vstack([run, best[2][1:]])
        del rest[best[1]]
    return run, rest


def _bend(run: NDArray[np.float64], way: NDArray[np.float64]) -> float:
    a, b = run[-1] - run[-2], way[1] - way[0]
    return abs(math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b)))


def chain_outline(chain: Chain, arc_tolerance: float) -> Vertices:
    """The outline that a closed chain is. Raises JobError for one that is open."""
    if not chain.closed:
        raise JobError(
            f"The chain is open: its ends are {chain.gap:.3f} mm apart.", "Bridge the gap, or pick the edges anew."
        )
    points = chain.points[:-1]
    return ring_with_arcs(points, np.zeros(len(points), dtype=bool), arc_tolerance, 0.3)[0]


def strip_beside(points: NDArray[np.float64], width: float, right: bool, arc_tolerance: float,
                 ) -> tuple[Vertices, tuple[Vertices, ...], tuple[int, ...]]:  # fmt: skip
    """A strip `width` mm wide beside a chain (n, 2): its outline, islands and open edges.

    The chain itself stays a wall; `right` is the side of the direction of travel on which the
    stock lies. The far side and both ends are open. Raises JobError when the strip has no size.
    """
    if width <= 0:
        raise JobError("The strip has no width.", "Give how much stock stands before the wall.")
    line = LineString(points)
    if _meet(points[0], points[-1]) and len(points) > 3:
        return _ring_strip(points, width, right, arc_tolerance)
    side = -width if right else width
    shape = line.buffer(side, cap_style="flat", join_style="mitre", single_sided=True)
    if shape.is_empty or not isinstance(shape, Polygon):
        raise JobError("The strip falls apart: it is wider than the chain's bends allow.", "Give a smaller width.")
    solid = shapely.orient_polygons(shape)
    corners = np.asarray(solid.exterior.coords)[:-1, :2]
    after = np.roll(corners, -1, axis=0)
    wall = line.buffer(2 * MEET)
    marks = ~np.asarray(shapely.contains_properly(wall, shapely.points((corners + after) / 2)))
    outline, flags = ring_with_arcs(corners, marks, arc_tolerance, 0.3)
    return outline, (), tuple(i for i, f in enumerate(flags) if f)


def _ring_strip(points: NDArray[np.float64], width: float, right: bool,
                arc_tolerance: float) -> tuple[Vertices, tuple[Vertices, ...], tuple[int, ...]]:  # fmt: skip
    """The strip round the outside of a closed chain: its far side is open, the chain an island."""
    if right != bool(shapely.is_ccw(shapely.LinearRing(points))):
        raise JobError("A strip inside a closed chain is a pocket.", "Pick the inside as an area instead.")
    wide = shapely.orient_polygons(Polygon(points).buffer(width, quad_segs=32))
    corners = np.asarray(wide.exterior.coords)[:-1, :2]
    outline, _ = ring_with_arcs(corners, np.ones(len(corners), dtype=bool), arc_tolerance, 0.3)
    inner = points[:-1]
    island, _ = ring_with_arcs(inner, np.zeros(len(inner), dtype=bool), arc_tolerance, 0.3)
    return outline, (island,), tuple(range(len(outline)))
