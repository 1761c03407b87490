"""Lines along the middle of a part of the locus, for long ramps: fronts then close round them.

The middle line is made of the edges of the Voronoi cells of points along the border that lie inside.
"""

from collections.abc import Callable
from functools import lru_cache
from itertools import chain

import numpy as np
import shapely
import shapely.ops
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components, dijkstra
from scipy.spatial import Voronoi
from shapely.geometry import LineString, Polygon

from justbite.field.distance import segments_of
from justbite.model.borders import grown
from justbite.path.entry import is_narrow

Points = NDArray[np.float64]
BORDER = 0.1
FINE_BORDER, ARM_BORDER = 0.04, 0.02
"""Distance of the points along the border, R; where it has a neck narrower than three of them; and of an arm."""
FINER, FINEST = 4.0, 0.0002
"""How many times as close they stand there where it is narrower than two of them, and again where it is than two of
those, down to R times so much."""
MANY_POINTS, FEW_POINTS, STIR, MOST_POINTS = 6000, 300, 1e-5, 40000
"""From how many points along a border on they are stirred, and of an arm, of which there are many; by how much, over
the way between two; and how many are made at most. Two rows of 15 000, exactly opposite each other, took 110 s, and
0.6 s stirred; of 3000 0.3 s and 0.08. Ramps of an area go straighter where they are not."""
HANGS = 0.99
"""Share of the middle lines of a slot that hang together where no leg of it is lost."""
HOOK = 1.2
"""How long a hook into a corner may be, over the room at the fork that it leaves from."""
STRAIGHTER = 0.2
"""How far a line may stray from the middle to be straighter, R."""
WITHIN = 1e-4
"""R by which it may pass over a border there: at corners that jut into a slot its own edges do."""
STRAIGHTEN = (1.0, 0.5, 0.2, 0.05, 0.01, 0.005, 0.002, 0.001, 0.0005)
"""Shares of that which are tried: the first that keeps the line inside."""
NECK_LENGTH, ARM_LENGTH, NECK_MIDDLE, ARM_MIDDLE = 2.0, 1.0, (0.5, 0.25, 0.1, 0.03, 0.01), (0.1, 0.25, 0.5)
"""Least length of a neck, R, and of an arm; shares of its widest place, in a bend or a mouth, that it has all along its
line: the first that gives one."""
MOST_RINGS = 4
"""Islands round which a ring of their own is tried, those with the longest ways round them."""
ARM_REACH, RUN_UP = 2.5, 1.5
"""R: how far about what still stands a way into it is looked for, and how far back in what is clear it begins."""
SPUR = 1.5
"""R: how far a way may lead into the corner of a bend, to be taken past it instead."""
STEPS = 0.1
"""R by which the outline of what still stands may be off where it is grown: it is made of the rows of a field, and has
thousands of corners."""
TIP, TIP_PLACES = 0.6, tuple(np.linspace(1.0, 0.0, 25)[:-1].tolist())
"""R: how far the end of an arm may be from where its middle line ends, for the way to be followed half-way between its
sides; and places there, as shares of what is left."""
MOUTH = 1.0
"""How far a neck's line goes on into the room at its end, R."""


def spines(part: Polygon, radius: float, shares: tuple[float, ...]) -> list[Points]:
    """For each share, the longest line through places at least that share as wide as the widest; each (n, 2).

    Shares that give no line are left out.
    """
    spots, room, edges = middle(part, radius, True)
    if len(edges) == 0:
        return []
    edges = edges[(room >= min(shares) * room.max())[edges].all(axis=1)]
    forks = np.bincount(edges.ravel(), minlength=len(spots)) > 2
    found: list[Points] = []
    for share in shares:
        row = longest(spots, edges[(room >= share * room.max())[edges].all(axis=1)])
        row = _trimmed(_trimmed(row, spots, room, forks)[::-1], spots, room, forks)
        if len(row) < 2:
            continue
        line = straightened(spots[row], part, radius)
        if not any(len(line) == len(other) and np.allclose(line, other) for other in found):
            found.append(line)
    return found


