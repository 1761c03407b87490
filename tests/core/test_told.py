"""What an operation tells the next ones that it took, against the blocks that are written for it."""

from typing import Any
from unittest import mock

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry.base import BaseGeometry

from justbite import by_minutes
from justbite.model.job import Job, Operation
from justbite.model.moves import Moves, sweep_angles
from justbite.model.parse import parse_job
from justbite.path import rough
from justbite.path.blocks import MovesBuilder
from justbite.plan import plan
from tests.core.test_rest import ALLOWANCE, two_cutters

CHORDS = 8.0 / 1500
"""mm that chords of what was swept leave out; see justbite.path.swept."""


class EnoughError(Exception):
    """The next operation was asked for."""


def cut_by(moves: Moves, radii: list[float], z: float) -> BaseGeometry:
    """What blocks take that go no higher than `z`, by the radius of each operation's cutter."""
    starts, turns, swept = moves.starts(), sweep_angles(moves), []
    for k in range(len(moves)):
        a, b, centre = starts[k, :2], moves.end[k, :2], moves.centre[k]
        if max(starts[k, 2], moves.end[k, 2]) > z or np.array_equal(a, b):
            continue
        way = np.array([a, b])
        if not np.isnan(centre[0]):
            angles = np.arctan2(*(a - centre)[::-1]) + np.linspace(0.0, turns[k], 2 + int(abs(turns[k]) / 0.01))
            way = centre + np.hypot(*(a - centre)) * np.c_[np.cos(angles), np.sin(angles)]
        swept.append(shapely.LineString(way).buffer(radii[moves.operation[k]], quad_segs=256))
    return shapely.union_all(swept)


class ToldTest(SimpleTestCase):
    def told(self, data: dict[str, Any]) -> tuple[BaseGeometry, Moves]:
        """What the last operation is told to be gone, and the blocks that are written before it."""
        shapes: list[BaseGeometry] = []
        written: list[Moves] = []
        work_out, add = rough._work_out, by_minutes.add_operation
        last = data["operations"][-1]["name"]

        def listening(job: Job, operation: Operation, *rest: Any) -> Any:
            if operation.name == last:
                shapes.extend(swept.shape for swept in rest[3])
                raise EnoughError
            return work_out(job, operation, *rest)

        def adding(out: MovesBuilder, *rest: Any) -> Any:
            written[:] = [out.build()]
            return add(out, *rest)

        with (
            mock.patch.object(rough, "_work_out", listening),
            mock.patch.object(by_minutes, "add_operation", adding),
            self.assertRaises(EnoughError),
        ):
            plan(parse_job(data))
        return shapely.union_all(shapes), written[0]

    def held(self, data: dict[str, Any], radii: list[float]) -> BaseGeometry:
        """Nothing is told as cut that the last operation would meet by 0.04 of its bite: half of that is what fits may
        be off, at the passes' points. Returns what is told as standing though it is cut."""
        told, written = self.told(data)
        cut = cut_by(written, radii, -11.9 + 1e-4)
        inside = shapely.box(0.1, 0.1, 69.9, 49.9)
        wrong = told.intersection(inside).difference(cut)
        self.assertTrue(wrong.buffer(-0.5 * 0.04 * data["operations"][-1]["bite"]["ae"]).is_empty)
        self.assertGreater(told.intersection(inside).area, 0.99 * cut.intersection(inside).area)
        return cut.intersection(inside).difference(told)

    def test_what_is_told_is_what_the_program_cuts(self) -> None:
        """Of a wide bite with a wide tolerance lines and arcs may be 0.008 mm off the passes, and what the operation
        took is told by these: 0.08 of a bite of 0.1 mm that came after it (odd part 2030)."""
        data = two_cutters({"tolerance": 0.005, "bite": {"ae": 0.1}})
        data["operations"][0].update(tolerance=0.05, bite={"ae": 4.0})
        self.assertTrue(self.held(data, [8.0]).buffer(-0.5 * CHORDS).is_empty)

    def test_films_that_are_left_out_do_not_add_up(self) -> None:
        """What is no work for a second cutter, as near to the wall as the first, is no more cut for that."""
        data = two_cutters({"bite": {"ae": 0.5}})
        large, small = data["operations"]
        large["allowance"] = {"wall": 0.404, "floor": 0.1}
        small["allowance"] = {"wall": 0.4, "floor": 0.1}
        last = {**small, "name": "last", "tolerance": 0.005, "bite": {"ae": 0.1}, "allowance": ALLOWANCE}
        data["operations"] = [large, small, last]
        self.held(data, [8.0, 3.0])
