"""The kernels of the path against plain numpy, scipy and exact geometry, on fields drawn at random."""

import math
from itertools import groupby, pairwise

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra
from shapely.geometry import LineString, Point, Polygon, box

from justbite.field.cleared import stamp
from justbite.field.grid import read
from justbite.path import search, tracer
from justbite.path.contact import (
    COARSE,
    ROUND_COS,
    ROUND_SIN,
    STRIPS,
    deepest,
    first_clear,
    last_clear,
    standing_before,
    thicker,
    which_clear,
)
from justbite.path.descent import AFTER, ANEW, APART, PARTS, _Floor, stations
from justbite.path.fronts import SWEEPS
from justbite.path.turning import can_stand
from tests.core.test_trace import LOG, RADIUS, TARGET, WIDE, Plate, settings

Points = NDArray[np.float64]
SPACING = 0.25 * RADIUS
CLEAR_ALL = 0.002 * RADIUS


def discs(seed: int, count: int = 14, reach: float = 40.0) -> list[Polygon]:
    random = np.random.default_rng(seed)
    return [Point(*random.uniform(-reach, reach, 2)).buffer(random.uniform(6, 16), quad_segs=32) for _ in range(count)]


def floored(plate: Plate) -> Plate:
    """With nothing deeper than the cleared field keeps."""
    np.maximum(plate.field, -4.0 * plate.grid.cell, out=plate.field)
    return plate


class CircleTest(SimpleTestCase):
    def test_the_thickest_is_that_of_all_samples(self) -> None:
        """Where it matters: over `least`. Below it need only be told that it is below."""
        random = np.random.default_rng(3)
        over = under = 0
        for seed in range(6):
            plate = floored(Plate(shapely.union_all(discs(seed))))
            places = random.uniform(-40, 40, (150, 2))
            clear = which_clear(plate.field, *plate.frame, places, RADIUS, 0.3)
            for (x, y), empty in zip(places, clear.tolist(), strict=True):
                spots = zip(x + RADIUS * ROUND_COS, y + RADIUS * ROUND_SIN, strict=True)
                exact = max(float(read(plate.field, *plate.frame, px, py)) for px, py in spots)
                self.assertEqual(empty, exact <= 0.3)
                for least in (0.0, 0.3, 1.0):
                    found = deepest(plate.field, *plate.frame, x, y, RADIUS, least, np.inf)
                    self.assertEqual(thicker(plate.field, *plate.frame, x, y, RADIUS, least), exact > least)
                    if exact > least:
                        self.assertAlmostEqual(found, exact, 6)
                        over += 1
                    else:
                        self.assertLessEqual(found, least)
                        under += 1
        self.assertGreater(min(over, under), 200)

    def test_what_stands_between_two_of_the_first_samples_is_seen(self) -> None:
        """A sliver narrower than they are apart, turned to every place round the circle."""
        apart = 2.0 * math.pi / len(ROUND_COS)
        wide = 2.2 * RADIUS * apart
        self.assertLess(wide, COARSE * RADIUS * apart)
        for turn in np.arange(0.0, 2.0 * math.pi, 0.3 * apart):
            spot = Point(RADIUS * math.cos(turn), RADIUS * math.sin(turn))
            plate = floored(Plate(box(-20, -20, 20, 20).difference(spot.buffer(wide / 2))))
            self.assertTrue(thicker(plate.field, *plate.frame, 0.0, 0.0, RADIUS, 0.0), turn)

    def test_the_first_and_the_last_place_that_are_clear(self) -> None:
        plate = floored(Plate(box(-60, -60, 0, 60)))
        path = np.column_stack([np.linspace(10.0, -30.0, 81), np.zeros(81)])
        first = first_clear(plate.field, *plate.frame, path, 1, RADIUS, 0.0)
        self.assertAlmostEqual(path[first, 0], -RADIUS, delta=0.5)
        back = path[::-1]
        self.assertAlmostEqual(back[last_clear(plate.field, *plate.frame, back, RADIUS, 99.0), 0], -RADIUS, delta=0.5)
        # None in reach, none at all.
        self.assertEqual(last_clear(plate.field, *plate.frame, back, RADIUS, 10.0), -1)
        self.assertEqual(first_clear(plate.field, *plate.frame, path[:20], 1, RADIUS, 0.0), 0)


