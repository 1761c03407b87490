"""Areas that lie below or beside each other: where the lower one begins, and what each step is held to."""

from types import SimpleNamespace
from typing import Any, cast

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.model.before import cut_top, floors_before, forerunners
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.model.shapes import job_space
from justbite.path.area import make_area
from justbite.plan import plan
from justbite.prepare import case_for
from justbite.proof.axial import AxialDepths
from justbite.proof.steps import Steps
from tests.core.test_path import job, rectangle
from tests.core.test_rest import errors, rows, two_cutters


class BelowTest(SimpleTestCase):
    """An area below another, whose floor keeps an allowance."""

    def stacked(self, floor: float) -> dict[str, Any]:
        data = job(rectangle(50, 40))
        low = {
            **data["regions"][0],
            "name": "below",
            "outline": [[x * 0.6 + 9, y * 0.6 + 8] for x, y in rectangle(50, 40)],
        }
        data["regions"] = [{**data["regions"][0], "bottom": -8}, {**low, "top": -8, "bottom": -14, "after": ["area"]}]
        data["operations"][0].update(regions=["area", "below"], allowance={"wall": 0, "floor": floor})
        return data

    def test_the_way_in_begins_on_what_stands(self) -> None:
        made = plan(parse_job(self.stacked(0.3)))
        row = rows(made)[0]
        self.assertLessEqual(row["entry_over_bite"], 1.1)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertEqual(errors(made), [])

    def test_a_floor_less_lower_than_the_allowance_is_cut_none_the_less(self) -> None:
        """0.15 mm lower, 0.2 left on both: without a level of its own 0.35 mm would stay on it."""
        data = self.stacked(0.2)
        data["regions"][1]["bottom"] = -8.15
        made = plan(parse_job(data))
        self.assertTrue("Z-7.95" in made.program)
        self.assertLess(rows(made)[0]["left_over_share"], 0.001)
        self.assertEqual(errors(made), [])

    def test_what_stands_counts_for_the_step_downs(self) -> None:
        """7.7 mm from the own top of the area below, 8 from what stands: the bite is worked out for that."""
        made = parse_job(self.stacked(0.3))
        self.assertAlmostEqual(case_for(made, made.operations[0]).depth, 7.7)
        deeper = self.stacked(0.3)
        deeper["regions"][1]["bottom"] = -16
        self.assertAlmostEqual(case_for(parse_job(deeper), parse_job(deeper).operations[0]).depth, 8.0)

    def axial_depths(self, made: Job, moves: SimpleNamespace, ap: float, steps: Steps) -> Any:
        """Of each block, whose steps are seen in two goes."""
        walked = np.ones(len(moves.kind), dtype=bool)
        depths = AxialDepths(made, made.operations[0], cast(Any, moves), ap, 0.01, 5.0, walked)
        for blocks in np.array_split(np.arange(len(moves.kind)), 2):
            own = np.isin(steps.block, blocks)
            part = Steps(
                steps.block[own] - blocks[0].astype(np.int32), steps.place[own], steps.piece[blocks], steps.volume[own],
                steps.lowered[own],
            )  # fmt: skip
            depths.see(int(blocks[0]), part)
        return depths.told()

    def test_a_run_over_the_lower_area_alone_belongs_to_the_one_so_deep(self) -> None:
        """Two runs within the lower area's outline: the first on the upper area's level, the second on its own."""
        for names in (["area", "below"], ["below", "area"]):
            data = self.stacked(0.0)
            data["operations"][0]["regions"] = names
            made = parse_job(data)
            places = np.column_stack([25 + np.arange(20) % 10 * 0.1, np.full(20, 20.0), np.zeros(20)])
            steps = Steps(
                np.repeat([0, 1], 10).astype(np.int32), places, np.ones(2), np.ones(20), np.ones(20, np.float32)
            )
            moves = SimpleNamespace(z_level=np.array([-8.0, -14.0]), kind=np.array([1, 1]))
            np.testing.assert_allclose(self.axial_depths(made, moves, 9.0, steps), [8.0, 6.0])

    def test_areas_in_each_other_are_told_apart_by_their_levels(self) -> None:
        """Steps on a slope from the same top, one in the other: 24 and 22 mm deep, and 13 at once at most."""
        data = self.stacked(0.0)
        step = {**data["regions"][0], "top": 0, "floors": []}
        data["regions"] = [{**step, "bottom": -24}, {**step, "name": "wider", "bottom": -22, "after": ["area"]}]
        data["stock"]["box"]["min"][2] = -30
        data["operations"][0]["regions"] = ["area", "wider"]
        made = parse_job(data)
        places = np.column_stack([25 + np.arange(40) % 10 * 0.1, np.full(40, 20.0), np.zeros(40)])
        block = np.repeat(np.arange(4), 10).astype(np.int32)
        steps = Steps(block, places, np.ones(4), np.ones(40), np.ones(40, np.float32))
        moves = SimpleNamespace(z_level=np.array([-12.0, -24.0, -11.0, -22.0]), kind=np.ones(4))
        np.testing.assert_allclose(self.axial_depths(made, moves, 13.0, steps), [12.0, 12.0, 11.0, 11.0])

    def test_a_higher_level_that_comes_later_took_nothing_before(self) -> None:
        """That of a small half-open area, cut with the cutter's middle in its deeper neighbour (odd part 783)."""
        data = self.stacked(0.0)
        data["operations"][0]["regions"] = ["area"]
        made = parse_job(data)
        places = np.column_stack([25 + np.arange(20) % 10 * 0.1, np.full(20, 20.0), np.zeros(20)])
        block = np.repeat([0, 1], 10).astype(np.int32)
        steps = Steps(block, places, np.ones(2), np.ones(20), np.ones(20, np.float32))
        for levels, axial in (([-8.0, -7.0], [8.0, 7.0]), ([-7.0, -8.0], [7.0, 1.0])):
            moves = SimpleNamespace(z_level=np.array(levels), kind=np.ones(2))
            np.testing.assert_allclose(self.axial_depths(made, moves, 8.0, steps), axial)

    def test_heights_told_from_the_job(self) -> None:
        made = parse_job(self.stacked(0.3))
        operation, (area, below) = made.operations[0], made.regions
        self.assertAlmostEqual(cut_top(made, operation, below, 0.01), -7.7)
        self.assertEqual(cut_top(made, operation, area, 0.01), 0.0)
        self.assertEqual(floors_before(made, operation, below, 0.01), [])
        twice = parse_job(two_cutters({"allowance": {"wall": 0.2, "floor": 0.0}}))
        self.assertEqual(floors_before(twice, twice.operations[0], twice.regions[0], 0.01), [])
        self.assertEqual(floors_before(twice, twice.operations[1], twice.regions[0], 0.01), [-11.9])

    def test_what_must_come_first_is_told_of_those_that_are_asked(self) -> None:
        made = parse_job(self.stacked(0.0))
        self.assertEqual(forerunners(made, ["below", "area"], 0.01), {"area": set(), "below": {"area"}})
        self.assertEqual(forerunners(made, ["below"], 0.01), {"below": set()})
        # An operation may find nothing to cut.
        self.assertEqual(forerunners(made, [], 0.01), {})

    def test_each_step_is_held_to_its_own_area(self) -> None:
        """Steps of the upper area over the lower one have the upper one's depth, whichever is named first."""
        for names in (["area", "below"], ["below", "area"]):
            data = self.stacked(0.0)
            data["operations"][0]["regions"] = names
            row = rows(plan(parse_job(data)))[0]
            self.assertTrue(0.95 < row["max_over_target"] <= 1.05, row["max_over_target"])


