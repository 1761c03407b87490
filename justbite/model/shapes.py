"""Outlines with bulges as polylines and polygons (shapely), and their faults.

A vertex is (x, y) or (x, y, bulge); the bulge is the tangent of a quarter of the angle of
the arc to the next vertex, positive counterclockwise (the DXF polyline's convention).
"""

import math

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from justbite.errors import JobError
from justbite.model.borders import ONE_BORDER, areas_of, grown, mitred, without_seams
from justbite.model.job import Job, KeepOut, Region, Vertex
from justbite.model.kept import Kept

NOTHING = Polygon()
SAME = 1e-6
"""mm between heights that are one."""
OVERLAP = 1e-3
"""mm2 that two areas must share to be over each other."""
FILM = 2e-5
"""mm: what of an area is thinner lies between two tellings of one border."""
SLIVER = 0.05
"""Of the strip of air before an open edge: a wall is taken for one only where it is thicker."""
_SHAPES, _SPACES = Kept(2048), Kept(4)
"""Of the last regions, and of the last jobs."""


def edge_points(a: Vertex, b: Vertex, chord: float) -> NDArray[np.float64]:
    """Points (n, 2) from `a` up to, not including, `b`; arcs keep within `chord` mm."""
    bulge = a[2] if len(a) > 2 else 0.0
    p, q = np.array(a[:2]), np.array(b[:2])
    span = float(np.hypot(*(q - p)))
    if abs(bulge) < 1e-9 or span < 1e-12:
        return p[None, :]
    sweep = 4.0 * math.atan(bulge)
    radius = span / (2.0 * abs(math.sin(sweep / 2.0)))
    step = 2.0 * math.acos(max(-1.0, 1.0 - min(1.0, chord / radius)))
    count = max(2, math.ceil(abs(sweep) / max(step, 1e-3)))
    middle = (p + q) / 2.0
    across = np.array([-(q - p)[1], (q - p)[0]]) / span
    centre = middle + across * (span / 2.0) / math.tan(sweep / 2.0)
    start = math.atan2(*(p - centre)[::-1])
    angles = start + sweep * np.arange(count) / count
    return np.asarray(centre + radius * np.column_stack([np.cos(angles), np.sin(angles)]))


def ring_points(ring: list[Vertex], chord: float) -> list[NDArray[np.float64]]:
    """Per edge of a closed ring its points (see `edge_points`)."""
    follow = [*ring[1:], ring[0]]
    return [edge_points(a, b, chord) for a, b in zip(ring, follow, strict=True)]


def polygon_of(ring: list[Vertex], chord: float, what: str) -> Polygon:
    """The polygon of a ring. Raises JobError when it crosses itself or encloses nothing."""
    points = np.vstack(ring_points(ring, chord))
    if len(points) < 3:
        raise JobError(f"{what} has fewer than three corners and encloses nothing.")
    polygon = Polygon(points)
    if not polygon.is_valid:
        place = explain_validity(polygon)
        at = place[place.find("[") + 1 : place.find("]")].split() if "[" in place else []
        where = f" near X {float(at[0]):.2f} Y {float(at[1]):.2f}" if len(at) == 2 else ""
        raise JobError(f"{what} crosses or touches itself{where}.", "Mend the outline.")
    if polygon.area < 1e-6:
        raise JobError(f"{what} encloses no area.")
    return polygon


def borders_of(shape: BaseGeometry) -> list[NDArray[np.float64]]:
    """The borders of all polygons in a shape, outer and inner, as closed rows of points (n, 2).

    Shapes that touch along a line meet in that line as well: what has no area has no border.
    """
    return [
        np.asarray(ring.coords)[:, :2]
        for polygon in shapely.get_parts(shape)
        if isinstance(polygon, Polygon) and not polygon.is_empty
        for ring in (polygon.exterior, *polygon.interiors)
    ]


def region_shape(region: Region, chord: float) -> BaseGeometry:
    """The region's outline less its islands."""
    return _SHAPES.get(region, chord, lambda: _region_shape(region, chord))


