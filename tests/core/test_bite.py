"""The bite against geometry, tables, closed forms and trade rules."""

import math
from dataclasses import replace
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from scipy.integrate import quad

from justbite import catalogue, prepare
from justbite.bite import engagement, load
from justbite.bite.case import Case
from justbite.bite.conditions import LOADS, MOST_AXIAL
from justbite.bite.solver import solve
from justbite.model.bite import Bite
from justbite.model.job import ROUGHERS, BiteWish
from justbite.model.parse import parse_job
from justbite.plan import plan
from tests.core.test_path import job, rectangle
from tests.reference import published


def case(tool: str = "flat-12", material: str = "alloy-steel", machine: str = "harbour-mill", **more: object) -> Case:
    return Case(catalogue.tools()[tool], catalogue.materials()[material], catalogue.machines()[machine], 24.0, **more)  # type: ignore[arg-type]


class EngagementTest(SimpleTestCase):
    def test_angles_of_geometry(self) -> None:
        for share, degrees in published.ENGAGEMENT:
            self.assertAlmostEqual(math.degrees(engagement.angle_of(share * 12, 12)), degrees, places=1)

    def test_a_bite_given_three_ways_is_one(self) -> None:
        by_ae = engagement.wished_depth(BiteWish(ae=2.4), 12)
        by_share = engagement.wished_depth(BiteWish(share=0.2), 12)
        by_angle = engagement.wished_depth(BiteWish(angle=math.degrees(math.acos(0.6))), 12)
        self.assertAlmostEqual(by_ae, by_share)
        self.assertAlmostEqual(by_ae, by_angle)

    def test_mean_chip_is_the_mean_of_the_sine(self) -> None:
        for phi in (0.3, 0.9, 1.5, 3.0):
            mean = quad(lambda a: 0.1 * math.sin(a), 0, phi)[0] / phi
            self.assertAlmostEqual(engagement.mean_chip(0.1, phi), mean, places=9)
            self.assertAlmostEqual(engagement.feed_per_tooth(mean, phi), 0.1, places=9)


class LoadTest(SimpleTestCase):
    def test_catalogue_agrees_with_the_tables(self) -> None:
        for name, (kc11, mc) in published.KIENZLE.items():
            material = catalogue.materials()[name]
            self.assertEqual((material.kc11, material.mc), (kc11, mc))

    def test_unit_power_lies_in_the_handbook_spread(self) -> None:
        for name, (low, high) in published.UNIT_POWER.items():
            kc = load.specific_force(catalogue.materials()[name], 0.15)
            self.assertTrue(low <= load.cutting_power(1, 1, 1000, kc) <= high, (name, kc))

    def test_bending_of_a_plain_rod(self) -> None:
        """Euler-Bernoulli: F a^2 (3 L - a) / (6 E I) at the tip for a force at a."""
        tool = catalogue.tools()["flat-12"].model_copy(update={"flute_length": 1e-9})
        deflection, stress = load.bending(tool, 20.0, 500.0)
        arm, length = tool.stickout - 10.0, tool.stickout
        inertia = math.pi * 12**4 / 64
        self.assertAlmostEqual(deflection, 500 * arm**2 * (3 * length - arm) / (6 * 600_000 * inertia), places=9)
        self.assertAlmostEqual(stress, 500 * arm * 6 / inertia, places=6)

    def test_bending_of_a_stepped_rod_by_integration(self) -> None:
        tool = catalogue.tools()["flat-10"]
        arm, shank = tool.stickout - 5.0, tool.stickout - tool.flute_length

        def curvature(x: float) -> float:
            d = tool.diameter if x < shank else load.CORE * tool.diameter
            return 300 * (arm - x) * (tool.stickout - x) / (600_000 * math.pi * d**4 / 64)

        expected = quad(curvature, 0, shank)[0] + quad(curvature, shank, arm)[0]
        self.assertAlmostEqual(load.bending(tool, 10.0, 300.0)[0], expected, places=8)

    def test_ripple_vanishes_at_whole_axial_contact(self) -> None:
        tool = catalogue.tools()["flat-12"]
        whole = math.pi * 12 / (tool.flutes * math.tan(math.radians(tool.helix_angle)))
        self.assertAlmostEqual(load.peak_over_mean(tool, whole, 0.9), 1.0, delta=0.06)
        self.assertGreater(load.peak_over_mean(tool, 0.5 * whole, 0.9), 1.3)

    def test_torque_follows_constant_power_above_base_speed(self) -> None:
        machine = catalogue.machines()["harbour-mill"]
        self.assertEqual(load.torque_limit(machine, 500), machine.torque_nm)
        torque = load.torque_limit(machine, 10_000)
        self.assertAlmostEqual(
            torque * 2 * math.pi * 10_000 / 60 / 1000, machine.power_kw * machine.efficiency, places=3
        )


