"""Long ramps: their strokes and load, the line along the middle, and when one is quicker than a helix."""

import math
from dataclasses import replace
from functools import partial
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import LineString, Point, Polygon, box

from justbite.bench import made_areas, measured
from justbite.bite.slot import slot_depth
from justbite.model.moves import CUT, Moves, lengths
from justbite.model.parse import parse_job
from justbite.motion.clock import Drive, block_times
from justbite.nc.reader import read_program
from justbite.path import clearing, rough, tried
from justbite.path.area import Area, make_area
from justbite.path.blocks import MovesBuilder
from justbite.path.descent import DEEPER, STATION, FullWidth, descend
from justbite.path.entry import Entry
from justbite.path.level import PartPlan, plan_part, ways_into
from justbite.path.loss import RETURN, TAPER, Pace, loss
from justbite.path.program import Feeds, Heights, add_level
from justbite.path.spine import spines
from justbite.path.terms import Terms
from justbite.path.works import Work
from justbite.plan import plan
from justbite.prepare import bite_of, case_for
from justbite.proof import replay
from justbite.proof.measure import ways_in
from tests.core.test_path import job, rectangle

RADIUS, SLOPE, FEED, REMOVAL = 5.0, math.tan(math.radians(5)), 2000.0, 40_000.0
BEARS = FullWidth(FEED, REMOVAL)
LINE = np.array([[0.0, 0.0], [80.0, 0.0]])


def steel(data: dict[str, Any]) -> dict[str, Any]:
    return {**data, "material": "carbon-steel"}


class DescentTest(SimpleTestCase):
    def test_strokes_in_closed_form(self) -> None:
        """10 mm where the full width may be cut 2 mm deep at full feed: 4 strokes of 2.5 mm at 0.8 of the feed."""
        self.assertGreaterEqual(DEEPER, 1.25)
        down = descend(LINE, 0.0, -10.0, RADIUS, SLOPE, BEARS)
        np.testing.assert_allclose(down.begin, [80.0, 0.0, 0.0])
        np.testing.assert_allclose(down.ends[-1], [80.0, 0.0, -10.0])
        points, feeds = np.vstack([down.begin, down.ends]), down.feeds
        level = np.diff(points[:, 2]) == 0.0
        self.assertEqual(sorted({round(float(z), 6) for z in points[1:, 2][level]}), [-10.0, -7.5, -5.0, -2.5])
        for z in (-7.5, -5.0, -2.5):
            self.assertAlmostEqual(float(feeds[level & (points[1:, 2] == z)].max()), 0.8 * FEED, 6)

    def test_never_steeper_than_allowed(self) -> None:
        down = descend(LINE, 0.0, -10.0, RADIUS, SLOPE, BEARS)
        points = np.vstack([down.begin, down.ends])
        way = np.hypot(*np.diff(points[:, :2], axis=0).T)
        self.assertLessEqual(float((-np.diff(points[:, 2]) - SLOPE * way).max()), 1e-9)

    def test_short_lines_go_down_at_the_slope_alone(self) -> None:
        """What a slope needs for its depth, and once flat along the line: no way down at that slope is shorter.

        Holds where the load does not: 40 mm at 5 degrees are 3.5 mm, and the full width may be cut 5 mm deep.
        """
        for length in (5.0, 27.8, 40.0):
            line = np.array([[0.0, 0.0], [length, 0.0]])
            down = descend(line, 0.0, -10.0, RADIUS, SLOPE, FullWidth(FEED, 10.0 * REMOVAL))
            points = np.vstack([down.begin, down.ends])
            way = float(np.hypot(*np.diff(points[:, :2], axis=0).T).sum())
            self.assertLess(way, 10.0 / SLOPE + length + 2.0 * STATION * RADIUS)
            self.assertGreaterEqual(way, 10.0 / SLOPE + length - 1e-9)
            np.testing.assert_allclose(points[-1], [length, 0.0, -10.0])
            self.assertAlmostEqual(down.minutes, np.linalg.norm(np.diff(points, axis=0), axis=1).sum() / FEED)

    def test_no_slope_of_the_last_stroke_is_gone_over_thrice(self) -> None:
        """4 strokes of 2.5 mm, and forth and back over half of the last one's slope; all else is cut in passing."""
        down = descend(LINE, 0.0, -10.0, RADIUS, SLOPE, BEARS)
        points = np.vstack([down.begin, down.ends])
        way = float(np.hypot(*np.diff(points[:, :2], axis=0).T).sum())
        self.assertAlmostEqual(way, 4 * 80.0 + 2.5 / SLOPE, delta=3 * STATION * RADIUS)

    def test_removal_on_a_map_of_heights(self) -> None:
        """The proof's replay sees no more than is allowed, also on bent and on short lines; all is at depth."""
        bent = np.array([[0.0, 0.0], [40.0, 0.0], [60.0, 30.0]])
        for line in (LINE, bent, LINE / 5.0):
            down = descend(line, 0.0, -10.0, RADIUS, SLOPE, BEARS)
            ends = down.ends
            height = np.zeros((500, 1000), dtype=np.int16)
            steps = replay.run(
                (*replay.whole_cells(height), -10.0, -10.0, 0.1, 0.0, 0.001), down.begin,
                np.ones(len(ends), dtype=np.uint8), ends,
                np.zeros((len(ends), 2)), np.zeros(len(ends)), RADIUS, 0.25, 1.0,
            ).steps  # fmt: skip
            # Over a quarter of the radius, as the proof does it.
            rate = steps.volume / steps.length() * down.feeds[steps.block]
            rate = np.convolve(rate, np.ones(5) / 5, mode="valid")
            self.assertLess(float(rate.max()), 1.13 * REMOVAL)
            self.assertGreater(float(rate.mean()), 0.5 * REMOVAL)
            along = LineString(line)
            for spot in (along.interpolate(s, normalized=True) for s in np.linspace(0.0, 1.0, 20)):
                self.assertEqual(height[round((spot.y + 10) / 0.1), round((spot.x + 10) / 0.1)], -10_000)


