"""Large fields in temporary files, and which nodes are in a shape."""

import os
import re
from pathlib import Path
from unittest import mock

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.bench import job_of, on_machine
from justbite.field import aside
from justbite.field.distance import room_in
from justbite.field.grid import Grid
from justbite.field.nodes import Nodes
from justbite.plan import plan


def mapped() -> float:
    """MB of files that are in this process's memory."""
    told = re.search(r"RssFile:\s+(\d+) kB", Path("/proc/self/status").read_text())
    assert told is not None
    return int(told[1]) / 1024


class AsideTest(SimpleTestCase):
    def test_what_is_let_go_is_there_again(self) -> None:
        shape = (aside.LARGE // 4000 + 1, 1000)
        field = aside.filled(shape, 1.5)
        other = aside.copied(field)
        field[7, 5] = -2.0
        before = mapped()
        self.assertEqual(float(field.sum(dtype=float)), 1.5 * (field.size - 1) - 2.0)
        held = mapped()
        self.assertGreater(held - before, 0.9 * field.nbytes / 2**20)
        aside.let_go()
        self.assertLess(mapped() - before, held - before - 0.9 * field.nbytes / 2**20)
        self.assertEqual(float(field[7, 5]), -2.0)
        self.assertTrue((other == 1.5).all())

    def test_rows_one_after_the_other(self) -> None:
        random = np.random.default_rng(4)
        given = [random.random((n, 2)) if n % 3 else random.random(n) for n in range(1, 60)]
        with mock.patch.object(aside, "LARGE", 8 * 500):
            rows = aside.Rows()
            put = [rows.put(row) for row in (*given, random.random((700, 2)))]
        aside.let_go()
        for own, row in zip(put[:-1], given, strict=True):
            np.testing.assert_array_equal(own, row)

    def test_where_there_is_no_room_it_is_in_memory(self) -> None:
        with mock.patch.object(os, "posix_fallocate", side_effect=OSError):
            field = aside.filled((aside.LARGE // 4000 + 1, 1000), 3.0)
        before = mapped()
        self.assertEqual(float(field.min()), 3.0)
        self.assertLess(mapped() - before, 8.0)

    def test_a_plan_is_as_good_wherever_its_fields_are(self) -> None:
        """Two ways in are tried here, on the same ground, and the passes of one are put in order.

        Room is held otherwise in large fields, right to the last digit of single precision, so that passes fall a
        little otherwise.
        """
        outline = [[0, 0], [60, 0], [60, 30], [35, 30], [35, 60], [0, 60]]
        job = on_machine(job_of("ell", outline, [], [], 10.0, 0.3), 5000)
        here = plan(job).report
        with mock.patch.object(aside, "LARGE", 1000), mock.patch.object(aside, "BAND", 40):
            made: list[int] = []
            blank = aside.blank

            def counted(*given: object) -> object:
                made.append(1)
                return blank(*given)  # type: ignore[arg-type]

            with mock.patch.object(aside, "blank", side_effect=counted):
                aside_told = plan(job).report
        self.assertGreater(len(made), 2)
        self.assertAlmostEqual(aside_told["seconds"] / here["seconds"], 1.0, delta=0.03)
        for row in (aside_told["operations"][0], here["operations"][0]):
            self.assertLess(row["max_over_target"], 1.03)
            self.assertLess(row["left_over_share"], 0.0005)
            self.assertEqual(row["gouge_mm"], 0.0)

    def test_room_in_a_large_field(self) -> None:
        grid = Grid.over((0, 0, 60, 40), 0.25)
        shape = shapely.box(2, 2, 58, 38).difference(shapely.Point(30, 20).buffer(5))
        here, less = room_in(shape, grid, 6.0)
        self.assertEqual(less, 0.0)
        with mock.patch.object(aside, "LARGE", 1000):
            field, less = room_in(shape, grid, 6.0)
        self.assertEqual(less, 6.0)
        np.testing.assert_allclose(field, here - 6.0, atol=1e-6)
        self.assertGreater(np.count_nonzero(field == 0.0), 0.2 * field.size)

    def test_zeros_that_are_read_take_no_memory(self) -> None:
        def held() -> float:
            told = Path("/proc/self/statm").read_text().split()
            return int(told[1]) * os.sysconf("SC_PAGE_SIZE") / 2**20

        field = aside.zeros((aside.LARGE // 4000 + 1, 1000))
        before = held()
        self.assertEqual(float(field.max()), 0.0)
        self.assertLess(held() - before, 16.0)
        field[:] = 1.0
        self.assertGreater(held() - before, 60.0)


class NodesTest(SimpleTestCase):
    def test_they_are_those_in_the_shape(self) -> None:
        grid = Grid.over((0, 0, 13, 40), 0.1)
        shape = shapely.Point(6, 20).buffer(18).difference(shapely.box(3.03, 3.07, 8.01, 30.02))
        own = Nodes.within(shape, grid)
        x, y = np.meshgrid(grid.x0 + grid.cell * np.arange(grid.nx), grid.y0 + grid.cell * np.arange(grid.ny))
        inside = shapely.contains_xy(shape, x, y)
        self.assertEqual(own.count, int(inside.sum()))
        np.testing.assert_array_equal(own.rows(slice(0, grid.ny)), inside)
        np.testing.assert_array_equal(own.rows(slice(100, 300)), inside[100:300])
