"""What is read off fields: lines of zero as polygons, and pieces of a mask; against closed forms and a plain walk."""

import math
from itertools import pairwise
from unittest import mock

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry import Point, box

from justbite.field import aside
from justbite.field.grid import Grid
from justbite.field.outline import below_zero
from justbite.field.pieces import pieces_of, small_pieces


def distance_to(shape: shapely.Geometry, grid: Grid) -> NDArray[np.float32]:
    """Signed distance to a shape at all nodes, negative inside: shapely's, node by node."""
    x, y = np.meshgrid(grid.x0 + grid.cell * np.arange(grid.nx), grid.y0 + grid.cell * np.arange(grid.ny))
    spots = shapely.points(x, y)
    inside = shapely.contains(shape, spots)
    found: NDArray[np.float32] = np.where(inside, -1.0, 1.0) * shapely.distance(shape.boundary, spots)
    return found.astype(np.float32)


class OutlineTest(SimpleTestCase):
    def test_a_disc_is_right_to_its_chords(self) -> None:
        """A chord as long as a cell lies cell^2 / 8 R inside the arc (geometry)."""
        for radius, cell in ((5.0, 0.5), (5.0, 0.25), (3.0, 0.5)):
            grid = Grid.over((-7.0, -7.0, 7.0, 7.0), cell)
            told = below_zero(distance_to(Point(0.3, -0.2).buffer(radius, quad_segs=400), grid), grid)
            rim = np.hypot(*(shapely.get_coordinates(told) - (0.3, -0.2)).T)
            # A field that is linear between nodes reads up to cell^2 / 8 R too large on each side of a cell.
            self.assertLess(float(np.abs(rim - radius).max()), cell**2 / (8.0 * radius) + 1e-4)
            self.assertAlmostEqual(told.area, math.pi * radius**2, delta=2.0 * math.pi * radius * cell**2 / 6 / radius)

    def test_islands_and_several_pieces_stay_what_they_are(self) -> None:
        frame = box(-5, -5, 5, 5).difference(box(-2, -1, 3, 2))
        both = frame.union(box(7, -3, 10, 3))
        grid = Grid.over((-8.0, -8.0, 12.0, 8.0), 0.2)
        told = below_zero(distance_to(both, grid), grid)
        parts = sorted(shapely.get_parts(told), key=lambda p: -p.area)
        self.assertEqual([len(p.interiors) for p in parts], [1, 0])
        for part, meant in zip(parts, (frame, box(7, -3, 10, 3)), strict=True):
            # Corners are cut off by no more than half a cell each.
            self.assertLess(part.symmetric_difference(meant).area, 8 * 0.2**2)

    def test_of_a_large_field_in_strips(self) -> None:
        """The same shapes, holes and pieces, also where one touches the row at which two strips meet."""
        grid = Grid.over((-10, -10, 10, 10), 0.1)
        shapes = (
            Point(0.3, -0.2).buffer(7.0).difference(Point(1, 1).buffer(3.3)).union(Point(8.6, 8.6).buffer(0.8)),
            shapely.box(-8.003, grid.y0 + 40 * grid.cell, 3.0, 5.0),
            Point(2, grid.y0 + 80 * grid.cell).buffer(1.5).union(shapely.box(-9, -9, -6, 9)),
        )
        for shape in shapes:
            field = distance_to(shape, grid)
            whole = below_zero(field, grid)
            with mock.patch.object(aside, "LARGE", 1000), mock.patch.object(aside, "BAND", 40):
                strips = below_zero(field, grid)
            self.assertTrue(strips.is_valid)
            self.assertLess(strips.symmetric_difference(whole).area, 1e-9)
            self.assertEqual(len(shapely.get_parts(strips)), len(shapely.get_parts(whole)))

    def test_where_nothing_is_below_zero_there_is_nothing(self) -> None:
        grid = Grid.over((0.0, 0.0, 4.0, 3.0), 0.5)
        self.assertTrue(below_zero(np.ones((grid.ny, grid.nx), dtype=np.float32), grid).is_empty)


def walked(mask: NDArray[np.bool_], diagonal: bool) -> list[set[tuple[int, int]]]:
    """The connected pieces of a mask, found by walking from node to node."""
    left = {(int(j), int(i)) for j, i in np.argwhere(mask)}
    steps = [(dj, di) for dj in (-1, 0, 1) for di in (-1, 0, 1) if (dj or di) and (diagonal or not (dj and di))]
    found = []
    while left:
        piece, todo = set[tuple[int, int]](), [left.pop()]
        while todo:
            j, i = todo.pop()
            piece.add((j, i))
            for dj, di in steps:
                if (j + dj, i + di) in left:
                    left.remove((j + dj, i + di))
                    todo.append((j + dj, i + di))
        found.append(piece)
    return found


class PiecesTest(SimpleTestCase):
    def test_they_are_those_of_a_walk(self) -> None:
        random = np.random.default_rng(11)
        # More rows than are counted at once.
        for rows, share in ((40, 0.45), (600, 0.3)):
            mask = random.random((rows, 30)) < share
            labels, sizes = pieces_of(mask)
            own = walked(mask, False)
            self.assertEqual(int(sizes[0]), mask.size - int(mask.sum()))
            self.assertEqual(sorted(sizes[1:].tolist()), sorted(len(piece) for piece in own))
            for piece in own:
                self.assertEqual(len({int(labels[spot]) for spot in piece}), 1)

    def test_small_ones_that_touch_neither_a_wall_nor_the_rim(self) -> None:
        random, rows, columns = np.random.default_rng(12), 300, 40
        field, room = random.random((2, rows, columns))
        for level, wall, most in ((0.75, 0.02, 9), (0.65, 0.0, 40), (0.9, 0.3, 3)):
            nodes, begins = small_pieces(field, level, room, wall, most)
            rim = [{(j, i) for j, i in piece if j in (0, rows - 1) or i in (0, columns - 1) or room[j, i] < wall}
                   for piece in walked(field > level, True)]  # fmt: skip
            told = {
                tuple(sorted(j * columns + i for j, i in piece))
                for piece, off in zip(walked(field > level, True), rim, strict=True) if len(piece) <= most and not off
            }  # fmt: skip
            self.assertGreater(len(told), 9)
            self.assertEqual({tuple(nodes[a:b]) for a, b in pairwise(begins)}, told)
