"""Round parts that touch other surfaces: outlines by a solid's cylinders, and tips at the stock's border."""

import math
from functools import cache
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.layout import Layout, region_of
from justbite.model.feature import Feature
from justbite.model.shapes import free_space, polygon_of, region_shape
from justbite.part.features import Model, _feature
from justbite.part.rings import circle_of, onto_circles, ring_with_arcs
from justbite.solids import block, cut, cylinder, joined
from tests.core.solids import laid

SAGITTA, TURN = 0.01, 0.2


@cache
def arm(margin: float) -> Layout:
    """A web 20 mm wide between two bosses of 36 and 28 mm, 8 and 5 mm higher than it, with holes of 18 and 12 mm."""
    web = block((0, -10, -20), (80, 10, -8))
    bosses = joined(web, cylinder(0, 0, 18, -20, 0), cylinder(80, 0, 14, -20, -3))
    return laid(cut(bosses, cylinder(0, 0, 9, -20, 1), cylinder(80, 0, 6, -20, 1)), margin)


def of_kind(margin: float, kind: str) -> list[Feature]:
    return [f for f in arm(margin).features.features if f.kind == kind]


class ArmTest(SimpleTestCase):
    def test_a_hole_is_found_once(self) -> None:
        """The chords of a cylinder's two edges cross: the hole of 12 mm was told twice, once with 146 corners."""
        self.assertEqual(sorted(f.diameter or 0.0 for f in of_kind(0.0, "hole")), [12.0, 18.0])
        self.assertEqual([f.name for f in of_kind(0.0, "through pocket")], [])

    def test_walls_of_bosses_are_arcs(self) -> None:
        (web,) = of_kind(0.0, "half-open pocket")
        self.assertLessEqual(len(web.outline), 10)
        circles = sorted(round(r, 3) for r in self.radii(web))
        self.assertEqual(circles, [14.0, 18.0])

    @staticmethod
    def radii(feature: Feature) -> list[float]:
        """Of the arcs of an outline: half the chord over the sine of half the angle."""
        follow = (*feature.outline[1:], feature.outline[0])
        pairs = [(a, b) for a, b in zip(feature.outline, follow, strict=True) if abs(a[2]) > 0.05]
        return [math.dist(a[:2], b[:2]) / 2 / abs(math.sin(2 * math.atan(a[2]))) for a, b in pairs]

    def test_no_open_edge_leads_into_the_part(self) -> None:
        """Where a boss touches the stock's border its own wall was told open: a cut went all through the boss."""
        for margin in (0.0, 2.0):
            layout = arm(margin)
            assert layout.model is not None
            for feature in layout.features.features:
                region = region_of(feature)
                beyond = free_space(region, 20.0, 0.005).difference(region_shape(region, 0.005))
                solid = layout.model.shadow(feature.bottom + 0.01).buffer(-0.02)
                self.assertLess(beyond.intersection(solid).area, 0.5, f"{feature.name}, margin {margin}")

    def test_the_part_s_side_of_a_tip_is_a_wall(self) -> None:
        """A disc whose last chord before it touches the stock's border lies within a hair of that."""
        angles = np.radians(-89.6 - 1.7 * np.arange(211))
        disc = shapely.Polygon(18.0 + 18.0 * np.column_stack([np.cos(angles), np.sin(angles)]))
        stock = shapely.box(0, disc.bounds[1], 36, 18)
        corner = min(shapely.get_parts(stock.difference(disc)), key=lambda g: g.bounds[0])
        flat = Model(
            np.zeros((0, 3)), np.zeros((0, 3), np.int32), 2e-4, 0.25, np.zeros((0, 3)), np.zeros(0, bool), 0.01
        )
        found = _feature(flat, "outside", corner, stock.boundary, 0.0, -5.0, "", disc)
        assert found is not None
        beyond = free_space(region_of(found, "corner"), 20.0, 0.005)
        self.assertLess(beyond.intersection(disc.buffer(-0.02)).area, 0.5)

    def test_what_hangs_together_by_chords_only_is_parted(self) -> None:
        """Round the larger boss two corners of the stock, and both sides of the web."""
        areas = sorted(f.area for f in of_kind(0.0, "outside"))
        self.assertEqual(len(areas), 4)
        corner = 18.0**2 * (1 - math.pi / 4)
        np.testing.assert_allclose(areas[:2], [corner, corner], rtol=0.01)


