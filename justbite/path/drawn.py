"""Helices drawn out along a straight line: a closed ramp round it, near enough to leave no core.

How long a way down takes is a matter of the ramp angle alone, as long as its load is below the bite's. What is
longer opens more in the same time.
"""

import numpy as np
import shapely
import shapely.ops
from shapely.geometry import LineString, Point, Polygon

from justbite.path.area import longest_line
from justbite.path.entry import Entry

LENGTHS = (1.5, 3.0, 5.0, 8.0)
"""R: how long the lines are that are tried."""
LEAST = 1.0
"""R: a helix drawn out by less is not worth planning for."""
ARC_PARTS = 9
"""Lines to a quarter circle at its ends."""
HAIR = 1e-3
"""R: by how much the ring is smaller than the usual helix, which may fill all the room there is."""


def drawn_out(usual: Entry, part: Polygon, radius: float, stroke: float) -> list[Entry]:
    """Ways in like `usual`, a helix in `part` of the locus, but drawn out: shorter ones first.

    `stroke`: mm that a ramp goes while it comes down as much as a stroke may be deep.
    """
    if usual.centre is None:
        return []
    middle = Point(usual.centre)
    r = float(usual.points[0, 0]) - middle.x - HAIR * radius
    inner = part.buffer(-r)
    whole = LineString(longest_line(inner, middle.x, middle.y, 2.0 * LENGTHS[-1] * radius))
    best = max(LEAST, (0.5 * stroke - np.pi * r) / radius)
    found: list[Entry] = []
    for length in sorted({*LENGTHS, best}):
        if whole.length < length * radius:
            break
        # About the middle of the usual one, as far as there is room on both sides.
        first = min(max(0.0, whole.project(middle) - 0.5 * length * radius), whole.length - length * radius)
        line = shapely.ops.substring(whole, first, first + length * radius)
        ring = shapely.orient_polygons(line.buffer(r, quad_segs=ARC_PARTS)).exterior
        points = np.asarray(ring.coords)
        found.append(Entry("ramp", points, float(np.arctan2(*(points[-1] - points[-2])[::-1]))))
    return found
