"""The plain path: parallel-offset pocketing, our yardstick for minutes saved. Never put out.

Rings at equal distances from the walls, from inside outwards, each round once; its worst engagement
is measured on a cleared field, as the planner's own is.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from justbite.field.aside import let_go
from justbite.field.cleared import stamp
from justbite.model.borders import grown
from justbite.path.area import Area
from justbite.path.contact import radial_depth
from justbite.path.entry import Entry

Points = NDArray[np.float64]
STEP = 0.2
"""Steps of the measurement, in R."""


@dataclass(frozen=True, slots=True)
class PlainPart:
    """The plain path of one connected part: rings (n, 2) in order, first the innermost; of those that lead through air
    the runs that do not; lengths mm."""

    entry: Entry
    runs: tuple[Points, ...]
    worst: float
    """Largest radial depth on the way."""


def rings_of(part: Polygon, step_over: float, chord: float) -> tuple[Points, ...]:
    """Closed rings in `part` of the locus, `step_over` mm apart, innermost first."""
    found: list[Points] = []
    inner: shapely.Geometry = part
    while not inner.is_empty:
        for polygon in shapely.get_parts(inner):
            for ring in (polygon.exterior, *polygon.interiors):
                found.append(np.asarray(ring.simplify(chord).coords)[:, :2])
        inner = grown(inner, -step_over)
    return tuple(found[::-1])


def plain_part(area: Area, part: Polygon, entry: Entry, step_over: float, chord: float,
               cleared: NDArray[np.float32], frame: tuple[float, float, float]) -> PlainPart:  # fmt: skip
    """The plain path of a part. `cleared` is used up; it begins as the planner's does."""
    runs = rings_of(part, step_over, chord)
    if area.has_air:
        near = grown(area.material, area.radius)
        runs = tuple(run for ring in runs for run in _through(ring, near))
    if entry.kind != "outside":
        _walk(cleared, frame, entry.points, area.radius)
    worst = max((_walk(cleared, frame, ring, area.radius) for ring in runs), default=0.0)
    return PlainPart(entry, runs, worst)


def _through(ring: Points, near: shapely.Geometry) -> list[Points]:
    """What of a closed ring lies in `near`: itself, or open runs in its order."""
    line = shapely.LineString(ring)
    if near.covers(line):
        return [ring]
    inside = shapely.get_parts(shapely.line_merge(line.intersection(near)))
    lines = [np.asarray(g.coords)[:, :2] for g in inside if g.geom_type == "LineString"]
    return sorted(lines, key=lambda run: line.project(shapely.Point(run[len(run) // 2])))


def _walk(cleared: NDArray[np.float32], frame: tuple[float, float, float], points: Points, radius: float) -> float:
    """Clear along a polyline; the largest radial depth on the way, mm."""
    log_at, log_was = np.empty(200_000, dtype=np.int32), np.empty(200_000, dtype=np.float32)
    line = shapely.linestrings(points)
    count = max(2, int(line.length / (STEP * radius)))
    spots = shapely.get_coordinates(shapely.line_interpolate_point(line, np.linspace(0.0, line.length, count)))
    worst = 0.0
    let_go()
    for (ax, ay), (bx, by) in pairwise(spots):
        size = float(np.hypot(bx - ax, by - ay))
        if size < 1e-9:
            continue
        c, s = (bx - ax) / size, (by - ay) / size
        worst = max(worst, float(radial_depth(cleared, *frame, bx, by, c, s, radius, 0.002 * radius)))
        stamp(cleared, *frame, ax, ay, bx, by, radius, False, log_at, log_was, 0)
    return worst
