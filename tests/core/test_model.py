"""Job files, shapes, quantities, errors: what is accepted, and how a fault is said."""

import copy
import json
import math
import pickle
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import pint
import shapely
from django.test import SimpleTestCase

from justbite.errors import InputError, JobError
from justbite.model.borders import grown, mitred
from justbite.model.job import Job
from justbite.model.parse import load_job, parse_job
from justbite.model.shapes import NOTHING, free_space, open_chains, polygon_of, region_shape
from justbite.prepare import check_job
from justbite.units import read_quantity

DEMO = Path(__file__).parents[2] / "demo"


def document() -> dict[str, Any]:
    return json.loads((DEMO / "gauge-base.json").read_text())


class JobFileTest(SimpleTestCase):
    def faults(self, change: Any) -> list[str]:
        """The sentences that a changed demo job is refused with."""
        data = document()
        change(data)
        with self.assertRaises(JobError) as caught:
            check_job(parse_job(data))
        return caught.exception.faults

    def test_demo_jobs_are_sound(self) -> None:
        for file in DEMO.glob("*.json"):
            check_job(load_job(file.read_bytes()))

    def test_schema_names_what_the_job_file_has(self) -> None:
        schema = Job.model_json_schema()
        for name in ("machine", "material", "tools", "stock", "regions", "operations"):
            self.assertIn(name, schema["properties"])

    def test_regions_read_before_are_known_by_what_they_are(self) -> None:
        first = parse_job(document())
        data = document()
        data["regions"][0]["outline"][0][0] -= 1.0
        again = parse_job(data)
        self.assertIsNot(again.regions[0], first.regions[0])
        self.assertNotEqual(again.regions[0].outline, first.regions[0].outline)
        self.assertTrue(all(a is b for a, b in zip(again.regions[1:], first.regions[1:], strict=True)))
        self.assertEqual(again, Job.model_validate(data))

    def test_negative_depth(self) -> None:
        said = self.faults(lambda d: d["regions"][0].update(bottom=5))
        self.assertIn("tray", said[0])
        self.assertIn("not below the top", said[0])

    def test_bite_above_all(self) -> None:
        said = self.faults(lambda d: d["operations"][0].update(bite={"ae": 11}))
        self.assertIn("above 100 %", said[0])

    def test_machine_without_power(self) -> None:
        machine = {"name": "m", "max_rpm": 6000, "max_feed": 6000, "rapid_feed": 9000, "power_kw": 0, "torque_nm": 9}
        said = self.faults(lambda d: d.update(machine=machine))
        self.assertIn("power kw", said[0])
        self.assertIn("greater than 0", said[0])

    def test_self_crossing_outline(self) -> None:
        said = self.faults(lambda d: d["regions"][1].update(outline=[[0, 0], [10, 10], [10, 0], [0, 10]]))
        self.assertIn("crosses", said[0])
        self.assertIn("X 5.00 Y 5.00", said[0])

    def test_each_fault_has_its_sentence(self) -> None:
        def change(d: dict[str, Any]) -> None:
            d["operations"][0].update(tool=99, regions=["nowhere"])
            d["regions"][1]["name"] = "tray"

        self.assertEqual(len(self.faults(change)), 3)

    def test_unknown_words_and_infinities_are_refused(self) -> None:
        self.faults(lambda d: d.update(surprise=1))
        self.faults(lambda d: d["regions"][0].update(bottom=-math.inf))
        self.faults(lambda d: d.update(material="cheese"))

    def test_not_json_and_not_a_job(self) -> None:
        for text in (b"\xff\xfe", b"{", b"[]", b'{"format": "other"}'):
            with self.assertRaises(JobError):
                load_job(text)

    def test_inches_become_millimetres(self) -> None:
        data = document()
        data["regions"][0] |= {key: [[[1, 2], [3, 2], [2, 4]]] for key in ("standing", "uncut")}
        metric = parse_job(data)
        inch = copy.deepcopy(data)
        inch["units"] = "in"
        made = parse_job(inch)
        self.assertAlmostEqual(made.regions[0].bottom, metric.regions[0].bottom * 25.4)
        self.assertAlmostEqual(made.tools[0].diameter, metric.tools[0].diameter * 25.4)
        self.assertEqual(made.regions[0].outline[1][2], metric.regions[0].outline[1][2])
        np.testing.assert_allclose(made.regions[0].standing, np.array(metric.regions[0].standing) * 25.4)
        np.testing.assert_allclose(made.regions[0].uncut, np.array(metric.regions[0].uncut) * 25.4)

    def test_errors_survive_a_pickle(self) -> None:
        error = JobError.of(["one.", "two."])
        again = pickle.loads(pickle.dumps(error))
        self.assertEqual(again.faults, ["one.", "two."])


