"""Entries and their load, and the plain path that minutes are compared with."""

import math

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Polygon, box

from justbite.model.moves import ENTRY
from justbite.model.parse import parse_job
from justbite.path.area import make_area, parts_of
from justbite.path.entry import find_entry
from justbite.path.level import fields_of
from justbite.path.plain import plain_part, rings_of
from justbite.path.program import Feeds, helix_drop
from justbite.plan import plan
from tests.core.test_path import job, rectangle

FEEDS = Feeds(cut=3000, entry=2000, link=10_000, rapid=20_000, ramp=0.05, acceleration=4000, removal=40_000)


class EntryLoadTest(SimpleTestCase):
    def test_drop_in_closed_form(self) -> None:
        """pi (r + R)^2 mm3 for each mm down; the ramp angle holds where the load would allow more."""
        fall = 40_000 / (math.pi * 9.5**2)
        self.assertAlmostEqual(
            helix_drop(4.5, 5.0, FEEDS) / (math.pi * 4.5), math.tan(min(0.05, math.asin(fall / 2000))), 9
        )
        small = helix_drop(1.0, 1.0, FEEDS)
        self.assertAlmostEqual(small, math.pi * math.tan(0.05), 9)

    def test_no_entry_takes_more_than_the_bite(self) -> None:
        """Removal rate in the entry, from the NC text, over that of the bite: helix, and ramp in a slot."""
        for outline in (rectangle(60, 45), rectangle(60, 11.5)):
            made = plan(parse_job(job(outline)))
            load = made.trace.share[made.trace.part == ENTRY]
            self.assertLessEqual(float(load.max()), 1.05)
            self.assertGreater(float(load.max()), 0.2)

    def test_a_helix_in_the_middle_and_a_slot_from_its_end(self) -> None:
        for outline, x in ((rectangle(80, 50), 40.0), (rectangle(80, 14), None)):
            planned = parse_job(job(outline))
            area = make_area(planned, planned.regions[0], 5.0, 0.0, 0.006, 0.002, 1.0)
            entry = find_entry(area, parts_of(area)[0], 1.0)
            assert entry is not None and entry.centre is not None
            if x is not None:
                self.assertAlmostEqual(entry.centre[0], x, delta=1.5)
            else:
                self.assertGreater(abs(entry.centre[0] - 40.0), 25.0)


class PlainPathTest(SimpleTestCase):
    def test_rings_of_a_square(self) -> None:
        rings = rings_of(box(0, 0, 40, 40), 5.0, 0.001)
        lengths = [float(np.hypot(*np.diff(r, axis=0).T).sum()) for r in rings]
        np.testing.assert_allclose(lengths, [40, 80, 120, 160], rtol=1e-6)

    def test_its_worst_place_is_a_full_slot(self) -> None:
        planned = parse_job(job(rectangle(80, 50)))
        area = make_area(planned, planned.regions[0], 5.0, 0.0, 0.006, 0.002, 1.0)
        part: Polygon = parts_of(area)[0]
        entry = find_entry(area, part, 1.0)
        assert entry is not None
        _, cleared, grid = fields_of(area, part, 5.0)
        plain = plain_part(area, part, entry, 5.0, 0.01, cleared, (grid.x0, grid.y0, grid.cell))
        self.assertAlmostEqual(plain.worst, 10.0, delta=0.3)

    def test_half_the_feed_is_half_the_load_allowed(self) -> None:
        """Where the feed is pinned the bite's own loads are the plain path's ceiling."""
        seconds = []
        for feed in (2000, 1000):
            data = job(rectangle(60, 40))
            data["operations"][0] |= {"feed": feed}
            seconds.append(plan(parse_job(data)).report["operations"][0]["plain_seconds"])
        self.assertGreater(seconds[1], 1.6 * seconds[0])
        self.assertLess(seconds[1], 2.1 * seconds[0])
