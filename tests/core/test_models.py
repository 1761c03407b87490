"""Solids and meshes: what is found against what the demo's script says it built; bad files; placing.

Volumes and areas are held against the reading libraries' own figures and shapely's; the shadow
against closed forms.
"""

import io
import json
import math
import zipfile
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import shapely
import trimesh
from django.test import SimpleTestCase
from shapely.geometry import Polygon

from justbite.errors import JobError, PartError
from justbite.layout import (
    Layout,
    lay_out,
    slices,
)
from justbite.model.drawing import Drawing
from justbite.model.feature import Feature
from justbite.model.parse import load_job
from justbite.model.part import Part
from justbite.model.placing import Datum, FromModel, Margins, Placing, Round, Size
from justbite.model.shapes import ring_points
from justbite.model.stock import extent, fill_heights, footprint, heights, standing
from justbite.part.leftover import leftover
from justbite.part.read import kind_of, read_part
from justbite.part.shadow import shadow

ROOT = Path(__file__).parents[2]
PARTS = ROOT / "demo" / "parts"
BUILT = json.loads((PARTS / "built.json").read_text())


@lru_cache(maxsize=32)
def read(name: str, units: str | None = None) -> Part | Drawing:
    return read_part((PARTS / name).read_bytes(), name, units, 0.02, 0.002)


def solid(name: str) -> Part:
    part = read(f"{name}.step")
    assert isinstance(part, Part)
    return part


def polygon(outline: Any, islands: Any = ()) -> Polygon:
    rings = [np.vstack(ring_points([tuple(p) for p in r], 0.001)) for r in (outline, *islands)]
    return Polygon(rings[0], rings[1:])


def shape(feature: Feature) -> Polygon:
    return polygon(feature.outline, feature.islands)


def off(a: Polygon, b: Polygon) -> float:
    """mm between the borders of two areas, at the worst place."""
    return float(shapely.hausdorff_distance(a.boundary, b.boundary, densify=0.02))


