"""Areas that lead into one another: what the one before left on its wall stands before the next one's open edge."""

import math
import re
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.model.borders import ONE_BORDER
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.model.shapes import OVERLAP, job_space, overlap, region_shape
from justbite.path.area import comes_to, kept_off, left_beside, make_area, parts_of
from justbite.path.works import ENDS_FILM, Limits, _gone_before, works_on
from justbite.plan import plan
from tests.core.test_path import job, rectangle

WALL = 0.3
STANDS = WALL + ENDS_FILM * 5.0
"""What is taken to stand before an edge that leads into an area before; the cutter has R 5."""
LIMITS = Limits(0.002, 0.0012, 0.6, 0.4, 0.002, 0.05, 0.05, 0.001, 0.01, 0.02, 0.008, 0.02)
CHORD = 0.002


def stairs(**operation: Any) -> dict[str, Any]:
    """A block with two steps, the lower one (y < 20) cut first; its far wall is the open edge of the upper one."""
    data = job(rectangle(60, 40))
    low, high = rectangle(60, 20), [[0, 20], [60, 20], [60, 40], [0, 40]]
    data["regions"] = [
        {"name": "low", "outline": low, "open_edges": [0, 1, 3], "bottom": -12},
        {"name": "high", "outline": high, "open_edges": [0, 1, 3], "bottom": -6, "after": ["low"]},
    ]
    data["stock"] = {"box": {"min": [0, 0, -20], "max": [60, 60, 0]}}
    first = data["operations"][0]
    first.update(regions=["low", "high"], allowance={"wall": WALL, "floor": 0.1}, **operation)
    return data


def apart(before: str, then: str) -> Job:
    """The stairs with an operation for each step."""
    data = stairs()
    first = data["operations"][0]
    data["operations"] = [{**first, "regions": [before]}, {**first, "name": "then", "regions": [then]}]
    return parse_job(data)


def circle(radius: float, first: float) -> list[list[float]]:
    """About (20, 20), as two arcs from the angle `first` on: where its chords' corners lie depends on that."""
    across = radius * np.array([math.cos(first), math.sin(first)])
    return [[20 - across[0], 20 - across[1], 1.0], [20 + across[0], 20 + across[1], 1.0]]


def rings() -> dict[str, Any]:
    """A turned step in two areas about one axis: the outer one first."""
    data = job(rectangle(60, 40))
    outer, middle, core = (circle(r, 0.0) for r in (19.0, 14.0, 8.0))
    data["regions"] = [
        {"name": "low", "outline": outer, "islands": [circle(14.0, 0.02)], "open_edges": "all", "bottom": -12},
        {"name": "high", "outline": middle, "islands": [core], "open_edges": "all", "bottom": -6, "after": ["low"]},
    ]
    data["stock"] = {"cylinder": {"axis": "z", "centre": [20, 20], "diameter": 38, "low": -20, "high": 0}}
    data["operations"][0].update(regions=["low", "high"], allowance={"wall": WALL, "floor": 0.1})
    return data


