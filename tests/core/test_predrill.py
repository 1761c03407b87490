"""Holes drilled before: the way down them, what is no use, what one saves, and what happens where none was drilled."""

import math
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Polygon

from justbite.errors import JobError
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.odd_jobs import odd_jobs, whole_jobs
from justbite.path import tried
from justbite.path.area import LEAST_HELIX, MOST_HELIX, SNUG, Area, make_area, parts_of
from justbite.path.entry import Entry, Wish, find_entry
from justbite.path.level import plan_part
from justbite.path.opening import _opened
from justbite.path.predrill import GAIN
from justbite.plan import Plan, plan
from justbite.proof.audit import audit_operation
from justbite.proof.running import ProofSettings
from justbite.proof.stockmap import Stock
from tests.core.test_path import job, rectangle

MIDDLE = {"at": [18, 15], "diameter": 13}


def hard(w: float = 36, h: float = 30, **region: Any) -> dict[str, Any]:
    """A pocket 20 mm deep in titanium, which ramps go down slowly in; 10 mm cutter."""
    data = job(rectangle(w, h), ae=2.5, **{"bottom": -20, **region})
    data["material"] = "titanium"
    data["stock"]["box"]["min"][2] = -25
    return data


def made(data: dict[str, Any]) -> Plan:
    return plan(parse_job(data))


def codes(result: Plan) -> list[str]:
    return [w["code"] for w in result.report["warnings"]]


def told_at(result: Plan, code: str) -> set[tuple[float, float]]:
    """X and Y of the findings of a code."""
    return {(w["x"], w["y"]) for w in result.report["warnings"] if w["code"] == code}


def as_planned(read: Job) -> tuple[Area, Polygon]:
    """The area of a job of one, and its one part, as plans find it."""
    area = make_area(read, read.region("area"), 5.0, 0.0, 0.006, 0.002, 0.1)
    (part,) = parts_of(area)
    return area.of_part(part), part


