"""Ways over what is cleared, and where fronts begin, against straight lines, circles and tangents."""

import math
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import LineString, Point, Polygon, box

from justbite.field.distance import signed_distance
from justbite.field.grid import Grid
from justbite.model.parse import parse_job
from justbite.path import search
from justbite.path.clearing import Clearing
from justbite.path.fronts import CONTACTS_APART, SWEEPS, Front, Piece, Points
from justbite.path.plane import MOST_TAKEN, Plane
from justbite.path.remaining import _beside
from justbite.path.seeking import Seeker
from justbite.path.ways import MOST_REFUSALS, Ways
from justbite.plan import plan
from tests.core.test_path import job, rectangle

RADIUS, TARGET = 5.0, 2.0
SPACING = 0.25 * RADIUS
EIGHTHS = 1.0 / math.cos(math.pi / 8)
"""How much longer a way in steps of eighths of a turn is than straight, at most."""


def over(cleared: Polygon, within: Polygon, target: float = TARGET) -> Ways:
    """Ways in a plate of which `cleared` is gone, for a centre that keeps a radius from the border of `within`."""
    x1, y1, x2, y2 = within.bounds
    grid = Grid.over((x1 - 10, y1 - 10, x2 + 10, y2 + 10), RADIUS / 16)
    field, room = -signed_distance(cleared, grid, 15.0), signed_distance(within, grid, 15.0)
    return Ways(Plane(grid, field, room, RADIUS, RADIUS, target))


def length(points: Points) -> float:
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


class FloodTest(SimpleTestCase):
    def test_distances_are_those_of_eight_ways(self) -> None:
        ways = over(Point(0, 0).buffer(45, quad_segs=64), box(-60, -60, 60, 60))
        flood = ways.flood(0.0, 0.0, SWEEPS[0], 30.0)
        reached = np.isfinite(flood.distance) & (flood.distance < 30.0)
        self.assertGreater(int(reached.sum()), 1000)
        straight = np.hypot(ways._xs[reached], ways._ys[reached])
        self.assertLess(float((flood.distance[reached] / np.maximum(straight, SPACING)).max()), 1.01 * EIGHTHS)
        self.assertGreater(float((flood.distance[reached] - straight).min()), -1e-9)

    def test_contacts_stand_where_the_circle_meets_the_rim(self) -> None:
        """In a round hole of 45 mm the centre meets material 40 mm off; nearest first, and apart."""
        ways = over(Point(0, 0).buffer(45, quad_segs=64), box(-60, -60, 60, 60))
        flood = ways.flood(10.0, 0.0, SWEEPS[0], 0.0)
        self.assertGreater(len(flood.contacts), 0)
        away = np.hypot(flood.contacts[:, 0], flood.contacts[:, 1])
        self.assertGreater(float(away.min()), 40.0)
        self.assertLess(float(away.max()), 40.0 + 2.0 * SPACING + 0.1 * RADIUS)
        self.assertTrue((np.diff(flood.contacts[:, 4]) >= 0.0).all())
        self.assertAlmostEqual(float(flood.contacts[0, 4]), 30.0, delta=3.0)
        for k, one in enumerate(flood.contacts[:, :2]):
            others = np.delete(flood.contacts[:, :2], k, axis=0)
            if len(others):
                self.assertGreaterEqual(float(np.hypot(*(others - one).T).min()), CONTACTS_APART * RADIUS - 1e-9)

    def test_all_cleared_is_nothing_to_find(self) -> None:
        ways = over(box(-80, -80, 80, 80), box(-40, -40, 40, 40))
        flood = ways.flood(0.0, 0.0, SWEEPS[-1], 0.0)
        self.assertEqual(len(flood.contacts), 0)
        self.assertTrue(flood.whole)

    def test_over_a_post_that_a_link_grazes_no_cutter_comes_down(self) -> None:
        """A post of 0.7 mm wholly under the cutter at the link's end: its rim is clear all round."""
        plate = box(-40, -20, 40, 20)
        line = np.array([[-10.0, 0.0], [20.5, 0.5]])
        for cleared, comes_down in ((plate, True), (plate.difference(box(19.7, -0.1, 20.4, 0.6)), False)):
            link = over(cleared, box(-60, -60, 60, 60)).link_along(line, 0.5)
            assert link is not None and link.load is not None
            self.assertEqual(link.drop, len(link.points) - 1 if comes_down else -1)
            self.assertEqual(float(link.load.max()) > 0.1, not comes_down)

    def test_what_is_refused_comes_back_when_something_near_changes_but_not_for_ever(self) -> None:
        ways = over(box(-40, -40, 40, 0), box(-45, -45, 45, 45))

        def nearest() -> tuple[int, Points]:
            row = ways.flood(0.0, -20.0, SWEEPS[0], 0.0).contacts[0]
            return int(row[5]), row

        first, row = nearest()
        for _ in range(MOST_REFUSALS):
            self.assertEqual(nearest()[0], first)
            ways.refuse(Front((0.0, 0.0, 0.0), first, row, 0.0))
            self.assertNotEqual(nearest()[0], first)
            ways.forget(row[None, :2])
        self.assertNotEqual(nearest()[0], first)
        ways.start_anew(0.0)
        self.assertEqual(nearest()[0], first)


