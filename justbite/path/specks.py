"""Specks: what still stands free when all passes are done, thinner than any contact is looked for.

Where the last of a piece is swallowed from all sides a whisker may stay in the middle of the floor, thin as what the
field cannot feel. No pass gets hold of it; the cutter just runs over it, along its length.
"""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from justbite.field.pieces import small_pieces
from justbite.path.fronts import Points
from justbite.path.plane import Plane

LEAST_SPECK, MOST_SPECK = 0.0005, 0.1
"""R squared: smaller is the field's own error, larger is what passes are for."""
MARGIN = 0.1
"""R by which a run begins before a speck, and ends behind it."""
NEAR = 2.0
"""R about a pass within which what it left standing free is looked for at once."""
DIRECTIONS = 8


def specks(plane: Plane, about: Points | None = None) -> list[Points]:
    """The nodes (n, 2) of each speck: what stands where the cutter's centre itself may be, and no farther.

    `about`: only those that lie wholly in the box round these places (n, 2), NEAR wider.
    """
    x0, y0, cell = plane.frame
    rows = columns = slice(None)
    if about is not None:
        low, high = about.min(axis=0) - NEAR * plane.radius, about.max(axis=0) + NEAR * plane.radius
        columns, rows = (
            slice(max(0, int((a - v0) / cell)), max(0, int((b - v0) / cell)) + 2)
            for a, b, v0 in zip(low, high, (x0, y0), strict=True)
        )
        x0, y0 = x0 + columns.start * cell, y0 + rows.start * cell
    nodes, begins = small_pieces(
        plane.cleared[rows, columns], plane.skin, plane.room[rows, columns], plane.wall,
        int(np.ceil(MOST_SPECK * plane.radius**2 / cell**2)) - 1,
    )  # fmt: skip
    j, i = np.divmod(nodes, plane.room[rows, columns].shape[1])
    places = np.column_stack([x0 + i * cell, y0 + j * cell])
    least = LEAST_SPECK * plane.radius**2 / cell**2
    return [places[a:b] for a, b in pairwise(begins) if b - a > least]


def runs_over(speck: Points, radius: float) -> list[Points]:
    """Straight runs (2, 2) of the centre that sweep all of a speck, those along its length first."""
    middle = speck.mean(axis=0)
    longest = _longest(speck - middle)
    turns = longest + np.pi * np.array([k * (-1) ** m for k in range(DIRECTIONS // 2 + 1) for m in (0, 1)]) / DIRECTIONS
    found = []
    for turn in np.concatenate([turns, turns + np.pi]):
        way = np.array([np.cos(turn), np.sin(turn)])
        along = (speck - middle) @ way
        # The leading edge comes from before it to behind it; it is bent, so that what lies aside is met later.
        aside = np.abs((speck - middle) @ np.array([-way[1], way[0]])).max()
        bent = radius - np.sqrt(max(0.0, radius**2 - aside**2))
        first, last = along.min() - MARGIN * radius, along.max() + MARGIN * radius + bent
        found.append(np.array([middle + (first - radius) * way, middle + (last - radius) * way]))
    return found


def _longest(points: NDArray[np.float64]) -> float:
    """The direction in which points about the origin are spread most, radians."""
    xx, yy, xy = (points[:, 0] ** 2).sum(), (points[:, 1] ** 2).sum(), (points[:, 0] * points[:, 1]).sum()
    return 0.5 * float(np.arctan2(2.0 * xy, xx - yy))
