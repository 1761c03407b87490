"""The stores over the API: own entries, ISO 13399 lists in and out, refusals."""

import json
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase

from justbite import catalogue
from justbite.catalogue import exchange
from justbite.errors import InputError
from server.models import StoreEntry
from tests.server.test_api import ApiCase


class StoresTest(ApiCase):
    def test_an_entry_is_copied_changed_and_deleted(self) -> None:
        tool = next(t for t in self.send("get", "/stores")["tools"] if t["id"] == "flat-12")
        tool |= {
            "name": "our 12",
            "stickout": 52.5,
            "dynamics": [{"frequency": 1500, "stiffness": 14, "damping": 0.04}] * 2,
        }
        pk = self.send("post", "/stores/tools", {"data": tool}, 201)["id"]
        own = next(t for t in self.send("get", "/stores")["tools"] if t["own"] == pk)
        self.assertEqual((own["name"], own["stickout"], own["source"]), ("our 12", 52.5, "entered here"))
        self.assertEqual(own["dynamics"][1]["stiffness"], 14)
        self.send("put", f"/stores/tools/{pk}", {"data": {**own, "flutes": 5}})
        self.assertEqual(StoreEntry.objects.get().data["flutes"], 5)
        for spoiled, said in (
            ({"stickout": 5}, "stick-out"),
            ({"diameter": -1}, "diameter"),
            ({"kind": "saw"}, "kind"),
        ):
            faults = self.send("put", f"/stores/tools/{pk}", {"data": {**own, **spoiled}}, 422)["faults"]
            self.assertIn(said, faults[0])
        self.assertEqual(StoreEntry.objects.get().data["flutes"], 5)
        self.send("delete", f"/stores/tools/{pk}", expect=204)
        self.send("put", f"/stores/tools/{pk}", {"data": own}, 422)
        self.send("post", "/stores/saws", {"data": own}, 422)

    def test_an_own_machine_with_a_curve_goes_into_a_job(self) -> None:
        machine = next(m for m in self.send("get", "/stores")["machines"] if m["id"] == "harbour-mill")
        machine |= {"name": "our mill", "power_points": [[100, 1.0], [3000, 4.0]]}
        self.send("post", "/stores/machines", {"data": machine}, 201)
        own = self.send("get", "/stores")["machines"][-1]
        inline = {k: v for k, v in own.items() if k not in ("id", "own", "source")}
        pk = self.make()
        document = self.send("get", f"/jobs/{pk}")["document"] | {"machine": inline}
        self.assertEqual(self.send("put", f"/jobs/{pk}", {"document": document})["revision"], 2)
        machine["power_points"] = [[3000, 4.0], [100, 1.0]]
        self.assertIn("rise in speed", self.send("post", "/stores/machines", {"data": machine}, 422)["faults"][0])

    def test_the_nearest_material(self) -> None:
        """The hardest of a group is nearest to something harder still; an own entry counts too."""
        materials = self.send("get", "/stores")["materials"]
        steels = [m for m in materials if m["group"] == "P" and m["hardness"]]
        hardest = max(steels, key=lambda m: m["hardness"])
        self.assertEqual(self.send("get", "/nearest-material?group=P&hardness=9000")["id"], hardest["id"])
        pk = self.send("post", "/stores/materials", {"data": {**hardest, "name": "ours", "hardness": 8000}}, 201)["id"]
        self.assertEqual(self.send("get", "/nearest-material?group=P&hardness=9000")["id"], f"own-{pk}")
        self.assertIsNone(self.send("get", "/nearest-material?group=Q")["id"])

    def test_recommended_values_are_kept_with_a_cutter(self) -> None:
        tool = next(t for t in self.send("get", "/stores")["tools"] if t["id"] == "flat-12")
        values = [
            {"material": "N", "cutting_speed": 400, "feed_per_tooth": 0.1, "at_share": 0.5, "ramp_angle": 8,
             "source": "the maker"},
        ]  # fmt: skip
        pk = self.send("post", "/stores/tools", {"data": {**tool, "values": values}}, 201)["id"]
        self.assertEqual(StoreEntry.objects.get(pk=pk).data["values"], values)
        for fault in ({"at_share": 2}, {"ramp_angle": 0}, {"ramp_angle": 60}):
            wrong = [{**values[0], **fault}]
            self.send("post", "/stores/tools", {"data": {**tool, "values": wrong}}, 422)

    def test_cutters_go_out_and_come_back(self) -> None:
        for form in ("csv", "json"):
            answer = self.client.get(f"/api/cutters.{form}")
            self.assertIn("attachment", answer["Content-Disposition"])
            taken = self.take(answer.content)
            self.assertEqual(taken["count"], 60 if form == "csv" else 120)

    def take(self, data: bytes, expect: int = 200) -> Any:
        answer = self.client.post("/api/cutters", {"file": SimpleUploadedFile("list.csv", data)})
        self.assertEqual(answer.status_code, expect, answer.content[:300])
        return answer.json()

    def test_a_bad_list_is_refused_whole(self) -> None:
        good = "DC,APMX,LPR,ZEFP,NAME\n10,25,40,3,fine\n"
        for text, said in (
            ("", "lists no cutters"),
            ("A,B\n1,2\n", "lacks the column DC"),
            (good + "12,,40,3,short\n", "Cutter 2 (short): APMX is missing"),
            (good + "-12,20,40,3,thin\n", "DC"),
            (good + "12,60,40,3,deep\n", "stick-out"),
            ("[1, 2]", "no list of cutters"),
            ('{"tools": [', "not JSON"),
        ):
            self.assertIn(said, self.take(text.encode(), 422)["faults"][0], text)
        self.assertEqual(self.take(b"\xff\xfe\x00", 422)["faults"][0][:15], "The file is not")
        self.assertEqual(StoreEntry.objects.count(), 0)

    def test_the_chart_and_the_reliefs_answer(self) -> None:
        document = self.send("get", f"/jobs/{self.make()}")["document"]
        body = {"document": document, "operation": 0}
        chart = self.send("post", "/bite/chart", body)
        self.assertEqual((len(chart["removal"]), len(chart["removal"][0])), (len(chart["ap"]), len(chart["ae"])))
        self.assertIn("cutter bending", {b["name"] for b in chart["borders"]})
        bite = self.send("post", "/bite", body)["bite"]
        self.assertEqual(len(bite["turn"]["torque"]), 90)
        binding = {c["name"] for c in bite["ceilings"] if (c["binds"] or c["share"] > 1.0001) and not c["estimate"]}
        self.assertEqual({r["ceiling"] for r in self.send("post", "/bite/relief", body)}, binding)