class HoleTest(SimpleTestCase):
    def sound(self, result: Plan, row: int = 0) -> dict[str, Any]:
        own: dict[str, Any] = result.report["operations"][row]
        self.assertLessEqual(own["max_over_target"], 1.05)
        self.assertLessEqual(own["p999_over_target"], 1.02)
        self.assertLessEqual(own["entry_over_bite"], 1.0)
        self.assertLessEqual(own["left_over_share"], 0.001)
        self.assertEqual(own["gouge_mm"], 0)
        self.assertLessEqual(own["rapid_in_stock_mm"], 0.01)
        return own

    def no_slower(self, data: dict[str, Any], hole: dict[str, Any]) -> None:
        """With a hole that helps little the job takes no longer than without it."""
        without = made(data).report["seconds"]
        data["regions"][0]["drilled"] = [hole]
        result = made(data)
        self.sound(result)
        self.assertLessEqual(result.report["seconds"], 1.001 * without)

    def test_a_hole_to_the_floor_is_the_whole_way_in(self) -> None:
        without = self.sound(made(hard()))
        result = made(hard(drilled=[MIDDLE]))
        row = self.sound(result)
        self.assertLess(row["entry_seconds"], 0.5)
        self.assertGreater(without["entry_seconds"], 60)
        self.assertLess(row["seconds"], without["seconds"] - 0.5 * without["entry_seconds"])
        (told,) = [w for w in result.report["warnings"] if w["code"] == "entry.drilled"]
        self.assertEqual((told["x"], told["y"], told["z"], told["size"]), (18, 15, -20, 13))
        self.assertIn("(DRILLED BEFORE: 13 MM AT X18 Y15 DOWN TO Z-20)", result.program.splitlines())
        self.assertNotIn("rule.approach-gap", codes(result))
        # It is what stands that is cut: the pocket less its corners and the hole.
        pocket = 36 * 30 - (4 - math.pi) * 25 - math.pi * 6.5**2
        self.assertAlmostEqual(row["removed_mm3"], 20 * pocket, delta=0.005 * 20 * pocket)

    def test_where_a_hole_ends_a_helix_takes_the_rest(self) -> None:
        spent = {}
        for bottom in (-16.0, -12.0):
            data = hard(drilled=[{**MIDDLE, "bottom": bottom}])
            row = self.sound(made(data))
            spent[bottom] = row["entry_seconds"]
        # At the ramp angle: h / sin of it on the way down, and one flat turn in the end.
        angle = math.radians(parse_material("titanium").ramp_angle)
        feed = row["bite"]["entry_feed"] / 60
        slope = 4.0 / math.sin(angle) / feed
        self.assertAlmostEqual(spent[-12.0] - spent[-16.0], slope, delta=0.03 * slope)
        flat = 2 * math.pi * (6.5 - 5.0) / feed
        self.assertAlmostEqual(spent[-16.0], slope + flat, delta=0.05 * slope + 0.5)

    def test_of_several_holes_none_is_taken_for_gone_that_ends_above_the_floor(self) -> None:
        """Only the hole that is gone in by is finished below its end: 5.4 of the bite before (odd job 544)."""
        short = {"at": [45, 15], "diameter": 14, "bottom": -8}
        for other in ({"at": [15, 15], "diameter": 13}, {"at": [15, 15], "diameter": 13, "bottom": -14}):
            result = made(hard(60, 30, drilled=[short, other]))
            self.sound(result)
            spare = {(45.0, 15.0)} if "bottom" not in other else {(15.0, 15.0)}
            self.assertEqual(told_at(result, "entry.spare-hole"), spare)
            self.assertEqual(told_at(result, "entry.drilled"), {(15.0, 15.0), (45.0, 15.0)} - spare)

    def test_all_holes_that_passes_take_for_gone_must_be_drilled(self) -> None:
        """Gone in by is one of two that go through; passes meet nothing in the other either."""
        holes = [{"at": [15, 15], "diameter": 13}, {"at": [45, 15], "diameter": 14}]
        result = made(hard(60, 30, drilled=holes))
        row = self.sound(result)
        self.assertEqual(told_at(result, "entry.drilled"), {(15.0, 15.0), (45.0, 15.0)})
        self.assertEqual(result.program.count("DRILLED BEFORE"), 2)
        pocket = 60 * 30 - (4 - math.pi) * 25 - math.pi * (6.5**2 + 7.0**2)
        self.assertAlmostEqual(row["removed_mm3"], 20 * pocket, delta=0.005 * 20 * pocket)

    def test_each_part_of_an_area_has_its_own_hole(self) -> None:
        """Two rooms with a neck that the cutter does not fit through: both are gone into by their holes."""
        outline = [[0, 0], [30, 0], [30, 11], [36, 11], [36, 0], [66, 0], [66, 30], [36, 30], [36, 19], [30, 19],
                   [30, 30], [0, 30]]  # fmt: skip
        data = hard(66, 30, drilled=[{"at": [15, 15], "diameter": 13, "bottom": -14}, {"at": [51, 15], "diameter": 14}])
        data["regions"][0]["outline"] = outline
        result = made(data)
        row = self.sound(result)
        self.assertEqual(told_at(result, "entry.drilled"), {(15.0, 15.0), (51.0, 15.0)})
        self.assertEqual(told_at(result, "entry.spare-hole"), set())
        # One helix of 6 mm below the shorter hole is all that goes down through stock.
        one = made({**data, "regions": [{**data["regions"][0], "drilled": data["regions"][0]["drilled"][:1]}]})
        self.assertLess(row["entry_seconds"], 0.5 * one.report["operations"][0]["entry_seconds"])

    def test_little_below_a_hole_is_taken_by_a_way_in(self) -> None:
        """Less than a mm above the floor, wide and tight: the helix in it is no cut, and the floor is whole."""
        for diameter, bottom in ((13, -3.4), (24, -3.9)):
            data = hard(drilled=[{**MIDDLE, "diameter": diameter, "bottom": bottom}], bottom=-4)
            row = self.sound(made(data))
            self.assertGreater(row["entry_over_bite"], 0.0)

    def test_lower_levels_begin_below_a_hole_that_ends_above_them(self) -> None:
        data = hard(drilled=[{"at": [18, 15], "diameter": 24, "bottom": -14}])
        data["operations"][0]["step_down"] = 10
        result = made(data)
        row = self.sound(result)
        self.assertEqual(row["levels"], [-10, -20])
        # Of a hole wider than a helix no more counts there than one takes: nothing stands in it in the end.
        self.assertLess(row["left_over_share"], 5e-4)

    def test_a_tight_hole_is_come_down_at_the_feed_of_links(self) -> None:
        result = made(hard(drilled=[{"at": [18, 15], "diameter": 11.6}]))
        row = self.sound(result)
        self.assertIn("entry.drilled", codes(result))
        self.assertNotIn("rule.approach-gap", codes(result))
        self.assertLess(row["entry_seconds"], 5)
        moves = read_program(result.program)
        rapids = moves.end[moves.kind == 0]
        self.assertGreaterEqual(float(rapids[:, 2].min()), 1.0 - 1e-6)

    def test_what_is_no_way_in_is_told_and_cut_as_if_it_were_not_there(self) -> None:
        plain = made(hard())
        for hole, least in (
            ({"at": [18, 15], "diameter": 10 * (1 + SNUG) - 0.1}, "11.5 mm"),
            ({"at": [18, 15], "diameter": 12, "bottom": -15}, "12.5 mm"),
            ({"at": [4, 15], "diameter": 13}, "clear of walls"),
            ({"at": [14, 15], "diameter": 29}, "clear of walls"),
        ):
            result = made(hard(drilled=[hole]))
            row = self.sound(result)
            self.assertAlmostEqual(row["entry_seconds"], plain.report["operations"][0]["entry_seconds"], delta=0.01)
            said = [w["sentence"] for w in result.report["warnings"] if w["code"] == "entry.hole"]
            self.assertEqual(len(said), 1)
            self.assertIn(least, said[0])
            self.assertNotIn("DRILLED", result.program)

    def test_a_start_of_the_users_goes_before_a_hole_elsewhere(self) -> None:
        read = parse_job(hard(60, 30, drilled=[{"at": [15, 15], "diameter": 13}]))
        area, part = as_planned(read)
        kinds = {}
        for place in (None, (16.0, 15.0), (45.0, 15.0)):
            entry = find_entry(area, part, 1.0, Wish("auto", place))
            assert entry is not None
            kinds[place] = entry.kind, entry.hole is not None
        self.assertEqual(kinds, {None: ("outside", True), (16.0, 15.0): ("outside", True),
                                 (45.0, 15.0): ("helix", False)})  # fmt: skip
        # As if no hole were there it is all material again.
        self.assertAlmostEqual(area.solid().material.area, 60 * 30, delta=1e-3)
        self.assertFalse(area.solid().has_air)

    def test_a_hole_of_a_size_that_a_helix_takes_counts_whole(self) -> None:
        for diameter, counts in ((13.0, 6.5), (24.0, 5.0 * (1 + MOST_HELIX))):
            area, _ = as_planned(parse_job(hard(drilled=[{"at": [18, 15], "diameter": diameter, "bottom": -10}])))
            self.assertEqual([h.radius for h in area.holes], [counts])
            self.assertGreaterEqual(area.holes[0].radius - 5.0, LEAST_HELIX * 5.0)

    def test_a_hole_in_the_way_of_a_ramp_is_left_aside(self) -> None:
        """Soft metal, a slot: a ramp through it is sooner done than passes from a hole in its middle."""
        data = job(rectangle(60, 22), ae=2.0, bottom=-20)
        data["stock"]["box"]["min"][2] = -25
        self.no_slower(data, {"at": [30, 11], "diameter": 13, "bottom": -16})

    def test_a_ramp_does_not_drop_into_what_stands_below_a_hole(self) -> None:
        """A narrow arm ends in a hole: where that ends above the floor the ramp's end there is not open."""
        outline = [[0, 0], [60, 0], [60, 16], [36, 16], [36, 70], [24, 70], [24, 16], [0, 16]]
        for bottom, is_open in ((-12.0, False), (None, True)):
            data = hard(drilled=[{"at": [30, 8], "diameter": 14, **({} if bottom is None else {"bottom": bottom})}])
            data["regions"][0]["outline"] = outline
            data["stock"]["box"]["max"][:2] = [70, 80]
            area, part = as_planned(parse_job(data))
            ramp = Entry("ramp", np.array([[30.0, 63.0], [30.0, 8.0]]), None)
            self.assertEqual(_opened(ramp, area).open_ends, (False, is_open))
            # Before a way in down the hole: what stands below that is in the ramp's way.
            down = Entry("outside", np.array([[30.0, 8.0]]), None, hole=area.holes[0], before=(ramp,))
            made, *_ = plan_part(area, part, down, 1.0, "rough", lambda _share: None).paths
            stands = made.entry.stands
            self.assertEqual(stands is None, not is_open)
            if stands is not None:
                self.assertEqual((stands[0].tolist(), stands[-1, 0]), ([1.0, 1.0], 0.0))

    def test_plans_are_weighed_over_all_levels(self) -> None:
        """A hole that ends in the first of two levels is worth it there, but not for both."""
        data = hard(60, 50, bottom=-24)
        data["stock"]["box"]["min"][2] = -30
        data["operations"][0]["step_down"] = 12
        self.no_slower(data, {"at": [31, 25], "diameter": 13, "bottom": -3})

    def test_the_proof_finds_that_nothing_was_drilled(self) -> None:
        data = hard(drilled=[MIDDLE])
        program = made(data).program
        undrilled = parse_job(hard())
        moves = read_program(program)
        stock = Stock(undrilled, 0.1, 0.005, 480_000_000)
        settings = ProofSettings(1 / 60, 0.05, 0.25, 0.01, 0.005)
        audit = audit_operation(stock, undrilled, undrilled.operations[0], moves, 2.5, 20.0, settings)
        # A rapid's own step, full depth: the program is told as not to be run from 0.01 mm on.
        self.assertGreater(audit.rapid, 0.2)

    def test_a_rest_begins_where_the_first_cutter_left_it(self) -> None:
        data = hard(drilled=[MIDDLE])
        data["tools"].append({"number": 2, "diameter": 5, "flutes": 3, "flute_length": 22, "stickout": 25})
        data["operations"].append({**data["operations"][0], "name": "rest", "tool": 2, "bite": {"ae": 0.5}})
        result = made(data)
        self.sound(result)
        self.assertEqual(result.report["operations"][1]["gouge_mm"], 0)
        told = [w["operation"] for w in result.report["warnings"] if w["code"] == "entry.drilled"]
        self.assertEqual(told, ["rough"])

    def test_what_stands_below_a_hole_for_the_second_cutter_alone_is_no_air(self) -> None:
        """The first cutter does not fit into its arm; the second came down in it at rapid (odd job 580)."""
        outline = [[0, 0], [30, 0], [30, 11], [54, 11], [54, 19], [30, 19], [30, 30], [0, 30]]
        hole = {"at": [46, 15], "diameter": 7.5, "bottom": -5}
        data = hard(54, 30, drilled=[hole])
        data["regions"][0].update(outline=outline, bottom=-10)
        data["tools"].append({"number": 2, "diameter": 5, "flutes": 3, "flute_length": 22, "stickout": 25})
        data["operations"].append({**data["operations"][0], "name": "rest", "tool": 2, "bite": {"ae": 0.5}})
        result = made(data)
        for row in (0, 1):
            self.sound(result, row)
        self.assertEqual(told_at(result, "entry.hole"), {(46.0, 15.0)})
        self.assertNotIn("DRILLED", result.program)

    def test_inches_and_faults(self) -> None:
        data = hard(drilled=[{**MIDDLE, "bottom": -16}])
        data["units"] = "in"
        (hole,) = parse_job(data).regions[0].drilled
        self.assertAlmostEqual(hole.diameter, 13 * 25.4)
        self.assertAlmostEqual(hole.bottom or 0.0, -16 * 25.4)
        self.assertAlmostEqual(hole.at[0], 18 * 25.4)
        for fault, said in (({"bottom": 1}, "must end below"), ({"diameter": 0}, "greater than 0")):
            with self.assertRaises(JobError) as caught:
                parse_job(hard(drilled=[{**MIDDLE, **fault}]))
            self.assertIn(said, str(caught.exception))

    def test_a_shallow_ramp_over_a_hole_stays_a_way_in(self) -> None:
        """Longer flat than on its slope it went fast over the hole, and as a cut at full width on: 3.3 of the bite."""
        _, made_job = next(whole_jobs(range(1323, 1324)))
        assert isinstance(made_job, tuple)
        read = made_job[0]
        names = ["area 1", "area 2"]
        (asked, *_) = read.operations
        two = read.model_copy(
            update={
                "regions": [r for r in read.regions if r.name in names],
                "operations": [asked.model_copy(update={"regions": names})],
            }
        )
        self.assertTrue(two.region("area 2").drilled)
        row = plan(two).report["operations"][0]
        self.assertLess(row["max_over_target"], 1.05)
        self.assertLess(row["entry_over_bite"], 1.0)


