"""The proof, the clock and the NC text: against closed forms, and against programs made wrong on purpose."""

import math
from collections.abc import Callable
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from justbite.errors import ProgramError, StoppedError
from justbite.model.moves import Moves, lengths, sweep_angles
from justbite.model.parse import parse_job
from justbite.motion.clock import Drive, block_times
from justbite.nc.reader import read_program
from justbite.nc.writer import Heading, write_program
from justbite.plan import plan
from justbite.proof import lanes
from justbite.proof.audit import Audit, audit_operation
from justbite.proof.running import ProofSettings, run_operation
from justbite.proof.stockmap import PLAIN_TILES, Stock
from justbite.tolerances import PROOF_BITE_CELLS
from tests.core.test_path import job, rectangle

HEAD = "G17 G21 G90 G94\n(OP 1 a)\n(LEVEL -8)\nG0 Z10\n"
SETTINGS = ProofSettings(1 / 60, 1 / 20, 0.25, 0.01, 0.002)


def audit(code: str, ae: float = 2.0, cell: float = 5 / 60, feed: float | None = None, **region: Any) -> Audit:
    """The audit of some NC lines over a 60 x 45 area, 8 mm deep, cutter 10 mm."""
    parsed = parse_job(job(rectangle(60, 45), **region))
    stock = Stock(parsed, cell, 0.002)
    return audit_operation(stock, parsed, parsed.operations[0], read_program(HEAD + code), ae, 8.0, SETTINGS, feed)


