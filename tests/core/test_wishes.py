"""What the user may ask of the path: the way in, the start, the order, both directions."""

import math
from itertools import pairwise
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import MultiPoint, Point, Polygon, box

from justbite.bench import made_areas, measured
from justbite.errors import NothingToCutError
from justbite.field.grid import Grid
from justbite.model.moves import ENTRY, RAPID
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.path import opening
from justbite.path.following import follow
from justbite.path.plane import NOTHING
from justbite.path.rim import Rim
from justbite.path.wipes import Wipes
from justbite.plan import Plan, plan
from justbite.proof import replay
from tests.core.test_path import LOG, job, rectangle


def planned(data: dict[str, Any], region: dict[str, Any] | None = None, **operation: Any) -> Plan:
    data["operations"][0].update(operation)
    data["regions"][0].update(region or {})
    return plan(parse_job(data))


def codes(made: Plan) -> list[str]:
    return [w["code"] for w in made.report["warnings"]]


class WayInTest(SimpleTestCase):
    def test_plunge_only_with_a_cutter_that_may(self) -> None:
        data = job(rectangle(30, 24))
        refused = planned(data, entry="plunge")
        self.assertIn("entry.wish", codes(refused))
        data["tools"][0]["centre_cutting"] = True
        made = planned(data, entry="plunge")
        self.assertNotIn("entry.wish", codes(made))
        position = made.trace.position[made.trace.part == ENTRY]
        down = position[(position[:, 2] < -0.5) & (position[:, 2] > -7.9)]
        np.testing.assert_allclose(down[:, :2], np.broadcast_to(down[0, :2], down[:, :2].shape), atol=1e-3)
        row = made.report["operations"][0]
        self.assertLessEqual(row["max_over_target"], 1.05)
        load = made.trace.share[made.trace.part == ENTRY]
        self.assertLessEqual(float(load.max()), 1.05)

    def test_hardly_wider_than_the_cutter_it_plunges_where_it_may(self) -> None:
        """Neither a helix (0.25 R) nor a ramp (0.8 R) has room: an 8 mm cutter in 9.3 to 9.8 mm square."""
        for side, share in ((9.3, 0.05), (9.3, 0.2), (9.8, 0.12), (9.8, 0.4)):
            data = job(rectangle(side, side), diameter=8, ae=8 * share)
            data["tools"][0]["centre_cutting"] = False
            with self.assertRaises(NothingToCutError):
                planned(data)
            data["tools"][0]["centre_cutting"] = True
            row = planned(data).report["operations"][0]
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertLessEqual(row["entry_over_bite"], 1.0)
            self.assertLessEqual(row["left_over_share"], 0.001)
            self.assertEqual(row["gouge_mm"], 0)
            # All that the cutter reaches is gone, but for the tolerance at the walls: the square less corners of R 4.
            area = side**2 - (4 - math.pi) * 16
            self.assertAlmostEqual(row["removed_mm3"] / 8, area, delta=4 * side * 0.01)
        # In 9 mm passes would find no beginning.
        narrow = job(rectangle(9, 9), diameter=8, ae=1.0)
        narrow["tools"][0]["centre_cutting"] = True
        with self.assertRaises(NothingToCutError):
            planned(narrow)

    def test_the_start_is_the_users(self) -> None:
        made = planned(job(rectangle(40, 30)), {"start": [12, 11]})
        entry = made.trace.position[made.trace.part == ENTRY]
        middle = entry[entry[:, 2] < -1][:, :2]
        np.testing.assert_allclose((middle.min(axis=0) + middle.max(axis=0)) / 2, [12, 11], atol=0.05)
        self.assertEqual(made.report["operations"][0]["gouge_mm"], 0)

    def test_from_the_users_start_the_rest_is_still_ramped_through(self) -> None:
        """Two rooms and a long neck, begun in the one: the helix is the user's, and a ramp leads on from there."""
        rooms = box(0, 0, 40, 40).union(box(40, 12, 110, 27)).union(box(110, 0, 150, 40))
        data = job([list(p) for p in shapely.orient_polygons(rooms).exterior.coords[:-1]])
        made = planned(data, {"start": [20, 20]})
        entry = made.trace.position[made.trace.part == ENTRY]
        deep = entry[entry[:, 2] < -7.99][:, :2]
        np.testing.assert_allclose(deep[0], [20, 20], atol=4.6)
        self.assertGreater(float(np.hypot(*(deep - [20, 20]).T).max()), 30.0)
        with patch.object(opening, "_worth_planning", lambda usual, *_: [usual]):
            alone = planned(data, {"start": [20, 20]}).report
        self.assertLess(made.report["seconds"], 0.95 * alone["seconds"])
        row = made.report["operations"][0]
        self.assertEqual(row["gouge_mm"], 0)
        self.assertNotIn("entry.wish", codes(made))
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_after_the_way_in_that_is_wished_for_the_rest_is_still_ramped_through(self) -> None:
        rooms = box(0, 0, 40, 40).union(box(40, 12, 110, 27)).union(box(110, 0, 150, 40))
        data = job([list(p) for p in shapely.orient_polygons(rooms).exterior.coords[:-1]])
        data["tools"][0]["centre_cutting"] = True
        for kind, wide in (("helix", 4.6), ("plunge", 3.1)):
            data["operations"][0]["entry"] = kind
            made = planned(data)
            entry = made.trace.position[made.trace.part == ENTRY]
            first = entry[: int(np.argmax(entry[:, 2] < -7.99)) + 1]
            begun = first[first[:, 2] < -0.1][:, :2]
            self.assertLess(float(np.ptp(begun, axis=0).max()), 2.0 * wide)
            after = entry[len(first) :, :2] - begun.mean(axis=0)
            self.assertGreater(float(np.hypot(*after.T).max()), 30.0)
            with patch.object(opening, "_worth_planning", lambda usual, *_: [usual]):
                alone = planned(data).report
            self.assertLess(made.report["seconds"], 0.95 * alone["seconds"])
            row = made.report["operations"][0]
            self.assertEqual(row["gouge_mm"], 0)
            self.assertNotIn("entry.wish", codes(made))
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertLessEqual(row["entry_over_bite"], 1.05)

    def test_it_may_lie_inside_where_an_edge_is_open(self) -> None:
        """It could come in from outside: what is ramped through else is so after the user's start."""
        rooms = box(0, 0, 40, 40).union(box(40, 13, 90, 25)).union(box(90, 0, 120, 40))
        outline = [list(p) for p in shapely.orient_polygons(rooms).exterior.coords[:-1]]
        right = next(k for k, (a, b) in enumerate(pairwise([*outline, outline[0]])) if a[0] == b[0] == 120)
        made = planned(job(outline), {"start": [20, 20], "open_edges": [right]})
        entry = made.trace.position[made.trace.part == ENTRY]
        np.testing.assert_allclose(entry[entry[:, 2] < -7.99][0, :2], [20, 20], atol=4.6)
        row = made.report["operations"][0]
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["entry_over_bite"], 1.05)

    def test_a_start_in_the_wall_is_told(self) -> None:
        made = planned(job(rectangle(40, 30)), {"start": [2, 11]})
        self.assertIn("entry.wish", codes(made))
        self.assertEqual(made.report["operations"][0]["gouge_mm"], 0)


