"""The heart: fields and kernels against closed forms, and whole plans measured by the proof."""

import json
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import Point, Polygon, box

from justbite.errors import NothingToCutError, StoppedError
from justbite.field.cleared import stamp, undo
from justbite.field.distance import signed_distance
from justbite.field.grid import Grid, read
from justbite.model.parse import parse_job
from justbite.path.contact import radial_depth
from justbite.path.fit import fit
from justbite.path.program import Feeds, Heights, over_is_quicker
from justbite.path.works import level_heights
from justbite.plan import Plan, plan

LOG = (np.empty(2_000_000, np.int32), np.empty(2_000_000, np.float32))


def job(outline: Any, diameter: float = 10, ae: float | None = 2.0, **region: Any) -> dict[str, Any]:
    """A job of one area, 8 mm deep, in a stock 10 mm larger all round."""
    points = np.array([p[:2] for p in outline])
    low, high = points.min(axis=0) - 10, points.max(axis=0) + 10
    return {
        "format": "justbite-job",
        "version": 1,
        "name": "test",
        "machine": "harbour-mill",
        "material": "aluminium-wrought",
        "tools": [{"number": 1, "diameter": diameter, "flutes": 3, "flute_length": 25, "stickout": 40}],
        "stock": {"box": {"min": [*low.tolist(), -15], "max": [*high.tolist(), 0]}},
        "regions": [{"name": "area", "outline": outline, "bottom": -8, **region}],
        "operations": [
            {"name": "rough", "regions": ["area"], "tool": 1, "bite": {"ae": ae} if ae else None, "tolerance": 0.01}
        ],
    }


def rectangle(w: float, h: float) -> list[list[float]]:
    return [[0, 0], [w, 0], [w, h], [0, h]]


class FieldTest(SimpleTestCase):
    def test_distance_against_shapely(self) -> None:
        """Of few long lines and of many short ones, over several squares and bands of nodes, within caps and beyond."""
        angles = np.linspace(0.0, 2.0 * math.pi, 900, endpoint=False)
        reach = 55.0 + 9.0 * np.sin(5.0 * angles) + 2.0 * np.sin(17.0 * angles)
        blob = Polygon(np.column_stack([reach * np.cos(angles), 1.2 * reach * np.sin(angles)]))
        corners = Polygon([(0, 0), (40, 0), (40, 10), (12, 14), (10, 30), (0, 30)])
        for shape, cell, cap in (
            (corners.difference(Point(8, 8).buffer(3)), 0.5, 4.0),
            (blob.difference(Point(-11, 21).buffer(17.0, quad_segs=64)), 0.55, 3.0),
            (blob.difference(Point(-11, 21).buffer(17.0, quad_segs=64)), 0.55, 30.0),
        ):
            x1, y1, x2, y2 = shape.bounds
            grid = Grid.over((x1 - 5, y1 - 5, x2 + 5, y2 + 5), cell)
            field = signed_distance(shape, grid, cap)
            xs, ys = np.meshgrid(grid.x0 + cell * np.arange(grid.nx), grid.y0 + cell * np.arange(grid.ny))
            points = shapely.points(xs, ys)
            expected = shapely.distance(shape.boundary, points) * np.where(shapely.contains(shape, points), 1, -1)
            np.testing.assert_allclose(field, np.clip(expected, -cap, cap), atol=1e-5)

    def test_a_stamp_can_be_taken_back(self) -> None:
        field = np.full((80, 80), 9.0, np.float32)
        before = field.copy()
        used, _ = stamp(field, 0.0, 0.0, 0.5, 10.0, 20.0, 30.0, 20.0, 5.0, False, *LOG, 0)
        self.assertLess(read(field, 0.0, 0.0, 0.5, 20.0, 20.0), 0)
        self.assertAlmostEqual(read(field, 0.0, 0.0, 0.5, 20.0, 25.7), 0.7, places=2)
        undo(field, *LOG, used, 0)
        np.testing.assert_array_equal(field, before)

    def test_radial_depth_is_that_of_a_side_cut(self) -> None:
        """Half plane of material y > 0: a cutter moving along +x with its edge ae into it takes ae."""
        grid = Grid.over((-20, -20, 20, 20), 0.25)
        field = signed_distance(box(-50, 0, 50, 50), grid, 9.0)
        frame = (grid.x0, grid.y0, grid.cell)
        for ae in (0.5, 1.0, 2.5, 5.0, 9.0):
            got = radial_depth(field, *frame, 0.0, ae - 5.0, 1.0, 0.0, 5.0, 0.0)
            self.assertAlmostEqual(got, ae, delta=0.01)


