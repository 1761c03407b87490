"""What an area asks of a cutter: its inside corners, its narrowest place, the largest cutter."""

import math
from dataclasses import dataclass

import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown, without_seams
from justbite.model.drawing import Vertices
from justbite.part.rings import Circle, arcs_of

SHARP = 0.15
"""Radians of turn from one edge to the next that make a corner."""
SPARE = 2e-4
"""Share of the area that flattened arcs may leave beside the corners."""
MOST_IN_CORNERS = 0.3
"""Share of an area that may stay in its corners: more, and the cutter did not get in."""


@dataclass(frozen=True, slots=True)
class Corner:
    """An inside corner: the wall bends round the cutter by `turn` radians at `radius` mm (0: sharp)."""

    turn: float
    radius: float

    def left_by(self, radius: float) -> float:
        """Area in mm2 that a cutter of that radius leaves in the corner."""
        if radius <= self.radius:
            return 0.0
        # Between the two tangents of a corner with inner angle pi - turn; a long bend is taken in parts.
        parts = max(1, math.ceil(self.turn / 1.6))
        half = self.turn / parts / 2
        return parts * (math.tan(half) - half) * (radius**2 - self.radius**2)


def inside_corners(outline: Vertices, islands: tuple[Vertices, ...], open_edges: set[int]) -> list[Corner]:
    """The inside corners of the walls. Corners that touch an open edge are none."""
    found = _ring_corners(outline, open_edges, island=False)
    for island in islands:
        found += _ring_corners(island, set(), island=True)
    return found


def _ring_corners(ring: Vertices, open_edges: set[int], island: bool) -> list[Corner]:
    arcs = arcs_of(ring)
    count = len(ring)
    way = 1.0 if ring_area(ring) > 0 else -1.0
    if island:
        way = -way
    found: list[Corner] = []
    circle: Circle | None = None
    for i in range(count):
        before = (i - 1) % count
        arc = arcs[i]
        if i in open_edges:
            circle = None
            continue
        turn = way * _turn(ring, arcs, before, i)
        if before not in open_edges and turn > SHARP:
            found.append(Corner(turn, 0.0))
        if arc is None or way * arc[1] <= 0:
            circle = None
        elif circle is not None and abs(circle.radius - arc[0].radius) < 1e-3 and abs(turn) < 1e-2:
            found[-1] = Corner(found[-1].turn + abs(arc[1]), arc[0].radius)
        else:
            circle = arc[0]
            found.append(Corner(abs(arc[1]), arc[0].radius))
    return found


def ring_area(ring: Vertices) -> float:
    """Signed area, mm2: the chords' and the arcs' segments; positive counterclockwise."""
    chords = 0.0
    bows = 0.0
    for (x, y, _), (u, v, _), arc in zip(ring, (*ring[1:], ring[0]), arcs_of(ring), strict=True):
        chords += (x * v - y * u) / 2
        if arc is not None:
            bows += (arc[1] - math.sin(arc[1])) * arc[0].radius ** 2 / 2
    return chords + bows


Arcs = list[tuple[Circle, float] | None]


def _turn(ring: Vertices, arcs: Arcs, before: int, after: int) -> float:
    """Turn at the vertex between two edges, radians, left positive."""
    turn = _heading(ring, arcs, after, -0.5) - _heading(ring, arcs, before, 0.5)
    return math.atan2(math.sin(turn), math.cos(turn))


def _heading(ring: Vertices, arcs: Arcs, edge: int, share: float) -> float:
    """Direction of travel at an edge's middle plus `share` of its sweep, radians."""
    a, b = ring[edge], ring[(edge + 1) % len(ring)]
    arc = arcs[edge]
    return math.atan2(b[1] - a[1], b[0] - a[0]) + share * (arc[1] if arc is not None else 0.0)


def reach_of(free: BaseGeometry, shape: BaseGeometry, corners: list[Corner],
             probe: float | None) -> tuple[float | None, float | None]:  # fmt: skip
    """Narrowest place of an area `shape` with sweep space `free`, and the largest cutter, as diameters.

    The narrowest place is as wide as the largest disc that gets through the whole area in one
    piece; the largest cutter leaves nothing but what sharp corners keep from any cutter. None
    where nothing bounds it: where a cutter of radius `probe`, given with open edges, gets through.
    """
    # Flattened arcs and shared borders leave hairs that are no walls.
    free = without_seams(free, 1e-3)
    narrow = _widest(free, shape, corners, probe)
    rounded = [c.radius for c in corners if c.radius > 0]
    bounds = [*(2.0 * r for r in rounded), *([narrow] if narrow is not None else [])]
    return narrow, min(bounds) if bounds else None


def _widest(free: BaseGeometry, shape: BaseGeometry, corners: list[Corner], probe: float | None) -> float | None:
    main = max((g for g in shapely.get_parts(free) if isinstance(g, Polygon)), key=lambda g: g.area, default=None)
    if main is None:
        return 0.0
    low, high = 0.0, 2.0 * float(shapely.maximum_inscribed_circle(main).length)
    if probe is not None:
        if _gets_through(free, shape, corners, probe):
            return None
        high = min(high, 2.0 * probe)
    most = high
    for _ in range(13):
        middle = (low + high) / 2
        if _gets_through(free, shape, corners, middle / 2):
            low = middle
        else:
            high = middle
    return most if most - low < 2e-3 * most else low


def _gets_through(free: BaseGeometry, shape: BaseGeometry, corners: list[Corner], radius: float) -> bool:
    locus = grown(free, -0.999 * radius, quad_segs=16)
    pieces = [g for g in shapely.get_parts(locus) if g.distance(shape) < radius]
    if len(pieces) != 1:
        return False
    left = shape.difference(grown(pieces[0], radius, quad_segs=16)).area
    allowed = sum(c.left_by(radius) for c in corners)
    return bool(left <= min(1.15 * allowed + 0.004 * radius**2, MOST_IN_CORNERS * shape.area) + SPARE * shape.area)
