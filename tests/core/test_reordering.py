"""Passes in another order: which must come first, the shortest ways between, and that what is cut stays the same."""

from dataclasses import replace
from itertools import pairwise, permutations
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon

from justbite.bench import made_areas, measured, on_machine, thin_pieces
from justbite.field.grid import Grid
from justbite.path import reordering, tried
from justbite.path.area import Area, parts_of
from justbite.path.clearing import Clearing
from justbite.path.fronts import Piece
from justbite.path.ground import ground_of
from justbite.path.level import PartPlan, plan_part, ways_into
from justbite.path.links import Speeds, soonest
from justbite.path.plane import Plane
from justbite.path.reordering import Going, reordered, units_of
from justbite.path.sequence import Owners, shorter, spent
from justbite.plan import plan

SPEEDS = Speeds()
NOWHERE = Going(np.zeros(2), 0.0)


def told(_share: float) -> None:
    pass


class SequenceTest(SimpleTestCase):
    def test_the_shortest_order_of_a_few(self) -> None:
        """Held against all orders that keep to what must come first: as short as the shortest, mostly."""
        random = np.random.default_rng(7)
        best = 0
        for _ in range(40):
            count = 6
            seconds = random.uniform(0.1, 1.0, (count + 1, count + 1))
            earlier = np.tril(random.uniform(size=(count, count)) < 0.25, -1)
            found = shorter(np.arange(count), seconds, earlier)
            self.assertEqual(sorted(found), list(range(count)))
            place = np.argsort(found)
            self.assertTrue(all(place[b] < place[a] for a, b in np.argwhere(earlier)))
            allowed = [
                order for order in permutations(range(count))
                if all(order.index(b) < order.index(a) for a, b in np.argwhere(earlier))
            ]  # fmt: skip
            least = min(self.by_hand(order, seconds) for order in allowed)
            own = self.by_hand(tuple(found), seconds)
            self.assertAlmostEqual(spent(found, seconds), own)
            self.assertLessEqual(own, self.by_hand(tuple(range(count)), seconds) + 1e-9)
            self.assertGreaterEqual(own, least - 1e-9)
            best += own < least + 1e-9
        self.assertGreater(best, 15)

    @staticmethod
    def by_hand(order: tuple[int, ...], seconds: NDArray[np.float64]) -> float:
        rows = [0, *(k + 1 for k in order)]
        return float(sum(seconds[a, b] for a, b in pairwise([*rows, 0])))

    def test_what_lies_in_a_chain_stays(self) -> None:
        """Each pass behind the one before: there is but one order."""
        seconds = np.random.default_rng(1).uniform(0.1, 1.0, (9, 9))
        chain = np.eye(8, k=-1, dtype=bool)
        np.testing.assert_array_equal(shorter(np.arange(8), seconds, chain), np.arange(8))

    def test_stragglers_are_taken_on_the_way(self) -> None:
        """Places on a line, left to the end, each of them passed before: gone by in one go."""
        places = np.array([0.0, 2.0, 4.0, 6.0, 8.0, 5.0, 1.0, 3.0, 7.0])
        seconds = np.abs(np.concatenate([[0.0], places])[:, None] - np.concatenate([[0.0], places]))
        seconds[:, 0] = 0.0
        found = shorter(np.arange(9), seconds, np.zeros((9, 9), dtype=bool))
        self.assertAlmostEqual(spent(np.arange(9), seconds), 8 + 3 + 4 + 2 + 4)
        self.assertAlmostEqual(spent(found, seconds), 8.0)

    def test_where_it_goes_afterwards_counts(self) -> None:
        """Three places on a line, from the middle: first away from where the cutter goes then, not to it."""
        places, here = np.array([-1.0, 1.2]), 0.0
        for then, order in ((5.0, [0, 1]), (-5.0, [1, 0])):
            ends = np.concatenate([[here], places])
            seconds = np.abs(ends[:, None] - np.concatenate([[then], places]))
            found = shorter(np.arange(2), seconds, np.zeros((2, 2), dtype=bool))
            self.assertEqual(found.tolist(), order)
            self.assertAlmostEqual(spent(found, seconds), self.by_hand(tuple(order), seconds))