def necks_of(part: Polygon, radius: float, narrow: float, least: float = NECK_LENGTH) -> list[Polygon]:
    """What of `part` has no room for more than `narrow` R to either side of the centre, and is worth a ramp."""
    wide = narrow * radius
    rooms = grown(grown(part, -wide), 1.02 * wide)
    if rooms.is_empty:
        return []
    return [n for n in shapely.get_parts(part.difference(rooms)) if n.area > 0.1 * least * wide * radius]


def neck_lines(part: Polygon, radius: float, narrow: float, whole: bool = False) -> list[Points]:
    """Lines (n, 2) through the necks and arms of `part`, into the rooms at their ends; the longest first.

    `narrow`: half the width that the centre has there, at most; R. `whole`: arms that taper off are followed to where
    they are a tenth as wide as at their mouth.
    """
    least = ARM_LENGTH if whole else NECK_LENGTH
    necks = necks_of(part, radius, narrow, least)
    if not necks:
        return []
    spots, room, edges = middle(part, radius, True)
    forks = np.bincount(edges.ravel(), minlength=len(spots)) > 2
    found = []
    for neck in necks:
        here = shapely.contains_xy(neck.buffer(1e-6 * radius), spots)
        if not here.any():
            continue
        # Its mouths are wider than the neck itself, by how much is not known.
        for share in ARM_MIDDLE if whole else NECK_MIDDLE:
            inner = here & (room >= share * room[here].max())
            on = longest(spots, edges[inner[edges].all(axis=1)])
            if whole:
                on = _trimmed(_trimmed(on, spots, room, forks)[::-1], spots, room, forks)
            row = spots[on]
            if len(row) > 1 and LineString(row).length > least * radius:
                break
        else:
            continue
        found.append(straightened(_into_room(_into_room(row, part, radius)[::-1], part, radius), part, radius))
    return sorted(found, key=lambda line: -LineString(line).length)


def round_islands(part: Polygon, radius: float) -> list[Points]:
    """Closed lines (n, 2) in the middle of the ways round islands of `part`: round all of them, and round some each."""
    if not part.interiors:
        return []
    spots, _, edges = middle(part, radius, True)
    faces = shapely.get_parts(shapely.polygonize(list(shapely.linestrings(spots[edges]))))
    if len(faces) == 0:
        return []
    whole = [Polygon(p.exterior) for p in shapely.get_parts(shapely.union_all(faces))]
    largest = sorted(faces, key=lambda f: -f.area)[:MOST_RINGS]
    found = []
    for face in {shapely.normalize(f).wkb: f for f in (*whole, *largest)}.values():
        line = straightened(np.asarray(face.exterior.coords), part, radius)
        if len(line) > 3:
            found.append(line)
    return found


def _into_room(line: Points, part: Polygon, radius: float) -> Points:
    """The line, straight on at its last end by MOUTH or as far as there is room."""
    way = line[-1] - line[max(-len(line), -5)]
    way /= max(float(np.hypot(*way)), 1e-9)
    for by in (MOUTH, 0.5 * MOUTH, 0.25 * MOUTH):
        end = line[-1] + by * radius * way
        if part.contains(LineString([line[-1], end])):
            return np.vstack([line, end])
    return line


def straightened(line: Points, part: Polygon, radius: float) -> Points:
    """The line with as few points as leave it in `part`, its ends kept."""
    within = grown(part, WITHIN * radius)
    for share in STRAIGHTEN:
        straighter = LineString(line).simplify(share * STRAIGHTER * radius)
        if within.contains(straighter):
            return np.array(straighter.coords)
    return line


