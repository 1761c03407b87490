"""The bench: the areas it draws, the brute-force grid behind the solver, its mesh, and its table as printed."""

import contextlib
import io
import json
import math
import re
import tempfile
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Polygon

from justbite import bench, catalogue, odd_jobs, plates
from justbite.bite import solver
from justbite.bite.case import Case
from justbite.cli import main
from justbite.model.parse import parse_job
from justbite.model.part import Part
from justbite.odd import odd_areas
from justbite.part.read import read_part
from justbite.plan import plan
from tests.core.test_path import job, rectangle


class MadeAreasTest(SimpleTestCase):
    def test_a_seed_is_an_area(self) -> None:
        one, again = (list(bench.made_areas(range(20, 28))) for _ in range(2))
        self.assertEqual(one, again)
        self.assertEqual([d["name"].split()[1] for d in one], list(bench.KINDS[4:] + bench.KINDS[:4]))
        (odd,) = odd_areas(range(20, 21))
        self.assertNotEqual(odd["regions"], one[0]["regions"])

    def test_cutters_and_bites_are_those_of_the_lists(self) -> None:
        for data in bench.made_areas(range(1, 41)):
            tool, operation = data["tools"][0], data["operations"][0]
            self.assertIn(tool["diameter"], bench.CUTTERS)
            self.assertIn(operation["bite"]["share"], bench.BITES)
            region = data["regions"][0]
            shape = Polygon(region["outline"], region["islands"])
            self.assertTrue(shape.is_valid)
            # The cutter fits in somewhere.
            self.assertFalse(shape.buffer(-0.5 * tool["diameter"]).is_empty)

    def test_open_ones_have_stock_to_their_edge_or_none_beyond_it(self) -> None:
        for data in bench.made_areas(range(7, 80, 8)):
            region, stock = data["regions"][0], data["stock"]["box"]
            self.assertTrue(region["open_edges"])
            rim = np.array(region["outline"]).min(axis=0) - stock["min"][:2]
            np.testing.assert_allclose(rim, 0.0 if region["open_edges"] == "all" else 10.0, atol=1e-9)


class PlatesTest(SimpleTestCase):
    def test_memory_and_growth_are_told(self) -> None:
        """Two small ones: twice the area over the bite, on so many levels as the bite is deep for."""
        told = io.StringIO()
        small = patch.object(plates, "PLATES", ((40.0, 30.0, 0.2), (80.0, 30.0, 0.2)))
        with small, contextlib.redirect_stdout(told):
            plates.large_plates()
        pattern = r"plate of (\d+) .* 20 % of it, (\d) levels, .* at most (\d+) MB; ([\d.]+) x .* ([\d.]+) of the ideal"
        found = [re.match(pattern, line) for line in told.getvalue().splitlines()]
        rows = [[float(v) for v in one.groups()] for one in found if one]
        self.assertEqual([row[0] for row in rows], [40.0, 80.0])
        for _, levels, megabytes, _, ideal in rows:
            self.assertGreater(levels, 1.0)
            self.assertTrue(50.0 < megabytes < 600.0, megabytes)
            self.assertTrue(1.0 < ideal < 2.0, ideal)
        self.assertEqual([row[3] for row in rows], [1.0, 2.0])


class WayInTest(SimpleTestCase):
    def test_an_area_that_its_way_in_takes_all_of_has_a_row(self) -> None:
        """A bore as wide as its helix: no cut, no blocks to fit. It was told as nothing to cut."""
        bore = Polygon([(7 * math.cos(a), 7 * math.sin(a)) for a in np.linspace(0, 2 * math.pi, 97)[:-1]])
        plain = job(np.array(bore.exterior.coords)[:-1].tolist(), ae=3.0)
        square = job(rectangle(30, 30), ae=3.0)
        printed = io.StringIO()
        with contextlib.redirect_stdout(printed):
            bench.run([{**plain, "name": "bore"}, {**square, "name": "square"}], "test", False)
        told = {line.split()[0]: line.split() for line in printed.getvalue().splitlines()}
        self.assertEqual(told["bore"][1], "0.000")
        self.assertIn("nan", told["bore"])
        self.assertNotIn("nan", told["mean"])
        row = plan(parse_job(plain)).report["operations"][0]
        self.assertEqual(row["cut_length"], 0.0)
        self.assertGreater(row["removed_mm3"], 0.99 * bore.area * 8.0)
        self.assertTrue(row["levels"])


