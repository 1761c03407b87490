"""Closed rings: arcs found again in polylines, circles and radii recognised."""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from justbite.model.drawing import Vertices

LARGEST_RADIUS = 1e4
"""mm; flatter runs are taken as straight."""
UNEVEN = 3.0
"""Longest chord of an arc over its usual chord, at most."""
FEWEST = 3
"""Segments that make an arc, at least."""


@dataclass(frozen=True, slots=True)
class Circle:
    x: float
    y: float
    radius: float


def ring_with_arcs(points: NDArray[np.float64], marks: NDArray[np.bool_], tolerance: float,
                   most_turn: float) -> tuple[Vertices, tuple[bool, ...]]:  # fmt: skip
    """A closed polyline (n, 2) as vertices with bulges, and the mark of each edge.

    `marks` (n,) belongs to the segment from each point to the next; runs of one mark only are
    joined. Corners of an arc lie within `tolerance` mm of it and turn by at most `most_turn` radians.
    """
    if marks.all() or not marks.any():
        whole = _whole_circle(points, tolerance, most_turn)
        if whole is not None:
            return as_circle(whole), (bool(marks[0]),) * 2
    points, marks = _without_straight(points, marks, 0.2 * tolerance)
    count = len(points)
    steps = np.roll(points, -1, axis=0) - points
    begin = (int(np.argmax(np.hypot(*steps.T))) + 1) % count
    points, marks = np.roll(points, -begin, axis=0), np.roll(marks, -begin)
    around = np.vstack([points, points[:1]])
    vertices: list[tuple[float, float, float]] = []
    kept: list[bool] = []
    at = 0
    while at < count:
        end = _arc_end(around, marks, at, tolerance, most_turn)
        x, y = float(around[at, 0]), float(around[at, 1])
        if end - at < FEWEST:
            vertices.append((x, y, 0.0))
            kept.append(bool(marks[at]))
            at += 1
            continue
        for a, b in _halves(at, end) if _sweep(around, at, end) > 0.99 * math.pi else [(at, end)]:
            sweep = _sweep(around, a, b) * _turn_sign(around, a)
            vertices.append((float(around[a, 0]), float(around[a, 1]), math.tan(sweep / 4)))
            kept.append(bool(marks[at]))
        at = end
    return tuple(vertices), tuple(kept)


