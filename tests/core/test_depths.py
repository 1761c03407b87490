"""What a bite is chosen for, and how quick levels go that are less deep than the bite."""

import math
from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite import catalogue
from justbite.bite.conditions import LOADS, SLACK, at_depth
from justbite.bite.known import KnownPath
from justbite.bite.solver import solve
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.plan import plan
from justbite.prepare import bite_of, case_for, depths_of
from tests.core.test_path import job, rectangle


def around(width: float, beside: float = 0.0) -> dict[str, Any]:
    """A strip `width` mm wide all round a block of 60 x 40 mm, 16 mm deep; its stock so much wider to the right."""
    w = width
    data = job([[-w, -w], [60 + w, -w], [60 + w, 40 + w], [-w, 40 + w]], ae=None, bottom=-16, open_edges="all")
    data["regions"][0]["islands"] = [rectangle(60, 40)]
    data["stock"]["box"] = {"min": [-w, -w, -20], "max": [60 + w + beside, 40 + w, 0]}
    if beside:
        data["regions"][0]["uncut"] = [
            [[60 + w, -w], [60 + w + beside, -w], [60 + w + beside, 40 + w], [60 + w, 40 + w]]
        ]
    return data


def with_another(width: float, bottom: float, **machine: Any) -> dict[str, Any]:
    """A pocket of 60 x 40 mm, 4 mm deep, and one `width` mm wide beside it, the bites free."""
    data = job(rectangle(60, 40), ae=None, bottom=-4)
    other = [[x + 70, y] for x, y in rectangle(width, 40)]
    data["regions"].append({**data["regions"][0], "name": "other", "outline": other, "bottom": bottom})
    data["operations"][0]["regions"] = ["area", "other"]
    data["stock"]["box"] = {"min": [-10, -10, -40], "max": [130, 50, 0]}
    data["machine"] = {**catalogue.machines()["harbour-mill"].model_dump(), **machine}
    return data


class StandsTest(SimpleTestCase):
    def test_no_bite_is_wider_than_what_stands(self) -> None:
        """The largest circle in a corner of the strip: r (1 + sqrt 2) = w sqrt 2."""
        for width in (0.8, 1.5, 3.0):
            read = parse_job(around(width))
            made = case_for(read, read.operations[0])
            self.assertAlmostEqual(made.stands, 1.02 * 2.0 * width * math.sqrt(2) / (1 + math.sqrt(2)), delta=0.02)
            self.assertLessEqual(solve(made).ae, made.stands)
            # Not a ceiling: a bite that is asked for may be wider.
            wide = solve(replace(made, ae=4.5))
            self.assertEqual(wide.ae, 4.5)
            self.assertLessEqual(max(c.share for c in wide.ceilings if not c.estimate), 1.0 + 1e-6)
        for data in (around(9.0), around(1.5, beside=12.0), with_another(30.0, -24)):
            read = parse_job(data)
            self.assertEqual(case_for(read, read.operations[0]).stands, math.inf)

    def test_a_strip_is_cut_at_its_own_width_and_so_quicker(self) -> None:
        data = around(1.0) | {"material": "structural-steel"}
        row = plan(parse_job(data)).report["operations"][0]
        self.assertGreater(row["max_over_target"], 0.8)
        self.assertLess(row["max_over_target"], 1.05)
        data["operations"][0]["bite"] = {"ae": 4.0}
        wide = plan(parse_job(data)).report["operations"][0]
        self.assertLess(row["seconds"], 0.95 * wide["seconds"])


