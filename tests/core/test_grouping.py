"""Areas shared out by depth: what is promised against what is planned, orders, and where nothing is gained."""

import io
import json
import re
import tempfile
from contextlib import redirect_stdout
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase

from justbite import catalogue
from justbite.bite.solver import about, solve
from justbite.cli import main
from justbite.grouping import all_by_depth, shared_out, shares
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.plan import plan
from justbite.prepare import case_for
from tests.core.test_faced import face_over_pocket
from tests.core.test_path import job, rectangle


def two_depths() -> dict[str, Any]:
    """One operation for a large pocket of 10 mm and a small one of 38, on a machine of 4 kW."""
    data = job(rectangle(110, 80), ae=None, bottom=-10)
    deep = [[x + 120, y] for x, y in rectangle(60, 50)]
    data["regions"].append({**data["regions"][0], "name": "deep", "outline": deep, "bottom": -38})
    data["operations"][0]["regions"] = ["area", "deep"]
    data["tools"][0] |= {"diameter": 12, "flute_length": 26, "stickout": 45}
    data["stock"]["box"] = {"min": [-10, -10, -50], "max": [200, 100, 0]}
    data["machine"] = {**catalogue.machines()["harbour-mill"].model_dump(), "power_kw": 4.0}
    data["material"] = "carbon-steel"
    return data


def stairs(count: int) -> dict[str, Any]:
    """Steps 20 mm wide, each 4 mm deeper than the one before it."""
    data = job(rectangle(20, 50), ae=None, bottom=-4)
    first = data["regions"][0]
    data["regions"] = [
        {**first, "name": f"step {k}", "outline": [[x + 20 * k, y] for x, y in rectangle(20, 50)],
         "bottom": -4 * (k + 1)} for k in range(count)
    ]  # fmt: skip
    data["operations"][0]["regions"] = [r["name"] for r in data["regions"]]
    data["stock"]["box"] = {"min": [-10, -10, -4 * count - 10], "max": [20 * count + 10, 60, 0]}
    return data


