"""Rules of the trade as findings, and how the solver meets a weak machine and a reserve."""

from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite import catalogue, rules
from justbite.bite.conditions import LOADS
from justbite.bite.known import KnownPath
from justbite.bite.preferred import preferred
from justbite.bite.solver import solve, told, value_of
from justbite.errors import JobError
from justbite.model.job import CutValues
from justbite.model.parse import parse_job
from justbite.plan import plan
from justbite.prepare import case_for
from justbite.proof import replay
from tests.core.test_bite import case
from tests.core.test_path import job, rectangle


class RulesTest(SimpleTestCase):
    def said(self, operation: dict[str, Any] | None = None, machine: dict[str, Any] | None = None,
             tool: dict[str, Any] | None = None) -> dict[str, str]:  # fmt: skip
        data = job(rectangle(40, 30))
        data["operations"][0] |= operation or {}
        data["machine"] = {**catalogue.machines()["harbour-mill"].model_dump(), **(machine or {})}
        data["tools"][0] |= tool or {}
        return {w["code"]: w["sentence"] for w in plan(parse_job(data)).report["warnings"]}

    def test_an_allowance_within_the_tolerance(self) -> None:
        self.assertIn("rule.allowance", self.said({"allowance": {"wall": 0.01}, "tolerance": 0.02}))
        self.assertNotIn("rule.allowance", self.said({"allowance": {"wall": 0.1}, "tolerance": 0.02}))

    def test_a_cutter_that_could_turn_faster(self) -> None:
        self.assertIn("the machine has 6000", self.said(machine={"max_rpm": 6000})["rule.spindle"])
        self.assertNotIn("rule.spindle", self.said(machine={"max_rpm": 20000}))

    def test_returns_slower_than_cuts(self) -> None:
        slow = self.said({"feed": 3000, "return_feed": 1000})["rule.return-feed"]
        self.assertIn("1000 mm/min", slow)
        self.assertIn("(3000)", slow)
        for operation in ({"feed": 3000, "return_feed": 5000}, {"feed": 3000}):
            self.assertNotIn("rule.return-feed", self.said(operation))

    def test_curves_that_the_machine_cannot_hold(self) -> None:
        self.assertIn("hold less than the feed", self.said(machine={"acceleration": 300})["rule.curves"])
        self.assertNotIn("rule.curves", self.said(machine={"acceleration": 1e7}))

    def test_a_bull_nose_leaves_its_radius(self) -> None:
        said = self.said(tool={"kind": "bull_nose_end_mill", "corner_radius": 1})
        self.assertIn("1 mm stays standing", said["rule.corner-radius"])

    def test_an_area_deeper_than_the_flutes_are_long(self) -> None:
        """8 mm deep; a face without walls has none that a shank could touch."""
        said = self.said(tool={"flute_length": 6.0})["rule.shank"]
        self.assertIn('8 mm deep in "area" with flutes of 6 mm', said)
        self.assertNotIn("rule.shank", self.said(tool={"flute_length": 8.0}))
        data = job(rectangle(40, 30), open_edges="all")
        data["tools"][0]["flute_length"] = 6.0
        codes = [w["code"] for w in plan(parse_job(data)).report["warnings"]]
        self.assertNotIn("rule.shank", codes)

    def test_a_tool_number_used_twice(self) -> None:
        data = job(rectangle(40, 30))
        spare = {**data["tools"][0], "number": 7, "diameter": 6.0}
        data["tools"] += [spare, {**spare, "diameter": 4.0}]
        codes = [w["code"] for w in plan(parse_job(data)).report["warnings"]]
        self.assertEqual(codes.count("rule.tool-number"), 1)
        # An operation could not tell which of them it means.
        data["tools"].append({**data["tools"][0], "flutes": 2})
        with self.assertRaisesMessage(JobError, "different cutters"):
            parse_job(data)

    def test_a_rapid_beside_standing_stock(self) -> None:
        """The map: a block 10 high, its face at x = 5. A 10 mm cutter comes down at x = 10.5, half a millimetre off."""
        height = np.full((200, 200), -20_000, dtype=np.int16)  # Thousandths of a millimetre.
        height[:, :50] = 0
        for beside, drop in ((1.0, 8.0), (0.2, 0.0)):
            kinds, ends = np.array([0], dtype=np.uint8), np.array([[10.5, 10.0, -8.0]])
            told = replay.run(
                (*replay.whole_cells(height.copy()), 0.0, 0.0, 0.1, 0.0, 0.001), np.array([10.5, 10.0, 5.0]), kinds,
                ends, np.zeros((1, 2)), np.zeros(1), 5.0, 0.25, beside,
            )  # fmt: skip
            self.assertEqual(told.rapids[0], 0.0)
            self.assertAlmostEqual(told.drops[0], drop, 5)
        data = parse_job(job(rectangle(40, 30)))
        found = rules.drop_findings(data, data.operations[0], 8.0, (10.5, 10.0, -8.0))
        self.assertIn("8.00 mm below stock", found[0].sentence)
        self.assertEqual(rules.drop_findings(data, data.operations[0], 0.9, (0.0, 0.0, 0.0)), [])

    def test_no_rapid_of_the_planner_drops_beside_stock(self) -> None:
        open_edges: Any
        for open_edges in ([], "all"):
            data = job(rectangle(60, 40))
            data["regions"][0]["open_edges"] = open_edges
            codes = {w["code"] for w in plan(parse_job(data)).report["warnings"]}
            self.assertNotIn("rule.approach-gap", codes)


