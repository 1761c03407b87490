"""What was planned once is not planned again, and what is taken from there is what would be planned now."""

import copy
import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from shapely.geometry import Point, box

from justbite.errors import PlannerError, StoppedError
from justbite.model.content import NoContentError, content_key
from justbite.model.parse import parse_job
from justbite.path import remembered
from justbite.path.remembered import Call, Remembered, done
from justbite.path.together import Tick
from justbite.plan import plan
from tests.core.test_path import job, rectangle


@dataclass(frozen=True)
class One:
    value: object


@dataclass(frozen=True)
class Other:
    value: object

    @cached_property
    def found(self) -> int:
        return 7


class ContentTest(SimpleTestCase):
    def test_what_differs_in_anything_has_another_key(self) -> None:
        """Kind, order, nesting, the last bit of a number, and where one value ends and the next begins."""
        array = np.arange(6.0)
        square, turned = box(0, 0, 1, 1), box(0, 0, 1, 1, ccw=False)
        tool = parse_job(job(rectangle(9, 9))).tools[0]
        values = [
            None, False, True, 0, 1, 0.0, 1.0, math.nextafter(1.0, 2.0), -0.0, math.inf, "", "1", b"1", "ab",
            ("a", "b"), ("ab", ""), ("", "ab"), ["a", "b"], ("a", ("b",)), (("a",), "b"), (), [],
            {}, {"a": "b"}, {"b": "a"}, array, array.astype(np.float32), array.reshape(2, 3), array[::2], array[:3],
            square, turned, Point(0, 0), One(1), One(1.0), Other(1), One(One(1)), tool,
            tool.model_copy(update={"stickout": 40.5}), rectangle, job,
        ]  # fmt: skip
        keys = [content_key(value) for value in values]
        self.assertEqual(len(set(keys)), len(values))
        self.assertNotEqual(content_key("a", "b"), content_key("ab"))
        self.assertNotEqual(content_key("a", "b"), content_key(("a", "b")))

    def test_what_is_equal_has_the_same_key(self) -> None:
        """Made anew, asked for more than its fields, laid out otherwise in memory, read once more."""
        array = np.arange(12.0).reshape(3, 4)
        asked = Other((1.5, "a"))
        self.assertEqual(asked.found, 7)
        for one, other in (
            (array.T, np.ascontiguousarray(array.T)),
            (asked, Other((1.5, "a"))),
            (1.5, np.float64(1.5)),
            (box(0, 0, 3, 2), box(0, 0, 3, 2)),
            (parse_job(job(rectangle(30, 25))), parse_job(job(rectangle(30, 25)))),
        ):
            self.assertEqual(content_key(one), content_key(other))

    def test_what_may_say_more_than_is_read_is_refused(self) -> None:
        beside = 3.0

        def inner() -> float:
            return beside

        for value in (inner, lambda: 1, object(), iter(()), {1, 2}, One, np.array([object()]), print):
            with self.assertRaises(NoContentError):
                content_key((1, value))

    def test_too_much_has_none(self) -> None:
        array = np.zeros(100)
        self.assertIsNotNone(content_key(array, most=800))
        self.assertIsNone(content_key(array, 1, most=799))
        self.assertIsNone(content_key([array[:50], One(array[:51])], most=800))


MADE: list[int] = []


def squared(value: int, tick: Tick) -> int:
    MADE.append(value)
    tick(0.5)
    if value < 0:
        raise ValueError("no")
    return value * value