class LeadingTest(SimpleTestCase):
    def area(self, made: Job, radius: float = 5.0) -> Any:
        operation, region = made.operations[-1], made.region("high")
        gone = _gone_before(made, operation, region, 0.0, CHORD)
        return make_area(made, region, radius, WALL, 0.005, CHORD, 0.1, gone)

    def test_what_a_cutter_comes_to(self) -> None:
        """60 x 20 mm with one wall: less the allowance on it; and in a pocket its corners, R^2 (1 - pi/4) each."""
        made = parse_job(stairs())
        taken = comes_to(made, made.region("low"), 5.0, WALL, 0.0, CHORD)
        self.assertAlmostEqual(taken.area, 60 * (20 - WALL), delta=0.02)
        closed = stairs()
        closed["regions"][0]["open_edges"] = []
        made = parse_job(closed)
        taken = comes_to(made, made.region("low"), 5.0, WALL, 0.0, CHORD)
        corners = 4 * 25 * (1 - math.pi / 4)
        self.assertAlmostEqual(taken.area, (60 - 2 * WALL) * (20 - 2 * WALL) - corners, delta=0.05)

    def test_the_allowance_before_the_edge_is_material(self) -> None:
        strip = self.area(parse_job(stairs())).material.difference(shapely.box(-1, 20, 61, 41))
        self.assertAlmostEqual(strip.area, 60 * STANDS, delta=0.02)
        np.testing.assert_allclose(strip.bounds, (0, 20 - STANDS, 60, 20), atol=2 * ONE_BORDER)

    def test_what_no_operation_cuts_is_gone_as_it_is_drawn(self) -> None:
        data = stairs()
        data["operations"][0]["regions"] = ["high"]
        made = parse_job(data)
        gone = _gone_before(made, made.operations[0], made.region("high"), 0.0, CHORD)
        self.assertTrue(gone.covers(shapely.box(1, 1, 59, 19)))
        self.assertAlmostEqual(self.area(made).material.area, 60 * 20, delta=0.01)

    def test_what_an_earlier_operation_cut_is_told_by_what_it_swept(self) -> None:
        made = apart("low", "high")
        self.assertTrue(_gone_before(made, made.operations[1], made.region("high"), 0.0, CHORD).is_empty)
        for row in plan(made).report["operations"]:
            self.assertLessEqual(row["max_over_target"], 1.05)

    def test_what_a_later_operation_is_to_cut_stands(self) -> None:
        made = apart("high", "low")
        self.assertTrue(_gone_before(made, made.operations[0], made.region("high"), 0.0, CHORD).is_empty)

    def test_a_shallower_area_before_takes_nothing_away(self) -> None:
        data = stairs()
        data["regions"][0]["bottom"] = -4
        made = parse_job(data)
        self.assertTrue(_gone_before(made, made.operations[0], made.region("high"), 0.0, CHORD).is_empty)

    def test_borders_that_are_one_to_the_micrometre_leave_no_hair(self) -> None:
        """What is gone ends a third of a millionth of a millimetre within the lower step."""
        made = parse_job(stairs())
        gone = shapely.box(0, 0, 60, 20 - 3e-7)
        area = make_area(made, made.region("low"), 5.0, 0.0, 0.005, CHORD, 0.1, gone)
        self.assertTrue(area.material.is_empty)
        half = make_area(made, made.region("low"), 5.0, 0.0, 0.005, CHORD, 0.1, shapely.box(0, 0, 60, 10))
        self.assertAlmostEqual(half.material.area, 60 * 10, delta=0.01)

    def test_borders_that_are_one_leave_no_seam(self) -> None:
        (whole,) = shapely.get_parts(self.area(parse_job(rings())).material)
        outer, inner = (np.hypot(*(np.asarray(r.coords) - 20.0).T) for r in (whole.exterior, *whole.interiors))
        np.testing.assert_allclose(outer, 14 + STANDS, atol=0.01)
        np.testing.assert_allclose(inner, 8, atol=0.01)

    def test_a_gap_that_no_cutter_was_in_is_no_air(self) -> None:
        """Of a steep slope the last 0.05 mm had no step: the next area's cutter met them, 1.1 and 1.2 of its bite."""
        for gap in (0.05, 0.5):
            data = stairs()
            data["regions"][0]["outline"] = rectangle(60, 20 - gap)
            strip = self.area(parse_job(data)).material.difference(shapely.box(-1, 20, 61, 41))
            if gap == 0.05:
                self.assertAlmostEqual(strip.area, 60 * (STANDS + gap), delta=0.02)
                np.testing.assert_allclose(strip.bounds, (0, 20 - gap - STANDS, 60, 20), atol=2 * ONE_BORDER)
            else:
                # What is wider may be air, and stays as it is told.
                self.assertAlmostEqual(strip.intersection(shapely.box(0, 20 - gap, 60, 20)).area, 0.0, places=3)

    def test_what_is_not_taken_with_an_area_is_a_wall_farther_down(self) -> None:
        """A crack before an open edge that no cutter comes into: on a section with nothing else to do it stays whole.

        On the next one it is as high as both; a rest was cut into it at 3.5 of its bite.
        """
        data = stairs()
        data["regions"][0]["outline"] = [[0, 14], [60, 14], [60, 20], [0, 20]]
        data["regions"][0]["open_edges"] = []
        made = parse_job(data)
        region = made.region("high")
        area = make_area(made, region, 2.0, WALL, 0.005, CHORD, 0.1)
        crack = shapely.box(0, 14, 60, 20)
        self.assertAlmostEqual(area.material.intersection(crack).area, crack.area, delta=0.1)
        # All of the area's own is gone: nothing leads the cutter there, and the crack stands.
        idle = replace(area, material=area.material.difference(area.shape))
        left = left_beside(idle, 0.5)
        self.assertAlmostEqual(left.symmetric_difference(crack).area, 0.0, delta=0.1)
        below = kept_off(area, left)
        self.assertAlmostEqual(below.locus.distance(crack), 2.0 + WALL, delta=0.02)
        self.assertEqual(below.material.intersection(crack).area, 0.0)
        # Where the cutter has work it takes what it comes to before the edge as well, and thin strips are no wall.
        self.assertLess(left_beside(area, 0.5).area, 0.3 * crack.area)
        strip = replace(idle, material=idle.material.intersection(shapely.box(-1, 20 - 0.4, 61, 20)))
        self.assertTrue(left_beside(strip, 0.5).is_empty)

    def test_the_bite_is_kept_where_one_leads_into_another(self) -> None:
        """Without the strip 1.15 of a bite of 2 mm and a rapid beside what stands; with a seam in it 1.04 round."""
        for data in (stairs(bite={"ae": 2.0}), rings()):
            for order in ("areas", "levels"):
                data["operations"][0]["order"] = order
                report = plan(parse_job(data)).report
                (row,) = report["operations"]
                self.assertLessEqual(row["max_over_target"], 1.05)
                self.assertLessEqual(row["p999_over_target"], 1.02)
                self.assertLess(row["left_over_share"], 0.001)
                self.assertEqual(row["gouge_mm"], 0)
                told = {w["code"] for w in report["warnings"] if w["severity"] != "note"}
                self.assertEqual(told, set())