def _region_shape(region: Region, chord: float) -> BaseGeometry:
    name = f'Area "{region.name}": the outline'
    shape: BaseGeometry = polygon_of(region.outline, chord, name)
    for number, ring in enumerate(region.islands, 1):
        island = polygon_of(ring, chord, f'Area "{region.name}": island {number}')
        shape = shape.difference(island)
    if shape.is_empty:
        raise JobError(f'Area "{region.name}": the islands leave nothing to cut.')
    return shape


def shape_faults(region: Region, chord: float) -> list[str]:
    """The faults of a region's outlines as sentences."""
    try:
        region_shape(region, chord)
    except JobError as error:
        return error.faults
    return []


def open_chains(region: Region, chord: float) -> list[NDArray[np.float64]]:
    """Runs of neighbouring open edges as polylines, outline taken counterclockwise."""
    edges = ring_points(region.outline, chord)
    count = len(edges)
    is_open = [region.open_edges == "all" or i in region.open_edges for i in range(count)]
    if not any(is_open):
        return []
    ends = [np.vstack([edges[i], edges[(i + 1) % count][:1]]) for i in range(count)]
    if all(is_open):
        chains = [np.vstack([*(e[:-1] for e in ends), ends[0][:1]])]
    else:
        chains = []
        first = next(i for i in range(count) if not is_open[i])
        for k in range(1, count + 1):
            i = (first + k) % count
            if is_open[i] and is_open[i - 1]:
                chains[-1] = np.vstack([chains[-1], ends[i][1:]])
            elif is_open[i]:
                chains.append(ends[i])
    ring = shapely.LinearRing(np.vstack(edges))
    return chains if ring.is_ccw else [c[::-1] for c in chains]


def free_space(region: Region, strip: float, chord: float, others: BaseGeometry = NOTHING,
               theirs: BaseGeometry = NOTHING) -> BaseGeometry:  # fmt: skip
    """Where the cutter may sweep: the region less its islands, and `strip` mm beyond open edges.

    Closed edges stay walls wherever the strip of an open edge meets them. Where an open edge leads into `others` only
    what is in `theirs` is free: the stock goes on beyond them. What is as narrow as a SLIVER between its walls and what
    lies straight out is free too: no wall stands there.
    """
    shape = region_shape(region, chord)
    chains = open_chains(region, chord)
    if not chains:
        return shape
    outline = polygon_of(region.outline, chord, region.name)
    islands = outline.difference(shape)
    free = _stretched(outline, region, chains, strip)
    if not others.is_empty:
        zone = _zone_beyond(outline, others)
        outer = [run for chain in chains for run in _runs_outside(chain, zone)]
        beyond = [_beside(run, strip).buffer(1e-4) for run in outer]
        slivers = _slivers(grown(outline, strip).intersection(theirs).difference(free), SLIVER * strip)
        free = shapely.union_all([shape, *beyond, free.intersection(theirs), slivers])
        # Borders that are one but for their chords: no seam may stay between them, nor beside where they end.
        free = without_seams(free, 2.0 * ONE_BORDER)
        free = free.difference(_closed_edges(outline, chains))
    free = free.difference(islands)
    return shapely.union_all([g for g in shapely.get_parts(free) if g.intersects(shape)])


def _slivers(shape: BaseGeometry, wide: float) -> BaseGeometry:
    """What of a shape is not wider than `wide` mm."""
    return shape.difference(mitred(mitred(shape, -0.5 * wide), 0.51 * wide))


def _without_films(shape: BaseGeometry) -> BaseGeometry:
    """A shape without what is thinner than FILM and its own border where it is thicker.

    Where areas meet along one line told twice, what one has more than the other is a film as thin as the last digits:
    subtracted from where a cutter may be it is a wall.
    """
    return areas_of(shape.intersection(mitred(mitred(shape, -0.5 * FILM), FILM)))


def _zone_beyond(outline: Polygon, others: BaseGeometry) -> BaseGeometry:
    """What of other areas lies beyond an outline, and up to it."""
    return mitred(mitred(others.difference(outline), -ONE_BORDER), 2 * ONE_BORDER)


def _stretched(outline: Polygon, region: Region, chains: list[NDArray[np.float64]], strip: float) -> BaseGeometry:
    """The outline with a strip of air beyond its open edges."""
    if is_all_open(region):
        return mitred(outline, strip)
    # Joined with a hair of overlap, so that no seam is left along the open edge.
    free = shapely.union_all([outline, *(_beside(c, strip).buffer(1e-4) for c in chains)])
    return free.difference(_closed_edges(outline, chains))