class CirclesTest(SimpleTestCase):
    def ring(self, turns: tuple[float, ...], radius: float = 8.0) -> np.ndarray[Any, Any]:
        """What is common to circles of 90 chords about (3, 4), each turned by so much of a chord."""
        angles = 2 * np.pi * (np.arange(90)[None, :] + np.array(turns)[:, None]) / 90
        spots = np.array([3.0, 4.0]) + radius * np.stack([np.cos(angles), np.sin(angles)], axis=2)
        return np.asarray(shapely.intersection_all(shapely.polygons(spots)).exterior.coords)[:-1]

    def test_crossing_chords_make_one_circle(self) -> None:
        known = np.array([[3.0, 4.0, 8.0], [11.0, 4.0, 30.0]])
        for turns in ((0.0,), (0.0, 0.5), (0.0, 0.1), (0.0, 0.3, 0.6)):
            points = self.ring(turns)
            kept, marks = onto_circles(points, np.zeros(len(points), bool), known, SAGITTA, TURN)
            np.testing.assert_allclose(np.hypot(*(kept - [3, 4]).T), 8.0, atol=1e-9)
            found = circle_of(ring_with_arcs(kept, marks, 2e-4, 0.25)[0], 1e-3)
            assert found is not None
            np.testing.assert_allclose((found.x, found.y, found.radius), (3, 4, 8), atol=1e-6)

    def test_other_corners_stay(self) -> None:
        square = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]])
        for known in (np.zeros((0, 3)), np.array([[5.0, 5.0, 5.0]]), np.array([[50.0, 50.0, 3.0]])):
            kept, _ = onto_circles(square, np.zeros(4, bool), known, SAGITTA, TURN)
            np.testing.assert_array_equal(kept, square)

    def test_the_ends_of_a_run_of_one_mark_stay(self) -> None:
        points = self.ring((0.0, 0.1))
        marks = np.arange(len(points)) < 31
        kept, own = onto_circles(points, marks, np.array([[3.0, 4.0, 8.0]]), SAGITTA, TURN)
        self.assertLess(len(kept), len(points))
        for k in (0, 31):
            self.assertLess(np.hypot(*(kept - points[k]).T).min(), SAGITTA)
        self.assertEqual(np.count_nonzero(np.diff(own.astype(int))), 1)

    def test_where_a_straight_edge_cuts_a_circle_off_its_ends_stay(self) -> None:
        """Both lie on the circle, with others close by, and beside each other: no chord of it."""
        whole = shapely.Polygon(self.ring((0.0, 0.3, 0.6)))
        for x in (10.9, 7.3, 3.2):
            cut = np.asarray(whole.intersection(shapely.box(-20, -20, x, 20)).exterior.coords)[:-1]
            kept, marks = onto_circles(cut, np.zeros(len(cut), bool), np.array([[3.0, 4.0, 8.0]]), SAGITTA, TURN)
            self.assertLess(len(kept), 0.7 * len(cut))
            ends = cut[np.abs(cut[:, 0] - x) < 1e-9]
            self.assertEqual(len(ends), 2)
            for end in ends:
                self.assertLess(np.hypot(*(kept - end).T).min(), SAGITTA)
            vertices, _ = ring_with_arcs(kept, marks, 2e-4, 0.25)
            exact = shapely.Point(3, 4).buffer(8.0, quad_segs=2048).intersection(shapely.box(-20, -20, x, 20))
            made = polygon_of([tuple(v) for v in vertices], 1e-4, "")
            self.assertLess(made.symmetric_difference(exact).area, 0.1 * SAGITTA * exact.length)

    def test_corners_told_several_times_stay(self) -> None:
        """A micrometre apart none lies off the line between its neighbours: a corner of 0.9 mm went (odd part 1062)."""
        corners = np.array([[0.0, 0.0], [20.0, 0.0], [20.0, 9.0], [11.0, 9.5], [10.0, 15.0], [0.0, 15.0]])
        area = shapely.Polygon(corners).area
        along = np.roll(corners, -1, axis=0) - corners
        along /= np.hypot(*along.T)[:, None]
        several = ([1] * 6, [1, 1, 1, 3, 1, 1], [1, 2, 1, 1, 3, 1], [3] * 6)
        for times, apart in ((np.array(t), apart) for t in several for apart in (1e-6, 3e-5)):
            count = np.concatenate([np.arange(n) for n in times])
            told = np.repeat(corners, times, axis=0) + apart * count[:, None] * np.repeat(along, times, axis=0)
            # And points in the middle of edges, which may all go.
            told = np.vstack([told, [[0.0, 10.0], [0.0, 5.0]]])
            for marks in (np.zeros(len(told), bool), np.arange(len(told)) < times[:2].sum()):
                vertices, open_ = ring_with_arcs(told, marks, 5e-3, 0.25)
                ring = np.array(vertices)
                self.assertFalse(ring[:, 2].any())
                self.assertAlmostEqual(shapely.Polygon(ring[:, :2]).area, area, places=2)
                for corner in corners:
                    self.assertLess(np.hypot(*(ring[:, :2] - corner).T).min(), 2e-4)
                self.assertLessEqual(len(ring), len(corners) + 3)
                self.assertEqual(any(open_), bool(marks.any()))

    def test_a_crumb_along_a_circle_is_no_island_and_stops_nothing(self) -> None:
        """A hair that all lies within the sagitta of a known circle, as seen on a solid from a seed (48)."""
        crumb = [(9.668268, 17.788869), (9.970223, 17.373062), (9.471461, 18.052706), (9.255906, 18.356714)]
        sides = np.array(crumb)
        centre = sides.mean(axis=0) + 100.0 * np.array([-0.81, -0.586])
        rounds = np.array([[*centre, np.hypot(*(sides - centre).T).max()]])
        square = shapely.Polygon([(0, 0), (30, 0), (30, 30), (0, 30)], [shapely.Polygon(crumb).exterior.coords])
        for hair, islands in ((0.012, 0), (0.0001, 1)):
            model = Model(np.empty((0, 3)), np.empty((0, 3), np.int32), 2e-4, 0.25, rounds, np.empty(0, bool), hair)
            found = _feature(model, "pocket", square, None, 0.0, -5.0, "")
            assert found is not None
            self.assertEqual(len(found.islands), islands)
            for island in found.islands:
                np.testing.assert_allclose(sorted(v[:2] for v in island), sorted(crumb))