class BuiltTest(SimpleTestCase):
    """Each place that the script built is found, with kind, outline, depth and open edges."""

    def found(self, name: str, kind: str) -> Layout:
        part = read(f"{name}.{kind}", "mm" if kind == "stl" else None)
        if name == "lens-bezel":
            stock: Any = Round(diameter=90.0)
        else:
            stock = Margins()
        return lay_out(part, Placing(stock=stock, datum=Datum(of="part", x="low", y="low", z="part top")))

    def check(self, name: str, kind: str, within: float) -> None:
        layout = self.found(name, kind)
        low = BUILT[name]["low"]
        for place in BUILT[name]["places"]:
            moved = [[[p[0] - low[0], p[1] - low[1], *p[2:]] for p in r] for r in [place["outline"], *place["islands"]]]
            wanted = polygon(moved[0], moved[1:])
            near = [f for f in layout.features.features if shape(f).intersection(wanted).area > 0.9 * wanted.area]
            self.assertTrue(near, f"{name}.{kind}: {place['kind']} at {wanted.centroid} was not found")
            best = min(near, key=lambda f: abs(f.area - wanted.area))
            where = f"{name}.{kind}, {best.name}"
            self.assertLess(off(shape(best), wanted), within, where)
            self.assertAlmostEqual(best.bottom, place["bottom"], delta=0.002, msg=where)
            self.assertAlmostEqual(best.top, place["top"], delta=0.002, msg=where)
            self.assertEqual(best.through, place.get("through", False), where)
            self.assertIn(best.kind, (place["kind"], *ALSO.get(place["kind"], ())), where)
            if "diameter" in place:
                self.assertAlmostEqual(best.diameter or 0, place["diameter"], delta=0.01, msg=where)
            opened = place.get("open")
            if opened == "all":
                self.assertEqual(len(best.open_edges), len(best.outline), where)
            elif opened is not None:
                self.assertEqual(len(best.open_edges), opened, where)
            else:
                self.assertEqual(best.open_edges, (), where)

    def test_solids(self) -> None:
        for name in BUILT:
            self.check(name, "step", 0.005)

    def test_meshes(self) -> None:
        # The STL was written with chords up to 0.02 mm off; its arcs are found again from their corners.
        for name in BUILT:
            self.check(name, "stl", 0.03)

    def test_nothing_is_found_that_was_not_built(self) -> None:
        for name in BUILT:
            features = [f for f in self.found(name, "step").features.features if f.kind not in ("outside", "top face")]
            self.assertEqual(len(features), len(BUILT[name]["places"]), [f.name for f in features])

    def test_volumes_agree_with_the_kernel_and_the_mesh_library(self) -> None:
        """OCP's own volume of the solid against trimesh's of the STL file."""
        for name in BUILT:
            mesh: Any = trimesh.load(PARTS / f"{name}.stl")
            self.assertAlmostEqual(solid(name).bodies[0].volume / mesh.volume, 1.0, delta=5e-4, msg=name)

    def test_counterbore_chamfer_fillet_and_corners_are_told(self) -> None:
        base = self.found("gauge-base", "step").features
        self.assertIn("counterbore 11 mm, 6 mm deep", next(f for f in base.features if f.diameter == 6.6 or
                      abs((f.diameter or 0) - 6.6) < 0.01).note)  # fmt: skip
        told = {(d.kind, d.size) for d in base.details}
        self.assertIn(("chamfer", 1.0), told)
        self.assertIn(("inside corner", 8.0), told)
        self.assertIn(("fillet", 3.0), {(d.kind, d.size) for d in self.found("anchor-shoe", "step").features.details})

    def test_what_an_area_asks_of_a_cutter(self) -> None:
        """Closed forms: corner radius 6 -> 12 mm; slot 9 mm wide; sinker's ring 14 - 5 = 9 mm at its narrowest."""
        by = {f.name: f for f in self.found("gauge-base", "step").features.features}
        self.assertAlmostEqual(by["pocket 2"].largest_cutter or 0, 12.0, delta=0.05)
        self.assertAlmostEqual(by["slot"].narrowest or 0, 9.0, delta=0.05)
        self.assertIsNone(by["boss top"].largest_cutter)
        self.assertEqual(by["boss top"].after, ("pocket 1",))
        pocket = self.found("sinker", "step").features.features[0]
        self.assertAlmostEqual(pocket.narrowest or 0, 9.0, delta=0.05)
        self.assertAlmostEqual(pocket.inside_radius or 0, 5.0, delta=0.01)


ALSO = {"pocket": ("slot",), "half-open pocket": ("half-open slot",)}
"""A long pocket of one width may be told as a slot."""


class SamePartTest(SimpleTestCase):
    def test_step_dxf_and_svg_give_the_same_areas(self) -> None:
        for name in BUILT:
            placing = Placing(datum=Datum(of="part", x="low", y="low", z="part top"))
            layouts = [lay_out(read(f"{name}.{kind}"), placing) for kind in ("step", "dxf", "svg")]
            model, dxf, svg = ([shape(f) for f in lay.features.features] for lay in layouts)
            low = BUILT[name]["low"]
            for place in BUILT[name]["places"]:
                if place["kind"] in ("boss top", "terrace step"):
                    continue
                ring = [[p[0] - low[0], p[1] - low[1], *p[2:]] for p in place["outline"]]
                islands = [[[p[0] - low[0], p[1] - low[1], *p[2:]] for p in r] for r in place["islands"]]
                wanted = polygon(ring, islands)
                same = [min(shapes, key=lambda g: g.symmetric_difference(wanted).area) for shapes in (dxf, svg)]
                self.assertLess(off(same[0], same[1]), 0.01, (name, place["kind"]))
                if name != "lens-bezel" or place["kind"] == "hole":
                    own = min(model, key=lambda g: g.symmetric_difference(wanted).area)
                    self.assertLess(off(own, same[0]), 0.01, (name, place["kind"]))