class OrderTest(SimpleTestCase):
    def heights_cut(self, order: str) -> list[float]:
        data = job(rectangle(24, 20))
        data["regions"].append({"name": "second", "outline": [[40, 0], [64, 0], [64, 20], [40, 20]], "bottom": -8})
        data["stock"]["box"]["max"][0] = 80
        made = planned(data, order=order, regions=["area", "second"], step_down=4)
        self.assertLessEqual(made.report["operations"][0]["left_over_share"], 1e-3)
        level = made.trace.level[made.trace.share > 0.1]
        return [float(z) for z in level[np.concatenate([[True], np.diff(level) != 0])]]

    def test_area_by_area_and_level_by_level(self) -> None:
        self.assertEqual(self.heights_cut("areas"), [-4, -8, -4, -8])
        self.assertEqual(self.heights_cut("levels"), [-4, -8])


class BothWaysTest(SimpleTestCase):
    def test_fewer_returns_and_the_same_bounds(self) -> None:
        one_way = planned(job(rectangle(60, 40))).report["operations"][0]
        both = planned(job(rectangle(60, 40)), conventional=1.0).report["operations"][0]
        self.assertLess(both["link_seconds"], 0.9 * one_way["link_seconds"])
        self.assertLess(both["seconds"], one_way["seconds"])
        for row in (one_way, both):
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertLessEqual(row["left_over_share"], 1e-3)
            self.assertEqual(row["gouge_mm"], 0)