class LinkTest(SimpleTestCase):
    def test_straight_where_it_is_clear(self) -> None:
        ways = over(box(-60, -60, 60, 0), box(-60, -60, 60, 60))
        line = ways.line(-30.0, -20.0, (30.0, -10.0, 0.0))
        assert line is not None
        np.testing.assert_allclose(line, [[-30.0, -20.0], [30.0, -10.0]])
        self.assertIsNone(ways.line(-30.0, -20.0, (30.0, 10.0, 0.0)))

    def test_round_a_pin_it_is_little_longer_than_its_tangents(self) -> None:
        """Past a pin of 8 mm the centre keeps 13 mm off: two tangents and an arc."""
        pin = Point(0, 0).buffer(8, quad_segs=64)
        ways = over(box(-60, -60, 60, 60).difference(pin), box(-60, -60, 60, 60).difference(pin))
        start = (30.0, 0.0, 0.0)
        flood = ways.flood(-30.0, 0.0, SWEEPS[0], 200.0)
        link = ways.way_to(-30.0, 0.0, start, flood, SWEEPS[0], [])
        assert link is not None
        self.assertGreaterEqual(LineString(link.points).distance(Point(0, 0)), 13.0 - 0.01)
        shortest = 2.0 * math.sqrt(30.0**2 - 13.0**2) + 13.0 * (math.pi - 2.0 * math.acos(13.0 / 30.0))
        self.assertLess(length(link.points), 1.12 * shortest)
        self.assertGreaterEqual(length(link.points), shortest - 1e-6)
        assert link.load is not None
        self.assertEqual(float(link.load.max()), 0.0)

    def test_a_way_that_is_known_is_not_looked_for_again(self) -> None:
        """How far a front is away is asked before the way there; once something is cut it may be another."""
        pin = Point(0, 0).buffer(8, quad_segs=64)
        plate = box(-60, -60, 60, 60).difference(pin)
        ways, start = over(plate, plate), (30.0, 0.0, 0.0)
        front = Front(start, 0, np.zeros(6), np.inf)
        with patch.object(search, "flood", wraps=search.flood) as flood:
            away = ways.way_round(-30.0, 0.0, front, SWEEPS[0])
            link = ways.way_to(-30.0, 0.0, start, None, SWEEPS[0], [])
            self.assertEqual(flood.call_count, 1)
            ways.way_to(-30.0, 0.0, start, None, SWEEPS[1], [])
            self.assertEqual(flood.call_count, 2)
            ways.forget(np.array([[0.0, 50.0]]))
            again = ways.way_to(-30.0, 0.0, start, None, SWEEPS[1], [])
            self.assertEqual(flood.call_count, 3)
        assert link is not None and again is not None
        np.testing.assert_allclose(link.points, again.points)
        self.assertLessEqual(length(link.points), away + 1e-6)

    def test_no_way_round_is_looked_for_where_none_is_gone(self) -> None:
        """The front along y = 0 begins far from where it is met."""
        ways = over(box(-60, -60, 60, 0), box(-60, -60, 60, 60))
        seeker = Seeker(ways.plane, ways, 400.0)
        for horizon, asked in ((np.inf, True), (10.0, False)):
            ways.horizon = horizon
            with patch.object(Ways, "way", return_value=np.inf), patch.object(Ways, "way_round") as round_it:
                round_it.return_value = 90.0
                seeker.fronts(0.0, -6.0, SWEEPS[0])
            self.assertEqual(round_it.called, asked)

    def test_what_was_taken_just_before_counts(self) -> None:
        """A rise of 0.2 mm into a straight front takes a segment of 0.38 mm2, 0.15 of the bite over R/4."""
        ways = over(box(-60, -60, 60, 0), box(-60, -60, 60, 60))
        rise = np.array([[0.0, -5.0], [0.0, -4.8]])
        here = np.column_stack([np.arange(-3.0, 0.01, 0.25), np.full(13, -5.0)])
        segment = 25.0 * math.acos(0.96) - 4.8 * math.sqrt(25.0 - 4.8**2)
        for share, goes in ((0.0, True), (0.8, True), (0.95, False)):
            cut = Piece("cut", here, np.full(13, share * TARGET), load=np.full(13, share * TARGET))
            before = ways.lately([cut])
            self.assertAlmostEqual(float(before[:, 1].sum()), share * TARGET * 0.25 * RADIUS, delta=1e-9)
            over_all = share + segment / (0.25 * RADIUS * TARGET)
            self.assertEqual(over_all < MOST_TAKEN, goes)
            self.assertEqual(ways.link_along(rise, 0.5, before) is not None, goes)
        # Nothing of it counts once the link is farther on than the window.
        on = np.array([[0.0, -5.0], [2.0, -5.01], [2.0, -4.8]])
        self.assertIsNotNone(ways.link_along(on, 0.5, before))

    def test_the_window_reaches_back_over_short_links(self) -> None:
        cut = Piece("cut", np.array([[0.0, 0.0], [1.0, 0.0]]), np.ones(2), load=np.array([0.0, 1.5]))
        link = Piece("link", np.array([[1.0, 0.0], [1.0, 0.5]]), np.zeros(2), load=np.array([0.0, 0.2]))
        plain = Piece("link", link.points, np.zeros(2))
        ways = over(box(-60, -60, 60, 0), box(-60, -60, 60, 60))
        np.testing.assert_allclose(ways.lately([cut, link]), [[0.0, 0.1, 0.5], [0.5, 1.5, 1.0]])
        np.testing.assert_allclose(ways.lately([cut, plain]), [[0.5, 1.5, 1.0]])
        run, load = np.array([[1.0, 0.0], [1.0, 0.0], [1.0, 0.5]]), np.array([0.0, 0.2, 0.2])
        twice = Piece("link", run, np.zeros(3), load=load)
        np.testing.assert_allclose(ways.lately([cut, twice]), [[0.0, 0.1, 0.5], [0.5, 1.5, 1.0]])
        self.assertEqual(ways.lately([]).shape, (0, 3))

    def test_round_a_fin_that_no_node_sees(self) -> None:
        """0.1 mm thick, 0.05 mm either side of a column of the field: nodes with up to 0.06 mm about them are free.

        The cutter that meets it broadside takes 7 mm x 0.1 mm within the window of 1.25 mm: more than half of a bite of
        0.5 mm, which is what a link may take.
        """
        plate, bite = box(-60, -60, 60, 60), 0.5
        grid = over(plate, plate).plane.grid
        fin_x = grid.x0 + math.floor(-grid.x0 / grid.cell) * grid.cell
        start = (30.0, -20.0, 0.0)
        for half in (0.05, 0.055):
            for top, known in ((0.0, True), (20.0, True), (60.0, False)):
                ways = over(plate.difference(box(fin_x - half, -60, fin_x + half, top)), plate, bite)
                self.assertIsNotNone(ways.line(-30.0, -20.0, start))
                link = ways.way_to(-30.0, -20.0, start, None, SWEEPS[0], [])
                self.assertEqual(link is not None, known)
                if link is not None:
                    # Little longer than round its end, or over it lengthwise.
                    shortest = 2.0 * math.hypot(30.0, top + 20.0)
                    self.assertGreater(length(link.points), shortest - 2.0 * RADIUS)
                    self.assertLess(length(link.points), EIGHTHS * shortest + 2.0 * RADIUS)
                    self.assertIsNotNone(ways.plane.grazed(link.points, 0.5))
                # Nodes off the fin are as free as before; those along it are again, once something near is cut.
                closed = ways._kinds == search.BETWEEN
                self.assertFalse((closed & (np.abs(ways._xs - fin_x) > 1.7 * RADIUS)).any())
                ways.forget(np.array([[0.0, -20.0]]))
                self.assertLess(int((ways._kinds == search.BETWEEN).sum()), int(closed.sum()))

    def test_none_leads_through_what_stands(self) -> None:
        two = box(-60, -60, -10, 60).union(box(10, -60, 60, 60))
        ways = over(two, box(-60, -60, 60, 60))
        flood = ways.flood(-30.0, 0.0, SWEEPS[0], 500.0)
        self.assertEqual(ways.way(-30.0, 0.0, flood, (30.0, 0.0, 0.0)), math.inf)
        self.assertIsNone(ways.way_to(-30.0, 0.0, (30.0, 0.0, 0.0), flood, SWEEPS[0], []))