class SharesTest(SimpleTestCase):
    def planned(self, made: Job) -> dict[str, Any]:
        return plan(made).report

    def test_what_is_promised_is_gained(self) -> None:
        """A deep pocket beside a shallow one; a face over a pocket."""
        for data in (two_depths(), face_over_pocket()):
            made = parse_job(data)
            together, apart = self.planned(made), self.planned(all_by_depth(made))
            (said,) = [w["sentence"] for w in together["warnings"] if w["code"] == "rule.by-depth"]
            self.assertNotIn("rule.by-depth", [w["code"] for w in apart["warnings"]])
            promised = float(re.findall(r"about (\d+) s", said)[0])
            self.assertGreater(together["seconds"] - apart["seconds"], 0.5 * promised)
            self.assertGreater(promised, 3.0)

    def test_a_pocket_takes_the_face_above_it_along_unless_it_is_to_come_after(self) -> None:
        face, pocket = ("rough, face", ["face"]), ("rough", ["pocket"])
        for after, expected in (([], [pocket, face]), (["face"], [face, pocket])):
            for names in (["face", "pocket"], ["pocket", "face"]):
                data = face_over_pocket() | {"material": "structural-steel"}
                data["regions"][1]["after"] = after
                data["operations"][0]["regions"] = names
                made = all_by_depth(parse_job(data)).operations
                self.assertEqual([(o.name, o.regions) for o in made], expected)

    def test_what_takes_a_face_along_keeps_it_where_that_is_quicker(self) -> None:
        """A pocket and a deeper one that it leads into, nearly as large as their face: in the order that was asked for,
        the face first, it is quicker by itself, but together with them in the order that is planned quicker still."""
        data = face_over_pocket() | {"material": "carbon-steel"}
        pocket = {**data["regions"][1], "outline": [[1, 1], [60, 1], [60, 59], [1, 59]], "open_edges": [1]}
        low = [[60, 1], [89, 1], [89, 59], [60, 59]]
        deeper = {**pocket, "name": "low", "outline": low, "open_edges": [3], "bottom": -12}
        data["regions"] = [data["regions"][0], pocket, deeper]
        data["operations"][0]["regions"] = ["face", "pocket", "low"]
        made = parse_job(data)
        self.assertEqual(all_by_depth(made), made)
        (one,) = made.operations
        groups = (("face", ["face"]), ("rough", ["pocket", "low"]))
        parted = [one.model_copy(update={"name": n, "regions": own}) for n, own in groups]
        apart = self.planned(made.model_copy(update={"operations": parted}))
        self.assertLess(self.planned(made)["seconds"], 0.9 * apart["seconds"])

    def test_what_is_shared_out_is_not_shared_out_again(self) -> None:
        made = all_by_depth(parse_job(two_depths()))
        self.assertEqual(len(made.operations), 2)
        self.assertEqual(all_by_depth(made), made)

    def test_what_was_cut_before_is_not_shared_out(self) -> None:
        data = two_depths()
        (first,) = data["operations"]
        data["operations"].append({**first, "name": "rest"})
        made = all_by_depth(parse_job(data))
        self.assertEqual([o.name for o in made.operations], ["rough, area", "rough", "rest"])

    def test_the_command_line_shares_out(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "job.json"
            file.write_text(json.dumps(two_depths()))
            for wish, count in (([], 1), (["--by-depth"], 2)):
                with redirect_stdout(io.StringIO()):
                    self.assertEqual(main(["plan", str(file), "--out", folder, *wish]), 0)
                report = json.loads((Path(folder) / "report.json").read_text())
                self.assertEqual(len(report["operations"]), count)

    def test_groups_wait_for_what_comes_before(self) -> None:
        """Two faces with a pocket below each: one pocket comes before the other's face."""
        data = face_over_pocket()
        face, pocket = data["regions"]
        pocket["after"] = ["face"]
        for region in (face, pocket):
            region["outline"] = [[2 * x, 2 * y] for x, y in region["outline"]]
        beside = {**face, "name": "face 2", "outline": [[x + 200, y] for x, y in face["outline"]], "after": ["pocket"]}
        data["regions"].append(beside)
        data["stock"]["box"]["max"] = [380, 120, 0]
        data["operations"][0]["regions"].append("face 2")
        made = parse_job(data)
        groups = shares(made, made.operations[0]).groups
        at = {name: k for k, group in enumerate(groups) for name in group}
        self.assertGreater(len(groups), 1)
        self.assertLessEqual(at["face"], at["pocket"])
        self.assertLessEqual(at["pocket"], at["face 2"])

    def test_each_further_operation_is_worth_it(self) -> None:
        """Stairs of eight depths do not become an operation each, and no area is lost.

        Planned they take 88.1 s in one operation, 82.4 in two, 83.4 in three and 81.8 in these four.
        """
        made = parse_job(stairs(8))
        groups = shares(made, made.operations[0]).groups
        self.assertLessEqual(len(groups), 4)
        self.assertEqual(sorted(n for g in groups for n in g), sorted(made.operations[0].regions))

    def test_what_is_pinned_would_be_the_same_alone(self) -> None:
        data = two_depths()
        data["operations"][0] |= {"bite": {"ae": 2.0}, "step_down": 19.0, "feed": 1500.0}
        made = parse_job(data)
        self.assertEqual(shared_out(made, made.operations[0]), made.operations)
        self.assertEqual([w for w in self.planned(made)["warnings"] if w["code"] == "rule.by-depth"], [])

    def test_a_bite_told_about_is_nearly_the_best(self) -> None:
        for data in (two_depths(), face_over_pocket(), stairs(5)):
            made = parse_job(data)
            case = case_for(made, made.operations[0])
            self.assertGreater(about(case).removal_rate, 0.96 * solve(case).removal_rate)