class SolverTest(SimpleTestCase):
    def test_nothing_is_broken_when_nothing_is_pinned(self) -> None:
        rough = [k for k, t in catalogue.tools().items() if t.kind in ROUGHERS]
        for machine in catalogue.machines():
            for material in list(catalogue.materials())[::6]:
                for tool in rough[::8]:
                    bite = solve(case(tool, material, machine))
                    kept = [c for c in bite.ceilings if not c.estimate and c.name != "chip, least"]
                    if bite.speed <= catalogue.machines()[machine].min_rpm:
                        # A spindle that cannot turn slowly enough for the cutter breaks it, and it is said.
                        kept = [c for c in kept if c.name != "cutting speed"]
                    broken = [c.name for c in kept if c.share > 1.001]
                    self.assertEqual(broken, [], (machine, material, tool))
                    self.assertTrue(any(c.binds for c in bite.ceilings))

    def test_it_beats_a_grid_of_pinned_trials(self) -> None:
        base = case(material="carbon-steel")
        best = solve(base).removal_rate
        for ae in np.linspace(0.6, 3.0, 9):
            for steps in (1, 2, 3):
                trial = solve(replace(base, ae=float(ae), ap=24.0 / steps))
                if all(c.share <= 1.0 for c in trial.ceilings) and trial.ae <= 0.25 * 12:
                    self.assertLessEqual(trial.removal_rate, best * 1.03)

    def test_a_slow_spindle_is_answered_soundly(self) -> None:
        """A 3 mm cutter on 6 000 rpm: full speed, and a chip that is kept above rubbing."""
        slow = solve(case("flat-3", "aluminium-wrought", "slow-giant"))
        quick = solve(case("flat-3", "aluminium-wrought", "quick-spindle"))
        self.assertEqual(slow.speed, 6000)
        self.assertAlmostEqual(slow.feed_per_tooth, quick.feed_per_tooth, delta=0.2 * quick.feed_per_tooth)
        self.assertAlmostEqual(quick.feed / slow.feed, quick.speed / slow.speed, delta=0.8)
        self.assertGreater(slow.chip_most, 0.004)

    def test_harder_material_means_slower_and_thinner(self) -> None:
        soft, hard = solve(case(material="aluminium-wrought")), solve(case(material="hardened-steel"))
        self.assertGreater(soft.cutting_speed, 3 * hard.cutting_speed)
        self.assertGreater(soft.removal_rate, 5 * hard.removal_rate)

    def test_reserve_holds_the_loads_back(self) -> None:
        for reserve in (0.2, 0.4, 0.6):
            bite = solve(case(reserve=reserve))
            for c in bite.ceilings:
                if c.name in LOADS:
                    self.assertLessEqual(c.value, c.ceiling * (1 - reserve) * 1.001)

    def test_pins_stay_and_what_they_break_is_said(self) -> None:
        bite = solve(case(ae=6.0, feed=9000.0))
        self.assertEqual((bite.ae, bite.feed), (6.0, 9000.0))
        self.assertTrue([c for c in bite.ceilings if c.share > 1])

    def test_equal_steps_within_the_trade_rule(self) -> None:
        bite = solve(replace(case(), depth=70.0))
        self.assertAlmostEqual(bite.ap * bite.steps, 70.0)
        self.assertLessEqual(bite.ap, MOST_AXIAL * 12)

    def test_less_power_takes_less(self) -> None:
        strong = case(material="aluminium-wrought")
        weak = replace(strong, machine=strong.machine.model_copy(update={"power_kw": 1.5}))
        bite = solve(weak)
        self.assertLess(bite.removal_rate, 0.5 * solve(strong).removal_rate)
        self.assertIn("power", [c.name for c in bite.ceilings if c.binds])


