"""What one operation leaves to the next."""

import math
from dataclasses import replace
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite import odd_parts
from justbite.bite import chatter
from justbite.errors import JobError
from justbite.model.job import Dynamics
from justbite.model.parse import parse_job
from justbite.path.area import NOTHING, Area, make_area, rest_of
from justbite.path.entry import Wish
from justbite.path.loss import Pace
from justbite.path.opening import find_openings
from justbite.path.works import Swept, Work, works_on
from justbite.plan import LIMITS, Plan, plan
from justbite.proof import replay
from justbite.proof.measure import radial_ways
from justbite.proof.steps import Steps
from tests.core.test_path import job, rectangle
from tests.core.test_wishes import codes

ALLOWANCE = {"wall": 0.2, "floor": 0.1}


def two_cutters(second: dict[str, Any] | None = None, **region: Any) -> dict[str, Any]:
    """A pocket, and operations on it with a cutter of 16 mm and one of 6 mm."""
    data = job(rectangle(70, 50))
    data["regions"][0].update({"bottom": -12, **region})
    small = {**data["tools"][0], "number": 2, "diameter": 6.0, "flute_length": 15.0, "stickout": 20.0}
    data["tools"] = [{**small, "number": 1, "diameter": 16.0, "flute_length": 40.0, "stickout": 50.0}, small]
    first = {"name": "large", "regions": ["area"], "tool": 1, "allowance": ALLOWANCE, "tolerance": 0.02}
    data["operations"] = [first, {**first, "name": "small", "tool": 2, **(second or {})}]
    return data


def rows(made: Plan) -> list[dict[str, Any]]:
    return list(made.report["operations"])


def errors(made: Plan) -> list[str]:
    return [w["code"] for w in made.report["warnings"] if w["severity"] == "error"]


