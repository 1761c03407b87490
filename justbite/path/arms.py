"""Out of an arm that was ramped into: along its one wall to its tip, and along the other back to its mouth."""

from collections.abc import Callable

import numpy as np
import shapely
import shapely.ops

from justbite.path.clearing import MOST_GRAZED, Clearing
from justbite.path.fronts import Points
from justbite.path.wipes import LEAST_WIPE

ARM_ROOM, ARM_LEAD = 0.06, 0.25
"""R: how much room to a side the centre has in an arm, at most, where its walls are gone along; and how much farther in
on its middle line that way begins."""


def along_arm(work: Clearing, line: Points, tick: Callable[[float], None]) -> tuple[float, float] | None:
    """From the tip of an arm ramped through along `line` (n, 2): in along its one wall, and out by the other.

    Between walls that close no front is found, and no pass can turn. Where that ends, None where nothing is cut.
    """
    radius, middle = work.plane.radius, shapely.LineString(line)
    walls = work.wipes.rim.beside(line, ARM_ROOM * radius)
    if walls is None:
        return None
    ends = [middle.project(shapely.Point(end)) - ARM_LEAD * radius for end in walls[[0, -1]]]
    on, off = (np.asarray(middle.interpolate(max(0.0, at)).coords) for at in ends)
    back = np.asarray(shapely.ops.substring(middle, max(0.0, ends[0]), middle.length).coords)[::-1]
    link = work.ways.link_along(np.ascontiguousarray(back), MOST_GRAZED)
    return None if link is None else work.cut_along(link, np.vstack([on, walls, off]), LEAST_WIPE, tick)
