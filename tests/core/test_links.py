"""Links between cuts: arcs and lines against closed forms, their seconds against the machine's clock."""

import math

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import LineString

from justbite.field.grid import Field, Grid
from justbite.model.moves import CLOCKWISE, COUNTERCLOCKWISE, CUT, LINE, LINK, Moves
from justbite.motion.clock import Drive, block_times, tangents
from justbite.path import links
from justbite.path.blocks import MovesBuilder
from justbite.path.entry import Entry
from justbite.path.fronts import Piece, Points
from justbite.path.level import PartPath
from justbite.path.links import RADII, SETTLING, Speeds, smooth_link
from justbite.path.program import Feeds, Heights, add_level

RADIUS = 5.0
SPEEDS = Speeds(cut=50.0, link=200.0, acceleration=5000.0, tolerance=0.01)
FEEDS = Feeds(cut=3000, entry=2000, link=12_000, rapid=20_000, ramp=0.05, acceleration=1000, removal=40_000)
HEIGHTS = Heights(travel=10.0, gap=1.0, hover=0.3)
GRID = Grid.over((-60, -60, 60, 60), 0.5)
CLEAR = np.full((GRID.ny, GRID.nx), -1.0, np.float32)


def room(ceiling: float) -> Field:
    """Distance from a wall along y = `ceiling`, below which there is room."""
    rows = ceiling - (GRID.y0 + GRID.cell * np.arange(GRID.ny))
    return np.repeat(rows[:, None], GRID.nx, axis=1).astype(np.float32)


def link(points: list[tuple[float, float]], out: float, into: float, ceiling: float = 100.0,
         speeds: Speeds = SPEEDS) -> Points:  # fmt: skip
    return smooth_link(
        np.array(points, dtype=float), out, into, CLEAR, room(ceiling), (GRID.x0, GRID.y0, GRID.cell), RADIUS, RADIUS,
        0.2, 0.01, speeds,
    )  # fmt: skip


def length(points: Points) -> float:
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def headings(points: Points) -> Points:
    return np.unwrap(np.arctan2(*np.diff(points, axis=0).T[::-1]))


def tightest(points: Points) -> float:
    """The least radius of the circles through each three points that follow each other."""
    a, b, c = points[:-2], points[1:-1], points[2:]
    sides = [np.hypot(*(q - p).T) for p, q in ((a, b), (b, c), (a, c))]
    area = np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])
    return float((sides[0] * sides[1] * sides[2] / np.maximum(2.0 * area, 1e-12)).min())