class CountsTest(SimpleTestCase):
    def test_an_area_that_the_cutter_does_not_come_into_asks_nothing_of_the_bite(self) -> None:
        for width, deep in ((9.0, ["area"]), (10.5, ["area", "other"]), (30.0, ["area", "other"])):
            read = parse_job(with_another(width, -24))
            self.assertEqual(list(depths_of(read, read.operations[0])), deep)
        alone = parse_job(job(rectangle(60, 40), ae=None, bottom=-4))
        narrow = parse_job(with_another(9.0, -24))
        self.assertEqual(bite_of(narrow, narrow.operations[0]), bite_of(alone, alone.operations[0]))

    def test_nor_does_one_that_neither_a_helix_nor_a_ramp_fits_into(self) -> None:
        """A bore with 1.6 mm of room for a centre that may not go straight down; with a drill before it does count."""
        data = with_another(11.6, -24)
        data["regions"][1]["outline"] = [[70, 20, 1], [81.6, 20, 1]]
        for more, counts in (({}, False), ({"drilled": [{"at": [75.8, 20], "diameter": 11.5}]}, True)):
            data["regions"][1] |= more
            read = parse_job(data)
            self.assertEqual("other" in depths_of(read, read.operations[0]), counts)

    def test_nor_does_one_where_no_stock_stands(self) -> None:
        data = with_another(30.0, -24)
        data["stock"]["box"]["max"][0] = 65
        read = parse_job(data)
        self.assertEqual(list(depths_of(read, read.operations[0])), ["area"])

    def test_where_none_counts_all_do(self) -> None:
        data = job(rectangle(9, 40), ae=None)
        read = parse_job(data)
        self.assertEqual(depths_of(read, read.operations[0]), {"area": (8.0,)})

    def test_what_an_earlier_operation_left_nothing_of_does_not_hold_the_bite_down(self) -> None:
        """After a larger cutter only the shallow area's corners are left: the deep one has none."""
        data = with_another(30.0, -3.0)
        data["tools"].append({**data["tools"][0], "number": 2, "diameter": 6})
        # Corners as round as the large cutter: nothing is left of it.
        round_ends = [[75, 10], [95, 10, 1], [95, 25], [75, 25, 1]]
        data["regions"][1] |= {"outline": round_ends, "bottom": -12}
        rest = {**data["operations"][0], "name": "rest", "tool": 2}
        data["operations"].append(rest)
        row = plan(parse_job(data)).report["operations"][1]
        areas = row["path"]["areas"] or KnownPath.of(row["path"]).areas
        first, second = row["trials"]
        self.assertLess(second["seconds"], first["seconds"])
        self.assertEqual([tuple(deep) for _, deep in areas], [(4.0,)])
        # The deep one would not let it be so wide.
        read = parse_job(data)
        asked = case_for(read, read.operations[1])
        self.assertGreater(row["bite"]["ae"], asked.most_bite + 0.1)
        self.assertLessEqual(row["bite"]["ae"], replace(asked, path=KnownPath.of(row["path"])).most_bite + 1e-9)
        # Told anew with the path it is the same.
        again = solve(replace(asked, path=KnownPath.of(row["path"])))
        self.assertAlmostEqual(again.ae, row["bite"]["ae"], 6)


class ShallowTest(SimpleTestCase):
    def test_a_level_that_is_less_deep_goes_as_quick_as_its_loads_allow(self) -> None:
        data = with_another(30.0, -24, power_kw=1.5)
        data["operations"][0] |= {"bite": {"ae": 2.5}, "step_down": 24}
        read = parse_job(data)
        case = case_for(read, read.operations[0])
        bite = solve(case)
        self.assertIn("power", [c.name for c in bite.ceilings if c.binds])
        feeds = []
        for depth in np.linspace(bite.ap, 0.1 * bite.ap, 8):
            level = at_depth(case, bite, float(depth))
            self.assertEqual((level.ae, level.speed), (bite.ae, bite.speed))
            self.assertLessEqual(max(c.share for c in level.ceilings if c.name in LOADS), 1.0 + 2.0 * SLACK)
            self.assertLessEqual(next(c for c in level.ceilings if c.name == "chip, thickest").share, 1.0 + SLACK)
            feeds.append(level.feed)
        self.assertEqual(feeds, sorted(feeds))
        self.assertGreater(feeds[-1], 1.3 * feeds[0])
        # Half as deep at one power: Kienzle's law, as long as the chip may grow.
        half = at_depth(case, bite, 0.9 * bite.ap)
        self.assertAlmostEqual(half.feed / bite.feed, 0.9 ** (-1.0 / (1.0 - case.material.mc)), delta=0.01)

    def test_where_no_load_holds_it_back_or_its_feed_is_given_it_stays(self) -> None:
        for change in ({"power_kw": 100.0, "torque_nm": 500.0}, {"power_kw": 1.5}):
            data = with_another(30.0, -24, **change)
            if change["power_kw"] < 10:
                data["operations"][0]["feed"] = 500
            else:
                data["tools"][0] |= {"stickout": 26}
            read = parse_job(data)
            case = case_for(read, read.operations[0])
            bite = solve(case)
            self.assertAlmostEqual(at_depth(case, bite, 0.3 * bite.ap).feed, bite.feed, places=6)

    def test_a_program_goes_quicker_on_shallow_levels_and_no_chip_is_too_thick(self) -> None:
        data = with_another(30.0, -24, power_kw=1.5)
        data["operations"][0] |= {"bite": {"ae": 2.5}, "step_down": 24}
        quickest = {}
        for follow in (True, False):
            data["operations"][0]["follow_bite"] = follow
            made = plan(parse_job(data))
            row = made.report["operations"][0]
            moves = read_program(made.program)
            self.assertFalse([w for w in made.report["warnings"] if w["severity"] == "error"])
            self.assertLessEqual(row["chip_over_borne"], 1.0)
            shallow = np.abs(moves.z_level + 4.0) < 1e-6
            # The feed of most of the cut, by length.
            feeds, counts = np.unique(moves.feed[shallow & (moves.feed < 9000)], return_counts=True)
            quickest[follow] = float(feeds[np.argmax(counts)]) / row["bite"]["feed"]
        self.assertAlmostEqual(quickest[False], 1.0, delta=0.01)
        self.assertGreater(quickest[True], 1.2)
