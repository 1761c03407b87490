"""The program held against the part itself: cuts into it by closed form, and what the areas of a job do not tell."""

import json
import math
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path
from typing import Any

import numpy as np
import shapely
import trimesh
from django.test import SimpleTestCase
from numpy.typing import NDArray

from justbite.cli import main
from justbite.model.moves import COUNTERCLOCKWISE, CUT, LINE, RAPID, Moves
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.part.beyond import SWING, _without_holes, with_standing
from justbite.plan import plan
from justbite.proof.against import FEWEST, SIDE, held_against, lower_end, raise_surface
from justbite.proof.remains import remains
from tests.core.test_leading import slot_into_groove

Corners = NDArray[np.float64]


def triangles(mesh: trimesh.Trimesh) -> Corners:
    return np.asarray(mesh.vertices[mesh.faces], dtype=float)


def block(low: tuple[float, float, float], high: tuple[float, float, float]) -> Corners:
    return triangles(trimesh.creation.box(bounds=[low, high]))


def moves(*ends: tuple[float, float, float], kind: int = LINE, operation: int = 0) -> Moves:
    """Straight blocks from far above the first end."""
    count = len(ends)
    return Moves(
        start=np.array([*ends[0][:2], 50.0]), kind=np.full(count, kind, np.uint8), end=np.array(ends, float),
        centre=np.full((count, 2), np.nan), feed=np.full(count, 1000.0), part=np.full(count, CUT, np.uint8),
        operation=np.full(count, operation, np.int16), z_level=np.zeros(count), depth=np.zeros(count, np.float32),
        line=np.arange(count, dtype=np.int32) + 1,
    )  # fmt: skip


class SurfaceTest(SimpleTestCase):
    def test_a_cone_stands_as_high_as_its_slope_says(self) -> None:
        cone = triangles(trimesh.creation.cone(radius=10.0, height=8.0, sections=720))
        surface = np.full((201, 201), -np.inf)
        raise_surface(cone, -10.0, -10.0, 0.1, surface)
        y, x = np.mgrid[-10:10:201j, -10:10:201j]
        far = np.hypot(x, y)
        inside = far < 9.9
        np.testing.assert_allclose(surface[inside], (8.0 * (1 - far / 10))[inside], atol=0.01)
        self.assertTrue(np.isinf(surface[far > 10.01]).all())

    def test_the_end_of_a_cutter_lowers_a_disc(self) -> None:
        lowest = np.full((101, 101), np.inf)
        lower_end(np.array([[5.0, 5.0, -2.0], [5.0, 5.0, -1.0]]), 3.0, 0.0, 0.0, 0.1, lowest)
        self.assertAlmostEqual(np.isfinite(lowest).sum() * 0.01, math.pi * 9, delta=0.2)
        self.assertEqual(lowest[50, 50], -2.0)


