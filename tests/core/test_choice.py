"""Choosing the bite by minutes: what a path is remembered by, and what that predicts against paths planned."""

import math
from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite.bite.known import STRAIGHT, KnownPath
from justbite.choice import CLASSES, LEAST_PROMISE, known_path, promising
from justbite.model.moves import COUNTERCLOCKWISE, CUT, ENTRY, LINE, LINK
from justbite.model.parse import parse_job
from justbite.path.blocks import MovesBuilder
from justbite.plan import plan
from justbite.prepare import bite_of, case_for
from tests.core.test_path import job, rectangle


class KnownPathTest(SimpleTestCase):
    def setUp(self) -> None:
        read = parse_job(job(rectangle(60, 45)))
        self.case = case_for(read, read.operations[0])
        self.bite = bite_of(read, read.operations[0])

    def test_lengths_curves_and_times_of_a_path_by_hand(self) -> None:
        out = MovesBuilder(np.array([0.0, 0.0, 0.0]))
        out.to(LINE, 0.0, 0.0, -8.0, 500.0, ENTRY)
        out.to(LINE, 30.0, 0.0, -8.0, 2.0 * self.bite.feed, CUT)
        out.to(COUNTERCLOCKWISE, 30.0, 10.0, -8.0, self.bite.feed, CUT, (30.0, 5.0))
        out.to(LINE, 0.0, 10.0, -8.0, 9000.0, LINK)
        moves = out.build()
        seconds = np.array([1.0, 2.0, 3.0, 4.0])
        known = known_path(moves, seconds, self.bite, self.case)
        assert known is not None
        arc = 5.0 * math.pi
        self.assertAlmostEqual(known.cut_length, 30.0 + arc, places=9)
        self.assertEqual((known.link_seconds, known.entry_seconds), (4.0, 1.0))
        (r, share), (straight, rest) = known.radii
        self.assertAlmostEqual(r, 5.0, places=9)
        self.assertAlmostEqual(straight, STRAIGHT, delta=1.0)
        self.assertAlmostEqual(share, arc / (30.0 + arc), places=9)
        self.assertAlmostEqual(rest, 30.0 / (30.0 + arc), places=9)
        self.assertAlmostEqual(known.faster, (30.0 + arc) / (30.0 / 2.0 + arc), places=9)

    def test_a_class_of_curves_holds_the_mean_feed_of_its_own(self) -> None:
        """v = sqrt(a r): of many arcs the mean of v is kept, by length."""
        out, at = MovesBuilder(np.array([0.0, 0.0, -8.0])), 0.0
        radii = np.linspace(1.0, 40.0, 200)
        for r in radii:
            out.to(COUNTERCLOCKWISE, at + 2.0 * r, 0.0, -8.0, 100.0, CUT, (at + r, 0.0))
            at += 2.0 * r
        known = known_path(out.build(), np.ones(200), self.bite, self.case)
        assert known is not None
        self.assertLessEqual(len(known.radii), CLASSES)
        self.assertAlmostEqual(sum(share for _, share in known.radii), 1.0, places=9)
        told = sum(share * math.sqrt(r) for r, share in known.radii)
        self.assertAlmostEqual(told, float(np.average(np.sqrt(radii), weights=radii)), places=9)

    def test_nothing_cut_is_no_path(self) -> None:
        out = MovesBuilder(np.array([0.0, 0.0, 0.0]))
        out.to(LINE, 0.0, 0.0, -8.0, 500.0, ENTRY)
        self.assertIsNone(known_path(out.build(), np.ones(1), self.bite, self.case))


def skimmed() -> dict[str, Any]:
    """A pocket, and an operation that takes 0.2 mm off its floor with the same cutter."""
    data = job(rectangle(70, 50))
    data["regions"][0]["bottom"] = -18
    data["tools"][0].update(diameter=12.0, flute_length=30.0, stickout=45.0)
    first = {
        "name": "rough",
        "regions": ["area"],
        "tool": 1,
        "tolerance": 0.02,
        "allowance": {"wall": 0, "floor": 0.2},
    }
    data["operations"] = [first, {**first, "name": "skim", "allowance": {"wall": 0, "floor": 0}}]
    return data