# All is told by place: a default left out and the same one given would be kept as two.
@lru_cache(maxsize=8)
def middle(part: Polygon, radius: float, tight: bool, /
           ) -> tuple[Points, NDArray[np.float64], NDArray[np.int64]]:  # fmt: skip
    """Places in the middle of `part` (n, 2), how far walls are there, and the edges between them (m, 2).

    `tight`: through places hardly wider than the cutter as well.
    """
    # Where points stand farther apart than the walls do the graph breaks: no farther than half of a slot's width.
    apart = min(BORDER * radius, part.area / part.length)
    if tight and _breaks(part, 1.5 * BORDER * radius):
        apart = min(apart, FINE_BORDER * radius)
        points = _finer_along(part, apart, radius)
        if is_narrow(part, radius) and len(points) > MOST_POINTS:
            # Narrow nearly everywhere, not in a neck: closer all along, as below (half a million points, 23 s).
            points = _along(part, apart)
        spots, room, edges = _roomy_cells(part, points, apart)
    else:
        spots, room, edges = _roomy_cells(part, _along(part, apart), apart)
    # A slot may be narrower than it is on the mean by much, where its bends are wide.
    while is_narrow(part, radius) and len(edges) and part.length / apart < MOST_POINTS:
        if apart <= 2.0 * np.median(room[edges]) and _whole(edges):
            break
        apart *= 0.5
        spots, room, edges = _roomy_cells(part, _along(part, apart), apart)
    return spots, room, edges


def _roomy_cells(part: Polygon, points: Points, apart: float
                 ) -> tuple[Points, NDArray[np.float64], NDArray[np.int64]]:  # fmt: skip
    """As `_cells`, but how far walls are from each, -1 outside."""
    spots, inside, edges = _cells(part, points, apart)
    room = np.full(len(spots), -1.0)
    room[inside] = _off_walls(segments_of(part), spots[inside])
    return spots, room, edges


def _along(part: Polygon, apart: float) -> Points:
    return shapely.get_coordinates(shapely.segmentize(part.boundary, apart))


def _breaks(part: Polygon, narrow: float) -> bool:
    """Whether a part has a neck, or a way round an island, less than `narrow` mm to either side."""
    inner = part.buffer(-narrow)
    islands = sum(len(piece.interiors) for piece in shapely.get_parts(inner) if piece.area > 0.0)
    return shapely.get_num_geometries(inner) > 1 or islands < len(part.interiors)


# Plans of one part by several ways in come to the same arms.
@lru_cache(maxsize=64)
def _fine_middle(arm: Polygon, radius: float) -> tuple[Points, NDArray[np.int64]]:
    """Places in the middle of an arm, and the edges between them: from points the closer, the narrower it is there."""
    apart = min(ARM_BORDER * radius, arm.area / arm.length)
    spots, _, edges = _cells(arm, _finer_along(arm, apart, radius), apart, FEW_POINTS)
    return spots, edges


def _finer_along(part: Polygon, apart: float, radius: float) -> Points:
    """Points (n, 2) `apart` mm from each other along the border, closer where it is narrower than two of them."""
    rows, narrow, border = [_along(part, apart)], part, part.boundary
    while apart > FINEST * radius:
        narrow = narrow.difference(grown(narrow.buffer(-apart), 1.001 * apart))
        border = border.intersection(grown(narrow, 1e-6 * radius))
        if border.length == 0.0:
            break
        apart /= FINER
        rows.append(shapely.get_coordinates(shapely.segmentize(border, apart)))
    return np.concatenate(rows)


def _cells(part: Polygon, points: Points, apart: float, many: int = MANY_POINTS
           ) -> tuple[Points, NDArray[np.bool_], NDArray[np.int64]]:  # fmt: skip
    """Corners (n, 2) of the Voronoi cells of points (m, 2) about `apart` mm from each other along the border, which of
    them are inside `part`, and the edges between those (k, 2); of more than `many` points stirred."""
    points = np.unique(points, axis=0)
    if len(points) < 8:
        return np.empty((0, 2)), np.zeros(0, dtype=np.bool_), np.empty((0, 2), dtype=np.int64)
    if len(points) > many:
        points = points + np.random.default_rng(0).normal(0.0, STIR * apart, points.shape)
    voronoi = Voronoi(points)
    spots = voronoi.vertices
    inside = shapely.contains_xy(part, spots)
    edges = np.fromiter(chain.from_iterable(voronoi.ridge_vertices), dtype=np.int64).reshape(-1, 2)
    edges = edges[edges[:, 0] >= 0]
    return spots, inside, edges[inside[edges].all(axis=1)]