class GuardTest(SimpleTestCase):
    """Where a path would take too much it is taken back, field and all."""

    def setUp(self) -> None:
        self.grid = Grid.over((-20, -20, 20, 20), 0.25)
        self.frame = (self.grid.x0, self.grid.y0, self.grid.cell)
        self.field = np.full((self.grid.ny, self.grid.nx), 9.0, np.float32)

    def test_area_of_a_slot(self) -> None:
        """A slot of 10 x 8 mm after its first disc, by hand: 80 mm2."""
        path = np.array([[-4.0, 0.0], [-4.0, 1e-9], [4.0, 0.0]])
        disc = follow(self.field, *self.frame, path[:2], 5.0, 1e9, *LOG, NOTHING, np.inf)[2]
        self.assertAlmostEqual(disc, np.pi * 25, delta=0.5)
        _, used, area, _ = follow(self.field, *self.frame, path[1:], 5.0, 1e9, *LOG, NOTHING, np.inf)
        self.assertGreater(used, 0)
        self.assertAlmostEqual(area, 80.0, delta=0.4)

    def test_a_thin_crescent_is_felt(self) -> None:
        """0.1 mm of a half circle is swallowed in one step: 1.57 mm2 over 1.25 mm is 1.26 mm."""
        start = np.array([[0.0, 0.0], [0.0, 1e-9]])
        follow(self.field, *self.frame, start, 5.0, 1e9, *LOG, NOTHING, np.inf)
        before = self.field.copy()
        into = np.array([[0.0, 0.0], [0.1, 0.0]])
        depth, used, _, _ = follow(self.field, *self.frame, into, 5.0, 0.5, *LOG, NOTHING, np.inf)
        self.assertEqual(used, -1)
        self.assertAlmostEqual(float(depth[1]), 0.1 * 10.0 / 1.25, delta=0.05)
        np.testing.assert_array_equal(self.field, before)

    def test_an_arc_ends_where_it_is_written(self) -> None:
        """Ends of arcs are rounded: what lies between the rounded and the true end is not taken for cut."""
        height = np.zeros((200, 200), np.int16)
        end = np.array([[10.02, 10.0, -1.0], [14.0, 10.0, -1.0]])
        centre = np.array([[6.0, 10.0], [0.0, 0.0]])
        steps = replay.run(
            (*replay.whole_cells(height), 0.0, 0.0, 0.1, 0.0, 0.001), np.array([6.0, 6.0, -1.0]),
            np.array([3, 1], dtype=np.uint8), end, centre, np.array([np.pi / 2, 0.0]), 3.0, 0.15, 1.0,
        ).steps  # fmt: skip
        np.testing.assert_allclose(steps.place[np.nonzero(np.diff(steps.block, append=9))[0]], end)


class PeakTest(SimpleTestCase):
    def test_an_area_whose_crescents_were_swallowed(self) -> None:
        """An island at a bite of 10 %: 1.111 of the target without the guard."""
        row = measured(next(iter(made_areas(range(30, 31)))), 1e9)["operations"][0]
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["left_over_share"], 1e-3)


