"""Areas that lead into one another: what the one before left on its wall stands before the next one's open edge."""

import math
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.path.area import SEAM, comes_to, make_area
from justbite.path.works import _gone_before
from justbite.plan import plan
from tests.core.test_path import job, rectangle

WALL = 0.3
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
        gone = _gone_before(made, operation, region, CHORD)
        return make_area(made, region, radius, WALL, 0.005, CHORD, 0.1, gone)

    def test_what_a_cutter_comes_to(self) -> None:
        """60 x 20 mm with one wall: less the allowance on it; and in a pocket its corners, R^2 (1 - pi/4) each."""
        made = parse_job(stairs())
        taken = comes_to(made, made.region("low"), 5.0, WALL, CHORD)
        self.assertAlmostEqual(taken.area, 60 * (20 - WALL), delta=0.02)
        closed = stairs()
        closed["regions"][0]["open_edges"] = []
        made = parse_job(closed)
        taken = comes_to(made, made.region("low"), 5.0, WALL, CHORD)
        corners = 4 * 25 * (1 - math.pi / 4)
        self.assertAlmostEqual(taken.area, (60 - 2 * WALL) * (20 - 2 * WALL) - corners, delta=0.05)

    def test_the_allowance_before_the_edge_is_material(self) -> None:
        strip = self.area(parse_job(stairs())).material.difference(shapely.box(-1, 20, 61, 41))
        self.assertAlmostEqual(strip.area, 60 * WALL, delta=0.02)
        np.testing.assert_allclose(strip.bounds, (0, 20 - WALL, 60, 20), atol=2 * SEAM)

    def test_what_no_operation_cuts_is_gone_as_it_is_drawn(self) -> None:
        data = stairs()
        data["operations"][0]["regions"] = ["high"]
        made = parse_job(data)
        gone = _gone_before(made, made.operations[0], made.region("high"), CHORD)
        self.assertTrue(gone.covers(shapely.box(1, 1, 59, 19)))
        self.assertAlmostEqual(self.area(made).material.area, 60 * 20, delta=0.01)

    def test_what_an_earlier_operation_cut_is_told_by_what_it_swept(self) -> None:
        data = stairs()
        first = data["operations"][0]
        data["operations"] = [{**first, "regions": ["low"]}, {**first, "name": "then", "regions": ["high"]}]
        made = parse_job(data)
        self.assertTrue(_gone_before(made, made.operations[1], made.region("high"), CHORD).is_empty)
        for row in plan(made).report["operations"]:
            self.assertLessEqual(row["max_over_target"], 1.05)

    def test_a_shallower_area_before_takes_nothing_away(self) -> None:
        data = stairs()
        data["regions"][0]["bottom"] = -4
        made = parse_job(data)
        self.assertTrue(_gone_before(made, made.operations[0], made.region("high"), CHORD).is_empty)

    def test_borders_that_are_one_leave_no_seam(self) -> None:
        (whole,) = shapely.get_parts(self.area(parse_job(rings())).material)
        outer, inner = (np.hypot(*(np.asarray(r.coords) - 20.0).T) for r in (whole.exterior, *whole.interiors))
        np.testing.assert_allclose(outer, 14 + WALL, atol=0.01)
        np.testing.assert_allclose(inner, 8, atol=0.01)

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