class FitTest(SimpleTestCase):
    def test_lines_and_arcs_are_found_and_keep_the_tolerance(self) -> None:
        angles = np.linspace(0, math.pi / 2, 60)
        line = np.column_stack([np.linspace(0, 20, 80), np.zeros(80)])
        arc = np.column_stack([20 + 7 * np.sin(angles), 7 - 7 * np.cos(angles)])
        points = np.vstack([line, arc[1:]])
        rows = fit(points, 0.002)
        self.assertLessEqual(len(rows), 4)
        self.assertEqual({int(k) for k in rows[:, 1]}, {1, 3})
        centre = rows[rows[:, 1] == 3][-1, 2:]
        np.testing.assert_allclose(centre, [20, 7], atol=0.02)

    def test_the_quicker_link_is_taken(self) -> None:
        feeds = Feeds(cut=3000, entry=1000, link=10_000, rapid=20_000, ramp=0.05, acceleration=4000)
        heights = Heights(travel=10, gap=1, hover=0.3)
        short = np.array([[0.0, 0.0], [15.0, 0.0], [20.0, 0.0]])
        self.assertFalse(over_is_quicker(short, 1, 0, -18, heights, feeds))
        self.assertTrue(over_is_quicker(short * 40, 1, 0, -18, heights, replace(feeds, link=2000)))

    def test_levels_are_equal(self) -> None:
        np.testing.assert_allclose(level_heights(0, -20, 9), [-20 / 3, -40 / 3, -20])
        self.assertEqual(level_heights(-2, -10, 8), [-10])