class SpineTest(SimpleTestCase):
    def test_the_ridge_of_a_roof_without_its_hips(self) -> None:
        """The middle line of a rectangle a x b is a - b long and b / 2 from either side."""
        for line in spines(box(0, 0, 100, 40), 5.0, (0.95, 0.6, 0.25)):
            self.assertLess(abs(LineString(line).length - 60.0), 4.0)
            np.testing.assert_allclose(line[:, 1], 20.0, atol=1.0)

    def test_bent_and_round_an_island(self) -> None:
        bent = LineString([(0, 0), (100, 0), (100, 80)])
        (line,) = spines(bent.buffer(8.0), 5.0, (0.6,))
        self.assertLess(LineString(line).hausdorff_distance(bent), 2.0)
        ring = Point(0, 0).buffer(40).difference(Point(0, 0).buffer(20))
        (line,) = spines(Polygon(ring), 5.0, (0.8,))
        np.testing.assert_allclose(np.hypot(*line.T), 30.0, atol=1.1)

    def test_none_in_what_is_round(self) -> None:
        self.assertTrue(all(LineString(s).length < 3.0 for s in spines(Point(0, 0).buffer(30), 5.0, (0.95,))))


class OpeningTest(SimpleTestCase):
    PACE = Pace(lambda _: 0.0, 0.25, 0.0)

    def test_fronts_that_close_need_no_returns(self) -> None:
        """Round a circle's middle every front closes; straight across a strip each is as long as it is wide."""
        spot = Entry("helix", np.array([[0.0, 0.0], [0.01, 0.0]]), None)
        own = LineString(spot.points).buffer(5.0).area / 2.0
        self.assertAlmostEqual(loss(spot, Point(0, 0).buffer(31), 2.0, 5.0, self.PACE), -own, 6)
        strip = loss(spot, box(-10, -10, 210, 10), 2.0, 5.0, self.PACE) + own
        # From where it meets the sides, 10 mm off, one front every 2 mm, each 20 mm wide at most.
        each = 0.25 * (20.0 + RETURN * 5.0) + TAPER * 5.0
        self.assertGreater(strip, 0.85 * 100 * each)
        self.assertLess(strip, 1.05 * 105 * each)

    def test_a_slot_in_aluminium_is_opened_by_a_ramp(self) -> None:
        slot = rectangle(120, 17)
        fast = plan(parse_job(job(slot))).report
        # That note says that no helix fits, and here one would.
        self.assertNotIn("entry.ramp", [w["code"] for w in fast["warnings"]])
        data = job(slot)
        data["operations"][0]["entry"] = "helix"
        slow = plan(parse_job(data)).report
        self.assertLess(fast["seconds"], 0.9 * slow["seconds"])
        row = fast["operations"][0]
        self.assertGreater(row["entry_seconds"], 0.3 * row["seconds"])
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["entry_over_bite"], 1.03)
        self.assertGreater(row["entry_over_bite"], 0.8)
        self.assertLess(row["left_over_share"], 0.001)

    def test_steel_is_slotted_in_thin_strokes(self) -> None:
        """No stroke deeper than is usual in steel. From a helix, whose way down opens less, it takes longer."""
        data = steel(job(rectangle(120, 17)))
        made = plan(parse_job(data))
        row = made.report["operations"][0]
        self.assertGreater(row["entry_seconds"], 0.3 * row["seconds"])
        self.assertLessEqual(row["entry_over_bite"], 1.03)
        self.assertLessEqual(row["max_over_target"], 1.05)
        planned = parse_job(data)
        deepest = slot_depth(case_for(planned, planned.operations[0]), bite_of(planned, planned.operations[0]))
        moves = read_program(made.program)
        flat = moves.end[(moves.end[:, 2] == moves.starts()[:, 2]) & (moves.end[:, 2] < 0), 2]
        floors = np.unique(np.round(np.append(flat, 0.0), 3))
        self.assertGreater(len(floors), 2)
        self.assertLessEqual(float(np.diff(floors).max()), deepest + 0.06)
        data["operations"][0]["entry"] = "helix"
        helix = plan(parse_job(data)).report["operations"][0]
        self.assertLess(row["seconds"], 0.9 * helix["seconds"])
        self.assertLess(helix["entry_seconds"], 0.3 * helix["seconds"])

    def test_an_entry_that_takes_too_much_is_told(self) -> None:
        with patch.object(rough, "ENTRY_LOAD", 1.6):
            made = plan(parse_job(job(rectangle(120, 17))))
        self.assertIn("proof.entry-load", [w["code"] for w in made.report["warnings"]])


