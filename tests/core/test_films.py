"""Films along walls: what stands there read at the wall, and gone along where it is too much."""

from dataclasses import replace
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.model.parse import parse_job
from justbite.path.area import Area, make_area, parts_of
from justbite.path.clearing import Clearing
from justbite.path.films import _films, along_films
from justbite.path.level import ground_of
from justbite.path.plane import Plane
from justbite.plan import plan
from tests.core.test_path import job, rectangle

RADIUS = 5.0


class FilmTest(SimpleTestCase):
    """A pocket of 60 x 40 mm, cut but for a film."""

    def setUp(self) -> None:
        made = parse_job(job(rectangle(60, 40)))
        self.area = make_area(made, made.regions[0], RADIUS, 0.0, 0.006, 0.002, 1.0)

    def cut(self, off: float, area: Area) -> Clearing:
        """All of it, the last way round `off` mm beside the border of the locus."""
        (part,) = parts_of(area)
        ground = ground_of(area, part, 2.0)
        work = Clearing(
            Plane(ground.grid, ground.cleared.copy(), ground.room, RADIUS, area.wall, 2.0), ground.rims, ground.corners
        )
        for less in np.arange(off, 16.0, 2.0):
            work.stamp_path(np.asarray(part.buffer(-less, join_style="mitre").exterior.coords))
        return work

    def test_how_much_stands_is_told_to_micrometres(self) -> None:
        """60 and 40 mm less two radii and two times 0.006 mm, both twice; in corners less stands than beside them."""
        around = 2 * (50.0 + 30.0 - 4 * 0.006)
        for off in (0.01, 0.03, 0.06):
            work = self.cut(off, self.area)
            films = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
            self.assertAlmostEqual(sum(f.size for f in films), off * around, delta=0.03 * off * around + 0.1 * off)
            # What the path's tolerance lets stand does not count.
            loose = replace(self.area, slack=0.6 * off)
            films = [film for ring in work.wipes.rim.rings for film in _films(work, loose, ring)]
            self.assertAlmostEqual(sum(f.size for f in films), 0.4 * off * around, delta=0.05 * off * around)
        work = self.cut(0.0, self.area)
        self.assertEqual([film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)], [])

    def test_beside_air_there_is_no_film(self) -> None:
        bare = replace(self.area, material=shapely.box(-1, -1, 30, 41).intersection(self.area.material))
        work = self.cut(0.03, self.area)
        films = [film for ring in work.wipes.rim.rings for film in _films(work, bare, ring)]
        whole = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
        self.assertAlmostEqual(sum(f.size for f in films), 0.5 * sum(f.size for f in whole), delta=0.05)

    def test_too_much_is_gone_along_and_little_is_left(self) -> None:
        for off, gone in ((0.03, True), (0.005, False)):
            work = self.cut(off, self.area)
            along_films(work, self.area, 2400.0, 30.0, 20.0, lambda _: None)
            self.assertEqual(bool(work.pieces), gone)
            films = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
            left = sum(f.size for f in films)
            self.assertLess(left, 0.0006 * 2400)
            if gone:
                self.assertLess(left, 0.1)
                way = sum(float(np.hypot(*np.diff(p.points, axis=0).T).sum()) for p in work.pieces if p.kind == "cut")
                self.assertLess(way, 1.1 * 160.0)


class StripTest(SimpleTestCase):
    def test_a_strip_hardly_wider_than_the_bite(self) -> None:
        """2 mm all round a block, for a bite of 1.96 mm: 0.8 % of it was left, all along the walls (odd part 496)."""
        data = job(rectangle(60, 40), ae=1.96, islands=[[[2, 2], [58, 2], [58, 38], [2, 38]]], open_edges="all")
        data["stock"] = {"box": {"min": [0, 0, -15], "max": [60, 40, 0]}}
        data["operations"][0]["tolerance"] = 0.02
        row = plan(parse_job(data)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertEqual(row["gouge_mm"], 0)
        with patch("justbite.path.level.along_films", lambda *_: None):
            without = plan(parse_job(data)).report["operations"][0]
        self.assertGreater(without["left_over_share"], 0.003)
