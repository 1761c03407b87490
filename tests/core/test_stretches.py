"""A long program is run and measured a stretch at a time, and what is drawn of it is thinned: against all at once."""

import errno
import tempfile
from dataclasses import replace
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from justbite.model.moves import RAPID, lengths
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.proof import steps
from justbite.proof.audit import _Depths, audit_operation, measured
from justbite.proof.running import run_operation
from justbite.proof.shelf import Shelf
from justbite.proof.stockmap import Stock
from tests.core.test_path import job, rectangle
from tests.core.test_proof import HEAD, SETTINGS


class StretchesTest(SimpleTestCase):
    def test_a_program_run_in_stretches_is_measured_as_at_once(self) -> None:
        """Two levels with a way in each, ways over them, rapids into what stands: parted after each long rapid."""
        level = "G0 X20 Y20 Z1\nG1 Z{z} F200\nG1 X40 F900\nG1 Y22 F901\nG1 X20 F900\nG1 Z{up} F12000\nG0 Z10\n"
        code = level.format(z=-4, up=-3) + "G0 X10 Y30\nG0 Z-2\nG0 X14\nG0 Z10\n" + level.format(z=-8, up=-7)
        moves = read_program((HEAD + code).replace("(LEVEL -8)", "(LEVEL -4)").replace("G1 Z-8", "(LEVEL -8)\nG1 Z-8"))
        parsed = parse_job(job(rectangle(60, 45)))
        operation, found, runs = parsed.operations[0], [], []
        for most in (10**9, 1):
            stock = Stock(parsed, 5 / 60, 0.002, tile_cells=50_000)
            # The map is held between stretches all the same.
            ran = run_operation(stock, parsed, operation, moves, 8.0, SETTINGS, kept=False, feed=900.0, most_steps=most)
            runs.append(ran)
            found.append(measured(ran, parsed, operation, moves, 2.0, 8.0, SETTINGS, 900.0, 6000.0, 0.1))
        self.assertEqual(len(runs[0].stretches), 1)
        # Of several stretches no step is held in memory, of a single one nothing is written.
        self.assertIsNotNone(runs[0].stretches[0].volume.row)
        for stretch in runs[1].stretches:
            self.assertEqual((stretch.volume.row, stretch.lowered.row), (None, None))
        # After each rapid that is longer than the window and does not come down; the rest is one.
        ends = [stretch.rows.stop for stretch in runs[1].stretches]
        self.assertEqual(ends[-1], len(moves))
        self.assertGreater(len(ends), 4)
        rapid = (moves.kind == RAPID) & (lengths(moves) > 1.25) & (moves.end[:, 2] >= moves.starts()[:, 2])
        self.assertTrue(rapid[np.array(ends[:-1]) - 1].all())
        one, many = found
        for name in ("block", "position", "length", "depth", "entry"):
            np.testing.assert_allclose(getattr(many.trace, name), getattr(one.trace, name), atol=1e-5, err_msg=name)
        np.testing.assert_allclose(many.bearable, one.bearable)
        names = "removed", "cut_length", "most_depth", "depth_999", "within", "chip", "entry_rate", "rapid", "drop"
        for name in (*names, "left_over"):
            self.assertGreater(getattr(one, name), 1e-3, name)
            self.assertAlmostEqual(getattr(many, name) / getattr(one, name), 1.0, 5, name)
        np.testing.assert_array_equal(runs[0].axial, runs[1].axial)
        self.assertEqual(set(runs[0].axial[moves.feed < 1000].tolist()), {4.0})

    def test_what_is_drawn_is_thinned_and_shows_the_most_of_what_is_left_out(self) -> None:
        code = "G0 X20 Y20\nG1 Z-8 F500\nG1 X45 F900\nG1 Y21.5\nG1 X20 F901\n"
        parsed, moves = parse_job(job(rectangle(60, 45))), read_program(HEAD + code)
        whole, thin = (
            audit_operation(
                Stock(parsed, 5 / 60, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0,
                replace(SETTINGS, drawn=drawn),
            )
            for drawn in (0.0, 2.0)
        )  # fmt: skip
        self.assertEqual((thin.most_depth, thin.removed, thin.within), (whole.most_depth, whole.removed, whole.within))
        self.assertLess(len(thin.trace.block), 0.2 * len(whole.trace.block))
        self.assertEqual(set(thin.trace.block.tolist()), set(whole.trace.block.tolist()))
        for block in set(whole.trace.block.tolist()):
            own, all_of = thin.trace.block == block, whole.trace.block == block
            self.assertEqual(thin.trace.depth[own].max(), whole.trace.depth[all_of].max())
            self.assertAlmostEqual(float(thin.trace.length[own].sum()), float(whole.trace.length[all_of].sum()), 4)
            np.testing.assert_array_equal(thin.trace.position[own][-1], whole.trace.position[all_of][-1])

    def test_steps_worked_on_a_few_at_once_tell_the_same(self) -> None:
        """A ramp, a slot, side cuts at two feeds and a link: windows reach across what is worked on at once."""
        code = "G0 X20 Y20 Z1\nG1 X35 Z-8 F400\nG1 X20\nG1 X45 F900\nG1 Y21.5\nG1 X20 F901\nG1 Y18 F9000\nG1 X45 F700\n"
        parsed, moves = parse_job(job(rectangle(60, 45))), read_program(HEAD + code)
        found = []
        for few in (steps.CHUNK, 37):
            with patch.object(steps, "CHUNK", few):
                stock = Stock(parsed, 5 / 60, 0.002)
                found.append(
                    audit_operation(
                        stock, parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0, 6000.0, borne=0.1
                    )
                )
        whole, parted = found
        self.assertGreater(len(whole.trace.block), 300)
        for name in ("block", "position", "length", "depth", "entry"):
            np.testing.assert_allclose(getattr(parted.trace, name), getattr(whole.trace, name), rtol=1e-6, err_msg=name)
        np.testing.assert_allclose(parted.bearable, whole.bearable)
        names = "most_depth", "depth_999", "within", "cut_length", "chip", "entry_rate"
        for name in names:
            self.assertGreater(getattr(whole, name), 0.01, name)
            self.assertAlmostEqual(getattr(parted, name), getattr(whole, name), 6, name)
        self.assertEqual((parted.chip_at, parted.entry_at), (whole.chip_at, whole.entry_at))
        self.assertTrue(whole.trace.entry.any())

    def test_the_depth_under_which_a_share_of_the_length_lies(self) -> None:
        """Added up in two goes, against all steps in order of their depths."""
        random = np.random.default_rng(7)
        depth = random.uniform(0.1, 2.0, 5000).astype(np.float32)
        length = random.uniform(0.01, 0.3, 5000).astype(np.float32)
        told = _Depths(2e-4)
        self.assertEqual(told.under(0.999), 0.0)
        told.add(depth[:3000], length[:3000])
        told.add(depth[3000:], length[3000:])
        order = np.argsort(depth)
        below = np.cumsum(length[order], dtype=np.float64)
        for share in (0.5, 0.99, 0.999):
            exact = float(depth[order][np.searchsorted(below, share * below[-1])])
            self.assertAlmostEqual(told.under(share), exact, delta=2.1e-4)

    def test_rows_come_off_the_shelf_as_they_were_put_there(self) -> None:
        random = np.random.default_rng(3)
        rows = [random.uniform(0.0, 9.0, n).astype(np.float32) for n in (70_000, 0, 1, 12_345)]
        shelf = Shelf()
        kept = [shelf.put(row) for row in rows]
        for row, one in [*zip(rows, kept, strict=True)][::-1]:
            self.assertIsNone(one.row)
            np.testing.assert_array_equal(one.taken(), row)

    def test_where_there_is_no_room_rows_stay_in_memory(self) -> None:
        row = np.arange(5, dtype=np.float32)
        with patch.object(tempfile, "TemporaryFile", side_effect=OSError(errno.ENOSPC, "full")):
            kept = Shelf().put(row)
        self.assertIs(kept.row, row)
        np.testing.assert_array_equal(kept.taken(), row)
