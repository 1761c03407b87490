"""Areas that clearing is hard on: what once broke it, measured from the NC text, and the geometry behind each."""

import math
from typing import Any
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import GeometryCollection, LineString, Point, Polygon, box

from justbite.bench import on_machine, thin_pieces
from justbite.field.distance import segments_of, signed_distance
from justbite.field.grid import Grid
from justbite.grooves import GROOVES
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.model.shapes import borders_of, free_space
from justbite.odd import GROOVES_FROM, KINDS, odd_areas
from justbite.path import search
from justbite.path.area import air_start, make_area, parts_of
from justbite.path.clearing import Clearing
from justbite.path.entry import Wish
from justbite.path.level import plan_part, ways_into
from justbite.path.opening import find_openings
from justbite.path.rim import Rim
from justbite.path.spine import _on_to_the_tip, arm_line, neck_lines
from justbite.path.tight import tight_places
from justbite.plan import Plan, plan
from justbite.tolerances import CHORD
from tests.core.test_path import job, rectangle

RADIUS = 5.0


def area_of(job: Job, radius: float = RADIUS) -> Any:
    return make_area(job, job.regions[0], radius, 0.0, 0.006, CHORD, 1.0)


class FilmTest(SimpleTestCase):
    def test_many_slots_leave_no_more_than_one(self) -> None:
        """What may stand as a film along walls is told by the slot, not by the whole comb that it is a tooth of."""
        allowed: dict[int, list[float]] = {}
        whole = Clearing.to_and_fro

        for teeth in (1, 4):
            found = allowed[teeth] = []

            def told(own: Clearing, x: float, y: float, heading: float, film: float, tick: Any,
                     found: list[float] = found) -> tuple[float, float]:  # fmt: skip
                found.append(film)
                return whole(own, x, y, heading, film, tick)

            bars = [box(18.0 * k, 0, 18.0 * k + 11.1, 40) for k in range(teeth)]
            comb = shapely.union_all([box(0, 0, 18.0 * (teeth - 1) + 11.1, 11.1), *bars]).normalize()
            area = area_of(parse_job(job(np.array(comb.exterior.coords)[:-1].tolist())))
            ((_, part, ways),) = ways_into(area, 1.0, None, 2.0)
            with patch.object(Clearing, "to_and_fro", told):
                plan_part(area, part, ways[0], 2.0, "rough", lambda _: None)
        self.assertGreater(len(allowed[4]), 2)
        # The longest way through the comb leads down one tooth and up the other.
        self.assertLess(max(allowed[4]), 4.0 * max(allowed[1]))
        self.assertLess(min(allowed[4]), 1.3 * max(allowed[1]))


