"""What lies below an area cut from its top: which, which not, in which order, and what it saves."""

from typing import Any

import shapely
from django.test import SimpleTestCase

from justbite.from_top import in_order
from justbite.model.before import fresh_shape
from justbite.model.parse import parse_job
from justbite.plan import plan
from tests.core.test_faced import face_over_pocket
from tests.core.test_path import rectangle


def steel_face() -> dict[str, Any]:
    """Of `face_over_pocket`: in steel a wide cut is slow, so that it is worth most."""
    return face_over_pocket() | {"material": "structural-steel"}


def tops(data: dict[str, Any]) -> dict[str, float]:
    return {r.name: r.top for r in in_order(parse_job(data)).regions}


def pocket_in_pocket(material: str = "structural-steel") -> dict[str, Any]:
    """A face over a pocket of 10 mm over one of 4 mm, each in the one above it."""
    data = face_over_pocket() | {"material": material}
    deepest = {"name": "deepest", "outline": [[25, 18], [60, 18], [60, 42], [25, 42]], "top": -11, "bottom": -15}
    data["regions"].append(deepest)
    data["operations"][0]["regions"].append("deepest")
    return data


class FromTheTopTest(SimpleTestCase):
    def test_a_pocket_goes_up_to_its_face_s_top_and_before_it(self) -> None:
        made = in_order(parse_job(steel_face()))
        self.assertEqual(made.region("pocket").top, 0.0)
        self.assertEqual(made.region("face").after, ["pocket"])
        self.assertEqual(in_order(made), made)

    def test_one_in_another_goes_up_to_the_top_of_both(self) -> None:
        """In stainless, where a bite 15 mm deep is as wide as one 11 mm deep."""
        self.assertEqual(tops(pocket_in_pocket("stainless")), {"face": 0.0, "pocket": 0.0, "deepest": 0.0})

    def test_the_job_s_own_order_stays(self) -> None:
        data = pocket_in_pocket()
        data["regions"][1]["after"] = ["face"]
        self.assertEqual(tops(data), {"face": 0.0, "pocket": -1.0, "deepest": -1.0})
        # By way of a third area too.
        data = pocket_in_pocket()
        third = {"name": "third", "outline": [[2, 2], [14, 2], [14, 14], [2, 14]], "bottom": -5, "after": ["face"]}
        data["regions"].append(third)
        data["regions"][1]["after"] = ["third"]
        data["operations"][0]["regions"].append("third")
        self.assertEqual(tops(data)["pocket"], -1.0)

    def test_what_it_waits_for_goes_up_with_it(self) -> None:
        """A hole that would not be worth it by itself."""
        data = steel_face()
        hole = {"name": "hole", "outline": [[3, 3], [15, 3], [15, 15], [3, 15]], "top": -1, "bottom": -8}
        data["regions"].append(hole)
        data["operations"][0]["regions"].append("hole")
        self.assertEqual(tops(data), {"face": 0.0, "pocket": 0.0, "hole": -1.0})
        data["regions"][1]["after"] = ["hole"]
        self.assertEqual(tops(data), {"face": 0.0, "pocket": 0.0, "hole": 0.0})
        hole["after"] = ["face"]
        self.assertEqual(tops(data), {"face": 0.0, "pocket": -1.0, "hole": -1.0})

    def test_what_is_not_wholly_below_it_stays(self) -> None:
        data = steel_face()
        data["regions"][0]["outline"] = rectangle(69, 60)
        self.assertEqual(tops(data)["pocket"], -1.0)
        lower = steel_face()
        lower["regions"][1]["top"] = -1.5
        self.assertEqual(tops(lower)["pocket"], -1.5)

    def test_a_gap_that_passes_go_over_anyway_saves_nothing(self) -> None:
        """A hole hardly wider than the cutter in a face that is cut with 0.7 of it."""
        data = steel_face()
        data["regions"][1]["outline"] = [[40, 25], [52, 25], [52, 37], [40, 37]]
        self.assertEqual(tops(data)["pocket"], -1.0)

    def test_less_wide_than_the_bite_s_chord_a_strip_saves_nothing(self) -> None:
        """A shoulder along the face's edge, open to outside: in aluminium 3 mm are cut, over half a chord of 4.6."""
        for wide, top in ((4.0, -1.0), (30.0, 0.0)):
            data = face_over_pocket()
            data["regions"][1] |= {"outline": rectangle(wide, 60), "open_edges": [0, 2, 3]}
            self.assertEqual(tops(data)["pocket"], top)

    def test_the_order_of_operations_decides(self) -> None:
        data = steel_face()
        (first,) = data["operations"]
        face, pocket = ({**first, "name": n, "regions": [n]} for n in ("face", "pocket"))
        for operations, top in (([face, pocket], -1.0), ([pocket, face], 0.0)):
            # Even where it is too small to be worth it: what stands above it must be cut.
            for corner in (70, 40):
                data["regions"][1]["outline"] = [[20, 15], [corner, 15], [corner, 45], [20, 45]]
                self.assertEqual(tops(data | {"operations": operations})["pocket"], top)
        # Cut again later it still comes before.
        again = [pocket, face, {**first, "name": "rest"}]
        self.assertEqual(tops(data | {"operations": again})["pocket"], 0.0)

    def test_of_a_face_nothing_is_taken_by_what_begins_at_its_floor(self) -> None:
        made = parse_job(steel_face())
        self.assertAlmostEqual(fresh_shape(made, made.region("face"), 0.01).area, 90 * 60, places=6)
        ordered = in_order(made)
        self.assertAlmostEqual(fresh_shape(ordered, ordered.region("face"), 0.01).area, 90 * 60 - 50 * 30, places=6)

    def test_it_saves_minutes_and_leaves_the_same(self) -> None:
        """Against the face first, in one operation and each in one of its own."""
        wished = steel_face()
        wished["regions"][1]["after"] = ["face"]
        before, now = plan(parse_job(wished)).report, plan(parse_job(steel_face())).report
        (was,), (row,) = before["operations"], now["operations"]
        self.assertLess(now["seconds"], 0.95 * before["seconds"])
        for one in (was, row):
            self.assertLess(one["max_over_target"], 1.05)
            self.assertLess(one["left_over_share"], 0.001)
            self.assertEqual(one["gouge_mm"], 0.0)
        self.assertAlmostEqual(row["removed_mm3"], was["removed_mm3"], delta=0.001 * was["removed_mm3"])
        data = steel_face()
        (first,) = data["operations"]
        data["operations"] = [{**first, "name": n, "regions": [n]} for n in ("pocket", "face")]
        apart = plan(parse_job(data)).report
        self.assertLess(apart["seconds"], before["seconds"])
        self.assertEqual([w["code"] for w in apart["warnings"] if w["severity"] == "error"], [])
        self.assertEqual({row["gouge_mm"] for row in apart["operations"]}, {0.0})
        deep = shapely.box(20, 15, 70, 45).area * 10 + 90 * 60
        for report, said in ((before, []), (now, ["face"]), (apart, ["face"])):
            told = [w for w in report["warnings"] if w["code"] == "area.from-top"]
            self.assertEqual([w["area"] for w in told], said)
            self.assertTrue(all('"pocket"' in w["sentence"] for w in told))
        self.assertAlmostEqual(sum(row["removed_mm3"] for row in apart["operations"]), deep, delta=0.05 * deep)
