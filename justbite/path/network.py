"""The middle lines of a part of the locus as a network of ramps: a main line, and others that begin on what is open.

A ring or a line through the widest places comes first. What is left of the network then falls into ears, that
lead from what is open to what is open, and branches, that end in an arm.
"""

from collections import defaultdict
from itertools import pairwise

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray
from shapely.geometry import LineString, MultiLineString, Point, Polygon

from justbite.path.spine import HOOK, longest, middle, straightened

Points = NDArray[np.float64]
Arc = list[int]
TAIL = 0.5
"""A branch ends where it becomes narrower than this share of its middle width."""
LEAST_LINE = 1.0
"""R: a shorter ear is not worth a ramp of its own."""


def network(part: Polygon, radius: float, tight: bool = True) -> list[Points]:
    """Lines (n, 2) in the middle of all ways through `part`, the main line first; each other begins on one before it.

    An ear also ends on one before it. Empty where there is no more than one line. `tight`: through ways hardly wider
    than the cutter too.
    """
    spots, room, edges = middle(part, radius, tight)
    arcs = _arcs(edges, spots, room)
    if len(arcs) < 2:
        return []
    faces = shapely.get_parts(shapely.polygonize([LineString(spots[arc]) for arc in arcs]))
    if len(faces):
        whole = max(shapely.get_parts(shapely.union_all(faces)), key=lambda p: p.area)
        first = np.asarray(whole.exterior.coords)
    else:
        kept = np.array([pair for arc in arcs for pair in pairwise(arc)])
        first = spots[longest(spots, kept)]
    lines = [straightened(first, part, radius)]
    on_first = {p.tobytes() for p in first}
    opened = {a for arc in arcs for a in (arc[0], arc[-1]) if spots[a].tobytes() in on_first}
    left = [arc for arc in arcs if not all(spots[a].tobytes() in on_first for a in arc)]
    while (ear := _ear(left, opened, spots)) is not None:
        opened |= {ear[0], ear[-1]}
        line = _joined(spots[ear], lines, part, radius)
        if LineString(line).length > LEAST_LINE * radius:
            lines.append(line)
    return lines if len(lines) > 1 else []


def ends_open(line: Points, before: list[Points], radius: float) -> bool:
    """Whether the last end of a line lies on one of those before it."""
    return bool(MultiLineString([b.tolist() for b in before]).distance(Point(line[-1])) < 1e-6 * radius)


def _joined(line: Points, before: list[Points], part: Polygon, radius: float) -> Points:
    """The line straightened, its ends moved onto lines before it where they lie within half a radius of one."""
    known = MultiLineString([b.tolist() for b in before])
    line = straightened(line, part, radius)
    for end in (0, -1):
        on, _ = shapely.ops.nearest_points(known, Point(line[end]))
        if on.distance(Point(line[end])) < 0.5 * radius:
            line[end] = (on.x, on.y)
    return line


def _arcs(edges: NDArray[np.int64], spots: Points, room: NDArray[np.float64]) -> list[Arc]:
    """Chains of places between forks, without the hooks into corners."""
    near: dict[int, set[int]] = defaultdict(set)
    for a, b in edges.tolist():
        near[a].add(b)
        near[b].add(a)
    while True:
        arcs = _chains(near)
        hooks = [cut for arc in arcs if (cut := _without(arc, near, spots, room)) is not None]
        for arc in hooks:
            for a, b in pairwise(arc):
                near[a].discard(b)
                near[b].discard(a)
        if not hooks:
            return arcs


def _chains(near: dict[int, set[int]]) -> list[Arc]:
    """Chains between places that have not just two neighbours; loops without any begin anywhere."""
    found: list[Arc] = []
    done: set[tuple[int, int]] = set()
    passed: set[int] = set()

    def follow(a: int, b: int) -> None:
        arc, last = [a, b], a
        while len(ways := near[b]) == 2 and b != a:
            one, other = ways
            b, last = (other if one == last else one), b
            arc.append(b)
        done.add((b, last))
        passed.update(arc)
        found.append(arc)

    for a in [a for a in near if len(near[a]) not in (0, 2)]:
        for b in near[a]:
            if (a, b) not in done:
                follow(a, b)
    for a in [a for a in near if len(near[a]) == 2]:
        if a not in passed:
            follow(a, next(iter(near[a])))
    return found


def _without(arc: Arc, near: dict[int, set[int]], spots: Points, room: NDArray[np.float64]) -> Arc | None:
    """What is to be taken off a chain that ends nowhere: its tail, or all of it where it is a hook; None if nothing."""
    if len(near[arc[0]]) == 1 and len(near[arc[-1]]) > 1:
        arc = arc[::-1]
    if len(near[arc[-1]]) != 1 or len(near[arc[0]]) < 2:
        return None
    narrow = room[arc] < TAIL * np.median(room[arc])
    keep = len(arc) - int(np.argmin(narrow[::-1])) if narrow[-1] else len(arc)
    if keep < 2 or LineString(spots[arc[:keep]]).length < HOOK * room[arc[0]]:
        return arc
    return arc[keep - 1 :] if keep < len(arc) else None


def _ear(left: list[Arc], opened: set[int], spots: Points) -> Arc | None:
    """Take from `left` chains that lead from what is open, as straight on as can be, to what is open or nowhere."""
    start = next((arc for arc in left if arc[0] in opened or arc[-1] in opened), None)
    if start is None:
        return None
    left.remove(start)
    ear = start if start[0] in opened else start[::-1]
    while ear[-1] not in opened and ear[-1] not in ear[:-1]:
        way = spots[ear[-1]] - spots[ear[max(0, len(ear) - 6)]]
        on = [arc if arc[0] == ear[-1] else arc[::-1] for arc in left if ear[-1] in (arc[0], arc[-1])]
        if not on:
            break
        best = max(on, key=lambda arc: _straight_on(way, spots[arc[min(5, len(arc) - 1)]] - spots[arc[0]]))
        left[:] = [arc for arc in left if arc is not best and arc[::-1] != best]
        ear = [*ear, *best[1:]]
    return ear


def _straight_on(one: Points, other: Points) -> float:
    return float(one @ other / max(1e-12, float(np.hypot(*one) * np.hypot(*other))))
