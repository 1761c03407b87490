"""Works that are one but for where they lie: which are, where they are moved, and that they are planned once."""

import math
from dataclasses import replace
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray

from justbite.model.findings import Finding
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.path.alike import Like, likes, moved_entry, moved_plan
from justbite.path.area import Hole, parts_of
from justbite.path.entry import Entry, Wish
from justbite.path.fronts import Piece
from justbite.path.level import PartPath, PartPlan
from justbite.path.works import Work, works_on
from justbite.plan import LIMITS, plan
from tests.core.test_path import job
from tests.core.test_rest import errors, rows

WEDGE = np.array([[20.0, -6], [46, -14], [46, 14], [20, 9]])


def turned(points: NDArray[np.float64], angle: float, x: float = 0.0, y: float = 0.0) -> NDArray[np.float64]:
    cos, sin = math.cos(angle), math.sin(angle)
    return points @ np.array([[cos, sin], [-sin, cos]]) + np.array([x, y])


def pockets(*rings: NDArray[np.float64], **region: Any) -> dict[str, Any]:
    """A job on several areas."""
    every = np.concatenate(rings)
    data = job(every.tolist(), diameter=8, ae=1.6)
    data["regions"] = [
        {"name": f"p{k}", "outline": ring.tolist(), "bottom": -8, **region} for k, ring in enumerate(rings)
    ]
    data["operations"][0]["regions"] = [r["name"] for r in data["regions"]]
    return data


def works_of(made: Job) -> list[Work]:
    operation = made.operations[0]
    told = [works_on(made, operation, name, 1.6, 10.0, LIMITS, []) for name in operation.regions]
    return [work for looked in told for work in looked.works]


class LikesTest(SimpleTestCase):
    def test_moved_turned_and_begun_elsewhere(self) -> None:
        there = np.roll(turned(WEDGE, 1.0, 80.0, 30.0).round(4), 2, axis=0)
        found = likes(works_of(parse_job(pockets(WEDGE, WEDGE + np.array([0, 50]), there))), 1.0)
        self.assertEqual([like.first for like in found], [0, 0, 0])
        self.assertEqual((found[1].x, found[1].y, found[1].angle), (0.0, 50.0, 0.0))
        np.testing.assert_allclose((found[2].x, found[2].y, found[2].angle), (80.0, 30.0, 1.0), atol=1e-4)
        np.testing.assert_allclose(found[2].points(WEDGE), turned(WEDGE, 1.0, 80.0, 30.0), atol=1e-4)

    def test_mirrored_or_otherwise_in_anything_it_is_its_own(self) -> None:
        mirrored = (WEDGE * (1, -1))[::-1] + np.array([0, 50])
        wider = WEDGE * (1.0, 1.001) + np.array([60, 0])
        found = likes(works_of(parse_job(pockets(WEDGE, mirrored, wider))), 1.0)
        self.assertEqual([like.first for like in found], [0, 1, 2])
        data = pockets(WEDGE, WEDGE + np.array([0, 50]), WEDGE + np.array([60, 0]))
        data["regions"][1]["bottom"] = -9
        data["regions"][2]["open_edges"] = [1]
        self.assertEqual([like.first for like in likes(works_of(parse_job(data)), 1.0)], [0, 1, 2])
        works = works_of(parse_job(pockets(WEDGE, WEDGE + np.array([0, 50]))))
        self.assertEqual([like.first for like in likes(works, 1.0, 2 * [Wish(place=(40.0, 50.0))])], [0, 1])
        self.assertEqual([like.first for like in likes(works, 1.0, [Wish(), Wish("ramp")])], [0, 1])

    def test_what_is_too_thin_to_be_work_need_not_end_at_the_same_digit(self) -> None:
        """Films on six pockets with a second operation made three kinds of them; but one that has none is no other."""
        works = works_of(parse_job(pockets(WEDGE, WEDGE + np.array([0, 50]), WEDGE + np.array([60, 0]))))
        films = [shapely.box(20, -6, 20.03, 14), shapely.box(20, -6, 20.03, 13.8), shapely.Polygon()]
        filmed = [replace(work, area=replace(work.area, unseen=film)) for work, film in zip(works, films, strict=True)]
        self.assertEqual([like.first for like in likes(filmed, 1.0)], [0, 0, 2])

    def test_parts_as_large_as_each_other_come_in_the_same_order(self) -> None:
        """Two rooms and a neck of 6 mm that the cutter does not pass: moved they are alike, turned the rooms change."""
        right = np.array([[30.0, 4], [40, 4], [40, 0], [70, 0], [70, 26], [40, 26], [40, 10]])
        rooms = np.vstack([[[30.0, 0]], right, [[30, 10], [30, 26], [0, 26], [0, 0]]])
        there = [turned(rooms, 0.5 * k, 100.0 * k, 0.0).round(4) for k in range(7)]
        works = works_of(parse_job(pockets(rooms, rooms + np.array([0, 50]), *there[1:])))
        found = likes(works, 1.0)
        parts = [parts_of(work.area) for work in works]
        self.assertEqual({len(own) for own in parts}, {2})
        self.assertEqual([like.first for like in found[:2]], [0, 0])
        for own, like in zip(parts, found, strict=True):
            first = parts[like.first]
            for a, b in zip(first, own, strict=True):
                self.assertGreater(like.shape(a).intersection(b).area, 0.9 * b.area)

    def test_where_a_rapid_comes_down_what_stands_beside_the_air_counts(self) -> None:
        """Two notches in the front of a block, a horn of stock beside the air before one of them."""
        notch = np.array([[0.0, 0], [20, 0], [20, 25], [0, 25]])
        data = pockets(notch, notch + np.array([40, 0]), open_edges=[0])
        block = [[-10, 0], [70, 0], [70, 35], [-10, 35]]
        data["stock"] = {"outline": {"outline": block, "bottom": -15, "top": 0}}
        found = likes(works_of(parse_job(data)), 1.0)
        self.assertEqual([like.first for like in found], [0, 0])
        data["stock"]["outline"]["outline"] = [*block[:1], [60, 0], [60, -15], [70, -15], *block[2:]]
        works = works_of(parse_job(data))
        there = Like(0, 40.0).shape(works[0].area.free)
        self.assertAlmostEqual(there.symmetric_difference(works[1].area.free).area, 0.0)
        self.assertEqual([like.first for like in likes(works, 1.0)], [0, 1])