class ShapeTest(SimpleTestCase):
    def test_bulges_are_arcs(self) -> None:
        circle = polygon_of([(-5, 0, 1), (5, 0, 1)], 1e-4, "circle")
        self.assertAlmostEqual(circle.area, math.pi * 25, places=2)
        rounded = parse_job(document()).regions[1]
        area = region_shape(rounded, 1e-4).area
        self.assertAlmostEqual(area, 38 * 44 - (4 - math.pi) * 36, places=2)

    def test_open_edges_are_runs_with_air_beyond(self) -> None:
        trough = parse_job(document()).regions[2]
        self.assertEqual(len(open_chains(trough, 0.01)), 1)
        free = free_space(trough, 10, 0.01)
        air = free.difference(region_shape(trough, 0.01))
        self.assertAlmostEqual(air.area, 18 * 10, delta=0.1)
        self.assertGreater(air.bounds[0], 169.9)

    def test_neighbouring_open_edges_make_one_run(self) -> None:
        data = document()
        data["regions"][2]["open_edges"] = [5, 0]
        self.assertEqual(len(open_chains(parse_job(data).regions[2], 0.01)), 1)

    def test_what_is_moved_by_a_hair_can_be_worked_with(self) -> None:
        """A corner between two hairs: moved out by another it crosses itself, and GEOS works out nothing with it."""
        corner = shapely.Polygon([
            (54.803193577727484, 31.898995470836194), (54.8232, 31.89474297450663), (54.8232, 31.879),
            (54.7832, 31.879), (54.783199999999994, 31.90415095768251), (54.79595381166843, 31.900733584145527),
            (54.80319347034152, 31.898995495875127), (54.80319349729719, 31.898995490098912),
        ])  # fmt: skip
        self.assertFalse(corner.buffer(1e-4, join_style="mitre").is_valid)
        moved = mitred(corner, 1e-4)
        self.assertTrue(moved.is_valid)
        self.assertAlmostEqual(moved.area, corner.area + 1e-4 * corner.length, delta=1e-7)
        self.assertAlmostEqual(moved.intersection(corner).area, corner.area, places=9)

    def test_a_shape_that_is_lost_in_moving_its_border_is_not(self) -> None:
        """Eight points of the pocket of odd part 887: of 876 mm2 nothing was left, it was not cut, and a rapid of what
        comes after it came down in it. GEOS 3.14 makes nothing of them just at 0.05 mm."""
        corner = shapely.Polygon([
            (40.25000000000466, 42.30067689638473), (40.24999990998811, 29.270220309590776),
            (40.264991653015954, 29.26334298472695), (40.2499999097062, 29.22941177621397),
            (40.24999990925058, 29.163458560805193), (40.225619332389535, 29.174230571766564),
            (40.08068619660796, 28.84619957837001), (30.919046336392576, 28.93782504932213),
        ])  # fmt: skip
        about = corner.buffer(-0.0501, join_style="mitre").area
        self.assertGreater(about, 50.0)
        self.assertAlmostEqual(mitred(corner, -0.05).area, about, delta=0.0001 * corner.length)
        # What may be so is taken as it is: a shape narrower than that has nothing left.
        self.assertTrue(mitred(shapely.box(0, 0, 9, 0.09), -0.05).is_empty)
        for by in (0.05, -0.05):
            with patch.object(
                shapely.Polygon, "buffer", side_effect=[NOTHING, NOTHING, shapely.box(0, 0, 3, 3)]
            ) as asked:
                self.assertEqual(mitred(shapely.box(0, 0, 3, 3), by).area, 9.0)
            self.assertEqual(asked.call_count, 3)

    def test_a_border_moved_out_that_crosses_itself_is_mended(self) -> None:
        """What GEOS seldom makes of a sound locus can not be had in a few points: a bow tie stands for it."""
        bow = shapely.Polygon([(0, 0), (4, 4), (4, 0), (0, 4)])
        with patch.object(shapely.Polygon, "buffer", lambda self, by, **how: bow):
            moved = grown(shapely.box(0, 0, 1, 1), 1.0)
        self.assertTrue(moved.is_valid)
        self.assertAlmostEqual(moved.area, 8.0, places=12)
        self.assertAlmostEqual(moved.intersection(shapely.box(0, 0, 2, 4)).area, 4.0, places=12)
        disc = grown(shapely.Point(0, 0), 2.0, quad_segs=64)
        self.assertAlmostEqual(disc.area, 4.0 * math.pi, delta=0.01)


class QuantityTest(SimpleTestCase):
    def test_against_pint(self) -> None:
        known: Any = pint.UnitRegistry()
        for text, unit in (("20 thou", "thou"), ("3.5 in", "inch"), ("12 cm", "cm")):
            number = float(text.split()[0])
            expected = (number * known(unit)).to("mm").magnitude
            self.assertAlmostEqual(read_quantity(text, "length").value, expected)

    def test_sums_fractions_and_bare_numbers(self) -> None:
        cases = {"1/8in + 0.4": 3.575, '3/8"': 9.525, "(3+1/2)*2": 7, "-18": -18, "12,5": 12.5, "2*3mm": 6}
        for text, value in cases.items():
            self.assertAlmostEqual(read_quantity(text, "length").value, value, msg=text)
        self.assertAlmostEqual(read_quantity("1/2", "length", "in").value, 12.7)
        self.assertAlmostEqual(read_quantity("95 in/min", "feed").value, 2413)

    def test_never_guesses(self) -> None:
        for text in ("", "2*", "5 rpm", "two", "1..2", "(3", "4/0", "3mm*2mm", "1 2"):
            with self.assertRaises(InputError, msg=text):
                read_quantity(text, "length")