class QuickestTest(SimpleTestCase):
    FEEDS = Feeds(cut=3000, entry=2000, link=9000, rapid=20_000, ramp=0.05, acceleration=4000, removal=40_000)

    @staticmethod
    def clock(drive: Drive, moves: Moves) -> float:
        return float(block_times(moves, drive, 0.01).sum())

    def whole(self, width: float, height: float) -> tuple[Area, Polygon, PartPlan]:
        planned = parse_job(job(rectangle(width, height)))
        area = make_area(planned, planned.regions[0], 5.0, 0.0, 0.006, 0.002, 1.0)
        ((_, part, ways),) = ways_into(area, 1.0, None, 2.0)
        return area, part, plan_part(area, part, ways[0], 2.0, "rough", lambda _: None)

    def test_what_leaves_some_is_not_quicker(self) -> None:
        """A plan that breaks off early takes less time, and is not taken for it."""
        _, _, whole = self.whole(40, 30)
        self.assertAlmostEqual(whole.cleared / (40 * 30 - (4 - math.pi) * 25), 1.0, delta=0.01)
        self.assertLess(whole.left, 1e-3)
        early = replace(whole, stands=300.0)
        self.assertIs(tried._quickest([(early, 10.0), (whole, 20.0)])[0], whole)
        self.assertIs(tried._quickest([(whole, 21.0), (other := replace(whole), 20.0)])[0], other)
        self.assertIs(tried._quickest([(early, 10.0)])[0], early)
        # A film of 0.05 % counts less than a tenth of the minutes.
        film = replace(whole, films=5e-4 * whole.reach)
        self.assertIs(tried._quickest([(whole, 22.0), (film, 20.0)])[0], film)
        self.assertIs(tried._quickest([(whole, 22.0), (replace(film, films=2 * film.films + 0.5), 20.0)])[0], whole)

    def test_seconds_are_those_of_the_machine(self) -> None:
        """A plan takes as long as the blocks made of it do, acceleration and all; each piece is fitted but once."""
        area, _, whole = self.whole(70, 45)
        law = (np.array([0.04, 0.5, 1.0, 1.3]), np.array([2.5, 1.4, 1.0, 0.8]))
        heights = Heights(10.0, 1.0, 0.3)
        for follow in (None, law):
            feeds = replace(self.FEEDS, follow=follow)
            spent = []
            for acceleration in (1e9, 500.0):
                drive = Drive(20_000, 9000, acceleration, 1e9)
                terms = Terms(
                    partial(self.clock, drive), 2.0, 2.0, 10.0, heights, feeds,
                    0.003, 5.0, 1.0, 0.01,
                )  # fmt: skip
                spent.append(terms.seconds(whole.paths, Work(area, 0.0, -8.0, ())))
            out = MovesBuilder(np.array([*whole.paths[0].entry.points[0], 10.0]))
            add_level(out, list(whole.paths), 0.0, -8.0, 2.0, heights, feeds, 0.003, 5.0)
            moves = out.build()
            feed = np.nan_to_num(moves.feed, nan=feeds.rapid)
            self.assertAlmostEqual(spent[0], 60.0 * float((lengths(moves) / feed).sum()), delta=0.01 * spent[0])
            self.assertGreater(spent[1], 1.05 * spent[0])
            # Another level of the same path has the same blocks, fitted once.
            first = len(out.rows)
            add_level(out, list(whole.paths), -8.0, -16.0, 2.0, heights, feeds, 0.003, 5.0)
            kinds = [[r[0] for r in rows if r[7] == CUT] for rows in (out.rows[:first], out.rows[first:])]
            self.assertEqual(*kinds)


