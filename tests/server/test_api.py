"""The server: jobs, bites, drawings, planning with stop and store, and what is refused."""

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import TestCase, TransactionTestCase, override_settings
from django.utils import timezone
from shapely.errors import GEOSException

from justbite.path import remembered
from server import actions, core
from server.models import Job, Plan, Revision
from tests.core.test_faced import face_over_pocket
from tests.core.test_from_top import steel_face
from tests.core.test_path import job as area_job
from tests.core.test_path import rectangle

ROOT = Path(__file__).parents[2]
AT_ONCE = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}
NEVER = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}


def document() -> dict[str, Any]:
    return area_job(rectangle(30, 24))


class ApiCase(TestCase):
    def send(self, method: str, path: str, body: Any = None, expect: int = 200) -> Any:
        answer = getattr(self.client, method)(f"/api{path}", body, content_type="application/json")
        self.assertEqual(answer.status_code, expect, answer.content[:300])
        return answer.json() if answer.content else None

    def make(self) -> int:
        return int(self.send("post", "/jobs", {"document": document()}, 201)["id"])


class JobsTest(ApiCase):
    def test_a_job_is_kept_changed_and_has_a_history(self) -> None:
        pk = self.make()
        changed = document()
        changed["name"] = "renamed"
        self.assertEqual(self.send("put", f"/jobs/{pk}", {"document": changed})["revision"], 2)
        self.assertEqual(self.send("get", f"/jobs/{pk}")["document"]["name"], "renamed")
        self.assertEqual(Revision.objects.get().document["name"], "test")
        self.assertEqual([j["state"] for j in self.send("get", "/jobs")], ["not planned yet"])
        self.send("delete", f"/jobs/{pk}", expect=204)
        self.assertEqual(self.send("get", f"/jobs/{pk}", expect=404)["faults"], ["That is no longer here."])

    def test_inches_are_kept_as_millimetres(self) -> None:
        """The screens take what a document says for millimetres."""
        inch = document()
        inch["units"] = "in"
        pk = self.send("post", "/jobs", {"document": inch}, 201)["id"]
        kept = self.send("get", f"/jobs/{pk}")["document"]
        self.assertEqual(kept["units"], "mm")
        self.assertAlmostEqual(kept["regions"][0]["bottom"], -8 * 25.4)
        self.assertAlmostEqual(kept["tools"][0]["diameter"], 254)
        self.send("put", f"/jobs/{pk}", {"document": inch})
        self.assertEqual(self.send("get", f"/jobs/{pk}")["document"], kept)

    def test_bad_changes_are_refused_whole(self) -> None:
        pk = self.make()
        for spoil, said in (
            (lambda d: d["regions"][0].update(bottom=4), "not below the top"),
            (lambda d: d["operations"][0].update(bite={"ae": 11}), "above 100 %"),
            (lambda d: d["regions"][0].update(outline=[[0, 0], [9, 9], [9, 0], [0, 9]]), "crosses"),
            (lambda d: d.update(machine={"name": "x", "power_kw": 0}), "greater than 0"),
            (lambda d: d.update(format="other"), "not a job file"),
        ):
            bad = document()
            spoil(bad)
            faults = self.send("put", f"/jobs/{pk}", {"document": bad}, 422)["faults"]
            self.assertIn(said, " ".join(faults))
        kept = Job.objects.get(pk=pk)
        self.assertEqual((kept.document, kept.revision), (document(), 1))

    def test_the_bite_answers_without_keeping_anything(self) -> None:
        answer = self.send("post", "/bite", {"document": document(), "operation": 0})["bite"]
        self.assertEqual(answer["pinned"], ["ae"])
        self.assertGreater(len(answer["ceilings"]), 8)
        free = document()
        free["operations"][0]["bite"] = None
        steel = {**free, "material": "alloy-steel"}
        one, other = (self.send("post", "/bite", {"document": d, "operation": 0})["bite"] for d in (free, steel))
        self.assertGreater(one["speed"], other["speed"])
        self.send("post", "/bite", {"document": document(), "operation": 7}, 422)
        self.assertFalse(Job.objects.exists())

    def test_the_bite_is_that_of_the_job_as_it_is_planned(self) -> None:
        """A pocket below a face is cut from the face's top: 11 mm deep, not 10."""
        data = steel_face() | {"name": "face over pocket"}
        data["operations"][0].update(allowance={"wall": 0.3, "floor": 0.0}, step_down=30.0)
        answer = self.send("post", "/bite", {"document": data, "operation": 0})["bite"]
        self.assertEqual((answer["ap"], answer["steps"]), (11.0, 1))

    def test_operations_by_depth_answer_without_keeping_anything(self) -> None:
        """In the document's units; with what it leaves out left out."""
        data = face_over_pocket()
        first = data["operations"][0]
        answer = self.send("post", "/bite/by-depth", {"document": data, "operation": 0})["operations"]
        named = [{**first, "name": "rough, face", "regions": ["face"]}, {**first, "regions": ["pocket"]}]
        self.assertEqual(answer, named)
        self.assertFalse(Job.objects.exists())
        none = self.send("post", "/bite/by-depth", {"document": data, "operation": 3}, 422)
        self.assertIn("no operation 4", none["faults"][0])

    def test_quantities_and_stores(self) -> None:
        read = self.send("post", "/quantity", {"text": "1/8in + 0.4", "kind": "length"})
        self.assertAlmostEqual(read["value"], 3.575)
        self.assertIn("not a value", self.send("post", "/quantity", {"text": "x", "kind": "length"}, 422)["faults"][0])
        stores = self.send("get", "/stores")
        self.assertEqual([len(stores[k]) for k in ("materials", "tools", "machines")], [40, 60, 8])
        self.assertEqual({m["group"] for m in stores["materials"]}, set("PMKNSH"))
        self.assertTrue(all(e["source"] for table in stores.values() for e in table))


