"""Parts over the API: read in the worker, laid out, picked from, made into jobs, and changed."""

import io
import json
import time
from pathlib import Path
from typing import Any
from unittest.mock import patch

import ezdxf
import numpy as np
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from server import actions, core
from server.models import Job, PartFile
from tests.server.test_api import AT_ONCE, NEVER, ApiCase

ROOT = Path(__file__).parents[2]
PARTS = ROOT / "demo" / "parts"


class PartCase(ApiCase):
    def upload(self, name: str, data: bytes | None = None, expect: int = 201, **more: Any) -> Any:
        content = (PARTS / name).read_bytes() if data is None else data
        answer = self.client.post("/api/parts", {"file": SimpleUploadedFile(name, content), **more})
        self.assertEqual(answer.status_code, expect, answer.content[:300])
        return answer.json()

    def lay(self, pk: int, expect: int = 200, **placing: Any) -> Any:
        return self.send("post", f"/parts/{pk}/layout", {"placing": placing}, expect)


@override_settings(TASKS=AT_ONCE)
class ReadingTest(PartCase):
    def test_a_solid_is_read_once_and_told(self) -> None:
        part = self.upload("sinker.step")
        self.assertEqual((part["state"], part["source"]), ("done", "solid"))
        self.assertAlmostEqual(part["bodies"][0]["volume"], 50 * 40 * 15 - 6 * 964.0, delta=1.5)
        self.assertEqual(self.upload("sinker.step")["id"], part["id"])
        mesh = self.client.get(f"/api/parts/{part['id']}/mesh").content
        counts = np.frombuffer(mesh, "<u4", 4)
        self.assertEqual(len(mesh), 16 + counts[0] * 12 + counts[1] * 16 + counts[2] * 24 + counts[3])

    def test_a_file_that_kills_its_reader_leaves_the_server_alive(self) -> None:
        """This one takes the kernel down with a segmentation fault."""
        bad = b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=;\nENDSEC;\nEND-ISO-10303-21;\n"
        part = self.upload("bad.step", bad)
        self.assertEqual(part["state"], "failed")
        self.assertIn("broken", part["sentence"])
        self.assertEqual(self.client.get("/api/jobs").status_code, 200)
        self.lay(part["id"], 422)

    def test_every_bad_file_gets_a_sentence(self) -> None:
        step = (PARTS / "sinker.step").read_bytes()
        empty = io.StringIO()
        ezdxf.new().write(empty)
        for name, data, said in (
            ("a.step", step[:20_000], "ends too early"),
            ("a.step", step.replace(b"MANIFOLD_SOLID_BREP", b"SHELL_BASED_SURFACE_MODEL"), "broken"),
            ("a.stl", b"solid x\nfacet", "STL"),
            ("a.dxf", empty.getvalue().encode(), "no lines"),
            ("a.dxf", b"nothing", "not a DXF"),
            ("a.pdf", b"%PDF-1.4", "none of STEP"),
        ):
            part = self.upload(name, data)
            self.assertEqual(part["state"], "failed", name)
            self.assertIn(said, part["sentence"])
        self.assertEqual(PartFile.objects.filter(state="done").count(), 0)
        self.assertIn("150 MB are read", self.upload("a.stl", bytes(151_000_000), 422)["faults"][0])

    def test_reading_is_given_up_in_time_and_in_memory(self) -> None:
        box = trimesh.creation.icosphere(subdivisions=5).export(file_type="stl")
        with self.assertRaises(core.PartError) as caught:
            core.read_apart(box, "a.stl", "mm", None, 0.05, 4.0)
        self.assertIn("took longer", str(caught.exception))
        began = time.monotonic()
        with self.assertRaises(core.PartError):
            core.read_apart(box, "a.stl", "mm", None, 60, 0.2)
        self.assertLess(time.monotonic() - began, 30)

    def test_an_unforeseen_failure_is_a_sentence(self) -> None:
        with patch.object(core, "read_apart", side_effect=ZeroDivisionError), self.assertLogs("server.actions"):
            part = self.upload("sinker.stl")
        self.assertEqual((part["state"], "report it" in part["sentence"]), ("failed", True))

    def test_a_gap_is_bridged_on_request(self) -> None:
        drawing = ezdxf.new(units=4)
        for a, b in (((0, 0), (50, 0)), ((50, 0), (50, 30)), ((50, 30), (0, 30)), ((0, 30), (0, 0.8))):
            drawing.modelspace().add_line(a, b)
        text = io.StringIO()
        drawing.write(text)
        part = self.upload("gap.dxf", text.getvalue().encode())
        self.assertIn("0.800 mm at X 0.00 Y 0.40", part["findings"][0]["sentence"])
        self.assertEqual(self.lay(part["id"])["features"], [])
        bridged = self.upload("gap.dxf", text.getvalue().encode(), join="0.82")
        self.assertEqual(len(self.lay(bridged["id"])["features"]), 1)
        self.upload("gap.dxf", b"0", 422, join="9")