class TidyTest(SimpleTestCase):
    def test_crumbs_are_taken_before_the_cutter_leaves(self) -> None:
        """Sharp corners leave crescents: to come back for them when all is done costs longer ways, but for the order
        that passes are put in at last."""
        sharp = rectangle(90, 60)
        with patch.object(tried, "reordered", return_value=None):
            tidy = plan(parse_job(job(sharp))).report["operations"][0]
            with patch.object(clearing, "LEAST_TIDY", math.inf):
                untidy = plan(parse_job(job(sharp))).report["operations"][0]
        self.assertLess(tidy["link_seconds"], untidy["link_seconds"])
        self.assertLess(tidy["left_over_share"], 0.001)


class HalfOpenTest(SimpleTestCase):
    """A ramp in from the open edge: fronts close round it, where those from the edge end at walls on both sides."""

    def over_ideal(self, outline: Any, edges: list[int], material: str = "aluminium-wrought") -> float:
        data = job(outline)
        data["regions"][0]["open_edges"] = edges
        data["material"] = material
        report = measured(data, 5000)
        (row,) = report["operations"]
        self.assertLess(row["max_over_target"], 1.05)
        self.assertLess(row["entry_over_bite"], 1.1)
        self.assertLess(row["left_over_share"], 0.001)
        # The feed is the bench's, whatever the material: ceilings are none of its matter.
        proved = [w["code"] for w in report["warnings"] if w["severity"] == "error" and w["code"][:6] == "proof."]
        self.assertEqual(proved, [])
        return float(report["seconds"] / report["ideal_seconds"])

    def test_a_slot_hardly_wider_than_the_cutter(self) -> None:
        """11 mm wide with a 10 mm cutter: 7.6 of the ideal in loops, whatever the material."""
        self.assertLess(self.over_ideal(rectangle(60, 11), [1]), 1.8)
        self.assertLess(self.over_ideal(rectangle(60, 11), [1], "alloy-steel"), 1.8)

    def test_a_pocket_with_an_open_edge(self) -> None:
        """From the edge alone 1.39 and 1.54 of the ideal."""
        self.assertLess(self.over_ideal(rectangle(60, 60), [1]), 1.35)
        self.assertLess(self.over_ideal(rectangle(60, 25), [1, 3]), 1.35)


