"""What is shallow is taken wider than a bite of constant engagement: how wide, how fast, and what comes of it.

Facing steps over 60 to 80 % of the cutter: common practice, without a source. The full slot's 0.6 of the
cutting speed is the plain path's.
"""

import math
from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite import catalogue
from justbite.bite.case import SLOT_DEPTHS, SLOT_SPEED, WIDE, WIDE_DEPTHS, Case
from justbite.bite.conditions import conditions
from justbite.bite.solver import solve, value_of
from justbite.model.before import cut_top, uncut_above
from justbite.model.job import Tool
from justbite.model.moves import RAPID
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.plan import plan
from tests.core.test_path import job, rectangle

TOOL = Tool(number=1, diameter=12.0, flutes=3, flute_length=30.0, stickout=45.0)


def case(material: str = "aluminium-wrought", depth: float = 1.0, machine: str = "harbour-mill") -> Case:
    return Case(TOOL, catalogue.materials()[material], catalogue.machines()[machine], depth)


def face_over_pocket() -> dict[str, Any]:
    """A face 1 mm deep and a pocket of 10 mm below it, in one operation."""
    data = job(rectangle(90, 60))
    face = {"name": "face", "outline": rectangle(90, 60), "open_edges": "all", "bottom": -1}
    pocket = [[20, 15], [70, 15], [70, 45], [20, 45]]
    data["regions"] = [face, {"name": "pocket", "outline": pocket, "top": -1, "bottom": -11}]
    data["stock"] = {"box": {"min": [0, 0, -20], "max": [90, 60, 0]}}
    data["operations"][0].pop("bite", None)
    data["operations"][0]["regions"] = ["face", "pocket"]
    return data


class WideTest(SimpleTestCase):
    def test_how_wide_by_depth(self) -> None:
        """12 mm in aluminium: 0.7 D down to 12 mm, half of D at 18 mm, from 24 mm on the material's 0.3 D."""
        for depth, most in ((0.5, 8.4), (12.0, 8.4), (18.0, 6.0), (24.0, 3.6), (30.0, 3.6)):
            self.assertAlmostEqual(case(depth=depth).most_bite, most)
        for depth, most in ((6.0, 8.4), (8.0, 7.6), (12.0, 6.0), (19.5, 3.0), (24.0, 3.0)):
            self.assertAlmostEqual(case("structural-steel", depth).most_bite, most)
        steel = case("structural-steel", 1.0)
        self.assertAlmostEqual(steel.most_bite, WIDE["P"] * 12)
        thin = steel.material.model_copy(update={"slot_share": 0.05})
        # Slots given a tenth as deep: 1 mm counts as 10.
        self.assertAlmostEqual(replace(steel, material=thin).most_bite, 8.4 - 0.4 * 4.0)

    def test_what_is_not_faced(self) -> None:
        for made in (case("hardened-steel"), case("titanium", 6.6)):
            self.assertAlmostEqual(made.most_bite, made.material.most_bite_share * 12)
            self.assertEqual(made.speed_share(math.pi), 1.0)

    def test_less_wide_and_less_deep_where_heat_stays_in_the_edge(self) -> None:
        """12 mm: half of it down to what a slot's stroke is given there, 0.15 D, and slower than elsewhere: at half of
        the cutter 60 m/min in titanium, 25 to 30 in nickel alloys (common practice, told from memory)."""
        for material, speeds in (("titanium", (55.0, 62.0)), ("nickel-alloy", (24.0, 30.0))):
            for depth, most in ((1.0, 6.0), (1.8, 6.0), (2.3, 5.5), (4.8, 3.0)):
                self.assertAlmostEqual(case(material, depth).most_bite, most)
            made = case(material)
            half = conditions(made, 6.0, 1.0, 1)
            self.assertTrue(speeds[0] < half.cutting_speed < speeds[1], half.cutting_speed)
            self.assertAlmostEqual(made.speed_share(math.pi), 0.45)

    def test_the_deepest_area_decides(self) -> None:
        areas = ((5000.0, (1.0,)), (800.0, (20.0,)))
        self.assertAlmostEqual(replace(case(depth=20.0), areas=areas).most_bite, 8.4 - 0.4 * 8.0)
        self.assertAlmostEqual(replace(case(depth=1.0), areas=areas[:1]).most_bite, 8.4)

    def test_how_fast(self) -> None:
        """All of the speed up to the material's own bite, the slot's share at the full width, straight between."""
        made = case("structural-steel")
        own = math.acos(1 - 2 * made.material.most_bite_share)
        shares = [made.speed_share(a) for a in (0.5 * own, own, 0.5 * (own + math.pi), math.pi)]
        np.testing.assert_allclose(shares, [1.0, 1.0, 0.5 * (1 + SLOT_SPEED), SLOT_SPEED])
        self.assertEqual(case("structural-steel", 24.0).speed_share(math.pi), 1.0)

    def test_the_solver_faces_inside_every_ceiling(self) -> None:
        """No other width of a grid is worth 1 % more; a deep section is solved as ever."""
        for material in ("aluminium-wrought", "structural-steel", "stainless", "titanium"):
            made = case(material)
            best = solve(made)
            self.assertLessEqual(best.ae, made.most_bite + 1e-9)
            self.assertGreater(best.ae, 1.5 * made.material.most_bite_share * 12)
            for row in best.ceilings:
                self.assertTrue(row.estimate or row.share <= 1.0 + 1e-6, row)
            grid = [conditions(made, float(ae), 1.0, 1) for ae in np.linspace(0.6, made.most_bite, 60)]
            sound = [value_of(made, b) for b in grid if all(c.estimate or c.share <= 1.0 + 1e-6 for c in b.ceilings)]
            self.assertGreater(value_of(made, best), 0.99 * max(sound))
            # Wider is no quicker than the slower speed and the fuller chip let it be.
            narrow = conditions(made, made.material.most_bite_share * 12, 1.0, 1)
            self.assertTrue(1.2 < best.removal_rate / narrow.removal_rate < 2.0)
        # No less deep than the full width itself may be.
        self.assertTrue(all(WIDE_DEPTHS[group] >= deep for group, deep in SLOT_DEPTHS.items()))


