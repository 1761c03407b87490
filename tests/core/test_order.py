"""Deeper areas before shallower ones that are open to them, and of those as deep one: which, and what it saves."""

from typing import Any
from unittest import mock

from django.test import SimpleTestCase

from justbite.model.parse import parse_job
from justbite.model.shapes import region_shape
from justbite.order import deeper_first
from justbite.path.works import _gone_before
from justbite.plan import plan
from tests.core.test_path import job, rectangle

CHORD = 0.01


def shelf_and_deep(open_edge: int = 1) -> dict[str, Any]:
    """A shelf of 5 mm, open (edge 1) onto a pocket of 15 mm that begins at its right side."""
    data = job(rectangle(60, 50), ae=2.0, bottom=-5)
    shelf = data["regions"][0] | {"name": "shelf", "open_edges": [open_edge]}
    deep = {**shelf, "name": "deep", "outline": [[x + 60, y] for x, y in rectangle(40, 50)], "open_edges": [],
            "bottom": -15}  # fmt: skip
    data["regions"] = [shelf, deep]
    data["operations"][0]["regions"] = ["shelf", "deep"]
    data["stock"]["box"] = {"min": [-10, -10, -25], "max": [110, 60, 0]}
    return data


def halves(open_edge: int = 3) -> dict[str, Any]:
    """The two as deep as each other and open to each other; the shelf by one more edge, on its left."""
    data = shelf_and_deep()
    data["regions"][0] |= {"open_edges": [1, open_edge], "bottom": -8}
    data["regions"][1] |= {"open_edges": [3], "bottom": -8}
    data["stock"]["box"]["min"] = [0, -10, -25]
    return data


def after(data: dict[str, Any]) -> dict[str, list[str]]:
    return {r.name: r.after for r in deeper_first(parse_job(data), CHORD).regions}


