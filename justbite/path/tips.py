"""Out of the tip of a cusp, where walls stand so close that no flood begins: back the way the cutter came."""

from collections.abc import Sequence

import numpy as np
import shapely
import shapely.ops

from justbite.path.fronts import SWEEPS, Piece, Points
from justbite.path.lines import length_of
from justbite.path.ways import Ways

TIP_REACH, TIP_STEP, MOST_BACK = 0.5, 0.25, 4.0
"""R: a flood that goes no farther begins in a tip; in what steps, and how far, the way out of it is looked for."""


def way_out(x: float, y: float, done: Sequence[Piece], ways: Ways, most: float) -> Piece | None:
    """The link back along what was `done`, out of the tip that (x, y) is in; None where it is in no such tip.

    It grazes no more than `most` targets.
    """
    radius = ways.plane.radius
    if not done or done[-1].kind != "cut" or not _is_tip(ways, x, y):
        return None
    back = shapely.LineString(_lately_gone(done, MOST_BACK * radius)[::-1])
    for way in np.arange(TIP_STEP, MOST_BACK, TIP_STEP) * radius:
        run = np.asarray(shapely.ops.substring(back, 0.0, float(way)).coords)
        if way < back.length and not _is_tip(ways, *run[-1]):
            return ways.link_along(run, most)
    return None


def _lately_gone(done: Sequence[Piece], length: float) -> Points:
    """The last `length` mm of the way gone so far, or all of it, and a little more."""
    rows: list[Points] = []
    for piece in reversed(done):
        rows.insert(0, piece.points)
        length -= float(length_of(piece.points))
        if length <= 0.0:
            break
    return np.vstack(rows)


def _is_tip(ways: Ways, x: float, y: float) -> bool:
    flood = ways.flood(x, y, SWEEPS[-1], 0.0)
    return flood.whole and flood.reached < TIP_REACH * ways.plane.radius
