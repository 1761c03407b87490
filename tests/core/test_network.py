"""Ramps through necks, round islands and along networks; and what the proof sees of thin pieces that stand free."""

from dataclasses import replace
from itertools import pairwise
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, MultiLineString, Point, Polygon, box

from justbite.bench import made_areas, measured
from justbite.field.distance import signed_distance
from justbite.field.grid import Grid
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.path import opening, remembered, together, tracer
from justbite.path.contact import standing_before
from justbite.path.descent import LAST, FullWidth, descend, stations
from justbite.path.fronts import SWEEPS
from justbite.path.network import ends_open, network
from justbite.path.opening import NARROW_SHARES
from justbite.path.plane import NOTHING
from justbite.path.spine import neck_lines, round_islands, spines
from justbite.plan import plan
from justbite.proof import replay
from justbite.proof.standing import free_standing, pass_ends
from tests.core.test_opening import steel
from tests.core.test_path import LOG, job, rectangle
from tests.core.test_proof import HEAD

RADIUS, SLOPE, FEED, REMOVAL = 5.0, 0.0875, 2000.0, 48_000.0
BEARS = FullWidth(FEED, REMOVAL)
PINS = [Point(x, y).buffer(6) for x in (20, 44, 68) for y in (20, 44)]


class NetworkTest(SimpleTestCase):
    def test_a_lattice_between_pins(self) -> None:
        """The lines fall apart into one mesh round each pin; every ear begins and ends on lines before it."""
        part = box(0, 0, 88, 64).difference(shapely.union_all(PINS))
        lines = network(part, RADIUS)
        np.testing.assert_allclose(lines[0][0], lines[0][-1])
        for k in range(1, len(lines)):
            self.assertTrue(ends_open(lines[k], lines[:k], RADIUS) and ends_open(lines[k][::-1], lines[:k], RADIUS))
            # Straight on over crossings, not round corners.
            self.assertLess(LineString(lines[k]).length, 1.1 * float(np.hypot(*(lines[k][-1] - lines[k][0]))))
        self.assertEqual(len(lines), 4)
        # The ends lie on other lines to rounding only: a grid makes them meet.
        whole = shapely.union_all([LineString(line) for line in lines], grid_size=1e-5)
        self.assertTrue(part.contains(whole))
        faces = shapely.get_parts(shapely.polygonize(list(shapely.get_parts(whole))))
        self.assertEqual(sorted(sum(f.contains(p) for p in PINS) for f in faces), [1] * 6)

    def test_a_cross_has_two_branches(self) -> None:
        cross = box(-60, -8, 60, 8).union(box(-8, -60, 8, 60))
        first, *branches = network(cross, RADIUS)
        self.assertEqual(len(branches), 2)
        for branch in branches:
            self.assertLess(LineString(first).distance(Point(branch[0])), 1e-6)
            self.assertGreater(LineString(branch).length, 40.0)
        # All four arms are gone along, but for their ends.
        known = MultiLineString([first, *branches])
        for arm in ((50, 0), (-50, 0), (0, 50), (0, -50)):
            self.assertLess(known.distance(Point(arm)), 1.0)

    def test_one_line_is_no_network(self) -> None:
        self.assertEqual(network(box(0, 0, 100, 40), RADIUS), [])

    def test_a_neck_and_a_ring(self) -> None:
        dumbbell = Point(0, 0).buffer(30).union(Point(120, 0).buffer(30)).union(box(0, -1.5, 120, 1.5))
        (line,) = neck_lines(dumbbell, RADIUS, 0.6)
        np.testing.assert_allclose(line[:, 1], 0.0, atol=0.5)
        self.assertAlmostEqual(LineString(line).length, 60.0 + 2 * RADIUS, delta=4.0)
        self.assertEqual(neck_lines(dumbbell, RADIUS, 0.25), [])
        self.assertEqual(neck_lines(box(0, 0, 100, 40), RADIUS, 0.6), [])
        (ring,) = round_islands(Polygon(Point(0, 0).buffer(40).difference(Point(0, 0).buffer(20))), RADIUS)
        np.testing.assert_allclose(np.hypot(*ring.T), 30.0, atol=1.1)

    def test_a_neck_is_found_whatever_its_mouths_are(self) -> None:
        """11 mm wide for a cutter of 10: about its corners the way opens to more than twice the neck's width."""
        area = box(-50, -40, 0, 40).union(box(80, -40, 130, 40)).union(box(-1, -5.5, 81, 5.5))
        lines = neck_lines(area.buffer(-RADIUS, quad_segs=32), RADIUS, 0.6)
        self.assertEqual(len(lines), 1)
        np.testing.assert_allclose(lines[0][:, 1], 0.0, atol=0.6)
        x1, x2 = sorted(lines[0][[0, -1], 0])
        self.assertLess(x1, 1.0)
        self.assertGreater(x2, 79.0)

    def test_a_bent_narrow_slot_is_one_line(self) -> None:
        """Its bend is three times as wide as its legs: lines through what is nearly as wide would stay in the bend."""
        way = LineString([(0, 0), (60, 0), (80, 50)])
        # Where the legs are 40 times as narrow, a hair wider than the cutter, it is still one line.
        for leg in (0.03, 0.4):
            part = way.buffer(leg).union(Point(60, 0).buffer(1.2))
            longest = max((LineString(line).length for line in spines(part, RADIUS, NARROW_SHARES)), default=0.0)
            self.assertGreater(longest, 0.9 * way.length)
        self.assertLess(max((LineString(line).length for line in spines(part, RADIUS, (0.6,))), default=0.0), 20.0)