def slot_into_groove() -> dict[str, Any]:
    """A slot 6 mm deep that ends in a groove 14 mm wide and 12 deep; beyond the groove the block goes on."""
    data = job(rectangle(60, 40))
    data["regions"] = [
        {"name": "groove", "outline": [[10, 0], [24, 0], [24, 40], [10, 40]], "open_edges": [0, 2], "bottom": -12},
        {"name": "slot", "outline": [[24, 13], [55, 13], [55, 27], [24, 27]], "open_edges": [3], "bottom": -6},
    ]
    data["stock"] = {"box": {"min": [0, 0, -20], "max": [60, 40, 0]}}
    data["operations"][0].update(regions=["groove", "slot"], allowance={"wall": 0.0, "floor": 0.0})
    return data


class StuckTest(SimpleTestCase):
    """A cell that no way in fits into, and a shelf that opens into it and comes after it."""

    @staticmethod
    def made(cell: float) -> Job:
        data = job(rectangle(80, 50))
        low, high = 25.0 - cell / 2, 25.0 + cell / 2
        data["regions"] = [
            {"name": "cell", "outline": [[60, low], [60 + cell, low], [60 + cell, high], [60, high]], "bottom": -12},
            {"name": "shelf", "outline": [[15, 10], [60, 10], [60, 40], [15, 40]], "open_edges": [1], "bottom": -6,
             "after": ["cell"]},
        ]  # fmt: skip
        data["stock"] = {"box": {"min": [0, 0, -20], "max": [80, 50, 0]}}
        data["operations"][0].update(regions=["cell", "shelf"], allowance={"wall": WALL, "floor": 0.1})
        return parse_job(data)

    def test_what_comes_after_it_finds_it_standing(self) -> None:
        """Else the shelf is gone into from the cell, which stands: three times the bite on a part of the record."""
        report = plan(self.made(12.0)).report
        stuck = [w["area"] for w in report["warnings"] if w["code"] == "area.no-entry"]
        self.assertEqual(stuck, ["cell"])
        (own,) = report["operations"]
        self.assertGreater(own["cut_seconds"], 1.0)
        self.assertGreater(own["entry_seconds"], 0.0)
        self.assertLessEqual(own["max_over_target"], 1.05)
        self.assertLessEqual(own["entry_over_bite"], 1.0)
        self.assertEqual(own["rapid_in_stock_mm"], 0.0)

    def test_a_cell_that_is_cut_is_gone(self) -> None:
        report = plan(self.made(16.0)).report
        self.assertEqual([w for w in report["warnings"] if w["severity"] == "error"], [])
        self.assertLessEqual(report["operations"][0]["max_over_target"], 1.05)