class RememberedTest(SimpleTestCase):
    def setUp(self) -> None:
        MADE.clear()
        in_turn = patch("justbite.path.together.os.sched_getaffinity", lambda pid: {0})
        in_turn.start()
        self.addCleanup(in_turn.stop)

    def calls(self, *values: int, ahead: Callable[[], object] | None = None) -> list[Call[int]]:
        return [Call(squared, (value,), ("area", "rough"), ahead) for value in values]

    def test_only_what_is_not_known_is_made_and_told(self) -> None:
        known, told, before = Remembered(), list[tuple[int, float]](), list[str]()

        def tell(k: int, share: float) -> None:
            told.append((k, share))

        self.assertEqual(done(self.calls(2, 3), tell, known), [4, 9])
        told.clear()
        calls = self.calls(5, ahead=lambda: before.append("five")) + self.calls(3, ahead=lambda: before.append("three"))
        self.assertEqual(done([*self.calls(2), *calls, *self.calls(7)], tell, known), [4, 25, 9, 49])
        self.assertEqual((MADE, before), ([2, 3, 5, 7], ["five"]))
        self.assertEqual(told, [(1, 0.25), (3, 0.75)])
        self.assertEqual(done(self.calls(7, 2), tell, known), [49, 4])
        self.assertEqual(len(MADE), 4)
        self.assertEqual(done([], tell, known), [])
        # Of another function, or without anything that remembers, it is made.
        self.assertEqual(done([Call(halved, (2,), ("area", "rough"))], tell, known), [1])
        self.assertEqual(done(self.calls(2), tell, None), [4])
        self.assertEqual(len(MADE), 5)

    def test_what_was_done_before_it_was_stopped_or_failed_is_kept(self) -> None:
        known = Remembered()

        def stop(k: int, share: float) -> None:
            if k == 2:
                raise StoppedError("Planning was stopped.")

        with self.assertRaises(StoppedError):
            done(self.calls(2, 3, 4, 5), stop, known)
        with self.assertRaisesRegex(PlannerError, '"area" of "rough"'):
            done(self.calls(6, -1), lambda *_: None, known)
        MADE.clear()
        self.assertEqual(done(self.calls(2, 3, 4, 5, 6), lambda *_: None, known), [4, 9, 16, 25, 36])
        self.assertEqual(MADE, [4, 5])

    def test_a_result_is_the_callers_own(self) -> None:
        known, key = Remembered(), content_key("a")
        known.keep(key, {"points": np.zeros(3)})
        (first,) = known.find(key) or ({},)
        first["points"][:] = 7.0
        (again,) = known.find(key) or ({},)
        np.testing.assert_array_equal(again["points"], np.zeros(3))

    def test_no_more_is_kept_than_there_is_room_for(self) -> None:
        """What was not asked for longest goes; what alone is too large never comes, nor what is made from too much."""
        known = Remembered(most=10_000, most_of_one=4_000)
        keys = [content_key(k) for k in range(5)]
        for key in keys[:3]:
            known.keep(key, np.zeros(400))
        self.assertEqual([known.find(key) is not None for key in keys[:3]], [True, True, True])
        known.find(keys[0])
        known.keep(keys[3], np.zeros(400))
        self.assertEqual([known.find(key) is not None for key in keys[:4]], [True, False, True, True])
        known.keep(keys[4], np.zeros(501))
        self.assertIsNone(known.find(keys[4]))
        known.keep(None, 1)
        self.assertIsNone(known.find(None))
        # Kept anew it counts once.
        before = known.size
        known.keep(keys[0], np.zeros(400))
        self.assertEqual((known.size, len(known)), (before, 3))
        self.assertLessEqual(known.size, 10_000)


def halved(value: int, tick: Tick) -> int:
    return value // 2


def workshop() -> dict[str, Any]:
    """A tray, and a bay with an island in it, roughed; and the bay's corners again with a smaller cutter."""
    data = job(rectangle(22, 18), diameter=8, ae=3.0)
    data["stock"]["box"]["max"][0] = 66
    data["tools"].append({"number": 2, "diameter": 5, "flutes": 3, "flute_length": 12, "stickout": 20})
    island = [[40, 8], [43, 8], [43, 11], [40, 11]]
    outline = [[28, 0], [56, 0], [56, 20], [28, 20]]
    data["regions"].append({"name": "bay", "outline": outline, "islands": [island], "bottom": -5})
    rough = data["operations"][0]
    rough["regions"].append("bay")
    rough["step_down"] = 8
    data["operations"].append(
        {"name": "corners", "regions": ["bay"], "tool": 2, "bite": {"ae": 1.5}, "tolerance": 0.01, "step_down": 5}
    )
    return data


def changed(where: str, value: object) -> Callable[[dict[str, Any]], None]:
    """A change of what is at a place of a job, as "regions.0.bottom"."""

    def change(data: dict[str, Any]) -> None:
        at: Any = data
        *ways, last = where.split(".")
        for way in ways:
            at = at[int(way)] if isinstance(at, list) else at[way]
        at[last] = value

    return change


