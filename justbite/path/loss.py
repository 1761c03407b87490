"""What a way in loses against a cut at full bite all the time, told from fronts before anything is planned.

Fronts lie at equal distances from what the way in opened: one that closes costs no way back, any other does.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown
from justbite.path.entry import Entry

ENDS_LAG = 2.3
"""R: by how much less than its length a long ramp works on fronts. Round an end of radius r they get on by
ae r / (r + R) a pass: to go 2 R from 0.2 R takes as many passes as R ln 10 more at the sides."""
SHORT = 0.2
"""Pieces of fronts that are not counted, R: they are cut with their neighbours."""
RETURN, TAPER = 0.5, 0.6
"""R: how much longer than straight across a return is, and cut of full length lost where a pass begins and ends."""
FRONTS = 20
"""Fronts looked at, at most; where there are more each stands for several."""
AT_ONCE = 6
"""Fronts that are made at once."""
COARSE = 0.03
"""How coarse walls may be for that, R."""


@dataclass(frozen=True, slots=True)
class Pace:
    """What there is besides cutting, as mm of cut in the same time."""

    entry: Callable[[Entry], float]
    link: float
    """A mm of return."""
    stop: float
    """Braking and getting under way again, for each return."""
    stroke: float = 0.0
    """mm that a ramp takes to come down as much as a stroke may be deep: up to so long all come down as soon."""


@lru_cache(maxsize=8)
def _coarse(part: Polygon, radius: float) -> Polygon:
    """The part with walls as coarse as do to tell how long fronts are."""
    coarse = part.buffer(1e-6 * radius).simplify(COARSE * radius)
    shapely.prepare(coarse)
    return coarse


@lru_cache(maxsize=8)
def _clear(part: Polygon, material: BaseGeometry, radius: float) -> BaseGeometry:
    """Where in the part nothing stands about the centre, as coarse as that: all ways in are asked about it."""
    return part.difference(grown(material, radius)).simplify(COARSE * radius)


def loss(entry: Entry, part: Polygon, target: float, radius: float, pace: Pace, fronts: int = FRONTS,
         material: BaseGeometry | None = None) -> float:  # fmt: skip
    """mm of cut by which the job takes longer than at full bite all the time; told from so many `fronts`.

    `material`: what there is to cut, where that is not all of `part`: fronts come from the clear as well.
    """
    opened = LineString(entry.points) if len(entry.points) > 1 else shapely.Point(entry.points[0])
    if entry.before:
        opened = shapely.union_all([opened, *(LineString(e.points) for e in entry.before)])
    taken = grown(opened, radius)
    own = (taken if material is None else taken.intersection(material)).area / target
    if entry.kind == "ramp" and not entry.before and not opened.is_closed:
        lag = min(ENDS_LAG * radius, 0.49 * opened.length)
        opened = shapely.ops.substring(opened, lag, opened.length - lag)
    if material is not None:
        opened = opened.union(_clear(part, material, radius))
    x1, y1, x2, y2 = part.bounds
    farthest = shapely.hausdorff_distance(part, opened)
    step = target * max(1.0, np.ceil(farthest / target / fronts))
    distances = np.arange(target, max(farthest, x2 - x1, y2 - y1), step)
    returned, passes = _returns(opened, _coarse(part, radius), distances, radius)
    each = pace.link * returned + (pace.stop + TAPER * radius) * passes
    return sum(pace.entry(e) for e in (*entry.before, entry)) - own + each * step / target


def _returns(opened: shapely.Geometry, part: Polygon, distances: NDArray[np.float64], radius: float
             ) -> tuple[float, int]:  # fmt: skip
    """mm of return after passes along fronts at these `distances` from what is open, and how many there are."""
    pieces, at = [], 0
    # A few at once: beyond the farthest place there is nothing, and where that is, is not known.
    while at < len(distances):
        found = shapely.intersection(
            shapely.boundary(shapely.buffer(opened, distances[at : at + AT_ONCE], quad_segs=8)), part
        )
        pieces.append(shapely.get_parts(shapely.line_merge(found)))
        if shapely.is_empty(found).any():
            break
        at += AT_ONCE
    lines = np.concatenate(pieces) if pieces else np.empty(0, dtype=object)
    lines = lines[shapely.length(lines) > SHORT * radius]
    lines = lines[~shapely.is_closed(lines)]
    across = shapely.distance(shapely.get_point(lines, 0), shapely.get_point(lines, -1))
    return float(across.sum() + RETURN * radius * len(lines)), len(lines)