def _whole(edges: NDArray[np.int64]) -> bool:
    """Whether nearly all of the edges hang together."""
    used, ends = np.unique(edges, return_inverse=True)
    ends = ends.reshape(-1, 2)
    net = csr_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(len(used), len(used)))
    _, label = connected_components(net, directed=False)
    return bool(np.bincount(label).max() > HANGS * len(used))


@njit(cache=True, nogil=True)
def _off_walls(walls, spots):  # type: ignore[no-untyped-def]
    """How far the nearest of the lines `walls` (m, 4: from x, y, to x, y) is from each of `spots` (n, 2)."""
    away = np.empty(spots.shape[0])
    for k in range(spots.shape[0]):
        best = np.inf
        for m in range(walls.shape[0]):
            dx, dy = walls[m, 2] - walls[m, 0], walls[m, 3] - walls[m, 1]
            ex, ey = spots[k, 0] - walls[m, 0], spots[k, 1] - walls[m, 1]
            t = min(1.0, max(0.0, (ex * dx + ey * dy) / max(dx * dx + dy * dy, 1e-30)))
            best = min(best, (ex - t * dx) ** 2 + (ey - t * dy) ** 2)
        away[k] = np.sqrt(best)
    return away


def _trimmed(row: NDArray[np.intp], spots: Points, room: NDArray[np.float64], forks: NDArray[np.bool_]
             ) -> NDArray[np.intp]:  # fmt: skip
    """A row of places without the hook into a corner that it ends in: all within the circle about its fork."""
    away = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(spots[row], axis=0).T))])
    corner = np.nonzero(forks[row] & (away > 0.0) & (away < HOOK * room[row]))[0]
    return row[corner[0] :] if len(corner) and corner[0] < len(row) - 1 else row


def arm_line(part: Polygon, radius: float, rest: shapely.Geometry, clear: Callable[[Points], NDArray[np.bool_]]
             ) -> Points | None:  # fmt: skip
    """The line (n, 2) along the middle of `part` from what is clear as far into `rest` as it goes; None: no such way.

    Through it, where what is clear begins again. `rest`: what still stands. `clear`: of which places (n, 2) of the
    centre nothing is met.
    """
    # An arm by itself: the points along its border stand as close as it is narrow.
    about = grown(rest.simplify(STEPS * radius), ARM_REACH * radius)
    near = shapely.get_parts(part.intersection(about))
    arm = min((p for p in near if p.area > 0.0), key=rest.distance, default=None)
    if arm is None:
        return None
    spots, edges = _fine_middle(arm, radius)
    if len(edges) == 0:
        return None
    used, ways = graph(spots, edges)
    begins = clear(spots[used])
    shapely.prepare(rest)
    meets = ~begins & shapely.dwithin(rest, shapely.points(spots[used]), radius)
    if not begins.any() or not meets.any():
        return None
    away, _, _ = dijkstra(ways, directed=False, indices=np.nonzero(begins)[0], return_predecessors=True, min_only=True)
    away[~meets | ~np.isfinite(away)] = -1.0
    end = int(np.argmax(away))
    if away[end] < 0.0:
        return None
    # Begun well inside what is clear: a ramp takes some way.
    back, before = dijkstra(ways, directed=False, indices=end, return_predecessors=True)
    back[~begins | (back > away[end] + RUN_UP * radius)] = -1.0
    row = [int(np.argmax(back))]
    while row[-1] != end:
        row.append(int(before[row[-1]]))
    through = _through(ways, spots[used], row, begins, away[end] + radius, radius)
    line = straightened(spots[used[through or row]], part, radius)
    return line if through else _on_to_the_tip(line, arm, radius)