class DescentTest(SimpleTestCase):
    def run_down(self, line: np.ndarray, open_ends: tuple[bool, bool], before: np.ndarray, bears: FullWidth = BEARS,
                 stands: np.ndarray | None = None) -> np.ndarray:  # fmt: skip
        """Rates of removal over a quarter of the radius; all along the line is at depth, and it ends at its end."""
        down = descend(line, 0.0, -10.0, RADIUS, SLOPE, bears, open_ends, stands)
        ends = down.ends
        height = before.copy()
        steps = replay.run(
            (*replay.whole_cells(height), -20.0, -20.0, 0.1, 0.0, 0.001), down.begin,
            np.ones(len(ends), dtype=np.uint8), ends, np.zeros((len(ends), 2)), np.zeros(len(ends)), RADIUS, 0.25, 1.0,
        ).steps  # fmt: skip
        np.testing.assert_allclose(ends[-1, :2], line[-1], atol=1e-9)
        for spot in (LineString(line).interpolate(s, normalized=True) for s in np.linspace(0.0, 1.0, 40)):
            self.assertEqual(height[round((spot.y + 20) / 0.1), round((spot.x + 20) / 0.1)], -10_000)
        # As fast as a link goes only what takes nothing, but for cusps between the discs of the stroke before.
        fast = down.feeds[steps.block] > bears.feed
        self.assertLess(float(steps.volume[fast].sum()), 3e-4 * float(steps.volume.sum()))
        rate = steps.volume / steps.length() * down.feeds[steps.block]
        return np.convolve(rate, np.ones(5) / 5, mode="valid")

    def test_round_and_round(self) -> None:
        angles = np.linspace(0.0, 2.0 * np.pi, 25)
        ring = np.column_stack([30.0 * np.cos(angles) + 30.0, 30.0 * np.sin(angles) + 30.0])
        rate = self.run_down(ring, (False, False), np.zeros((1000, 1000), dtype=np.int16))
        self.assertLess(float(rate.max()), 1.13 * REMOVAL)
        self.assertGreater(float(rate.mean()), 0.6 * REMOVAL)

    def test_thin_levels_whose_slope_is_shorter_than_a_station(self) -> None:
        for depth in (0.01, 0.05, 0.3):
            for line in (np.array([[0, 0], [60, 0], [60, 40], [0, 0.0]]), np.array([[0, 0], [60, 0.0]])):
                down = descend(line, 0.0, -depth, 12.5, SLOPE, BEARS)
                np.testing.assert_allclose(down.ends[-1], [*line[-1], -depth], atol=1e-6)
                points = np.vstack([down.begin, down.ends])
                self.assertLessEqual(
                    float((-np.diff(points[:, 2]) - SLOPE * np.hypot(*np.diff(points[:, :2], axis=0).T)).max()), 1e-9
                )

    def test_straight_down_where_it_is_open(self) -> None:
        """Between two grooves that are at depth, no slope is needed: each stroke is flat."""
        solid = np.zeros((400, 800), dtype=np.int16)
        solid[:, :250] = solid[:, 550:] = -10_000
        line = np.array([[0.0, 0.0], [40.0, 0.0]])
        rate = self.run_down(line, (True, True), solid)
        self.assertLess(float(rate.max()), 1.05 * REMOVAL)
        flat = descend(line, 0.0, -10.0, RADIUS, SLOPE, BEARS, (True, True))
        sloped = descend(line, 0.0, -10.0, RADIUS, SLOPE, BEARS)
        self.assertLess(flat.minutes, 0.95 * sloped.minutes)

    def test_across_a_groove_that_is_at_depth_it_goes_as_fast_as_a_link(self) -> None:
        """No more than is allowed where it comes out of it, and at once in the groove and straight down at its end."""
        line = np.array([[0.0, 0.0], [60.0, 0.0]])
        cleared = [(-20.0, 6.0), (20.0, 44.0)]
        solid = np.zeros((400, 1000), dtype=np.int16)
        grid = Grid(-20.0, -20.0, 0.25, 401, 161)
        groove = shapely.union_all([box(x0, -20, x1, 20) for x0, x1 in cleared])
        field = -signed_distance(groove, grid, 15.0)
        for x0, x1 in cleared:
            solid[:, round((x0 + 20) / 0.1) : round((x1 + 20) / 0.1)] = -10_000
        places = stations(line, RADIUS)[1]
        stands = standing_before(field, grid.x0, grid.y0, grid.cell, places, RADIUS, 0.02 * RADIUS)
        bears = replace(BEARS, clear=6.0 * FEED)
        rate = self.run_down(line, (True, False), solid, bears, stands)
        self.assertLess(float(rate.max()), 1.05 * REMOVAL)
        down = descend(line, 0.0, -10.0, RADIUS, SLOPE, bears, (True, False), stands)
        points = np.vstack([down.begin, down.ends])
        fast = down.feeds > FEED
        flat = np.diff(points[:, 2]) == 0.0
        # Back through what it cut, and twice the 20 mm from where its front is in the groove to where it cuts again.
        way = np.abs(np.diff(points[:, 0]))
        self.assertGreater(way[fast & flat].sum(), 60.0 + 2 * 18.0)
        straight = way == 0.0
        self.assertEqual(sorted(set(down.feeds[straight])), [FEED, 6.0 * FEED])
        np.testing.assert_allclose(points[1:, 2][straight & ~fast] - points[:-1, 2][straight & ~fast], -LAST)
        self.assertLess(down.minutes, 0.9 * descend(line, 0.0, -10.0, RADIUS, SLOPE, BEARS, (True, False)).minutes)

    def test_short_lines_with_an_open_end(self) -> None:
        """No steeper than the slope but straight down at an open end, and all of the line at depth at the end.

        A line too short to slope half-way down in was left 0.28 mm high for most of its length, for the next cut.
        """
        for draw in map(np.random.default_rng, range(200)):
            length, depth = float(draw.uniform(3, 60)), float(draw.uniform(0.2, 8))
            line = np.array([[0.0, 0.0], [0.6 * length, 0.0], [length, 0.0]])
            open_ends = (bool(draw.integers(2)), bool(draw.integers(2)))
            bears = FullWidth(FEED, float(draw.uniform(0.3, 3)) * REMOVAL)
            down = descend(line, 0.0, -depth, RADIUS, SLOPE, bears, open_ends)
            points = np.vstack([down.begin, down.ends])
            np.testing.assert_allclose(points[-1], [length, 0.0, -depth], atol=1e-6)
            spots = np.linspace(0.0, length, 101)
            height = np.zeros(101)
            for (x0, _, z0), (x1, _, z1) in pairwise(points.tolist()):
                if abs(x1 - x0) < 1e-9:
                    self.assertTrue(z1 >= z0 - 1e-9 or open_ends[round(x0 / length)], (length, depth, open_ends))
                    continue
                self.assertLessEqual(z0 - z1, SLOPE * abs(x1 - x0) + 1e-6, (length, depth, open_ends))
                order = np.argsort([x0, x1])
                here = (spots >= min(x0, x1) - 1e-9) & (spots <= max(x0, x1) + 1e-9)
                height[here] = np.minimum(
                    height[here], np.interp(spots[here], np.array([x0, x1])[order], np.array([z0, z1])[order])
                )
            np.testing.assert_allclose(height, -depth, atol=1e-6, err_msg=f"{length} {depth} {open_ends}")


