"""The full width: how deep in which material, under which stress; helices drawn out where the ramp angle is slow."""

import math
from dataclasses import replace
from itertools import pairwise
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, Polygon

from justbite.bite import load
from justbite.bite.case import SLOT_DEPTHS
from justbite.bite.slot import slot_depth, slot_removal, stress
from justbite.model.job import Dynamics, Job
from justbite.model.parse import parse_job
from justbite.path import opening
from justbite.path.area import make_area
from justbite.path.descent import AT_ENDS, FullWidth, descend
from justbite.path.drawn import drawn_out
from justbite.path.entry import find_entry
from justbite.plan import plan
from justbite.prepare import bite_of, case_for
from tests.core.test_path import job, rectangle


def steel(width: float, height: float, **more: Any) -> Job:
    data = job(rectangle(width, height), **more)
    data["material"] = "carbon-steel"
    return parse_job(data)


class SlotDepthTest(SimpleTestCase):
    def setUp(self) -> None:
        self.job = steel(60, 40)
        self.case, self.bite = case_for(self.job, self.job.operations[0]), bite_of(self.job, self.job.operations[0])

    def of(self, **material: Any) -> float:
        return slot_depth(replace(self.case, material=self.case.material.model_copy(update=material)), self.bite)

    def test_as_deep_as_is_usual_in_the_group(self) -> None:
        deep = replace(self.bite, ap=50.0)
        self.assertAlmostEqual(slot_depth(self.case, deep), SLOT_DEPTHS["P"] * 10.0)
        self.assertAlmostEqual(slot_depth(self.case, replace(deep, ap=2.0)), 2.0)
        self.assertAlmostEqual(self.of(slot_share=0.12), 1.2)
        # A turn of a usual helix, radius 0.9 R, in any case.
        self.assertAlmostEqual(self.of(slot_share=0.001, ramp_angle=3.0), math.pi * 9.0 * math.tan(math.radians(3)))

    def test_no_deeper_than_is_stable_where_the_tool_point_is_measured(self) -> None:
        depths = []
        for stiffness in (30.0, 60.0):
            mode = Dynamics(frequency=900.0, stiffness=stiffness, damping=0.03)
            tool = self.case.tool.model_copy(update={"dynamics": (mode, mode)})
            material = self.case.material.model_copy(update={"ramp_angle": 0.1})
            depths.append(slot_depth(replace(self.case, tool=tool, material=material), self.bite))
        # The stable depth goes with the stiffness (Altintas and Budak, zero-order stability).
        self.assertLess(depths[1], SLOT_DEPTHS["P"] * 10.0)
        self.assertAlmostEqual(depths[1] / depths[0], 2.0, delta=0.1)

    def test_stress_in_closed_form(self) -> None:
        """A slender cutter: force times arm over the section of its shank, or of its thinner fluted part."""
        tool = self.case.tool
        chip = self.bite.entry_feed / (tool.flutes * self.bite.speed) * 2.0 / math.pi
        kc = load.specific_force(self.case.material, chip, tool.rake_angle)
        power = 10.0 * 1.5 * self.bite.entry_feed * kc / 60e6
        ripple = load.peak_over_mean(tool, 1.5, math.pi)
        force = power * 60_000 / self.bite.cutting_speed * ripple * math.hypot(1, load.RADIAL_SHARE)
        arm, shank = tool.stickout - 0.75, tool.stickout - tool.flute_length
        told = max(32 * force * arm / (math.pi * 1e3), 32 * force * (arm - shank) / (math.pi * 8.0**3))
        row = next(c for c in self.bite.ceilings if c.name == "bending stress")
        self.assertAlmostEqual(stress(self.case, self.bite, 1.5), told / max(row.ceiling, row.value), 9)

    def test_a_slender_cutter_takes_less(self) -> None:
        """The removal rate at which the stress is just what is allowed; where no depth reaches that, the whole step."""
        self.assertAlmostEqual(slot_removal(self.case, self.bite), 10.0 * self.bite.ap * self.bite.entry_feed)
        tool = self.case.tool.model_copy(update={"stickout": 150.0})
        slender = replace(self.case, tool=tool)
        depth = slot_removal(slender, self.bite) / (10.0 * self.bite.entry_feed)
        self.assertLess(depth, self.bite.ap)
        self.assertAlmostEqual(stress(slender, self.bite, depth), 1.0, 4)

    def test_a_recommended_ramp_angle_goes_before_the_materials(self) -> None:
        seconds = []
        for values in ([], [{"material": "P", "cutting_speed": 220, "feed_per_tooth": 0.05, "ramp_angle": 4}]):
            data = job(rectangle(30, 30), bottom=-14)
            data["material"] = "carbon-steel"
            data["operations"][0].update(entry="helix", feed=2000, speed=6000)
            data["tools"][0]["values"] = values
            seconds.append(plan(parse_job(data)).report["operations"][0]["entry_seconds"])
        usual = parse_job({**job(rectangle(30, 30)), "material": "carbon-steel"})
        angle = math.tan(math.radians(case_for(usual, usual.operations[0]).material.ramp_angle))
        # The flat turn at the end stays.
        self.assertAlmostEqual(seconds[1] / seconds[0], angle / math.tan(math.radians(4)), delta=0.05)