class BesideTest(SimpleTestCase):
    """Two areas with a common edge that is open in the right-hand one."""

    def pair(self, left: float, right: float) -> Job:
        data = job(rectangle(30, 30))
        beside = {**data["regions"][0], "name": "beside", "outline": [[x + 30, y] for x, y in rectangle(30, 30)]}
        data["regions"] = [{**data["regions"][0], "bottom": left}, {**beside, "bottom": right}]
        outline = data["regions"][1]["outline"]
        edges = [k for k in range(4) if outline[k][0] == outline[(k + 1) % 4][0] == 30]
        self.assertEqual(len(edges), 1)
        data["regions"][1]["open_edges"] = edges
        data["stock"]["box"]["max"] = [70, 40, 0]
        data["operations"][0]["regions"] = ["beside", "area"]
        return parse_job(data)

    def test_a_higher_floor_is_a_wall(self) -> None:
        made = self.pair(-4, -8)
        space = job_space(made, made.regions[1], 20.0, 0.01)
        self.assertFalse(space.contains(shapely.Point(25, 15)))
        report = plan(made).report["operations"][0]
        self.assertEqual(report["gouge_mm"], 0)
        self.assertLessEqual(report["max_over_target"], 1.05)

    def test_a_deeper_area_stands_until_it_is_cut(self) -> None:
        made = self.pair(-8, -8)
        area = make_area(made, made.regions[1], 5.0, 0.0, 0.01, 0.01, 0.1)
        self.assertTrue(area.free.contains(shapely.Point(25, 15)))
        self.assertTrue(area.material.contains(shapely.Point(25, 15)))
        self.assertLessEqual(plan(made).report["operations"][0]["max_over_target"], 1.05)

    def test_on_a_part_an_area_that_lies_over_this_one_is_no_air_beyond_it(self) -> None:
        """A pocket that reaches out into what is left round the part: beyond its open edge that still stands."""
        data = job([[10, 10], [50, 10], [50, 30], [10, 30]])
        outside = {"name": "outside", "outline": rectangle(70, 60), "open_edges": "all", "bottom": -10,
                   "islands": [[[0, 0], [48, 0], [48, 60], [0, 60]]]}  # fmt: skip
        data["regions"] = [{**data["regions"][0], "open_edges": [1], "bottom": -5}, outside]
        data["stock"]["box"] = {"min": [0, 0, -20], "max": [70, 60, 0]}
        data["operations"][0]["regions"] = ["area", "outside"]
        for part, stands in ((None, False), ({"matrix": np.eye(4).tolist()}, True)):
            made = parse_job(data | ({"part": part} if part else {}))
            own = make_area(made, made.regions[0], 5.0, 0.0, 0.01, 0.01, 0.1)
            self.assertEqual(own.material.contains(shapely.Point(55, 20)), stands)