class PinsTest(SimpleTestCase):
    def test_a_bite_beyond_the_material_is_told_and_nothing_else_is_let_go(self) -> None:
        base = case()
        wide = solve(replace(base, ae=1.5 * base.material.most_bite_share * base.tool.diameter))
        broken = {c.name: c.share for c in wide.ceilings if c.share > 1.0001 and not c.estimate}
        self.assertEqual(list(broken), ["engagement"])
        self.assertAlmostEqual(broken["engagement"], 1.5, 6)

    def test_a_pinned_speed_beyond_the_cutter_leaves_the_loads_held(self) -> None:
        base = case(machine="quick-spindle")
        top = base.material.cutting_speed * 1000.0 / (np.pi * base.tool.diameter)
        quick = solve(replace(base, speed=1.2 * top))
        broken = {c.name for c in quick.ceilings if c.share > 1.0001 and not c.estimate}
        self.assertLessEqual(broken, {"cutting speed", "spindle speed"})


class RecommendedTest(SimpleTestCase):
    def test_the_makers_values_go_first(self) -> None:
        base = case()
        material = base.material
        values = [
            CutValues(material=material.group, cutting_speed=200, feed_per_tooth=0.06, source="group"),
            CutValues(material=material.name, cutting_speed=300, feed_per_tooth=0.08, at_share=1.0, source="maker"),
        ]
        tool = base.tool.model_copy(update={"values": values})
        found, basis = preferred(tool, material)
        self.assertEqual((found.cutting_speed, basis), (300, "maker"))
        # Geometry: over the half circle the mean chip is fz * 2 / pi.
        self.assertAlmostEqual(found.chip_share * tool.diameter, 0.08 * 2 / np.pi, 9)
        self.assertEqual(preferred(tool.model_copy(update={"values": values[:1]}), material)[1], "group")
        self.assertEqual(preferred(base.tool, material), (material, "catalogue"))

    def test_the_report_says_whose_they_are(self) -> None:
        data = job(rectangle(40, 30))
        data["tools"][0]["values"] = [
            {"material": data["material"], "cutting_speed": 222, "feed_per_tooth": 0.05, "source": "the maker"}
        ]
        bite = plan(parse_job(data)).report["operations"][0]["bite"]
        self.assertEqual(bite["basis"], "the maker")
        self.assertLessEqual(bite["cutting_speed"], 222.0001)