CHANGES = {
    "another depth": changed("regions.1.bottom", -4.5),
    "a start": changed("regions.0.start", [14, 9]),
    "another way back": changed("operations.0.return_feed", 2500.0),
    "the allowance": changed("operations.0.allowance", {"wall": 0.2, "floor": 0.1}),
    "the tolerance": changed("operations.1.tolerance", 0.02),
    "one feed": changed("operations.0.follow_bite", False),
    "another machine": changed("machine", "slow-giant"),
}


class PlansTest(SimpleTestCase):
    def test_a_changed_job_is_planned_as_if_nothing_were_known(self) -> None:
        """To the last byte, with all that was planned before it known; and after them the first once more."""
        known, asked = Remembered(), workshop()
        first = plan(parse_job(asked), remembered=known)
        self.assertEqual(first.program, plan(parse_job(asked)).program)
        programs = {first.program}
        for name, change in CHANGES.items():
            data = copy.deepcopy(asked)
            change(data)
            with self.subTest(name):
                made, fresh = plan(parse_job(data), remembered=known), plan(parse_job(data))
                self.assertEqual(made.program, fresh.program)
                self.assertEqual(made.report["warnings"], fresh.report["warnings"])
                programs.add(made.program)
        self.assertEqual(len(programs), 1 + len(CHANGES))
        with patch.object(remembered, "side_by_side", side_effect=AssertionError("planned again")):
            again = plan(parse_job(asked), remembered=known)
        self.assertEqual(again.program, first.program)

    def test_what_does_not_touch_an_area_does_not_plan_it_again(self) -> None:
        """Another depth of the bay, and names: the tray's plans are those that were made."""
        known, asked = Remembered(), workshop()
        plan(parse_job(asked), remembered=known)
        planned: list[tuple[str, str]] = []

        def noted(calls: list[Call[Any]], *rest: Any) -> Any:
            planned.extend(call.names for call in calls)
            return side_by_side(calls, *rest)

        side_by_side = remembered.side_by_side
        with patch.object(remembered, "side_by_side", noted):
            deeper = copy.deepcopy(asked)
            deeper["regions"][1]["bottom"] = -4.5
            plan(parse_job(deeper), remembered=known)
            self.assertEqual(set(planned), {("bay", "rough"), ("bay", "corners")})
            planned.clear()
            named = copy.deepcopy(asked)
            named["name"], named["operations"][0]["name"] = "tray and bay", "out of the full"
            named["regions"][1]["name"] = "battery"
            for operation in named["operations"]:
                operation["regions"] = [name.replace("bay", "battery") for name in operation["regions"]]
            made = plan(parse_job(named), remembered=known)
        self.assertEqual(planned, [])
        self.assertEqual(made.report["warnings"], plan(parse_job(named)).report["warnings"])

    def test_findings_of_what_is_known_have_the_names_of_now(self) -> None:
        """A wish that is not granted is told by the plan itself."""
        known, data = Remembered(), job(rectangle(22, 18))
        data["regions"][0]["start"] = [1, 1]
        before = plan(parse_job(data), remembered=known).report["warnings"]
        data["regions"][0]["name"], data["operations"][0]["name"] = "tray", "first"
        data["operations"][0]["regions"] = ["tray"]
        after = plan(parse_job(data), remembered=known).report["warnings"]
        (was,) = [w for w in before if w["code"] == "entry.wish"]
        (told,) = [w for w in after if w["code"] == "entry.wish"]
        self.assertEqual((was["area"], was["operation"]), ("area", "rough"))
        self.assertEqual((told["area"], told["operation"]), ("tray", "first"))
        self.assertEqual(told["sentence"], was["sentence"].replace('"area"', '"tray"'))

    def test_calls_are_told_by_all_they_are_given(self) -> None:
        """But for names, and what is made ahead."""
        one = Call(squared, (2,), ("area", "rough"))
        self.assertEqual(one.key, replace(one, names=("other", "second"), ahead=print).key)
        self.assertNotEqual(one.key, replace(one, given=(3,)).key)
        self.assertNotEqual(one.key, replace(one, function=halved).key)