class OddJobsTest(SimpleTestCase):
    def test_a_seed_is_a_job_that_can_be_read(self) -> None:
        one, again = (list(odd_jobs.odd_jobs(range(12))) for _ in range(2))
        self.assertEqual(one, again)
        for data in one:
            parse_job(data)
        self.assertGreater(len({d["material"] for d in one}), 6)
        self.assertTrue(any(len(d["operations"]) == 2 for d in one))
        self.assertTrue(any("below" in r["name"] for d in one for r in d["regions"]))
        # Holes are drilled in those from 400 on.
        later = [parse_job(d) for d in odd_jobs.odd_jobs(range(400, 412))]
        self.assertGreater(sum(len(r.drilled) for d in later for r in d.regions), 3)
        self.assertFalse(any("drilled" in r for d in one for r in d["regions"]))

    def test_finer_second_operations_come_nearer_to_the_walls(self) -> None:
        for read in [parse_job(d) for d in odd_jobs.odd_jobs(range(3000, 3030))]:
            first, second = read.operations
            self.assertEqual(first.regions, second.regions)
            self.assertLess(second.allowance.wall, first.allowance.wall)
            self.assertLess(read.tool(second.tool).diameter, 0.7 * read.tool(first.tool).diameter)

    def test_operations_of_their_own_mind_go_over_no_area_before_the_one_above_it(self) -> None:
        drawn, again = (list(odd_jobs.odd_jobs(range(800, 830))) for _ in range(2))
        self.assertEqual(drawn, again)
        mixed = [d for d in drawn if d["operations"][0]["name"] == "operation 1"]
        self.assertTrue(8 < len(mixed) < 22)
        self.assertEqual({len(d["operations"]) for d in mixed}, {2, 3, 4})
        below = 0
        for data in mixed:
            parse_job(data)
            above, cut = {r["name"]: r.get("after", []) for r in data["regions"]}, list[str]()
            for name in (n for o in data["operations"] for n in o["regions"]):
                self.assertLessEqual(set(above[name]), set(cut))
                below += bool(above[name])
                cut.append(name)
        self.assertGreater(below, 2)
        # Before that there are no more than two, of all areas.
        for data in odd_jobs.odd_jobs(range(785, 800)):
            self.assertLessEqual(len(data["operations"]), 2)

    def test_what_passes_a_bound_is_marked_and_counted(self) -> None:
        sound = {
            "name": "rough", "max_over_target": 1.01, "p999_over_target": 1.0, "left_over_share": 0.0005,
            "untouched_share": 0.0, "seconds": 3.0, "entry_over_bite": 0.97, "chip_over_borne": 1.0, "gouge_mm": 0.0,
            "ideal_seconds": 2.0,
            "cut_seconds": 2.4,
        }  # fmt: skip
        (job_,) = (d for d in odd_jobs.odd_jobs(range(12)) if len(d["operations"]) == 1 and d["name"] == "odd job 2")
        stuck = {"code": "area.no-entry", "severity": "warning", "operation": "rough"}
        finding = {"code": "proof.thick-chip", "severity": "error", "operation": "rough"}
        for row, warnings, marked in (
            (sound, [], False),
            ({**sound, "max_over_target": 1.06}, [], True),
            ({**sound, "left_over_share": 0.002}, [], True),
            ({**sound, "left_over_share": 0.002}, [stuck], True),
            ({**sound, "left_over_share": 0.02, "untouched_share": 0.0195}, [stuck], False),
            ({**sound, "left_over_share": 0.02, "untouched_share": 0.0195}, [], True),
            ({**sound, "gouge_mm": 0.02}, [], True),
            (sound, [finding], True),
            (sound, [{**finding, "operation": "rest"}], False),
        ):
            made = SimpleNamespace(report={"operations": [row], "warnings": warnings, "seconds": 3.0})
            out = io.StringIO()
            with (
                patch.object(odd_jobs, "plan", return_value=made),
                patch.object(odd_jobs, "odd_jobs", return_value=iter([job_])),
                contextlib.redirect_stdout(out),
            ):
                main(["bench", "--odd-jobs", "--first", "2", "--count", "1"])
            *_, line, last = out.getvalue().splitlines()
            self.assertEqual(line.startswith("! "), marked, line)
            self.assertIn(f"1 operations, {int(marked)} of them", last)
            self.assertEqual([float(n) for n in re.findall(r"\d+\.\d{3}", line)][-3:], [1.5, 0.2, 3.0])


