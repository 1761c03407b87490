"""The command line: what is written, what is told, and that bad input is refused whole."""

import contextlib
import io
import json
import tempfile
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.test import SimpleTestCase
from shapely.errors import GEOSException

from justbite.cli import main
from justbite.errors import JobError
from justbite.nc.reader import read_program
from justbite.path import rough
from justbite.summary import lines, minutes
from tests.core.test_path import job, rectangle


class CommandLineTest(SimpleTestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def run_main(self, *arguments: str) -> tuple[int, str, str]:
        """Exit code, and what is printed as told and as faults."""
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main(list(arguments))
        return code, out.getvalue(), err.getvalue()

    def run_plan(self, data: Any) -> tuple[int, str, str]:
        """The same of planning a job file of these words."""
        (self.folder / "job.json").write_text(data if isinstance(data, str) else json.dumps(data))
        return self.run_main("plan", str(self.folder / "job.json"), "--out", str(self.folder / "out"))

    def test_a_fault_of_ours_names_the_area(self) -> None:
        """Of two, one of which the geometry library gives up on; a fault of the job's is told as it is."""
        data = job(rectangle(30, 25))
        data["regions"].append({"name": "second", "outline": [[40, 0], [60, 0], [60, 20], [40, 20]], "bottom": -4})
        data["operations"][0]["regions"].append("second")
        real = rough.works_on

        def breaking(fault: Exception) -> Any:
            def works_on(made: Any, operation: Any, name: str, *rest: Any) -> Any:
                if name == "second":
                    raise fault
                return real(made, operation, name, *rest)

            return patch.object(rough, "works_on", works_on)

        with breaking(GEOSException("side location conflict")):
            code, told, faults = self.run_plan(data)
        self.assertEqual((code, told), (2, ""))
        first, *note = faults.splitlines()
        self.assertIn('The planner failed on area "second" of "rough".', first)
        self.assertIn("side location conflict", note[-1])
        self.assertFalse((self.folder / "out" / "program.nc").exists())
        with breaking(JobError("The borders are wrong.")):
            self.assertEqual(self.run_plan(data)[2], "The borders are wrong.\n")

    def test_program_and_report_are_written_and_their_figures_told(self) -> None:
        code, told, faults = self.run_plan(job(rectangle(30, 25)))
        self.assertEqual((code, faults), (0, ""))
        report = json.loads((self.folder / "out" / "report.json").read_text())
        program = (self.folder / "out" / "program.nc").read_text()
        self.assertTrue(program.startswith("%"))
        self.assertGreater(len(read_program(program)), 50)
        for key in ("seconds", "warnings", "ideal_seconds", "limit_seconds"):
            self.assertIn(key, report)
        row = report["operations"][0]
        names = ["name", "seconds", "cut_seconds", "link_seconds", "removed_mm3", "cut_length", "target_engagement_deg",
                 "max_engagement_deg", "p99_engagement_deg", "compute_seconds", "levels", "limits"]  # fmt: skip
        self.assertEqual([n for n in names if n not in row], [])
        self.assertLessEqual({"name", "value", "ceiling", "unit", "share", "binds"}, set(row["limits"][0]))
        first, bite, measured, left, whole = told.splitlines()[:5]
        self.assertIn(f"rough: {minutes(row['seconds'])} (cuts {minutes(row['cut_seconds'])}", first)
        self.assertIn(f"{row['seconds'] / row['ideal_seconds']:.3f} of the time at full bite", bite)
        self.assertIn(f"most {row['max_over_target']:.3f}", measured)
        self.assertIn(f"left over {100 * row['left_over_share']:.3f} %", left)
        self.assertIn(f"{minutes(report['seconds'])} in all", whole)
        self.assertEqual(told, "\n".join(lines(report)) + "\n")

    def test_each_finding_is_told_once_the_gravest_first(self) -> None:
        found = [
            {"severity": s, "sentence": said, "hint": "Do this."}
            for s, said in (("note", "A note."), ("warning", "It is narrow."), ("error", "Stop."), ("note", "A note."))
        ]
        report = {"operations": [], "blocks": 7, "seconds": 65.2, "limit_seconds": 59.6, "warnings": found}
        self.assertEqual(
            list(lines(report)),
            [
                "1:05 in all, physical limit 1:00; 7 blocks", "error: Stop. Do this.",
                "warning: It is narrow. Do this.", "note: A note. (2 places) Do this.",
            ],
        )  # fmt: skip

    def test_bad_input_is_refused_with_a_sentence_and_nothing_is_written(self) -> None:
        wrong = job(rectangle(35, 30))
        wrong["regions"][0]["bottom"], wrong["tools"][0]["diameter"] = 3, -1
        unknown = job(rectangle(30, 25)) | {"material": "cheese"}
        narrow = job(rectangle(8, 8))
        for data, said, count in (("{", "JSON", 1), (unknown, "cheese", 1), (narrow, "too narrow", 1), (wrong, "", 2)):
            code, told, faults = self.run_plan(data)
            self.assertEqual((code, told), (2, ""))
            self.assertIn(said, faults)
            self.assertEqual(len(faults.strip().splitlines()), count)
            self.assertFalse((self.folder / "out").exists())
        code, _, faults = self.run_main("plan", str(self.folder / "none.json"), "--out", str(self.folder))
        self.assertEqual(code, 2)
        self.assertIn("none.json", faults)

    def test_schema_is_json(self) -> None:
        code, out, _ = self.run_main("schema")
        self.assertEqual((code, json.loads(out)["title"]), (0, "Job"))
