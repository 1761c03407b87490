"""Cores between four nodes of the field: found by the way itself, run over, and no film or sliver taken for one."""

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, box

from justbite.field.distance import signed_distance
from justbite.field.grid import Grid
from justbite.path.clearing import Clearing
from justbite.path.cores import FINER, SURE, cores
from justbite.path.fronts import Points
from justbite.path.plane import Plane
from justbite.path.specks import specks

RADIUS, TARGET = 5.0, 2.0
CELL = RADIUS / 16
MIDDLE = 0.5 * CELL
"""X and Y of the middle of a cell."""


def floor_left_with(half: float, aside: float = 0.0) -> tuple[Plane, list[Points]]:
    """A floor of 60 x 60 mm and four ways across it, between which a square of twice `half` mm stands.

    `aside`: mm that its middle is off a cell's in X.
    """
    floor = box(-30, -30, 30, 30)
    grid = Grid(-35.0, -35.0, CELL, round(70 / CELL) + 1, round(70 / CELL) + 1)
    cleared = np.full((grid.ny, grid.nx), 15.0, dtype=np.float32)
    plane = Plane(grid, cleared, signed_distance(floor, grid, 15.0), RADIUS, RADIUS, TARGET)
    off = RADIUS + half
    ways = [np.array([[-20.0, s * off + MIDDLE], [20.0, s * off + MIDDLE]]) for s in (-1.0, 1.0)]
    middle = MIDDLE + aside
    ways += [np.array([[s * off + middle, -20.0], [s * off + middle, 20.0]]) for s in (-1.0, 1.0)]
    for way in ways:
        plane.stamp(way)
    return plane, ways


def left_of(ways: list[Points]) -> shapely.Geometry:
    """What stands within 2 mm of the middle, by the exact union of what the ways sweep."""
    swept = shapely.union_all([LineString(way).buffer(RADIUS, quad_segs=256) for way in ways])
    return box(-2, -2, 2, 2).difference(swept)


class CoreTest(SimpleTestCase):
    material = box(-30, -30, 30, 30)

    def test_a_square_between_four_nodes_is_found_as_large_as_it_is(self) -> None:
        for half, aside in ((0.12, 0.0), (0.1, 0.04), (0.08, -0.06)):
            plane, ways = floor_left_with(half, aside)
            self.assertAlmostEqual(left_of(ways).area, (2 * half) ** 2, places=3)
            self.assertEqual(specks(plane), [])
            (core,) = cores(plane, self.material, ways)
            np.testing.assert_allclose(core.mean(axis=0), [MIDDLE + aside, MIDDLE], atol=CELL / FINER)
            edge = 2 * (half - SURE * RADIUS)
            self.assertLess(abs(len(core) * (CELL / FINER) ** 2 - edge**2), 4 * edge * 0.5 * CELL / FINER)

    def test_where_nothing_stands_there_is_none(self) -> None:
        touching, ways = floor_left_with(0.0)
        self.assertEqual(cores(touching, self.material, ways), [])
        plane, ways = floor_left_with(0.12)
        # As soon as a way went over it, though the field knows nothing of that; or where there never was any.
        self.assertEqual(cores(plane, self.material, [*ways, np.array([[-10.0, 4.0], [10.0, 4.0]])]), [])
        self.assertEqual(cores(plane, self.material.difference(box(-1, -1, 1, 1)), ways), [])

    def test_it_is_run_over_and_gone(self) -> None:
        plane, ways = floor_left_with(0.12)
        work = Clearing(plane)
        x, y = ways[-1][1].tolist()
        work.run_over_specks(x, y, cores(plane, self.material, ways), lambda _: None)
        ways += [piece.points for piece in work.pieces if piece.kind == "cut"]
        self.assertLess(left_of(ways).area, 1e-6)
        self.assertEqual(cores(plane, self.material, ways), [])

    def test_beside_a_wall_it_is_a_film(self) -> None:
        """As near to a wall as a cell and a half what stands is a film, which ways along the wall are for."""
        plane, ways = floor_left_with(0.12)
        self.assertEqual(len(cores(plane, self.material, ways)), 1)
        plane.room[:] = plane.wall - plane.radius + CELL
        self.assertEqual(cores(plane, self.material, ways), [])
