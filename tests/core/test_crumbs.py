"""Crumbs that an area leaves out as too little to be work: they stand before the areas that come after it."""

from dataclasses import replace
from types import SimpleNamespace
from typing import Any
from unittest import mock

import shapely
from django.test import SimpleTestCase

from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.path import rough
from justbite.path.works import Others, Swept, Work, meeting, works_on
from justbite.plan import plan
from tests.core.test_leading import CHORD, LIMITS, stairs
from tests.core.test_path import job, rectangle


def crumbs() -> tuple[Job, list[Swept], shapely.Polygon]:
    """The stairs and a finer operation on them; what the first takes, and a crumb of it that is left of the low one."""
    data = stairs()
    first = data["operations"][0]
    data["tools"].append({**data["tools"][0], "number": 2, "diameter": 3.0})
    data["operations"].append({**first, "name": "finer", "tool": 2, "tolerance": 0.02,
                               "allowance": {"wall": 0.0, "floor": 0.0}})  # fmt: skip
    crumb = shapely.box(20, 19.8, 24, 19.84)
    low, high = shapely.box(-5, -5, 65, 20).difference(crumb), shapely.box(-5, 19.9, 65, 40)
    return parse_job(data), [Swept(low, -11.9, 5.0, 0.01), Swept(high, -5.9, 5.0, 0.01)], crumb


class CrumbsTest(SimpleTestCase):
    def test_what_is_too_little_to_be_work_stands_before_the_next(self) -> None:
        """Odd part 2127: a sliver of 0.04 mm before an edge, that the deeper area left out: 1.09 of the bite."""
        made, before, crumb = crumbs()
        taken: list[Work] = []

        def planned(operation: Any, works: list[Work], *_: Any) -> list[list[Any]]:
            taken.extend(works)
            return [[] for _ in works]

        # All that is looked at is how much is cut at once.
        terms: Any = SimpleNamespace(aim=0.3, step=3.0)
        with mock.patch.object(rough, "planned", planned):
            rough._work_out(made, made.operations[1], ["low", "high"], terms, LIMITS, before, Others(), False,
                            lambda share, doing: None, None, None)  # fmt: skip
        low, high = taken
        self.assertEqual((low.top, low.bottom, high.top, high.bottom), (-11.9, -12.0, -5.9, -6.0))
        # So much higher than the level it is no bite of either: they keep off it.
        for own in (low, high):
            self.assertGreater(own.area.locus.distance(crumb), 1.49)
        (alone,) = works_on(made, made.operations[1], "high", 0.3, 3.0, LIMITS, before).works
        self.assertLess(alone.area.locus.distance(crumb), 1.0)

    def test_only_what_reaches_up_to_the_next_stands_there(self) -> None:
        made, before, crumb = crumbs()
        # Beside it what the floor is kept off the wall by.
        left, wall = works_on(made, made.operations[1], "low", 0.3, 3.0, LIMITS, before).left
        self.assertEqual((left.top, left.bottom, wall.top, wall.bottom), (0.0, -11.9, -11.9, -12.0))
        self.assertLess(left.shape.symmetric_difference(crumb).area, 0.01)
        for top, stands in ((0.0, True), (-5.95, True), (-6.0, False)):
            lower = Others(left={"low": [replace(left, top=top)]})
            found = meeting(made, made.operations[1], "high", lower, CHORD)
            self.assertEqual([len(shapes) for shapes in found.values()], [int(stands)])
        # What lies beyond all that the cutter goes to, and what the last level takes along as a film.
        far = Others(left={"low": [replace(left, shape=shapely.affinity.translate(left.shape, 0, -10))]})
        self.assertEqual(meeting(made, made.operations[1], "high", far, CHORD), {"low": []})
        wider = made.operations[1].model_copy(update={"tolerance": 0.05})
        only = works_on(made, wider, "low", 0.3, 3.0, LIMITS, before).left
        self.assertEqual([(one.top, one.bottom) for one in only], [(-11.9, -12.0)])


class KeptOffTest(SimpleTestCase):
    """A floor that is skimmed is kept off its walls by the tolerance: films there are as high as all that was cut."""

    def test_what_it_keeps_off_stands_before_the_next(self) -> None:
        """Odd part 2031: a pocket's wall was told as cut to the allowance, and stood 0.05 mm before it: a face
        beside it took 0.265 mm with a bite of 0.22 all along, and up to 1.8 of it where passes began."""
        data = job(rectangle(50, 40))
        data["stock"] = {"box": {"min": [0, 0, -20], "max": [50, 40, 0]}}
        # In the pocket's corners there is work all the way down, and the film on its walls hangs together with that.
        pocket = [[10, 10], [40, 10], [40, 30], [10, 30]]
        data["regions"] = [
            {"name": "face", "outline": rectangle(50, 40), "open_edges": "all", "bottom": -2, "after": ["pocket"]},
            {"name": "pocket", "outline": pocket, "bottom": -4},
        ]
        data["operations"][0].update(regions=["face", "pocket"], allowance={"wall": 0.3, "floor": 0.1})
        first = data["operations"][0]
        data["tools"].append({**data["tools"][0], "number": 2, "diameter": 3.0})
        data["operations"].append({**first, "name": "finer", "tool": 2, "tolerance": 0.1, "bite": {"ae": 0.4},
                                   "step_down": 4, "allowance": {"wall": 0.2, "floor": 0.05}})  # fmt: skip
        made = plan(parse_job(data))
        finer = made.report["operations"][1]
        self.assertLessEqual(finer["max_over_target"], 1.05)
        self.assertLessEqual(finer["p999_over_target"], 1.02)
        self.assertLessEqual(finer["left_over_share"], 1e-3)
        self.assertEqual((finer["gouge_mm"], finer["held_to"]), (0, 1.0))