class StrokeTest(SimpleTestCase):
    def test_no_stroke_is_deeper_than_it_may_be(self) -> None:
        """Each leaves a floor no more than that below the last one's; where strokes turn, twice that for a while."""
        bears = FullWidth(2000.0, 1e6, 1.5)
        for length in (30.0, 90.0):
            down = descend(np.array([[0.0, 0.0], [length, 0.0]]), 0.0, -12.0, 5.0, math.tan(math.radians(2)), bears)
            points = np.vstack([down.begin, down.ends])
            floor = np.zeros(400)
            at = np.linspace(0.0, length, 400)
            deepest, whole = 0.0, 0.0
            for a, b in pairwise(points):
                low, high = sorted((a[0], b[0]))
                on = (at >= low) & (at <= high)
                if on.any() and high > low:
                    (x1, z1), (x2, z2) = sorted(((a[0], a[2]), (b[0], b[2])))
                    z = np.interp(at[on], (x1, x2), (z1, z2))
                    depth = np.maximum(0.0, floor[on] - z)
                    deepest, whole = max(deepest, float(depth.max())), whole + float(depth.sum())
                    floor[on] = np.minimum(floor[on], z)
            self.assertLess(deepest, AT_ENDS * 1.5 + 0.05)
            self.assertGreater(deepest, 1.2)
            np.testing.assert_allclose(floor, -12.0, atol=1e-6)

    def test_without_that_it_is_as_deep_as_its_load_allows(self) -> None:
        line = np.array([[0.0, 0.0], [90.0, 0.0]])
        deep, held = (descend(line, 0.0, -12.0, 5.0, 0.0875, FullWidth(2000.0, 60_000.0, d)) for d in (math.inf, 1.5))
        self.assertGreater(held.minutes, 1.5 * deep.minutes)


class DrawnOutTest(SimpleTestCase):
    def drawn(self, width: float, height: float, stroke: float) -> tuple[Polygon, list[Any]]:
        made = steel(width, height)
        area = make_area(made, made.regions[0], 5.0, 0.0, 0.006, 0.002, 1.0)
        part = max(shapely.get_parts(area.locus), key=lambda p: p.area)
        usual = find_entry(area, part, 1.0)
        assert usual is not None and usual.kind == "helix"
        return part, drawn_out(usual, part, 5.0, stroke)

    def test_closed_within_the_walls_and_without_a_core(self) -> None:
        for width, height in ((60, 40), (30, 30), (100, 24)):
            part, found = self.drawn(width, height, 70.0)
            self.assertGreater(len(found), 1)
            for entry in found:
                np.testing.assert_allclose(entry.points[0], entry.points[-1])
                ring = LineString(entry.points)
                self.assertTrue(part.buffer(1e-6).covers(ring))
                self.assertTrue(shapely.is_ccw(shapely.LinearRing(entry.points)))
                self.assertEqual(len(ring.buffer(5.0).interiors), 0)
            lengths = [LineString(e.points).length for e in found]
            self.assertEqual(lengths, sorted(lengths))
            # One comes down a stroke's depth in a round, where there is room for it.
            if lengths[-1] > 70.0:
                self.assertAlmostEqual(min(lengths, key=lambda m: abs(m - 70.0)), 70.0, delta=0.5)
        self.assertGreater(lengths[-1], 70.0)

    def test_a_small_deep_pocket_of_steel(self) -> None:
        """The way down takes as long at any size; what it opens more is not left to be cut."""
        made = steel(30, 30, bottom=-14)
        drawn = plan(made).report
        with patch.object(opening, "drawn_out", lambda *_: []):
            usual = plan(made).report
        self.assertLess(drawn["seconds"], 0.95 * usual["seconds"])
        row = drawn["operations"][0]
        self.assertLess(row["max_over_target"], 1.05)
        self.assertLess(row["entry_over_bite"], 1.0)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLess(row["left_over_share"], 0.001)
