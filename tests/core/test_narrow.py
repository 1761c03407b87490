"""Slots hardly wider than the cutter: what is left, how long they take, and the middle lines that ways lead along."""

import math
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, MultiLineString, Point, Polygon, box

from justbite.field.distance import signed_distance
from justbite.field.grid import Grid
from justbite.model.parse import parse_job
from justbite.odd import odd_areas
from justbite.path.entry import is_narrow, is_snug
from justbite.path.narrow import Middle
from justbite.path.opening import _narrow_ramps, _to_tips
from justbite.path.rim import Rim
from justbite.path.spine import _along, _cells, _whole, middle, straightened
from justbite.plan import plan
from justbite.tolerances import CHORD
from tests.core.test_path import job, rectangle

RADIUS = 5.0
CIRCLE = Point(0, 0).buffer(30, quad_segs=64).exterior


def groove(lines: shapely.Geometry, width: float, **wishes: Any) -> dict[str, Any]:
    """A job of a groove along lines; 10 mm cutter, 3 mm of radial depth."""
    shape = lines.buffer(width / 2, quad_segs=32)
    rings = [np.asarray(ring.coords)[:-1].tolist() for ring in (shape.exterior, *shape.interiors)]
    return job(rings[0], ae=3.0, islands=rings[1:], **wishes)


def crescent(width: float, inner: float, ae: float) -> dict[str, Any]:
    """An area whose centre has a crescent between arcs of 30 and `inner` mm, `width` mm in the middle; 10 mm cutter."""
    outer, cut = Point(0, 0).buffer(30, quad_segs=64), Point(30 - inner - width, 0).buffer(inner, quad_segs=128)
    shape = outer.difference(cut).buffer(RADIUS + 0.01, quad_segs=64).simplify(CHORD)
    return job(np.array(shape.exterior.coords)[:-1].tolist(), ae=ae)


