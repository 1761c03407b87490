"""Cuts into walls, islands and floors, told step by step: against distances that are known by construction."""

import math
from typing import Any

import numpy as np
from django.test import SimpleTestCase

from justbite.model.parse import parse_job
from justbite.proof.gouge import Walls
from justbite.proof.steps import CHUNK, Steps
from tests.core.test_path import job, rectangle

ISLAND = [[28, 18], [36, 18], [36, 26], [28, 26]]


def steps(places: Any, taken: float = 1.0) -> Steps:
    """Steps that end at these places, x y z, and take some volume each."""
    place = np.array(places, dtype=float)
    n = len(place)
    return Steps(
        np.zeros(n, dtype=np.int32), place, np.ones(1), np.full(n, taken), np.full(n, taken, dtype=np.float32)
    )  # fmt: skip


class GougeTest(SimpleTestCase):
    """60 x 45 mm, 8 mm deep, an island; cutter of R 5."""

    def told(self, places: Any, least: float = 0.01, taken: float = 1.0, **operation: Any) -> tuple[float, Any]:
        data = job(rectangle(60, 45), islands=[ISLAND])
        data["operations"][0].update(operation)
        read = parse_job(data)
        walls = Walls(read, read.operations[0], 5.0, 0.002, least)
        walls.see(steps(places, taken))
        return walls.most, walls.most_at

    def test_in_a_wall_by_what_the_centre_is_too_near(self) -> None:
        for gap, depth in ((5.0, 0.0), (4.995, 0.0), (4.9, 0.1), (3.0, 2.0)):
            for place in ((gap, 20, -8), (30, gap, -8), (60 - gap, 20, -4), (30, 45 - gap, -0.5)):
                found, at = self.told([(10, 10, -8), place, (50, 35, -8)])
                self.assertAlmostEqual(found, depth, places=6)
                self.assertEqual(at, tuple(map(float, place)) if depth > 0 else (0.0, 0.0, 0.0))

    def test_in_an_island_at_its_side_and_at_its_corner(self) -> None:
        self.assertAlmostEqual(self.told([(28 - 4.6, 22, -8)])[0], 0.4, places=6)
        away = 4.7 / math.sqrt(2)
        self.assertAlmostEqual(self.told([(28 - away, 18 - away, -8)])[0], 0.3, places=6)

    def test_below_the_floor_and_its_allowance(self) -> None:
        self.assertAlmostEqual(self.told([(15, 20, -8.25)])[0], 0.25, places=6)
        left: dict[str, Any] = {"allowance": {"wall": 0.3, "floor": 0.2}}
        self.assertAlmostEqual(self.told([(15, 20, -8.0)], **left)[0], 0.2, places=6)
        self.assertAlmostEqual(self.told([(5.1, 20, -7.8)], **left)[0], 0.2, places=6)
        self.assertEqual(self.told([(5.3, 20, -7.8)], **left)[0], 0.0)

    def test_over_the_stock_nothing_is_cut(self) -> None:
        self.assertEqual(self.told([(1, 1, 0.5), (32, 22, 1.0), (-40, 0, 5.0)])[0], 0.0)

    def test_outside_all_areas_it_is_wholly_in_the_part_if_it_takes_anything(self) -> None:
        self.assertEqual(self.told([(-8, 20, -2)])[0], 5.0)
        self.assertEqual(self.told([(-8, 20, -2)], taken=0.0)[0], 0.0)

    def test_of_two_areas_the_one_that_allows_it_counts(self) -> None:
        data = job(rectangle(60, 45))
        data["regions"].append({"name": "deep", "outline": [[20, 10], [40, 10], [40, 30], [20, 30]], "top": -8,
                                "bottom": -12, "after": ["area"]})  # fmt: skip
        data["operations"][0]["regions"] = ["area", "deep"]
        read = parse_job(data)

        def told(place: tuple[float, float, float]) -> float:
            walls = Walls(read, read.operations[0], 5.0, 0.002, 0.01)
            walls.see(steps([place]))
            return walls.most

        self.assertEqual(told((30, 20, -12)), 0.0)
        self.assertAlmostEqual(told((30, 20, -12.5)), 0.5, places=6)
        # Near the deep one's wall it is nearer to being right as a cut in its wall, elsewhere in the floor above.
        self.assertAlmostEqual(told((24, 20, -12)), 1.0, places=6)
        self.assertAlmostEqual(told((10, 20, -12)), 4.0, places=6)

    def test_the_deepest_of_many_is_found_wherever_it_stands(self) -> None:
        for at in (3, CHUNK - 1, CHUNK, CHUNK + 7):
            places = np.tile([15.0, 20.0, -8.0], (CHUNK + 9, 1))
            places[at, 0] = 4.2
            places[at // 2, 0] = 4.5
            found, where = self.told(places)
            self.assertAlmostEqual(found, 0.8, places=6)
            self.assertAlmostEqual(where[0], 4.2)
