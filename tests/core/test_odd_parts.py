"""Parts drawn from seeds: what they are made of, that they can be read, and that each is the same every time."""

import contextlib
import io
import math
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite import odd_features, odd_parts, solids, tolerances
from justbite.cli import main
from justbite.errors import JobError
from justbite.model.part import Part
from justbite.model.shapes import job_space
from justbite.model.stock import extent
from justbite.odd_blank import Blank
from justbite.part import shadow
from justbite.part.read import read_part


def read(solid: solids.Solid) -> Part:
    part = read_part(solids.step_of(solid), "solid.step", None, tolerances.JOIN, tolerances.CHORD)
    assert isinstance(part, Part)
    return part


def volume(solid: solids.Solid) -> float:
    """mm3, as the kernel of solids reckons it when the file is read."""
    return sum(body.volume for body in read(solid).bodies)


class OddPartsTest(SimpleTestCase):
    def test_a_seed_is_a_part_with_a_job(self) -> None:
        drawn = dict(odd_parts.odd_parts(range(2, 6)))
        self.assertEqual(list(drawn), [f"odd part {k}" for k in range(2, 6)])
        slopes, cutters = [], set()
        for name, made in drawn.items():
            assert not isinstance(made, JobError)
            job, corners = made
            assert corners is not None
            self.assertGreater(len(job.regions), 2, name)
            low, high = (np.array(v) for v in extent(job.stock, 0.01))
            self.assertTrue(
                (corners.reshape(-1, 3) > low - 1e-3).all() and (corners.reshape(-1, 3) < high + 1e-3).all()
            )
            self.assertEqual({n for o in job.operations for n in o.regions}, {r.name for r in job.regions})
            slopes.append(any(r.over_slope > 0 for r in job.regions))
            cutters |= {t.diameter for t in job.tools}
        self.assertTrue(any(slopes[1::2]))
        self.assertGreater(len(cutters), 3)
        again = dict(odd_parts.odd_parts(range(3, 4)))
        self.assertEqual(repr(again["odd part 3"]), repr(drawn["odd part 3"]))

    def test_a_shadow_that_all_but_touches_itself(self) -> None:
        """Seed 1148: a face of its shadow comes back to its own border, and a plain union of faces stopped the layout.

        Against the triangles of the same sheets, put together one by one on a grid.
        """
        found = []
        whole = shadow._sheet_union

        def kept(points: NDArray[np.float64], t: NDArray[np.int64]) -> BaseGeometry:
            made = whole(points, t)
            found.append((made.area, shapely.polygons(points[np.concatenate([t, t[:, :1]], axis=1)])))
            return made

        with patch.object(shadow, "_sheet_union", kept):
            ((_, made),) = odd_parts.odd_parts(range(1148, 1149))
        assert not isinstance(made, JobError)
        self.assertTrue(all(shapely.Polygon(region.outline).is_valid for region in made[0].regions))
        self.assertGreater(len(found), 0)
        for area, triangles in found:
            self.assertAlmostEqual(area, shapely.union_all(triangles, grid_size=1e-6).area, delta=0.01)

    def test_a_line_beside_what_is_taken_is_no_area(self) -> None:
        """Seed 589: beside what stands before an open edge a line stayed, and on a grid GEOS takes no such mixture."""
        ((_, made),) = odd_parts.odd_parts(range(589, 590))
        assert not isinstance(made, JobError)
        self.assertTrue(all(shapely.Polygon(region.outline).is_valid for region in made[0].regions))

    def test_broken_roundings_are_left_out(self) -> None:
        for seed in range(13, 25, 2):
            self.assertTrue(solids.is_sound(odd_parts.solid_of(seed)))

    def test_what_cannot_be_laid_out_is_told(self) -> None:
        out = io.StringIO()
        with patch.object(odd_parts, "job_on", side_effect=JobError("No room.")), contextlib.redirect_stdout(out):
            main(["bench", "--odd-parts", "--first", "4", "--count", "1"])
        self.assertIn("odd part 4: No room.", out.getvalue())
        self.assertIn("0 operations, 0 of them", out.getvalue())

    def test_as_workshops_draw_them(self) -> None:
        """Laid at any angle, in stock of every kind that holds them, some as meshes."""
        kinds, files, turns = set(), set(), set()
        for seed in range(1004, 1009):
            self.assertTrue(solids.is_sound(odd_parts.solid_of(seed)))
            (made,) = dict(odd_parts.odd_parts(range(seed, seed + 1))).values()
            assert not isinstance(made, JobError)
            job, corners = made
            assert corners is not None and job.part is not None
            low, high = (np.array(v) for v in extent(job.stock, 0.01))
            self.assertTrue(
                (corners.reshape(-1, 3) > low - 0.02).all() and (corners.reshape(-1, 3) < high + 0.02).all(), seed
            )
            kinds.add(job.part["placing"]["stock"]["kind"])
            files.add(job.part["name"])
            turns.add(job.part["placing"]["turn"])
        self.assertEqual(files, {"solid.step", "solid.stl"})
        self.assertGreater(len(kinds), 1)
        self.assertGreater(len(turns), 1)

    def test_with_wishes(self) -> None:
        """From seed 2000 on: the same part and areas, and over a few seeds every kind of wish."""
        met = set()
        for seed in (2009, 2012):
            with patch.object(odd_parts, "asked_on", wraps=odd_parts.asked_on) as asked_on:
                (made,) = dict(odd_parts.odd_parts(range(seed, seed + 1))).values()
            assert not isinstance(made, JobError)
            job, before = made[0], asked_on.call_args.args[0]
            self.assertEqual([r.outline for r in job.regions], [r.outline for r in before.regions])
            names = [o.name for o in before.operations]
            self.assertEqual([o.name for o in job.operations][: len(names)], names)
            met |= {"finer"} if len(job.operations) > len(names) else set()
            met |= {"clamps"} if job.keep_outs else set()
            met |= {"holes"} if any(r.drilled for r in job.regions) else set()
            met |= {"bull nose"} if job.tools[0].kind != before.tools[0].kind else set()
            met |= {"order" for o in job.operations if o.order == "levels"}
            met |= {"back" for o in job.operations if o.conventional}
        self.assertEqual(met, {"finer", "clamps", "holes", "bull nose", "order", "back"})