class CutIntoTest(SimpleTestCase):
    """A block of 40 x 30 mm with its top at 0, and a cutter of 10 mm that goes along its long side."""

    PART = block((0, 0, -20), (40, 30, 0))
    CUTTER = ((5.0, 0.0),)

    def along(self, y: float, z: float) -> Moves:
        return moves((-10, y, z), (50, y, z))

    def test_beside_and_over_the_part_nothing_is_cut_into(self) -> None:
        for y, z in ((-5.0, -10.0), (-5.0 + 0.5 * SIDE, -10.0), (15.0, 0.0), (15.0, 1.0)):
            self.assertEqual(held_against(self.PART, self.along(y, z), self.CUTTER).cuts, [], (y, z))

    def test_how_deep_and_how_wide(self) -> None:
        """0.8 mm into the wall and 10 deep; 0.3 mm below the top and as wide as the cutter."""
        (wall,) = held_against(self.PART, self.along(-4.2, -10.0), self.CUTTER).cuts
        self.assertAlmostEqual(wall.deep, 10.0)
        self.assertAlmostEqual(wall.area, 40 * 0.8, delta=40 * 0.15)
        self.assertLess(wall.at[1], 0.9)
        (top,) = held_against(self.PART, self.along(15.0, -0.3), self.CUTTER).cuts
        self.assertAlmostEqual(top.deep, 0.3)
        self.assertAlmostEqual(top.area, 40 * 10, delta=40 * 0.3)
        self.assertEqual(top.at[2], -0.3)

    def test_arcs_and_rapids_count(self) -> None:
        one = moves((20, 15, -1), kind=RAPID)
        (hit,) = held_against(self.PART, one, self.CUTTER).cuts
        self.assertAlmostEqual(hit.area, math.pi * 25, delta=2.0)
        arc = moves((60, 15, -1), (-20, 15, -1))
        arc.kind[1], arc.centre[1] = COUNTERCLOCKWISE, (20, 15)
        # Half a circle of 40 mm round the block stays off it; of 22 mm it does not.
        self.assertEqual(held_against(self.PART, arc, self.CUTTER).cuts, [])
        arc.end[0, 0], arc.end[1, 0] = 42, -2
        arc.start[0] = 60
        self.assertTrue(held_against(self.PART, arc, self.CUTTER).cuts)

    def test_a_bull_nose_may_stand_over_a_fillet(self) -> None:
        """A step with a fillet of 2 mm at the foot of its wall, as 20 facets; a corner radius of 2 mm fits it."""
        angles = np.linspace(0.0, np.pi / 2, 21)
        foot = [(-2 + 2 * math.sin(a), -8 - 2 * math.cos(a)) for a in angles]
        profile = [(-30.0, -20.0), (-30.0, -10.0), *foot, (0.0, 0.0), (20.0, 0.0), (20.0, -20.0)]
        strips = [np.array([[x, y, z] for x, z in profile]) for y in (0.0, 40.0)]
        quads = zip(strips[0][:-1], strips[0][1:], strips[1][1:], strips[1][:-1], strict=True)
        step = np.array([t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))])
        path = moves((-5, -10, -10), (-5, 50, -10))
        self.assertEqual(held_against(step, path, [(5.0, 2.0)]).cuts, [])
        (flat,) = held_against(step, path, [(5.0, 0.0)]).cuts
        self.assertGreater(flat.deep, 1.0)

    def test_each_operation_is_told_what_it_cut_first(self) -> None:
        first, then = self.along(-4.2, -10.0), self.along(-4.0, -5.0)
        both = moves(*first.end, *then.end)
        both.operation[2:] = 1
        found = held_against(self.PART, both, [self.CUTTER[0]] * 2).cuts
        self.assertEqual([c.operation for c in found], [0, 1])
        self.assertLess(found[1].area, 0.5 * found[0].area)

    def test_single_places_are_no_cut(self) -> None:
        """A needle of a triangle that stands up from the block: a fault of a mesh."""
        needle = np.array([[[10.0, 10.0, 0.0], [10.12, 10.0, 0.0], [10.0, 10.12, 9.0]]])
        mesh = np.concatenate([self.PART, needle])
        self.assertEqual(held_against(mesh, self.along(15.0, 0.1), self.CUTTER).cuts, [])
        self.assertGreater(FEWEST, 1)