class OrderTest(SimpleTestCase):
    def test_what_an_open_edge_leads_into_comes_before(self) -> None:
        self.assertEqual(after(shelf_and_deep()), {"shelf": ["deep"], "deep": []})
        # The edge on the other side leads nowhere.
        self.assertEqual(after(shelf_and_deep(3)), {"shelf": [], "deep": []})

    def test_what_does_not(self) -> None:
        lower = shelf_and_deep()
        lower["regions"][1] |= {"top": -5}
        self.assertEqual(after(lower)["shelf"], [], "it has nothing of what stands before the edge")
        begins_lower = halves()
        begins_lower["regions"][1]["top"] = -1
        self.assertEqual(after(begins_lower), {"shelf": [], "deep": []}, "as deep, but it stands less high")
        away = shelf_and_deep()
        away["regions"][1]["outline"] = [[x + 40, y] for x, y in away["regions"][1]["outline"]]
        self.assertEqual(after(away)["shelf"], [])

    def test_of_those_as_deep_the_one_that_is_more_in_the_open(self) -> None:
        self.assertEqual(after(halves()), {"shelf": [], "deep": ["shelf"]})
        other = halves()
        other["regions"].reverse()
        self.assertEqual(after(other), {"shelf": [], "deep": ["shelf"]})
        # Where the shelf leads nowhere else the other one goes first, since it is open at its far end.
        other["regions"][0]["open_edges"], other["regions"][1]["open_edges"] = [1, 3], [1]
        self.assertEqual(after(other), {"shelf": ["deep"], "deep": []})
        # Not both after each other, nor against the job's own order.
        wished = halves()
        wished["regions"][0]["after"] = ["deep"]
        self.assertEqual(after(wished), {"shelf": ["deep"], "deep": []})

    def test_the_job_s_own_order_stays(self) -> None:
        wished = shelf_and_deep()
        wished["regions"][1]["after"] = ["shelf"]
        self.assertEqual(after(wished), {"shelf": [], "deep": ["shelf"]})
        # By way of a third area too.
        third = {**wished["regions"][1], "name": "third", "after": ["shelf"], "open_edges": [],
                 "outline": [[x, y + 100] for x, y in rectangle(20, 20)]}  # fmt: skip
        wished["regions"][1]["after"] = ["third"]
        wished["regions"].append(third)
        wished["operations"][0]["regions"].append("third")
        self.assertEqual(after(wished)["shelf"], [])
        # A face lies over the pocket and comes before it, whatever its open edges lead into.
        above = shelf_and_deep()
        above["regions"][0] |= {"outline": rectangle(100, 50), "open_edges": "all", "bottom": -1}
        above["regions"][1] |= {"top": -1}
        self.assertEqual(after(above)["shelf"], [])

    def test_only_what_is_cut_by_then(self) -> None:
        data = shelf_and_deep()
        (first,) = data["operations"]
        shelf, deep = ({**first, "name": n, "regions": [n]} for n in ("shelf", "deep"))
        data["operations"] = [shelf, deep]
        self.assertEqual(after(data)["shelf"], [])
        data["operations"] = [deep, shelf]
        self.assertEqual(after(data)["shelf"], ["deep"])
        # Where it is cut again later it still was not there before.
        data["operations"] = [shelf, {**first, "name": "both"}]
        self.assertEqual(after(data)["shelf"], [])
        data["operations"] = [shelf]
        self.assertEqual(after(data)["shelf"], [], "nobody cuts it")

    def test_it_saves_the_way_in_and_keeps_the_bite(self) -> None:
        """Against the shelf first, as it was: it needs a helix, and all of its passes begin at walls."""
        data = shelf_and_deep()
        data["regions"][0]["bottom"] = -12
        quick = plan(parse_job(data)).report
        data["regions"][1]["after"] = ["shelf"]
        slow = plan(parse_job(data)).report
        self.assertLess(quick["seconds"], 0.95 * slow["seconds"])
        (row,) = quick["operations"]
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertEqual(row["gouge_mm"], 0)
        self.assertEqual([w["code"] for w in quick["warnings"] if w["severity"] == "error"], [])

    def test_what_lies_before_the_edges_of_two_as_deep_is_cut_once(self) -> None:
        """Against each as if the other stood, as it was."""
        quick = plan(parse_job(halves())).report
        with mock.patch("justbite.order.as_deep", return_value=False):
            slow = plan(parse_job(halves())).report
        self.assertLess(quick["seconds"], 0.9 * slow["seconds"])
        (row,) = quick["operations"]
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertEqual([w["code"] for w in quick["warnings"] if w["severity"] == "error"], [])
        volumes = [report["operations"][0]["removed_mm3"] for report in (quick, slow)]
        self.assertAlmostEqual(volumes[0] / volumes[1], 1.0, delta=0.002)

    def test_nothing_is_gone_of_what_stands_higher_than_the_first_one_begins(self) -> None:
        """Under a face that leaves 0.2 mm on its floor the other half begins so much higher."""
        data = halves()
        for region in data["regions"]:
            region["top"] = -1
        data["operations"][0]["allowance"] = {"wall": 0.3, "floor": 0.2}
        strips = []
        for covered in (False, True):
            if covered:
                face = {"name": "face", "outline": data["regions"][1]["outline"], "open_edges": "all", "bottom": -1}
                data["regions"].append(face)
                data["operations"][0]["regions"].append("face")
            made = deeper_first(parse_job(data), CHORD)
            self.assertEqual([n for n in made.region("deep").after if n != "face"], ["shelf"])
            gone = _gone_before(made, made.operations[0], made.region("deep"), 0.01, CHORD)
            strips.append(gone.intersection(region_shape(made.region("deep"), CHORD)).area)
        self.assertGreater(strips[0], 300.0)
        self.assertEqual(strips[1], 0.0)

    def test_a_narrow_place_beside_what_is_gone_is_told_as_out_of_reach(self) -> None:
        """A step that lies over the deep pocket but for a tab of 3 x 1 mm: nothing is left that the cutter comes to."""
        data = shelf_and_deep()
        right = [[100, 0], [100, 20], [103, 20], [103, 21], [100, 21], [100, 50]]
        step = {"name": "step", "outline": [[60, 0], *right, [60, 50]], "bottom": -10}
        data["regions"].append(step)
        data["operations"][0]["regions"].append("step")
        self.assertEqual(after(data)["step"], ["deep"])
        codes = [(w["code"], w["area"]) for w in plan(parse_job(data)).report["warnings"]]
        self.assertIn(("area.unreached", "step"), codes)
        self.assertNotIn(("area.no-entry", "step"), codes)
        self.assertNotIn(("area.outside-stock", "step"), codes)
