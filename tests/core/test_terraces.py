"""Steps on slopes: where they are and how high, by closed form; what gets none; that they are cut from the floor up."""

import math
from itertools import pairwise
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite.layout import Layout, corners_in, region_of
from justbite.model.feature import Feature
from justbite.model.moves import CUT, ENTRY
from justbite.model.parse import parse_job
from justbite.part.margin import long_enough
from justbite.part.named import STEP
from justbite.plan import plan
from justbite.solids import block, cone, cut, cylinder, joined, lying, sphere, with_edges
from tests.core.solids import laid, read_and_laid


def steps(layout: Layout) -> list[Feature]:
    """The steps, lowest first."""
    return sorted((f for f in layout.features.features if f.kind == STEP), key=lambda f: f.bottom)


def at_foot(x: float, y: float, z: float) -> bool:
    """Whether an edge is at the foot of the pocket of `hollow`."""
    return abs(z + 20) < 1e-6 and 9 < x < 71 and 9 < y < 51


def hollow() -> Any:
    """A pocket of 60 x 40 mm, 20 deep."""
    return cut(block((0, 0, -30), (80, 60, 0)), block((10, 10, -20), (70, 50, 1)))


class PlacesTest(SimpleTestCase):
    def test_fillets_and_chamfers_at_the_foot_of_walls(self) -> None:
        for size, rounded, heights in ((1.5, True, (-18.5,)), (3.0, True, (-18.0, -17.0)), (2.0, False, (-18.0,))):
            part = with_edges(hollow(), size, at_foot, rounded)
            for stl in (False, True):
                layout = laid(part, stl=stl)
                found = steps(layout)
                (floor,) = (f for f in layout.features.features if f.kind != STEP)
                self.assertAlmostEqual(floor.area, (60 - 2 * size) * (40 - 2 * size), delta=0.5)
                self.assertEqual(len(found), len(heights))
                for k, (step, z) in enumerate(zip(found, heights, strict=True)):
                    rise = z + 20
                    inset = size - math.sqrt(size**2 - (size - rise) ** 2) if rounded else size - rise
                    self.assertAlmostEqual(step.bottom, z, delta=0.01)
                    self.assertAlmostEqual(step.area, (60 - 2 * inset) * (40 - 2 * inset), delta=3.0 if stl else 1.0)
                    self.assertEqual(set(step.after), {floor.name, *(f.name for f in found[:k])})
                    self.assertEqual((step.top, step.open_edges), (0.0, ()))

    def test_round_slopes(self) -> None:
        """A ball's cap of 25 mm, a cone on a plate, a lying groove of 14 mm: the part's section at each step."""
        plate = block((0, 0, -30), (90, 70, 0))
        low = block((0, 0, -30), (90, 70, -20))

        def in_bowl(z: float) -> float:
            return math.pi * (25**2 - (5 - z) ** 2)

        def round_cone(z: float) -> float:
            return 90 * 70 - math.pi * (25 + (12 - 25) * (z + 20) / 20) ** 2

        def in_groove(z: float) -> float:
            return 70 * 2 * math.sqrt(14**2 - (2 - z) ** 2)

        for part, section in (
            (cut(plate, sphere(45, 35, 5, 25)), in_bowl),
            (joined(low, cone(45, 35, (25, 12), -20, 0)), round_cone),
            (cut(plate, lying(45, 2, 14, -1, 71)), in_groove),
        ):
            for stl in (False, True):
                found = steps(laid(part, stl=stl))
                # Up to a step below the top.
                self.assertGreater(found[-1].bottom, -4.5)
                self.assertGreater(len(found), 3)
                for step in found:
                    self.assertAlmostEqual(step.area / section(step.bottom), 1.0, delta=0.005, msg=step.name)

    def test_a_slope_that_leads_out_of_the_part_is_open_there(self) -> None:
        """A wedge of 45 degrees off a block: each step is a band from where the stock ends."""
        part = with_edges(block((0, 0, -30), (80, 60, 0)), 20.0, lambda x, _y, z: abs(z) < 1e-6 and abs(x) < 1e-6)
        for margin in (0.0, 3.0):
            found = steps(laid(part, margin, stock_above=1.0))
            # Not at the top: the face takes that.
            self.assertEqual(len(found), 9)
            for k, step in enumerate(found):
                self.assertAlmostEqual(step.bottom, -21 + 2 * (k + 1), delta=0.03)
                self.assertAlmostEqual(step.area, (step.bottom + 21 + margin) * (60 + 2 * margin), delta=0.2)
                self.assertEqual(len(step.open_edges), 3)

    def test_all_that_stands_on_a_slope_is_within_a_step(self) -> None:
        """No more than 1.4 mm square to the slope, where that asks for no finer step than 2 mm."""
        for lean in (5.0, 10.0, 20.0):
            walls = cut(block((0, 0, -30), (110, 110, 0)), cone(55, 55, (20, 20 + lean), -20, 0))
            found = steps(laid(walls, stock_above=2.0))
            heights = [-22.0, *(f.bottom for f in found), -2.0]
            square = math.cos(math.atan(20 / lean))
            for low, high in pairwise(heights):
                self.assertLess((high - low) * square, max(1.42, 2.02 * square))
            for step, low in zip(found, heights, strict=False):
                self.assertAlmostEqual(step.over_slope, step.bottom - low, delta=1e-6)