class StripTest(SimpleTestCase):
    """The air beyond open edges."""

    def region(self, outline: list[list[float]], open_edges: Any) -> Any:
        return parse_job(job(outline, open_edges=open_edges)).regions[0]

    def strip(self, outline: Any, open_edges: Any, by: float) -> shapely.Geometry:
        return free_space(self.region(outline, open_edges), by, CHORD).difference(Polygon(outline))

    def test_straight_edges_against_shapely(self) -> None:
        """An offset of the whole line to one side, where it is as wide as it should be: shapely's own."""
        outline = [[0, 0], [60, 0], [80, 40], [50, 70], [0, 50]]
        for edges in ([0], [1, 2], [0, 1], [4, 0]):
            points = [outline[k % 5] for k in (*edges, edges[-1] + 1)]
            known = LineString(points).buffer(-12, cap_style="flat", join_style="mitre", single_sided=True)
            found = self.strip(outline, edges, 12)
            # Walls are told from strips by lines 0.0004 wide.
            self.assertLess(found.symmetric_difference(known).area, 0.1)

    def test_a_right_angle_is_mitred_and_a_sharp_one_is_not_endless(self) -> None:
        self.assertAlmostEqual(self.strip(rectangle(60, 40), [0, 1], 10).area, 600 + 400 + 100, delta=0.1)
        sharp = [[0, 0], [100, 0], [0, 8]]
        reach = self.strip(sharp, [0, 1], 10).bounds
        self.assertLess(reach[2], 100 + 10 * math.sqrt(2) + 0.01)

    def test_a_bay_narrower_than_the_strip(self) -> None:
        """A half round bay of 8 mm: a strip of 16 and one of 17 mm lie inside each other, and fill the bay."""
        angles = np.linspace(math.pi, 0.0, 19)[1:-1]
        bay = [[30 + 8 * math.cos(a), 8 * math.sin(a)] for a in angles]
        outline = [[0, 0], [22, 0], *bay, [38, 0], [60, 0], [60, 40], [0, 40]]
        edges = list(range(1, 2 + len(bay)))
        narrow, wide = self.strip(outline, edges, 16.0), self.strip(outline, edges, 17.0)
        self.assertLess(narrow.difference(wide).area, 1e-6)
        self.assertLess(Point(30, 0).buffer(7.9).intersection(box(0, 0, 60, 40)).difference(narrow).area, 0.05)
        # Beside its mouth the closed edges stay walls: nothing of them is swept.
        walls = LineString([outline[0], outline[1]]).union(LineString([outline[-4], outline[-3]]))
        self.assertGreater(walls.distance(narrow.buffer(-1e-4)), 1e-5)

    def test_a_wider_strip_holds_a_narrower_one(self) -> None:
        """A hole across the border leaves an arc of it that is open: what the path may sweep, the proof must know."""
        (data,) = odd_areas(range(5, 6))
        region = parse_job(data).regions[0]
        narrow, wide = (free_space(region, by * 6.0, CHORD) for by in (3.2, 3.4))
        self.assertLess(narrow.difference(wide).area, 1e-6)
        self.assertGreater(wide.area, narrow.area + 1.0)

    def test_a_round_bay_leaves_no_gaps(self) -> None:
        """An arc of a hole: beyond the hole's middle the ways straight out of its edges part again."""
        (data,) = odd_areas(range(53, 54))
        region = parse_job(data).regions[0]
        strip = free_space(region, 8.0, CHORD).difference(Polygon(region.outline).buffer(1e-3))
        gaps = strip.buffer(0.2).buffer(-0.2).difference(strip.buffer(0.005))
        self.assertGreater(strip.area, 10.0)
        self.assertLess(gaps.area, 0.01 * strip.area)

    def test_shapes_that_touch_along_a_line(self) -> None:
        square = box(0, 0, 10, 10)
        touching = GeometryCollection([square, LineString([(10, 3), (20, 3)]), Point(30, 30)])
        np.testing.assert_array_equal(borders_of(touching)[0], np.asarray(square.exterior.coords))
        self.assertEqual(len(segments_of(touching)), 4)
        self.assertEqual(borders_of(shapely.GeometryCollection()), [])


class WallsTest(SimpleTestCase):
    def test_a_way_past_a_corner_keeps_off_it(self) -> None:
        """A line that passes a corner 0.9995 R off dips by more between two looks R / 10 apart than it may."""
        radius = 10.0
        grid = Grid.over((-30, -30, 30, 30), radius / 40)
        free = box(-60, -60, 60, 60).difference(box(-5, -60, 5, 0))
        room = signed_distance(free, grid, 3 * radius)
        cleared = np.full((grid.ny, grid.nx), -1.0, np.float32)
        # (5, 0) is the corner; the line passes over it at this height, and is straight.
        ways = []
        for height in (0.9995 * radius, 1.0005 * radius):
            for shift in np.linspace(0.0, 0.9, 10):
                normal = np.array([math.sin(0.7), math.cos(0.7)])
                foot = np.array([5.0, 0.0]) + height * normal
                along = np.array([-normal[1], normal[0]])
                a, b = foot - (3.0 + shift) * along, foot + 4.0 * along
                frame = grid.x0, grid.y0, grid.cell
                clear = search.line_clear(cleared, room, *frame, *a, *b, radius, radius, 1.0, 0.02)  # type: ignore[call-arg]
                ways.append(bool(clear) == (height > radius))
        self.assertTrue(all(ways))