class MinutesTest(SimpleTestCase):
    """Choosing by minutes: on a machine that holds no feed in curves a larger, slower bite is sooner done."""

    def test_the_quicker_of_two_paths_is_kept(self) -> None:
        data = job(rectangle(60, 40))
        data["operations"][0] |= {"bite": None, "step_down": None}
        data["machine"] = {**catalogue.machines()["harbour-mill"].model_dump(), "acceleration": 500, "power_kw": 2.0}
        row = plan(parse_job(data)).report["operations"][0]
        self.assertEqual(len(row["trials"]), 2)
        quickest = min(row["trials"], key=lambda t: t["seconds"])
        self.assertAlmostEqual(row["bite"]["ae"], quickest["ae"], 6)
        self.assertAlmostEqual(row["seconds"], quickest["seconds"], delta=0.03 * quickest["seconds"])
        again = solve(replace(case_for(parse_job(data), parse_job(data).operations[0]), path=KnownPath.of(row["path"])))
        self.assertAlmostEqual(again.ae, row["bite"]["ae"], 6)

    def test_predicted_seconds_in_closed_form(self) -> None:
        base = case()
        bite = solve(base)
        known = KnownPath(ae=bite.ae, steps=bite.steps, cut_length=1000.0, radii=((4.0, 0.25), (1e9, 0.75)),
                          link_seconds=5.0, entry_seconds=2.0, entry_feed=bite.entry_feed)  # fmt: skip
        held = (1000.0 * 4.0) ** 0.5
        expected = 1000.0 * (0.25 / min(held, bite.feed / 60) + 0.75 * 60 / bite.feed) + 7.0
        self.assertAlmostEqual(known.seconds(bite, 1000.0), expected, 6)
        self.assertAlmostEqual(known.held_feed(1000.0) or 0.0, 60 * held, 6)

    def test_what_a_bite_is_worth_in_closed_form(self) -> None:
        """Its rate, over what passes of its width lose; of minutes 3 % less for twice as many levels."""
        base = case()
        for ae, ap, levels in ((2.0, 24.0, 1), (2.0, 12.0, 2), (5.0, 12.0, 2)):
            bite = solve(replace(base, ae=ae, ap=ap))
            expected = bite.removal_rate / (1 + 0.65 * (ae / 12.0) ** 2)
            self.assertAlmostEqual(value_of(base, bite) / expected, 1.0, 9)
            known = KnownPath(ae=2.0, steps=1, cut_length=1000.0, radii=((1e9, 1.0),), link_seconds=5.0,
                              entry_seconds=2.0, entry_feed=bite.entry_feed,
                              removal_rate=bite.removal_rate)  # fmt: skip
            expected = 1.0 / known.seconds(bite, base.machine.acceleration, levels) / levels**0.04
            self.assertAlmostEqual(value_of(replace(base, path=known), bite) / expected, 1.0, 9)

    def test_predicted_seconds_of_another_width_in_closed_form(self) -> None:
        """Half as wide: twice the way, less what wide passes lose; ways in by their slope, and by their load."""
        base = case(ae=6.0, ap=8.0)
        wide, half = solve(base), solve(replace(base, ae=3.0))
        for slope in (0.0, 1.5, 2.0):
            known = KnownPath(ae=6.0, steps=wide.steps, cut_length=1000.0, radii=((1e9, 1.0),), link_seconds=5.0,
                              entry_seconds=2.0, entry_feed=wide.entry_feed, removal_rate=wide.removal_rate,
                              slope_seconds=slope)  # fmt: skip
            lost = (1 + 0.65 * 0.25**2) / (1 + 0.65 * 0.5**2)
            entry = slope * wide.entry_feed / half.entry_feed + (2.0 - slope) * wide.removal_rate / half.removal_rate
            self.assertGreater(wide.removal_rate / half.removal_rate, wide.entry_feed / half.entry_feed)
            expected = 1000.0 * 2 * lost * 60 / half.feed + 5.0 * 2 + entry
            self.assertAlmostEqual(known.seconds(half, 1000.0), expected, 6)

    def test_a_path_that_chooses_nothing_changes_only_what_its_curves_allow(self) -> None:
        """The bite told anew is the one solved anew with the path, at a fraction of the time."""
        for base in (case(), case(ae=2.0, ap=8.0), case(feed=900.0), case(reserve=0.3)):
            bite = solve(base)
            for radii in (((4.0, 0.25), (1e9, 0.75)), ((4.0, 0.02), (1e9, 0.98))):
                known = KnownPath(ae=bite.ae, steps=bite.steps, cut_length=1000.0, radii=radii, link_seconds=5.0,
                                  entry_seconds=2.0, entry_feed=bite.entry_feed, choose=False)  # fmt: skip
                self.assertEqual(told(base, bite, known), solve(replace(base, path=known)))
        self.assertNotIn("feed in curves", [c.name for c in told(base, bite, known).ceilings])


class WeakMachineTest(SimpleTestCase):
    def test_power_binds_and_no_other_bite_would_be_quicker(self) -> None:
        base = case()
        weak = base.machine.model_copy(
            update={"power_kw": base.machine.power_kw / 2, "torque_nm": base.machine.torque_nm / 2}
        )
        bite = solve(replace(base, machine=weak))
        self.assertTrue({"power", "torque"} & {c.name for c in bite.ceilings if c.binds})
        self.assertLess(bite.removal_rate, solve(base).removal_rate)
        # The full depth with a smaller bite was weighed against it.
        deep = solve(replace(base, machine=weak, ap=24.0))
        self.assertLessEqual(deep.removal_rate, bite.removal_rate * 1.0001)

    def test_a_reserve_moves_every_load_down(self) -> None:
        before: dict[str, float] = dict.fromkeys(LOADS, 9.0)
        for reserve in (0.0, 0.2, 0.4, 0.6):
            bite = solve(case(reserve=reserve))
            used = {c.name: c.value / c.ceiling for c in bite.ceilings if c.name in LOADS}
            for name, share in used.items():
                self.assertLessEqual(share, 1.0 - reserve + 1e-6, name)
                self.assertLess(share, before[name], name)
            before = used