class SolverTest(SimpleTestCase):
    def test_a_plain_grid_finds_nothing_better(self) -> None:
        """60 radial depths x 6 step-downs x 40 feeds, each held against every ceiling."""
        tools, materials, machines = catalogue.tools(), catalogue.materials(), catalogue.machines()
        for tool, material, machine in (
            ("flat-10", "aluminium-wrought", "harbour-mill"),
            ("flat-12", "titanium", "slow-giant"),
        ):
            case = Case(tools[tool], materials[material], machines[machine], 20.0)
            best = bench.brute_force(case)
            found = solver.value_of(case, solver.solve(case))
            self.assertGreater(best, 0.9 * found)
            self.assertLess(best, 1.002 * found)


class MeshTest(SimpleTestCase):
    def test_it_is_closed_and_holds_what_it_should(self) -> None:
        """Every edge of a closed mesh belongs to two triangles, once each way; its volume by the divergence theorem."""
        data = bench.large_mesh(40)
        count = int.from_bytes(data[80:84], "little")
        record = np.frombuffer(data[84:], dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
        self.assertEqual(len(record), count)
        corners = record["corners"].astype(float)
        _, at = np.unique(corners.reshape(-1, 3).round(4), axis=0, return_inverse=True)
        sides = np.concatenate([at.reshape(-1, 3)[:, [a, b]] for a, b in ((0, 1), (1, 2), (2, 0))])
        there, back = ({tuple(e) for e in edges.tolist()} for edges in (sides, sides[:, ::-1]))
        self.assertEqual(len(there), len(sides))
        self.assertEqual(there, back)
        a, b, c = corners.transpose(1, 0, 2)
        volume = float((a * np.cross(b, c)).sum()) / 6.0
        pocket = math.pi * 80**2 * 20
        self.assertAlmostEqual(volume, 200 * 200 * 40 - pocket, delta=0.06 * pocket)
        part = read_part(data, "mesh.stl", "mm", 0.02, 0.002)
        assert isinstance(part, Part)
        self.assertEqual(len(part.bodies[0].triangles), count)


class TableTest(SimpleTestCase):
    def printed(self, *arguments: str) -> list[str]:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["bench", *arguments]), 0)
        return out.getvalue().splitlines()

    def test_a_row_holds_what_the_report_says(self) -> None:
        data = [job(rectangle(40, 30)) | {"name": "tray"}, {**job(rectangle(36, 30)), "name": "well"}]
        data[1]["stock"] = {"box": {"min": [500, 500, -15], "max": [600, 600, 0]}}
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "jobs.json"
            file.write_text(json.dumps(data))
            lines = self.printed("--jobs", str(file))
        self.assertIn("jobs.json", lines[0])
        self.assertEqual(lines[1], bench.HEADER)
        # What cannot be planned is said, and no row.
        self.assertTrue(lines[3].startswith("well: "))
        told = dict(zip([name for name, _ in bench.COLUMNS], map(float, lines[2][bench.NAME :].split()), strict=True))
        report = plan(bench.on_machine(data[0], 1e9)).report
        row = report["operations"][0]
        self.assertAlmostEqual(told["max"], row["max_over_target"], delta=0.001)
        self.assertAlmostEqual(told["within"], row["within_share"], delta=0.001)
        self.assertAlmostEqual(told["ideal x"], report["seconds"] / row["ideal_seconds"], delta=0.001)
        self.assertEqual((told["errors"], told["thin"]), (0, 0))
        # It waits for its acceleration; and a plain path takes longer.
        self.assertGreater(told["5 m/s2 x"], told["ideal x"])
        self.assertGreater(told["plain x"], 1.0)
        self.assertTrue(lines[-1].startswith("within 0.8 to 1.1 of the target"))

    def test_the_bench_machine_is_the_one_it_says(self) -> None:
        data = job(rectangle(40, 30))
        free, held = bench.on_machine(data, 1e9), bench.on_machine(data, 5000)
        self.assertEqual({o.feed for o in (*free.operations, *held.operations)}, {bench.CUT_FEED})
        machines = [getattr(j.machine, "acceleration", None) for j in (free, held)]
        self.assertEqual(machines, [1e9, 5000])
        self.assertEqual(parse_job(data).operations[0].feed, None)
