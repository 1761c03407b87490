"""No chip is thicker than a tooth bears, on links and where the feed follows the bite: path, program and proof."""

import math
from dataclasses import replace
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Point, box

from justbite import plan as planning
from justbite import proving, slower
from justbite.bite.solver import solve
from justbite.model.bite import Bite
from justbite.model.moves import CUT, LINK, Moves, lengths
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.path import program, tracer
from justbite.path.blocks import MovesBuilder
from justbite.path.entry import Entry
from justbite.path.following import follow
from justbite.path.fronts import Piece
from justbite.path.level import PartPath
from justbite.path.lines import filled
from justbite.path.plane import NOTHING
from justbite.path.program import Feeds, Heights, add_level
from justbite.plan import plan
from justbite.prepare import case_for
from justbite.proof.audit import Audit, audit_operation
from justbite.proof.running import run_operation
from justbite.proof.stockmap import Stock
from tests.core.test_path import job, rectangle
from tests.core.test_proof import HEAD, SETTINGS
from tests.core.test_trace import LOG, RADIUS, TARGET, Plate, settings

TEETH = 6000.0
"""Teeth a minute of the hand-made programs."""
SLOT = "G0 X15 Y20\nG1 Z-8 F60\nG1 X45 F60\nG1 X15\nG1 X20\n"
"""A slot along y = 20, gone over again, so that it is over where a way in may still be meant."""


def audit(code: str) -> Audit:
    """As in the tests of the proof, with the teeth told."""
    parsed = parse_job(job(rectangle(60, 45)))
    stock = Stock(parsed, RADIUS / 100, 0.002)
    moves = read_program(HEAD + SLOT + code)
    return audit_operation(stock, parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0, TEETH)


class ProofTest(SimpleTestCase):
    def test_of_a_side_cut_it_is_fz_sin_phi(self) -> None:
        for depth, feed in ((0.5, 900.0), (2.0, 900.0), (2.0, 1500.0), (4.0, 600.0)):
            chip = audit(f"G1 Y{20 + depth} F300\nG1 X40 F{feed:g}\n").chip
            phi = math.acos(1.0 - depth / RADIUS)
            self.assertAlmostEqual(chip, feed / TEETH * math.sin(phi), delta=0.04 * chip, msg=f"{depth} {feed}")

    def test_no_chip_is_thicker_than_what_stands_there(self) -> None:
        """A skin of 0.06 mm at a feed at which a tooth goes 5 mm."""
        chip = audit("G1 Y20.06 F300\nG1 X40 F30000\n").chip
        self.assertGreater(chip, 0.04)
        self.assertLess(chip, 0.08)

    def test_it_tells_the_feed_that_a_tooth_would_bear(self) -> None:
        """A side cut of 2 mm at twice the feed that its chips would be borne at; the slow one before it is fine."""
        phi = math.acos(1.0 - 2.0 / RADIUS)
        quick = 1800.0
        borne = 0.5 * quick / TEETH * math.sin(phi)
        parsed = parse_job(job(rectangle(60, 45)))
        moves = read_program(HEAD + SLOT + f"G1 Y22 F300\nG1 X40 F600\nG1 X20\nG1 Y24 F300\nG1 X40 F{quick:g}\n")
        found = audit_operation(
            Stock(parsed, RADIUS / 100, 0.002), parsed, parsed.operations[0], moves, 2.0, 8.0, SETTINGS, 900.0, TEETH,
            borne=borne,
        )  # fmt: skip
        self.assertEqual(np.nonzero(np.isfinite(found.bearable))[0].tolist(), [len(moves) - 1])
        # The chip goes with the feed.
        self.assertAlmostEqual(found.bearable[-1], quick * borne / found.chip, places=6)

    def test_a_quick_link_after_a_slow_cut_has_none_of_its_chips(self) -> None:
        slow = audit("G1 Y22 F300\nG1 X40 F600\n")
        left = audit("G1 Y22 F300\nG1 X40 F600\nG1 Y20 F12000\nG1 X20\n")
        self.assertAlmostEqual(left.chip, slow.chip, delta=0.05 * slow.chip)

    def test_it_sees_a_link_that_grazes(self) -> None:
        """A link that goes 0.3 mm into the wall of the slot at twenty times the feed, and where."""
        found = audit("G1 Y22 F300\nG1 X30 F600\nG1 Y20 F12000\nG1 X32\nG1 X36 Y20.3\nG1 X40\nG1 Y20\n")
        # A tooth goes 2 mm, more than stands there; on the slope that leads there the face cuts too.
        self.assertTrue(0.29 < found.chip < 0.45, found.chip)
        self.assertTrue(34.0 < found.chip_at[0] < 40.5, found.chip_at)


