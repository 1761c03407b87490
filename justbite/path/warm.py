"""The kernels made ready once in a process: its forks have them too, and need not each read them from disk again."""

from functools import lru_cache

import numpy as np
import shapely

from justbite.path.area import Area, parts_of
from justbite.path.descent import FullWidth, descend
from justbite.path.entry import find_entry
from justbite.path.level import plan_part

TARGET = 0.4


@lru_cache(maxsize=1)
def make_ready() -> None:
    """Plan a tiny area for a cutter of radius 1: a room and an arm, with sharp corners to be wiped."""
    room = shapely.union_all([shapely.box(0, 0, 3.4, 3.4), shapely.box(3.4, 0.3, 5, 3.0)])
    area = Area("", room, room, shapely.Polygon(), room, room.buffer(-1.0), 1.0, 1.0, 0.001, ())
    for part in parts_of(area):
        plan_part(area, part, find_entry(area, part, 0.1), TARGET, "", lambda _share: None)
    descend(np.array([[0.0, 0.0], [9.0, 0.0]]), 0.0, -1.0, 1.0, 0.05, FullWidth(100.0, 100.0))