class StampTest(SimpleTestCase):
    def test_a_capsule_is_the_distance_to_its_line(self) -> None:
        """In numpy, node by node; and the area it takes is that of the union of shapes."""
        random = np.random.default_rng(8)
        for _ in range(12):
            before = Point(*random.uniform(-6, 6, 2)).buffer(random.uniform(6, 14), quad_segs=64)
            plate = floored(Plate(before))
            was = plate.field.copy()
            (ax, ay), (bx, by) = random.uniform(-10, 10, (2, 2))
            _, area = stamp(plate.field, *plate.frame, ax, ay, bx, by, RADIUS, False, *LOG, 0)
            xs = plate.grid.x0 + plate.grid.cell * np.arange(plate.grid.nx)
            ys = plate.grid.y0 + plate.grid.cell * np.arange(plate.grid.ny)
            x, y = np.meshgrid(xs, ys)
            along = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2)
            t = np.clip(along, 0.0, 1.0)
            away = np.hypot(x - ax - t * (bx - ax), y - ay - t * (by - ay)) - RADIUS
            expected = np.minimum(was, np.maximum(away, -4.0 * plate.grid.cell))
            near = away < 3.0 * plate.grid.cell
            np.testing.assert_allclose(plate.field[near], expected[near], atol=2e-6)
            swept = LineString([(ax, ay), (bx, by)]).buffer(RADIUS, quad_segs=64).difference(before)
            self.assertAlmostEqual(area, swept.area, delta=0.01 * swept.area + 0.02)

    def test_the_field_after_a_pass_is_that_of_its_path(self) -> None:
        """However it ended: out of steps, at a wall with its tail taken back, or before what it must not take."""
        cases = ((1.035, 1.0, 80, tracer.RAN_OUT), (1.035, 1.0, 400, tracer.FADED), (0.98, 0.1, 400, tracer.OVER))
        for most, back, steps, how in cases:
            for x in (-40.0, -39.9):
                plate = Plate(box(-60, 0, 60, 60), box(-60, -60, -10, 60)).begun(x, RADIUS - TARGET)
                single = plate.field.copy()
                given = settings(most=most * TARGET, back=back * RADIUS)
                path, _, ended, _ = plate.trace(x, RADIUS - TARGET, 0.0, steps, given=given)
                self.assertEqual(ended, how)
                self.assertGreater(len(path), 2)
                for a, b in pairwise(path):
                    stamp(single, *plate.frame, *a, *b, RADIUS, False, *LOG, 0)  # type: ignore[call-arg]
                # Farther off than three cells nothing is promised.
                edge = np.abs(single) < 1.5 * plate.grid.cell
                self.assertLess(float(np.abs(plate.field - single)[edge].max()), 1e-5, (most, x))