class NoStepsTest(SimpleTestCase):
    def test_rims_and_what_is_as_good_as_level_get_none(self) -> None:
        """Chamfers at the top, under a face or not, and up to a floor; a fillet of 0.3 mm; a drilled point."""
        shelf = cut(
            block((0, 0, -30), (80, 60, 0)), block((20, -1, -20), (81, 61, 1)), block((-1, -1, -17), (21, 61, 1))
        )
        up_to_floor = with_edges(shelf, 2.0, lambda x, _y, z: abs(z + 17) < 1e-6 and abs(x - 20) < 1e-6)
        top = with_edges(hollow(), 3.5, lambda x, _y, z: abs(z) < 1e-6 and (abs(x) < 1e-6 or abs(x - 10) < 1e-6))
        fine = with_edges(hollow(), 0.3, at_foot, True)
        drilled = cut(hollow(), cylinder(30, 30, 2, -27, -19), cone(30, 30, (0.001, 2), -28.2, -27))
        for part in (up_to_floor, top, fine, drilled):
            for above in (0.0, 1.0):
                self.assertEqual(steps(laid(part, stock_above=above)), [])

    def test_a_part_without_slopes_has_none(self) -> None:
        self.assertEqual(steps(laid(hollow(), 2.0)), [])


class OpenStretchTest(SimpleTestCase):
    def test_hairs_at_the_end_of_an_open_stretch_and_short_ones_are_closed(self) -> None:
        """A square whose right side is open, with a hair of 0.012 mm that looks elsewhere where that side begins."""
        points = np.array([(0, 0), (9.99, 0), (10, 0.005), (10, 10), (9.7, 10), (0, 10)], dtype=float)
        open_ = np.array([False, True, True, False, False, False])
        self.assertEqual(long_enough(points, open_).tolist(), [False, False, True, False, False, False])
        short = np.array([False, False, False, True, False, False])
        self.assertFalse(long_enough(points, short).any())
        self.assertTrue(long_enough(points, np.ones(6, dtype=bool)).all())
        # Wherever the ring begins.
        turned = long_enough(np.roll(points, 4, axis=0), np.roll(open_, 4))
        self.assertEqual(np.roll(turned, -4).tolist(), [False, False, True, False, False, False])


class CutTest(SimpleTestCase):
    """A bowl of 16 mm in a block that no floor tells of, whole chain."""

    def test_from_the_floor_up_within_the_bite_and_the_part(self) -> None:
        part, layout = read_and_laid(cut(block((0, 0, -20), (50, 50, 0)), sphere(25, 25, 4, 16)))
        regions = [region_of(f).model_dump(mode="json") for f in layout.features.features]
        job = {
            "format": "justbite-job", "version": 1, "name": "bowl", "units": "mm", "machine": "harbour-mill",
            "material": "aluminium-wrought", "part": {"matrix": layout.matrix.tolist()},
            "tools": [{"number": 1, "diameter": 8, "flutes": 3, "flute_length": 20, "stickout": 30}],
            "stock": layout.stock.model_dump(mode="json", exclude_none=True), "regions": regions,
            "operations": [{"name": "rough", "kind": "rough", "regions": [r["name"] for r in regions], "tool": 1,
                            "tolerance": 0.02, "allowance": {"wall": 0.2, "floor": 0.1}}],
        }  # fmt: skip
        parsed = parse_job(job)
        made = plan(parsed, part=corners_in(parsed, part))
        (operation,) = made.report["operations"]
        cutting = np.isin(made.trace.part, (CUT, ENTRY)) & (made.trace.share > 0.2)
        cut_at = list(dict.fromkeys(made.trace.level[cutting].round(2).tolist()))
        self.assertEqual(cut_at, sorted(cut_at))
        self.assertEqual(len(cut_at), len(regions))
        self.assertGreater(len(cut_at), 2)
        self.assertLess(operation["max_over_target"], 1.05)
        self.assertLess(operation["p999_over_target"], 1.02)
        self.assertLess(operation["left_over_share"], 0.001)
        self.assertEqual(made.report["into_part"]["deep_mm"], 0.0)
        self.assertEqual([w["code"] for w in made.report["warnings"] if w["severity"] == "error"], [])
        # Steps leave what they leave; it is not told as forgotten. With one of them left out it is.
        self.assertEqual(made.report["stands_mm3"], 0)
        job["operations"][0]["regions"] = [regions[-1]["name"]]  # type: ignore[index]
        job["regions"] = [regions[-1] | {"after": []}]
        parsed = parse_job(job)
        alone = plan(parsed, part=corners_in(parsed, part))
        self.assertGreater(alone.report["stands_mm3"], 1000)