class SeekTest(SimpleTestCase):
    def test_a_front_begins_at_its_upstream_end(self) -> None:
        """A bar along the top wall: with the material on the right of travel its front begins at its right end."""
        within = box(-60, -30, 60, 30)
        ways = over(within.difference(box(-40, 10, 40, 30)), within)
        seeker = Seeker(ways.plane, ways, within.length)
        _, fronts = seeker.fronts(0.0, -10.0, SWEEPS[0])
        self.assertGreaterEqual(len(fronts), 1)
        x, y, heading = fronts[0].start
        self.assertAlmostEqual(x, 45.0, delta=2.0)
        self.assertAlmostEqual(y, 25.0, delta=1.0)
        # Past the bar's corner, 5 mm off it.
        past = math.hypot(45.0, 20.0) + 15.0
        self.assertAlmostEqual(fronts[0].way, past, delta=0.15 * past)
        self.assertLess(math.cos(heading), 0.5)

    def test_the_nearer_beginning_goes_first(self) -> None:
        """Both fronts begin at a gap between two bars: the nearer contact is below, the nearer beginning above."""
        within = box(-80, -30, 80, 30)
        ways = over(within.difference(box(-60, 12, 0, 30)).difference(box(10, -30, 70, -12)), within)
        seeker = Seeker(ways.plane, ways, within.length)
        flood, fronts = seeker.fronts(20.0, 3.0, SWEEPS[0])
        self.assertLess(float(flood.contacts[0, 1]), 0.0)
        self.assertEqual([f.way for f in fronts], sorted(f.way for f in fronts))
        self.assertGreater(fronts[0].start[1], 0.0)

    def test_strips_along_two_sides_of_a_block_are_two_fronts(self) -> None:
        """Round the block's corner nothing is left: a pass ends there, and on the next side another begins."""
        block = box(-20, -15, 20, 15)
        within = box(-60, -60, 60, 60).difference(block)
        ways = over(within.difference(box(-15, 15, 15, 16.5)).difference(box(20, -10, 21.5, 10)), within)
        ways.plane.from_air = True
        seeker = Seeker(ways.plane, ways, within.length)
        # At the end of the strip above.
        _, fronts = seeker.fronts(19.0, 20.1, SWEEPS[0])
        begins = [front.start[:2] for front in fronts]
        # R from a strip's corner; the strip that ends here begins a whole side back.
        for start, corner in zip(begins[:2], ((21.5, 10.0), (-15.0, 16.5)), strict=True):
            self.assertAlmostEqual(math.dist(start, corner), RADIUS, delta=1.0)
        self.assertLess(fronts[0].way, 13.0)
        self.assertGreater(fronts[1].way, 30.0)