class GrooveTest(SimpleTestCase):
    def check(self, data: dict[str, Any], most: float) -> dict[str, Any]:
        """Nothing left, nothing hurt, and no longer than so many times its ideal."""
        row = plan(parse_job(data)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["entry_over_bite"], 1.05)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLess(row["seconds"], most * row["ideal_seconds"])
        return dict(row)

    def test_a_ring_is_ramped_into_all_round(self) -> None:
        """It was ramped half round, and looped the rest (5.2 of its ideal), or was not cut at all (10.1 mm)."""
        self.check(groove(CIRCLE, 12.0), 1.6)
        self.check(groove(CIRCLE, 10.1), 1.8)

    def test_all_lines_of_a_network_are_ramped_along_first(self) -> None:
        wheel = MultiLineString([list(CIRCLE.coords), [(-30, 0), (30, 0)], [(0, -30), (0, 30)]])
        cross = MultiLineString([[(0, 0), (80, 0)], [(40, -40), (40, 40)]])
        for lines, width, most in ((wheel, 12.0, 1.7), (cross, 11.0, 1.8), (cross, 10.1, 2.1)):
            row = self.check(groove(lines, width), most)
            # Ways from wall to wall lead along the middle lines, not over the part.
            self.assertLess(row["link_seconds"], 0.25 * row["seconds"])

    def test_bends_wider_than_the_legs_hide_none_of_them(self) -> None:
        """The middle lines broke where legs are much narrower than the mean: it was entered eight times."""
        self.check(groove(LineString([(0, 0), (60, 0), (0, 40), (60, 40)]), 10.1), 2.2)

    def test_frames_with_sharp_corners(self) -> None:
        """What stands in their corners is too much for a slice of one thickness all round."""
        self.check(groove(box(0, 0, 80, 50).exterior, 12.0), 1.7)

    def test_a_crescent_that_closes_at_both_ends_leaves_no_film(self) -> None:
        """Passes begin where its ramp ends, in the tip, and get no hold there (5 to 8 % of it was left, or all)."""
        for width, inner, ae in ((0.3, 34.0, 2.0), (1.0, 34.0, 2.0), (1.4, 32.0, 4.0), (1.4, 34.0, 1.0)):
            self.check(crescent(width, inner, ae), 4.0)
        with (
            patch("justbite.path.level.along_walls", lambda _, x, y, *__, **___: (x, y)),
            patch("justbite.path.level.along_films", lambda *_: []),
        ):
            without = plan(parse_job(crescent(0.3, 34.0, 2.0))).report["operations"][0]
        self.assertGreater(without["left_over_share"], 0.01)

    def test_a_slot_as_wide_as_the_cutter_is_ramped_through(self) -> None:
        """All is taken on the way in: that was told as nothing to cut. What is wider by a hair is gone along, too."""
        for width in (10.02, 10.05):
            row = self.check(groove(LineString([(0, 0), (60, 0)]), width), 2.2)
            self.assertGreater(row["removed_mm3"], 590.0 * 8.0)
            self.assertTrue(row["levels"])

    def test_a_slot_open_at_both_ends_is_ramped_through_and_gone_along(self) -> None:
        data = job([[0, -6], [60, -6], [60, 6], [0, 6]], ae=3.0, open_edges=[1, 3])
        data["stock"] = {"box": {"min": [0, -30, -15], "max": [60, 30, 0]}}
        self.check(data, 2.2)

    def test_films_that_no_pass_from_outside_gets_hold_of_are_gone_along(self) -> None:
        """0.01 and 0.005 R on each side: the way from outside left them."""
        for width in (10.1, 10.05):
            data = job([[0, -width / 2], [60, -width / 2], [60, width / 2], [0, width / 2]], ae=3.0, open_edges=[1, 3])
            self.check(data, 2.2)

    def test_a_network_that_is_open_in_part_is_ramped_along_first(self) -> None:
        """With the air outside it is no groove on the mean: from there passes looped in it (1.59 of the ideal)."""
        row = plan(parse_job(next(odd_areas(range(1028, 1029))))).report["operations"][0]
        self.assertLess(row["seconds"], 1.45 * row["ideal_seconds"])
        self.assertLessEqual(row["left_over_share"], 1.5e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertEqual(row["gouge_mm"], 0)

    def test_a_groove_of_a_hair_is_gone_along_in_few_blocks(self) -> None:
        """145 mm of two rings that cross, 0.003 mm wide for the centre: in 70 116 blocks of 0.003 mm from side to side,
        3.9 of the ideal, and in 100 s of planning."""
        row = self.check(next(odd_areas(range(1098, 1099))), 1.3)
        self.assertLess(row["blocks"], 4000)


class MiddleTest(SimpleTestCase):
    def setUp(self) -> None:
        self.cross = Middle((np.array([[0.0, 0.0], [80.0, 0.0]]), np.array([[40.0, 0.0], [40.0, 30.0]])), RADIUS)

    def test_ways_lead_round_by_the_lines(self) -> None:
        way = self.cross.way(np.array([10.0, 0.3]), np.array([40.2, 25.0]))
        self.assertTrue((way[0] == (10.0, 0.3)).all() and (way[-1] == (40.2, 25.0)).all())
        self.assertLess(float(np.max(shapely.distance(self.cross.shape, shapely.points(way)))), 0.31)
        # 30 along the one line and 25 along the other; straight across it would be 39.
        self.assertAlmostEqual(float(np.hypot(*np.diff(way, axis=0).T).sum()), 55.0, delta=1.0)
        away = self.cross.away(np.array([10.0, 0.0]), [np.array([[40.0, 25.0]]), np.array([[80.0, 0.0], [0.0, 0.0]])])
        np.testing.assert_allclose(away, [55.0, 10.0], atol=0.7)

    def test_a_ring_is_gone_the_shorter_way_round(self) -> None:
        ring = Middle((np.asarray(CIRCLE.coords),), RADIUS)
        way = ring.way(np.array([30.0, 0.0]), np.array([0.0, -30.0]))
        self.assertAlmostEqual(float(np.hypot(*np.diff(way, axis=0).T).sum()), 15.0 * math.pi, delta=0.5)

    def test_the_nearest_places_and_the_film_that_may_stand(self) -> None:
        beside = self.cross.beside(np.array([[20.0, 1.0], [41.0, 10.0], [90.0, 0.0]]))
        np.testing.assert_allclose(beside, [[20.0, 0.0], [40.0, 10.0], [80.0, 0.0]])
        self.assertAlmostEqual(self.cross.film(), 0.0006 * self.cross.shape.buffer(RADIUS).area)


class ShapeTest(SimpleTestCase):
    def test_narrow_and_snug(self) -> None:
        """A slot with a room at its end is narrow on the mean; snug is what has no room anywhere."""
        slot = box(0, 0, 300, 1)
        self.assertTrue(is_narrow(slot, RADIUS) and is_snug(slot, RADIUS))
        roomy = slot.union(Point(300, 0.5).buffer(6))
        self.assertTrue(is_narrow(roomy, RADIUS))
        self.assertFalse(is_snug(roomy, RADIUS))

    def test_ramps_go_on_to_the_end_of_a_slot(self) -> None:
        slot = LineString([(0, 0), (60, 0)]).buffer(1.0, quad_segs=32)
        line = _to_tips(np.array([[0.5, 0.0], [59.0, 0.0]]), slot, RADIUS)
        np.testing.assert_allclose(line[[0, -1]], [[-1.0, 0.0], [61.0, 0.0]], atol=0.01)
        kept = _to_tips(np.array([[0.5, 0.0], [59.0, 0.0]]), slot, RADIUS, (True, False))
        np.testing.assert_allclose(kept[[0, -1]], [[0.5, 0.0], [61.0, 0.0]], atol=0.01)
        longest = max(_narrow_ramps(slot, RADIUS), key=lambda ramp: LineString(ramp.points).length)
        self.assertAlmostEqual(LineString(longest.points).length, 62.0, delta=0.05)
        self.assertEqual(_narrow_ramps(box(0, 0, 60, 40), RADIUS), [])

    def test_the_middle_of_legs_much_narrower_than_their_bends_hangs_together(self) -> None:
        bends = shapely.union_all([Point(0, 0).buffer(3), Point(60, 0).buffer(3)])
        part = Polygon([(2.9, -0.05), (57.1, -0.05), (57.3, 0.05), (20.2, 0.05), (2.2, 0.05)]).union(bends)
        self.assertTrue(is_narrow(part, RADIUS))
        self.assertFalse(_whole(_cells(part, _along(part, 0.5), 0.5)[2]))
        spots, room, edges = middle(part, RADIUS, True)
        self.assertTrue(_whole(edges))
        leg = (spots[edges[:, 0], 0] > 5) & (spots[edges[:, 0], 0] < 55)
        self.assertLess(float(np.abs(spots[edges[leg, 0], 1]).max()), 0.05)
        self.assertAlmostEqual(float(np.median(room[edges[leg, 0]])), 0.05, delta=0.015)

    def test_a_line_from_side_to_side_is_straightened(self) -> None:
        """Round a ring 0.003 mm wide, over the middle and back by 0.0012 mm at every step of 0.003 mm."""
        part = Point(0, 0).buffer(20.0015, quad_segs=512).difference(Point(0, 0).buffer(19.9985, quad_segs=512))
        angle = np.linspace(0.0, 1.0, 7000)
        away = 20.0 + 0.0012 * (-1.0) ** np.arange(len(angle))
        line = np.column_stack([away * np.cos(angle), away * np.sin(angle)])
        straight = straightened(line, part, 2.5)
        self.assertLess(len(straight), 300)
        self.assertTrue(shapely.within(LineString(straight), part.buffer(0.0005)))

    def test_what_stands_along_walls_is_told_stretch_by_stretch(self) -> None:
        """A locus of 40 x 4 mm, all cut but for what stands above y = 8 from x = 10 to 20."""
        grid = Grid.over((-10.0, -10.0, 50.0, 14.0), 0.1)
        ring = np.asarray(shapely.segmentize(box(0, 0, 40, 4).exterior, 0.25).coords)[:-1][::-1]
        cleared = signed_distance(box(10, 8, 20, 14), grid, 5.0)
        rim = Rim((ring,), np.zeros((2, 2), dtype=np.float32), (grid.x0, grid.y0, grid.cell), 5.0, 5.0)
        middle_line = LineString([(0, 2), (40, 2)])
        (stretch,) = rim.standing(cleared, 0.05, middle_line, 3.0)
        self.assertTrue((stretch[:, 1] == 4.0).all())
        # The circle of 5 mm about y = 4 reaches over 8 for 3 mm to either side of its middle; and three points more.
        self.assertAlmostEqual(float(stretch[:, 0].min()), 10.0 - 3.0 - 0.75, delta=0.6)
        self.assertAlmostEqual(float(stretch[:, 0].max()), 20.0 + 3.0 + 0.75, delta=0.6)
        self.assertEqual(rim.standing(cleared, 0.05, LineString([(0, -9), (40, -9)]), 3.0), [])
        self.assertEqual(rim.standing(np.full_like(cleared, -1.0), 0.05, middle_line, 3.0), [])
        # Where something stands all round, it is closed.
        (whole,) = rim.standing(np.full_like(cleared, 1.0), 0.05, middle_line, 3.0)
        self.assertEqual(len(whole), len(ring) + 1)
        self.assertTrue((whole[0] == whole[-1]).all())


class CutBeforeTest(SimpleTestCase):
    """What a cutter left of a slot, or of a pocket, goes to one as wide: nothing stands where it comes down."""

    def second(self, width: float, allowance: float, entry: str = "auto") -> dict[str, Any]:
        """The row of an operation that takes the allowance of one before it, with a cutter as wide; 20 mm deep."""
        data = job(rectangle(70, width))
        data["regions"][0]["bottom"] = -20
        data["tools"] = [{**data["tools"][0], "diameter": 20.0, "flute_length": 45.0, "stickout": 60.0}]
        walls = {"wall": allowance, "floor": 0.0}
        first = {"name": "first", "regions": ["area"], "tool": 1, "allowance": walls, "tolerance": 0.02}
        data["operations"] = [
            first,
            {**first, "name": "second", "allowance": {"wall": 0.0, "floor": 0.0}, "entry": entry},
        ]
        made = plan(parse_job(data))
        self.assertNotIn("entry.ramp", {w["code"] for w in made.report["warnings"] if w["operation"] == "second"})
        row = made.report["operations"][1]
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLess(row["left_over_share"], 0.001)
        self.assertEqual(row["rapid_in_stock_mm"], 0.0)
        # 20 mm at the feed of links, and on the way there by rapid: 4 to 5 s on a ramp before.
        self.assertLess(row["entry_seconds"], 0.5)
        return dict(row)

    def test_a_slot_is_come_down_in_where_it_is_clear_and_gone_along(self) -> None:
        for width, allowance in ((20.6, 0.1), (21.0, 0.3), (22.0, 0.15)):
            with self.subTest(width=width):
                row = self.second(width, allowance)
                # What was left all round, 20 mm deep, at least; both times the corners are the cutter's.
                left = 70 * width - (70 - 2 * allowance) * (width - 2 * allowance)
                self.assertGreater(row["removed_mm3"] / 20 / left, 0.98)

    def test_a_helix_that_is_wished_for_is_none_where_nothing_stands(self) -> None:
        self.second(40.0, 0.2, "helix")
        self.second(22.0, 0.15, "ramp")