class OwnersTest(SimpleTestCase):
    def test_who_cut_within_reach(self) -> None:
        """Against the areas swept, by shapely: what one took lies within another one's reach, or clearly does not."""
        random = np.random.default_rng(3)
        radius, ways = 5.0, []
        for _ in range(14):
            bends = np.cumsum(random.normal(0.0, 6.0, (5, 2)), axis=0) + random.uniform(20, 80, 2)
            ways.append(shapely.get_coordinates(shapely.segmentize(LineString(bends), 0.25)))
        grid = Grid.over((0, 0, 100, 100), radius / 20)
        cleared = np.ones((grid.ny, grid.nx), dtype=np.float32)
        cleared[:, : grid.nx // 4] = -1.0
        owners = Owners(grid, radius, cleared)
        gone: list[Polygon] = []
        known = shapely.box(-50, -50, grid.x0 + (grid.nx // 4) * grid.cell, 150)
        within, without = 0, 0
        for k, way in enumerate(ways):
            earlier = np.zeros(len(ways), dtype=bool)
            owners.cut(k, [way], earlier)
            line = LineString(way)
            seen = shapely.box(0, 0, 100, 100)
            for j, taken in enumerate(gone):
                overlap = line.buffer(radius, quad_segs=32).intersection(taken).intersection(seen).area
                if overlap > 3.0 * grid.cell**2 and overlap > 0.05:
                    self.assertTrue(earlier[j], (k, j, overlap))
                    within += 1
                if line.buffer(1.12 * radius, quad_segs=32).intersection(taken).area == 0.0:
                    self.assertFalse(earlier[j], (k, j))
                    without += 1
            taken = line.buffer(radius, quad_segs=32).difference(known)
            gone.append(taken)
            known = known.union(taken)
        self.assertGreater(min(within, without), 10)

    def test_a_strip_thinner_than_a_cell(self) -> None:
        """Two ways side by side: what the second overlaps of what the first took may lie between the nodes."""
        radius = 5.0
        grid = Grid.over((0, 0, 60, 40), radius / 20)
        for overlap, bound in ((1.0, True), (0.1, True), (0.01, True), (-1.0, False)):
            for across in (0.0, 0.07, 0.13, 0.2):
                owners = Owners(grid, radius, np.ones((grid.ny, grid.nx), dtype=np.float32))
                earlier = np.zeros((2, 2), dtype=bool)
                for k, y in enumerate((10.0 + across, 10.0 + across + 2.0 * radius - overlap)):
                    owners.cut(k, [np.array([[10.0, y], [50.0, y]])], earlier[k])
                self.assertEqual(bool(earlier[1, 0]), bound, (overlap, across))


class SoonestTest(SimpleTestCase):
    def test_straight_on(self) -> None:
        """From the feed of cuts up to that of links, and down again: a trapezoid, in closed form."""
        speeds = Speeds(50.0, 200.0, 5000.0, 0.01)
        for way in (2.0, 40.0):
            top = min(200.0, (5000.0 * way + 50.0**2) ** 0.5)
            rising = (top**2 - 50.0**2) / 5000.0
            expected = 2.0 * (top - 50.0) / 5000.0 + (way - rising) / top
            found = soonest(np.array([[0.0, 0.0, 0.5]]), np.array([[0.0, 0.0, 0.5]]), 5.0, speeds.packed())
            self.assertAlmostEqual(float(found[0, 0]), 0.0, places=9)
            ahead = np.array([[way * np.cos(0.5), way * np.sin(0.5), 0.5]])
            found = soonest(np.array([[0.0, 0.0, 0.5]]), ahead, 5.0, speeds.packed())
            self.assertAlmostEqual(float(found[0, 0]), expected, places=6)

    def test_the_other_way_round_takes_longer(self) -> None:
        here, there = np.array([[0.0, 0.0, 0.0]]), np.array([[20.0, 0.0, 0.0], [20.0, 0.0, np.pi]])
        along, against = soonest(here, there, 5.0, SPEEDS.packed())[0]
        self.assertGreater(against, along + 0.02)


class ReorderedTest(SimpleTestCase):
    """A room with two bosses: passes on either side of them do not depend on each other."""

    def setUp(self) -> None:
        bosses = shapely.union_all([shapely.box(x, 25, x + 10, 35) for x in (25, 55)])
        shape = shapely.box(0, 0, 90, 60).difference(bosses)
        self.area = Area("", shape, shape, Polygon(), shape, shape.buffer(-5.0), 5.0, 5.0, 0.006, ())
        (self.part,) = parts_of(self.area)
        ((area, _, ways),) = ways_into(self.area, 1.0, None, 2.0)
        self.area = area
        self.plan = plan_part(area, self.part, ways[0], 2.0, "", told)
        found = reordered(self.plan, area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, told)
        assert found is not None
        self.found: PartPlan = found

    def test_cuts_are_the_same(self) -> None:
        """Every cut is still there, to the last digit, and none twice; what is told of the plan stays."""
        for one, other in zip(self.plan.paths, self.found.paths, strict=True):
            before = sorted(p.points.tobytes() for p in one.pieces if p.kind == "cut")
            after = sorted(p.points.tobytes() for p in other.pieces if p.kind == "cut")
            self.assertEqual(before, after)
        self.assertIsNot(self.plan.paths[-1].pieces, self.found.paths[-1].pieces)
        self.assertEqual((self.plan.stands, self.plan.cleared), (self.found.stands, self.found.cleared))

    def test_each_goes_on_where_the_one_before_ended(self) -> None:
        for path in self.found.paths:
            ends = [path.entry.points[-1], *(piece.points[-1] for piece in path.pieces)]
            for end, piece in zip(ends[:-1], path.pieces, strict=True):
                np.testing.assert_allclose(piece.points[0], end, atol=1e-9)

    def test_each_cut_takes_what_it_took(self) -> None:
        """Seen by shapely: what stands within a cut's reach when it is its turn is as much as in the plan's order."""

        def taken(plan_: PartPlan) -> dict[bytes, float]:
            left, found = self.area.material, {}
            for path in plan_.paths:
                left = left.difference(LineString(path.entry.points).buffer(5.0))
                for piece in path.pieces:
                    if piece.kind == "cut":
                        sweep = LineString(piece.points).buffer(5.0)
                        found[piece.points.tobytes()] = left.intersection(sweep).area
                        left = left.difference(sweep)
            return found

        before, after = taken(self.plan), taken(self.found)
        for key, area in before.items():
            self.assertAlmostEqual(after[key], area, delta=0.05)

    def test_ways_between_take_less(self) -> None:
        def between(plan_: PartPlan) -> float:
            links = [p.points for path in plan_.paths for p in path.pieces if p.kind == "link"]
            return float(sum(np.hypot(*np.diff(points, axis=0).T).sum() for points in links))

        self.assertLess(between(self.found), 0.95 * between(self.plan))

    def test_a_way_that_is_not_found_is_done_without(self) -> None:
        """Where no new way is found to a pass it stays behind the one that it came after."""
        (*_, path) = self.plan.paths
        units, _ = units_of(path.pieces)
        find = reordering._Order._link
        starts = {unit[0].points[0].tobytes() for unit in units[4:9]}
        refused = []

        def link(order: reordering._Order, before: int, at: int) -> object:
            if at != before + 1 and order.units[at][0].points[0].tobytes() in starts:
                refused.append(at)
                return None
            return find(order, before, at)

        with patch.object(reordering._Order, "_link", link):
            found = reordered(self.plan, self.area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, told)
        self.assertTrue(refused)
        assert found is not None
        cuts = [p.points.tobytes() for p in found.paths[-1].pieces if p.kind == "cut"]
        self.assertEqual(len(cuts), sum(len(unit) for unit in units))
        for at in set(refused):
            before, own = units[at - 1][-1].points.tobytes(), units[at][0].points.tobytes()
            self.assertEqual(cuts.index(own), cuts.index(before) + 1)

    def test_a_way_in_two_links(self) -> None:
        """Out of the tip of a cusp a link of its own leads: both are one way to the next pass."""
        (*_, path) = self.plan.paths
        at = next(k for k, piece in enumerate(path.pieces) if piece.kind == "link" and len(piece.points) > 4)
        link = path.pieces[at]
        assert link.load is not None
        parts = [
            replace(link, points=link.points[s], depth=link.depth[s], load=link.load[s])
            for s in (slice(0, 3), slice(2, None))
        ]
        pieces = (*path.pieces[:at], *parts, *path.pieces[at + 1 :])
        (_, one), (_, other) = units_of(path.pieces), units_of(pieces)
        for known, joined in zip(one, other, strict=True):
            if known is not None and joined is not None:
                np.testing.assert_array_equal(known.points, joined.points)
        self.assertEqual(len(one), len(other))
        split = replace(self.plan, paths=(*self.plan.paths[:-1], replace(path, pieces=pieces)))
        found = reordered(split, self.area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, told)
        assert found is not None
        self.assertEqual(len(found.paths[-1].pieces), len(self.found.paths[-1].pieces))

    def test_a_cut_begins_with_no_more_than_the_guard_allows(self) -> None:
        """A link that grazes more than the bite just before a cut is none, however clear it seems."""
        (path,) = self.plan.paths
        ground = ground_of(self.area, self.part, 2.0)
        work = Clearing(Plane(ground.grid, ground.cleared, ground.room, 5.0, 5.0, 2.0))
        x, y = (float(v) for v in path.entry.points[-1])
        order = reordering._Order(work, path.pieces, (x, y, 0.0), NOWHERE)
        at = next(
            k for k, unit in enumerate(order.units)
            if k > 2 and unit[0].load is not None and not unit[0].whole and unit[0].load[1] > 0.1
        )  # fmt: skip
        begin, on = order.units[at][0].points[:2]
        way = begin - np.array([[3.0], [1.0], [0.5], [0.0]]) * (on - begin) / np.hypot(*(on - begin))
        for grazed, allowed in ((0.0, True), (0.1, True), (3.0, False)):
            link = Piece("link", way, np.zeros(4), load=np.array([0.0, 0.0, grazed, grazed]))
            with patch.object(work.ways, "way_to", return_value=link):
                self.assertEqual(order._link(0, at) is link, allowed, grazed)

    def test_without_any_way_the_plan_stays(self) -> None:
        with patch.object(reordering._Order, "_link", return_value=None):
            self.assertIsNone(reordered(self.plan, self.area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, told))

    def test_it_can_be_stopped(self) -> None:
        def stop(share: float) -> None:
            if share > 0.3:
                raise InterruptedError

        with self.assertRaises(InterruptedError):
            reordered(self.plan, self.area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, stop)

    def test_a_ground_that_is_known_is_left_as_it_was(self) -> None:
        ground = ground_of(self.area, self.part, 2.0)
        before = ground.cleared.copy()
        again = reordered(self.plan, self.area, self.part, 2.0, 0.0, SPEEDS, NOWHERE, told, ground)
        np.testing.assert_array_equal(ground.cleared, before)
        assert again is not None
        for one, other in zip(again.paths, self.found.paths, strict=True):
            for piece, twin in zip(one.pieces, other.pieces, strict=True):
                np.testing.assert_array_equal(piece.points, twin.points)


class WholeTest(SimpleTestCase):
    def test_pins_and_necks_are_quicker_and_as_true(self) -> None:
        """Made areas 28 and 37, from the program by the proof: sooner, within the bounds, nothing thin stands free."""
        for seed, gain in ((28, 0.02), (37, 0.02)):
            (data,) = made_areas(range(seed, seed + 1))
            row = measured(data, 5000)["operations"][0]
            with patch.object(tried, "reordered", return_value=None):
                before = measured(data, 5000)["operations"][0]
            self.assertLess(row["seconds"], (1.0 - gain) * before["seconds"])
            self.assertLess(row["max_over_target"], 1.05)
            self.assertLess(row["p999_over_target"], 1.02)
            self.assertLess(row["left_over_share"], 0.001)
            job = on_machine(data, 5000)
            self.assertEqual(thin_pieces(job, plan(job).program), 0)