class AuditTest(SimpleTestCase):
    def test_slot_volume_and_full_engagement(self) -> None:
        result = audit("G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\n")
        self.assertAlmostEqual(result.removed, (20 * 10 + math.pi * 25) * 8, delta=12)
        self.assertAlmostEqual(result.most_depth, 10.0, delta=0.25)

    def test_side_cut_is_measured_as_its_depth(self) -> None:
        first = "G0 X20 Y20\nG1 Z-8 F500\nG1 X45 F900\nG1 Y21.5\nG1 X20 F901\n"
        result = audit(first)
        steps = result.trace
        on_way_back = (steps.block == 4) & (steps.position[:, 0] < 40) & (steps.position[:, 0] > 25)
        np.testing.assert_allclose(steps.depth[on_way_back], 1.5, rtol=0.03)

    def test_only_what_comes_down_as_slowly_as_a_way_in_is_run_in_longer_steps(self) -> None:
        """A ramp of 4 mm down at half the bite's feed, flat on, up, and a link that comes down 0.3 mm at 3000."""
        parsed = parse_job(job(rectangle(60, 45)))
        code = "G0 X20 Y20 Z-4\nG1 X40 Z-8 F450\nG1 X30 F900\nG1 Z-7.7 F900\nG1 X26 Z-8 F3000\n"
        moves, lengths_of = read_program(HEAD + code), []
        for feed in (None, 900.0):
            stock = Stock(parsed, 5 / 60, 0.002)
            ran = run_operation(stock, parsed, parsed.operations[0], moves, 8.0, SETTINGS, feed=feed)
            (stretch,) = ran.stretches
            lengths_of.append(ran.steps(stretch, moves).piece)
        plain, told = lengths_of
        self.assertLessEqual(float(plain.max()), 0.25)
        np.testing.assert_allclose(told[[1]], 2.0 * plain[[1]], rtol=0.02)
        np.testing.assert_array_equal(np.delete(told, 1), np.delete(plain, 1))

    def test_a_nibble_after_coming_down_is_told_over_its_window(self) -> None:
        """Down and on through air, then a sliver of 0.3 mm at once: told over R/4, as cuts are."""
        slot = "G0 X15 Y20\nG1 Z-8 F10\nG1 X45 F20\nG0 Z10\nX30\nZ1\nG1 Z-8 F1000\nG1 X34 F1095\n"
        nibble = "G1 Y20.3 F548\nG1 Y20 F1095\nG1 X30\n"
        plain, result = audit(slot, feed=1095), audit(slot + nibble, feed=1095)
        # A segment of the circle 0.3 mm high, in closed form, on both sides of its way out.
        angle = 2.0 * math.acos(1.0 - 0.3 / 5.0)
        sliver = 0.5 * 25.0 * (angle - math.sin(angle)) * 8.0
        self.assertAlmostEqual(result.removed - plain.removed, sliver, delta=0.15 * sliver)
        self.assertLess(plain.entry_rate, 2000.0)
        np.testing.assert_allclose(result.entry_at[:2], (34.0, 20.3), atol=0.3)
        spent = 0.3 / 548.0 + (1.25 - 0.3) / 1095.0
        self.assertAlmostEqual(result.entry_rate * spent / sliver, 1.0, delta=0.25)

    def test_steps_round_a_small_arc_leave_no_scallops(self) -> None:
        """Once round on 0.1 mm: a disc of 5.1 mm is gone. Steps of R/20 left 0.56 mm2 of it between them."""
        removed = audit("G0 X20.1 Y20\nG1 Z-8 F500\nG2 X20.1 Y20 I-0.1 J0 F900\n", cell=0.02).removed / 8.0
        missing = math.pi * 5.1**2 - removed
        # A third of a cell all round, at most.
        self.assertLess(missing, 0.0072 * 2.0 * math.pi * 5.1)
        self.assertGreater(missing, -0.001 * removed)

    def test_only_what_takes_something_is_cutting_length(self) -> None:
        """A side cut of 20 mm, then on through what is cleared: the window reaches on, the length does not."""
        slot = "G0 X15 Y20\nG1 Z-8 F500\nG1 X45 F900\nG1 X15\nG1 X20\n"
        plain = audit(slot)
        result = audit(slot + "G1 Y18 F901\nG1 X40\nG1 Y20\nG1 X20\n", 2.0)
        # From the slot's edge into the plate, 20 mm along it, and back out of it, where nothing is left to take.
        self.assertAlmostEqual(result.cut_length - plain.cut_length, 2.0 + 20.0, delta=0.6)
        beside = (result.trace.depth > 0.02 * 2.0) & ~result.trace.entry
        self.assertGreater(float(result.trace.length[beside].sum()), result.cut_length + 0.5)

    def test_side_cuts_at_all_angles_are_measured_alike(self) -> None:
        """With whole cells the mean alone was 1.7 thousandths off at 45 degrees."""
        for degrees in (0, 2, 7, 13.3, 45, 76.7, 90):
            c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
            slot, back = ([(30 + u * c + v * s, 22 + u * s - v * c) for u in (-12, 12)] for v in (0.0, 0.5))
            code = "G0 X{} Y{}\nG1 Z-8 F500\n".format(*slot[0])
            code += "".join("G1 X{:.4f} Y{:.4f} F900\n".format(*p) for p in (slot[1], back[1], back[0]))
            trace = audit(code, 0.5, 0.5 / PROOF_BITE_CELLS).trace
            along = (trace.position[:, 0] - 30) * c + (trace.position[:, 1] - 22) * s
            steady = trace.depth[(trace.block == 4) & (abs(along) < 6)]
            self.assertLess(float(abs(steady / 0.5 - 1).max()), 0.01, degrees)
            self.assertAlmostEqual(float(steady.mean()), 0.5, delta=2e-4)

    def test_a_second_level_meets_what_the_first_left(self) -> None:
        """Cells that a level sweeps in part are not taken again, nor forgotten, by the next."""
        levels = "".join(f"G1 Z{z} F500\nG1 X40 F900\nG1 X20\n" for z in (-3, -8))
        self.assertAlmostEqual(
            audit("G0 X20 Y20\n" + levels).removed, audit("G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\n").removed, delta=1.0
        )

    def test_a_way_in_that_comes_down_in_the_clear(self) -> None:
        """A slot 2 mm deep at 100 mm/min across a groove: a way in where it came down at that feed, a cut else."""
        groove = "G0 X15 Y20\nG1 Z-2 F60\nG1 X45 F60\nG1 X15\nG0 Z10\n"
        parsed = parse_job(job(rectangle(60, 45), bottom=-2))
        for down, way_in in ((100, True), (12_000, False)):
            moves = read_program((HEAD + groove).replace("-8", "-2") + f"G1 Z-2 F{down}\nG1 Y38 F100\n")
            steps = audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0
            ).trace
            slot = (steps.block == len(moves) - 1) & (steps.position[:, 1] > 27)
            self.assertEqual(set(steps.entry[slot].tolist()), {way_in})

    def test_a_long_slot_is_a_way_in_while_it_is_no_heavier_than_the_bite(self) -> None:
        """After a plunge 47 mm at full width: 8 x 10 x 150 mm3/min are less than the bite's 2 x 8 x 900, at 300 not."""
        parsed = parse_job(job(rectangle(60, 45)))
        for feed, way_in in ((150, True), (300, False)):
            moves = read_program(HEAD + f"G0 X6 Y20\nG1 Z-8 F{feed}\nG1 X53\n")
            found = audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0
            )
            far = found.trace.position[:, 0] > 45
            self.assertEqual(set(found.trace.entry[far].tolist()), {way_in})
            if way_in:
                # What is drawn of it is what it removes over what the bite does.
                np.testing.assert_allclose(found.trace.depth[far][:40] / 2.0, 8 * 10 * 150 / (2 * 8 * 900), rtol=0.02)

    def test_a_way_in_goes_on_behind_a_hole_that_it_crosses_no_faster(self) -> None:
        """That slot at 150 mm/min across a hole of 13 mm: at the feed of links over the hole a cut begins behind it."""
        parsed = parse_job(job(rectangle(60, 45), drilled=[{"at": [45, 20], "diameter": 13}]))
        for over, way_in in ((150, True), (12_000, False)):
            moves = read_program(HEAD + f"G0 X6 Y20\nG1 Z-8 F150\nG1 X44\nG1 X46 F{over}\nG1 X53 F150\n")
            steps = audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0
            ).trace
            self.assertEqual(set(steps.entry[steps.position[:, 0] > 50].tolist()), {way_in})

    def test_where_no_feed_is_known_a_way_in_begins_in_the_air(self) -> None:
        """What comes down from 10 mm over the stock belongs to the way in, whatever its feed."""
        for feed in (None, 900.0):
            steps = audit("G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\n", feed=feed).trace
            down = steps.block == np.flatnonzero(np.bincount(steps.block))[-2]
            self.assertGreater(int((steps.position[down, 2] > 0.5).sum()), 3)
            self.assertTrue(steps.entry[down].all())

    def test_a_stroke_at_full_width_is_a_way_in_where_a_tooth_bears_it(self) -> None:
        """2.6 mm deep at 540 mm/min: 14,040 mm3/min of the bite's 14,400; of 6000 teeth a minute each takes 0.09 mm."""
        parsed = parse_job(job(rectangle(60, 45), bottom=-2.6))
        moves = read_program((HEAD + "G0 X6 Y20\nG1 Z-2.6 F540\nG1 X53\n").replace("-8", "-2.6"))
        for borne, way_in in ((0.1, True), (0.05, False)):
            steps = audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0, 6000.0,
                borne=borne,
            ).trace  # fmt: skip
            self.assertEqual(set(steps.entry[steps.position[:, 0] > 45].tolist()), {way_in})

    def test_where_the_stock_ends_a_stroke_narrows_as_a_way_in(self) -> None:
        """That stroke at Y20 runs out at a hole beside it; along a wide one it is a cut of 3.5 mm after a diameter."""
        for hole, at, cut in ((16, (55, 20), False), (40, (52, 38.5), True)):
            data = job(rectangle(60, 45), bottom=-2.6, drilled=[{"at": at, "diameter": hole}])
            parsed = parse_job(data)
            moves = read_program((HEAD + "G0 X6 Y20\nG1 Z-2.6 F540\nG1 X51\n").replace("-8", "-2.6"))
            found = audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0, 6000.0,
                borne=0.1,
            )  # fmt: skip
            steps = found.trace
            told = (steps.depth > 0.1) & ~steps.entry
            self.assertEqual(bool(told.any()), cut)
            # Before the hole and one diameter on it is a way in either way.
            self.assertFalse(told[steps.position[:, 0] < 46.0].any())

    def test_a_link_that_came_down_through_air_is_no_way_in(self) -> None:
        """At the feed of links down into a slot, up off its floor, and a sliver of its side on the way down again."""
        slot = "G0 X15 Y20\nG1 Z-8 F10\nG1 X45 F20\nG0 Z10\nX28\nZ-6\n"
        link = "G1 Z-8 F12000\nX31 Z-7.7\nX36 Y20.3 Z-7.85\nX38 Y20\n"
        plain, result = audit(slot, feed=1095), audit(slot + link, feed=1095)
        sliver = result.removed - plain.removed
        self.assertGreater(sliver, 2.0)
        # Told as a way in it would be thousands of mm3/min.
        self.assertLess(result.entry_rate, 1.01 * plain.entry_rate)
        beside = (result.trace.block > 6) & (result.trace.depth > 0.02)
        self.assertTrue(beside.any())
        self.assertFalse(result.trace.entry[beside].any())

    def test_it_tells_how_far_it_is_and_can_be_stopped(self) -> None:
        parsed = parse_job(job(rectangle(60, 45)))
        moves = read_program(HEAD + "G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\n")
        told: list[float] = []

        def run(tick: Callable[[float], None]) -> None:
            stock = Stock(parsed, 5 / 60, 0.002, tile_cells=100_000)
            self.assertGreater(stock.count, 5)
            audit_operation(stock, parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, tick=tick)
            # By cells, before the first tile and after each but the last.
            self.assertEqual(len(told), stock.count)
            self.assertEqual(told[0], 0.0)
            self.assertTrue((np.diff(told) > 0.0).all() and 0.8 < told[-1] < 1.0, told)

        def stop(share: float) -> None:
            if share > 0.5:
                raise StoppedError("Stopped.")

        run(told.append)
        with self.assertRaises(StoppedError):
            run(stop)

    def test_tiles_are_one_map(self) -> None:
        """A map in many tiles measures what one tile does, on any number of cores; also what the next operation meets.

        Of tiles narrower than the cutter each is packed in between, of six none.
        """
        data = job(rectangle(60, 45))
        data["operations"].append({**data["operations"][0], "name": "again"})
        parsed = parse_job(data)
        moves = read_program(
            HEAD + "G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\nG0 Y22\nG3 X20 I-10 J0 F900\nG0 Z1\nG0 X35\nG0 Z-3\n"
        )
        found = []
        counts = []
        for tile_cells, cores in ((10**9, 2), (3_000, 1), (3_000, 3), (200_000, 2)):
            stock = Stock(parsed, 5 / 60, 0.002, tile_cells=tile_cells)
            counts.append(stock.count)
            with patch.object(lanes.os, "sched_getaffinity", lambda _pid, cores=cores: set(range(cores))):
                found.append([audit_operation(stock, parsed, o, moves, 2.0, 8.0, SETTINGS) for o in parsed.operations])
        self.assertEqual(counts[0], 1)
        self.assertGreater(counts[1], PLAIN_TILES)
        self.assertTrue(1 < counts[3] <= PLAIN_TILES, counts)
        for one, *others in zip(*found, strict=True):
            for many in others:
                np.testing.assert_allclose(many.trace.depth, one.trace.depth, atol=1e-5)
                for name in ("removed", "left_over", "rapid", "drop", "gouge", "most_depth"):
                    self.assertAlmostEqual(getattr(many, name), getattr(one, name), 6, name)
        first, second = found[1]
        self.assertGreater(first.removed, 1000.0)
        self.assertGreater(first.rapid, 1.0)
        # The heights of cells in part are rounded means.
        self.assertLess(second.removed, 2e-4 * first.removed)

    def test_it_sees_a_cut_into_the_wall(self) -> None:
        self.assertEqual(audit("G0 X20 Y20\nG1 Z-8 F500\nG1 Y5.005 F900\n").gouge, 0)
        result = audit("G0 X20 Y20\nG1 Z-8 F500\nG1 Y4.9 F900\n")
        self.assertAlmostEqual(result.gouge, 0.1, places=3)
        self.assertAlmostEqual(result.gouge_at[1], 4.9, places=3)

    def test_it_sees_a_cut_below_the_floor_and_into_an_island(self) -> None:
        self.assertAlmostEqual(audit("G0 X20 Y20\nG1 Z-8.2 F500\nG1 X30 F900\n").gouge, 0.2, places=3)
        island = [[[28, 10], [34, 10], [34, 30], [28, 30]]]
        self.assertGreater(audit("G0 X20 Y20\nG1 Z-8 F500\nG1 X24 F900\n", islands=island).gouge, 0.9)

    def test_it_sees_a_rapid_through_stock(self) -> None:
        result = audit("G0 X20 Y20\nG1 Z-8 F500\nG0 X30\n")
        self.assertAlmostEqual(result.rapid, 8.0, places=3)
        self.assertEqual(audit("G0 X20 Y20\nG1 Z-8 F500\nG0 Z5\nG0 X30\n").rapid, 0)

    def test_it_sees_what_is_left(self) -> None:
        self.assertGreater(audit("G0 X20 Y20\nG1 Z-8 F500\nG1 X40 F900\n").left_over, 0.8)

    def test_a_program_pushed_aside_is_found_out(self) -> None:
        """The whole chain: a sound program, shifted by 0.3 mm, gouges and overbites."""
        data = parse_job(job(rectangle(60, 45)))
        text = plan(data).program
        stock = Stock(data, 5 / 60, 0.002)
        good = audit_operation(stock, data, data.operations[0], read_program(text), 2.0, 8.0, SETTINGS)
        self.assertEqual(good.gouge, 0)
        moves = read_program(text)
        moves.end[:, 0] += 0.3
        moves.centre[:, 0] += 0.3
        stock = Stock(data, 5 / 60, 0.002)
        bad = audit_operation(stock, data, data.operations[0], moves, 2.0, 8.0, SETTINGS)
        self.assertAlmostEqual(bad.gouge, 0.3, delta=0.02)