class RingTest(SimpleTestCase):
    def test_fronts_round_an_island_close(self) -> None:
        """Made area 6: with a ring less than half of the returns are left, and nothing is worse."""
        (data,) = made_areas(range(6, 7))
        row = measured(data, 1e9)["operations"][0]
        with patch.object(opening, "round_islands", lambda *_: []), patch.object(opening, "network", lambda *_: []):
            without = measured(data, 1e9)["operations"][0]
        self.assertLess(row["seconds"], 0.95 * without["seconds"])
        self.assertLess(row["link_seconds"], 0.6 * without["link_seconds"])
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["entry_over_bite"], 1.03)
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertEqual((row["gouge_mm"], row["rapid_in_stock_mm"]), (0, 0))

    def test_a_network_is_no_finding(self) -> None:
        """That a way in is a ramp is told where no helix fits; here one would, and the ramps were chosen."""
        pins = [np.asarray(p.exterior.coords)[:-1].tolist() for p in PINS]
        with patch.object(opening, "round_islands", lambda *_: []):
            made = plan(parse_job(job(rectangle(88, 64), islands=pins)))
        # Ring and ears come down one after the other, a lift to travel height before each.
        self.assertGreater(made.program.count("Z10"), 3)
        self.assertNotIn("entry.ramp", [w["code"] for w in made.report["warnings"]])

    def test_a_neck_is_ramped_through(self) -> None:
        """Made area 28: a neck that leaves the centre 0.25 R takes loops by the hundred."""
        (data,) = made_areas(range(28, 29))
        row = measured(data, 1e9)["operations"][0]
        with patch.object(opening, "neck_lines", lambda *_: []):
            without = measured(data, 1e9)["operations"][0]
        self.assertLess(row["seconds"], 0.92 * without["seconds"])
        self.assertLessEqual(row["entry_over_bite"], 1.03)

    def test_in_steel_too_where_it_is_hardly_wider_than_the_cutter(self) -> None:
        rooms = [
            [0, 0],
            [40, 0],
            [40, 15],
            [90, 15],
            [90, 0],
            [130, 0],
            [130, 40],
            [90, 40],
            [90, 26],
            [40, 26],
            [40, 40],
            [0, 40],
        ]
        made = plan(parse_job(steel(job(rooms)))).report
        with patch.object(opening, "neck_lines", lambda *_: []):
            without = plan(parse_job(steel(job(rooms)))).report
        self.assertLess(made["seconds"], 0.95 * without["seconds"])
        self.assertLessEqual(made["operations"][0]["entry_over_bite"], 1.03)
        self.assertLess(made["operations"][0]["left_over_share"], 0.001)

    def test_a_walk_that_goes_round_and_round_is_seen(self) -> None:
        """A strip thinner than the bite round a pin: full depth is never felt, and the walk would go on for ever."""
        grid = Grid.over((-30, -30, 30, 30), RADIUS / 16)
        strip = Point(0, 0).buffer(10).difference(Point(0, 0).buffer(9))
        cleared = signed_distance(strip, grid, 10.0)
        room = signed_distance(box(-30, -30, 30, 30).difference(Point(0, 0).buffer(9)), grid, 20.0)
        settings = tracer.TraceSettings(
            radius=RADIUS, wall=RADIUS, step=0.1 * RADIUS, target=2.0, fade=SWEEPS[0].fade * 2.0,
            fade_length=0.6 * RADIUS, turn_away=0.6, turn_in=3.0, escape=1.25, skin=0.01, lag_steps=5, near=0.03,
            finest=0.008, most=2.0, back=RADIUS, ribs=0.0,
        ).packed()  # fmt: skip
        path, _, ended, _, _, _ = tracer.trace(
            cleared, room, grid.x0, grid.y0, grid.cell, 14.5, 0.0, np.pi / 2, 0.0, -1, settings, 2.0, False, 20_000,
            *LOG, 0, NOTHING,
        )  # fmt: skip
        self.assertEqual(ended, tracer.CLOSED)
        self.assertLess(len(path), 1000)

    def test_no_walk_in_a_whole_plan_goes_on_for_ever(self) -> None:
        """Made area 37: a walk comes to a round that the place it first remembered is not on."""
        (data,) = made_areas(range(37, 38))
        steps: list[int] = []

        def walked(*given: Any) -> Any:
            found = trace(*given)
            if not given[12]:
                steps.append(len(found[0]))
            return found

        trace = tracer.trace
        # In forks they would be counted where nobody sees them.
        with patch.object(tracer, "trace", walked), patch.object(remembered, "side_by_side", together.in_turn):
            measured(data, 1e9)
        self.assertGreater(len(steps), 50)
        self.assertLess(max(steps), 10_000)