class MovedTest(SimpleTestCase):
    def test_all_of_a_plan(self) -> None:
        like = Like(0, 10.0, 20.0, math.pi / 2)
        hole = Hole.of(3.0, 4.0, 9.0, -5.0, 4.0)
        first = Entry("ramp", np.array([[0.0, 0], [5, 0]]), 0.0)
        entry = Entry("outside", np.array([[3.0, 4]]), None, centre=(3.0, 4.0), before=(first,), hole=hole)
        piece = Piece("cut", np.array([[1.0, 0], [2, 0]]), np.ones(2))
        finding = Finding("entry.ramp", 'Area "a" is entered by a ramp.', "rough", "a", 3.0, 4.0)
        made = PartPlan((PartPath(entry, (piece,)),), (finding,), 1.0, 0.0, 1.0, shapely.box(0, 0, 2, 1), first)
        there = moved_plan(made, like, "a", "b")
        (path,) = there.paths
        np.testing.assert_allclose(path.pieces[0].points, [[10, 21], [10, 22]])
        np.testing.assert_allclose(path.entry.points, [[6, 23]])
        np.testing.assert_allclose(path.entry.centre or (), (6, 23))
        self.assertEqual(path.entry.hole, Hole.of(6.0, 23.0, 9.0, -5.0, 4.0))
        (before,) = path.entry.before
        np.testing.assert_allclose(before.points, [[10, 20], [10, 25]])
        self.assertAlmostEqual(before.heading or 0.0, math.pi / 2)
        self.assertAlmostEqual(there.swept.symmetric_difference(shapely.box(9, 20, 10, 22)).area, 0.0)
        (told,) = there.findings
        self.assertEqual((told.sentence, told.area), ('Area "b" is entered by a ramp.', "b"))
        np.testing.assert_allclose((told.x or 0.0, told.y or 0.0), (6, 23))
        assert there.way is not None
        np.testing.assert_allclose(there.way.points, moved_entry(first, like).points)


class PlannedOnceTest(SimpleTestCase):
    def test_a_ring_of_pockets(self) -> None:
        """Five, 72 degrees apart: the first is planned, each of the others is cut as that is, and the proof holds."""
        rings = [turned(WEDGE, 2.0 * math.pi * k / 5).round(4) for k in range(5)]
        seen: set[str] = set()
        made = plan(parse_job(pockets(*rings)), lambda _, what: seen.add(what))
        self.assertEqual({what.split()[1] for what in seen if what.startswith(("Clearing", "Ordering"))}, {"p0"})
        (row,) = rows(made)
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLess(row["left_over_share"], 0.001)
        self.assertEqual(errors(made), [])
        # The blocks on the floor of each are those of the first, turned, to the last digits of a program.
        ends = read_program(made.program).end
        low = ends[ends[:, 2] < -7.9999, :2]
        first, *others = (low[shapely.contains_xy(shapely.Polygon(ring), *low.T)] for ring in rings)
        self.assertGreater(len(first), 100)
        for k, own in enumerate(others, 1):
            np.testing.assert_allclose(own, turned(first, 2.0 * math.pi * k / 5), atol=1e-3)

    def test_seconds_are_those_of_each_planned_by_itself(self) -> None:
        data = pockets(WEDGE, WEDGE + np.array([0, 50]), WEDGE + np.array([60, 0]))
        once = rows(plan(parse_job(data)))[0]
        with patch("justbite.path.tried.likes", lambda works, *_: [Like(k) for k in range(len(works))]):
            each = rows(plan(parse_job(data)))[0]
        self.assertAlmostEqual(once["seconds"] / each["seconds"], 1.0, delta=0.01)
        self.assertAlmostEqual(once["cut_length"] / each["cut_length"], 1.0, delta=0.01)