class FloodTest(SimpleTestCase):
    """The flood's distances against scipy's, over the same nodes."""

    def setUp(self) -> None:
        self.within = box(-42, -38, 44, 40).difference(Point(5, 4).buffer(9))
        self.plate = floored(Plate(shapely.union_all(discs(11, 26)).union(box(-40, -6, 42, 6)), self.within))
        self.nodes = search.place_nodes(
            self.plate.room, *self.plate.frame, SPACING, RADIUS, 0.004 * RADIUS, 0.0
        )  # fmt: skip

    def flooded(self, x: float, y: float, goal: tuple[int, int] = (-1, -1)) -> tuple[Points, NDArray[np.int32], Points]:
        xs, ys, kinds, wide = self.nodes
        distance = np.full(xs.shape, np.inf)
        parent = np.full(xs.shape, -1, dtype=np.int32)
        found = search.flood(
            self.plate.field, self.plate.room, *self.plate.frame, xs, ys, kinds, wide, SPACING, x, y, RADIUS, RADIUS,
            CLEAR_ALL, 0.1 * RADIUS, 0.7 * RADIUS, 200, 1e9, 0.0, np.inf, *goal, distance, parent,
            np.empty(xs.size, dtype=np.int64), 0,
        )  # fmt: skip
        return distance, parent, found[1]

    def graph(self) -> coo_matrix:
        """Free nodes and their eight neighbours, where the way is free of walls at its middle and every R/20."""
        xs, ys, kinds, _ = self.nodes
        rows, columns, ways = [], [], []
        nj, ni = xs.shape
        free = kinds == search.FREE
        for j, i in zip(*np.nonzero(free), strict=True):
            for dj, di in ((0, 1), (1, 0), (1, 1), (1, -1)):
                qj, qi = j + dj, i + di
                if not (0 <= qj < nj and 0 <= qi < ni and free[qj, qi]):
                    continue
                a, b = np.array([xs[j, i], ys[j, i]]), np.array([xs[qj, qi], ys[qj, qi]])
                gap = math.hypot(*(b - a))
                looks = [0.5, *np.linspace(0.0, 1.0, int(gap / (0.05 * RADIUS)) + 2)[1:-1]]
                if all(read(self.plate.room, *self.plate.frame, *(a + t * (b - a))) >= RADIUS for t in looks):
                    rows.append(j * ni + i)
                    columns.append(qj * ni + qi)
                    ways.append(gap)
        return coo_matrix((ways, (rows, columns)), shape=(xs.size, xs.size))

    def test_ways_are_the_shortest(self) -> None:
        xs, _ys, kinds, _ = self.nodes
        distance, parent, contacts = self.flooded(-30.0, 0.0)
        reached = np.isfinite(distance.ravel())
        self.assertGreater(int(reached.sum()), 200)
        first = reached & (parent.ravel() < 0)
        # From the nodes that are in line with the start, each as far as that is.
        starts = np.nonzero(first)[0]
        table = dijkstra(self.graph().tocsr(), directed=False, indices=starts) + distance.ravel()[starts][:, None]
        np.testing.assert_allclose(distance.ravel()[reached], table.min(axis=0)[reached], rtol=1e-12)
        self.assertFalse(np.isfinite(table.min(axis=0)[~reached & (kinds.ravel() == search.FREE)]).any())
        # Each contact lies a node or two beside one that is free, and they come in order of distance.
        self.assertGreater(len(contacts), 5)
        self.assertTrue((np.diff(contacts[:, 4]) >= 0.0).all())
        gaps = np.hypot(*(contacts[:, :2] - contacts[:, 2:4]).T)
        self.assertLess(float(gaps.max()), 2.0 * math.sqrt(2.0) * SPACING + 0.5 * RADIUS)
        self.assertTrue((kinds.ravel()[contacts[:, 5].astype(int)] == search.CONTACT).all())
        self.assertEqual(xs.shape, distance.shape)

    def test_towards_a_goal_it_looks_at_fewer_and_finds_as_good_a_way(self) -> None:
        whole, _, _ = self.flooded(-30.0, 0.0)
        xs, ys, *_ = self.nodes
        far = np.where(np.isfinite(whole) & (whole < 60.0), whole, 0.0)
        j, i = (int(k) for k in np.unravel_index(int(np.argmax(far)), whole.shape))
        distance, _, _ = self.flooded(-30.0, 0.0, (j, i))
        self.assertLess(int(np.isfinite(distance).sum()), int(np.isfinite(whole).sum()))
        self.assertLess(float(distance[j, i]), 1.1 * float(whole[j, i]) + 1e-9)
        self.assertGreaterEqual(float(distance[j, i]), float(whole[j, i]) - 1e-9)
        self.assertGreater(math.hypot(xs[j, i] + 30.0, ys[j, i]), 20.0)

    def test_a_straight_line_to_a_start_or_behind_it(self) -> None:
        plate = floored(Plate(box(-60, -60, 0, 60)))
        backs = np.array([0.0, 0.5, 1.0]) * RADIUS
        terms = (RADIUS, RADIUS, 0.1 * TARGET, 0.01)
        frame = plate.frame

        def way(x: float, y: float, heading: float) -> int:
            return int(
                search.straight(plate.field, plate.room, *frame, -30.0, 0.0, x, y, heading, backs, *terms)
            )  # fmt: skip

        self.assertEqual(way(-10.0, 8.0, 0.0), 0)
        # A post stands in the way of the straight line, and of the one by half a radius behind, not of the third.
        post = Point(-20.0, 0.0).buffer(0.8)
        plate = floored(Plate(box(-60, -60, 0, 60).difference(post)))
        self.assertEqual(way(-10.0, 0.0, 0.0), -1)
        self.assertEqual(way(-22.0 - 2.0 * RADIUS, 0.0, 0.0), 0)
        found = way(-18.0, 6.2, -0.5 * math.pi)
        self.assertIn(found, (1, 2))
        behind = (-18.0, 6.2 + backs[found])
        self.assertGreater(LineString([(-30.0, 0.0), behind]).distance(post), RADIUS - 0.1)