class SectionsTest(SimpleTestCase):
    """Levels do not reach across floors in between: the bite is for the levels that there are."""

    def test_the_step_is_the_deepest_level_and_all_levels_are_counted(self) -> None:
        floors = replace(case(), depth=20.0, areas=((1.0, (6.0, 14.0)),))
        self.assertEqual([floors.step(most) for most in (20.0, 10.0, 5.0)], [14.0, 7.0, 14.0 / 3])
        self.assertEqual([floors.steps(most) for most in (20.0, 10.0, 5.0)], [2, 3, 5])
        # Of 14 and 6 mm the mean is 10; an area twice as large, in one level of 8, counts twice.
        self.assertAlmostEqual(floors.fill(14.0), 10.0 / 14.0)
        two = replace(floors, areas=((1.0, (6.0, 14.0)), (2.0, (8.0,))))
        self.assertAlmostEqual(two.fill(14.0), (20.0 + 2 * 8.0) / (2 + 2) / 14.0)

    def test_without_floors_nothing_changes(self) -> None:
        one = case()
        self.assertEqual(one.fill(one.step(7.0)), 1.0)
        self.assertEqual(solve(one), solve(replace(one, areas=((3.0, (one.depth,)),))))

    def test_no_other_step_is_quicker(self) -> None:
        """Against every step pinned, told by levels over ae times feed."""
        base = replace(case(), depth=24.0, areas=((1.0, (5.0, 19.0)), (0.5, (12.0,))))

        def slow(bite: Bite) -> float:
            levels = sum(size * sum(math.ceil(d / bite.ap - 1e-9) for d in deep) for size, deep in base.areas)
            return levels / (bite.ae * bite.feed)

        best = solve(base)
        self.assertTrue(all(c.share <= 1.0 + 1e-6 for c in best.ceilings if not c.estimate))
        for step in np.linspace(3.0, 24.0, 30):
            trial = solve(replace(base, ap=float(step)))
            if all(c.share <= 1.0 + 1e-6 for c in trial.ceilings if not c.estimate):
                self.assertGreater(slow(trial), 0.995 * slow(best))

    def test_areas_of_other_depths_count_by_their_size(self) -> None:
        """38 mm beside 10: a large shallow area and a small deep one want a shorter step than the other way round."""
        weak = case()
        weak = replace(weak, machine=weak.machine.model_copy(update={"power_kw": 4.0}), depth=38.0)
        steps = []
        for deep, shallow in ((1.0, 9.0), (9.0, 1.0)):
            both = solve(replace(weak, areas=((deep, (38.0,)), (shallow, (10.0,)))))
            steps.append(both.ap)
            if shallow > deep:
                other = solve(replace(weak, ap=19.0))
                slow = [(deep * math.ceil(38 / b.ap) + shallow) / (b.ae * b.feed) for b in (both, other)]
                self.assertLess(slow[0], 0.7 * slow[1])
        self.assertEqual(steps, [10.0, 19.0])

    def test_a_floor_in_between_is_planned_with_that_bite(self) -> None:
        """20 mm with a floor at 7: as deep as its levels, and quicker than where floors are not looked at."""
        data = job(rectangle(50, 40), ae=None, floors=[-7], bottom=-20)
        data |= {"machine": "bench-mill", "material": "carbon-steel"}
        data["stock"]["box"]["min"][2] = -30
        made = plan(parse_job(data)).report["operations"][0]
        self.assertEqual((made["bite"]["ap"], made["bite"]["steps"]), (7.0, 3))
        with patch.object(prepare, "sections", lambda *_: (20.0,)):
            blind = plan(parse_job(data)).report["operations"][0]
        self.assertLess(made["seconds"], 0.85 * blind["trials"][0]["seconds"])
        # What was cut is known then, and by that the same bite is found.
        self.assertAlmostEqual(blind["seconds"], made["seconds"], delta=0.01 * made["seconds"])