class ShapeTest(SimpleTestCase):
    def test_straight_on_is_a_line(self) -> None:
        way = link([(0, 0), (20, 0)], 0.0, 0.0)
        self.assertAlmostEqual(length(way), 20.0, places=6)
        np.testing.assert_allclose(way[:, 1], 0.0, atol=1e-9)

    def test_it_leaves_and_arrives_in_the_direction_of_the_cuts(self) -> None:
        """A first chord of an arc leans by half of its step; nothing is tighter than the least radius."""
        for out, into in ((0.5, -0.5), (1.2, 1.0), (-1.0, 1.0), (0.3, -1.4)):
            way = link([(0, 0), (25, 8)], out, into)
            along = headings(way)
            for angle, want in ((along[0], out), (along[-1], into)):
                self.assertLess(abs((angle - want + math.pi) % (2 * math.pi) - math.pi), 0.51 * links.ARC_STEP)
            self.assertLess(float(np.abs(np.diff(along)).max()), 1.01 * links.ARC_STEP)
            self.assertGreaterEqual(tightest(way), 0.999 * RADII[-1] * RADIUS)
            np.testing.assert_allclose(way[[0, -1]], [[0, 0], [25, 8]], atol=1e-9)

    def test_the_four_pairs_of_turns_against_their_tangents(self) -> None:
        """Two circles of 2 mm: the outer tangent is as long as they are apart, the inner sqrt(apart^2 - 16)."""
        for first, last in ((1.0, 1.0), (1.0, -1.0), (-1.0, 1.0), (-1.0, -1.0)):
            turned, line, turning, direction = links._arcs(0.0, 0.0, 2.0, 12.0, 5.0, -2.0, 2.0, first, last)
            one = np.array([-first * 2.0 * math.sin(2.0), first * 2.0 * math.cos(2.0)])
            other = np.array([12.0 - last * 2.0 * math.sin(-2.0), 5.0 + last * 2.0 * math.cos(-2.0)])
            apart = float(np.hypot(*(other - one)))
            self.assertAlmostEqual(line, apart if first == last else math.sqrt(apart**2 - 16.0), places=9)
            # The line touches both circles: their middles lie 2 mm off it, on the side of their turn.
            normal = np.array([-math.sin(direction), math.cos(direction)])
            self.assertAlmostEqual(float((other - one) @ normal), 2.0 * (last - first), places=9)
            self.assertAlmostEqual(math.cos(2.0 + first * turned - direction), 1.0, places=9)
            self.assertAlmostEqual(math.cos(direction + last * turning + 2.0), 1.0, places=9)

    def test_no_arc_goes_over_a_wall(self) -> None:
        """Leaving towards a wall 0.2 mm away: no curve hooks over it, however small the hook."""
        way = link([(0.0, 4.8), (1.0, 4.8)], math.pi / 2, -math.pi / 2, ceiling=10.0)
        self.assertLessEqual(float(way[:, 1].max()), 5.0)

    def test_along_a_wall_it_turns_away_from_it(self) -> None:
        """From the wall back against the direction of travel, 6 mm off: never nearer than it began."""
        way = link([(0.0, 5.0), (-20.0, -1.0)], 0.0, 0.0, ceiling=10.0)
        self.assertLessEqual(float(way[:, 1].max()), 5.0 + 1e-6)
        self.assertLess(float(way[:, 0].min()), -19.0)

    def test_it_keeps_off_posts_all_along(self) -> None:
        """A post stands where the way would pass without it, between two of its points.

        The line after an arc was looked at from before the arc's end: in four of these it led up to 0.03 mm past.
        """
        x, y = np.meshgrid(GRID.x0 + GRID.cell * np.arange(GRID.nx), GRID.y0 + GRID.cell * np.arange(GRID.ny))
        smooth = 0
        for seed in (*range(40), 2132, 2336, 2361, 3716):
            draw = np.random.default_rng(seed)
            out, goal, into = draw.uniform(-2, 2), tuple(draw.uniform((22, -8), (30, 8))), draw.uniform(-2, 2)
            past = link([(0, 0), goal], out, into)
            if len(past) < 4:
                continue
            k = int(draw.integers(1, len(past) - 1))
            along = (past[k + 1] - past[k]) / np.hypot(*(past[k + 1] - past[k]))
            aside = draw.choice([-1, 1]) * draw.uniform(4.9, 5.0)
            post = 0.5 * (past[k] + past[k + 1]) + aside * np.array([-along[1], along[0]])
            if min(np.hypot(*post), np.hypot(*(post - goal))) < 5.01:
                continue
            way = smooth_link(
                np.array([(0, 0), goal], dtype=float), out, into, CLEAR,
                np.hypot(x - post[0], y - post[1]).astype(np.float32), (GRID.x0, GRID.y0, GRID.cell), RADIUS, RADIUS,
                0.2, 0.01, SPEEDS,
            )  # fmt: skip
            if len(way) > 2:
                smooth += 1
                dense = np.array(LineString(way).segmentize(0.05).coords)
                # Between nodes the field of distances reads up to cell^2 / (8 R) too large.
                self.assertGreater(float(np.hypot(*(dense - post).T).min()), RADIUS - 0.01, seed)
        self.assertGreater(smooth, 15)

    def test_a_slow_machine_takes_wider_bends(self) -> None:
        """Where the machine gives little, sqrt(a r) makes tight bends slow."""
        slow = link([(0, 0), (30, 20)], 0.0, math.pi / 2, speeds=Speeds(50.0, 200.0, 1000.0, 0.01))
        quick = link([(0, 0), (30, 20)], 0.0, math.pi / 2, speeds=Speeds(50.0, 200.0, 10_000.0, 0.01))
        self.assertGreater(tightest(slow), 1.3 * tightest(quick))


