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
from justbite.path.level import plan_part, ways_into
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