class PlanTest(SimpleTestCase):
    """Bounds of issue and trade, measured from the NC text."""

    def planned(self, data: dict[str, Any]) -> Plan:
        return plan(parse_job(data))

    def check(self, data: dict[str, Any], left: float = 0.003) -> dict[str, Any]:
        result = self.planned(data)
        row = result.report["operations"][0]
        self.assertLessEqual(row["max_over_target"], 1.10)
        self.assertLessEqual(row["p999_over_target"], 1.05)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLessEqual(row["rapid_in_stock_mm"], 0.01)
        self.assertLessEqual(row["left_over_share"], left)
        self.assertGreater(row["removed_mm3"], 0)
        return row

    def test_closed_pocket(self) -> None:
        row = self.check(job(rectangle(60, 45)))
        expected = (60 * 45 - (4 - math.pi) * 25) * 8
        self.assertAlmostEqual(row["removed_mm3"], expected, delta=0.01 * expected)
        self.assertGreater(row["within_share"], 0.7)
        # No path can be quicker than its volume over its own removal rate.
        self.assertGreater(row["cut_seconds"] + row["entry_seconds"], 0.97 * row["ideal_seconds"])

    def test_island_and_two_levels(self) -> None:
        data = job(rectangle(60, 50), islands=[[[25, 20], [38, 22], [36, 34], [24, 30]]])
        data["operations"][0].update(step_down=4, allowance={"wall": 0.3, "floor": 0.2})
        row = self.check(data)
        self.assertEqual(row["levels"], [-3.9, -7.8])

    def test_boss_from_outside(self) -> None:
        data = job(rectangle(60, 50), islands=[[[20, 25, 1], [40, 25, 1]]], open_edges="all")
        data["stock"]["box"] = {"min": [0, 0, -15], "max": [60, 50, 0]}
        row = self.check(data)
        self.assertLess(row["entry_seconds"], 1.0)

    def test_slow_links_go_over_the_part_and_touch_nothing(self) -> None:
        data = job(rectangle(80, 60), islands=[[[35, 25], [44, 25], [44, 34], [35, 34]]])
        data["operations"][0]["return_feed"] = 300
        self.check(data)
        slow = self.planned(data).program.count("\nG0")
        del data["operations"][0]["return_feed"]
        self.assertGreater(slow, 2 * self.planned(data).program.count("\nG0"))

    def test_a_ramp_where_no_helix_fits(self) -> None:
        data = job(rectangle(50, 11.4))
        result = self.planned(data)
        self.assertIn("entry.ramp", [w["code"] for w in result.report["warnings"]])
        row = result.report["operations"][0]
        self.assertEqual((row["gouge_mm"], row["rapid_in_stock_mm"]), (0, 0))
        self.assertLess(row["left_over_share"], 0.01)
        self.assertLessEqual(row["max_over_target"], 1.10)

    def test_a_pin_in_every_corner_and_each_cutter(self) -> None:
        pins = [[[x - 3, y, 1], [x + 3, y, 1]] for x in (16, 54) for y in (14, 36)]
        for diameter, share in ((6, 0.1), (8, 0.3)):
            data = job(rectangle(70, 50), diameter=diameter, islands=pins)
            data["operations"][0]["bite"] = {"share": share}
            self.check(data)

    def test_open_trough_and_narrow_slot(self) -> None:
        self.check(job(rectangle(80, 26), open_edges=[1]))
        # Sharp corners of a slot barely wider than the cutter are the engine's weak spot.
        self.check(job(rectangle(50, 12.5)), left=0.01)

    def test_two_rooms_joined_by_a_neck_too_narrow_to_pass(self) -> None:
        outline = [[0, 0], [30, 0], [30, 12], [40, 12], [40, 0], [70, 0], [70, 30], [40, 30], [40, 18], [30, 18],
                   [30, 30], [0, 30]]  # fmt: skip
        result = self.planned(job(outline))
        codes = [w["code"] for w in result.report["warnings"]]
        self.assertIn("area.unreached", codes)
        self.assertLess(result.report["operations"][0]["left_over_share"], 0.005)

    def test_cutter_wider_than_the_area_is_a_finding_and_the_rest_is_cut(self) -> None:
        data = job(rectangle(40, 30))
        data["regions"].append({"name": "crack", "outline": [[60, 0], [66, 0], [66, 20], [60, 20]], "bottom": -8})
        data["stock"]["box"]["max"][0] = 80
        data["operations"][0]["regions"] = ["area", "crack"]
        warnings = self.planned(data).report["warnings"]
        said = [w for w in warnings if w["code"] == "area.no-entry"]
        self.assertEqual([w["area"] for w in said], ["crack"])
        self.assertAlmostEqual(said[0]["size"], 6.0, places=2)
        data["operations"][0]["regions"] = ["crack"]
        with self.assertRaises(NothingToCutError) as caught:
            self.planned(data)
        self.assertIn("too narrow for the 10 mm cutter", str(caught.exception))

    def test_stop_comes_through_from_inside_a_level(self) -> None:
        shares: list[float] = []

        def progress(share: float, what: str) -> None:
            shares.append(share)
            if share > 0.2:
                raise StoppedError("Planning was stopped.")

        with self.assertRaises(StoppedError):
            plan(parse_job(job(rectangle(120, 90))), progress)
        self.assertGreater(len(shares), 3)
        self.assertEqual(shares, sorted(shares))

    def test_same_job_same_program(self) -> None:
        data = job(rectangle(35, 30))
        self.assertEqual(self.planned(data).program, self.planned(data).program)

    def test_a_small_cutter_on_a_slow_spindle(self) -> None:
        data = job(rectangle(16, 12), diameter=3, ae=None)
        data["tools"][0].update(flute_length=9, stickout=20)
        data["machine"] = "slow-giant"
        # A bite of a tenth of R still leaves a little in a sharp corner: docs/methods/engine.md.
        row = self.check(data, left=0.006)
        self.assertEqual(row["bite"]["speed"], 6000)

    def test_demo_jobs(self) -> None:
        for name in ("float-yoke", "gauge-base"):
            data = json.loads((Path(__file__).parents[2] / "demo" / f"{name}.json").read_text())
            report = self.planned(data).report
            self.assertEqual([w for w in report["warnings"] if w["severity"] == "error"], [])
            self.assertGreaterEqual(report["seconds"], report["limit_seconds"])


