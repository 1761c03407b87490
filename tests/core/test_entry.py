"""Entries and their load, and the plain path that minutes are compared with."""

import math

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from justbite.field.distance import signed_distance
from justbite.model.moves import ENTRY
from justbite.model.parse import parse_job
from justbite.path.area import make_area, parts_of
from justbite.path.clearing import Clearing
from justbite.path.entry import Entry, find_entry
from justbite.path.ground import fields_of, ground_of
from justbite.path.plain import plain_part, rings_of
from justbite.path.plane import Plane
from justbite.path.program import Feeds, helix_drop
from justbite.path.remaining import next_entry
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

    def test_where_three_gaps_meet_a_ramp_goes_along_one_of_their_sides(self) -> None:
        """Gaps of 9.6 and 9.2 mm for a 10 mm cutter: its centre comes to a triangle where they meet, 2.8 mm high.

        By hand: along the upper wall 2 (4.8 - sqrt(25 - 4.2^2)) = 4.17 mm, through the widest place less than 4.
        """
        gaps = [[-30, 0], [-4.8, 0], [-4.8, -30], [4.8, -30], [4.8, 0], [30, 0], [30, 9.2], [-30, 9.2]]
        planned = parse_job(job(gaps))
        area = make_area(planned, planned.regions[0], 5.0, 0.0, 0.0, 0.0001, 1.0)
        (part,) = parts_of(area)
        entry = find_entry(area, part, 1.0)
        assert entry is not None
        self.assertEqual(entry.kind, "ramp")
        np.testing.assert_allclose(entry.points[:, 1], 4.2, atol=1e-3)
        self.assertAlmostEqual(float(np.ptp(entry.points[:, 0])), 2 * (4.8 - math.sqrt(25 - 4.2**2)), delta=0.01)
        made = plan(planned).report
        self.assertNotIn("area.no-entry", [w["code"] for w in made["warnings"]])
        self.assertLess(made["operations"][0]["left_over_share"], 0.001)
        self.assertLess(made["operations"][0]["max_over_target"], 1.05)


class StandingTest(SimpleTestCase):
    """What still stands in a floor of 90 x 90 mm gets a way in of its own where it is much, alone or together."""

    def next_entry(self, tried: list[BaseGeometry], *radii: float) -> Entry | None:
        """With a disc of each of these radii standing in the middle of a quarter of the floor."""
        planned = parse_job(job(rectangle(90, 90)))
        area = make_area(planned, planned.regions[0], 5.0, 0.0, 0.006, 0.002, 1.0)
        part = parts_of(area)[0]
        ground = ground_of(area, part, 2.0)
        discs = [Point(x, y).buffer(r) for (x, y), r in zip(((22, 22), (68, 68), (22, 68)), radii, strict=False)]
        cleared = -signed_distance(box(0, 0, 90, 90).difference(shapely.union_all(discs)), ground.grid, 15.0)
        plane = Plane(ground.grid, cleared, ground.room, 5.0, area.wall, 2.0)
        return next_entry(
            Clearing(plane, ground.rims, ground.corners), area, part, ground.reach, None, tried, narrow=False
        )

    def test_from_so_much_on(self) -> None:
        """Of 8100 mm2 0.0007 counts, with a rim of 0.1 mm; and of a piece by itself 0.0005, without one of 0.5 mm."""
        for radius, enters in ((0.1 + math.sqrt(6.5 / math.pi), True), (0.1 + math.sqrt(4.9 / math.pi), False)):
            self.assertEqual(self.next_entry([], radius) is not None, enters)

    def test_little_pieces_are_entered_where_they_are_much_together_each_once(self) -> None:
        """Two of 3.2 mm2 are 0.0008 of the floor."""
        little = 0.5 + math.sqrt(3.2 / math.pi)
        tried: list[BaseGeometry] = []
        for k in range(2):
            entry = self.next_entry(tried, little, little)
            assert entry is not None
            self.assertEqual(len(tried), k + 1)
            self.assertLess(tried[-1].distance(Point(entry.points.mean(axis=0))), 5.0)
        self.assertGreater(tried[0].distance(tried[1]), 40.0)
        self.assertIsNone(self.next_entry(tried, little, little))
        # A large one is entered however often; crumbs never.
        self.assertIsNotNone(self.next_entry([box(0, 0, 90, 90)], 3.0))
        self.assertIsNone(self.next_entry([], 0.7, 0.7, 0.7))


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
        *_, cleared, grid = fields_of(area, part, 5.0)
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
