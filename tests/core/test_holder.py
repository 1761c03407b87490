"""What holds the cutter against what stands while the program runs: by closed form, from the text of programs."""

from typing import Any
from unittest.mock import patch

from django.test import SimpleTestCase

from justbite.errors import StoppedError
from justbite.model.parse import parse_job
from justbite.plan import plan
from justbite.proof import holder
from tests.core.test_path import job, rectangle

Report = dict[str, Any]
CLOSE = 0.35
"""mm: a little over a cell of the map."""


def box(low: list[float], high: list[float]) -> dict[str, Any]:
    return {"box": {"min": low, "max": high}}


def pocket(deep: float, stickout: float, **tool: Any) -> dict[str, Any]:
    """60 x 40 mm, closed, with a cutter of 10 mm that is clamped so far out."""
    data = job(rectangle(60, 40), ae=3.0)
    data["regions"][0]["bottom"] = -deep
    data["stock"] = box([-20, -20, -60], [80, 60, 0])
    data["tools"][0].update(stickout=stickout, flute_length=min(20.0, stickout), **tool)
    return data


def reported(data: dict[str, Any]) -> Report:
    return plan(parse_job(data)).report


def room(report: Report, operation: int = 0) -> float | None:
    found: float | None = report["operations"][operation]["holder_room_mm"]
    return found


def told(report: Report) -> list[tuple[str, str]]:
    return [(w["code"], w["severity"]) for w in report["warnings"] if w["code"].startswith("proof.holder")]


class HolderTest(SimpleTestCase):
    def test_a_pocket_deeper_than_the_cutter_is_clamped_out(self) -> None:
        """At its walls there is room for the cutter and no more; as deep as it is clamped out, for anything."""
        report = reported(pocket(40.0, 30.0))
        self.assertAlmostEqual(room(report) or 0.0, 10.0, delta=2 * CLOSE)
        self.assertEqual(told(report), [("proof.holder-room", "warning")])
        report = reported(pocket(29.9, 30.0, holder_diameter=50.0))
        self.assertIsNone(room(report))
        self.assertEqual(told(report), [])

    def test_a_holder_that_is_too_wide_is_an_error(self) -> None:
        """A pocket of 20 mm in the middle of one of 70 mm: 25 mm from wall to wall, and the cutter's 5 mm."""
        data = pocket(20.0, 30.0, holder_diameter=58.0)
        data["regions"] = [
            {"name": "wide", "outline": [[-35, -35], [35, -35], [35, 35], [-35, 35]], "top": 0, "bottom": -20},
            {"name": "deep", "outline": [[-10, -10], [10, -10], [10, 10], [-10, 10]], "top": -20, "bottom": -45,
             "after": ["wide"]},
        ]  # fmt: skip
        data["stock"] = box([-50, -50, -60], [50, 50, 0])
        data["operations"][0]["regions"] = ["wide", "deep"]
        report = reported(data)
        self.assertAlmostEqual(room(report) or 0.0, 60.0, delta=2 * CLOSE)
        self.assertEqual(told(report), [])
        data["tools"][0]["holder_diameter"] = 62.0
        (error,) = [w for w in reported(data)["warnings"] if w["code"] == "proof.holder"]
        self.assertEqual(error["severity"], "error")
        # The wide one's walls, which end at 0, are higher than the holder's end from there on.
        self.assertLess(error["z"], -30.0)
        # Its middle stands 5 mm off one of the lower one's walls.
        self.assertAlmostEqual(max(abs(error["x"]), abs(error["y"])), 5.0, delta=CLOSE)
        self.assertIn(
            "62 mm wide, runs into what stands: 30 mm above the cutter's tip there is room for", error["sentence"]
        )

    def test_a_clamp_that_the_cutter_passes(self) -> None:
        """25 mm high and 5 mm beside a pocket: no cutter comes to it, and a holder 20 mm over the tip does."""
        data = pocket(12.0, 20.0, holder_diameter=32.0)
        data["keep_outs"] = [{"name": "clamp", "outline": [[65, -10], [75, -10], [75, 50], [65, 50]], "top": 25}]
        report = reported(data)
        self.assertAlmostEqual(room(report) or 0.0, 20.0, delta=0.1)
        self.assertEqual(told(report), [("proof.holder", "error")])
        data["keep_outs"][0]["top"] = 7.9
        self.assertIsNone(room(reported(data)))

    def test_what_is_gone_by_then_is_not_in_the_way(self) -> None:
        """Two steps with an operation each: whether the high one still stands when the low one is cut."""
        data = pocket(40.0, 25.0, holder_diameter=40.0)
        low = {"name": "low", "outline": rectangle(20, 40), "open_edges": "all", "top": 0, "bottom": -40}
        high = [[20, 0], [60, 0], [60, 40], [20, 40]]
        data["regions"] = [low, {"name": "high", "outline": high, "open_edges": "all", "top": 0, "bottom": -22}]
        data["stock"] = box([0, 0, -60], [60, 40, 0])
        first = data["operations"][0]
        both = [{**first, "name": n, "regions": [n]} for n in ("low", "high")]
        before = reported({**data, "operations": both})
        self.assertLess(room(before) or 99.0, 12.0)
        self.assertIn(("proof.holder", "error"), told(before))
        after = reported({**data, "operations": both[::-1]})
        self.assertEqual([room(after, 0), room(after, 1)], [None, None])

    def test_where_all_is_within_reach_no_map_is_made(self) -> None:
        with patch.object(holder, "_map", side_effect=AssertionError):
            self.assertIsNone(room(reported(pocket(12.0, 30.0, holder_diameter=80.0))))
            with self.assertRaises(AssertionError):
                reported(pocket(40.0, 30.0))

    def test_the_program_says_how_the_cutter_is_clamped(self) -> None:
        text = plan(parse_job(pocket(12.0, 30.0))).program
        self.assertIn("\n(Cutter 10 mm, 3 flutes, 30 mm out of its holder)\nT1 M6\n", text)
        text = plan(parse_job(pocket(12.0, 30.5, holder_diameter=32.0))).program
        self.assertIn("(Cutter 10 mm, 3 flutes, 30.5 mm out of its holder 32 mm wide)", text)

    def test_a_stop_is_heard(self) -> None:
        def stop(_share: float, what: str) -> None:
            if "holders" in what:
                raise StoppedError("Stopped.", "")

        plan(parse_job(pocket(12.0, 30.0)), stop)
        with self.assertRaises(StoppedError):
            plan(parse_job(pocket(40.0, 30.0)), stop)