class NcTest(SimpleTestCase):
    def moves(self) -> Moves:
        return read_program(
            HEAD + "G0 X10 Y0\nG1 Z-1 F300\nG3 X-10 Y0 I-10 J0 F600\nX10 Y0 Z-2 I10 J0\nG2 X10 Y0 I-5 J0\nG1 X12.5 Y3\n"
        )

    def test_lengths_and_sweeps(self) -> None:
        moves = self.moves()
        np.testing.assert_allclose(sweep_angles(moves)[2:5], [math.pi, math.pi, -2 * math.pi])
        expected = [10 * math.pi, math.hypot(10 * math.pi, 1), 10 * math.pi, math.hypot(2.5, 3)]
        np.testing.assert_allclose(lengths(moves)[2:], expected)

    def test_what_is_written_reads_back_the_same(self) -> None:
        moves = self.moves()
        text, _ = write_program("a (b)", moves, [Heading(1, "x)y", 3, 1000)], 10.0)
        self.assertIn("(a b)", text)
        again = read_program(text)
        # The writer's own lift and the last retreat stand before and after.
        np.testing.assert_allclose(again.end[-7:-1], moves.end[-6:], atol=1e-4)
        np.testing.assert_array_equal(again.kind[-7:-1], moves.kind[-6:])
        for word in ("G17", "G21", "G90", "G94", "(OP 1 xy)", "(LEVEL -8)"):
            self.assertIn(word, text)

    def test_what_it_does_not_know_is_refused(self) -> None:
        for bad in ("G41 X5", "G1 X5"):
            with self.assertRaises(ProgramError) as caught:
                read_program("G21 G90\nG0 Z10\nG0 X1\n" + bad)
            self.assertIn("Line 4", str(caught.exception))