def _through(ways: csr_matrix, spots: Points, row: list[int], begins: NDArray[np.bool_], most: float, radius: float
             ) -> list[int]:  # fmt: skip
    """The way along `row` and on to what is clear at another end, no more than `most` mm farther; empty where none is.

    Between two rooms the place farthest from both is half-way, or in the corner of a bend about there. Two ramps that
    meet in such a place leave a cusp at either wall that no pass gets hold of.
    """
    back = np.cumsum(np.hypot(*np.diff(spots[row[::-1]], axis=0).T))
    first = len(row) - 1 - int(np.searchsorted(back, SPUR * radius, side="right"))
    first = max(first, 1 + max(k for k, spot in enumerate(row) if begins[spot]))
    others = np.setdiff1d(np.arange(ways.shape[0]), row[:first])
    sources = np.searchsorted(others, row[first:])
    away, before, _ = dijkstra(
        ways[others][:, others], directed=False, indices=sources, return_predecessors=True, min_only=True
    )
    ends = np.nonzero(begins[others] & (away <= most))[0]
    if len(ends) == 0:
        return []
    on = [int(ends[np.argmin(away[ends])])]
    while before[on[-1]] >= 0:
        on.append(int(before[on[-1]]))
    return row[: row.index(int(others[on[-1]])) + 1] + [int(n) for n in others[on[-2::-1]]]


def _on_to_the_tip(line: Points, arm: Polygon, radius: float) -> Points:
    """The line on to where `arm` ends: the graph breaks where it is narrower than its border's points stand apart.

    There it leads half-way between its two sides.
    """
    ring = np.asarray(arm.exterior.coords)[:-1]
    tip = int(np.argmax(np.hypot(*(ring - line[0]).T)))
    left = float(np.hypot(*(ring[tip] - line[-1])))
    if not 1e-3 * radius < left < TIP * radius:
        return line
    one, other = (
        shapely.ops.substring(LineString(np.roll(side, -at, axis=0)), 0.0, 1.5 * left)
        for side, at in ((ring, tip), (ring[::-1], len(ring) - 1 - tip))
    )
    for share in TIP_PLACES:
        spot = one.interpolate(share * left)
        across = other.interpolate(other.project(spot))
        place = np.array([0.5 * (spot.x + across.x), 0.5 * (spot.y + across.y)])
        if np.hypot(*(ring[tip] - place)) >= np.hypot(*(ring[tip] - line[-1])):
            continue
        if not arm.covers(LineString([line[-1], place])):
            break
        line = np.vstack([line, place])
    return line


def graph(spots: Points, edges: NDArray[np.int64]) -> tuple[NDArray[np.int64], csr_matrix]:
    """The rows of `spots` that have edges, and the lengths of edges between them."""
    used, ends = np.unique(edges, return_inverse=True)
    ends = ends.reshape(-1, 2)
    length = np.maximum(1e-9, np.hypot(*(spots[edges[:, 0]] - spots[edges[:, 1]]).T))
    return used, csr_matrix((length, (ends[:, 0], ends[:, 1])), shape=(len(used), len(used)))


def longest(spots: Points, edges: NDArray[np.int64]) -> NDArray[np.intp]:
    """The longest of the shortest ways along the edges of one connected piece, by two sweeps: rows of `spots`."""
    if len(edges) == 0:
        return np.empty(0, dtype=np.intp)
    used, ways = graph(spots, edges)
    count, label = connected_components(ways, directed=False)
    best, longest = np.empty(0, dtype=np.intp), 0.0
    for k in range(count):
        mine = np.nonzero(label == k)[0]
        away = dijkstra(ways, directed=False, indices=mine[0])
        far = mine[np.argmax(away[mine])]
        away, before = dijkstra(ways, directed=False, indices=far, return_predecessors=True)
        end = mine[np.argmax(away[mine])]
        if away[end] > longest:
            longest = float(away[end])
            row = [end]
            while row[-1] != far:
                row.append(before[row[-1]])
            best = used[row]
    return best
