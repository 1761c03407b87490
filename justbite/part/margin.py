"""The border of a floor: where it is open, and what of the stock's margin stands before it.

An open edge at the part's own outline leads out through the margin to where the stock ends; the area takes that in, so
that the cutter can come in from outside.
"""

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon, box
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import areas_of, mitred, united, without_seams
from justbite.part.floors import Level

BESIDE = 2e-3
"""mm: how far beside an edge is looked for a wall."""
PROBE = 3.0
"""Hairs beyond an edge where is looked what lies there; a hair: how far chords of one surface may lie apart."""
RIM = 4.0
"""mm: a slope narrower than that, a chamfer or a rounded edge, is cut over with the floor that falls away over it."""
NEAREST, MOST_SPOTS = 0.2, 4000
"""mm between places along edges that a slope is parted by; at most so many."""
LEAST_MARGIN = 1e-3
"""mm2 of stock beside the part, at least."""
FIN = 0.5
"""mm: half of what may stand between two strips at least."""
SHORTEST = 0.5
"""mm: an open stretch of a border, at least."""
HARDLY = 0.05
"""mm: shorter edges tell no direction."""
NEXT = 0.02
"""mm: how far beyond the end of a stretch the outline's direction is taken."""


@dataclass(frozen=True, slots=True)
class Around:
    """The stock's plane area, and the part's outline in it."""

    stock: BaseGeometry
    solid: BaseGeometry
    """The part seen from above, its holes filled."""
    reach: float
    """mm from the outline to the stock's border, at most, and a little more; 0: nothing stands before it."""

    @classmethod
    def of(cls, silhouette: BaseGeometry, stock: BaseGeometry) -> "Around":
        solid = shapely.union_all([Polygon(g.exterior) for g in shapely.get_parts(silhouette)])
        stands = stock.difference(solid).area >= LEAST_MARGIN
        far = float(shapely.hausdorff_distance(stock.boundary, solid)) + 1.0 if stands else 0.0
        return cls(stock, solid, far)


@dataclass(frozen=True, slots=True)
class Edges:
    """Where all floors of a part fall away, and where of that over a slope."""

    falls: BaseGeometry
    slopes: BaseGeometry

    @classmethod
    def of(cls, floors: list[Level]) -> "Edges":
        return cls(shapely.union_all([f.falls for f in floors]), shapely.union_all([f.slopes for f in floors]))


def falling(shape: Polygon, level: Level, above: BaseGeometry) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """The outer border of a floor (n, 2), counterclockwise, and where beside each of its edges the part falls away.

    Where the part overhangs the floor its border is that of what is `above`, and a wall.
    """
    falls = level.falls
    if not level.unsure.is_empty:
        falls = shapely.union(falls, level.unsure.difference(above.buffer(BESIDE)))
    points = np.asarray(shape.exterior.coords)[:-1, :2]
    if falls.is_empty:
        return points, np.zeros(len(points), dtype=bool)
    points = noded(points, falls)
    middles = shapely.points((points + np.roll(points, -1, axis=0)) / 2)
    return points, np.asarray(shapely.distance(falls, middles) < BESIDE)


def leading_out(shape: Polygon, opened: BaseGeometry, above: BaseGeometry, hair: float
                ) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """The outer border of an area (n, 2), and beside which of its edges nothing is `above`.

    `opened`: lines that bound it and are known to be open.
    """
    points = noded(np.asarray(shape.exterior.coords)[:-1, :2], opened)
    open_ = ~shapely.contains_xy(above, _probes(points, PROBE * hair))
    return points, long_enough(points, open_)