class PlanningTest(ApiCase):
    @override_settings(TASKS=AT_ONCE)
    def test_a_plan_is_stored_and_goes_out_of_date(self) -> None:
        pk = self.make()
        plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual((plan["state"], plan["fresh"]), ("done", True))
        again = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual(again["id"], plan["id"])
        program = self.client.get(f"/api/plans/{plan['id']}/program.nc")
        self.assertIn("attachment", program["Content-Disposition"])
        self.assertIn(b"G17 G21", program.content)
        trace = self.client.get(f"/api/plans/{plan['id']}/trace").content
        count = int(np.frombuffer(trace[:4], "<u4")[0])
        self.assertEqual(len(trace), 4 + count * (3 * 4 + 4 * 4 + 4 + 2))
        seconds = np.frombuffer(trace, "<f4", count, 4 + 12 * count)
        self.assertAlmostEqual(float(seconds[-1]), plan["report"]["seconds"], places=1)
        changed = document()
        changed["material"] = "alloy-steel"
        self.assertFalse(self.send("put", f"/jobs/{pk}", {"document": changed})["plan"]["fresh"])
        self.assertEqual(self.send("get", "/jobs")[0]["state"], "out of date")

    @override_settings(TASKS=AT_ONCE)
    def test_a_job_that_cannot_be_cut_says_why(self) -> None:
        narrow = area_job(rectangle(30, 6))
        pk = self.send("post", "/jobs", {"document": narrow}, 201)["id"]
        plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual(plan["state"], "failed")
        self.assertIn("too narrow", plan["sentence"])

    @override_settings(TASKS=AT_ONCE)
    def test_what_was_planned_is_not_planned_again_for_another_name(self) -> None:
        pk, again = self.make(), document() | {"name": "once more"}
        self.assertEqual(self.send("post", f"/jobs/{pk}/plan")["state"], "done")
        self.send("put", f"/jobs/{pk}", {"document": again})
        with patch.object(remembered, "side_by_side", side_effect=AssertionError("planned again")):
            plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual((plan["state"], plan["report"]["name"]), ("done", "once more"))

    @override_settings(TASKS=AT_ONCE)
    def test_stop_from_inside(self) -> None:
        pk = self.make()
        real = core.plan

        def stopped_half_way(data: Any, progress: Any, part: bytes | None) -> Any:
            def ask(share: float, what: str) -> None:
                if share > 0.1:
                    Plan.objects.update(cancel_requested=True)
                progress(share, what)

            return real(data, ask, part)

        with patch.object(actions, "TELL_EVERY", 0.0), patch.object(core, "plan", stopped_half_way):
            plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual((plan["state"], plan["report"]), ("stopped", None))

    @override_settings(TASKS=AT_ONCE)
    def test_what_is_begun_is_told_at_once(self) -> None:
        """It may take minutes without another word; of one that goes on, it is told now and then."""
        pk, seen = self.make(), list[tuple[str, float]]()

        def told(data: Any, progress: Any, part: bytes | None) -> Any:
            for share, what in ((0.1, "Weighing"), (0.2, "Weighing"), (0.3, "Clearing"), (0.4, "Weighing")):
                progress(share, what)
                seen.append(Plan.objects.values_list("doing", "progress").get())
            raise core.StoppedError("enough")

        with patch.object(actions, "TELL_EVERY", 60.0), patch.object(core, "plan", told):
            self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual(seen, [("Weighing", 0.1), ("Weighing", 0.1), ("Clearing", 0.3), ("Clearing", 0.3)])

    @override_settings(TASKS=NEVER)
    def test_a_waiting_plan_stops_at_once_and_a_silent_one_is_buried(self) -> None:
        pk = self.make()
        plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual(plan["state"], "waiting")
        self.assertEqual(self.send("post", f"/plans/{plan['id']}/stop")["state"], "stopped")
        long_ago = timezone.now() - 2 * actions.SILENT_AFTER
        second = self.send("post", f"/jobs/{pk}/plan")
        Plan.objects.filter(pk=second["id"]).update(state="computing", heartbeat=long_ago)
        self.assertEqual(self.send("get", f"/plans/{second['id']}")["state"], "failed")

    @override_settings(TASKS=AT_ONCE)
    def test_an_unforeseen_failure_loses_nothing(self) -> None:
        pk = self.make()
        with patch.object(core, "plan", side_effect=RuntimeError("boom")), self.assertLogs("server.actions"):
            plan = self.send("post", f"/jobs/{pk}/plan")
        self.assertEqual(plan["state"], "failed")
        self.assertIn("The job is safe", plan["sentence"])

    @override_settings(TASKS=AT_ONCE)
    def test_a_failure_on_an_area_names_it(self) -> None:
        """At any stage of planning it; the log tells where in the code."""
        # What other tests planned is not asked for again.
        forgetful = patch.object(core, "REMEMBERED", None)
        for stage in ("rough.works_on", "tried.ways_into", "tried.plan_part", "tried.reordered"):
            broken = patch(f"justbite.path.{stage}", side_effect=GEOSException("side location conflict"))
            with forgetful, broken, self.assertLogs("server.actions") as log:
                plan = self.send("post", f"/jobs/{self.make()}/plan")
            self.assertEqual(plan["state"], "failed")
            self.assertRegex(plan["sentence"], '"area" of "rough"')
            self.assertIn("side location conflict", log.output[0])


