"""Chatter, the force over a turn, the solver against brute force, and what relieves a ceiling."""

import math
from dataclasses import replace
from itertools import product
from typing import Any
from unittest import mock

import numpy as np
from django.test import SimpleTestCase
from scipy.linalg import expm

from justbite import catalogue
from justbite.bite import chart, chatter, load, relief, solver
from justbite.bite.conditions import wanted
from justbite.bite.turn import over_a_turn
from justbite.model.job import Dynamics, Machine
from tests.core.test_bite import case
from tests.reference import published


def benchmark() -> tuple[chatter.Cut, tuple[Dynamics, Dynamics]]:
    """The one-mode cutter of Insperger and Stépán (2004), a full slot; rigid across."""
    p = published.SEMI_DISCRETISATION
    stiffness = p["mass"] * (2 * math.pi * p["frequency"]) ** 2
    mode = Dynamics(frequency=p["frequency"], stiffness=stiffness / 1e6, damping=p["damping"])
    rigid = Dynamics(frequency=30 * p["frequency"], stiffness=stiffness * 10, damping=p["damping"])
    cut = chatter.Cut(int(p["teeth"]), p["tangential"], p["radial"], 0.0, math.pi)
    return cut, (mode, rigid)


class SemiDiscretisationTest(SimpleTestCase):
    def test_the_published_benchmark(self) -> None:
        """Largest eigenvalues at 5000 rpm for three depths, of the literature on this benchmark (from memory)."""
        cut, modes = benchmark()
        for depth, growth in published.GROWTH_AT_5000:
            self.assertAlmostEqual(chatter.growth(cut, modes, 5000, depth, 110) / growth, 1.0, delta=0.006)

    def test_the_border_lies_where_the_growth_is_one(self) -> None:
        cut, modes = benchmark()
        for speed in (5000, 7300, 9500):
            border = chatter.deepest(cut, modes, speed, 3.0)
            self.assertLess(chatter.growth(cut, modes, speed, 0.97 * border), 1.0)
            self.assertGreater(chatter.growth(cut, modes, speed, 1.03 * border), 1.0)

    def test_without_a_cut_it_dies_down_as_the_damping_says(self) -> None:
        """Closed form: a free mode shrinks by exp(-zeta omega tau) in a tooth period."""
        cut, (mode, _) = benchmark()
        period = 60 / (5000 * cut.teeth)
        wanted = math.exp(-mode.damping * 2 * math.pi * mode.frequency * period)
        self.assertAlmostEqual(chatter.growth(cut, (mode, mode), 5000, 1e-9), wanted, places=5)

    def test_zero_order_agrees_where_much_of_the_arc_is_cut(self) -> None:
        """Both solutions' lowest border over the speeds, for a full slot, within a tenth."""
        cut, _ = benchmark()
        cut = replace(cut, teeth=6)
        mode = Dynamics(frequency=900, stiffness=12, damping=0.03)
        lobes = chatter.zero_order(cut, (mode, mode), np.linspace(880, 1400, 400), 12)
        zero = min(d for n, d in lobes if 3000 < n < 5000)
        half = min(chatter.deepest(cut, (mode, mode), n, 20.0) for n in np.linspace(3000, 5000, 14))
        self.assertAlmostEqual(half / zero, 1.0, delta=0.1)

    def test_the_exponential_against_scipy(self) -> None:
        rng = np.random.default_rng(3)
        a = np.zeros((5, 4, 4))
        a[:, 0, 2] = a[:, 1, 3] = 1.0
        a[:, 2:, :2] = -rng.uniform(1e7, 9e7, (5, 2, 2))
        a[:, 2:, 2:] = rng.uniform(-300, 300, (5, 2, 2))
        wanted = np.stack([expm(m * 1e-4) for m in a])
        self.assertLess(float(np.abs(chatter._exponential(a * 1e-4) - wanted).max() / np.abs(wanted).max()), 1e-9)

    def test_measured_dynamics_are_kept_and_estimates_only_told(self) -> None:
        base = case(material="aluminium-wrought")
        guess = next(c for c in solver.solve(base).ceilings if c.name == "chatter")
        self.assertTrue(guess.estimate)
        mode = Dynamics(frequency=1500, stiffness=14, damping=0.04)
        measured = replace(base, tool=base.tool.model_copy(update={"dynamics": (mode, mode)}))
        bite = solver.solve(measured)
        row = next(c for c in bite.ceilings if c.name == "chatter")
        self.assertFalse(row.estimate)
        self.assertLessEqual(row.share, 1.02)
        self.assertLess(bite.removal_rate, solver.solve(base).removal_rate)
        soft = replace(
            base, tool=base.tool.model_copy(update={"dynamics": (mode.model_copy(update={"stiffness": 6}),) * 2})
        )
        self.assertLess(solver.solve(soft).removal_rate, bite.removal_rate)