class SecondsTest(SimpleTestCase):
    def test_arcs_take_as_long_as_the_clock_says(self) -> None:
        """A cut, an arc, a line, an arc, a cut on the machine's clock; the cuts' own time taken off."""
        drive = Drive(rapid_feed=20_000, max_feed=12_000, acceleration=5000, block_rate=1e9)
        for r, first, last in ((1.0, 1.0, 1.0), (2.5, -1.0, -1.0), (8.0, 1.0, -1.0)):
            way = links._arcs(0.0, 0.0, -0.6 * first, 60.0, 4.0, 0.5 * last, r, first, last)
            curve = links._along(0.0, 0.0, -0.6 * first, 60.0, 4.0, way, r, first, last, RADIUS)
            told = links._seconds(way, r, SPEEDS.cut, SPEEDS.cut, SPEEDS.packed())
            builder = MovesBuilder(np.array([-40 * math.cos(-0.6 * first), -40 * math.sin(-0.6 * first), 0.0]))
            builder.to(LINE, 0.0, 0.0, 0.0, 3000, CUT)
            arc = {1.0: COUNTERCLOCKWISE, -1.0: CLOCKWISE}
            centre = (-first * r * math.sin(-0.6 * first), first * r * math.cos(-0.6 * first))
            x = centre[0] + first * r * math.sin(way[3])
            y = centre[1] - first * r * math.cos(way[3])
            builder.to(arc[first], x, y, 0.0, 12_000, LINK, centre)
            x, y = x + way[1] * math.cos(way[3]), y + way[1] * math.sin(way[3])
            builder.to(LINE, x, y, 0.0, 12_000, LINK)
            centre = (x - last * r * math.sin(way[3]), y + last * r * math.cos(way[3]))
            builder.to(arc[last], 60.0, 4.0, 0.0, 12_000, LINK, centre)
            builder.to(LINE, 60 + 40 * math.cos(0.5 * last), 4 + 40 * math.sin(0.5 * last), 0.0, 3000, CUT)
            spent = block_times(builder.build(), drive, 0.01)
            # Both cuts are 40 mm at 50 mm/s, and one end of each is at rest: v / 2a.
            cuts = 2 * (40 / 50 + 50 / (2 * 5000))
            self.assertAlmostEqual(float(spent.sum()) - cuts, told, delta=0.02 * told)
            np.testing.assert_allclose(curve[-1], [60.0, 4.0])

    def test_a_corner_costs_its_stop(self) -> None:
        """There and back: the machine stops at either end, 2 v / a for both, half of it going on at v all the while."""
        given = np.array([0.0, 0.0]), math.pi / 2, np.array([20.0, 0.0]), -math.pi / 2, 50.0, 50.0
        told = links._straight_seconds(*given, SPEEDS.packed())
        corner = math.sqrt(5000 * 0.01 * math.cos(math.pi / 4) / (1 - math.cos(math.pi / 4)))
        lost = 2 * (50 - corner) ** 2 / (2 * 5000 * 50)
        rising = 2 * (200 - corner) / 5000
        steady = (20 - 2 * (200**2 - corner**2) / (2 * 5000)) / 200
        settled = SETTLING * 2 * (1 - corner / 50)
        if steady < 0:
            peak = math.sqrt(5000 * 20 + corner**2)
            rising, steady = 2 * (peak - corner) / 5000, 0.0
        self.assertAlmostEqual(told, lost + rising + steady + settled, places=9)


class ProgramTest(SimpleTestCase):
    """A cut, a link back, and a cut again, as blocks."""

    def setUp(self) -> None:
        cut = np.column_stack([np.linspace(0, 40, 81), np.zeros(81)])
        turn = np.linspace(-math.pi / 2, math.pi / 2, 40)
        bend = np.column_stack([40 + 0.8 * np.cos(turn), 0.8 + 0.8 * np.sin(turn)])
        back = link([(40, 1.6), (0, 5)], math.pi, 0.0)
        self.way = back
        pieces = (
            Piece("cut", np.vstack([cut, bend]), np.full(121, 2.0)), Piece("link", back, np.zeros(len(back))),
            Piece("cut", cut + np.array([0.0, 5.0]), np.full(81, 2.0)),
        )  # fmt: skip
        out = MovesBuilder(np.array([0.0, 0.0, 10.0]))
        entry = Entry("outside", np.array([[0.0, 0.0]]), 0.0)
        add_level(out, [PartPath(entry, pieces)], 0.0, -8.0, 2.0, HEIGHTS, FEEDS, 0.003, RADIUS)
        self.moves: Moves = out.build()

    def test_no_feed_in_a_curve_is_more_than_the_machine_holds(self) -> None:
        """v^2 / r <= a: at 1 m/s2 in an arc of 0.8 mm no more than sqrt(1000 x 0.8) = 28 mm/s, of 50."""
        arc = self.moves.kind >= CLOCKWISE
        self.assertGreaterEqual(int(arc.sum()), 2)
        radius = np.hypot(*(self.moves.end[:, :2] - self.moves.centre).T)[arc]
        speed = self.moves.feed[arc] / 60.0
        self.assertLessEqual(float((speed**2 / radius).max()), 1000 / 0.98**2)
        self.assertAlmostEqual(float(speed.min()), math.sqrt(1000 * 0.8), delta=0.5)
        self.assertEqual(float(self.moves.feed[(self.moves.part == CUT) & ~arc].min()), 3000.0)

    def test_it_hovers_and_comes_down_without_a_kink(self) -> None:
        own = self.moves.part == LINK
        heights = self.moves.end[own, 2]
        self.assertAlmostEqual(float(heights.max()), -7.7, places=9)
        self.assertAlmostEqual(float(heights[-1]), -8.0, places=9)
        first, last = tangents(self.moves)
        bends = np.degrees(np.arccos(np.clip((last[:-1] * first[1:]).sum(axis=1), -1.0, 1.0)))
        inside = own[:-1] & own[1:]
        # A slope of 1 in 10 is 5.7 degrees; arcs meet lines within the fit's tolerance.
        self.assertLess(float(bends[inside].max()), 8.0)
        np.testing.assert_allclose(self.moves.end[own][-1, :2], self.way[-1], atol=1e-9)