def _closed_edges(outline: Polygon, chains: list[NDArray[np.float64]]) -> BaseGeometry:
    """The closed edges, as thin as a wall may be."""
    lines = shapely.union_all([LineString(c) for c in chains])
    return outline.exterior.difference(lines.buffer(1e-6)).buffer(2e-4)


def uncut_shape(region: Region, chord: float) -> BaseGeometry:
    """Stock beyond a region's open edges that is cut with it."""
    name = f'Area "{region.name}": stock beyond it'
    return shapely.union_all([polygon_of(r, chord, f"{name}, {k},") for k, r in enumerate(region.uncut, 1)])


def is_all_open(region: Region) -> bool:
    """Whether every edge is open."""
    return region.open_edges == "all" or len(set(region.open_edges)) == len(region.outline)


def _runs_outside(chain: NDArray[np.float64], zone: BaseGeometry) -> list[NDArray[np.float64]]:
    """The stretches of a polyline that are not in a zone, each as a polyline in the same direction."""
    border = zone.boundary
    edges = shapely.linestrings(np.stack([chain[:-1], chain[1:]], axis=1))
    shapely.prepare(border)
    # With a corner wherever the zone begins or ends.
    rows = [chain[:1]]
    for k, crossed in enumerate(shapely.intersects(border, edges)):
        if crossed:
            cuts = shapely.get_coordinates(edges[k].intersection(border))
            rows.append(cuts[np.argsort(np.hypot(*(cuts - chain[k]).T))])
        rows.append(chain[k + 1 : k + 2])
    points = np.vstack(rows)
    points = points[np.append(True, np.hypot(*np.diff(points, axis=0).T) > 1e-6)]
    outside = ~shapely.contains_xy(zone, (points[:-1] + points[1:]) / 2)
    ends = np.diff(outside.astype(np.int8), prepend=0, append=0)
    runs = [points[a : b + 1] for a, b in zip(np.nonzero(ends > 0)[0], np.nonzero(ends < 0)[0], strict=True)]
    if len(runs) > 1 and np.hypot(*(runs[-1][-1] - runs[0][0])) < 1e-6:
        # A ring: its first point lies within a stretch.
        runs[0] = np.vstack([runs.pop(), runs[0][1:]])
    return runs


def _beside(chain: NDArray[np.float64], by: float) -> BaseGeometry:
    """What lies within `by` mm of a polyline straight out to its right, corners mitred.

    Each edge by itself: where a bay is narrower than the strip, an offset of the whole line turns inside out, and is
    not even wider for a wider strip.
    """
    ways = np.diff(chain, axis=0)
    long = np.hypot(*ways.T) > 1e-9
    first, last, ways = chain[:-1][long], chain[1:][long], ways[long]
    out = np.column_stack([ways[:, 1], -ways[:, 0]]) / np.hypot(*ways.T)[:, None]
    sides = [*shapely.polygons(np.stack([first, last, last + by * out, first + by * out], axis=1))]
    for corner, one, other in zip(first[1:], out[:-1], out[1:], strict=True):
        turn = math.atan2(one[0] * other[1] - one[1] * other[0], float(one @ other))
        if turn > 1e-9:
            # A mitre for every quarter turn.
            count = max(1, math.ceil(turn / (math.pi / 2.0) - 1e-6))
            angles = math.atan2(one[1], one[0]) + turn * (np.arange(count) + 0.5) / count
            tips = by / math.cos(0.5 * turn / count) * np.column_stack([np.cos(angles), np.sin(angles)])
            sides.append(shapely.polygons([corner, corner + by * one, *(corner + tips), corner + by * other]))
        elif turn < -1e-9:
            # Beyond the middle of a round bay the edges' ways out part again.
            sides.append(shapely.polygons([corner, corner + by * one, corner + by * other]))
    return shapely.union_all(sides)


def keep_out_shape(keep_out: KeepOut, chord: float) -> Polygon:
    """What a keep-out covers. Raises JobError."""
    return polygon_of(keep_out.outline, chord, f'Keep-out "{keep_out.name}": the outline')