class LargestTest(SimpleTestCase):
    def test_the_largest_alone_is_that_of_all(self) -> None:
        """Drawn matrices, pairs that turn, a shift; one too small to be iterated, and one not found so."""
        random = np.random.default_rng(4)
        turn = np.kron(np.diag(np.linspace(0.2, 0.98, 40)), np.array([[0.6, -0.8], [0.8, 0.6]]))
        shift = np.diag(np.full(59, 1.0), -1)
        shift[0, -1] = 0.9**60
        for matrix in (random.normal(size=(20, 20)), random.normal(size=(200, 200)), turn, shift):
            self.assertAlmostEqual(chatter.largest(matrix) / np.abs(np.linalg.eigvals(matrix)).max(), 1.0, places=6)
        with mock.patch.object(chatter, "eigs", side_effect=chatter.ArpackError(-1)):
            self.assertAlmostEqual(chatter.largest(turn), 0.98)


class TurnTest(SimpleTestCase):
    def test_mean_torque_is_power_over_speed(self) -> None:
        """Without chip-size effect (mc = 0) the mean torque is kc ae ap fz z / 2 pi, exactly."""
        tool = catalogue.tools()["flat-12"].model_copy(update={"rake_angle": 6})
        material = catalogue.materials()["alloy-steel"].model_copy(update={"mc": 0.0})
        angle = math.acos(1 - 2 * 0.2)
        turn = over_a_turn(tool, material, 10.0, angle, 0.08, 0.4)
        wanted = material.kc11 * 2.4 * 10 * 0.08 * tool.flutes / (2 * math.pi) / 1000
        self.assertAlmostEqual(turn.mean_torque / wanted, 1.0, delta=0.01)

    def test_a_whole_axial_contact_number_has_no_ripple(self) -> None:
        tool = catalogue.tools()["flat-12"]
        one = math.pi * tool.diameter / (tool.flutes * math.tan(math.radians(tool.helix_angle)))
        material = catalogue.materials()["alloy-steel"]
        ripples = [over_a_turn(tool, material, k * one, 1.0, 0.08, 0.4).ripple for k in (0.5, 1.0, 1.5, 2.0)]
        self.assertLess(max(ripples[1], ripples[3]), 0.1 * min(ripples[0], ripples[2]))

    def test_rake(self) -> None:
        """The tables' rule: 1.5 % less force for each degree more."""
        material = catalogue.materials()["alloy-steel"]
        sharp, blunt = (load.specific_force(material, 0.05, rake) for rake in (16.0, 6.0))
        self.assertAlmostEqual(sharp / blunt, 0.85, places=9)