class FaceTest(SimpleTestCase):
    def test_a_face_is_sooner_done_and_holds_its_bite(self) -> None:
        data = job(rectangle(80, 50))
        data["regions"][0].update(bottom=-1.0, open_edges="all")
        data["stock"] = {"box": {"min": [0, 0, -20], "max": [80, 50, 0]}}
        data["operations"][0].pop("bite", None)
        free = plan(parse_job(data)).report
        diameter = data["tools"][0]["diameter"]
        data["operations"][0]["bite"] = {"ae": 0.3 * diameter}
        narrow = plan(parse_job(data)).report
        self.assertLess(free["seconds"], 0.85 * narrow["seconds"])
        (row,) = free["operations"]
        self.assertAlmostEqual(row["bite"]["ae"], 0.7 * diameter, delta=0.01)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLess(row["left_over_share"], 0.001)
        self.assertEqual([w["code"] for w in free["warnings"] if w["severity"] == "error"], [])

    def test_a_wide_bite_with_a_wide_tolerance_stays_off_waved_walls(self) -> None:
        """Fitted within 0.02 mm, as tolerance and bite would have it, lines and arcs went 0.014 mm into them."""
        turn = np.linspace(0.0, 2 * math.pi, 121)[:-1]
        wave = 4 * np.sin(7 * turn)
        outline = np.column_stack([(40 + wave) * np.cos(turn), (30 + wave) * np.sin(turn)]).round(4).tolist()
        data = job(outline)
        data["regions"][0]["bottom"] = -3
        data["stock"] = {"box": {"min": [-60, -60, -20], "max": [60, 60, 0]}}
        data["tools"][0].update(diameter=16.0, flute_length=40.0, stickout=64.0)
        data["operations"][0].update(bite={"ae": 11.2}, tolerance=0.05, follow_bite=False)
        (row,) = plan(parse_job({**data, "material": "structural-steel"})).report["operations"]
        self.assertEqual(row["gouge_mm"], 0)


class UnfacedTest(SimpleTestCase):
    """The pocket begins 1 mm below the stock's top, and its face is left out or cut before it."""

    def test_what_comes_after_an_area_takes_nothing_above_it_before(self) -> None:
        """A step on a slope, shallower and wider than the floor that it stands round and comes after."""
        data = face_over_pocket()
        data["part"] = {"matrix": np.eye(4).tolist()}
        step = {**data["regions"][0], "name": "step", "open_edges": [], "bottom": -3, "after": ["pocket"], "top": -1}
        data["regions"].append(step)
        for names, top in ((["face", "pocket", "step"], -1.0), (["pocket", "step"], 0.0)):
            data["operations"][0]["regions"] = names
            made = parse_job(data)
            operation, pocket = made.operations[0], made.region("pocket")
            self.assertEqual(cut_top(made, operation, pocket, 0.01), top)

    def test_of_a_part_it_is_cut_from_where_the_stock_stands(self) -> None:
        data = face_over_pocket() | {"part": {"matrix": np.eye(4).tolist(), "placing": {}}}
        data["operations"][0]["regions"] = ["pocket"]
        made = parse_job(data)
        operation, pocket = made.operations[0], made.region("pocket")
        self.assertAlmostEqual(uncut_above(made, operation, pocket, 0.01).area, 50 * 30, delta=5.0)
        self.assertEqual(cut_top(made, operation, pocket, 0.01), 0.0)
        report = plan(made).report
        (row,) = report["operations"]
        self.assertLess(row["max_over_target"], 1.05)
        self.assertLess(row["entry_over_bite"], 1.0)
        # 10.9 mm, its floor's allowance left, and not 9.9.
        self.assertAlmostEqual(row["bite"]["ap"] * row["bite"]["steps"], 11.0 - operation.allowance.floor, places=6)
        said = {w["code"] for w in report["warnings"] if w["code"].startswith("area.")} - {"area.unreached"}
        self.assertEqual(said, {"area.from-stock-top"})
        # With its face in the job, in any operation before it, it begins below that.
        faced = parse_job(face_over_pocket() | {"part": data["part"]})
        self.assertTrue(uncut_above(faced, faced.operations[0], faced.region("pocket"), 0.01).is_empty)
        # Without a part what is above is taken to be gone, and that is said.
        del data["part"]
        self.assertEqual(cut_top(parse_job(data), operation, pocket, 0.01), -1.0)
        self.assertIn("area.outside-stock", [w["code"] for w in plan(parse_job(data)).report["warnings"]])

    def test_no_rapid_goes_below_what_stood_before(self) -> None:
        """Crumbs of the face may stand over the pocket: rapids end above where its top was."""
        data = face_over_pocket()
        data["regions"][1]["after"] = ["face"]
        made = parse_job(data)
        moves = read_program(plan(made).program)
        x, y, z = moves.end[moves.kind == RAPID].T
        over = (x > 20) & (x < 70) & (y > 15) & (y < 45)
        self.assertGreater(int(over.sum()), 2)
        self.assertGreaterEqual(float(z[over].min()), made.approach_gap - 1e-6)