class StandingTest(SimpleTestCase):
    def pieces(self, code: str) -> int:
        parsed = parse_job(job(rectangle(60, 45)))
        moves, operation = read_program(HEAD + code), parsed.operations[0]
        return len(free_standing(parsed, operation, moves, pass_ends(parsed, operation, moves, 0.002), 0.002))

    def test_a_post_is_seen(self) -> None:
        """Round a circle of 5.4 mm a 10 mm cutter leaves a post 0.8 mm thick; of 6 mm one of 2 mm, which is none."""
        self.assertGreater(self.pieces("G0 X35.4 Y22\nG1 Z-8 F500\nG3 X35.4 Y22 I-5.4 J0 F900\nG1 X36\n"), 0)
        self.assertEqual(self.pieces("G0 X36 Y22\nG1 Z-8 F500\nG3 X36 Y22 I-6 J0 F900\nG1 X36.5\n"), 0)
        self.assertEqual(self.pieces("G0 X20 Y22\nG1 Z-8 F500\nG1 X40 F900\n"), 0)

    def test_a_pass_ends_where_nothing_more_is_taken(self) -> None:
        """A slot, back through it, a second cut beside it, and back again: two passes, each over with its own block."""
        parsed = parse_job(job(rectangle(60, 45)))
        code = "G0 X20 Y22\nG1 Z-8 F500\nG1 X40 F900\nG1 X20\nG1 Y24\nG1 X40\nG1 X20\n"
        moves = read_program(HEAD + code)
        ends = pass_ends(parsed, parsed.operations[0], moves, 0.002)
        self.assertEqual([tuple(moves.end[k - 1, :2]) for k in ends], [(40.0, 22.0), (40.0, 24.0)])

    def test_what_is_swallowed_in_one_go_is_no_post(self) -> None:
        """A post of 2 mm is cut away from one side: thin for a moment, but no later pass meets it."""
        post = "G0 X36 Y22\nG1 Z-8 F500\nG3 X36 Y22 I-6 J0 F900\n"
        self.assertEqual(self.pieces(post + "G1 X24 Y22\n"), 0)
        self.assertGreater(self.pieces(post + "G1 X34.8 Y22\nG1 X36 Y22\nG3 X36 Y22 I-6 J0\n"), 0)
