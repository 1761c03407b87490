"""What the user picks on a part: chains, strips, merged and split areas; a part that changed; stock given wrong."""

import json
import math
import struct

import shapely
from django.test import SimpleTestCase

from justbite.errors import InputError, JobError
from justbite.layout import (
    Layout,
    area_of_chain,
    chain_at,
    lay_out,
    merge,
    region_of,
    split,
    strip_of_chain,
)
from justbite.model.job import Stock
from justbite.model.parse import load_job
from justbite.model.placing import Placing
from justbite.part.compare import compare
from justbite.part.read import kind_of
from tests.core.test_models import ROOT, shape, solid


class PickingTest(SimpleTestCase):
    def layout(self) -> Layout:
        return lay_out(solid("gauge-base"), Placing())

    def test_a_chain_follows_and_closes(self) -> None:
        chain = chain_at(self.layout(), 11, 60, "height", 2.0)
        self.assertTrue(chain.closed)
        area = area_of_chain(self.layout(), chain, False, -18)
        self.assertAlmostEqual(area.area, 102 * 100 - (4 - math.pi) * 64, delta=0.02)
        with self.assertRaises(JobError):
            chain_at(self.layout(), 500, 500, "height", 2.0)

    def test_a_tangent_chain_stops_at_corners_and_its_gap_is_told(self) -> None:
        chain = chain_at(self.layout(), 170, 20, "tangent", 2.0)
        self.assertEqual((chain.closed, round(chain.gap, 6)), (False, 36.0))
        with self.assertRaises(JobError) as caught:
            area_of_chain(self.layout(), chain, False, -5)
        self.assertIn("36.000 mm apart", str(caught.exception))

    def test_a_strip_lies_on_the_side_that_was_said(self) -> None:
        chain = chain_at(self.layout(), 170, 20, "tangent", 2.0)
        left, right = (strip_of_chain(self.layout(), chain, 3.0, side, -5) for side in (False, True))
        self.assertAlmostEqual(left.area, 108.0, places=4)
        self.assertEqual(len(left.open_edges), 3)
        self.assertGreater(shape(left).intersection(shapely.box(170, 0, 180, 40)).area
                           * shape(right).intersection(shapely.box(160, 0, 170, 40)).area, 108.0**2 - 1)  # fmt: skip
        ring = strip_of_chain(self.layout(), chain_at(self.layout(), 38, 72, "height", 1.0), 2.0, False, -5)
        self.assertEqual(len(ring.islands), 1)
        self.assertAlmostEqual(ring.area, math.pi * (14**2 - 12**2), delta=0.2)

    def test_merging_and_splitting(self) -> None:
        square = ((0.0, 0.0, 0.0), (10.0, 0.0, 0.0), (10.0, 10.0, 0.0), (0.0, 10.0, 0.0))
        beside = tuple((x + 10, y, b) for x, y, b in square)
        one = merge([(square, (), (3,), 0, -5), (beside, (), (), 0, -5)])
        self.assertAlmostEqual(one.area, 200.0, places=4)
        self.assertEqual(len(one.open_edges), 1)
        with self.assertRaises(JobError):
            merge([(square, (), (), 0, -5), (beside, (), (), 0, -6)])
        with self.assertRaises(JobError):
            merge([(square, (), (), 0, -5), (tuple((x + 30, y, b) for x, y, b in square), (), (), 0, -5)])
        halves = split(square, (), (), 0, -5, (4, -1), (4, 11))
        self.assertEqual(sorted(round(h.area, 4) for h in halves), [40.0, 60.0])
        self.assertTrue(all(len(h.open_edges) == 1 for h in halves))
        with self.assertRaises(JobError):
            split(square, (), (), 0, -5, (40, -1), (40, 11))


class ChangedPartTest(SimpleTestCase):
    def test_moved_vanished_and_new_areas_are_told(self) -> None:
        features = list(lay_out(solid("gauge-base"), Placing()).features.features)
        regions = [region_of(f) for f in features]
        self.assertEqual({c.what for c in compare(regions, features)}, {"same"})
        pocket = next(r for r in regions if r.name == "pocket 2")
        moved = pocket.model_copy(update={"outline": [(x + 1.5, y, b) for x, y, b in pocket.outline], "bottom": -10.0})
        gone = pocket.model_copy(update={"name": "gone", "outline": [(x + 300, y, b) for x, y, b in pocket.outline]})
        without = [r for r in regions if r.name not in ("pocket 2", "slot")]
        changes = {(c.what, c.region): c for c in compare([*without, moved, gone], features) if c.what != "same"}
        self.assertEqual({w for w, _ in changes}, {"moved", "vanished", "new"})
        said = changes[("moved", "pocket 2")].finding
        assert said is not None
        self.assertIn("1.50 mm off", said.sentence)
        self.assertIn("2.00 mm deeper", said.sentence)


class StockModelTest(SimpleTestCase):
    def test_stock_is_given_in_one_way(self) -> None:
        with self.assertRaises(ValueError):
            Stock.model_validate({})
        job = json.loads((ROOT / "demo" / "sinker.json").read_text())
        job["stock"] = {"cylinder": {"centre": [25, 20], "diameter": -3, "low": -15, "high": 0}}
        with self.assertRaises(InputError) as caught:
            load_job(json.dumps(job))
        self.assertIn("stock, cylinder, diameter", str(caught.exception))

    def test_binary_stl_length_is_checked(self) -> None:
        head = bytes(80) + struct.pack("<I", 5)
        self.assertIsNone(kind_of(head + bytes(49)))
        self.assertEqual(kind_of(head + bytes(250)), "STL")