class BadFilesTest(SimpleTestCase):
    def refused(self, data: bytes, name: str, said: str) -> None:
        with self.assertRaises(PartError) as caught:
            read_part(data, name, None, 0.02, 0.002)
        self.assertIn(said, str(caught.exception))

    def test_what_cannot_be_read_is_said_in_a_sentence(self) -> None:
        step = (PARTS / "sinker.step").read_bytes()
        stl = (PARTS / "sinker.stl").read_bytes()
        self.refused(b"", "part.step", "empty")
        self.refused(step[: len(step) // 2], "part.step", "ends too early")
        self.refused(b"no part at all", "part.txt", "none of STEP")
        self.refused(b"no part at all", "part.step", "not a STEP")
        self.refused(b"ISO-10303-21;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "a.step", "describes nothing")
        self.refused(stl[:-30], "part.stl", "cut off")
        self.refused(b"solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0\n", "part.stl", "STL")
        self.refused(b"PK\x03\x04" + bytes(100), "part.3mf", "3MF")
        self.refused(b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M 0 0", "part.svg", "SVG")
        self.refused(b"<svg xmlns='http://www.w3.org/2000/svg'></svg>", "part.svg", "no paths")

    def test_a_flat_mesh_is_refused_and_holes_and_turned_facets_are_said(self) -> None:
        box = trimesh.creation.box((20, 10, 5))
        flat = box.copy()
        flat.apply_scale((1, 1, 0))
        self.refused(flat.export(file_type="stl"), "flat.stl", "flat")
        box.faces = box.faces[1:]
        box.faces[3] = box.faces[3][::-1]
        found = {
            f.code: f.sentence for f in read_part(box.export(file_type="stl"), "a.stl", "mm", 0.02, 0.002).findings
        }
        self.assertIn("3 edges have one facet only", found["part.not-closed"])
        self.assertIn("1 facets of body 1 faced inwards", found["part.turned-facets"])

    def test_a_file_named_as_what_it_is_not_is_read_as_what_it_is(self) -> None:
        part = read_part((PARTS / "sinker.step").read_bytes(), "sinker.stl", None, 0.02, 0.002)
        self.assertIn("named as STL, but holds STEP", part.findings[0].sentence)
        self.assertEqual(kind_of((PARTS / "sinker.dxf").read_bytes()), "DXF")
        self.assertEqual(kind_of((PARTS / "sinker.svg").read_bytes()), "SVG")

    def test_units(self) -> None:
        box = trimesh.creation.box((2, 1, 0.5)).export(file_type="stl")
        part = read_part(box, "a.stl", None, 0.02, 0.002)
        assert isinstance(part, Part)
        self.assertFalse(part.units_known)
        self.assertIn("2.00 × 1.00 × 0.50 mm", part.findings[0].sentence)
        inch = read_part(box, "a.stl", "in", 0.02, 0.002)
        assert isinstance(inch, Part)
        self.assertAlmostEqual(float(np.ptp(inch.bodies[0].vertices[:, 0])), 50.8)
        svg = (
            b'<svg xmlns="http://www.w3.org/2000/svg" width="4in" height="2in" viewBox="0 0 4 2">'
            b'<rect x="1" y="0.5" width="2" height="1"/></svg>'
        )
        drawing = read_part(svg, "a.svg", None, 0.02, 0.002)
        assert isinstance(drawing, Drawing)
        self.assertEqual((drawing.units, drawing.units_known), ("in", True))
        self.assertAlmostEqual(drawing.areas[0].area, 2 * 25.4**2, delta=0.01)

    def test_3mf_says_its_units_and_may_hold_several_bodies(self) -> None:
        aside = trimesh.transformations.translation_matrix((30, 0, 0))
        scene = trimesh.Scene([trimesh.creation.box((10, 10, 10)), trimesh.creation.box((4, 4, 4), aside)])
        part = read_part(scene.export(file_type="3mf"), "a.3mf", None, 0.02, 0.002)
        assert isinstance(part, Part)
        self.assertEqual([round(b.volume) for b in part.bodies], [1000, 64])
        folder = io.BytesIO()
        with zipfile.ZipFile(folder, "w") as z:
            z.writestr("other.txt", "nothing")
        self.refused(folder.getvalue(), "a.3mf", "holds no 3MF model")


class ShadowTest(SimpleTestCase):
    def test_a_ball_and_a_bowl_against_closed_forms(self) -> None:
        """Above height z a ball of radius R covers its whole disc below the middle, a cap's disc above it."""
        ball = trimesh.creation.icosphere(subdivisions=5, radius=10)
        for z, radius in ((-5.0, 10.0), (6.0, 8.0), (8.0, 6.0)):
            area = shadow(np.asarray(ball.vertices), np.asarray(ball.faces, dtype=np.int32), z).area
            self.assertAlmostEqual(area / (math.pi * radius**2), 1.0, delta=0.004)
        self.assertTrue(shadow(np.asarray(ball.vertices), np.asarray(ball.faces, dtype=np.int32), 10.5).is_empty)

    def test_an_overhang_covers_what_lies_below_it(self) -> None:
        table: Any = trimesh.util.concatenate([trimesh.creation.box((4, 4, 10)),
                trimesh.creation.box((20, 20, 2), trimesh.transformations.translation_matrix((0, 0, 6)))])  # fmt: skip
        below = shadow(np.asarray(table.vertices), np.asarray(table.faces, dtype=np.int32), 0.0)
        self.assertAlmostEqual(below.area, 400.0, places=2)

    def test_slices_of_a_sloped_pocket(self) -> None:
        """The shoe's pocket is 60 × 24 at its floor and 80 × 44 at the top, 20 mm deep."""
        layout = lay_out(solid("anchor-shoe"), Placing())
        pocket = next(f for f in slices(layout, -10.0) if f.area > 2000 and not f.open_edges)
        self.assertAlmostEqual(pocket.area, 70 * 34, delta=0.5)
        with self.assertRaises(JobError):
            slices(layout, 5.0)


class PlacingTest(SimpleTestCase):
    def test_turning_keeps_the_part_and_finds_other_features(self) -> None:
        part = solid("anchor-shoe")
        size = np.ptp(part.bodies[0].vertices, axis=0)
        for up, swapped in (((0, 0, 1), [0, 1, 2]), ((0, -1, 0), [0, 2, 1]), ((1, 0, 0), [1, 2, 0])):
            layout = lay_out(part, Placing(up=up))
            low, high = np.array(layout.features.bounds)
            self.assertTrue(np.allclose(high - low, size[swapped]), (up, high - low))
            self.assertAlmostEqual(float(np.linalg.det(layout.matrix[:3, :3])), 1.0)
        self.assertEqual(lay_out(part, Placing(up=(0, 0, -1))).features.features, ())
        turned = lay_out(part, Placing(turn=90))
        self.assertTrue(np.allclose(np.ptp(np.array(turned.features.bounds), axis=0)[:2], size[[1, 0]]))

    def test_the_datum(self) -> None:
        part = solid("sinker")
        stock = Margins(x=(2, 4), y=(1, 1), z=(3, 5))
        middle = lay_out(part, Placing(stock=stock, datum=Datum(of="stock", x="middle", y="high", z="part top")))
        low, high = extent(middle.stock, 0.01)
        self.assertTrue(np.allclose([low, high], [[-28, -42, -18], [28, 0, 5]]))
        hole = lay_out(part, Placing(datum=Datum(of="point", point=(25, 20, 0), z="part bottom")))
        self.assertTrue(np.allclose(hole.features.bounds, [[-25, -20, 0], [25, 20, 15]]))

    def test_stock_by_size_must_hold_the_part(self) -> None:
        part = solid("sinker")
        layout = lay_out(part, Placing(stock=Size(size=(60, 50, 20), off_top=2, x="low")))
        self.assertTrue(np.allclose(layout.features.bounds, [[0, 5, -17], [50, 45, -2]]))
        for size, said in (((40, 50, 20), "50.000 mm"), ((60, 50, 16), "17.000 mm")):
            with self.assertRaises(JobError) as caught:
                lay_out(part, Placing(stock=Size(size=size, off_top=2)))
            self.assertIn(said, str(caught.exception))

    def test_round_stock(self) -> None:
        part = solid("lens-bezel")
        standing_ = lay_out(part, Placing(stock=Round(diameter=95, off_end=1))).stock
        self.assertAlmostEqual(footprint(standing_, 0.001).area, math.pi * 47.5**2, delta=0.5)
        lying = lay_out(part, Placing(up=(1, 0, 0), stock=Round(axis="x", diameter=100))).stock
        volume = sum(g.area * (z - heights(lying)[0]) for g, z in fill_heights(lying, 0.01))
        x = extent(lying, 0.01)
        # The strips stand for half the cylinder's height above its lowest line, and what lies below the middle.
        self.assertAlmostEqual(volume, (math.pi / 8 * 100**2 + 50 * 100) * (x[1][0] - x[0][0]), delta=0.003 * volume)
        self.assertLess(standing(lying, heights(lying)[1] - 1.0, 0.01).area, footprint(lying, 0.01).area / 4)

    def test_an_open_edge_reaches_through_the_stocks_margin(self) -> None:
        flush = lay_out(solid("gauge-base"), Placing(datum=Datum(of="part")))
        margin = lay_out(solid("gauge-base"), Placing(stock=Margins(x=(5, 5), y=(5, 5)), datum=Datum(of="part")))
        slot, wide = (next(f for f in lay.features.features if f.kind == "half-open slot") for lay in (flush, margin))
        self.assertAlmostEqual(wide.area - slot.area, 5 * 18, delta=0.05)
        self.assertEqual(len(wide.open_edges), 1)
        edge = wide.outline[wide.open_edges[0]]
        self.assertAlmostEqual(edge[0], 175.0, places=3)

    def test_what_an_earlier_setup_left(self) -> None:
        job = load_job((ROOT / "demo" / "gauge-base.json").read_text())
        body = leftover(job)
        swept = job.stock.box
        assert swept is not None
        whole = 170 * 120 * 25
        cut = whole - body.volume
        plan = sum(polygon(r.outline, r.islands).area * (r.top - r.bottom) for r in job.regions)
        self.assertLess(cut, plan)
        self.assertGreater(cut, 0.93 * plan)
        layout = lay_out(solid("gauge-base"), Placing(stock=FromModel(job=1)), (body, np.eye(4)))
        assert layout.stock.terraces is not None
        self.assertEqual(sorted({round(p.top, 2) for p in layout.stock.terraces}), [-17.9, -11.9, -9.9, -7.9, 0.0])
        volume = 0.0
        below = 0.0
        for top in sorted({p.top for p in layout.stock.terraces}):
            volume += standing(layout.stock, top - 1e-6, 0.002).area * (top - below if below else top + 25)
            below = top
        self.assertAlmostEqual(volume / body.volume, 1.0, delta=2e-3)

    def test_the_part_travels_packed(self) -> None:
        part = solid("sinker")
        again = Part.unpacked(part.packed())
        self.assertEqual(again.bodies[0].faces, part.bodies[0].faces)
        self.assertTrue(np.array_equal(again.bodies[0].vertices, part.bodies[0].vertices))
        drawing = read("sinker.dxf")
        assert isinstance(drawing, Drawing)
        self.assertEqual(Drawing.unpacked(drawing.packed()), drawing)