class BeyondTest(SimpleTestCase):
    """Where an open edge leads into another area, the stock goes on beyond that."""

    WALL = shapely.box(0, 0, 9.99, 40)

    def space(self, data: dict[str, Any], name: str, strip: float = 20.0) -> Any:
        made = parse_job(data)
        return job_space(made, made.region(name), strip, CHORD)

    def test_the_far_wall_of_what_a_slot_leads_into(self) -> None:
        for after in ([], ["groove"]):
            data = slot_into_groove()
            data["regions"][1]["after"] = after
            space = self.space(data, "slot")
            self.assertEqual(space.intersection(self.WALL).area, 0)
            # All of the groove that lies straight before the slot, and where that is open to the air.
            self.assertTrue(space.covers(shapely.box(10.05, 13.05, 54.95, 26.95)))
            self.assertAlmostEqual(space.area, 31 * 14 + 14 * 14, delta=0.5)

    def test_on_through_a_second_area_and_out_of_the_stock(self) -> None:
        """Beyond a narrow area lies another as deep, open to the air: all of that is free."""
        data = slot_into_groove()
        data["regions"][0].update(outline=[[20, 0], [24, 0], [24, 40], [20, 40]], open_edges=[0, 2, 3])
        left = {"name": "left", "outline": [[0, 10], [20, 10], [20, 30], [0, 30]], "open_edges": [1, 3], "bottom": -12}
        data["regions"].append(left)
        space = self.space(data, "slot", 40.0)
        self.assertTrue(space.covers(shapely.box(-15, 13.05, 54.95, 26.95)))
        # No farther than the strip is deep, and no wider than the slot.
        np.testing.assert_allclose(space.bounds, (-16, 13, 55, 27), atol=0.01)

    def test_no_wall_beside_what_lies_straight_out(self) -> None:
        """A trough round the right part of a deeper pocket: straight out of its edges lies all of that but a strip
        1 mm wide at either end, left of the trough's own corners."""
        data = slot_into_groove()
        pocket = [[10, 0], [29, 0], [30, 1], [30, 25], [29, 26], [10, 26]]
        trough = [[19, 26], [29, 26], [30, 25], [30, 1], [29, 0], [19, 0], [19, -20], [32, -20], [32, 46], [19, 46]]
        data["regions"] = [
            {"name": "pocket", "outline": pocket, "bottom": -12},
            {"name": "trough", "outline": trough, "open_edges": [0, 1, 2, 3, 4], "bottom": -6, "after": ["pocket"]},
        ]
        data["stock"] = {"box": {"min": [0, -30, -20], "max": [60, 50, 0]}}
        data["operations"][0]["regions"] = ["pocket", "trough"]
        whole = shapely.union_all([shapely.Polygon(pocket), shapely.Polygon(trough)])
        # The strip ends beyond the far wall, and 2 mm before it; a twentieth of it is more than 1 mm, and less.
        for strip, stands in ((25.6, 0.0), (18.0, 2 * 26 + 2 * 7)):
            space = self.space(data, "trough", strip)
            self.assertAlmostEqual(whole.symmetric_difference(space).area, stands, delta=0.05)

    def test_behind_what_its_cutter_does_not_pass_all_stands(self) -> None:
        """Two rooms as deep, 12 mm between them, a 10 mm cutter, and a post before the gap: from the one nothing is
        taken behind it in the other, and all the way to the strip's end without it."""
        post = [[26, 16], [29, 16], [29, 24], [26, 24]]
        for islands, taken in (([post], False), ([], True)):
            data = slot_into_groove()
            groove = [[10, 0], [24, 0], [24, 14], [24, 26], [24, 40], [10, 40]]
            data["regions"][0].update(outline=groove, open_edges=[0, 2, 4])
            room = [[24, 14], [24, 5], [55, 5], [55, 35], [24, 35], [24, 26]]
            data["regions"][1].update(outline=room, open_edges=[5], bottom=-12, islands=islands)
            made = parse_job(data)
            reached = comes_to(made, made.region("groove"), 5.0, 0.0, 0.01, CHORD, True)
            self.assertTrue(reached.covers(shapely.box(11, 2, 23, 38)))
            self.assertEqual(reached.contains(shapely.Point(35, 20)), taken)

    def test_a_border_told_twice_is_no_wall(self) -> None:
        """A face over the groove, its edge 0.2 um farther: else a wall as thin stands before the slot's open edge."""
        data = slot_into_groove()
        alone = self.space(data, "slot")
        face = [[10, 0], [24 + 2e-7, 0], [24 + 2e-7, 40], [10, 40]]
        data["regions"].append({"name": "face", "outline": face, "open_edges": "all", "bottom": -3})
        space = self.space(data, "slot")
        self.assertAlmostEqual(space.boundary.distance(shapely.Point(24, 20)), 7.0, delta=0.01)
        self.assertAlmostEqual(space.symmetric_difference(alone).area, 0.0, delta=1e-3)

    def test_areas_in_an_area_are_not_beyond_it(self) -> None:
        """A face over a block whose outside is cut to the same border: its air is all round, as alone."""
        data = slot_into_groove()
        face = {"name": "face", "outline": rectangle(60, 40), "open_edges": "all", "bottom": -1}
        core = [[5, 5], [55, 5], [55, 35], [5, 35]]
        around = {**face, "name": "around", "islands": [core], "bottom": -15}
        data["regions"] = [face, around]
        data["operations"][0]["regions"] = ["face", "around"]
        self.assertAlmostEqual(self.space(data, "face").area, 100 * 80, delta=1e-6)
        listed = {**face, "open_edges": [0, 1, 2, 3]}
        self.assertAlmostEqual(self.space({**data, "regions": [listed, around]}, "face").area, 100 * 80, delta=1e-6)

    def test_no_cut_comes_to_the_far_wall(self) -> None:
        """All places of the program below the top of the block, read from its text; the cutter is 10 mm wide."""
        data = slot_into_groove()
        made = plan(parse_job(data))
        words = (dict(re.findall(r"([XYZ])(-?[\d.]+)", line)) for line in made.program.splitlines())
        x = z = 0.0
        low = math.inf
        for word in words:
            x, z = float(word.get("X", x)), float(word.get("Z", z))
            low = min(low, x) if z < -0.1 else low
        self.assertGreaterEqual(low, 15.0)
        (row,) = made.report["operations"]
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLess(row["left_over_share"], 0.001)

    def test_chords_of_one_border_make_no_overlap(self) -> None:
        """A disc within an island of as many chords, turned by half of one: they cross all round."""
        data = rings()
        turned = [circle(14.0, first) for first in (0.0, 0.01)]
        data["regions"][0]["islands"], data["regions"][1]["outline"] = [turned[0]], turned[1]
        made = parse_job(data)
        low, high = made.regions
        slivers = region_shape(low, 0.02).intersection(region_shape(high, 0.02))
        self.assertGreater(slivers.area, OVERLAP)
        self.assertFalse(overlap(low, high, 0.02))
        self.assertTrue(overlap(low, low, 0.02))

    def test_beyond_a_wall_there_is_nothing_of_the_area_to_cut(self) -> None:
        """A rib stands before the slot's mouth: what the cutter could reach behind it is the groove's alone."""
        data = slot_into_groove()
        data["regions"][0]["outline"] = [[0, 0], [24, 0], [24, 40], [0, 40]]
        data["keep_outs"] = [{"name": "rib", "outline": [[22, 0], [23, 0], [23, 40], [22, 40]], "top": 0}]
        made = parse_job(data)
        radius = made.tool(made.operations[0].tool).diameter / 2
        (work,), found, _ = works_on(made, made.operations[0], "slot", 1.0, 10.0, LIMITS, [])
        pieces = [p for p in shapely.get_parts(work.area.locus) if p.area > 0]
        self.assertEqual(len(pieces), 2)
        (own,) = parts_of(work.area)
        self.assertGreater(own.bounds[0], 23 + radius - 0.01)
        self.assertNotIn("area.no-entry", [f.code for f in found])

    def test_an_edge_that_is_open_into_stock_is_told(self) -> None:
        """The groove left out, it stands before the slot; where the stock ends there, or the groove is given, not."""

        def told(data: dict[str, Any]) -> int:
            made = parse_job(data)
            found = works_on(made, made.operations[0], "slot", 2.0, 10.0, LIMITS, []).findings
            return sum(f.code == "area.open-into-stock" for f in found)

        data = slot_into_groove()
        self.assertEqual(told(data), 0)
        alone = {**data, "regions": data["regions"][1:], "operations": [{**data["operations"][0], "regions": ["slot"]}]}
        self.assertEqual(told(alone), 1)
        self.assertEqual(told({**alone, "stock": {"box": {"min": [24, 0, -20], "max": [60, 40, 0]}}}), 0)
