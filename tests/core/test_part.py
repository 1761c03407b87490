"""Drawings made here with ezdxf, read back, and compared with shapely and closed forms."""

import io
import math
from collections.abc import Callable
from typing import Any

import ezdxf
from django.test import SimpleTestCase

from justbite.errors import PartError
from justbite.model.drawing import Drawing
from justbite.model.shapes import polygon_of
from justbite.part.dxf import MOST_BYTES, read_dxf


def drawing(draw: Callable[[Any], None], units: int = 4, ask: str | None = None) -> Drawing:
    document = ezdxf.new(units=units)
    draw(document.modelspace())
    text = io.StringIO()
    document.write(text)
    return read_dxf(text.getvalue().encode(), ask, 0.02, 0.002)


class DxfTest(SimpleTestCase):
    def test_loose_lines_and_arcs_become_one_outline(self) -> None:
        def draw(m: Any) -> None:
            m.add_line((0, 0), (50, 0))
            m.add_line((50, 30), (50, 0.015))
            m.add_arc((40, 30), 10, 0, 90)
            m.add_line((40, 40), (0, 40))
            m.add_line((0, 40), (0, 0))
            m.add_circle((20, 20), 5)

        read = drawing(draw)
        self.assertEqual([len(a.islands) for a in read.areas], [1])
        expected = 50 * 40 - (1 - math.pi / 4) * 100 - math.pi * 25
        self.assertAlmostEqual(read.areas[0].area, expected, delta=0.4)
        self.assertEqual(read.findings, ())

    def test_curves_against_their_areas(self) -> None:
        def draw(m: Any) -> None:
            m.add_ellipse((0, 0), (20, 0), 0.5)
            m.add_lwpolyline([(100, 0, 0), (120, 0, 1), (120, 20, 0), (100, 20, 0)], format="xyb", close=True)
            m.add_arc((200, 0), 10, 30, 330)
            m.add_line((200 + 10 * math.cos(math.pi / 6), 5), (200 + 10 * math.cos(math.pi / 6), -5))
            m.add_spline([(300, 0), (320, 10), (330, 30), (300, 0)])

        areas = sorted(a.area for a in drawing(draw).areas)
        self.assertEqual(len(areas), 4)
        segment = 100 * (math.radians(300) - math.sin(math.radians(300))) / 2
        for expected in (math.pi * 200, 400 + math.pi * 50, segment):
            self.assertTrue(any(abs(a - expected) < 0.002 * expected for a in areas), (expected, areas))

    def test_a_vertex_drawn_twice_keeps_the_bulge_that_goes_on(self) -> None:
        def draw(m: Any) -> None:
            points = [(0, 0, 0), (20, 0, 0), (20, 0, 1), (20, 8, 0), (0, 8, 0), (0, 8, 1)]
            m.add_lwpolyline(points, format="xyb", close=True)

        self.assertAlmostEqual(drawing(draw).areas[0].area, 160 + math.pi * 16, delta=0.1)

    def test_open_chain_says_place_and_width(self) -> None:
        def draw(m: Any) -> None:
            m.add_lwpolyline([(0, 0), (40, 0), (40, 30), (0.3, 0.4)])
            m.add_circle((100, 0), 4)

        read = drawing(draw)
        self.assertEqual(len(read.areas), 1)
        (finding,) = read.findings
        self.assertEqual(finding.code, "part.open-chain")
        self.assertAlmostEqual(finding.size or 0, 0.5)
        self.assertAlmostEqual(finding.x or 0, 0.15)

    def test_layers_nest_for_themselves(self) -> None:
        def draw(m: Any) -> None:
            for layer, size in (("PLATE", 100), ("POCKET", 60), ("POCKET", 30), ("POCKET", 10)):
                c = 50 - size / 2
                m.add_lwpolyline(
                    [(c, c), (c + size, c), (c + size, c + size), (c, c + size)],
                    close=True,
                    dxfattribs={"layer": layer},
                )

        read = drawing(draw)
        self.assertEqual([(a.layer, len(a.islands)) for a in read.areas], [("PLATE", 0), ("POCKET", 1), ("POCKET", 0)])

    def test_units(self) -> None:
        def square(m: Any) -> None:
            m.add_lwpolyline([(0, 0), (2, 0), (2, 2), (0, 2)], close=True)

        self.assertAlmostEqual(drawing(square, units=1).areas[0].area, 4 * 25.4**2)
        silent = drawing(square, units=0)
        self.assertFalse(silent.units_known)
        self.assertEqual(silent.findings[0].code, "part.units-unknown")
        self.assertAlmostEqual(drawing(square, units=0, ask="in").areas[0].area, 4 * 25.4**2)

    def test_mirrored_and_nested_blocks(self) -> None:
        def draw(m: Any) -> None:
            block = m.doc.blocks.new("B")
            block.add_lwpolyline([(0, 0, 0), (10, 0, 1), (10, 8, 0), (0, 8, 0)], format="xyb", close=True)
            m.add_blockref("B", (5, 5), dxfattribs={"xscale": -1, "rotation": 30})

        read = drawing(draw)
        self.assertAlmostEqual(read.areas[0].area, 80 + math.pi * 8, delta=0.1)
        self.assertLess(polygon_of(list(read.areas[0].outline), 0.01, "x").bounds[0], 0)

    def test_what_cannot_be_an_outline_is_said(self) -> None:
        def draw(m: Any) -> None:
            m.add_circle((0, 0), 4)
            m.add_hatch()
            m.add_text("REV A")

        self.assertEqual([f.code for f in drawing(draw).findings], ["part.skipped-entity"])

    def test_bad_files_get_one_sentence(self) -> None:
        empty = io.StringIO()
        ezdxf.new().write(empty)
        cases = {
            b"": "not a DXF",
            b"hello": "not a DXF",
            b"\x89PNG\r\n\x1a\n" + bytes(500): "not a DXF",
            empty.getvalue().encode(): "holds no lines",
            bytes(MOST_BYTES + 1): "25 MB",
        }
        for data, said in cases.items():
            with self.assertRaises(PartError) as caught:
                read_dxf(data, None, 0.02, 0.002)
            self.assertIn(said, str(caught.exception))
