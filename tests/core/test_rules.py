"""Rules of the trade as findings, and how the solver meets a weak machine and a reserve."""

from dataclasses import replace
from typing import Any

from django.test import SimpleTestCase

from justbite import catalogue
from justbite.bite.solver import LOADS, solve
from justbite.model.job import parse_job
from justbite.plan import plan
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

    def test_curves_that_the_machine_cannot_hold(self) -> None:
        self.assertIn("hold less than the feed", self.said(machine={"acceleration": 300})["rule.curves"])
        self.assertNotIn("rule.curves", self.said(machine={"acceleration": 1e7}))

    def test_a_bull_nose_leaves_its_radius(self) -> None:
        said = self.said(tool={"kind": "bull_nose_end_mill", "corner_radius": 1})
        self.assertIn("1 mm stays standing", said["rule.corner-radius"])


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