class WorkerTest(TransactionTestCase):
    """One plan through the real queue and the real worker, in processes of their own."""

    def test_the_worker_plans(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            environment = {**os.environ, "JUSTBITE_DATA": folder, "DJANGO_SETTINGS_MODULE": "server.settings"}
            environment.pop("JUSTBITE_TASKS", None)

            def manage(*words: str, script: str = "") -> str:
                command = [sys.executable, "manage.py", *words]
                done = subprocess.run(
                    command, input=script, env=environment, cwd=ROOT, capture_output=True, text=True, check=True
                )
                return done.stdout

            manage("migrate", "--verbosity", "0")
            make = (
                "import json; from server import actions\n"
                f"p = actions.start_plan(actions.make_job(json.loads({json.dumps(json.dumps(document()))})))\n"
                "print('STATE', p.state)\n"
            )
            self.assertIn("STATE waiting", manage("shell", script=make))
            worker = [sys.executable, "manage.py", "db_worker", "--batch", "--queue-name", "*", "--no-startup-delay"]
            began = time.monotonic()
            subprocess.run(worker, env=environment, cwd=ROOT, capture_output=True, timeout=240, check=True)
            ask = "from server.models import Plan; p = Plan.objects.get(); print('STATE', p.state, bool(p.program))\n"
            self.assertIn("STATE done True", manage("shell", script=ask))
            self.assertLess(time.monotonic() - began, 240)