def onto_circles(points: NDArray[np.float64], marks: NDArray[np.bool_], circles: NDArray[np.float64], sagitta: float,
                 turn: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """A closed polyline (n, 2) with its corners on known circles (k, 3: x, y, radius) where they are chords of them.

    Where the chords of a cylinder's upper and lower edge cross, corners lie up to `sagitta` mm inside it, and close
    together: of such a run so many stay as chords of `sagitta` mm or `turn` radians ask for.
    """
    on = np.full(len(points), -1)
    points = points.copy()
    low, high, radii = points.min(axis=0) - sagitta, points.max(axis=0) + sagitta, circles[:, 2:]
    circles = circles[((circles[:, :2] + radii > low) & (circles[:, :2] - radii < high)).all(axis=1)]
    far = np.hypot(points[:, None, 0] - circles[:, 0], points[:, None, 1] - circles[:, 1])
    near = (circles[:, 2] - far < sagitta) & (far < circles[:, 2] + 1e-6)
    # One that only crosses the ring has fewer corners of it.
    for number in np.argsort(-near.sum(axis=0)):
        own = (on < 0) & near[:, number]
        centre = circles[number, :2]
        points[own] = centre + (points[own] - centre) * (circles[number, 2] / far[own, number])[:, None]
        on[own] = number
    # Of each run all but its ends may go; the mark of an edge is that of the point it begins at. An edge between two
    # places of one circle may as well lead straight across it.
    middle = 0.5 * (points + np.roll(points, -1, axis=0))
    its = np.append(circles, [[0.0, 0.0, 0.0]], axis=0)[on]
    chord = (on >= 0) & (on == np.roll(on, -1))
    chord &= np.abs(np.hypot(*(middle - its[:, :2]).T) - its[:, 2]) < 2.0 * sagitta
    inside = chord & np.roll(chord, 1) & (marks == np.roll(marks, 1))
    keep = np.ones(len(points), dtype=bool)
    last = 0
    for k in range(1, len(points)):
        if inside[k]:
            radius = circles[on[k], 2]
            apart = 0.5 * min(turn * radius, 2.0 * math.sqrt(2.0 * radius * sagitta))
            keep[k] = math.dist(points[last], points[k]) >= apart
        if keep[k]:
            last = k
    return points[keep], marks[keep]


def _whole_circle(points: NDArray[np.float64], tolerance: float, most_turn: float) -> Circle | None:
    """The circle that all points lie on, close enough to each other."""
    count = len(points)
    if count < 2 * FEWEST:
        return None
    circle = _circle(points[0], points[count // 3], points[2 * count // 3])
    if circle is None:
        return None
    off = np.abs(np.hypot(points[:, 0] - circle.x, points[:, 1] - circle.y) - circle.radius)
    chords = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
    if off.max() > tolerance or chords.max() > 2 * circle.radius * math.sin(most_turn / 2):
        return None
    return circle


def _halves(a: int, b: int) -> list[tuple[int, int]]:
    middle = (a + b) // 2
    return [(a, middle), (middle, b)]


def _without_straight(points: NDArray[np.float64], marks: NDArray[np.bool_],
                      tolerance: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """Without points in the middle of a straight stretch of one mark: none lies farther off what is left.

    To look at each point's neighbours alone is not enough: of two that lie at a corner, a micrometre apart, neither
    lies off the line from the one to the other.
    """
    changes = np.nonzero(marks != np.roll(marks, 1))[0]
    # The first of all from the left is a corner.
    begin = int(changes[0]) if len(changes) else int(np.lexsort(points.T[::-1])[0])
    points, marks = np.roll(points, -begin, axis=0), np.roll(marks, -begin)
    around = np.vstack([points, points[:1]])
    ends = np.append((changes - begin) if len(changes) else [0], len(points))
    needed = np.zeros(len(points), dtype=bool)
    for a, b in pairwise(ends):
        run = around[a : b + 1]
        left = shapely.get_coordinates(shapely.LineString(run).simplify(min(tolerance, 1e-4), preserve_topology=False))
        at = a
        for place in left[:-1]:
            while (around[at] != place).any():
                at += 1
            needed[at] = True
            at += 1
    if needed.sum() < 3:
        return points, marks
    return points[needed], marks[needed]


def _circle(a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64]) -> Circle | None:
    """The circle through three points, unless they are nearly in line."""
    u, v = b - a, c - a
    twice = 2.0 * (u[0] * v[1] - u[1] * v[0])
    if abs(twice) < 1e-12:
        return None
    uu, vv = float(u @ u), float(v @ v)
    x = float(a[0] + (v[1] * uu - u[1] * vv) / twice)
    y = float(a[1] + (u[0] * vv - v[0] * uu) / twice)
    radius = math.hypot(a[0] - x, a[1] - y)
    return Circle(x, y, radius) if radius < LARGEST_RADIUS else None


def _arc_end(around: NDArray[np.float64], marks: NDArray[np.bool_], at: int, tolerance: float, most_turn: float) -> int:
    """Index of the last point of the arc that begins at `at`; `at` itself when there is none."""
    last = len(around) - 1
    end = at
    while end < last and marks[end] == marks[at]:
        if end - at >= FEWEST - 1:
            circle = _circle(around[at], around[(at + end + 1) // 2], around[end + 1])
            if circle is None:
                break
            run = around[at : end + 2]
            off = np.abs(np.hypot(run[:, 0] - circle.x, run[:, 1] - circle.y) - circle.radius)
            chords = np.hypot(*np.diff(run, axis=0).T)
            if off.max() > tolerance or chords.max() > 2 * circle.radius * math.sin(min(most_turn, math.pi) / 2):
                break
            # A long straight edge between short ones may end on one circle with them, and is no arc.
            if chords.max() > UNEVEN * np.median(chords):
                break
        if end > at and abs(_turn(around[end - 1], around[end], around[end + 1])) > most_turn:
            break
        end += 1
    return end if end - at >= FEWEST else at


def _turn(a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64]) -> float:
    u, v = b - a, c - b
    return math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])


def _turn_sign(around: NDArray[np.float64], at: int) -> float:
    return math.copysign(1.0, _turn(around[at], around[at + 1], around[(at + 2) % len(around)]))


def _sweep(around: NDArray[np.float64], a: int, b: int) -> float:
    """Angle of the arc from point a to point b, radians, as its chords tell."""
    circle = _circle(around[a], around[(a + b) // 2], around[b]) or _circle(around[a], around[a + 1], around[b])
    if circle is None:
        circle = _circle(around[a], around[a + 1], around[a + 2])
    assert circle is not None
    chords = np.hypot(*np.diff(around[a : b + 1], axis=0).T)
    return float((2 * np.arcsin(np.clip(chords / (2 * circle.radius), 0, 1))).sum())


def arcs_of(ring: Vertices) -> list[tuple[Circle, float] | None]:
    """Per edge its circle and signed sweep in radians; None where it is straight."""
    found: list[tuple[Circle, float] | None] = []
    for (x, y, bulge), (u, v, _) in zip(ring, (*ring[1:], ring[0]), strict=True):
        span = math.hypot(u - x, v - y)
        if abs(bulge) < 1e-9 or span < 1e-12:
            found.append(None)
            continue
        sweep = 4 * math.atan(bulge)
        off = span / 2 / math.tan(sweep / 2)
        radius = span / (2 * abs(math.sin(sweep / 2)))
        centre = Circle((x + u) / 2 - (v - y) / span * off, (y + v) / 2 + (u - x) / span * off, radius)
        found.append((centre, sweep))
    return found


def circle_of(ring: Vertices, tolerance: float) -> Circle | None:
    """The circle that a ring is, or None."""
    arcs = arcs_of(ring)
    circles = [a[0] for a in arcs if a is not None]
    if len(circles) != len(arcs) or not circles:
        return None
    mean = Circle(*(float(np.mean([getattr(c, k) for c in circles])) for k in ("x", "y", "radius")))
    far = max(math.hypot(c.x - mean.x, c.y - mean.y) + abs(c.radius - mean.radius) for c in circles)
    return mean if far <= tolerance else None


def as_circle(circle: Circle) -> Vertices:
    """A full circle, counterclockwise, as two vertices."""
    return ((circle.x - circle.radius, circle.y, 1.0), (circle.x + circle.radius, circle.y, 1.0))