class StockAndKeepOutTest(SimpleTestCase):
    """What the stock's shape, keep-outs and what was cut before do to the path; measured by the proof."""

    def planned(self, **changes: Any) -> tuple[dict[str, Any], Plan]:
        data = job(rectangle(60, 40))
        extra = changes.pop("region", {})
        data["regions"][0] |= extra
        data["regions"] += changes.pop("regions", [])
        made = plan(parse_job({**data, **changes}))
        return made.report["operations"][0], made

    def sound(self, row: dict[str, Any]) -> None:
        self.assertLessEqual(row["max_over_target"], 1.06)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLess(row["rapid_in_stock_mm"], 0.02)
        self.assertLess(row["left_over_share"], 0.003)

    def test_the_cutter_stays_out_of_a_clamp_and_it_is_said(self) -> None:
        clamp = {"name": "clamp", "outline": [[-5, -5], [18, -5], [18, 12], [-5, 12]], "top": 15}
        row, made = self.planned(keep_outs=[clamp])
        self.sound(row)
        low = made.trace.position[:, 2] < 15
        far = shapely.distance(shapely.points(made.trace.position[low, :2]), box(-5, -5, 18, 12))
        self.assertGreaterEqual(float(far.min()), 5.0)
        self.assertGreater(float(made.trace.position[:, 2].max()), 15.0)
        self.assertIn("area.keep-out", {w["code"] for w in made.report["warnings"]})
        with self.assertRaisesMessage(Exception, "travel height"):
            self.planned(keep_outs=[clamp], travel_height=14)

    def test_a_keep_out_below_the_floor_is_not_in_the_way(self) -> None:
        jaw = {"name": "jaw", "outline": [[-5, -5], [18, -5], [18, 12], [-5, 12]], "top": -9}
        _, made = self.planned(keep_outs=[jaw])
        self.assertNotIn("area.keep-out", {w["code"] for w in made.report["warnings"]})

    def test_no_air_is_cut_where_the_stock_ends(self) -> None:
        whole, _ = self.planned()
        half = {"outline": {"outline": [[30, -10], [80, -10], [80, 60], [30, 60]], "bottom": -20, "top": 0}}
        row, _ = self.planned(stock=half)
        self.sound(row)
        self.assertAlmostEqual(row["removed_mm3"] / whole["removed_mm3"], 0.5, delta=0.01)
        # Air that was cut would be time in the cut; links are not meant here.
        self.assertLess(row["cut_seconds"], 0.62 * whole["cut_seconds"])
        # Nor is it time in the way in, a ramp from where the stock ends.
        spent, all_of = (r["cut_seconds"] + r["entry_seconds"] for r in (row, whole))
        self.assertLess(spent, 0.62 * all_of)
        # In steel too.
        hard, all_hard = (
            self.planned(stock=s, material="carbon-steel")[0] for s in (half, job(rectangle(60, 40))["stock"])
        )
        self.sound(hard)
        self.assertLess(
            hard["cut_seconds"] + hard["entry_seconds"], 0.62 * (all_hard["cut_seconds"] + all_hard["entry_seconds"])
        )

    def test_round_stock_lying_and_standing(self) -> None:
        upright = {"cylinder": {"centre": [30, 20], "diameter": 50, "low": -20, "high": 0}}
        row, _ = self.planned(stock=upright)
        self.sound(row)
        within = Point(30, 20).buffer(25, quad_segs=64).intersection(box(0, 0, 60, 40)).area
        self.assertAlmostEqual(row["removed_mm3"] / (8 * within), 1.0, delta=0.01)
        lying = {"cylinder": {"axis": "x", "centre": [20, -25], "diameter": 50, "low": 0, "high": 60}}
        row, _ = self.planned(stock=lying, region={"open_edges": [1, 3]})
        self.assertEqual(row["gouge_mm"], 0)
        self.assertLess(row["removed_mm3"], 8 * 60 * 40)

    def test_it_starts_in_a_hole_that_is_there(self) -> None:
        operations = job(rectangle(60, 40))["operations"]
        operations[0]["entry"] = "helix"
        helix, _ = self.planned(operations=operations, region={"start": [27, 20]})
        hole = {"name": "drilled", "outline": [[20, 20, 1], [34, 20, 1]], "top": 0, "bottom": -12}
        row, _ = self.planned(region={"after": ["drilled"]}, regions=[hole])
        self.sound(row)
        self.assertLess(row["entry_seconds"], 0.1)
        # What the entry took is saved, but for the part that now has to be cut from the smaller hole.
        self.assertLess(row["seconds"], helix["seconds"] - 0.5 * helix["entry_seconds"])

    def test_floors_in_between_get_a_level_each(self) -> None:
        self.assertEqual(level_heights(0, -12, 5, (-3,)), [-3, -7.5, -12])
        row, _ = self.planned(region={"floors": [-3.5]})
        self.assertEqual(row["levels"], [-3.5, -8.0])
        self.sound(row)

    def test_what_lies_above_is_cut_first(self) -> None:
        """A pocket in the floor of another, named first: nothing is cut twice, nothing too deep."""
        data = job([[20, 10], [44, 10], [44, 30], [20, 30]], bottom=-13, top=-8)
        data["regions"].append({"name": "upper", "outline": rectangle(60, 40), "bottom": -8})
        data["stock"]["box"] = {"min": [-10, -10, -20], "max": [70, 50, 0]}
        data["operations"][0]["regions"] = ["area", "upper"]
        made = plan(parse_job(data))
        self.sound(made.report["operations"][0])
        self.assertNotIn("area.outside-stock", {w["code"] for w in made.report["warnings"]})
        z = made.trace.position[made.trace.share > 0][:, 2]
        self.assertGreater(float(z[: len(z) // 4].min()), -8.01)

    def test_what_lies_above_and_is_cut_by_a_later_operation_is_an_error(self) -> None:
        data = job([[20, 10], [44, 10], [44, 30], [20, 30]], bottom=-13, top=-8)
        data["regions"].append({"name": "upper", "outline": rectangle(60, 40), "bottom": -8})
        # It is to come after; else it is cut from the top, with what is above it.
        data["regions"][0]["after"] = ["upper"]
        data["stock"]["box"] = {"min": [-10, -10, -20], "max": [70, 50, 0]}
        lower, upper = data["operations"][0], {**data["operations"][0], "name": "first", "regions": ["upper"]}
        for operations, told in (([lower, upper], True), ([upper, lower], False)):
            found = plan(parse_job({**data, "operations": operations})).report["warnings"]
            order = [w for w in found if w["code"] == "area.order"]
            self.assertEqual(bool(order), told)
            self.assertNotIn("area.outside-stock", {w["code"] for w in found})
            # And the proof finds that it is so.
            self.assertEqual("proof.entry-load" in {w["code"] for w in found}, told)
            if told:
                self.assertIn('only "first" cuts, after "rough"', order[0]["sentence"])
                self.assertEqual((order[0]["severity"], order[0]["area"]), ("error", "area"))


class WorkOffsetTest(SimpleTestCase):
    def test_the_program_selects_the_jobs_work_offset(self) -> None:
        for offset in ("G54", "G57", "G54.1 P3"):
            data = job(rectangle(20, 16))
            data["setup"] = {"work_offset": offset}
            made = plan(parse_job(data))
            self.assertIn(f"\n{offset}\n", made.program)
            self.assertEqual([line for line in made.program.splitlines() if line.startswith("G5")], [offset])
            self.assertEqual(made.report["operations"][0]["gouge_mm"], 0)
        data["setup"] = {"work_offset": "G12"}
        with self.assertRaisesMessage(Exception, "work offset"):
            parse_job(data)