class CornerTest(SimpleTestCase):
    def test_sharp_corners_are_cleared(self) -> None:
        """The rest in sharp corners is wiped: 0.156 % stood there before."""
        row = planned(job(rectangle(50, 40), diameter=12, ae=2.4)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 5e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_a_cusp_between_a_pin_and_a_wall_is_cleared(self) -> None:
        """A pin 4 mm off a wall: a 12 mm cutter comes into the cusps at either side, and 0.6 % stood there before."""
        pin = np.asarray(Point(45.0, 25.0).buffer(9.0, quad_segs=16).exterior.coords)[:-1]
        shape = job(rectangle(58, 50), diameter=12, ae=1.8, islands=[pin.tolist()])
        # Without the ramps into what is left in corners as well.
        ramps = patch("justbite.path.remaining.MOST_ALL", 1.0)
        with patch.object(Wipes, "_slice", lambda self, rim, a, b, _: self.rim.eased(rim, a, b, 0.6)), ramps:
            before = planned(shape).report["operations"][0]
        self.assertGreater(before["left_over_share"], 1e-3)
        row = planned(shape).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 5e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertEqual(row["gouge_mm"], 0.0)

    def test_acute_corners_are_cleared_in_slices(self) -> None:
        """A corner of 14 degrees, and the ways round a pin that close: 1.37 and 0.196 % stood there before.

        Between walls that come together all of the width cuts. Two slices within a window would be 1.44 of the bite.
        """
        pin = Point(14, 0).buffer(28, quad_segs=64)
        ring = Point(0, 0).buffer(50, quad_segs=64)
        closing, hole = ([list(p) for p in np.asarray(g.exterior.coords)[:-1].round(4).tolist()] for g in (ring, pin))
        for shape in (
            job([[0, 0], [120, 0], [120, 30]], diameter=8, ae=1.2),
            job(closing, diameter=12, ae=1.2, islands=[hole]),
        ):
            row = planned(shape).report["operations"][0]
            self.assertLessEqual(row["left_over_share"], 2e-4)
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertEqual(row["gouge_mm"], 0.0)

    def test_a_corner_is_cut_short_of_its_tip(self) -> None:
        """A wedge of 60 degrees, its tip left out by 2 mm: across it is 2 mm, and nothing comes nearer to the tip."""
        up, down = (np.array([math.cos(a), math.sin(a)]) for a in (math.pi / 6, -math.pi / 6))
        ways = np.linspace(20.0, 0.0, 81)
        # The wedge opens to the left, its wall on the right of travel: in along the lower side, out along the upper.
        ring = np.vstack([-ways[:, None] * up, -ways[::-1][1:, None] * down])
        grid = Grid.over((-30, -15, 5, 15), 0.25)
        room = np.full((grid.ny, grid.nx), 5.0, np.float32)
        rim = Rim((ring,), room, (grid.x0, grid.y0, grid.cell), 5.0, 5.0)
        for short in (0.1, 0.4):
            run = rim.blunt(ring, 20, 140, short)
            self.assertGreaterEqual(float(np.hypot(*run.T).min()), short * 5.0 * math.cos(math.pi / 6) - 1e-6)
            gaps = np.hypot(*np.diff(run, axis=0).T)
            self.assertAlmostEqual(float(gaps.max()), max(short * 5.0, 0.25), delta=0.5)
            self.assertTrue(Polygon(ring).buffer(1e-6).covers(MultiPoint(run)))


class NarrowSlotTest(SimpleTestCase):
    def test_hardly_wider_than_the_cutter(self) -> None:
        """Ramped through, then the walls: three times the ideal at most (loops took six to eight), nothing left."""
        made = planned(job([[0, 0], [90, 0], [90, 60], [79, 60], [79, 11], [0, 11]], ae=1.5))
        row = made.report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLess(row["seconds"], 3.0 * row["ideal_seconds"])
        load = made.trace.share[made.trace.part == ENTRY]
        self.assertLessEqual(float(load.max()), 1.05)

    def test_no_rapid_comes_down_deep_in_a_slot(self) -> None:
        """Walls stand 0.3 mm beside the cutter: below the stock's top it comes down at the feed of links."""
        outline = [[0, 0], [60, 0], [60, 10.6], [0, 10.6]]
        made = planned(job(outline, ae=1.5, bottom=-20), step_down=10.0)
        self.assertEqual(len(made.report["operations"][0]["levels"]), 2)
        self.assertNotIn("rule.approach-gap", codes(made))
        # In a wide pocket they go on to the level before.
        wide = planned(job(rectangle(60, 40), bottom=-20), step_down=10.0)
        moves = read_program(wide.program)
        self.assertAlmostEqual(float(moves.end[moves.kind == RAPID, 2].min()), -9.0)
        self.assertNotIn("rule.approach-gap", codes(wide))

    def test_each_ramp_is_told_once(self) -> None:
        """Two slots joined by a neck that the cutter does not pass: two ramps, two notes (three before)."""
        outline = [[0, 0], [40, 0], [40, 3], [50, 3], [50, 0], [90, 0], [90, 11], [50, 11], [50, 8], [40, 8], [40, 11],
                   [0, 11]]  # fmt: skip
        made = planned(job(outline, ae=1.5))
        self.assertEqual(codes(made).count("entry.ramp"), 2)