class FeaturesTest(SimpleTestCase):
    """Each feature takes something off a blank and leaves a sound solid."""

    def test_each_alone(self) -> None:
        for feature in dict.fromkeys(odd_features.WORKSHOP):
            for seed in range(1, 3):
                on = Blank(np.random.default_rng(seed))
                before = volume(on.solid)
                feature(on)
                self.assertTrue(solids.is_sound(on.solid), (feature.__name__, seed))
                self.assertTrue(0.02 * before < volume(on.solid) < 0.9995 * before, (feature.__name__, seed))

    def test_round_ends(self) -> None:
        """A slot's volume by closed form, whichever way it is turned."""
        for seed in range(4):
            on = Blank(np.random.default_rng(seed))
            on.width = on.depth = 300.0
            on.solid = solids.block((-300, -300, 0), (600, 600, on.height))
            taken: list[solids.Solid] = []
            with patch.object(Blank, "cut", lambda _on, *tools, taken=taken: taken.extend(tools)):
                odd_features.slot(on)
            (x_low, x_high, y_low, y_high) = on.taken[0]
            long, wide = x_high - x_low, y_high - y_low
            area = (long - wide) * wide + math.pi * wide**2 / 4
            (body,) = read(taken[0]).bodies
            high = float(np.ptp(body.vertices[:, 2]))
            self.assertAlmostEqual(body.volume / (area * high), 1.0, 6)


class BorderTest(SimpleTestCase):
    def test_what_is_moved_out_has_no_hole_where_its_shells_lie_in_each_other(self) -> None:
        """A boss beside an area 0.1 mm wide, that leads into a pocket: no border runs before its open edge there."""
        ((_, made),) = odd_parts.odd_parts(range(684, 685))
        assert not isinstance(made, JobError)
        job = made[0]
        (boss,) = (region for region in job.regions if region.name == "boss top")
        for strip in (6.0, 10.3, 12.0):
            space = job_space(job, boss, strip, 0.005)
            self.assertGreater(space.boundary.distance(shapely.Point(4.726, 19.177)), 1.5, strip)


class SolidsTest(SimpleTestCase):
    """Made solids by closed form."""

    def test_turned(self) -> None:
        block = solids.turned(solids.block((10, 0, 0), (14, 2, 3)), 10, 0, 90)
        (body,) = read(block).bodies
        np.testing.assert_allclose(body.vertices.min(axis=0), (8, 0, 0), atol=1e-6)
        np.testing.assert_allclose(body.vertices.max(axis=0), (10, 4, 3), atol=1e-6)

    def test_between(self) -> None:
        """A frustum: h (A + B + sqrt(A B)) / 3."""
        low = [(1.0, 1.0, 0.0), (5.0, 1.0, 0.0), (5.0, 5.0, 0.0), (1.0, 5.0, 0.0)]
        high = [(0.0, 0.0, 3.0), (6.0, 0.0, 3.0), (6.0, 6.0, 3.0), (0.0, 6.0, 3.0)]
        self.assertAlmostEqual(volume(solids.between(low, high)), 3 * (16 + 36 + 24) / 3, 6)

    def test_drawn_curve(self) -> None:
        """Through twelve places of a circle it is the circle within a thousandth."""
        turns = [math.tau * k / 12 for k in range(12)]
        made = solids.drawn_curve([(9 * math.cos(a), 9 * math.sin(a), 1.0) for a in turns], (0, 0, 5))
        self.assertAlmostEqual(volume(made) / (math.pi * 81 * 5), 1.0, 3)