class BeforeRampTest(SimpleTestCase):
    def before(self, cleared: Polygon, ways: list[tuple[float, float]]) -> Points:
        plate = floored(Plate(cleared))
        return np.asarray(standing_before(plate.field, *plate.frame, np.array(ways), RADIUS, 0.02 * RADIUS))

    def test_shares_in_closed_form(self) -> None:
        """Beside a straight wall the strips over it; before one those whose front has reached it: sin of an angle."""
        strip = 1.0 / STRIPS
        for off in (-0.75, 0.0, 0.5):
            # All below y = 0 is cleared; the cutter goes along x, so far off.
            forth, back = self.before(box(-60, -60, 60, 0), [(-5.0, off * RADIUS), (5.0, off * RADIUS)])[0]
            self.assertAlmostEqual(forth, 0.5 * (1.0 + off), delta=strip)
            self.assertAlmostEqual(back, forth, delta=1e-9)
        for off in (0.3, 0.8):
            # Cleared up to x = 0: the strips whose front has come so far.
            ends = [(-off * RADIUS - 1.0, 0.0), (-off * RADIUS, 0.0)]
            forth, back = self.before(box(-60, -60, 0, 60), ends)[0]
            self.assertAlmostEqual(forth, math.sqrt(1.0 - (off - 0.02) ** 2), delta=strip)
            self.assertEqual(back, 0.0)

    def test_in_the_solid_in_the_clear_and_along_a_groove_of_its_own_width(self) -> None:
        self.assertEqual(self.before(box(-60, -60, -40, 60), [(0, 0), (9, 5)]).tolist(), [[1.0, 1.0]])
        self.assertEqual(self.before(box(-60, -60, 60, 60), [(0, 0), (9, 5), (9, 9)]).tolist(), [[0.0, 0.0]] * 2)
        groove = LineString([(-40, 0), (20, 0)]).buffer(RADIUS, quad_segs=64)
        self.assertEqual(self.before(groove, [(-39, 0), (19, 0)]).tolist(), [[0.0, 0.0]])
        # Over its end on the way there, and not on the way back.
        forth, back = self.before(groove, [(0, 0), (21, 0)])[0]
        self.assertGreater(forth, 0.9)
        self.assertEqual(back, 0.0)