class ExchangeTest(SimpleTestCase):
    def test_codes_of_the_standard(self) -> None:
        tool = catalogue.tools()["bull-10-r1"]
        row = exchange.to_rows([tool])[0]
        self.assertEqual((row["DC"], row["RE"], row["ZEFP"], row["FHA"]), (10, 1, 4, 38))
        self.assertEqual(exchange.read_tools(exchange.to_csv([tool]).encode())[0], tool)
        self.assertEqual(exchange.read_tools(exchange.to_json([tool]).encode())[0], tool)

    def test_semicolons_and_decimal_commas(self) -> None:
        tool = exchange.read_tools(b"DC;APMX;LPR;ZEFP;NAME\n6,5;13,5;24;3;a, b\n")[0]
        self.assertEqual((tool.diameter, tool.flute_length, tool.name), (6.5, 13.5, "a, b"))

    def test_the_nearest_material(self) -> None:
        table = catalogue.materials()
        self.assertEqual(exchange.nearest_material("P", 325, table), "alloy-steel-hard")
        self.assertEqual(table[exchange.nearest_material("N", 31, table) or ""].name, "Aluminium, soft EN AW-1050")
        self.assertIsNone(exchange.nearest_material("X", 100, table))

    def test_roughing_refuses_a_drill(self) -> None:
        from justbite.model.parse import parse_job
        from tests.server.test_api import document

        data = json.loads(json.dumps(document()))
        data["tools"][0]["kind"] = "drill"
        with self.assertRaises(InputError) as caught:
            parse_job(data)
        self.assertIn("is a drill; roughing takes", str(caught.exception))