class FloorSkimTest(SimpleTestCase):
    """Of an area cut before a film of its floor is left: the bite that suits its whole depth does not suit that."""

    def test_ways_in_are_told_by_what_they_took(self) -> None:
        """What was cut is a tenth of a millimetre deep, so no way in was held back by the load of the whole bite."""
        read = parse_job(job(rectangle(60, 45)))
        case, bite = case_for(read, read.operations[0]), bite_of(read, read.operations[0])
        out = MovesBuilder(np.array([0.0, 0.0, 0.0]))
        out.to(LINE, 30.0, 0.0, -8.0, bite.feed, CUT)
        known = known_path(out.build(), np.ones(1), bite, case, ((100.0, (0.1,)),))
        assert known is not None
        self.assertAlmostEqual(known.removal_rate, bite.ae * 0.1 * bite.feed / 1000.0, places=9)
        whole = known_path(out.build(), np.ones(1), bite, case)
        assert whole is not None
        self.assertAlmostEqual(whole.removal_rate, bite.removal_rate, places=9)

    def test_a_floor_is_skimmed_with_a_wide_bite(self) -> None:
        rough, skim = plan(parse_job(skimmed())).report["operations"]
        deep, wide = skim["trials"]
        self.assertGreater(wide["ae"], 2.0 * deep["ae"])
        self.assertLess(wide["seconds"], 0.8 * deep["seconds"])
        self.assertEqual(skim["bite"]["ae"], wide["ae"])
        self.assertAlmostEqual(skim["bite"]["ap"], 0.2)
        self.assertLess(skim["entry_over_bite"], 1.1)
        self.assertLess(rough["bite"]["ae"], skim["bite"]["ae"])


class OutsideTest(SimpleTestCase):
    """2 mm round a block, of which 0.3 mm stay on the wall: a sixth of it that is not left, but wished for."""

    def test_the_allowance_is_no_reason_against_the_quicker_bite(self) -> None:
        data = job(rectangle(112, 88), 16.0, None, open_edges="all")
        data["stock"] = {"box": {"min": [0, 0, -26], "max": [112, 88, 0]}}
        data["tools"][0]["flute_length"] = 40
        data["regions"][0].update(bottom=-25.6, islands=[[[2, 2], [110, 2], [110, 86], [2, 86]]])
        data["operations"][0]["allowance"] = {"wall": 0.3, "floor": 0.2}
        (own,) = plan(parse_job(data)).report["operations"]
        thin, wide = own["trials"]
        self.assertLess(wide["seconds"], 0.9 * thin["seconds"])
        self.assertEqual(own["bite"]["ae"], wide["ae"])
        self.assertLess(own["left_over_share"], 0.001)


class PredictionTest(SimpleTestCase):
    def test_the_minutes_of_another_bite_are_those_of_its_path(self) -> None:
        """From a path of 12 % of D the minutes at 8 and 18 % are predicted, and planned: within a tenth."""
        data = job(rectangle(90, 60), ae=1.2)
        read = parse_job(data)
        case = case_for(read, read.operations[0])
        first = plan(read).report["operations"][0]
        known = known_path_of(first)
        for ae in (0.8, 1.8):
            data["operations"][0]["bite"] = {"ae": ae}
            other = parse_job(data)
            planned = plan(other).report["operations"][0]["seconds"]
            told = known.seconds(bite_of(other, other.operations[0]), case.machine.acceleration)
            self.assertAlmostEqual(told / planned, 1.0, delta=0.1)
            self.assertGreater(abs(first["seconds"] / planned - 1.0), 0.15)

    def test_a_pinned_bite_is_left_and_another_must_promise_enough(self) -> None:
        read = parse_job(job(rectangle(90, 60), ae=None))
        case = case_for(read, read.operations[0])
        bite = bite_of(read, read.operations[0])
        thin = replace(case, ae=0.2 * bite.ae, ap=bite.ap)
        data = job(rectangle(90, 60), ae=round(0.2 * bite.ae, 4))
        known = known_path_of(plan(parse_job(data)).report["operations"][0])
        small = bite_of(parse_job(data), parse_job(data).operations[0])
        self.assertIsNone(promising(thin, small, known))
        other = promising(case, small, known)
        assert other is not None
        acceleration = case.machine.acceleration
        now, then = (known.seconds(b, acceleration, case.levels(b.ap)) for b in (small, other))
        self.assertLess(then, (1.0 - LEAST_PROMISE) * now)
        # From the best on there is nothing better.
        self.assertIsNone(promising(case, other, known))


def known_path_of(row: dict[str, object]) -> KnownPath:
    told = row["path"]
    assert isinstance(told, dict)
    return KnownPath.of(told)