def long_enough(points: NDArray[np.float64], open_: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which edges of a ring (n, 2) are in an open stretch that is long enough to lead anywhere.

    Nor does one begin or end with an edge of a few hundredths of a millimetre: what lies beyond that, straight out, may
    lie beside the stretch.
    """
    if open_.all() or not open_.any():
        return open_
    lengths = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
    kept = open_.copy()
    for by in (1, -1):
        # From closed edges on, one after the other.
        for _ in range(len(kept)):
            ends = kept & ~np.roll(kept, by) & (lengths < HARDLY)
            if not ends.any():
                break
            kept[ends] = False
    begin = int(np.argmin(kept))
    turned, lengths = np.roll(kept, -begin), np.roll(lengths, -begin)
    run = np.cumsum(np.diff(turned, prepend=turned[0]))
    far = np.bincount(run, weights=lengths)[run]
    return np.roll(turned & (far >= SHORTEST), begin)


def over_rims(shape: Polygon, points: NDArray[np.float64], open_: NDArray[np.bool_], hair: float, above: BaseGeometry,
              lower: BaseGeometry, silhouette: BaseGeometry, edges: Edges
              ) -> tuple[Polygon, NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """A floor with the narrow slopes that it falls away over, down to `lower` floors or to the part's outline.

    What stands above a chamfer or a rounded edge would belong to no area, and stand as a fin before the open edge.
    Before a wider slope the edge is a wall: the area ends there, and what stands above the slope does not. A slope that
    several floors end at belongs to the nearest of those that go over into it, else of those that it lies below.
    """
    lines = lines_of(points, open_)
    near = box(*shape.bounds).buffer(2.0 * RIM)
    known = shapely.union_all([*shapely.intersection([above, lower], near), shape])
    slopes = silhouette.intersection(near).difference(known)
    slopes = mitred(mitred(slopes, -hair), hair)
    narrow = [
        g for g in shapely.get_parts(slopes) if g.distance(lines) < PROBE * hair and g.buffer(-RIM / 2.0).is_empty
    ]
    if narrow:
        reach = lines.buffer(2.0 * RIM)
        rims = shapely.union_all([_nearest(g.intersection(reach), lines, edges, PROBE * hair) for g in narrow])
        whole = without_seams(shapely.union_all([shape, rims]), hair)
        whole = max(shapely.get_parts(whole.difference(above)), key=lambda g: g.intersection(shape).area)
        whole = _without_short(shapely.orient_polygons(whole))
        ends = noded(np.asarray(whole.exterior.coords)[:-1, :2], lines)
        spots = shapely.points((ends + np.roll(ends, -1, axis=0)) / 2)
        leads_on = ~shapely.contains_xy(above, _probes(ends, PROBE * hair))
        if not open_.all():
            leads_on &= shapely.distance(lines_of(points, ~open_), spots) >= BESIDE
        shape, points, open_ = whole, ends, leads_on
    # Above a wide slope the stock stands, and no area cuts it.
    return shape, points, open_ & ~shapely.contains_xy(slopes.difference(shape), _probes(points, PROBE * hair))


def _nearest(slope: BaseGeometry, own: BaseGeometry, edges: Edges, near: float) -> BaseGeometry:
    """What of a slope belongs to a floor, as it falls away at its `own` lines."""
    into = edges.slopes.intersection(slope.buffer(near))
    mine = into.intersection(own.buffer(BESIDE))
    if not mine.is_empty:
        return _nearer(slope, mine, into.difference(own.buffer(BESIDE)))
    return _nearer(slope, own, edges.falls.intersection(slope.buffer(3.0 * RIM)).difference(own.buffer(BESIDE)))


def _nearer(shape: BaseGeometry, own: BaseGeometry, rivals: BaseGeometry) -> BaseGeometry:
    """What of a shape lies nearer to its own lines than to others."""
    if shape.is_empty or rivals.is_empty:
        return shape
    apart = max(NEAREST, (own.length + rivals.length) / MOST_SPOTS)
    mine, theirs = (shapely.get_coordinates(shapely.segmentize(g, apart))[:, :2] for g in (own, rivals))
    spots, first = np.unique(np.vstack([mine, theirs]).round(6), axis=0, return_index=True)
    cells = shapely.get_parts(shapely.voronoi_polygons(shapely.multipoints(spots), extend_to=shape, ordered=True))
    # Of spots in rows cells may cross themselves, and each other, in their last digits.
    return shape.intersection(united(shapely.make_valid(cells[first < len(mine)])))


def _probes(points: NDArray[np.float64], by: float) -> NDArray[np.float64]:
    """(n, 2): `by` mm beyond the middle of each edge of a ring that runs counterclockwise."""
    after = np.roll(points, -1, axis=0)
    return np.asarray((points + after) / 2 + by * _outwards(points, after))


def reached_out(shape: Polygon, points: NDArray[np.float64], open_: NDArray[np.bool_], hair: float,
                 above: BaseGeometry, around: Around) -> tuple[Polygon, BaseGeometry]:  # fmt: skip
    """The area with what of the stock stands before its open edges, out to where the stock ends; its open border.

    `points` (n, 2) and `open_` (n,): the outer border of the floor and which of its edges are open.
    """
    opened = lines_of(points, open_)
    stock, solid = around.stock, around.solid
    lines = _outer(points, open_, PROBE * hair, solid)
    if around.reach == 0 or lines.is_empty:
        return shape, opened
    strips = [_strip(g, solid, around.reach) for g in shapely.get_parts(lines)]
    # Where the floor and the part's outline have their own chords no seam may stay between them.
    seam = lines.buffer(-PROBE * hair, single_sided=True, join_style="mitre")
    # On a grid: of a mesh the two may lie so close that what is left of one is no sound shape.
    taken = areas_of(shapely.union_all([shapely.difference(solid, seam, grid_size=1e-6), above], grid_size=1e-6))
    # Buffered by nothing, so that no lines stay where a strip but touches the stock's border.
    within = shapely.union_all(strips).intersection(stock).buffer(0)
    before = shapely.difference(within, taken, grid_size=1e-6)
    whole = shapely.union_all([shape, before], grid_size=1e-6)
    # Fins between two strips would stand in the way of both.
    closed = without_seams(whole, FIN)
    whole = shapely.union_all([whole, closed.intersection(stock).difference(taken).buffer(0)], grid_size=1e-6)
    whole = max(shapely.get_parts(whole), key=lambda g: g.intersection(shape).area)
    if not isinstance(whole, Polygon):
        return shape, opened
    whole = _without_short(whole)
    return whole, shapely.union_all([opened, whole.exterior.intersection(stock.boundary.buffer(BESIDE))])


def _outwards(first: NDArray[np.float64], last: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 2) unit normals to the right of edges: out of a ring that runs counterclockwise."""
    ways = last - first
    return np.column_stack([ways[:, 1], -ways[:, 0]]) / np.maximum(np.hypot(*ways.T), 1e-12)[:, None]


def _outer(points: NDArray[np.float64], open_: NDArray[np.bool_], by: float, solid: BaseGeometry) -> BaseGeometry:
    """The open edges of a ring, or what of them, beyond which, by `by` mm, no part of the solid lies."""
    first, last = points[open_], np.roll(points, -1, axis=0)[open_]
    ways = last - first
    length = np.maximum(np.hypot(*ways.T), 1e-12)[:, None]
    out = by * _outwards(first, last)
    beside = shapely.difference(shapely.linestrings(np.stack([first + out, last + out], axis=1)), solid)
    found = []
    for edge, pieces in enumerate(beside):
        for piece in shapely.get_parts(pieces):
            if piece.is_empty:
                continue
            along = (np.asarray(piece.coords)[[0, -1]] - out[edge] - first[edge]) @ ways[edge] / length[edge, 0]
            whole = float(length[edge, 0])
            # Within a corner that turns in the line beside an edge is shorter than that.
            a, b = (0.0 if s < 1.5 * by else whole if s > whole - 1.5 * by else float(s) for s in sorted(along))
            if b - a > 0:
                found.append(first[edge] + np.outer([a, b], ways[edge] / whole))
    return _joined(np.array(found).reshape(-1, 2, 2))


def _without_short(shape: Polygon) -> Polygon:
    """The shape without edges of a few thousandths of a millimetre in its outer border."""
    points = np.asarray(shape.exterior.coords)[:-1, :2]
    kept = [points[0]]
    for p in points[1:]:
        if math.dist(p, kept[-1]) > 5 * BESIDE:
            kept.append(p)
    if len(kept) > 3 and math.dist(kept[0], kept[-1]) <= 5 * BESIDE:
        kept.pop()
    clean = Polygon(kept, [r.coords for r in shape.interiors]) if len(kept) > 3 else shape
    return clean if clean.is_valid else shape


def _strip(line: LineString, solid: BaseGeometry, reach: float) -> BaseGeometry:
    """What lies within `reach` mm of an open stretch of the part's outline, its sides half-way to what follows.

    So two areas that meet at the outline share the stock before it along one line, round a disc or at a corner.
    """
    if line.is_closed:
        return Polygon(line).buffer(reach, join_style="mitre")
    strip = line.buffer(reach, cap_style="flat", join_style="mitre")
    points = np.asarray(line.coords)[:, :2]
    outlines = shapely.get_parts(solid)
    ring = outlines[shapely.distance(outlines, line).argmin()].exterior
    for end, before, side in ((points[-1], points[-2], 1.0), (points[0], points[1], -1.0)):
        at = ring.project(shapely.Point(end))
        spots = np.array([ring.interpolate((at + s) % ring.length).coords[0][:2] for s in (-NEXT, NEXT)]) - end
        along, onward = end - before, spots[(spots @ (end - before)).argmax()]
        turn = math.atan2(along[0] * onward[1] - along[1] * onward[0], float(along @ onward)) / 2.0
        out = side * np.array([along[1], -along[0]]) / math.hypot(*along)
        if 1e-6 < abs(turn) < 1.0:
            c, s = math.cos(turn), math.sin(turn)
            tip = end + reach / c * np.array([c * out[0] - s * out[1], s * out[0] + c * out[1]])
            wedge = Polygon([end, end + reach * out, tip])
            strip = strip.union(wedge) if turn * side > 0 else strip.difference(wedge)
    return strip


def lines_of(points: NDArray[np.float64], chosen: NDArray[np.bool_]) -> BaseGeometry:
    """The chosen edges of a ring (n, 2) as lines, joined where they follow each other."""
    return _joined(np.stack([points, np.roll(points, -1, axis=0)], axis=1)[chosen])


def _joined(edges: NDArray[np.float64]) -> BaseGeometry:
    """Edges (n, 2, 2) as lines, joined where they follow each other."""
    return shapely.line_merge(shapely.multilinestrings(shapely.linestrings(edges)), directed=True)


def noded(points: NDArray[np.float64], opened: BaseGeometry) -> NDArray[np.float64]:
    """The ring with a vertex where an open stretch begins and ends."""
    ring = LineString(np.vstack([points, points[:1]]))
    merged = shapely.line_merge(opened) if opened.geom_type != "LineString" else opened
    ends = [
        c
        for g in shapely.get_parts(merged)
        if len(g.coords) > 1 and not g.is_closed
        for c in (g.coords[0], g.coords[-1])
    ]
    far = [c for c in ends if np.hypot(*(points - np.array(c[:2])).T).min() > 4 * BESIDE]
    if not far:
        return points
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(np.vstack([points, points[:1]]), axis=0).T))])[:-1]
    extra = [(ring.project(shapely.Point(c)), c) for c in far]
    at = np.concatenate([along, [s for s, _ in extra]])
    every = np.vstack([points, [ring.interpolate(s).coords[0] for s, _ in extra]])
    return every[np.argsort(at, kind="stable")]