class WaysInTest(SimpleTestCase):
    """Which steps the proof counts as a way in."""

    def ways(self, **marks: tuple[int, int]) -> list[bool]:
        names = ("descent", "above", "shallow", "light", "slow", "idle")
        rows = {name: np.zeros(40, dtype=bool) for name in names}
        for name, (first, last) in marks.items():
            rows[name][first:last] = True
        slow, idle = rows.pop("slow"), rows.pop("idle")
        feed = np.where(rows["descent"] | rows["above"] | rows["light"] | slow, 1000.0, 3000.0)
        feed[idle] = 0.0
        descent, above, shallow, light = rows.values()
        return ways_in(descent, above, shallow, light, feed, np.arange(40.0), 5.0, 3.0).tolist()

    def test_down_and_what_it_left(self) -> None:
        found = self.ways(descent=(2, 10), shallow=(10, 14))
        self.assertEqual(found, [2 <= k < 14 for k in range(40)])

    def test_flat_above_the_level_belongs_to_it(self) -> None:
        found = self.ways(descent=(2, 6), above=(6, 30))
        self.assertEqual(found, [2 <= k < 30 for k in range(40)])

    def test_not_all_that_is_shallow(self) -> None:
        """Stock that stands lower than told would be shallow for good: no more than as long again counts."""
        found = self.ways(descent=(2, 6), shallow=(6, 40))
        self.assertEqual(sum(found), 4 + 5)
        self.assertEqual(self.ways(shallow=(3, 40), above=(20, 22)), [False] * 40)

    def test_a_way_in_goes_on_for_as_long_as_it_came_down(self) -> None:
        """9 mm down and on at half the depth, in steps of 1 mm; a way back on which nothing is taken does not count."""
        count = 40
        descent = np.arange(count) < 10
        none, all_of = np.zeros(count, dtype=bool), np.ones(count, dtype=bool)
        feed, along = np.full(count, 100.0, dtype=np.float32), np.arange(1.0, count + 1)
        for back, least, last in ((0, 3.0, 19), (4, 3.0, 23), (0, 14.0, 24)):
            pace = feed.copy()
            pace[12 : 12 + back] = -100.0
            found = ways_in(descent, none, all_of, none, pace, along, least, 1.0)
            self.assertEqual(np.nonzero(found)[0].tolist(), list(range(last)))
        # Down once more it begins anew.
        again = descent | (np.arange(count) == 15)
        found = ways_in(again, none, all_of, none, feed, along, 3.0, 1.0)
        self.assertEqual(np.nonzero(found)[0].tolist(), list(range(16 + 15)))

    def test_a_level_so_thin_that_a_slot_is_light(self) -> None:
        """There the way in ends with its feed, not with its length."""
        self.assertEqual(self.ways(descent=(2, 4), light=(4, 30)), [2 <= k < 30 for k in range(40)])

    def test_at_full_depth_only_what_follows_at_once(self) -> None:
        """A corner cut slowly, after a way there on which nothing is taken, is a cut."""
        at_once = self.ways(descent=(2, 10), slow=(10, 16))
        self.assertEqual(at_once, [2 <= k < 16 for k in range(40)])
        soon = self.ways(descent=(2, 10), idle=(10, 12), slow=(12, 14))
        self.assertEqual(soon, [2 <= k < 14 for k in range(40)])
        later = self.ways(descent=(2, 10), idle=(10, 14), slow=(14, 16))
        self.assertEqual(later, [2 <= k < 14 for k in range(40)])
        # A slow stroke over what the way in left is the way in; a quick one, as on stock lower than told, is none.
        stroke = self.ways(descent=(2, 10), idle=(10, 14), slow=(14, 17), shallow=(14, 17))
        self.assertEqual(stroke, [2 <= k < 17 for k in range(40)])
        quick = self.ways(descent=(2, 10), idle=(10, 14), shallow=(14, 17))
        self.assertEqual(quick, [2 <= k < 14 for k in range(40)])
        # Out and back: the way back, on which nothing is taken, is not counted against the stroke after it.
        after = self.ways(descent=(2, 10), idle=(10, 24), slow=(24, 30), shallow=(24, 30))
        self.assertEqual(after, [2 <= k < 30 for k in range(40)])

    def test_a_cut_at_full_depth_ends_it(self) -> None:
        found = self.ways(descent=(2, 6), shallow=(7, 12))
        self.assertEqual(found, [2 <= k < 6 for k in range(40)])


class JoinedTest(SimpleTestCase):
    def test_every_piece_begins_where_the_one_before_ended(self) -> None:
        """Also where tidying took all that was left: a path that jumps would be cut straight through the part."""
        far = patch.multiple(clearing, CRUMBS_OFF=-1000.0, MOST_TIDY=1000.0)
        far.start()
        self.addCleanup(far.stop)
        for data in (*made_areas(range(21, 22)), *made_areas(range(2, 3))):
            planned = parse_job(data)
            radius = planned.tools[0].diameter / 2
            target = 2.0 * radius * data["operations"][0]["bite"]["share"]
            area = make_area(planned, planned.regions[0], radius, 0.0, 0.001 * radius, 0.005, 0.01)
            for _, part, ways in ways_into(area, 1.0, None, target):
                for path in plan_part(area, part, ways[0], target, "rough", lambda _: None).paths:
                    here = path.entry.points[-1]
                    for piece in path.pieces:
                        np.testing.assert_allclose(piece.points[0], here, atol=1e-6)
                        here = piece.points[-1]
