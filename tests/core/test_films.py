"""Films along walls: what stands there read at the wall, and gone along where it is too much."""

from dataclasses import replace
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.model.parse import parse_job
from justbite.path.area import Area, make_area, off_walls, parts_of
from justbite.path.clearing import Clearing
from justbite.path.films import _films, along_films, from_above
from justbite.path.ground import ground_of
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
            for one in shapely.get_parts(part.buffer(-less, join_style="mitre")):
                for line in (one.exterior, *one.interiors):
                    work.stamp_path(np.asarray(line.coords))
        return work

    def test_how_much_stands_is_told_to_micrometres(self) -> None:
        """What the cutter comes to of a rectangle is its locus moved out by R. Of one moved in by d that is less by d
        times the way round it, 60 and 40 mm less two radii and two times 0.006 mm, both twice, and 8 R d at corners."""
        around = 2 * (50.0 + 30.0 - 4 * 0.006) + 8 * RADIUS
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

    def test_it_is_as_long_as_the_wall(self) -> None:
        """In a bore of 17 mm the wall is 2.4 times as long as the way of a cutter of 10 mm; round a boss it is less."""
        data = job([[8.5, 0.0, 1.0], [-8.5, 0.0, 1.0]])
        bore = make_area(made := parse_job(data), made.regions[0], RADIUS, 0.0, 0.006, 0.002, 1.0)
        ring = shapely.Point(0, 0).buffer(40, quad_segs=64).difference(shapely.Point(0, 0).buffer(20, quad_segs=64))
        outline, boss = (np.asarray(line.coords)[:-1].tolist() for line in (ring.exterior, *ring.interiors))
        data = job(outline, islands=[boss])
        round_boss = make_area(made := parse_job(data), made.regions[0], RADIUS, 0.0, 0.006, 0.002, 1.0)
        for area, walls, off in ((bore, 2 * np.pi * 8.5, 0.1), (round_boss, 2 * np.pi * (40.0 + 20.0), 0.1)):
            work = self.cut(off, area)
            films = [film for border in work.wipes.rim.rings for film in _films(work, area, border)]
            self.assertAlmostEqual(sum(f.size for f in films), walls * off, delta=0.04 * walls * off)

    def test_of_what_tolerance_lets_stand_nothing_is_let_twice(self) -> None:
        """0.02 mm, all of which the cutter keeps off the wall on the floor that was left: its films count whole."""
        loose = replace(self.area, slack=0.02)
        off = off_walls(loose)
        self.assertAlmostEqual(off.slack, 0.0)
        self.assertAlmostEqual(shapely.hausdorff_distance(off.locus, loose.locus), 0.02 * np.sqrt(2.0))
        self.assertIs(off_walls(off), off)

    def test_beside_air_there_is_no_film(self) -> None:
        bare = replace(self.area, material=shapely.box(-1, -1, 30, 41).intersection(self.area.material))
        work = self.cut(0.03, self.area)
        films = [film for ring in work.wipes.rim.rings for film in _films(work, bare, ring)]
        whole = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
        self.assertAlmostEqual(sum(f.size for f in films), 0.5 * sum(f.size for f in whole), delta=0.05)

    def test_too_much_is_gone_along_and_little_is_left(self) -> None:
        for off, gone in ((0.03, True), (0.005, False)):
            work = self.cut(off, self.area)
            along_films(work, self.area, 2400.0, None, 30.0, 20.0, lambda _: None)
            self.assertEqual(bool(work.pieces), gone)
            films = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
            left = sum(f.size for f in films)
            self.assertLess(left, 0.0006 * 2400)
            if gone:
                self.assertLess(left, 0.1)
                way = sum(float(np.hypot(*np.diff(p.points, axis=0).T).sum()) for p in work.pieces if p.kind == "cut")
                self.assertLess(way, 1.1 * 160.0)

    def test_from_above_where_no_way_leads_to_it(self) -> None:
        work = self.cut(0.03, self.area)
        with patch("justbite.path.films._cut", lambda *_: None):
            left = along_films(work, self.area, 2400.0, None, 30.0, 20.0, lambda _: None)
        self.assertGreater(sum(film.size for film in left), 0.0006 * 2400)
        spot = from_above(work, left, lambda _: None)
        assert spot is not None
        self.assertEqual([piece.kind for piece in work.pieces], ["cut"])
        np.testing.assert_array_equal(spot, work.pieces[0].points[0])
        self.assertTrue(work.plane.all_clear(spot[None])[0])
        after = [film for ring in work.wipes.rim.rings for film in _films(work, self.area, ring)]
        self.assertLess(sum(film.size for film in after), 0.5 * sum(film.size for film in left))
        # It has gone by then: to come down for the same once more would take nothing.
        self.assertIsNone(from_above(work, left[:1], lambda _: None))
        # Nor where there is not enough to be worth it.
        with patch("justbite.path.films._cut", lambda *_: None):
            self.assertEqual(along_films(work, self.area, 1e6, None, 30.0, 20.0, lambda _: None), [])


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
        with patch("justbite.path.level.along_films", lambda *_: []):
            without = plan(parse_job(data)).report["operations"][0]
        self.assertGreater(without["left_over_share"], 0.003)
