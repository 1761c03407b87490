"""What a plan has cleared, seen from above: the field's line, but exact about what stands.

Between nodes nothing is known. Where what stands runs out in a tip thinner than a cell, as beside a wall with air
behind it, the line may leave the tip away; a later, smaller cutter meets it beside its bite.
"""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, Grid
from justbite.field.outline import below_zero
from justbite.path.fronts import Points

SEEN = 0.5
"""Cells: what stands no thicker than that has no tips that count."""
ROUND = 32
"""Chords to a quarter turn: right to R / 3300."""


def swept_by(cleared: Field, grid: Grid, material: BaseGeometry, radius: float, ways: Sequence[Points]) -> BaseGeometry:
    """Where `cleared` is below zero; `ways` (n, 2) are what the cutter's middle cut along, `material` what stood."""
    told = below_zero(cleared, grid)
    seen = 0.5 * SEEN * grid.cell
    standing = material.difference(told).buffer(-seen).buffer(seen)
    if standing.is_empty:
        return told
    tips = np.sqrt(2.0 * radius * grid.cell) + grid.cell
    zone = standing.simplify(seen).buffer(tips, quad_segs=4).simplify(seen)
    runs = _beside(zone, ways, radius)
    exact = shapely.union_all(shapely.intersection(shapely.buffer(runs, radius, quad_segs=ROUND), zone))
    # What was clear before anything was cut is no material.
    return told.difference(zone.intersection(material)).union(exact)


def _beside(zone: BaseGeometry, ways: Sequence[Points], reach: float) -> list[BaseGeometry]:
    """The stretches of ways that come within `reach` of a zone."""
    ways = [way for way in ways if len(way) > 1]
    if not ways:
        return []
    begins = np.concatenate([way[:-1] for way in ways])
    ends = np.concatenate([way[1:] for way in ways])
    tree = shapely.STRtree(shapely.linestrings(np.stack([begins, ends], axis=1)))
    near = np.zeros(len(begins), dtype=bool)
    near[tree.query(shapely.get_parts(zone), predicate="dwithin", distance=reach)[1]] = True
    # A stretch ends where the next piece is far off, and with each way.
    last = np.zeros(len(begins), dtype=bool)
    last[np.cumsum([len(way) - 1 for way in ways]) - 1] = True
    own = np.nonzero(near)[0]
    cuts = np.nonzero(last[own[:-1]] | (np.diff(own) > 1))[0] + 1
    return [shapely.linestrings(np.vstack([begins[run], ends[run[-1:]]])) for run in np.split(own, cuts) if len(run)]
