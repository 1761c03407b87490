"""The kernels made ready once in a process: its forks have them too, and need not each read them from disk again."""

from functools import lru_cache

import numpy as np
import shapely

from justbite.field.pieces import small_pieces
from justbite.path.area import Area, parts_of
from justbite.path.blocks import MovesBuilder
from justbite.path.contact import standing_before, which_clear
from justbite.path.cores import missed_by
from justbite.path.descent import FullWidth, descend
from justbite.path.entry import find_entry
from justbite.path.ground import ground_of
from justbite.path.level import plan_part
from justbite.path.lines import length_of
from justbite.path.links import Speeds
from justbite.path.program import Feeds, Heights, add_level
from justbite.path.reordering import Going, reordered
from justbite.path.rim import Rim
from justbite.path.search import close, look_at_all, place_nodes
from justbite.path.spine import spines

TARGET = 0.4


@lru_cache(maxsize=1)
def make_ready() -> None:
    """Plan a tiny area for a cutter of radius 1: a room and an arm, with sharp corners to be wiped."""
    room = shapely.union_all([shapely.box(0, 0, 3.4, 3.4), shapely.box(3.4, 0.3, 5, 3.0)])
    area = Area("", room, room, shapely.Polygon(), room, room.buffer(-1.0), 1.0, 1.0, 0.001, ())
    # Of lines that were turned round, too.
    length_of(np.zeros((2, 2))[::-1])
    # Few plans leave anything that is asked about so.
    missed_by(np.zeros((1, 2)), [np.zeros((2, 2))], 1.0)
    law = np.array([0.0, 1.0]), np.array([2.0, 1.0])
    feeds = Feeds(100.0, 50.0, 400.0, 800.0, 0.05, 1000.0, follow=law, grazing=law, borne=0.1)
    for part in parts_of(area):
        spines(part, 1.0, (0.5,))
        # Walls beside ramps are gone along where an area is narrow, which this one is not; nor is it ramped into.
        ground = ground_of(area, part, TARGET)
        frame = ground.grid.x0, ground.grid.y0, ground.grid.cell
        rim = Rim(ground.rims, ground.room, frame, 1.0, area.wall)
        rim.standing(ground.cleared, 0.0, part.exterior, 0.1)
        standing_before(ground.cleared, *frame, rim.rings[0], 1.0, 0.0)
        # Places that are picked out, and the last of a line.
        for places in (rim.rings[0].copy(), rim.rings[0][-1:]):
            which_clear(ground.cleared, *frame, places, 1.0, 0.0)
        # Of large fields alone all nodes are looked at beforehand.
        xs, ys, kinds, _ = place_nodes(ground.room, *frame, 0.25, area.wall, 0.004, 0.0)
        look_at_all(ground.cleared, *frame, xs, ys, kinds, 0.25, 1.0, 0.01, 0.1)
        # Few ways lead through what takes too much.
        close(ground.cleared, *frame, xs, ys, kinds, 0.25, 0.0, 0.0, 0.6, 1.0, 0.01, 0.1)
        # Of the field as a whole, and of what lies about a pass.
        for some in (slice(None), slice(1, -1)):
            small_pieces(ground.cleared[:, some], 0.0, ground.room[:, some], area.wall, 1)
        made = plan_part(area, part, find_entry(area, part, 0.1), TARGET, "", lambda _share: None, ground=ground)
        reordered(made, area, part, TARGET, 0.0, Speeds(), Going(np.zeros(2), 0.0), lambda _share: None, ground)
        out = MovesBuilder(np.array([0.0, 0.0, 5.0]))
        add_level(out, list(made.paths), 0.0, -1.0, TARGET, Heights(5.0, 0.5, 0.3, 0.0), feeds, 0.001, 1.0)
    descend(np.array([[0.0, 0.0], [9.0, 0.0]]), 0.0, -1.0, 1.0, 0.05, FullWidth(100.0, 100.0))