class WorthDrillingTest(SimpleTestCase):
    def advice(self, result: Plan) -> list[dict[str, Any]]:
        return [w for w in result.report["warnings"] if w["code"] == "rule.pre-drill"]

    def test_what_is_told_is_what_it_saves(self) -> None:
        for w, h, through in ((36, 30, False), (70, 50, False), (60, 22, False), (36, 30, True)):
            data = hard(w, h)
            if through:
                data["stock"]["box"]["min"][2] = -20
            first = made(data)
            (told,) = self.advice(first)
            self.assertEqual(told["z"] is None, through)
            hole = {"at": [told["x"], told["y"]], "diameter": told["size"], "bottom": told["z"]}
            data["regions"][0]["drilled"] = [hole]
            second = made(data)
            self.assertEqual(self.advice(second), [])
            self.assertNotIn("rule.approach-gap", codes(second))
            saved = first.report["seconds"] - second.report["seconds"]
            said = float(told["sentence"].split("about ")[1].split(" s sooner")[0])
            self.assertGreater(saved, 20)
            # It was planned with the hole: what is rounded, and ways from area to area, are all that is left.
            self.assertAlmostEqual(said / saved, 1.0, delta=0.02)

    def test_what_only_the_estimate_promises_is_not_told(self) -> None:
        """Odd job 601: the estimate says 55 s of 227, planned with the hole it is 7."""
        (data,) = odd_jobs(range(601, 602))
        first = made(data)
        # With cuts on the way back it would be planned once more.
        with (
            patch("justbite.by_minutes.promised", return_value=0.0),
            patch.object(tried, "done", side_effect=tried.done) as asked,
        ):
            self.assertEqual(self.advice(made(data)), [])
        # It was planned all the same: ways in, plans, their order, and the hole.
        self.assertEqual([len(call.args[0]) > 0 for call in asked.mock_calls], [True, True, True, True])
        data["regions"][1]["drilled"] = [{"at": [161.5, 24.57], "diameter": 14.5, "bottom": -18.5}]
        saved = first.report["seconds"] - made(data).report["seconds"]
        self.assertLess(saved, GAIN)

    def test_nothing_is_told_of_what_an_operation_before_has_begun(self) -> None:
        """A second cutter that ramps in where the first could not go is helped by no hole of its own."""
        data = hard(60, 11)
        data["tools"].append({"number": 2, "diameter": 6, "flutes": 3, "flute_length": 22, "stickout": 25})
        for operations in ([{"tool": 2}], [{}, {"name": "rest", "tool": 2}]):
            both = [{**data["operations"][0], **more, "bite": {"ae": 0.6}} for more in operations]
            told = self.advice(made({**data, "operations": both}))
            self.assertEqual([w["operation"] for w in told], ["rough"] if len(both) == 1 else [])

    def test_its_point_stays_above_the_floor(self) -> None:
        (told,) = self.advice(made(hard()))
        # A point of 118 degrees is d / (2 tan 59 degrees) long (geometry).
        self.assertGreaterEqual(told["z"] - told["size"] / 2 / math.tan(math.radians(59)), -20.01)

    def test_where_it_would_save_little_nothing_is_said(self) -> None:
        soft = hard()
        soft["material"] = "aluminium-wrought"
        self.assertEqual(self.advice(made(soft)), [])
        # No room for a drill that lets the cutter down: 11 mm wide, 10 mm cutter.
        self.assertEqual(self.advice(made(hard(60, 11))), [])
        # In from outside.
        self.assertEqual(self.advice(made(hard(open_edges=[0]))), [])

    def test_it_is_drilled_where_the_user_goes_in(self) -> None:
        (told,) = self.advice(made(hard(60, 40, start=[14, 13])))
        self.assertEqual((told["x"], told["y"]), (14, 13))


def parse_material(name: str) -> Any:
    from justbite import catalogue

    return catalogue.materials()[name]