@override_settings(TASKS=NEVER)
class WaitingTest(PartCase):
    def test_a_part_that_is_not_read_yet_says_so(self) -> None:
        part = self.upload("sinker.stl")
        self.assertEqual(part["state"], "waiting")
        self.assertEqual(self.lay(part["id"], 422)["faults"], ["The part is still being read."])


@override_settings(TASKS=AT_ONCE)
class LayoutTest(PartCase):
    def test_a_job_from_a_solid_follows_a_new_version(self) -> None:
        part = self.upload("gauge-base.step")
        placing: Any = {"stock": {"kind": "margins", "x": [5, 5], "y": [5, 5], "z": [2, 1]}}
        layout = self.lay(part["id"], **placing)
        regions = [f["region"] for f in layout["features"] if f["name"] in ("pocket 1", "pocket 2", "half-open slot")]
        document = json.loads((ROOT / "demo" / "gauge-base.json").read_text())
        document |= {
            "stock": layout["stock"],
            "regions": regions,
            "part": {"id": part["id"], "name": part["name"], "placing": placing, "matrix": layout["matrix"]},
        }
        document["operations"] = [{**document["operations"][0], "regions": [r["name"] for r in regions]}]
        job = self.send("post", "/jobs", {"document": document}, 201)
        self.assertEqual(len(job["picture"]["regions"]), 3)

        # The new version: the same body as a mesh; its areas follow within the mesh's chords.
        new = self.upload("gauge-base.stl", units="mm")
        changed = self.send("post", f"/jobs/{job['id']}/part", {"part": new["id"]})
        said = [f["code"] for f in changed["findings"]]
        self.assertNotIn("area.vanished", said)
        for before, after in zip(job["document"]["regions"], changed["job"]["document"]["regions"], strict=True):
            self.assertEqual((before["name"], len(before["islands"])), (after["name"], len(after["islands"])))
            self.assertAlmostEqual(before["bottom"], after["bottom"], places=3)
            spans = [np.ptp(np.array([p[:2] for p in r["outline"]]), axis=0) for r in (before, after)]
            self.assertTrue(np.allclose(spans[0], spans[1], atol=0.03), (before["name"], spans))
        self.assertEqual(changed["job"]["document"]["operations"], job["document"]["operations"])

        other = self.upload("sinker.step")
        changed = self.send("post", f"/jobs/{job['id']}/part", {"part": other["id"]})
        self.assertGreaterEqual([f["code"] for f in changed["findings"]].count("area.vanished"), 2)
        self.assertEqual(len(changed["job"]["document"]["regions"]), 3)
        self.assertEqual(changed["job"]["revision"], Job.objects.get().revision)

    def test_the_program_is_held_against_the_part(self) -> None:
        """The channel of the gauge base, and the same told 2 mm deeper than it is; of a part that is gone no word."""
        part = self.upload("gauge-base.step")
        layout = self.lay(part["id"], stock={"kind": "margins"})
        region = next(f["region"] for f in layout["features"] if f["name"] == "slot")
        document = json.loads((ROOT / "demo" / "gauge-base.json").read_text())
        document["operations"] = [{**document["operations"][1], "regions": ["slot"]}]
        document["part"] = {"id": part["id"], "name": part["name"], "placing": {}, "matrix": layout["matrix"]}
        document["stock"] = layout["stock"]
        for deeper, gone, deep in ((0.0, False, 0.0), (2.0, False, 1.9), (2.0, True, None)):
            if gone:
                PartFile.objects.all().delete()
            own = {**document, "regions": [{**region, "bottom": region["bottom"] - deeper}]}
            job = self.send("post", "/jobs", {"document": own}, 201)
            report = self.send("post", f"/jobs/{job['id']}/plan")["report"]
            codes = [w["code"] for w in report["warnings"]]
            self.assertEqual("proof.into-part" in codes, bool(deep))
            if deep is None:
                self.assertIsNone(report["into_part"])
            else:
                self.assertAlmostEqual(report["into_part"]["deep_mm"], deep, delta=0.02)

    def test_a_new_version_needs_a_part_before_it(self) -> None:
        pk = self.make()
        part = self.upload("sinker.step")
        said = self.send("post", f"/jobs/{pk}/part", {"part": part["id"]}, 422)["faults"][0]
        self.assertIn("not made from a part", said)
        self.assertEqual(Job.objects.get().revision, 1)

    def test_what_an_earlier_job_left_is_the_stock(self) -> None:
        part = self.upload("gauge-base.step")
        layout = self.lay(part["id"])
        document = json.loads((ROOT / "demo" / "gauge-base.json").read_text())
        document["part"] = {"id": part["id"], "name": "x", "placing": {}, "matrix": layout["matrix"]}
        job = self.send("post", "/jobs", {"document": document}, 201)["id"]
        turned = self.lay(part["id"], up=[0, 0, -1], stock={"kind": "model", "job": job})
        # From below the plate is whole: its pockets open downwards.
        self.assertEqual(len(turned["stock"]["terraces"]), 1)
        upright = self.lay(part["id"], stock={"kind": "model", "job": job})
        self.assertGreater(len(upright["stock"]["terraces"]), 4)
        plain = self.make()
        said = self.lay(part["id"], 422, stock={"kind": "model", "job": plain})["faults"][0]
        self.assertIn("not made from a part", said)

    def test_picks_slices_and_hand_made_areas(self) -> None:
        pk = self.upload("anchor-shoe.step")["id"]
        chain = self.send("post", f"/parts/{pk}/chain", {"placing": {}, "pick": {"x": 60, "y": 18.2}})
        self.assertTrue(chain["closed"])
        wish = {"placing": {}, "pick": {"x": 60, "y": 18.2}, "bottom": -5}
        area = self.send("post", f"/parts/{pk}/chain-area", wish)
        self.assertAlmostEqual(area["area"], 80 * 44, places=2)
        pick = {"x": 60, "y": 79.9, "follow": "tangent"}
        strip = self.send("post", f"/parts/{pk}/chain-area", {**wish, "pick": pick, "width": 4, "right": True})
        self.assertAlmostEqual(strip["area"], 480, places=2)
        found = self.send("post", f"/parts/{pk}/slice", {"placing": {}, "z": -10})
        self.assertTrue(any(abs(f["area"] - 70 * 34) < 1 for f in found))
        square = {
            "outline": [[0, 0], [10, 0], [10, 10], [0, 10]],
            "islands": [],
            "open_edges": [],
            "top": 0,
            "bottom": -5,
        }
        self.assertAlmostEqual(self.send("post", "/areas", square)["largest_cutter"], 10, delta=0.05)
        pieces = self.send("post", "/areas/split", {"area": square, "a": [5, 0], "b": [5, 10]})
        self.assertEqual([round(p["area"]) for p in pieces], [50, 50])
        plain = ({k: p["region"][k] for k in square} for p in pieces)
        self.assertAlmostEqual(self.send("post", "/areas/merge", {"areas": list(plain)})["area"], 100, places=3)
        crossed = {**square, "outline": [[0, 0], [10, 10], [10, 0], [0, 10]]}
        self.assertTrue(self.send("post", "/areas", crossed, 422)["faults"])

    def test_wishes_that_cannot_be_are_refused(self) -> None:
        pk = self.upload("sinker.step")["id"]
        for placing, said in (
            ({"up": [0, 0, 0]}, "no length"),
            ({"body": 4}, "no body 5"),
            ({"stock": {"kind": "size", "size": [10, 10, 10]}}, "needs 50.000 mm"),
            ({"stock": {"kind": "model"}}, "which model"),
            ({"datum": {"of": "point"}}, "needs the point"),
        ):
            self.assertIn(said, self.lay(pk, 422, **placing)["faults"][0])

    def test_where_the_cutters_centre_may_go(self) -> None:
        pk = self.make()
        document = self.send("get", f"/jobs/{pk}")["document"]
        rings = self.send("post", "/limits", {"document": document, "operation": 0})["areas"]["area"]
        points = np.array(rings[0])
        self.assertTrue(np.allclose(np.ptp(points, axis=0), [20, 14], atol=0.03))


class SamePartTest(PartCase):
    def test_nobody_else_reads_a_part_twice(self) -> None:
        part = PartFile.objects.create(name="x", content=b"x", sha256="x", state=PartFile.State.READING)
        actions.read_file(part.pk)
        part.refresh_from_db()
        self.assertEqual(part.state, "reading")