class LinkFeedTest(SimpleTestCase):
    """A cut, a link of 40 mm that grazes something on 2 mm of it, and a cut."""

    law = (np.array([0.04, 0.25, 1.0, 1.3]), np.array([2.5, 2.0, 1.0, 0.8]))

    def made(self, load: float, **more: Any) -> tuple[Moves, float, list[PartPath], Feeds]:
        feeds = Feeds(cut=300, entry=200, link=12_000, rapid=20_000, ramp=0.05, acceleration=1e9, **more)
        way = filled(np.array([[40.0, 0.0], [0.0, 0.0]]), 1.0)
        grazed = np.where((way[:, 0] <= 20.0) & (way[:, 0] > 18.0), load, 0.0)
        cut = np.column_stack([np.linspace(0, 40, 81), np.zeros(81)])
        pieces = (
            Piece("cut", cut, np.full(81, 2.0)), Piece("link", way, np.zeros(len(way)), load=grazed),
            Piece("cut", cut + np.array([0.0, 2.0]), np.full(81, 2.0)),
        )  # fmt: skip
        paths = [PartPath(Entry("outside", np.array([[0.0, 0.0]]), 0.0), pieces)]
        out = MovesBuilder(np.array([0.0, 0.0, 10.0]))
        heights = Heights(10.0, 1.0, 0.3)
        add_level(out, paths, 0.0, -8.0, 2.0, heights, feeds, 0.003, RADIUS)
        moves = out.build()
        spent = float((lengths(moves) / np.nan_to_num(moves.feed, nan=feeds.rapid)).sum())
        return moves, spent, paths, feeds

    def test_it_slows_down_where_it_grazes_and_nowhere_else(self) -> None:
        moves, _, _, _ = self.made(0.5, borne=0.02, grazing=self.law)
        own = moves.part == LINK
        slow = own & (moves.feed < 12_000)
        # A quarter of the bite: twice the feed of cuts, not forty times.
        np.testing.assert_allclose(moves.feed[slow], 600.0)
        self.assertTrue(2.0 < float(lengths(moves)[slow].sum()) < 5.0)
        ends = moves.end[slow, 0]
        self.assertTrue(float(ends.min()) <= 18.0 and float(ends.max()) <= 21.0)
        self.assertGreater(float(lengths(moves)[own & ~slow].sum()), 30.0)
        # It still lifts off and comes down, and ends where it should.
        self.assertAlmostEqual(float(moves.end[own, 2].max()), -7.7, 9)
        np.testing.assert_allclose(moves.end[own][-1], [0.0, 0.0, -8.0], atol=1e-9)

    def test_with_one_feed_all_along_no_faster_than_cuts(self) -> None:
        moves, _, _, _ = self.made(0.5, borne=0.02)
        own = (moves.part == LINK) & (moves.feed < 12_000)
        np.testing.assert_allclose(moves.feed[own], 300.0)
        np.testing.assert_allclose(moves.feed[moves.part == CUT], 300.0)

    def test_what_a_tooth_bears_anyway_costs_nothing(self) -> None:
        _, grazing, _, _ = self.made(0.03, borne=0.06, grazing=self.law)
        _, clear, _, _ = self.made(0.0, borne=0.06, grazing=self.law)
        _, slow, _, _ = self.made(0.07, borne=0.06, grazing=self.law)
        self.assertAlmostEqual(grazing, clear, 12)
        self.assertGreater(slow, clear)

    def test_a_cut_that_takes_more_than_it_feels_keeps_its_feed(self) -> None:
        """By its depth a tenth of the bite all along, by what was marked all of it from 10 to 14 mm on."""
        cut = np.column_stack([np.linspace(0, 40, 161), np.zeros(161)])
        feeds = Feeds(cut=300, entry=200, link=9000, rapid=9000, ramp=0.05, acceleration=1e9, follow=self.law)
        for scatter in (1.0, 1.2):
            load = np.where((cut[:, 0] > 10.0) & (cut[:, 0] <= 14.0), scatter * 2.0, 0.0)
            piece = Piece("cut", cut, np.full(161, 0.2), load=load)
            out = MovesBuilder(np.array([0.0, 0.0, 10.0]))
            paths = [PartPath(Entry("outside", cut[:1], 0.0), (piece,))]
            add_level(out, paths, 0.0, -8.0, 2.0, Heights(10.0, 1.0, 0.3), feeds, 0.003, RADIUS)
            moves = out.build()
            own = moves.part == CUT
            slow = own & (moves.feed < 301)
            # Above the bite it only scatters: no slower than that. Quick again a little before and after.
            np.testing.assert_allclose(moves.feed[slow], 300.0)
            self.assertTrue(4.0 < float(lengths(moves)[slow].sum()) < 7.0)
            self.assertGreater(float(moves.feed[own].max()), 600.0)

    def test_a_cut_goes_as_links_do_where_nothing_stands(self) -> None:
        """Nothing before 10 mm, from 14 to 26 mm what a tooth bears anyway, from 26 mm on a little more.

        Where feeds follow nothing too: one feed is meant for the bite.
        """
        cut = np.column_stack([np.linspace(0, 40, 161), np.zeros(161)])
        x = cut[:, 0]
        load = np.select([x <= 10.0, x <= 14.0, x <= 26.0], [0.0, 2.0, 0.03], 0.05)
        for law in (self.law, None):
            feeds = Feeds(cut=300, entry=200, link=9000, rapid=9000, ramp=0.05, acceleration=1e9, follow=law,
                          grazing=self.law, borne=0.06)  # fmt: skip
            piece = Piece("cut", cut, load.copy(), load=load)
            out = MovesBuilder(np.array([0.0, 0.0, 10.0]))
            paths = [PartPath(Entry("outside", cut[:1], 0.0), (piece,))]
            add_level(out, paths, 0.0, -8.0, 2.0, Heights(10.0, 1.0, 0.3), feeds, 0.003, RADIUS)
            moves = out.build()
            own = moves.part == CUT
            ends, feed = moves.end[own, 0], moves.feed[own]

            def at(place: float, ends: Any = ends, feed: Any = feed) -> float:
                return float(feed[np.searchsorted(ends, place)])

            self.assertEqual([at(5.0), at(12.0), at(20.0)], [9000.0, 300.0, 9000.0])
            # A step before and after what stands it goes as that asks for already; beyond it does not.
            self.assertEqual([at(9.9), at(14.2), at(9.6), at(14.6)], [300.0, 300.0, 9000.0, 9000.0])
            self.assertEqual(at(30.0), 300.0 if law is None else 2.5 * 300.0)

    def test_a_wipe_that_takes_more_than_the_bite_goes_slower(self) -> None:
        """All that stands is taken at once: more than the bite is no scatter there, whether feeds follow it or not."""
        cut = np.column_stack([np.linspace(0, 40, 161), np.zeros(161)])
        load = np.where((cut[:, 0] > 10.0) & (cut[:, 0] <= 14.0), 2.6, 0.0)
        more: Any
        for more in ({"follow": self.law, "grazing": self.law}, {"grazing": self.law}):
            feeds = Feeds(cut=300, entry=200, link=9000, rapid=9000, ramp=0.05, acceleration=1e9, **more)
            piece = Piece("cut", cut, np.full(161, 0.2), load=load, whole=True)
            out = MovesBuilder(np.array([0.0, 0.0, 10.0]))
            paths = [PartPath(Entry("outside", cut[:1], 0.0), (piece,))]
            add_level(out, paths, 0.0, -8.0, 2.0, Heights(10.0, 1.0, 0.3), feeds, 0.003, RADIUS)
            moves = out.build()
            feed = moves.feed[moves.part == CUT]
            self.assertAlmostEqual(float(feed.min()), 0.8 * 300, places=6)
            self.assertEqual(float(feed.max()) > 300.5, "follow" in more)

    def test_a_line_is_filled_evenly(self) -> None:
        line = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 0.5], [10.0, 7.3]])
        fine = filled(line, 2.0)
        spans = np.hypot(*np.diff(fine, axis=0).T)
        self.assertLessEqual(float(spans.max()), 2.0 + 1e-9)
        self.assertAlmostEqual(float(spans.sum()), 17.3, 9)
        for corner in line:
            self.assertLess(float(np.hypot(*(fine - corner).T).min()), 1e-9)
        np.testing.assert_array_equal(filled(line, 20.0), line)


