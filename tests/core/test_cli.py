"""The command line: what is written, what is told, and that bad input is refused whole."""

import contextlib
import io
import json
import tempfile
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase

from justbite.cli import main
from justbite.nc.reader import read_program
from justbite.summary import lines, minutes
from tests.core.test_path import job, rectangle


class PlanCommandTest(SimpleTestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def run_plan(self, data: Any) -> tuple[int, str, str]:
        """Exit code and what is printed for a job file of these words."""
        (self.folder / "job.json").write_text(data if isinstance(data, str) else json.dumps(data))
        told, faults = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(told), contextlib.redirect_stderr(faults):
            code = main(["plan", str(self.folder / "job.json"), "--out", str(self.folder / "out")])
        return code, told.getvalue(), faults.getvalue()

    def test_program_and_report_are_written_and_their_figures_told(self) -> None:
        code, told, faults = self.run_plan(job(rectangle(30, 25)))
        self.assertEqual((code, faults), (0, ""))
        report = json.loads((self.folder / "out" / "report.json").read_text())
        self.assertGreater(len(read_program((self.folder / "out" / "program.nc").read_text())), 50)
        row = report["operations"][0]
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
        narrow = job(rectangle(30, 25)) | {"material": "cheese"}
        for data, said in (("{", "JSON"), (narrow, "cheese"), (job(rectangle(8, 8)), "too narrow")):
            code, told, faults = self.run_plan(data)
            self.assertEqual((code, told), (2, ""))
            self.assertIn(said, faults)
            self.assertNotIn("Traceback", faults)
            self.assertFalse((self.folder / "out").exists())
        with contextlib.redirect_stderr(io.StringIO()) as faults_of_none:
            self.assertEqual(main(["plan", str(self.folder / "none.json"), "--out", str(self.folder)]), 2)
        self.assertIn("none.json", faults_of_none.getvalue())