class ArmsTest(SimpleTestCase):
    def test_a_line_into_an_arm_that_tapers_off(self) -> None:
        """The locus: a room of 40 mm, and a wedge 60 mm long at its side. What is cleared: the room."""
        part = box(0, -20, 40, 20).union(Polygon([(40, -1.0), (100, 0.0), (40, 1.0)]))
        rest = box(50, -6, 105, 6)
        line = arm_line(part, RADIUS, rest, lambda spots: spots[:, 0] < 45)
        assert line is not None
        self.assertTrue(part.buffer(1e-6).contains(LineString(line)))
        # A ramp takes some way: it begins well inside what is clear.
        self.assertLess(line[0, 0], 45.0 - RADIUS)
        self.assertGreater(line[-1, 0], 99.5)
        # Nothing to begin from, or nothing that is met: no line.
        self.assertIsNone(arm_line(part, RADIUS, rest, lambda spots: np.zeros(len(spots), bool)))
        self.assertIsNone(arm_line(part, RADIUS, rest, lambda spots: np.ones(len(spots), bool)))
        self.assertIsNone(arm_line(part, RADIUS, box(300, 0, 310, 10), lambda spots: spots[:, 0] < 45))

    def test_between_two_rooms_the_line_goes_all_through(self) -> None:
        """Two ramps that meet half-way leave a cusp at either wall: planned, of a ring with one side hardly wider."""
        part = shapely.union_all([box(0, -20, 40, 20), box(80, -20, 120, 20), box(40, -0.1, 80, 0.1)])
        rest = box(50, -6, 70, 6)
        line = arm_line(part, RADIUS, rest, lambda spots: np.abs(spots[:, 0] - 60) > 15)
        assert line is not None
        self.assertTrue(part.buffer(1e-6).contains(LineString(line)))
        ends = sorted(line[[0, -1], 0])
        self.assertLess(ends[0], 45.0)
        self.assertGreater(ends[1], 75.0)
        # Round a bend too, in whose corner the place that is farthest from both rooms lies.
        bent = shapely.union_all(
            [box(0, -20, 40, 20), box(39, -0.1, 80, 0.1), box(79.8, -0.1, 80, 40), box(60, 39, 99, 80)]
        )
        corner = bent.union(Polygon([(78.5, -0.1), (82, -2), (80, 1.5)]))
        line = arm_line(corner, RADIUS, box(50, -6, 86, 30), lambda at: (at[:, 0] < 45) | (at[:, 1] > 35))
        assert line is not None
        self.assertTrue(corner.buffer(1e-3).contains(LineString(line)))
        self.assertLess(line[:, 0].min(), 45.0)
        self.assertGreater(line[:, 1].max(), 35.0)
        # In a dead end as far as it goes, also where it forks on the way.
        dead = part.difference(box(70, -20, 200, 20)).union(box(55, -20, 56, 20))
        tip = arm_line(dead, RADIUS, rest, lambda spots: spots[:, 0] < 45)
        assert tip is not None
        self.assertGreater(tip[-1, 0], 69.5)

        island = [[20.0, 10.2], [40.0, 10.2], [40.0, 34.0], [20.0, 34.0]]
        made = job(rectangle(60.0, 54.0), ae=1.0, islands=[island])
        row = plan(parse_job(made)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_a_neck_with_a_bend_hardly_wider_than_the_cutter(self) -> None:
        """A fifth of a mm wide, 2.5 mm in the bend: its line leads from one room to the other."""
        for wide in (0.2, 0.05):
            rooms = [box(0, 0, 30, 30), box(50, 40, 90, 70)]
            slot = [box(29, 10, 60, 20 + wide), box(50 - wide, 10, 60, 50)]
            part = shapely.union_all([*rooms, *slot]).buffer(-RADIUS)
            (line,) = neck_lines(part, RADIUS, 0.6)
            self.assertTrue(part.buffer(1e-3).contains(LineString(line)))
            low, high = sorted(line[[0, -1]].tolist())
            self.assertLess(low[0], 25.0)
            self.assertGreater(high[1], 45.0)

    def test_what_a_small_bite_leaves_in_tips_is_ramped_away(self) -> None:
        """Films of 0.04 R in the two tips of a crescent, 0.15 % of it: torn by the nodes of the field into crumbs."""
        moon = Point(0, 0).buffer(16, quad_segs=32).difference(Point(9, 0).buffer(14, quad_segs=32))
        made = job(np.array(moon.exterior.coords)[:-1].tolist(), diameter=6, ae=0.3)
        row = plan(parse_job(made)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 0.0007)
        self.assertLessEqual(row["max_over_target"], 1.05)

    def test_where_sides_all_but_touch_the_line_goes_half_way_between_them(self) -> None:
        """Between a circle and one that crosses it at a grazing angle: some hundredths of a mm wide for the last mm."""
        outer, inner = Point(0, 0), Point(5.02, 0)
        part = outer.buffer(30, quad_segs=720).difference(inner.buffer(25, quad_segs=720))
        line = arm_line(part, RADIUS, box(20, 0, 35, 25), lambda spots: (spots[:, 0] < 10) & (spots[:, 1] > 0))
        assert line is not None
        # Where the circles cross, in closed form.
        x = (30.0**2 - 25.0**2 + 5.02**2) / (2.0 * 5.02)
        tip = np.array([x, math.sqrt(30.0**2 - x * x)])
        self.assertLess(float(np.hypot(*(line[-1] - tip))), 0.05 * RADIUS)
        self.assertTrue(part.buffer(1e-9).contains(LineString(line)))
        # Without the end of the line through the graph, which is straightened.
        last = line[np.hypot(*(line - tip).T) < 0.5 * RADIUS][1:]
        self.assertGreater(len(last), 5)
        off_outer, off_inner = 30.0 - np.hypot(*last.T), np.hypot(*(last - (5.02, 0)).T) - 25.0
        self.assertLess(float((off_outer + off_inner).max()), 0.1)
        np.testing.assert_allclose(off_outer, off_inner, atol=1e-3)
        # One that ends at the tip, or far from it, is left as it is.
        arm = Polygon([(0, -1), (30, 0), (0, 1)])
        for end in (30.0, 20.0):
            plain = np.array([[1.0, 0.0], [end, 0.0]])
            np.testing.assert_array_equal(_on_to_the_tip(plain, arm, RADIUS), plain)
        self.assertEqual(len(_on_to_the_tip(np.array([[1.0, 0.0], [28.0, 0.0]]), arm, RADIUS)), 2 + 24)

    def test_an_arm_is_followed_to_its_end(self) -> None:
        part = box(0, -20, 40, 20).union(Polygon([(39, -2.0), (120, 0.0), (39, 2.0)]))
        ((short,), (whole,)) = (neck_lines(part, RADIUS, 0.6, whole=w) for w in (False, True))
        ends = [max(line[0, 0], line[-1, 0]) for line in (short, whole)]
        self.assertGreater(ends[1], ends[0] + 2 * RADIUS)
        self.assertGreater(ends[1], 105.0)

    def test_a_short_arm_beside_what_is_cleared_is_worth_a_ramp(self) -> None:
        """An arm that goes on for 1.6 R, and one of 0.6 R: only into the first, and only where arms are asked for."""
        for long, worth in ((8.0, 1), (3.0, 0)):
            part = box(0, -20, 40, 20).union(box(39, -1.5, 40 + long, 1.5))
            self.assertEqual(len(neck_lines(part, RADIUS, 0.6, whole=True)), worth)
            self.assertEqual(neck_lines(part, RADIUS, 0.6), [])

    def test_from_outside_channels_are_ramped_through_first(self) -> None:
        """A comb, open below: two channels hardly wider than the cutter. In a plain trough one ramp is tried."""
        comb = box(0, 0, 60, 14).union(box(10, 0, 21.5, 60)).union(box(40, 0, 51.5, 60))
        points = [list(p) for p in comb.exterior.coords[:-1]]
        below = [k for k, p in enumerate(points) if p[1] == 0 and points[(k + 1) % len(points)][1] == 0]
        area = area_of(parse_job(job(points, open_edges=below)))
        (part,) = parts_of(area)
        plain, ramped = find_openings(area, part, 0.25, Wish(), 2.0, None)
        self.assertEqual((plain.kind, plain.before), ("outside", ()))
        self.assertEqual([(e.kind, e.chosen) for e in ramped.before], [("ramp", True)] * 2)
        for ramp in ramped.before:
            self.assertGreater(ramp.points[:, 1].max(), 50.0)
        # Where the user says where to begin, it begins there.
        (alone,) = find_openings(area, part, 0.25, Wish(place=(30.0, -9.0)), 2.0, None)
        self.assertEqual((alone.kind, alone.before), ("outside", ()))
        trough = area_of(parse_job(job(rectangle(60, 40), open_edges=[0])))
        (part,) = parts_of(trough)
        plain, along = find_openings(trough, part, 0.25, Wish(), 2.0, None)
        self.assertEqual((plain.before, len(along.before)), ((), 1))


class AirTest(SimpleTestCase):
    def test_it_comes_down_off_the_stock_beside_the_air(self) -> None:
        """One short open edge in a large stock: a pit with walls, of which the right one is nearest to the middle."""
        data = job([[0, 0], [30, 0], [100, 0], [100, 40], [0, 40]], open_edges=[0])
        data["stock"] = {"box": {"min": [-50, -60, -15], "max": [150, 90, 0]}}
        area = area_of(parse_job(data))
        (part,) = parts_of(area)
        spot = air_start(area, part, 1.0)
        assert spot is not None
        self.assertGreaterEqual(area.beyond.distance(Point(spot)), RADIUS + 1.0)
        self.assertGreaterEqual(area.material.distance(Point(spot)), RADIUS + 1.0)

    def test_where_that_cannot_be_it_keeps_off_what_is_to_be_cut(self) -> None:
        data = job([[0, 0], [30, 0], [41, 0], [100, 0], [100, 40], [0, 40]], open_edges=[1])
        data["stock"] = {"box": {"min": [-50, -60, -15], "max": [150, 90, 0]}}
        area = area_of(parse_job(data))
        (part,) = parts_of(area)
        spot = air_start(area, part, 1.0)
        assert spot is not None
        self.assertLess(area.beyond.distance(Point(spot)), RADIUS + 1.0)
        self.assertGreaterEqual(area.material.distance(Point(spot)), RADIUS + 1.0)


class OddAreasTest(SimpleTestCase):
    """The issue's bounds on areas that broke them."""

    def planned(self, seed: int) -> tuple[Plan, Job]:
        (data,) = odd_areas(range(seed, seed + 1))
        parsed = on_machine(data, 1e9)
        return plan(parsed), parsed

    def check(self, seed: int, ideal: float) -> None:
        made, parsed = self.planned(seed)
        row = made.report["operations"][0]
        self.assertLessEqual(row["max_over_target"], 1.05)
        self.assertLessEqual(row["p999_over_target"], 1.02)
        self.assertLessEqual(row["left_over_share"], 0.001)
        self.assertLessEqual(row["entry_over_bite"], 1.05)
        self.assertLess(row["seconds"] / row["ideal_seconds"], ideal)
        self.assertEqual(row["gouge_mm"], 0.0)
        codes = {w["code"] for w in made.report["warnings"]}
        self.assertFalse({c for c in codes if c.startswith("proof.")} | codes & {"area.left-over", "rule.approach-gap"})
        self.assertEqual(thin_pieces(parsed, made.program), 0)

    def test_a_hole_across_an_open_edge(self) -> None:
        """Was cut 0.6 mm into the wall, and entered at 4.8 times the load of its bite: the strip was inside out."""
        self.check(5, 1.6)

    def test_waves_finer_than_the_cutter(self) -> None:
        """Could not be planned at all: its parts touch what is to be cut along lines as well."""
        self.check(12, 1.5)

    def test_an_island_that_the_cutter_does_not_pass_behind(self) -> None:
        """Left 0.64 % in the two corners before the gap."""
        self.check(4, 1.6)

    def test_links_past_an_island(self) -> None:
        """Cut 0.011 mm into its corner: ways between nodes were looked at half-way only."""
        self.check(52, 1.5)

    def test_an_acute_corner_in_a_thin_bite(self) -> None:
        """Left 0.19 %."""
        self.check(40, 1.9)

    def test_a_cusp(self) -> None:
        """Took 1.064 of its bite in one corner."""
        self.check(103, 1.35)

    def test_rooms_behind_an_open_door(self) -> None:
        """The cutter came down at rapid less than a millimetre beside the stock."""
        self.check(62, 1.4)

    def test_every_kind_is_a_sound_job(self) -> None:
        for data in odd_areas(range(100, 100 + 2 * len(KINDS))):
            region = parse_job(data).regions[0]
            self.assertTrue(Polygon([p[:2] for p in region.outline]).is_valid)
        names = {d["name"].split(" D")[0].split(" ", 1)[1] for d in odd_areas(range(len(KINDS)))}
        self.assertEqual(len(names), len(KINDS))

    def test_grooves_are_sound_jobs_hardly_wider_than_their_cutter(self) -> None:
        seeds = range(GROOVES_FROM, GROOVES_FROM + 3 * len(GROOVES))
        for data in odd_areas(seeds):
            job = parse_job(data)
            shape = Polygon(
                [p[:2] for p in job.regions[0].outline], [[p[:2] for p in hole] for hole in job.regions[0].islands]
            )
            self.assertTrue(shape.is_valid)
            # Mean width of what its border goes along on both sides: joints and corners are a little wider.
            width = 2.0 * shape.area / shape.length / job.tools[0].diameter
            self.assertGreater(width, 0.8)
            self.assertLess(width, 1.9)
        one_each = odd_areas(seeds[: len(GROOVES)])
        names = {d["name"].split(" D")[0].split(" ", 1)[1] for d in one_each}
        self.assertEqual(len(names), len(GROOVES))


def keyhole(width: float, bend: float) -> dict[str, Any]:
    """A room of 40 mm and an arm of 60 mm that goes up by `bend` half-way; 10 mm cutter, 20 %."""
    low, high = 15.0, 15.0 + width
    outline = [[0, 0], [40, 0], [40, low], [70, low + bend], [100, low], [100, high], [70, high + bend], [40, high],
               [40, 40], [0, 40]]  # fmt: skip
    return job(outline, ae=2.0)


def star() -> dict[str, Any]:
    """A round room and four arms about it; 8 mm cutter, 30 %."""
    arms = [box(-40, -4.4, 40, 4.4), box(-4.4, -40, 4.4, 40)]
    cross = shapely.union_all([Point(0, 0).buffer(16, quad_segs=32), *arms]).normalize()
    return job(np.array(cross.exterior.coords)[:-1].round(4).tolist(), diameter=8, ae=2.4)


class ArmTest(SimpleTestCase):
    def test_along_the_walls_of_an_arm_no_film_is_left(self) -> None:
        """Hardly wider than the cutter: no pass can turn there, and beside the ramp stands half of what is wider."""
        for width, bend in ((10.1, 0.0), (10.2, 0.0), (10.5, 8.0)):
            row = plan(parse_job(keyhole(width, bend))).report["operations"][0]
            self.assertLessEqual(row["left_over_share"], 4e-4)
            self.assertLessEqual(row["max_over_target"], 1.05)
            self.assertEqual(row["gouge_mm"], 0)
            # Without that, and without the films that are looked for at the end of a plan.
            none: list[Any] = []
            films = patch("justbite.path.level.along_films", return_value=none)
            with patch("justbite.path.level.along_arm", return_value=None), films:
                without = plan(parse_job(keyhole(width, bend))).report["operations"][0]
            self.assertGreater(without["left_over_share"], 0.002)

    def test_passes_leave_arms_to_ramps(self) -> None:
        """Four arms of 1.1 D about a room: passes got hold of three of them, sliver by sliver, in twice the time."""
        made = parse_job(star())
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.level.tight_places", return_value=()):
            looped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.8 * looped["seconds"])

    def test_passes_do_what_they_can_where_no_ramp_leads_in(self) -> None:
        area = area_of(parse_job(star()), 4.0)
        ((_, part, ways),) = ways_into(area, 1.0, None, 2.4)
        self.assertEqual(len(tight_places(part, 4.0)), 4)
        with patch("justbite.path.level.next_entry", return_value=None):
            made = plan_part(area, part, ways[0], 2.4, "rough", lambda _: None)
            with patch("justbite.path.level._gone_on", lambda _, path, *__: path):
                without = plan_part(area, part, ways[0], 2.4, "rough", lambda _: None)
        self.assertGreater(made.cleared, without.cleared + 8.8 * 20)

    def test_which_places_are_tight(self) -> None:
        arms = [box(30, 10, 60, 20 + wide) for wide in (0.5, 2.0)]
        for arm, count in zip(arms, (1, 0), strict=True):
            part = box(0, 0, 31, 30).union(arm).buffer(-RADIUS)
            places = tight_places(part, RADIUS)
            self.assertEqual(len(places), count)
            for place in places:
                self.assertTrue(place.holds(40.0, 15.25))
                self.assertFalse(place.holds(15.0, 15.0))
        # A slot by itself is none: there passes, or ramps, are tried as a whole.
        self.assertEqual(tight_places(box(0, 0, 60, 10.5).buffer(-RADIUS), RADIUS), ())

    def test_films_in_a_neck_are_come_at_along_its_middle(self) -> None:
        """A neck 0.2 mm wider than the cutter: no flood leads into it, and 0.17 % stood along its walls."""
        rooms = shapely.union_all([box(0, 0, 30, 40), box(50, 0, 80, 40), box(29, 14.9, 51, 25.1)])
        made = parse_job(job(np.array(rooms.normalize().exterior.coords)[:-1].tolist(), ae=3.0))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 4e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.narrow.Middle.way", lambda _, start, end: np.vstack([start, end])):
            without = plan(made).report["operations"][0]
        self.assertGreater(without["left_over_share"], 1e-3)

    def test_wipes_do_not_eat_up_an_arm(self) -> None:
        """A dead end 0.05 mm wider than the cutter, beside a room: a ramp goes into it."""
        outline = box(0, 0, 50, 40).union(box(49, 10, 70, 20.05)).normalize()
        made = parse_job(job(np.array(outline.exterior.coords)[:-1].tolist(), ae=1.0))
        row = plan(made).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 1e-3)
        self.assertLessEqual(row["max_over_target"], 1.05)
        with patch("justbite.path.clearing.MOST_WIPED", math.inf):
            wiped = plan(made).report["operations"][0]
        self.assertLess(row["seconds"], 0.95 * wiped["seconds"])

    def test_out_of_the_tip_of_a_cusp_it_goes_back_the_way_it_came(self) -> None:
        """Walls stand so close there that no flood begins: the cutter was caught, and the other cusp stayed."""
        data = next(odd_areas(range(115, 116)))
        row = plan(parse_job(data)).report["operations"][0]
        self.assertLessEqual(row["left_over_share"], 5e-4)
        self.assertLessEqual(row["max_over_target"], 1.05)
        # Without that, and without the ramps into what is left in corners, which wipes went into as well before.
        ramps = patch("justbite.path.remaining.MOST_ALL", 1.0)
        wipes = patch("justbite.path.clearing.MOST_WIPED", math.inf)
        with patch.object(Clearing, "_out_of_tip", lambda *_: None), ramps, wipes:
            caught = plan(parse_job(data)).report["operations"][0]
        self.assertGreater(caught["left_over_share"], 1e-3)

    def test_the_way_along_its_walls_goes_in_and_out(self) -> None:
        ring = np.asarray(shapely.segmentize(box(0, 0, 40, 30).union(box(39, 14, 90, 14.4)).exterior, 0.25).coords)[:-1]
        rim = Rim((ring,), np.zeros((2, 2), dtype=np.float32), (0.0, 0.0, 1.0), 5.0, 5.0)
        way = rim.beside(np.array([[30.0, 14.2], [90.0, 14.2]]), 0.3)
        assert way is not None
        self.assertLess(float(np.abs(way[:, 1] - 14.2).max()), 0.3)
        self.assertAlmostEqual(float(way[:, 0].max()), 90.0)
        self.assertLess(float(np.hypot(*np.diff(way, axis=0).T).max()), 0.26)
        for end in way[[0, -1]]:
            self.assertAlmostEqual(float(end[0]), 40.0, delta=0.3)
        # In by one wall and out by the other; and nothing where no border is so near.
        self.assertGreater(abs(float(way[0, 1] - way[-1, 1])), 0.3)
        self.assertIsNone(rim.beside(np.array([[10.0, 10.0], [20.0, 15.0]]), 0.3))

    def test_no_wipe_leaps_over_a_wall_in_the_mouth_of_an_arm_too_narrow(self) -> None:
        """The centre's room ends in a cusp there: of a rounded run half lay before it (0.014 mm into the wall)."""
        result = plan(parse_job(keyhole(10.3, 8.0)))
        row = result.report["operations"][0]
        self.assertEqual(row["gouge_mm"], 0)
        # Where the arm bends there would be room, but no way in.
        self.assertIn("area.no-entry", [w["code"] for w in result.report["warnings"]])
        self.assertLessEqual(row["max_over_target"], 1.05)