class SlowerTest(SimpleTestCase):
    def test_only_the_lines_that_are_too_quick(self) -> None:
        moves = read_program(HEAD + SLOT + "G1 Y22 F300\nG1 X40 F600\n")
        bearable = np.full(len(moves), np.inf)
        bearable[[-2, -1]] = 301.0, 400.0
        made = slower.slowed(moves, bearable)
        np.testing.assert_array_equal(made.feed[:-2], moves.feed[:-2])
        self.assertEqual(made.feed[-2:].tolist(), [285.0, 380.0])
        # The planner's blocks know their lines: several may be one block of the program.
        planned = slower.on_lines(made, np.array([7, 9, 7]), np.array([50.0, 1e6, 40.0]))
        np.testing.assert_array_equal(planned.feed, np.where(moves.line == 7, 40.0, made.feed))
        self.assertIn(7, moves.line.tolist())


class LoadTest(SimpleTestCase):
    def test_of_a_pass_it_is_its_depth(self) -> None:
        plate = Plate(box(-60, 0, 60, 60)).begun(-40.0, RADIUS - TARGET)
        _, depth, _, _, _, load = tracer.trace(
            plate.field, plate.room, *plate.frame, -40.0, RADIUS - TARGET, 0.0, 0.0, 1, settings(), TARGET, True, 300,
            *LOG, 0, NOTHING,
        )  # fmt: skip
        self.assertEqual(len(load), len(depth))
        np.testing.assert_allclose(load[40:-1], TARGET, rtol=0.1)
        self.assertAlmostEqual(float(load[40:-1].mean()), TARGET, delta=0.01 * TARGET)

    def test_of_a_way_given_it_is_the_most_over_a_tenth_of_the_radius(self) -> None:
        """Into a straight edge with the whole face: by the chord, not by what the window spreads it over."""
        plate = Plate(box(-60, -60, 0, 60))
        path = np.column_stack([np.linspace(-RADIUS - 2.0, -RADIUS + 1.0, 13), np.zeros(13)])
        depth, used, area, load = follow(plate.field, *plate.frame, path, RADIUS, 1e9, *LOG, NOTHING, np.inf)
        self.assertGreater(used, 0)
        self.assertTrue((load >= depth - 1e-9).all() or float(load.max()) > float(depth.max()))
        # Full face at the end: the chord at a depth of 1 mm less half a step.
        chord = 2.0 * math.sqrt(RADIUS**2 - (RADIUS - 0.75) ** 2)
        self.assertTrue(0.9 * chord < float(load[-1]) < 6.3, load[-1])
        self.assertEqual(float(load[:8].max()), 0.0)
        cap = Point(-RADIUS + 1.0, 0).buffer(RADIUS, quad_segs=64).difference(box(-60, -60, 0, 60)).area
        self.assertAlmostEqual(area, cap, delta=0.02 * cap + 0.02)