class StrokeTest(SimpleTestCase):
    """A ramp's strokes against the same in plain numpy, over the whole line at once."""

    def stroked(self, xy: Points, height: Points, stands: Points, here: float, down: float, slope: float, feed: float,
                clear: float, anew: float, full: float, spare: float) -> tuple[Points, Points, float]:  # fmt: skip
        """Every station and its feed, as `descent._stroke`, with none left out, and mm cut flat; lowers `height`.

        `stands` (n - 1,): what stands on the way to each but the first, as shares of the width.
        """
        way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
        heights = np.maximum(down, here - way * slope)
        depth = np.maximum(0.0, height - heights)
        height[:] = np.minimum(height, heights)
        taken = stands * np.maximum(depth[1:], depth[:-1])
        load = taken - np.diff(heights) / np.diff(way) * (0.5 * math.pi * RADIUS)
        load = np.maximum(1.0, load / full)
        flat, begins, long_clear = (np.diff(heights) == 0.0), np.zeros(len(load), bool), np.zeros(len(load), bool)
        gap = 0.0 if depth[0] > 0.0 else np.inf
        for cut, run in groupby(range(len(load)), key=lambda k: bool(taken[k] > 0.0)):
            own = np.array(list(run))
            since = way[own] - way[own[0]]
            if cut:
                begins[own] = (since < ANEW * RADIUS - 1e-9) & (gap > APART * RADIUS)
                gap = 0.0
            else:
                long_clear[own] = gap + since >= AFTER * RADIUS
                gap += way[own[-1] + 1] - way[own[0]]
        load[begins & flat] = np.maximum(load[begins & flat], feed / anew)
        steps = np.ceil((load - 1.0) * PARTS - 1e-6)
        fast = (taken == 0.0) & (np.append(taken[1:], 0.0) == 0.0) & flat & long_clear
        cut_flat = float(np.diff(way)[(taken > 0.0) & flat].sum())
        if cut_flat > spare:
            fast &= np.arange(len(taken)) > np.nonzero(taken > 0.0)[0].max(initial=-1)
        load[fast], steps[fast] = feed / clear, -1.0
        first = np.concatenate([[0], np.nonzero(np.diff(steps))[0] + 1])
        feeds = np.repeat(feed / np.maximum.reduceat(load, first), np.diff(np.append(first, len(load))))
        return np.column_stack([xy, heights])[1:], feeds, cut_flat

    def test_the_kernel_is_the_numpy_stroke(self) -> None:
        random = np.random.default_rng(9)
        for _ in range(20):
            line = np.cumsum(random.normal(0.0, 15.0, (5, 2)), axis=0)
            count = len(stations(line, RADIUS)[0]) - 1
            # Clear, in part and in the solid for a few stations each, not the same on the way back.
            stands = np.repeat(random.choice([0.0, 0.0, 0.4, 1.0], (count // 4 + 1, 2)), 4, axis=0)[:count]
            floor = _Floor.over(line, 0.0, RADIUS, stands, 12_000.0, 1200.0, math.inf)
            height = floor.height.copy()
            slope, full = random.uniform(0.03, 0.2), random.uniform(0.3, 2.0)
            order = np.arange(len(floor.at))
            here = flat = 0.0
            for k in range(4):
                down = here - random.uniform(0.2, 1.5)
                spare = floor.sloped - floor.flat
                points, feeds = floor.stroke(order, here, down, slope, 3000.0, full)
                own, met = height[order].copy(), stands[:, 0] if order[0] == 0 else stands[::-1, 1]
                all_points, all_feeds, cut = self.stroked(
                    floor.xy[order], own, met, here, down, slope, 3000.0, 12_000.0, 1200.0, full, spare
                )  # fmt: skip
                flat += cut
                self.assertAlmostEqual(floor.flat, flat, places=9)
                self.assertAlmostEqual(floor.sloped, floor.length * (k + 1) - flat, places=6)
                height[order] = own
                np.testing.assert_allclose(floor.height, height, atol=1e-12)
                # Those kept are among all, with their feeds; what is left out lies on the line between two kept.
                match = [int(np.argmin(np.abs(all_points - p).sum(axis=1))) for p in points]
                np.testing.assert_allclose(all_points[match], points, atol=1e-9)
                np.testing.assert_allclose(all_feeds[match], feeds, rtol=1e-12)
                self.assertEqual(match[-1], len(all_points) - 1)
                chain = LineString(np.vstack([[*floor.xy[order[0]], here], points])[:, :2])
                spots = shapely.points(all_points[:, :2])
                self.assertLess(float(shapely.distance(chain, spots).max()), 1e-6)
                here, order = down, order[::-1]

    def test_on_a_thin_level_it_goes_on_no_faster_than_it_came_down(self) -> None:
        """0.2 mm on a slope of 0.1: the face takes pi R / 2 x 0.1 mm of the width, the level alone a quarter of that.

        Gone on at the whole feed, 100 mm at the full width were told as a cut of 3.3 times its bite (odd job 1590).
        """
        line = np.array([[0.0, 0.0], [80.0, 0.0]])
        for deep, full, whole in ((0.2, 0.3, False), (0.2, 1.2, True)):
            floor = _Floor.over(line, 0.0, RADIUS, None, 12_000.0, 3000.0, -deep)
            made = floor.strokes(0.0, -deep, 1, 0.1, 3000.0, full, (False, False))
            heights = np.concatenate([[0.0], made.ends[:, 2]])
            sloped = np.diff(heights) < 0.0
            # To the line's end all of the level is taken; where the slope is as quick as may be, so is the level.
            self.assertTrue(sloped.any() and not sloped[-1])
            self.assertLessEqual(made.feeds[-1], made.feeds[sloped].max())
            self.assertEqual(made.feeds[-1] == 3000.0, whole)

    def test_round_a_closed_line_over_its_seam(self) -> None:
        """From the last station but one on to the first, which is the last: what stands there is told once."""
        line = np.array([[0.0, 0.0], [40.0, 0.0], [40.0, 30.0], [0.0, 0.0]])
        count = len(stations(line, RADIUS)[0]) - 1
        stands = np.ones((count, 2))
        stands[-6:, 0] = stands[:4, 0] = 0.0
        floor = _Floor.over(line, 0.0, RADIUS, stands, 12_000.0, 1200.0, -2.0)
        order = np.concatenate([np.arange(count // 2, count), np.arange(count // 2 + 1)])
        own = floor.height[order].copy()
        all_points, all_feeds, _ = self.stroked(
            floor.xy[order], own, stands[order[:-1], 0], -2.0, -2.0, 0.1, 3000.0, 12_000.0, 1200.0, 1.0, math.inf
        )  # fmt: skip
        # It came down a long way, of which what is cut flat is little.
        floor.sloped = 1000.0
        points, feeds = floor.stroke(order, -2.0, -2.0, 0.1, 3000.0, 1.0)
        match = [int(np.argmin(np.abs(all_points - p).sum(axis=1))) for p in points]
        np.testing.assert_allclose(all_feeds[match], feeds, rtol=1e-12)
        # Fast from the third of six clear stations to one before the last of four: slivers, and what is next. After
        # 1.25 R of clear way it begins to cut anew.
        self.assertEqual(int((all_feeds == 12_000.0).sum()), 7)
        self.assertEqual(sorted(set(feeds)), [1200.0, 1500.0, 3000.0, 12_000.0])


class EscapeTest(SimpleTestCase):
    def test_it_may_stand_where_a_quarter_turn_is_free(self) -> None:
        """Beside a straight wall: as far off as the turn needs, by its heading; in closed form."""
        plate = Plate(WIDE, box(-60, 0, 60, 60), cells=32.0)
        escape = SWEEPS[0].escape * RADIUS

        def stands(off: float, heading: float) -> bool:
            return bool(
                can_stand(
                    plate.room, *plate.frame, 0.0, RADIUS + off, math.cos(heading), math.sin(heading), 1, escape,
                    escape, RADIUS,
                )
            )  # fmt: skip

        # Along the wall, away from it to the left: no room is needed. Into the wall a quarter turn needs its radius.
        self.assertTrue(stands(0.01, 0.0))
        self.assertFalse(stands(-0.05, 0.0))
        self.assertFalse(stands(0.8 * escape, -0.5 * math.pi))
        self.assertTrue(stands(1.1 * escape, -0.5 * math.pi))
        # At 45 degrees to it, R (1 - cos 45).
        self.assertFalse(stands(0.8 * (1.0 - math.sqrt(0.5)) * escape, -0.25 * math.pi))
        self.assertTrue(stands(1.2 * (1.0 - math.sqrt(0.5)) * escape, -0.25 * math.pi))