def in_the_way(job: Job, region: Region, chord: float) -> list[tuple[KeepOut, Polygon]]:
    """The keep-outs that stand higher than the region's floor and begin below its top."""
    return [
        (k, keep_out_shape(k, chord))
        for k in job.keep_outs
        if k.top > region.bottom and (k.bottom is None or k.bottom < region.top)
    ]


def job_space(job: Job, region: Region, strip: float, chord: float) -> BaseGeometry:
    """`free_space` of a region of a job: less its keep-outs, what stands beyond it, and the floors of areas beside it.

    An open edge that leads into areas at least as deep leads no farther than these do.
    """
    if job.region(region.name) is not region:
        return _job_space(job, region, strip, chord)
    return _SPACES.get(job, (region.name, strip, chord), lambda: _job_space(job, region, strip, chord))


def _job_space(job: Job, region: Region, strip: float, chord: float) -> BaseGeometry:
    led = _led_into(job, region, chord) if region.open_edges else []
    if led:
        shapes = {r.name: region_shape(r, chord) for r in [region, *led]}
        theirs = []
        for other in led:
            rest = [shape for name, shape in shapes.items() if name != other.name]
            theirs.append(free_space(other, strip, chord, shapely.union_all(rest), shapes[other.name]))
        into = shapely.union_all([shapes[other.name] for other in led])
        free = free_space(region, strip, chord, into, shapely.union_all(theirs))
    else:
        free = free_space(region, strip, chord)
    for _, shape in in_the_way(job, region, chord):
        free = free.difference(shape)
    for number, ring in enumerate(region.standing, 1):
        free = free.difference(polygon_of(ring, chord, f'Area "{region.name}": what stands beyond it, {number},'))
    deeper, floors = beside(job, region, chord)
    free = free if floors.is_empty else free.difference(_without_films(floors.difference(deeper)))
    if free.geom_type != "GeometryCollection":
        return free
    # Where a wall ends at a point of another, points and lines may stay.
    return shapely.union_all([g for g in shapely.get_parts(free) if isinstance(g, Polygon)])


def _led_into(job: Job, region: Region, chord: float) -> list[Region]:
    """The areas at least as deep that a region's open edges lead into, and those that these lead into."""
    left = [r for r in job.regions if r.name != region.name and r.bottom <= region.bottom + SAME]
    found: list[Region] = []
    asked = [region]
    while asked and left:
        own = asked.pop()
        lines = shapely.union_all([LineString(c) for c in open_chains(own, chord)])
        outline = polygon_of(own.outline, chord, own.name)
        near = [r for r in left if shapely.dwithin(region_shape(r, chord), lines, ONE_BORDER)]
        into = [r for r in near if _zone_beyond(outline, region_shape(r, chord)).intersects(lines)]
        left = [r for r in left if r not in into]
        found += into
        asked += into
    return found


def overlap(one: Region, other: Region, chord: float) -> bool:
    """Whether two areas lie over or in each other; borders that are one in all but their chords do not."""
    own = mitred(region_shape(one, chord), -ONE_BORDER)
    return bool(own.intersection(region_shape(other, chord)).area > OVERLAP)


def beside(job: Job, region: Region, chord: float) -> tuple[BaseGeometry, BaseGeometry]:
    """Other areas that an open edge may lead to: those at least as deep as this one, and those whose floor is higher.

    Areas over or in this one are left out: that nothing stands beyond its open edges is known better there. Not those
    that come before it and go as deep: an allowance on their walls may stand before an open edge. Nor those of
    its own floor. Of a job on a part the stock is known, and of areas in this one what lies outside it counts.
    """
    deeper: list[BaseGeometry] = []
    floors: list[BaseGeometry] = []
    if region.open_edges:
        own = mitred(region_shape(region, chord), -ONE_BORDER)
        for other in job.regions:
            if other.name != region.name:
                shape, shallow = region_shape(other, chord), other.bottom > region.bottom + SAME
                known = (other.name in region.after and not shallow) or abs(other.bottom - region.bottom) <= SAME
                if known or own.intersection(shape).area <= OVERLAP:
                    (floors if shallow else deeper).append(shape)
                elif job.part is not None and not shallow:
                    deeper.append(_zone_beyond(region_shape(region, chord), shape))
    return shapely.union_all(deeper), shapely.union_all(floors)