class SlowWorkTest(SimpleTestCase):
    """In titanium returns are many times as fast as cuts: what a link grazes is cut no faster than a tooth bears."""

    def data(self) -> dict[str, Any]:
        island = [[14, 6], [18, 6], [18, 10], [14, 10]]
        data = job([[0, 0], [30, 0], [34, 16], [4, 18]], diameter=5, ae=0.5, islands=[island])
        data["material"] = "titanium"
        data["operations"][0] |= {"bite": None, "step_down": None}
        return data

    def test_every_chip_is_borne(self) -> None:
        data = self.data()
        report = plan(parse_job(data)).report
        row = report["operations"][0]
        self.assertLess(row["chip_over_borne"], 1.1)
        self.assertGreater(row["chip_over_borne"], 0.3)
        self.assertNotIn("proof.thick-chip", [w["code"] for w in report["warnings"]])
        self.assertEqual(report["slowed_blocks"], 0)

    def test_a_stroke_at_the_feed_of_the_bite_as_written_is_a_way_in(self) -> None:
        """Down before an open edge and in at full width, at F900: the bite's feed, of which the fraction is rounded."""
        parsed = parse_job(job(rectangle(60, 45), open_edges=[3]))
        own = solve(case_for(parsed, parsed.operations[0]))
        moves = read_program(HEAD + "G0 X-8 Y20 Z1\nG1 Z-8 F900\nG1 X40\n")
        told = []
        for feed in (899.6, 899.4):
            bite = replace(own, ae=7.0, ap=8.0, feed=feed)
            (found,) = proving.prove(parsed, [bite], moves, lambda name, share: None).audits
            told.append(found.most_depth)
        self.assertEqual(told[0], 0.0)
        self.assertAlmostEqual(told[1], 10.0, delta=0.25)

    def test_links_that_do_not_slow_down_are_found_out(self) -> None:
        def quick(piece: Piece, feeds: Feeds, _target: float) -> np.ndarray:
            return np.full(len(piece.points) - 1, feeds.link)

        parsed, runs, read = parse_job(self.data()), [], []

        def counted(*args: Any, **named: Any) -> Any:
            runs.append(1)
            return run_operation(*args, **named)

        def kept(job: Any, bites: list[Bite], *rest: Any) -> Any:
            read.append(bites)
            return proving.prove(job, bites, *rest)

        with (
            patch.object(program, "_link_feeds", quick), patch.object(proving, "run_operation", counted),
            patch.object(planning, "prove", kept),
        ):  # fmt: skip
            made = plan(parsed)
        mended = made.report
        # Once is enough: what is taken does not depend on the feed. And proved afresh the program tells the same.
        self.assertEqual(len(runs), 1)
        again = proving.prove(parsed, read[0], read_program(made.program), lambda name, share: None, 0)
        self.assertTrue(again.stands_for(read_program(made.program)))
        self.assertEqual(again.audits[0].chip, mended["operations"][0]["chip_mm"])
        self.assertEqual(again.audits[0].most_depth / read[0][0].ae, mended["operations"][0]["max_over_target"])
        other = read_program(made.program)
        other.end[7, 0] += 1e-4
        self.assertFalse(again.stands_for(other))
        fast = patch.object(program, "_link_feeds", quick)
        with fast, patch.object(slower, "slowed", lambda moves, *_: moves):
            unmended = plan(parsed)
        report = unmended.report
        was, now = (read_program(text).feed for text in (unmended.program, made.program))
        self.assertEqual(int((now < was).sum()), mended["slowed_blocks"])
        self.assertFalse((now > was).any())
        # The proof brings them down; without that they stand in the report.
        self.assertLessEqual(mended["operations"][0]["chip_over_borne"], 1.05)
        (told,) = [w for w in mended["warnings"] if w["code"] == "proof.slowed"]
        self.assertIn(f"{mended['slowed_blocks']} blocks go slower", told["sentence"])
        self.assertGreater(report["operations"][0]["chip_over_borne"], 1.1)
        (found,) = [w for w in report["warnings"] if w["code"] == "proof.thick-chip"]
        self.assertEqual(found["severity"], "error")
        self.assertIn("a tooth bears", found["sentence"])
