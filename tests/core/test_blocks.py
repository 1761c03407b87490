"""Kernels that make blocks, and those on polylines, walls and graphs: held against plain numpy and shapely."""

import math
from collections import defaultdict
from itertools import pairwise

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, box

from justbite.field.distance import segments_of, signed_distance
from justbite.field.grid import Grid
from justbite.model.moves import CLOCKWISE, COUNTERCLOCKWISE, CUT, ENTRY, LINE, sweep_angles
from justbite.path.blocks import MovesBuilder, lifted
from justbite.path.lines import filled, length_of
from justbite.path.network import _chains
from justbite.path.rim import LEAD, Rim
from justbite.path.spine import _off_walls

Points = NDArray[np.float64]
RANDOM = np.random.default_rng(7)


def wave(count: int, long: float = 40.0) -> Points:
    """A smooth curve as a dense polyline."""
    x = np.linspace(0.0, long, count)
    return np.column_stack([x, 3.0 * np.sin(x / 5.0) + 0.5 * np.sin(x)])


class AlongTest(SimpleTestCase):
    """Lines and arcs along a polyline, in runs of one feed each."""

    def made(self, points: Points, ends: list[int], feeds: list[float], acceleration: float = 1e9,
             depth: Points | None = None) -> MovesBuilder:  # fmt: skip
        out = MovesBuilder(np.array([*points[0], -3.0]), operation=2, level=-3.0)
        heights = np.linspace(-3.0, -2.0, len(points))
        out.along(points, heights, np.array(ends), np.array(feeds), depth, 0.005, acceleration, CUT)
        return out

    def test_they_stay_within_the_tolerance_and_end_where_feeds_change(self) -> None:
        points = wave(801)
        out = self.made(points, [250, 260, 800], [3000.0, 1500.0, 3000.0])
        moves = out.build()
        self.assertEqual(out.points, 800)
        self.assertLess(len(moves), 80)
        self.assertTrue((moves.operation == 2).all() and (moves.z_level == -3.0).all() and (moves.part == CUT).all())
        # Every place on an arc against the polyline.
        curve, starts, sweeps = LineString(points), moves.starts(), sweep_angles(moves)
        for k in range(len(moves)):
            for share in np.linspace(0.0, 1.0, 9):
                spot = starts[k, :2] + share * (moves.end[k, :2] - starts[k, :2])
                if moves.kind[k] != LINE:
                    c, s = math.cos(share * sweeps[k]), math.sin(share * sweeps[k])
                    dx, dy = starts[k, :2] - moves.centre[k]
                    spot = moves.centre[k] + (c * dx - s * dy, s * dx + c * dy)
                self.assertLess(curve.distance(Point(spot)), 0.0051)
        for at, feed in ((250, 3000.0), (260, 1500.0), (800, 3000.0)):
            (row,) = np.nonzero(np.hypot(*(moves.end[:, :2] - points[at]).T) < 1e-9)[0]
            self.assertEqual(moves.feed[row], feed)
            self.assertAlmostEqual(moves.end[row, 2], -3.0 + at / 800, 9)
        slow = moves.feed == 1500.0
        self.assertAlmostEqual(float(np.ptp(points[250:261, 0])), float(np.abs(np.diff(np.append(
            moves.starts()[slow, 0][0], moves.end[slow, 0]))).sum()), 6)  # fmt: skip

    def test_in_an_arc_no_faster_than_the_machine_holds(self) -> None:
        angle = np.linspace(0.0, np.pi, 181)
        for turn, kind in ((1.0, COUNTERCLOCKWISE), (-1.0, CLOCKWISE)):
            ring = np.column_stack([5.0 * np.cos(angle), turn * 5.0 * np.sin(angle)])
            moves = self.made(ring, [180], [6000.0], acceleration=800.0).build()
            self.assertEqual(set(moves.kind.tolist()), {kind})
            # v^2 / r = a, as in any textbook of mechanics.
            np.testing.assert_allclose((moves.feed / 60.0) ** 2 / 5.0, 800.0, rtol=1e-3)
            np.testing.assert_allclose(self.made(ring, [180], [3600.0], 800.0).build().feed, 3600.0)

    def test_a_block_tells_the_deepest_place_on_its_way(self) -> None:
        points = np.column_stack([np.linspace(0.0, 20.0, 41), np.zeros(41)])
        depth = RANDOM.uniform(0.2, 0.9, 41)
        # Where one ends belongs to that one alone.
        depth[[10, 25]] = 0.95, 0.97
        moves = self.made(points, [10, 25, 40], [1.0, 2.0, 3.0], depth=depth).build()
        self.assertEqual(len(moves), 3)
        most = [depth[1:11].max(), depth[11:26].max(), depth[26:].max()]
        np.testing.assert_allclose(moves.depth, most, rtol=1e-6)

    def test_rows_that_are_put_in_one_by_one_stand_beside_them(self) -> None:
        out = MovesBuilder(np.zeros(3))
        out.rapid(1.0, 2.0, 3.0)
        out.lines(np.array([[1.0, 2.0, 1.0], [4.0, 2.0, 0.0]]), np.array([500.0, 700.0]), ENTRY)
        np.testing.assert_array_equal(out.here, [4.0, 2.0, 0.0])
        moves = out.build(first=1)
        np.testing.assert_array_equal(moves.start, [1.0, 2.0, 3.0])
        np.testing.assert_array_equal(moves.feed, [500.0, 700.0])
        self.assertTrue((moves.part == ENTRY).all() and np.isnan(moves.centre).all())


