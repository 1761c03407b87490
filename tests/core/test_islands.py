"""Ways into areas with islands: rings and networks beside the way in from outside, where they are worth planning."""

from types import SimpleNamespace
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Polygon

from justbite.bite.known import KnownPath
from justbite.by_minutes import _others
from justbite.model.parse import parse_job
from justbite.path import opening
from justbite.path.area import make_area, parts_of
from justbite.path.entry import Entry
from justbite.path.level import PartPlan
from justbite.path.lines import length_of
from justbite.path.loss import Pace
from justbite.path.opening import find_openings
from justbite.path.tried import _beside_outside
from justbite.plan import plan
from tests.core.test_path import job, rectangle
from tests.core.test_rest import errors, rows

PACE = Pace(lambda entry: 0.0 if entry.kind == "outside" else 6.0 * length_of(entry.points), 0.25, 2.0)
"""Ramps take six times as long as a cut along them."""


def pins(across: int, up: int, **region: Any) -> dict[str, Any]:
    """A plate with round pins of 8 mm, 25 mm apart."""
    angles = np.linspace(0.0, 2.0 * np.pi, 24, endpoint=False)
    round_one = 4.0 * np.column_stack([np.cos(angles), np.sin(angles)])
    spots = [(17.5 + 25.0 * i, 17.5 + 25.0 * j) for i in range(across) for j in range(up)]
    islands = [(round_one + spot).round(4).tolist() for spot in spots]
    data = job(rectangle(25.0 * across + 10, 25.0 * up + 10), diameter=8, ae=1.6, islands=islands, **region)
    if region:
        data["stock"]["box"]["min"][1] = 0
    return data


class IslandsTest(SimpleTestCase):
    def ways(self, data: dict[str, Any]) -> list[Entry]:
        made = parse_job(data)
        area = make_area(made, made.regions[0], 4.0, 0.0, 0.01, 0.01, 0.1)
        (part,) = parts_of(area)
        return find_openings(area, part, 1.0, None, 1.6, PACE)

    def test_open_areas_with_several_islands(self) -> None:
        """Beside the way in from outside, a ring round islands and ramps along all middle lines between them."""
        first, *others = self.ways(pins(3, 2, open_edges=[0]))
        self.assertEqual((first.kind, first.before), ("outside", ()))
        ramps = [entry for entry in others if entry.kind == "ramp"]
        self.assertEqual([len(entry.before) > 2 for entry in sorted(ramps, key=lambda e: len(e.before))], [False, True])
        # The ring leads back to where it began.
        np.testing.assert_allclose(ramps[0].points[0], ramps[0].points[-1])

    def test_fronts_close_round_a_single_island_in_the_open(self) -> None:
        data = pins(1, 1, open_edges="all")
        data["stock"]["box"] = {"min": [0, 0, -15], "max": [35, 35, 0]}
        with patch.object(opening, "NEAR_ROUND", 9.0):
            self.assertEqual([entry.kind for entry in self.ways(data)], ["outside"])

    def test_of_large_areas_no_more_than_one_besides(self) -> None:
        with patch.object(opening, "LARGE", 10.0):
            kinds = [entry.kind for entry in self.ways(pins(3, 2, open_edges=[0]))]
            closed = self.ways(pins(6, 6))
        self.assertEqual(kinds, ["outside", "ramp"])
        self.assertEqual([(e.kind, len(e.before) > 2) for e in closed], [("ramp", False), ("ramp", True)])

    def test_a_plate_open_on_one_side_is_cut_a_tenth_sooner(self) -> None:
        """Held against the way in from outside alone, with the proof's bounds."""
        data = parse_job(pins(3, 2, open_edges=[0]))
        (row,) = rows(made := plan(data))
        with patch.object(opening, "_round_from_outside", lambda *_: []):
            (outside,) = rows(plan(data))
        self.assertLess(row["seconds"], 0.9 * outside["seconds"])
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLessEqual(row["entry_over_bite"], 1.1)
        self.assertLess(row["left_over_share"], 0.001)
        self.assertEqual(errors(made), [])


class BesideOutsideTest(SimpleTestCase):
    """Where a ramp is quicker than from outside with one bite, from outside may be with another."""

    def plan_by(self, kind: str, cleared: float = 100.0) -> PartPlan:
        way = Entry(kind, np.array([[0.0, 0.0]]), None)
        return PartPlan((), (), cleared, 0.0, cleared, Polygon(), way)

    def test_the_quickest_knows_of_the_quickest_from_outside(self) -> None:
        ramp, one, other = self.plan_by("ramp"), self.plan_by("outside"), self.plan_by("outside")
        plan, seconds = _beside_outside([(one, 30.0), (ramp, 20.0), (other, 26.0)])
        self.assertEqual((plan.way, seconds, plan.slower), (ramp.way, 20.0, 6.0))
        self.assertIs(plan.beside, other.way)
        # Where it is the quickest itself, or was not planned, there is nothing to be known of it.
        for plans in ([(one, 10.0), (ramp, 20.0)], [(ramp, 20.0), (ramp, 25.0)]):
            plan, _ = _beside_outside(plans)
            self.assertEqual((plan.beside, plan.slower), (None, 0.0))

    def test_another_bite_is_asked_for_with_its_ways_back(self) -> None:
        path = KnownPath(1.6, 1, 1000.0, ((1e9, 1.0),), link_seconds=3.0, entry_seconds=4.0, entry_feed=500.0)
        ways: Any = {"area": [[None]]}
        made: Any = SimpleNamespace(outside=ways, slower=6.0)
        step: Any = SimpleNamespace(choose=True, case=None)
        bite: Any = object()
        with patch("justbite.by_minutes.promising", lambda _case, bite, _path: bite):
            (_, first, told), (_, second, outside) = _others(step, bite, path, made)
            self.assertEqual((first, told, second), (None, path, ways))
            self.assertEqual((outside.link_seconds, outside.entry_seconds), (13.0, 0.0))
            made.outside = None
            self.assertEqual(len(_others(step, bite, path, made)), 1)
            step.choose = False
            self.assertEqual(_others(step, bite, path, made), [])

    def test_a_wider_bite_from_outside_is_kept_where_it_is_quicker(self) -> None:
        """Bites chosen by minutes: never slower than with ways from outside alone."""
        data = pins(3, 2, open_edges="all")
        data["stock"]["box"] = {"min": [0, 0, -15], "max": [85, 60, 0]}
        del data["operations"][0]["bite"]
        made = parse_job(data)
        (row,) = rows(plan(made))
        with patch.object(opening, "_round_from_outside", lambda *_: []):
            (outside,) = rows(plan(made))
        self.assertLess(row["seconds"], 1.02 * outside["seconds"])