class BesideTest(SimpleTestCase):
    """A strip of 2 mm stands along the wall at y 0; all else of 60 x 40 mm was cut before."""

    def data(self) -> dict[str, Any]:
        data = job(rectangle(60, 40), after=["gone"])
        data["regions"].append({"name": "gone", "outline": [[0, 2], [60, 2], [60, 40], [0, 40]], "bottom": -8})
        return data

    def test_it_comes_down_beside_what_no_link_led_to(self) -> None:
        """The first run comes to nothing: no helix fits into the strip, and it stood to the end."""
        run, runs = Clearing.run, list[tuple[Clearing, float]]()

        def stuck_at_first(work: Clearing, x: float, y: float, *rest: Any) -> None:
            again = any(one is work for one, _ in runs)
            runs.append((work, y))
            if again:
                run(work, x, y, *rest)

        with patch.object(Clearing, "run", stuck_at_first):
            made = plan(parse_job(self.data()))
        row = made.report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        # The first work is the one that has the kernels ready.
        there = [y for one, y in runs if one is runs[-1][0]]
        self.assertEqual(len(there), 2)
        self.assertGreater(there[1], 2.0 + 1.1 * RADIUS)
        self.assertLess(there[1], 2.0 + 1.5 * RADIUS)
        self.assertFalse(any("a rapid comes down" in w["sentence"] for w in made.report["warnings"]))
        # Where it came down for nothing it does not come down.
        self.assertNotIn(f"Y{there[0]:g} ", made.program)

    def test_only_where_it_is_clear_with_a_gap(self) -> None:
        strip, locus = box(0, 0, 60, 2), box(5, 5, 55, 35)
        for clear_to, found in ((40.0, True), (12.0, False)):
            ways = over(box(0, 2, 60, clear_to), box(0, 0, 60, 40))
            entry = _beside(Clearing(ways.plane), locus, strip)
            self.assertEqual(entry is not None, found)
            if entry is not None:
                self.assertEqual(entry.kind, "outside")
                np.testing.assert_allclose(entry.points[0], (30.0, 2.0 + 1.25 * RADIUS), atol=0.2 * RADIUS)
