"""What a plan has cleared, seen from above: the field's line, but exact about what stands.

Between nodes nothing is known. Where what stands runs out in a tip thinner than a cell, as beside a wall with air
behind it, the line may leave the tip away, and cusps on an allowance are told too low; a later, smaller cutter meets
them beside its bite. And what was too thin to count as work is air to the field, whether it was cut or not.
"""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, Grid
from justbite.field.outline import below_zero
from justbite.model.borders import grown, united
from justbite.model.shapes import NOTHING
from justbite.path.fronts import Points
from justbite.path.lines import filled

SEEN = 0.5
"""Cells: what stands no thicker than that has no tips that count."""
PIECE = 0.25
"""R: how long the pieces of a way are at most that are looked at by their ends."""
ROUND = 32
"""Chords to a quarter turn: right to R / 3300; GEOS leaves flat corners out of ways, which comes to R / 1700."""


def swept_by(cleared: Field, grid: Grid, material: BaseGeometry, reach: BaseGeometry, radius: float,
             ways: Sequence[Points], unseen: BaseGeometry = NOTHING) -> BaseGeometry:  # fmt: skip
    """Where `cleared` is below zero; `ways` (n, 2) are what the cutter's middle cut along, `material` what stood.

    `reach`: what the cutter can come to, and no more; beyond it the field may take for air what no material is known
    of, as on the far wall of what an open edge leads into. `unseen`: what stood as well, though the field took it for
    air.
    """
    told = below_zero(cleared, grid).intersection(reach)
    seen = 0.5 * SEEN * grid.cell
    left = material.difference(told)
    standing = grown(grown(left, -seen), seen)
    if left.is_empty and unseen.is_empty:
        return told
    tips = np.sqrt(2.0 * radius * grid.cell) + grid.cell
    zone = grown(standing.simplify(seen), tips, quad_segs=4).simplify(seen)
    border = told.boundary.intersection(grown(left.simplify(seen), 2.0 * seen, quad_segs=4))
    beside = shapely.buffer(border, grid.cell, quad_segs=4).simplify(seen)
    zone = united([zone, beside, grown(unseen, seen, quad_segs=4)])
    runs = _beside(zone, ways, radius)
    # A little beyond the zone: where two pieces only touch, a slit may stay.
    exact = united(shapely.intersection(shapely.buffer(runs, radius, quad_segs=ROUND), grown(zone, 0.1 * grid.cell)))
    # What was clear before anything was cut is no material.
    return united([told.difference(zone.intersection(united([material, unseen]))), exact])


def _beside(zone: BaseGeometry, ways: Sequence[Points], reach: float) -> list[BaseGeometry]:
    """The stretches of ways that come within `reach` of a zone, and a little more."""
    # Chords of the buffer's circles lie inside them, and a piece of a way may pass by between its ends.
    around = zone.buffer(1.05 * (1.0 + 0.5 * PIECE) * reach, quad_segs=4)
    shapely.prepare(around)
    found = []
    for line in ways:
        if len(line) < 2:
            continue
        way = filled(np.ascontiguousarray(line, dtype=float), PIECE * reach)
        near = shapely.contains_xy(around, way)
        edges = np.diff(near.astype(np.int8), prepend=0, append=0)
        runs = zip(np.nonzero(edges > 0)[0], np.nonzero(edges < 0)[0], strict=True)
        found += [shapely.linestrings(way[a:b]) for a, b in runs if b - a > 1]
    return found
