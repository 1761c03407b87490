"""Arms and necks hardly wider than the cutter: ramped into, and through, and gone along their walls."""

import math
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, Point, Polygon, box

from justbite.model.parse import parse_job
from justbite.odd import odd_areas
from justbite.path.area import parts_of
from justbite.path.clearing import Clearing
from justbite.path.entry import Wish
from justbite.path.level import plan_part, ways_into
from justbite.path.loss import Pace
from justbite.path.opening import IN_ROOM, _out_of_corners, find_openings
from justbite.path.rim import Rim
from justbite.path.spine import _on_to_the_tip, arm_line, neck_lines
from justbite.path.tight import tight_places
from justbite.plan import plan
from tests.core.test_odd_areas import area_of
from tests.core.test_path import job, rectangle

RADIUS = 5.0


class ArmsTest(SimpleTestCase):
    def test_a_line_into_an_arm_that_tapers_off(self) -> None:
        """The locus: a room of 40 mm, and a wedge 60 mm long at its side. What is cleared: the room."""
        part = box(0, -20, 40, 20).union(Polygon([(40, -1.0), (100, 0.0), (40, 1.0)]))
        rest = box(50, -6, 105, 6)
        line = arm_line(part, RADIUS, rest, lambda spots: spots[:, 0] < 45)
        assert line is not None
        self.assertTrue(part.buffer(1e-6).contains(LineString(line)))
        # A ramp takes some way: it begins well inside what is clear.
        self.assertLess(line[0, 0], 45.0 - RADIUS)
        self.assertGreater(line[-1, 0], 99.5)
        # Nothing to begin from, or nothing that is met: no line.
        self.assertIsNone(arm_line(part, RADIUS, rest, lambda spots: np.zeros(len(spots), bool)))
        self.assertIsNone(arm_line(part, RADIUS, rest, lambda spots: np.ones(len(spots), bool)))
        self.assertIsNone(arm_line(part, RADIUS, box(300, 0, 310, 10), lambda spots: spots[:, 0] < 45))

    def test_between_two_rooms_the_line_goes_all_through(self) -> None:
        """Two ramps that meet half-way leave a cusp at either wall: planned, of a ring with one side hardly wider."""
        part = shapely.union_all([box(0, -20, 40, 20), box(80, -20, 120, 20), box(40, -0.1, 80, 0.1)])
        rest = box(50, -6, 70, 6)
        line = arm_line(part, RADIUS, rest, lambda spots: np.abs(spots[:, 0] - 60) > 15)
        assert line is not None
        self.assertTrue(part.buffer(1e-6).contains(LineString(line)))
        ends = sorted(line[[0, -1], 0])
        self.assertLess(ends[0], 45.0)
        self.assertGreater(ends[1], 75.0)
        # Round a bend too, in whose corner the place that is farthest from both rooms lies.
        bent = shapely.union_all(
            [box(0, -20, 40, 20), box(39, -0.1, 80, 0.1), box(79.8, -0.1, 80, 40), box(60, 39, 99, 80)]
        )
        corner = bent.union(Polygon([(78.5, -0.1), (82, -2), (80, 1.5)]))
        line = arm_line(corner, RADIUS, box(50, -6, 86, 30), lambda at: (at[:, 0] < 45) | (at[:, 1] > 35))
        assert line is not None
        self.assertTrue(corner.buffer(1e-3).contains(LineString(line)))
        self.assertLess(line[:, 0].min(), 45.0)
        self.assertGreater(line[:, 1].max(), 35.0)
        # In a dead end as far as it goes, also where it forks on the way.
        dead = part.difference(box(70, -20, 200, 20)).union(box(55, -20, 56, 20))
        tip = arm_line(dead, RADIUS, rest, lambda spots: spots[:, 0] < 45)
        assert tip is not None
        self.assertGreater(tip[-1, 0], 69.5)

        island = [[20.0, 10.2], [40.0, 10.2], [40.0, 34.0], [20.0, 34.0]]
        made = job(rectangle(60.0, 54.0), ae=1.0, islands=[island])
        row = plan(parse_job(made)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_a_neck_with_a_bend_hardly_wider_than_the_cutter(self) -> None:
        """A fifth of a mm wide, 2.5 mm in the bend: its line leads from one room to the other."""
        for wide in (0.2, 0.05):
            rooms = [box(0, 0, 30, 30), box(50, 40, 90, 70)]
            slot = [box(29, 10, 60, 20 + wide), box(50 - wide, 10, 60, 50)]
            part = shapely.union_all([*rooms, *slot]).buffer(-RADIUS)
            (line,) = neck_lines(part, RADIUS, 0.6)
            self.assertTrue(part.buffer(1e-3).contains(LineString(line)))
            low, high = sorted(line[[0, -1]].tolist())
            self.assertLess(low[0], 25.0)
            self.assertGreater(high[1], 45.0)

    def test_what_a_small_bite_leaves_in_tips_is_ramped_away(self) -> None:
        """Films of 0.04 R in the two tips of a crescent, 0.15 % of it: torn by the nodes of the field into crumbs."""
        moon = Point(0, 0).buffer(16, quad_segs=32).difference(Point(9, 0).buffer(14, quad_segs=32))
        made = job(np.array(moon.exterior.coords)[:-1].tolist(), diameter=6, ae=0.3)
        row = plan(parse_job(made)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 0.0007)
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_where_sides_all_but_touch_the_line_goes_half_way_between_them(self) -> None:
        """Between a circle and one that crosses it at a grazing angle: some hundredths of a mm wide for the last mm."""
        outer, inner = Point(0, 0), Point(5.02, 0)
        part = outer.buffer(30, quad_segs=720).difference(inner.buffer(25, quad_segs=720))
        line = arm_line(part, RADIUS, box(20, 0, 35, 25), lambda spots: (spots[:, 0] < 10) & (spots[:, 1] > 0))
        assert line is not None
        # Where the circles cross, in closed form.
        x = (30.0**2 - 25.0**2 + 5.02**2) / (2.0 * 5.02)
        tip = np.array([x, math.sqrt(30.0**2 - x * x)])
        self.assertLess(float(np.hypot(*(line[-1] - tip))), 0.05 * RADIUS)
        self.assertTrue(part.buffer(1e-9).contains(LineString(line)))
        # Without the end of the line through the graph, which is straightened.
        last = line[np.hypot(*(line - tip).T) < 0.5 * RADIUS][1:]
        self.assertGreater(len(last), 5)
        off_outer, off_inner = 30.0 - np.hypot(*last.T), np.hypot(*(last - (5.02, 0)).T) - 25.0
        self.assertLess(float((off_outer + off_inner).max()), 0.1)
        np.testing.assert_allclose(off_outer, off_inner, atol=1e-3)
        # One that ends at the tip, or far from it, is left as it is.
        arm = Polygon([(0, -1), (30, 0), (0, 1)])
        for end in (30.0, 20.0):
            plain = np.array([[1.0, 0.0], [end, 0.0]])
            np.testing.assert_array_equal(_on_to_the_tip(plain, arm, RADIUS), plain)
        self.assertEqual(len(_on_to_the_tip(np.array([[1.0, 0.0], [28.0, 0.0]]), arm, RADIUS)), 2 + 24)

    def test_an_arm_is_followed_to_its_end(self) -> None:
        part = box(0, -20, 40, 20).union(Polygon([(39, -2.0), (120, 0.0), (39, 2.0)]))
        ((short,), (whole,)) = (neck_lines(part, RADIUS, 0.6, whole=w) for w in (False, True))
        ends = [max(line[0, 0], line[-1, 0]) for line in (short, whole)]
        self.assertGreater(ends[1], ends[0] + 2 * RADIUS)
        self.assertGreater(ends[1], 105.0)

    def test_a_short_arm_beside_what_is_cleared_is_worth_a_ramp(self) -> None:
        """An arm that goes on for 1.6 R, and one of 0.6 R: only into the first, and only where arms are asked for."""
        for long, worth in ((8.0, 1), (3.0, 0)):
            part = box(0, -20, 40, 20).union(box(39, -1.5, 40 + long, 1.5))
            self.assertEqual(len(neck_lines(part, RADIUS, 0.6, whole=True)), worth)
            self.assertEqual(neck_lines(part, RADIUS, 0.6), [])

    def test_from_outside_channels_are_ramped_through_first(self) -> None:
        """A comb, open below: two channels hardly wider than the cutter. In a plain trough one ramp is tried."""
        comb = box(0, 0, 60, 14).union(box(10, 0, 21.5, 60)).union(box(40, 0, 51.5, 60))
        points = [list(p) for p in comb.exterior.coords[:-1]]
        below = [k for k, p in enumerate(points) if p[1] == 0 and points[(k + 1) % len(points)][1] == 0]
        area = area_of(parse_job(job(points, open_edges=below)))
        (part,) = parts_of(area)
        plain, ramped = find_openings(area, part, 0.25, Wish(), 2.0, None)
        self.assertEqual((plain.kind, plain.before), ("outside", ()))
        self.assertEqual([(e.kind, e.chosen) for e in ramped.before], [("ramp", True)] * 2)
        for ramp in ramped.before:
            self.assertGreater(ramp.points[:, 1].max(), 50.0)
        # Where the user says where to begin, it begins there.
        (alone,) = find_openings(area, part, 0.25, Wish(place=(30.0, -9.0)), 2.0, None)
        self.assertEqual((alone.kind, alone.before), ("outside", ()))
        trough = area_of(parse_job(job(rectangle(60, 40), open_edges=[0])))
        (part,) = parts_of(trough)
        plain, along = find_openings(trough, part, 0.25, Wish(), 2.0, None)
        self.assertEqual((plain.before, len(along.before)), ((), 1))


def keyhole(width: float, bend: float) -> dict[str, Any]:
    """A room of 40 mm and an arm of 60 mm that goes up by `bend` half-way; 10 mm cutter, 20 %."""
    low, high = 15.0, 15.0 + width
    outline = [[0, 0], [40, 0], [40, low], [70, low + bend], [100, low], [100, high], [70, high + bend], [40, high],
               [40, 40], [0, 40]]  # fmt: skip
    return job(outline, ae=2.0)


def star() -> dict[str, Any]:
    """A round room and four arms about it; 8 mm cutter, 30 %."""
    arms = [box(-40, -4.4, 40, 4.4), box(-4.4, -40, 4.4, 40)]
    cross = shapely.union_all([Point(0, 0).buffer(16, quad_segs=32), *arms]).normalize()
    return job(np.array(cross.exterior.coords)[:-1].round(4).tolist(), diameter=8, ae=2.4)


NO_RAMP_THROUGH = patch("justbite.path.opening._through_neck", return_value=[])
QUICKEST = patch("justbite.path.tried.LEFT_COUNTS", 0.0)
"""What comes to the rescue of controls: ramps through a neck or into an arm, and plans that leave less."""


class ArmTest(SimpleTestCase):
    def test_along_the_walls_of_an_arm_no_film_is_left(self) -> None:
        """Hardly wider than the cutter: no pass can turn there, and beside the ramp stands half of what is wider."""
        for width, bend in ((10.1, 0.0), (10.2, 0.0), (10.5, 8.0)):
            row = plan(parse_job(keyhole(width, bend))).report["operations"][0]
            self.assertLessEqual(row["left_over_share"], 4e-4)
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertEqual(row["gouge_mm"], 0)
            # Without that, and without the films that are looked for at the end of a plan.
            none: list[Any] = []
            films = patch("justbite.path.level.along_films", return_value=none)
            with patch("justbite.path.level.along_arm", return_value=None), films:
                without = plan(parse_job(keyhole(width, bend))).report["operations"][0]
            self.assertGreater(without["left_over_share"], 1e-3)

    def test_passes_leave_arms_to_ramps(self) -> None:
        """Four arms of 1.1 D about a room: passes got hold of three of them, sliver by sliver, in twice the time."""
        made = parse_job(star())
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.level.tight_places", return_value=()):
            looped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.8 * looped["seconds"])

    def test_one_ramp_goes_through_all_rooms_however_narrow_their_necks(self) -> None:
        """Three rooms of 2.5 D, necks of 1.05 D: a helix in each, ramps between, and a third more time."""
        rooms = [box(0, 0, 25, 25), box(40, 0, 65, 25), box(20, 45, 45, 70)]
        necks = [box(24, 6, 41, 16.5), box(12, 24, 22.5, 50), box(12, 50, 21, 60.5)]
        made = parse_job(job(np.array(shapely.union_all([*rooms, *necks]).normalize().exterior.coords)[:-1].tolist()))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.opening.NECK_SHARES", (0.04,)):
            helices = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.9 * helices["seconds"])

    def test_a_ramp_through_rooms_begins_and_ends_in_their_middles(self) -> None:
        part = shapely.union_all([box(0, 0, 16, 20), box(15, 9.9, 30, 10.1), box(29, 0, 45, 20)])
        line = np.array([[0.5, 0.5], [8, 10], [37, 10], [44.5, 19.5]])
        found = _out_of_corners(line, part, RADIUS)
        assert found is not None
        np.testing.assert_allclose(found[1:-1], line[1:-1])
        for end in found[[0, -1]]:
            self.assertAlmostEqual(part.boundary.distance(Point(end)), IN_ROOM * 8.0, delta=0.1 * RADIUS)
        # Into an arm it goes as far as the arm does.
        arm = shapely.union_all([box(0, 0, 16, 20), box(15, 9.9, 30, 10.1)])
        self.assertIsNone(_out_of_corners(np.array([[8.0, 10.0], [29.9, 10.0]]), arm, RADIUS))

    def test_slots_that_cross_are_ramped_through_one_by_one(self) -> None:
        """Open at all four ends, 1.05 D wide: passes from outside got hold of them, and took four times as long."""
        cross = box(0, 25, 60, 35.5).union(box(25, 0, 35.5, 60)).normalize()
        outline = np.array(cross.exterior.coords)[:-1]
        middles = 0.5 * (outline + np.roll(outline, -1, axis=0))
        data = job(outline.tolist(), ae=3.0)
        data["regions"][0]["open_edges"] = np.nonzero((middles % 60.0 == 0.0).any(axis=1))[0].tolist()
        made = parse_job(data)
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.opening._all_through", return_value=[]):
            looped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.4 * looped["seconds"])

    def test_passes_do_what_they_can_where_no_ramp_leads_in(self) -> None:
        area = area_of(parse_job(star()), 4.0)
        ((_, part, ways),) = ways_into(area, 1.0, None, 2.4)
        self.assertEqual(len(tight_places(part, 4.0)), 4)
        with patch("justbite.path.level.next_entry", return_value=None):
            made = plan_part(area, part, ways[0], 2.4, "rough", lambda _: None)
            with patch("justbite.path.level._gone_on", lambda _, path, *__: path):
                without = plan_part(area, part, ways[0], 2.4, "rough", lambda _: None)
        self.assertGreater(made.cleared, without.cleared + 8.8 * 20)

    def test_which_places_are_tight(self) -> None:
        arms = [box(30, 10, 60, 20 + wide) for wide in (0.5, 2.0)]
        for arm, count in zip(arms, (1, 0), strict=True):
            part = box(0, 0, 31, 30).union(arm).buffer(-RADIUS)
            places = tight_places(part, RADIUS)
            self.assertEqual(len(places), count)
            for place in places:
                self.assertTrue(place.holds(40.0, 15.25))
                self.assertFalse(place.holds(15.0, 15.0))

    def test_a_slot_that_is_gone_into_as_asked_is_not_planned_by_passes(self) -> None:
        area = area_of(parse_job(job([[0, 0], [60, 0], [60, 12], [0, 12]])), RADIUS)
        pace = Pace(lambda _: 10.0, 0.25, 0.0, 50.0)
        ((_, _, free),) = ways_into(area, 1.0, None, 2.0, pace)
        ((_, _, asked),) = ways_into(area, 1.0, Wish(place=(30.0, 6.0)), 2.0, pace)
        self.assertTrue(any(way.by_passes for way in free))
        self.assertFalse(any(way.by_passes for way in asked))

    def test_slots_just_wide_enough_are_planned_by_passes_too(self) -> None:
        """1.2 D, and a bite of 30 %: along its walls, after ramps, takes longer there."""
        comb = [box(0, 0, 12, 72), *(box(0, at, 40, at + 12) for at in (0, 30, 60))]
        made = parse_job(job(np.array(shapely.union_all(comb).normalize().exterior.coords)[:-1].tolist(), ae=3.0))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.opening.PASSES", math.inf):
            ramped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.92 * ramped["seconds"])

    def test_films_in_a_neck_are_come_at_along_its_middle(self) -> None:
        """A neck 0.2 mm wider than the cutter: no flood leads into it, and 0.17 % stood along its walls."""
        rooms = shapely.union_all([box(0, 0, 30, 40), box(50, 0, 80, 40), box(29, 14.9, 51, 25.1)])
        made = parse_job(job(np.array(rooms.normalize().exterior.coords)[:-1].tolist(), ae=3.0))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 4e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        # Without that, coming down in the room before them, and a ramp from the middle of one room to the other;
        # the quickest plan, whatever it leaves.
        run_ups = patch("justbite.path.films.RUN_UPS", (0.15,))
        way = patch("justbite.path.narrow.Middle.way", lambda _, start, end: np.vstack([start, end]))
        middles = patch("justbite.path.opening._out_of_corners", return_value=None)
        with way, run_ups, middles, QUICKEST:
            without = plan(made).report["operations"][0]
        self.assertGreater(without["left_over_share"], 1e-3)

    def test_from_one_slot_it_comes_to_films_in_another(self) -> None:
        """Three slots of 1.02 D in the floor of a step: from within one no flood leads anywhere, and 0.13 % stood."""
        slots = [box(at, -30, at + 10.2, 1) for at in (10, 40, 70)]
        step = shapely.union_all([box(0, 0, 90, 20), *slots]).normalize()
        outline = np.array(step.exterior.coords)[:-1]
        high = (outline[:, 1] == 20) & (np.roll(outline[:, 1], -1) == 20)
        data = job(outline.tolist(), ae=3.0)
        data["regions"][0]["open_edges"] = np.nonzero(high)[0].tolist()
        made = parse_job(data)
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 5e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        # Without that, and the quickest plan whatever it leaves.
        run_ups = patch("justbite.path.films.RUN_UPS", (0.15,))
        with patch.object(Clearing, "out_of_tip", lambda *_: None), run_ups, QUICKEST:
            without = plan(made).report["operations"][0]
        self.assertGreater(without["left_over_share"], 1e-3)

    def test_wipes_do_not_eat_up_an_arm(self) -> None:
        """A dead end 0.05 mm wider than the cutter, beside a room: a ramp goes into it."""
        outline = box(0, 0, 50, 40).union(box(49, 10, 70, 20.05)).normalize()
        made = parse_job(job(np.array(outline.exterior.coords)[:-1].tolist(), ae=1.0))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.clearing.MOST_WIPED", math.inf), NO_RAMP_THROUGH:
            wiped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.95 * wiped["seconds"])

    def test_out_of_the_tip_of_a_cusp_it_goes_back_the_way_it_came(self) -> None:
        """Walls stand so close there that no flood begins: the cutter was caught, and the other cusp stayed."""
        data = next(odd_areas(range(115, 116)))
        row = plan(parse_job(data)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 5e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        # Without that, and without the ramps into what is left in corners, which wipes went into as well before.
        ramps = patch("justbite.path.remaining.MOST_ALL", 1.0)
        wipes = patch("justbite.path.clearing.MOST_WIPED", math.inf)
        with patch.object(Clearing, "out_of_tip", lambda *_: None), ramps, wipes:
            caught = plan(parse_job(data)).report["operations"][0]
        self.assertGreater(caught["left_over_share"], 1e-3)

    def test_the_way_along_its_walls_goes_in_and_out(self) -> None:
        ring = np.asarray(shapely.segmentize(box(0, 0, 40, 30).union(box(39, 14, 90, 14.4)).exterior, 0.25).coords)[:-1]
        rim = Rim((ring,), np.zeros((2, 2), dtype=np.float32), (0.0, 0.0, 1.0), 5.0, 5.0)
        way = rim.beside(np.array([[30.0, 14.2], [90.0, 14.2]]), 0.3)
        assert way is not None
        self.assertLess(float(np.abs(way[:, 1] - 14.2).max()), 0.3)
        self.assertAlmostEqual(float(way[:, 0].max()), 90.0)
        self.assertLess(float(np.hypot(*np.diff(way, axis=0).T).max()), 0.26)
        for end in way[[0, -1]]:
            self.assertAlmostEqual(float(end[0]), 40.0, delta=0.3)
        # In by one wall and out by the other; and nothing where no border is so near.
        self.assertGreater(abs(float(way[0, 1] - way[-1, 1])), 0.3)
        self.assertIsNone(rim.beside(np.array([[10.0, 10.0], [20.0, 15.0]]), 0.3))

    def test_no_wipe_leaps_over_a_wall_in_the_mouth_of_an_arm_too_narrow(self) -> None:
        """The centre's room ends in a cusp there: of a rounded run half lay before it (0.014 mm into the wall)."""
        result = plan(parse_job(keyhole(10.3, 8.0)))
        row = result.report["operations"][0]
        self.assertEqual(row["gouge_mm"], 0)
        # Where the arm bends there would be room, but no way in.
        self.assertIn("area.no-entry", [w["code"] for w in result.report["warnings"]])
        self.assertLessEqual(row["max_over_target"], 1.05)