class RestTest(SimpleTestCase):
    def held(self, row: dict[str, Any]) -> None:
        """The bounds that any operation is held to, as measured by the proof."""
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLess(row["left_over_share"], 0.001)
        self.assertLessEqual(row["chip_over_borne"], 1.1)
        self.assertEqual(row["gouge_mm"], 0)

    def test_a_small_cutter_takes_the_corners_alone(self) -> None:
        data = two_cutters()
        made = plan(parse_job(data))
        alone = plan(parse_job({**data, "operations": data["operations"][1:]}))
        rest, whole = rows(made)[1], rows(alone)[0]
        self.held(rest)
        # The two cutters' corners, in closed form: (1 - pi/4) r2 each, at the radii that the allowance adds to.
        corners = 4 * (1 - math.pi / 4) * (8.0**2 - 3.0**2)
        self.assertAlmostEqual(rest["removed_mm3"] / 11.9, corners, delta=0.02 * corners)
        self.assertLess(rest["seconds"], 0.15 * whole["seconds"])
        self.assertEqual(errors(made), [])
        # What the large cutter does not reach is told of the last one alone.
        unreached = [w["operation"] for w in made.report["warnings"] if w["code"] == "area.unreached"]
        self.assertEqual(set(unreached), {"small"})

    def test_walls_that_were_left_thicker(self) -> None:
        made = plan(parse_job(two_cutters({"allowance": {"wall": 0.0, "floor": 0.1}})))
        rest = rows(made)[1]
        self.held(rest)
        walls = 2 * (70 + 50) * 0.2
        self.assertGreater(rest["removed_mm3"] / 11.9, walls)

    def test_walls_that_were_left_hardly_thicker(self) -> None:
        """By less than what a cutter of that size may leave on a wall that it was to take: else that is no rest, nor is
        what passes do not feel."""
        for wall, taken in ((0.13, True), (0.16, False), (0.2, False)):
            made = plan(parse_job(two_cutters({"tool": 1, "allowance": {"wall": wall, "floor": 0.1}})))
            row = rows(made)[1]
            self.assertEqual("area.no-rest" not in codes(made), taken)
            if taken:
                self.held(row)
                # Corners of R and the allowance, that of the one less by as much as that of the other is moved.
                walls = (2 * (70 + 50) - 8 * 8.2) * 0.07 + 0.5 * math.pi * (8.2**2 - 8.13**2)
                self.assertGreater(row["removed_mm3"] / 11.9, walls)
                self.assertLess(row["seconds"], 0.3 * rows(made)[0]["seconds"])

    def test_no_other_bite_is_kept_for_cutting_nothing(self) -> None:
        """A film of 0.45 mm in a bore of 28 mm, for a cutter of 20 mm: passes of a wider bite get no hold of it."""
        data = two_cutters({"tool": 1, "allowance": {"wall": 0.1, "floor": 0.1}})
        data["tools"][0].update({"diameter": 20.0, "stickout": 60.0})
        data["operations"][0]["allowance"] = {"wall": 0.55, "floor": 0.1}
        data["regions"][0]["outline"] = [[49.0, 25, 1.0], [21.0, 25, 1.0]]
        film = math.pi * (13.9**2 - 13.45**2)
        row = rows(plan(parse_job(data)))[1]
        self.held(row)
        self.assertAlmostEqual(row["removed_mm3"] / 11.9, film, delta=0.05 * film)
        # What passes leave is gone along at the wall; without that, and without ramps into it, the wider bite is
        # quicker for cutting nothing.
        films = patch("justbite.path.level.along_films", return_value=list[Any]())
        with films, patch("justbite.path.remaining.MOST_ALL", 1.0):
            row = rows(plan(parse_job(data)))[1]
        self.assertAlmostEqual(row["removed_mm3"] / 11.9, film, delta=0.05 * film)
        self.assertEqual(len(row["trials"]), 2)
        self.assertLess(row["trials"][1]["seconds"], row["trials"][0]["seconds"])

    def test_a_floor_that_was_left_is_a_level_of_its_own(self) -> None:
        made = plan(parse_job(two_cutters({"allowance": {"wall": 0.2, "floor": 0.0}})))
        rest = rows(made)[1]
        self.held(rest)
        self.assertEqual(rest["levels"], [-11.9, -12.0])
        self.assertLessEqual(rest["entry_over_bite"], 1.1)

    def test_where_nothing_is_left_it_is_said(self) -> None:
        data = two_cutters()
        data["operations"][1]["tool"] = 1
        made = plan(parse_job(data))
        self.assertIn("area.no-rest", codes(made))
        self.assertEqual(rows(made)[1]["removed_mm3"], 0.0)
        self.assertEqual(errors(made), [])

    def test_the_plain_path_takes_the_rest_alone_too(self) -> None:
        data = two_cutters()
        alone = plan(parse_job({**data, "operations": data["operations"][1:]}))
        rest = rows(plan(parse_job(data)))[1]
        self.assertGreater(rest["plain_seconds"], rest["seconds"])
        self.assertLess(rest["plain_seconds"], 0.3 * rows(alone)[0]["plain_seconds"])

    def test_for_cusps_alone_no_cutter_is_sent(self) -> None:
        """Three of 0.05 or 0.08 mm by 2 mm on the walls, a ten thousandth of the area; but thicker ones, and a film all
        round."""
        made = parse_job(two_cutters())
        area = make_area(made, made.regions[0], 3.0, 0.2, 0.003, 0.005, 0.1)
        low = 0.2
        for thick in (0.05, 0.08):
            cusps = shapely.union_all([shapely.box(x, low, x + 2, low + thick) for x in (20, 30, 40)])
            gone = area.material.difference(cusps)
            self.assertTrue(rest_of(area, gone, 0.005, 0.03).material.is_empty)
        thicker = shapely.union_all([shapely.box(x, low, x + 2, low + 0.1) for x in (20, 30, 40)])
        self.assertFalse(rest_of(area, area.material.difference(thicker), 0.005, 0.03).material.is_empty)
        self.assertFalse(rest_of(area, area.material.buffer(-0.25), 0.005, 0.03).material.is_empty)

    def test_cusps_left_above_are_no_work_of_the_section_below(self) -> None:
        """Of one 0.06 mm thick, 9 mm of it above the level, 1.45 of a bite of 0.3 mm was told (odd part 833)."""
        data = two_cutters()
        data["regions"].append({**data["regions"][0], "name": "ledge", "bottom": -6})
        data["operations"][0]["regions"] = ["area", "ledge"]
        made = parse_job(data)
        whole = shapely.box(0, 0, 70, 50).buffer(-0.2, join_style="mitre")
        cusp, strip = shapely.box(30, 0.2, 31.5, 0.4), shapely.box(60, 0, 70, 50)

        def work(above: shapely.Geometry, step: float) -> Work:
            low = whole.difference(shapely.union_all([cusp, strip]))
            before = [Swept(whole.difference(above), -5.9, 8.0, 0.005), Swept(low, -11.9, 8.0, 0.005)]
            (own,) = works_on(made, made.operations[1], "area", 0.3, step, LIMITS, before).works
            self.assertEqual((own.top, own.bottom), (-5.9, -11.9))
            self.assertGreater(own.area.material.intersection(strip).area, 400.0)
            return own

        kept = work(cusp, 3.0)
        reach = kept.area.locus.buffer(3.0, quad_segs=32)
        self.assertLess(kept.area.material.intersection(reach).intersection(cusp).area, 0.1 * cusp.area)
        self.assertGreater(kept.area.locus.distance(cusp), 3.0)
        # What stands no higher than the section is cut with it, and so is what is a film above.
        for other in (work(NOTHING, 3.0), work(cusp.buffer(-0.07, join_style="mitre"), 3.0)):
            self.assertAlmostEqual(other.area.material.intersection(cusp).area, cusp.area, delta=0.01)
            self.assertLess(other.area.locus.distance(cusp), 3.0)

    def test_on_a_floor_that_was_left_the_cutter_keeps_off_what_stands_above(self) -> None:
        """Of a cusp of 0.09 mm, 22 mm high, a level of 0.2 mm met 1.55 of its bite (odd job 1734); of films that an
        operation with a wider tolerance may leave 1.31 (odd job 1704)."""
        data = two_cutters({"allowance": {"wall": 0.2, "floor": 0.0}, "tolerance": 0.005})
        made = parse_job(data)
        whole = shapely.box(0, 0, 70, 50).buffer(-0.2, join_style="mitre")
        cusp = shapely.box(30, 0.2, 31.5, 0.3)

        def floor(above: shapely.Geometry, target: float) -> Area:
            before = [Swept(whole.difference(above), -11.9, 8.0, 0.005)]
            (own,) = works_on(made, made.operations[1], "area", target, 3.0, LIMITS, before).works
            self.assertEqual((own.top, own.bottom), (-11.9, -12.0))
            return own.area

        # Films up to a fiftieth of the bite are no work above, and no more than the first one's tolerance stands.
        for target, film in ((0.3, 0.006), (2.0, 0.02)):
            self.assertAlmostEqual(floor(NOTHING, target).wall, 3.2 + film)
        # Where it has come nearer to the walls by itself they are as near on the floor (odd job 1897: 0.122 % left).
        nearer = two_cutters({"allowance": {"wall": 0.0, "floor": 0.0}, "tolerance": 0.005})
        before = [Swept(whole, -11.9, 8.0, 0.02)]
        told = parse_job(nearer)
        above, below = works_on(told, told.operations[1], "area", 2.0, 3.0, LIMITS, before).works
        self.assertLess(below.area.wall, 3.0 + 0.005 + 1e-9)
        self.assertEqual((above.bottom, below.bottom), (-11.9, -12.0))
        kept = floor(cusp, 0.3)
        self.assertLess(kept.locus.buffer(3.0, quad_segs=32).intersection(cusp).area, 0.1 * cusp.area)
        # It stands where passes may go on beside it, and is no air to them.
        self.assertAlmostEqual(cusp.intersection(kept.free).difference(kept.material).area, 0.0, places=6)
        # On the cusp no allowance is to be left.
        self.assertGreater(kept.locus.distance(cusp), 2.999)
        self.assertLess(kept.locus.distance(cusp), 3.03)
        free = kept.free.buffer(-kept.wall, quad_segs=32).symmetric_difference(kept.locus)
        self.assertLess(free.area, 1e-3 * kept.locus.length)

    def test_films_are_no_rest_but_tips_are(self) -> None:
        made = parse_job(two_cutters())
        area = make_area(made, made.regions[0], 3.0, 0.2, 0.003, 0.005, 0.1)
        inner = shapely.box(*area.material.bounds).buffer(-0.01)
        self.assertTrue(rest_of(area, inner, 0.03, 0.03).material.is_empty)
        wedge = shapely.Polygon([(0, 20), (0, 30), (5, 25)])
        rest = rest_of(area, inner.difference(wedge), 0.03, 0.03).material
        # Walls beyond the cutter's reach stay what they are.
        reach = area.locus.buffer(3.0)
        expected = wedge.intersection(reach).area
        self.assertAlmostEqual(rest.intersection(reach).area, expected, delta=0.02 * expected)

    def test_films_stand_though_they_are_no_work(self) -> None:
        """Taken for cut by the operation that left them out of account, one of 0.025 mm made 1.09 of a bite of 0.16 mm
        of the next one, with a smaller allowance (odd part 2123)."""
        made = parse_job(two_cutters())
        area = make_area(made, made.regions[0], 3.0, 0.2, 0.003, 0.005, 0.1)
        reach = area.locus.buffer(3.0, quad_segs=32)
        gone = reach.buffer(-0.01, quad_segs=32).difference(shapely.box(0, 20, 5, 30))
        film = reach.difference(reach.buffer(-0.01, quad_segs=32)).difference(shapely.box(0, 19, 6, 31))
        rest = rest_of(area, gone, 0.03, 0.03)
        self.assertAlmostEqual(rest.material.intersection(film).area, 0.0, delta=0.01 * film.area)
        self.assertGreater(rest.unseen.intersection(film).area, 0.99 * film.area)
        self.assertLess(rest.unseen.difference(film).area, 0.1 * film.area)
        # However thin: what two operations leave out adds up for a third.
        gone = reach.buffer(-0.002, quad_segs=32).difference(shapely.box(0, 20, 5, 30))
        film = reach.difference(reach.buffer(-0.002, quad_segs=32)).difference(shapely.box(0, 19, 6, 31))
        self.assertGreater(rest_of(area, gone, 0.03, 0.03).unseen.intersection(film).area, 0.98 * film.area)

    def test_no_seam_is_left_where_the_reach_of_the_cutter_ends(self) -> None:
        """The field takes one for air: films of 0.034 R stood along a wall, and the next step of the slope met them.

        1.053 of its bite (odd part 517). Borders that are one differ in their last digits where a wall leans by 0.3 um.
        """
        (made,) = dict(odd_parts.odd_parts(range(517, 518))).values()
        assert not isinstance(made, JobError)
        steps = made[0].model_copy(update={"operations": made[0].operations[1:3]})
        row = rows(plan(steps))[1]
        self.assertEqual(row["held_to"], 1.0)
        self.held(row)
        self.assertLessEqual(row["left_over_share"], 2e-4)

    def test_of_an_area_that_is_too_narrow_nothing_is_rest(self) -> None:
        """A slot of the cutter's own width, where others were; a line among what is gone is no area."""
        made = parse_job(two_cutters())
        area = make_area(made, made.regions[0], 3.0, 0.2, 0.003, 0.005, 0.1)
        gone = shapely.union_all([shapely.box(0, 0, 10, 10), shapely.LineString([(10, 5), (30, 5)])])
        self.assertEqual(gone.geom_type, "GeometryCollection")
        taken = area.material.area - rest_of(area, gone, 0.005, 0.03).material.area
        self.assertAlmostEqual(taken, area.material.intersection(shapely.box(0, 0, 10, 10)).area, delta=0.2)
        narrow = replace(area, locus=shapely.Polygon())
        self.assertTrue(rest_of(narrow, gone, 0.005, 0.03).material.is_empty)

    def test_what_only_the_smaller_cutter_goes_into_is_left_to_it(self) -> None:
        """Slots of 5 and 9 mm, and a bore of 17 mm that 16 mm find no helix in."""
        data = two_cutters()
        outlines: dict[str, list[list[float]]] = {
            "crack": rectangle(5, 20),
            "slot": rectangle(9, 20),
            "bore": [[0, 10, 1], [17, 10, 1]],
        }
        for k, (name, outline) in enumerate(outlines.items()):
            moved = [[p[0] + 90 + 30 * k, *p[1:]] for p in outline]
            data["regions"].append({**data["regions"][0], "name": name, "outline": moved})
        data["stock"]["box"]["max"][0] = 200
        for operation in data["operations"]:
            operation["regions"] = ["area", *outlines]
        made = plan(parse_job(data))
        told = {(w["code"], w["operation"], w["area"]): w for w in made.report["warnings"]}
        off = {key[1:] for key in told if key[0] == "area.put-off"}
        self.assertEqual(off, {("large", name) for name in outlines})
        self.assertIn('and is left to "small".', told["area.put-off", "large", "slot"]["sentence"])
        self.assertEqual({key[1:] for key in told if key[0] == "area.no-entry"}, {("small", "crack")})
        self.assertEqual(told["area.put-off", "large", "slot"]["severity"], "note")
        # The bore counts in what is left, for the first one alone; and is not told a second time.
        large, small = rows(made)
        self.assertGreater(large["untouched_share"], 0.003)
        self.assertLess(large["left_over_share"] - large["untouched_share"], 0.001)
        self.assertEqual(small["untouched_share"], 0.0)
        self.assertNotIn("area.left-over", codes(made))
        # As large a cutter as before helps nobody.
        data["operations"][1]["tool"] = 1
        again = plan(parse_job(data)).report["warnings"]
        self.assertEqual(len([w for w in again if w["code"] == "area.no-entry"]), 6)


