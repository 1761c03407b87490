"""What cutting on the way back too would save: told from a plan of it, where a sum of the ways promises enough."""

import re
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from justbite.model.before import earlier
from justbite.model.job import Job, Operation
from justbite.model.moves import CUT, ENTRY, LINK, POSITION
from justbite.model.parse import parse_job
from justbite.path.blocks import MovesBuilder
from justbite.path.rough import add_operation
from justbite.plan import Plan, plan
from justbite.way_back import BACK, COMES_TRUE, promised, way_back_finding
from tests.core.test_path import job, rectangle

PARTS = np.array([POSITION, ENTRY, CUT, LINK, LINK, CUT, LINK, CUT, POSITION], dtype=np.uint8)


def open_corner(**operation: Any) -> dict[str, Any]:
    """A corner that is open on two sides: each pass goes from one to the other, and back without a cut."""
    data = job(rectangle(40, 40), ae=0.6, open_edges=[0, 1])
    data["machine"], data["material"] = "slow-giant", "alloy-steel"
    data["operations"][0] |= operation
    return data


def planned(**operation: Any) -> Plan:
    return plan(parse_job(open_corner(**operation)))


class PromiseTest(SimpleTestCase):
    def test_of_each_way_what_the_thinner_bite_does_not_cost(self) -> None:
        """Passes of 4 s, ways back of 3 s: as much as two of them take is taken in 4 x 4 / 1.6 s, not in 14."""
        seconds = np.array([9.0, 9.0, 4.0, 2.0, 1.0, 4.0, 3.0, 4.0, 9.0])
        self.assertAlmostEqual(promised(PARTS, seconds, 0.6), COMES_TRUE * (14.0 - 16.0 / 1.6))
        self.assertAlmostEqual(promised(PARTS, seconds, 1.0), COMES_TRUE * 6.0)

    def test_long_passes_with_short_ways_promise_nothing(self) -> None:
        seconds = np.array([9.0, 9.0, 40.0, 2.0, 1.0, 40.0, 3.0, 4.0, 9.0])
        self.assertEqual(promised(PARTS, seconds, 0.6), 0.0)
        self.assertEqual(promised(PARTS[:3], seconds[:3]), 0.0)
        self.assertEqual(promised(PARTS[:0], seconds[:0]), 0.0)

    def test_little_is_not_told(self) -> None:
        self.assertIsNone(way_back_finding("rough", 30.0, 100.0, 97.1))
        self.assertIsNone(way_back_finding("rough", 3.0, 10.0, 8.1))
        told = way_back_finding("rough", 30.0, 100.0, 96.9)
        assert told is not None
        self.assertIn("30 s of the 100", told.sentence)
        self.assertIn("3 s sooner", told.sentence)
        self.assertEqual((told.code, told.operation, told.size), ("rule.way-back", "rough", 0.6))


class ToldTest(SimpleTestCase):
    def told(self, made: Plan) -> list[dict[str, Any]]:
        return [w for w in made.report["warnings"] if w["code"] == "rule.way-back"]

    def test_what_is_told_is_what_it_then_takes(self) -> None:
        before = planned()
        (told,) = self.told(before)
        after = planned(conventional=told["size"])
        self.assertEqual(self.told(after), [])
        row = before.report["operations"][0]
        ways, whole, gain = map(int, re.findall(r"(\d+) s of the (\d+) .* (\d+) s sooner", told["sentence"])[0])
        self.assertAlmostEqual(whole, row["seconds"], delta=1.0)
        self.assertAlmostEqual(ways, row["link_seconds"], delta=1.0)
        self.assertAlmostEqual(gain, row["seconds"] - after.report["operations"][0]["seconds"], delta=1.0)
        self.assertLessEqual(after.report["operations"][0]["max_over_target"], 1.05)

    def test_the_path_that_is_handed_out_is_not_touched_by_it(self) -> None:
        told = planned()
        with patch("justbite.by_minutes.promised", return_value=0.0):
            untold = planned()
        self.assertEqual(self.told(untold), [])
        self.assertEqual(told.program, untold.program)

    def test_what_comes_before_it_is_told_by_its_place_in_the_job(self) -> None:
        """What is tried is another operation: where it was not in the job, all others were taken to come before it."""
        data = open_corner()
        (own,) = data["operations"]
        data["regions"].append(
            data["regions"][0] | {"name": "later", "outline": [[60, 0], [90, 0], [90, 30], [60, 30]]}
        )
        data["regions"][-1]["open_edges"] = []
        data["operations"] = [own, own | {"name": "last", "regions": ["later"]}]
        asked = []

        def noted(out: MovesBuilder, job: Job, operation: Operation, *rest: Any) -> Any:
            asked.append((operation.name, operation.conventional, [other.name for other in earlier(job, operation)]))
            return add_operation(out, job, operation, *rest)

        with patch("justbite.by_minutes.add_operation", noted):
            plan(parse_job(data))
        self.assertIn((own["name"], BACK, []), asked)
        self.assertIn(("last", 0.0, [own["name"]]), asked)

    def test_a_pocket_that_is_cleared_in_a_spiral_is_told_nothing(self) -> None:
        self.assertEqual(self.told(plan(parse_job(job(rectangle(60, 60))))), [])