class CeilingTest(SimpleTestCase):
    def test_power_and_torque_curves_of_the_drive(self) -> None:
        machine = catalogue.machines()["harbour-mill"].model_copy(
            update={"power_points": [(1000, 2.0), (3000, 6.0)], "torque_points": [(500, 30.0), (3000, 12.0)]}
        )
        self.assertAlmostEqual(load.power_limit(machine, 2000), 4.0)
        self.assertAlmostEqual(load.power_limit(machine, 9000), 6.0)
        self.assertAlmostEqual(load.torque_limit(machine, 3000), 12.0)
        # At 9000 rpm the power gives less than the curve's last torque.
        self.assertAlmostEqual(load.torque_limit(machine, 9000), 6.0 * machine.efficiency * 9549.3 / 9000)
        with self.assertRaises(ValueError):
            Machine.model_validate({**machine.model_dump(), "power_points": [(3000, 2), (1000, 3)]})

    def test_what_is_told_to_relieve_was_tried(self) -> None:
        base = case(machine="quick-spindle", reserve=0.2)
        bite = solver.solve(base)
        found = relief.reliefs(base, bite)
        self.assertEqual({r.ceiling for r in found}, {c.name for c in bite.ceilings if c.binds and not c.estimate})
        told = [r for r in found if r.gain > 0]
        self.assertTrue(told)
        for r in told:
            changed = relief.CHANGES[r.change](base)
            assert changed is not None
            gain = solver.solve(changed).removal_rate / bite.removal_rate - 1
            self.assertAlmostEqual(gain, r.gain, places=9)
            self.assertIn(f"{100 * gain:.0f} % more", r.sentence)

    def test_a_broken_ceiling_is_mended_by_leaving_the_pin(self) -> None:
        base = case(ae=6.0, ap=24.0, feed=3000.0)
        found = {r.ceiling: r for r in relief.reliefs(base, solver.solve(base))}
        self.assertIn("cutter bending", found)
        self.assertTrue(any("would mend it" in r.sentence for r in found.values()))


class BruteForceTest(SimpleTestCase):
    def test_the_solver_finds_what_a_grid_finds(self) -> None:
        """Every ae, step-down, speed and feed of a dense grid that keeps all ceilings: none beats it by 1 %."""
        for machine, material in product(("quick-spindle", "slow-giant"), ("aluminium-wrought", "titanium")):
            base = case(machine=machine, material=material)
            best = solver.solve(base)
            grid = 0.0
            vc = 1000 * base.material.cutting_speed / (math.pi * base.tool.diameter)
            for ae, steps, slow in product(np.linspace(0.6, 3.6, 31), range(1, 9), (1.0, 0.85, 0.6)):
                pinned: Any = replace(base, ae=float(ae), ap=24.0 / steps, speed=slow * min(vc, base.machine.max_rpm))
                first = wanted(pinned, float(ae), 24.0 / steps, steps)
                for feed in np.linspace(0.3, 1.0, 15) * first.feed:
                    bite = wanted(replace(pinned, feed=float(feed)), float(ae), 24.0 / steps, steps)
                    wide = ae > base.material.most_bite_share * base.tool.diameter + 1e-9
                    if not wide and all(c.share <= 1.0 + 1e-6 for c in bite.ceilings if c.name != "chip, least"):
                        grid = max(grid, solver.value_of(base, bite))
            self.assertGreater(solver.value_of(base, best), 0.99 * grid, (machine, material))

    def test_a_small_change_of_the_question_is_a_small_change_of_the_answer(self) -> None:
        for key in ("power_kw", "torque_nm"):
            base = case(machine="quick-spindle")
            rates, values = [], []
            for factor in np.linspace(0.8, 1.2, 21):
                new = base.machine.model_copy(update={key: getattr(base.machine, key) * float(factor)})
                bite = solver.solve(replace(base, machine=new))
                rates.append(bite.removal_rate)
                values.append(solver.value_of(base, bite))
            change = np.abs(np.diff(rates)) / np.mean(rates)
            self.assertLess(float(change.max()), 0.06)
            self.assertTrue((np.diff(values) > -1e-6 * max(values)).all())


class ChartTest(SimpleTestCase):
    def test_the_map_agrees_with_the_solver(self) -> None:
        base = case()
        made = chart.chart(base)
        best = solver.solve(base)
        self.assertEqual(made.best, (best.ae, best.ap))
        i = int(np.abs(made.ae - best.ae).argmin())
        j = int(np.abs(made.ap - best.ap).argmin())
        self.assertAlmostEqual(made.removal[j, i] / best.removal_rate, 1.0, delta=0.12)
        self.assertEqual([n for n, _ in made.rows], list(range(1, len(made.rows) + 1)))
        by = {n: p for n, p, _ in made.borders}
        self.assertTrue(np.allclose(by["engagement"][:, 0], base.material.most_bite_share * 12, atol=0.01))
        # On its border a ceiling is full.
        a, p = by["cutter bending"][len(by["cutter bending"]) // 2]
        share = next(c.share for c in wanted(base, a, p, 1).ceilings if c.name == "cutter bending")
        self.assertAlmostEqual(share, 1.0, delta=0.05)