class MeasureTest(SimpleTestCase):
    def test_what_lay_deeper_in_part_of_a_cell_stays_so(self) -> None:
        """A cell of which an operation left half at -10: levels of 2 mm take 2 mm each of its other half."""
        height, low, share = replay.whole_cells(np.zeros((60, 60), np.int16))
        share[30, 30], low[30, 30] = 128, -10_000
        taken = []
        for z in (-2.0, -4.0, -6.0, -8.0, -10.0):
            moves = np.array([[3.0, 3.0, z]]), np.zeros((1, 2)), np.zeros(1)
            start, kind = np.array([0.5, 3.0, z]), np.ones(1, dtype=np.uint8)
            before = int(height[30, 30]), int(low[30, 30]), int(share[30, 30])
            replay.run((height, low, share, 0.0, 0.0, 0.1, 0.0, 0.001), start, kind, *moves, 1.0, 9.0, 0.0)
            taken.append(self.volume(*before) - self.volume(height[30, 30], low[30, 30], share[30, 30]))
        np.testing.assert_allclose(taken, np.full(5, 2000 * (replay.WHOLE - 128)))

    @staticmethod
    def volume(height: int, low: int, share: int) -> int:
        """Of one cell, in units over any height, times `replay.WHOLE`."""
        return int(height) * (replay.WHOLE - int(share)) + int(low) * int(share)

    def radial(self, volume: float, lowered: float) -> float:
        """mm2, of one step that takes so much on a level of 0.1 mm, where the bite is 12 mm deep."""
        one = np.zeros(1, dtype=np.int32), np.zeros((1, 3)), np.ones(1)
        steps = Steps(*one, np.array([volume]), np.array([lowered], dtype=np.float32))
        return float(radial_ways(steps, np.array([0.1], dtype=np.float32), 12.0)[0])

    def test_a_film_as_high_as_the_wall_is_no_side_cut(self) -> None:
        """0.01 mm wide and 12 mm high over a floor of 0.1 mm that is cut 2 mm wide, 1 mm of way."""
        self.assertAlmostEqual(self.radial(0.01 * 12 + 2.0 * 0.1, 2.01), 2.01, places=5)
        # What stands as high as the bite is deep counts by what it weighs.
        self.assertAlmostEqual(self.radial(3.0 * 12, 2.5), 3)

    def test_a_cut_beyond_all_numbers_chatters(self) -> None:
        weak = Dynamics(frequency=3000.0, stiffness=0.05, damping=0.03)
        cut = chatter.climb(6, 3000.0, 0.3, 1.4)
        self.assertEqual(chatter.growth(cut, (weak, weak), 60.0, 60.0), math.inf)
        self.assertLess(chatter.deepest(cut, (weak, weak), 60.0, 60.0), 1.0)


class PlungeTest(SimpleTestCase):
    def test_a_plunge_that_does_not_fit_leaves_all_ways_open(self) -> None:
        """From a helix a long area takes hundreds of loops: long ramps are weighed as if nothing was wished."""
        made = parse_job(job(rectangle(90, 22)))
        area = make_area(made, made.regions[0], 5.0, 0.0, 0.005, 0.01, 0.1)
        part = max(shapely.get_parts(area.locus), key=lambda p: p.area)
        pace = Pace(lambda entry: 10.0, 0.25, 1.0)
        auto = find_openings(area, part, 1.0, Wish(), 2.0, pace)
        plunge = find_openings(area, part, 1.0, Wish("plunge"), 2.0, pace)
        self.assertEqual([e.kind for e in plunge], [e.kind for e in auto])
        self.assertEqual(auto[0].kind, "ramp")