class PartTest(SimpleTestCase):
    """A job that is told wrong: the slot is said to be open where the block goes on, or its floor too deep."""

    def job(self, open_edges: tuple[int, ...] = (3,), bottom: float = -6.0) -> dict[str, Any]:
        data = slot_into_groove()
        data["regions"][1] |= {"open_edges": list(open_edges), "bottom": bottom}
        return data

    @staticmethod
    def part() -> trimesh.Trimesh:
        whole = trimesh.creation.box(bounds=[(0, 0, -20), (60, 40, 0)])
        groove = trimesh.creation.box(bounds=[(10, -1, -12), (24, 41, 1)])
        slot = trimesh.creation.box(bounds=[(23, 13, -6), (55, 27, 1)])
        return trimesh.boolean.difference([whole, groove, slot], engine="manifold")

    def test_a_floor_that_the_job_tells_too_deep(self) -> None:
        for wrong in (False, True):
            job = self.job(bottom=-7.0 if wrong else -6.0)
            report = plan(parse_job(job), part=triangles(self.part())).report
            found = [w for w in report["warnings"] if w["code"] == "proof.into-part"]
            self.assertEqual(len(found), int(wrong))
            self.assertEqual(report["into_part"]["area_mm2"] > 1.0, wrong)
            # The rest of the proof asks the job, and has no word of it.
            self.assertEqual(report["operations"][0]["gouge_mm"], 0)
        self.assertIsNone(plan(parse_job(self.job())).report["into_part"])

    def test_a_wall_that_the_job_calls_open_is_kept_off(self) -> None:
        """Without the part the cutter swings out through it: 40 mm2 at least, of 14 mm by a radius."""
        wrong, body = parse_job(self.job((1, 3))), triangles(self.part())
        self.assertLess(plan(wrong, part=body).report["into_part"]["area_mm2"], 0.01)
        blind = plan(wrong)
        cutter = wrong.tool(wrong.operations[0].tool)
        (into,) = held_against(body, read_program(blind.program), [(cutter.diameter / 2, cutter.corner_radius)]).cuts
        self.assertGreater(into.area, 40.0)

    def test_what_stands_beyond_an_open_edge(self) -> None:
        """Beyond the slot's end all 5 mm of the block; beyond the groove as much as a cutter may swing out to."""
        job = parse_job(self.job((1, 3)))
        slot = with_standing(job, triangles(self.part()), 0.002)[0].regions[1]
        first, last = sorted((shapely.Polygon(r).bounds for r in slot.standing), key=lambda b: b[0])
        reach = SWING * job.tool(job.operations[0].tool).diameter / 2
        np.testing.assert_allclose(first, (24 - reach, 13, 10, 27), atol=0.01)
        np.testing.assert_allclose(last, (55, 13, 60, 27), atol=0.01)

    def test_stock_that_no_area_cuts_is_cut_with_the_area_before_it(self) -> None:
        """The slot is open into the groove, which this job does not cut: 14 mm of stock at the slot's whole width."""
        data = self.job()
        del data["regions"][0]
        data["operations"][0]["regions"] = ["slot"]
        job, found = with_standing(parse_job(data), triangles(self.part()), 0.002)
        (ring,) = job.regions[0].uncut
        np.testing.assert_allclose(shapely.Polygon(ring).bounds, (10, 13, 24, 27), atol=0.03)
        self.assertEqual(found, [])
        report = plan(parse_job(data), part=triangles(self.part())).report
        (row,) = report["operations"]
        self.assertLess(row["max_over_target"], 1.05)
        self.assertEqual(report["into_part"]["area_mm2"], 0)
        corners = (4 - math.pi) * (job.tool(job.operations[0].tool).diameter / 2) ** 2
        whole = 6.0 * (45 * 14 - corners)
        self.assertAlmostEqual(row["removed_mm3"], whole, delta=0.01 * whole)
        self.assertNotIn("area.open-into-stock", [w["code"] for w in report["warnings"]])
        # Nobody knows of the groove where the part is not known: the edge is taken at its word.
        blind = plan(parse_job(data)).report
        self.assertIn("area.open-into-stock", [w["code"] for w in blind["warnings"]])
        self.assertLess(blind["operations"][0]["removed_mm3"], 6.0 * 31 * 14)

    def test_stock_that_goes_on_is_a_wall(self) -> None:
        """The stock goes 50 mm on beyond the part, and the slot through it is open at that end."""
        data = self.job((1, 3)) | {"stock": {"box": {"min": [0, 0, -20], "max": [110, 40, 0]}}}
        data["regions"][1]["outline"] = [[24, 13], [60, 13], [60, 27], [24, 27]]
        job, (told,) = with_standing(parse_job(data), triangles(self.part()), 0.002)
        self.assertEqual((told.code, told.area), ("area.open-into-stock", "slot"))
        (wall,) = [b for r in job.regions[1].standing if (b := shapely.Polygon(r).bounds)[0] > 50]
        reach = SWING * job.tool(job.operations[0].tool).diameter / 2
        np.testing.assert_allclose(wall, (60, 13, 60 + reach, 27), atol=0.03)
        # A margin that the cutter passes over ends: it is cut with the slot.
        data["stock"]["box"]["max"][0] = 64.0
        job, found = with_standing(parse_job(data), triangles(self.part()), 0.002)
        self.assertEqual(found, [])
        np.testing.assert_allclose(shapely.Polygon(job.regions[1].uncut[0]).bounds, (60, 13, 64, 27), atol=0.03)

    def test_a_wall_with_a_hole_in_it_stands_round_it(self) -> None:
        ring = shapely.box(0, 0, 10, 10).difference(
            shapely.union_all([shapely.box(2, 2, 4, 4), shapely.box(6, 5, 8, 8)])
        )
        pieces = _without_holes(ring)
        self.assertFalse(any(p.interiors for p in pieces))
        self.assertAlmostEqual(shapely.union_all(pieces).symmetric_difference(ring).area, 0.0, places=9)

    def test_what_stands_where_no_area_goes_is_told(self) -> None:
        """The slot, 31 x 14 mm and 6 deep, is left out of the job; with it nothing stands but films."""
        data = self.job()
        report = plan(parse_job(data), part=triangles(self.part())).report
        self.assertEqual(report["stands_mm3"], 0)
        self.assertNotIn("part.stands", [w["code"] for w in report["warnings"]])
        data["operations"][0]["regions"] = ["groove"]
        report = plan(parse_job(data), part=triangles(self.part())).report
        self.assertAlmostEqual(report["stands_mm3"], 31 * 14 * 6, delta=0.02 * 31 * 14 * 6)
        (told,) = (w for w in report["warnings"] if w["code"] == "part.stands")
        self.assertIn(f"{report['stands_mm3'] / 1000:.2f} cm³, here 6.0 mm high", told["sentence"])
        self.assertTrue(24 < told["x"] < 55 and 13 < told["y"] < 27 and abs(told["z"]) < 1e-6)
        self.assertIsNone(plan(parse_job(data)).report["stands_mm3"])

    def test_what_stands_on_a_slope(self) -> None:
        """A block of 60 x 40 mm whose top falls by 10 mm over its length; a film of 0.4 mm is none."""
        corners = np.array([(x, y, z) for x, z in ((0, -20), (60, -20), (60, -10), (0, 0)) for y in (0.0, 40.0)])
        wedge = triangles(trimesh.convex.convex_hull(corners))
        data = self.job()
        data["operations"][0]["regions"] = ["groove"]
        nothing = moves((-50, -50, 5))
        left = remains(held_against(wedge, nothing, [(5.0, 0.0)]), parse_job(data), 0.01)
        # But for the end that is lower than THICK, and the groove, which goes down to -12.
        low, high = 40 * (10**2 - 3**2) / 12, 40 * (60**2 - 24**2) / 12
        self.assertEqual(len(left), 2)
        self.assertAlmostEqual(left[0].volume, high, delta=0.02 * high)
        self.assertAlmostEqual(left[1].volume, low, delta=0.1 * low)
        self.assertAlmostEqual(left[0].high, 10.0, delta=0.05)
        flat = block((0, 0, -20), (60, 40, -0.4))
        self.assertEqual(remains(held_against(flat, nothing, [(5.0, 0.0)]), parse_job(data), 0.01), [])

    def test_on_the_command_line(self) -> None:
        with (
            tempfile.TemporaryDirectory() as folder,
            redirect_stdout(StringIO()),
            redirect_stderr(StringIO()) as said,
        ):
            here = Path(folder)
            (here / "job.json").write_text(json.dumps(self.job(bottom=-7.0)))
            self.part().export(here / "part.stl")
            asked = ["plan", str(here / "job.json"), "--out", str(here), "--part", str(here / "part.stl")]
            self.assertEqual(main(asked), 0, said.getvalue())
            report = json.loads((here / "report.json").read_text())
            self.assertIn("proof.into-part", [w["code"] for w in report["warnings"]])
            (here / "part.stl").write_text("no mesh")
            self.assertEqual(main(asked), 2)
            self.assertIn("STL", said.getvalue())
