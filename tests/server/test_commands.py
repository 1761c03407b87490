"""Commands of the server: the demo goes onto an empty shelf, and onto no other."""

import io
import json
import os
import subprocess
import sys
from pathlib import Path

from django.core.management import call_command
from django.test import SimpleTestCase, TestCase

from server.management.commands.serve import _free_port, _wait_for
from server.models import Job, PartFile

ROOT = Path(__file__).parents[2]
DEMO = ROOT / "demo"


class LoadDemoTest(TestCase):
    def load(self) -> str:
        out = io.StringIO()
        call_command("load_demo", stdout=out)
        return out.getvalue()

    def test_seven_jobs_of_which_three_are_on_parts(self) -> None:
        self.assertIn("7 demo jobs", self.load())
        wished = json.loads((DEMO / "parts" / "from-parts.json").read_text())
        names = ("sinker", "float-yoke", "sight-glass-frame", "gauge-base")
        drawn = [json.loads((DEMO / f"{name}.json").read_text())["name"] for name in names]
        jobs = {j.document["name"]: j.document for j in Job.objects.all()}
        self.assertEqual(set(jobs), {w["name"] for w in wished} | set(drawn))
        self.assertEqual(PartFile.objects.count(), len(wished))
        for wish in wished:
            document = jobs[wish["name"]]
            self.assertEqual(len(document["regions"]), len(wish["take"]))
            self.assertEqual(
                {o["tool"] for o in document["operations"]} <= {t["number"] for t in document["tools"]}, True
            )

    def test_a_shelf_with_jobs_is_left_alone(self) -> None:
        Job.objects.create(document=json.loads((DEMO / "sinker.json").read_text()))
        self.assertIn("left alone", self.load())
        self.assertEqual(Job.objects.count(), 1)


class ServeTest(TestCase):
    def test_a_port_that_is_taken_is_passed_over(self) -> None:
        import socket

        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            self.assertGreater(_free_port("127.0.0.1", port), port)
            _wait_for("127.0.0.1", port, 5.0)
        self.assertEqual(_free_port("127.0.0.1", port), port)


class LinearAlgebraTest(SimpleTestCase):
    """A second thread of the linear algebra waits for seconds where a plan runs on all cores beside it."""

    SOLVE = "import os, numpy; numpy.linalg.eigvals(numpy.eye(300)); print(len(os.listdir('/proc/self/task')))"

    def test_one_thread_in_the_server_and_on_the_command_line(self) -> None:
        environment = {name: value for name, value in os.environ.items() if "THREADS" not in name}
        server = "import os; os.environ['DJANGO_SETTINGS_MODULE'] = 'server.settings'; import django; django.setup()"
        for begin in (f"{server}; import server.api", "import justbite.cli, justbite.plan"):
            line = [sys.executable, "-c", f"{begin}; {self.SOLVE}"]
            done = subprocess.run(line, cwd=ROOT, env=environment, capture_output=True, text=True, check=True)
            self.assertEqual(int(done.stdout), 1)