class ClockTest(SimpleTestCase):
    def seconds(self, code: str, **drive: float) -> float:
        given = {"rapid_feed": 12000, "max_feed": 6000, "acceleration": 1000, "block_rate": 1e9, **drive}
        return float(block_times(read_program("G21 G90\nG0 Z0\n" + code), Drive(**given), 0.01).sum())

    def test_trapezoid_and_triangle(self) -> None:
        """Rest to rest: s/v + v/a when the speed is reached, else 2 sqrt(s/a)."""
        self.assertAlmostEqual(self.seconds("G1 X100 F6000\n"), 100 / 100 + 100 / 1000)
        self.assertAlmostEqual(self.seconds("G1 X4 F6000\n"), 2 * math.sqrt(4 / 1000))

    def test_blocks_in_line_are_one_motion(self) -> None:
        split = "".join(f"G1 X{x} F6000\n" for x in range(1, 101))
        self.assertAlmostEqual(self.seconds(split), 1.1, places=6)

    def test_curve_holds_the_feed_that_it_can(self) -> None:
        """v = sqrt(a r): 1 000 mm/s2 on 2.5 mm gives 50 mm/s."""
        two_turns = "G3 X0 Y0 I2.5 J0 F6000\n" * 40
        self.assertAlmostEqual(self.seconds(two_turns), 40 * 2 * math.pi * 2.5 / 50 + 50 / 1000, places=3)

    def test_block_rate_and_corners_cost_time(self) -> None:
        split = "".join(f"G1 X{x / 10} F6000\n" for x in range(1, 1001))
        self.assertGreater(self.seconds(split, block_rate=500), 1.9)
        straight, bent = "G1 X50 F6000\nG1 X100\n", "G1 X50 F6000\nG1 X50 Y50\n"
        self.assertGreater(self.seconds(bent), self.seconds(straight) + 0.05)

    def test_without_limits_only_geometry_is_left(self) -> None:
        bent = "G1 X50 F6000\nG1 X50 Y50\n"
        self.assertAlmostEqual(self.seconds(bent, acceleration=1e12), 1.0, places=4)