class LiftedTest(SimpleTestCase):
    """How a link lifts off and comes down."""

    def test_as_told_by_plain_numpy(self) -> None:
        for count, hover, ease in ((3, 0.3, 3.0), (25, 0.3, 3.0), (60, 0.5, 0.4 * 40), (9, 0.0, 0.0)):
            points = wave(count)
            feeds = np.where(RANDOM.random(count - 1) < 0.3, 600.0, 9000.0)
            along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
            places, heights, ends, found = lifted(points, feeds, hover, ease)
            own = np.array([LineString(points).project(Point(p)) for p in places])
            np.testing.assert_allclose([LineString(points).distance(Point(p)) for p in places], 0.0, atol=1e-9)
            wanted = np.interp(own, [0.0, ease, along[-1] - ease, along[-1]], [0.0, 1.0, 1.0, 0.0]) if ease else 0.0
            np.testing.assert_allclose(heights, hover * wanted, atol=1e-6)
            # Each of its own points is still one of them, and each stretch goes at the feed of where it lies.
            for point in points:
                self.assertLess(float(np.hypot(*(places - point).T).min()), 1e-5)
            self.assertEqual(int(ends[-1]), len(places) - 1)
            for first, last, feed in zip([0, *ends[:-1]], ends, found, strict=True):
                for way in np.linspace(own[first] + 1e-4, own[last] - 1e-4, 5):
                    self.assertEqual(feed, feeds[int(np.searchsorted(along, way)) - 1])


class LinesTest(SimpleTestCase):
    def test_length_as_shapely_has_it(self) -> None:
        for count in (2, 3, 50):
            line = RANDOM.uniform(-20.0, 20.0, (count, 2))
            self.assertAlmostEqual(length_of(line), LineString(line).length, 9)
            self.assertAlmostEqual(length_of(filled(line, 0.7)), LineString(line).length, 9)

    def test_walls_as_far_off_as_shapely_has_them(self) -> None:
        part = box(0, 0, 40, 25).difference(box(10, 8, 17, 15)).difference(Point(30, 12).buffer(4))
        spots = RANDOM.uniform((0.0, 0.0), (40.0, 25.0), (300, 2))
        told = _off_walls(segments_of(part), spots)
        np.testing.assert_allclose(told, shapely.distance(part.boundary, shapely.points(spots)), atol=1e-9)


class ChainsTest(SimpleTestCase):
    """Graphs fall apart into chains between forks and ends."""

    def chains(self, *ways: str) -> list[str]:
        near: dict[int, set[int]] = defaultdict(set)
        for way in ways:
            for a, b in pairwise(way):
                near[ord(a)].add(ord(b))
                near[ord(b)].add(ord(a))
        found = ["".join(map(chr, chain)) for chain in _chains(near)]
        steps = [frozenset(pair) for chain in found for pair in pairwise(chain)]
        self.assertEqual(len(steps), len(set(steps)), "no step is in two chains")
        self.assertEqual(set(steps), {frozenset(pair) for way in ways for pair in pairwise(way)})
        return sorted(min(chain, chain[::-1]) for chain in found)

    def test_a_line_a_fork_and_two_ways_round(self) -> None:
        self.assertEqual(self.chains("abcde"), ["abcde"])
        self.assertEqual(self.chains("abc", "cd", "cef"), ["abc", "cd", "cef"])
        self.assertEqual(self.chains("axyb", "ab", "ambz"), ["ab", "amb", "axyb", "bz"])

    def test_rings(self) -> None:
        (ring,) = self.chains("abcda")
        self.assertEqual((len(ring), ring[0], set(ring)), (5, ring[-1], set("abcd")))
        # One that hangs on a stem, and one by itself beside it.
        stem, *rings = sorted(self.chains("stuvt", "xyzx"), key=len)
        self.assertEqual(stem, "st")
        self.assertEqual([len(ring) for ring in rings], [4, 4])


class LedTest(SimpleTestCase):
    """A way along a wall is led on and off by quarter circles, where there is room."""

    RADIUS = 5.0

    def led(self, run: Points, ceiling: float = 100.0) -> Points:
        """Above a wall along y = 0, beneath another; the run goes along the lower one, the wall on its right."""
        grid = Grid.over((-30.0, -10.0, 50.0, 40.0), 0.25)
        room = signed_distance(box(-100, 0, 150, ceiling), grid, 12.0)
        rim = Rim((run,), room, (grid.x0, grid.y0, grid.cell), self.RADIUS, self.RADIUS)
        return rim._led(run)

    def test_both_ends_where_there_is_room(self) -> None:
        run = np.column_stack([np.linspace(0.0, 20.0, 41), np.full(41, self.RADIUS)])
        made = self.led(run)
        lead = LEAD * self.RADIUS
        np.testing.assert_allclose(made[7:-7], run)
        np.testing.assert_allclose(made[0], [-lead, self.RADIUS + lead], atol=1e-9)
        np.testing.assert_allclose(made[-1], [20.0 + lead, self.RADIUS + lead], atol=1e-9)
        np.testing.assert_allclose(np.hypot(*(made[:7] - (0.0, self.RADIUS + lead)).T), lead)
        np.testing.assert_allclose(np.hypot(*(made[-7:] - (20.0, self.RADIUS + lead)).T), lead)
        # It comes from the left end to the right one.
        self.assertTrue((np.diff(made[:, 0]) > 0.0).all())

    def test_not_where_a_wall_is_in_the_way(self) -> None:
        run = np.column_stack([np.linspace(0.0, 20.0, 41), np.full(41, self.RADIUS)])
        np.testing.assert_allclose(self.led(run, ceiling=2.05 * self.RADIUS), run)
