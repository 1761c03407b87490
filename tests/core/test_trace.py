"""One pass and its parts against closed forms and plain numpy: engagement, straight and round fronts, walls, guard."""

from itertools import pairwise
from unittest.mock import patch

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, Polygon, box

from justbite.field.cleared import OFF, stamp, stamp_along, undo
from justbite.field.distance import signed_distance
from justbite.field.grid import Field, Grid
from justbite.path import clearing, tracer
from justbite.path.contact import HALF_SAMPLES, deepest, material_side, radial_depth
from justbite.path.fit import fit
from justbite.path.fronts import SWEEPS, Points
from justbite.path.plane import NOTHING, Plane
from justbite.path.search import line_clear
from justbite.path.ways import MOST_REFUSALS

RADIUS, TARGET = 5.0, 2.0
WIDE = box(-60, -60, 60, 60)
LOG = (np.empty(2_000_000, np.int32), np.empty(2_000_000, np.float32))


Traced = tuple[NDArray[np.float64], NDArray[np.float64], int, int]


def settings(**other: float) -> tuple[float, ...]:
    """As the first sweep has them, with what a test needs otherwise."""
    sweep = SWEEPS[0]
    given = {
        "radius": RADIUS, "wall": RADIUS, "step": 0.05 * RADIUS, "target": TARGET, "fade": sweep.fade * TARGET,
        "fade_length": 0.6 * RADIUS, "turn_away": 0.12 * RADIUS, "turn_in": sweep.turn_in * RADIUS,
        "escape": sweep.escape * RADIUS, "skin": 0.01, "lag_steps": 5, "near": 0.004, "finest": 0.004,
        "most": 1.035 * TARGET, "back": RADIUS, "ribs": 0.0,
    }  # fmt: skip
    return tracer.TraceSettings(**{**given, **other}).packed()  # type: ignore[arg-type]


class Plate:
    """A plate to cut from, with what of it is cleared, and room for the centre inside `within`."""

    def __init__(self, cleared: Polygon, within: Polygon = WIDE, cells: float = 16.0) -> None:
        self.grid = Grid.over((-60, -60, 60, 60), RADIUS / cells)
        self.frame = (self.grid.x0, self.grid.y0, self.grid.cell)
        self.field: Field = -signed_distance(cleared, self.grid, 15.0)
        self.room = signed_distance(within, self.grid, 15.0)

    def begun(self, x: float, y: float) -> "Plate":
        """With a place that is cleared already, for a pass to begin at."""
        stamp(self.field, *self.frame, x, y, x, y, RADIUS, False, *LOG, 0)
        return self

    def trace(self, x: float, y: float, heading: float, steps: int, side: int = 1, stamping: bool = True,
              given: tuple[float, ...] | None = None, before: Points = NOTHING) -> Traced:  # fmt: skip
        """Path, depths, how it ended and the length of the undo log."""
        path, depth, ended, _, used, _ = tracer.trace(
            self.field, self.room, *self.frame, x, y, heading, 0.0, side, given or settings(), TARGET, stamping, steps,
            *LOG, 0, before,
        )  # fmt: skip
        return path, depth, int(ended), int(used)


class EngagementTest(SimpleTestCase):
    def test_leaping_over_samples_changes_nothing(self) -> None:
        """Against all samples, one by one in numpy, on fields of discs and slivers drawn at random."""
        random = np.random.default_rng(5)
        angles = np.linspace(-np.pi / 2, np.pi / 2, HALF_SAMPLES + 1)
        some = 0
        for _ in range(40):
            swept = [Point(*random.uniform(-8, 8, 2)).buffer(random.uniform(2, 9)) for _ in range(4)]
            plate = Plate(swept[0].union(swept[1]).union(swept[2]).difference(swept[3].buffer(-1.5)))
            np.maximum(plate.field, -4.0 * plate.grid.cell, out=plate.field)
            x, y, turn = random.uniform(-6, 6), random.uniform(-6, 6), random.uniform(0, 6.28)
            at = np.column_stack([x + RADIUS * np.cos(turn + angles), y + RADIUS * np.sin(turn + angles)])
            here = np.array([self.bilinear(plate, px, py) for px, py in at]) - 0.01
            shares = [
                1.0 if a > 0 and b > 0 else 0.0 if a <= 0 and b <= 0 else max(a, b) / abs(b - a)
                for a, b in pairwise(here)
            ]
            expected = RADIUS * float(np.dot(shares, np.diff(np.sin(angles))))
            found = radial_depth(plate.field, *plate.frame, x, y, np.cos(turn), np.sin(turn), RADIUS, 0.01)
            self.assertAlmostEqual(found, expected, delta=1e-5 * RADIUS)
            some += 0.01 < expected < 9.9
        self.assertGreater(some, 20)

    def test_an_inner_and_an_outer_curve(self) -> None:
        """Moving along a front the cutter takes ae, whatever the curvature: the area between two circles over the way.

        From a hole of radius a the cutter's edge reaches a + ae: its centre goes round at a + ae - R, and a turn takes
        pi ((a + ae)^2 - a^2). Round a boss from outside the same with the signs turned.
        """
        for size, sign in ((20.0, 1.0), (12.0, -1.0)):
            disc = Point(0, 0).buffer(size, quad_segs=128)
            plate = Plate(disc if sign > 0 else WIDE.difference(disc), cells=30.0)
            edge = size + sign * TARGET
            centre = edge - sign * RADIUS
            taken = sign * np.pi * (edge**2 - size**2) / (2.0 * np.pi * centre)
            found = radial_depth(plate.field, *plate.frame, centre, 0.0, 0.0, sign, RADIUS, 0.0)
            self.assertAlmostEqual(found, taken, delta=0.01 * taken)

    def test_where_the_material_lies_and_how_thick(self) -> None:
        plate = Plate(box(-60, -60, 60, 3))
        x, y = material_side(plate.field, *plate.frame, 0.0, 0.0, RADIUS, 0.01)
        self.assertAlmostEqual(x, 0.0, 3)
        self.assertAlmostEqual(y, 1.0, 3)
        self.assertAlmostEqual(deepest(plate.field, *plate.frame, 0.0, 0.0, RADIUS, 0.0, np.inf), 2.0, delta=0.02)
        self.assertLess(deepest(plate.field, *plate.frame, 0.0, -4.0, RADIUS, 0.0, np.inf), 0.0)

    @staticmethod
    def bilinear(plate: Plate, x: float, y: float) -> float:
        gx, gy = (x - plate.grid.x0) / plate.grid.cell, (y - plate.grid.y0) / plate.grid.cell
        i, j = int(gx), int(gy)
        u, v = gx - i, gy - j
        corners = plate.field[j : j + 2, i : i + 2].astype(float)
        return float((1 - v) * ((1 - u) * corners[0, 0] + u * corners[0, 1])
                     + v * ((1 - u) * corners[1, 0] + u * corners[1, 1]))  # fmt: skip


class StampTest(SimpleTestCase):
    def test_going_on_is_as_good_as_anew(self) -> None:
        """A stamp that leaves out what the disc before it had taken gives the same field, and the areas add up."""
        turns = np.linspace(0.0, 2.5, 60)
        path = np.column_stack([12.0 * np.cos(turns), 12.0 * np.sin(turns)])
        fields, areas = [], []
        for going_on in (False, True):
            plate = Plate(Point(0, 0).buffer(10))
            taken = 0.0
            for k in range(len(path) - 1):
                _, area = stamp(plate.field, *plate.frame, *path[k], *path[k + 1], RADIUS, going_on and k > 0, *LOG, 0)  # type: ignore[call-arg]
                taken += area
            fields.append(plate.field)
            areas.append(taken)
        # Farther off than three cells nothing is promised.
        near = np.abs(fields[0]) < 3.0 * RADIUS / 16
        np.testing.assert_array_equal(fields[0][near], fields[1][near])
        self.assertAlmostEqual(areas[0], areas[1], 9)
        swept = LineString(path).buffer(RADIUS, quad_segs=64).difference(Point(0, 0).buffer(10, quad_segs=64))
        self.assertAlmostEqual(areas[0], swept.area, delta=0.005 * swept.area)

    def test_a_pass_in_longer_steps_is_the_pass(self) -> None:
        """Straight on, round, back on itself from a sharp corner, and a last step: the distance to all of that."""
        turns = np.linspace(0.0, 2.0, 300)
        arc = np.column_stack([12.0 * np.sin(turns), -12.0 * np.cos(turns)])
        straight = np.column_stack([np.linspace(-25.0, -0.25, 100), np.full(100, -12.0)])
        back = arc[-1] + np.outer(np.arange(1, 41), (arc[-30] - arc[-1]) / 30)
        way = np.ascontiguousarray(np.vstack([straight, arc, back]))
        off = []
        for ahead in (True, False):
            plate = Plate(Point(-25, -12).buffer(RADIUS))
            stamp_along(plate.field, *plate.frame, way, RADIUS, ahead, *LOG)
            rows, columns = np.indices(plate.field.shape)
            x, y = plate.grid.x0 + columns * plate.grid.cell, plate.grid.y0 + rows * plate.grid.cell
            away = shapely.distance(shapely.points(x, y), LineString(way))
            near = np.abs(away - RADIUS) < 3.0 * plate.grid.cell
            off.append(float(np.abs(plate.field - (away - RADIUS))[near].max()))
        self.assertLess(off[1], 1e-5)
        # It is told by fewer steps: else it would be as exact.
        self.assertLess(off[1], off[0])
        self.assertLessEqual(off[0], OFF * RADIUS + 1e-5)

    def test_it_is_taken_back(self) -> None:
        plate = Plate(Point(0, 0).buffer(10))
        before = plate.field.copy()
        used, _ = stamp(plate.field, *plate.frame, 4.0, 0.0, 9.0, 3.0, RADIUS, False, *LOG, 0)
        self.assertFalse(np.array_equal(plate.field, before))
        undo(plate.field, *LOG, used, 0)
        np.testing.assert_array_equal(plate.field, before)


class PassTest(SimpleTestCase):
    def test_along_a_straight_front_it_goes_straight(self) -> None:
        """The edge stands 2 mm in the material, so the centre goes 3 mm off it; nothing swings about that line."""
        plate = Plate(box(-60, 0, 60, 60)).begun(-40.0, RADIUS - TARGET)
        path, depth, ended, _ = plate.trace(-40.0, RADIUS - TARGET, 0.0, 300)
        self.assertEqual(ended, tracer.RAN_OUT)
        self.assertAlmostEqual(float(path[-1, 0]), 35.0, delta=0.1)
        np.testing.assert_allclose(path[40:, 1], RADIUS - TARGET, atol=0.02)
        np.testing.assert_allclose(depth[40:], TARGET, rtol=0.006)
        headings = np.arctan2(*np.diff(path[40:], axis=0).T[::-1])
        self.assertLess(float(headings.std()), 0.004)
        self.assertLess(float((depth[40:] - TARGET).max()), 1e-9)

    def test_in_a_hole_it_spirals(self) -> None:
        """What it takes over its way is the bite, turn by turn: area cleared over length."""
        plate = Plate(Point(0, 0).buffer(12, quad_segs=64)).begun(12.0 + TARGET - RADIUS, 0.0)
        clear = float(np.count_nonzero(plate.field < 0)) * plate.grid.cell**2
        path, depth, ended, _ = plate.trace(12.0 + TARGET - RADIUS, 0.0, np.pi / 2, 1500)
        self.assertEqual(ended, tracer.RAN_OUT)
        taken = float(np.count_nonzero(plate.field < 0)) * plate.grid.cell**2 - clear
        way = float(np.hypot(*np.diff(path, axis=0).T).sum())
        self.assertAlmostEqual(taken / way, TARGET, delta=0.01 * TARGET)
        away = np.hypot(*path.T)
        self.assertGreater(float(away[-1] - away[0]), 2.0 * TARGET)
        self.assertLess(float(depth[10:].max()), TARGET + 1e-9)
        self.assertGreater(float(depth[30:].min()), 0.98 * TARGET)

    def test_it_comes_to_a_wall_and_ends_there(self) -> None:
        """Never over the wall; its curves are no tighter than allowed; the tail that takes nothing is not cut."""
        plate = Plate(box(-60, 0, 60, 60), box(-60, -60, 20, 60)).begun(-30.0, RADIUS - TARGET)
        path, depth, ended, used = plate.trace(-30.0, RADIUS - TARGET, 0.0, 2000)
        self.assertEqual(ended, tracer.FADED)
        self.assertGreater(used, 0)
        self.assertLessEqual(float(path[:, 0].max()), 20.0 - RADIUS + 1e-3)
        self.assertGreaterEqual(float(depth[-1]), SWEEPS[0].fade * TARGET)
        ways = np.diff(path, axis=0)
        turns = np.abs(np.diff(np.unwrap(np.arctan2(ways[:, 1], ways[:, 0]))))
        free = np.hypot(path[1:-1, 0] - 20.0, 0.0) > RADIUS + 0.05
        self.assertLess(float((turns[free] / 0.25).max()), 1.0 / (0.12 * RADIUS) + 1e-6)

    def test_the_field_is_as_it_was_when_a_pass_is_taken_back(self) -> None:
        plate = Plate(Point(0, 0).buffer(12, quad_segs=64))
        before = plate.field.copy()
        _, _, _, used = plate.trace(9.0, 0.0, np.pi / 2, 400)
        tracer.roll_back(plate.field, *LOG, used, 0)
        np.testing.assert_array_equal(plate.field, before)

    def test_a_cut_that_takes_too_much_ends_before_it(self) -> None:
        """Held to half of what it takes, it is taken back by a radius, and says so."""
        plate = Plate(box(-60, 0, 60, 60)).begun(-40.0, RADIUS - TARGET)
        path, _, ended, used = plate.trace(-40.0, RADIUS - TARGET, 0.0, 300, given=settings(most=0.5 * TARGET))
        self.assertEqual(ended, tracer.OVER)
        self.assertLess(len(path), 30)
        self.assertGreaterEqual(used, 0)

    def test_what_was_taken_just_before_a_joint_counts(self) -> None:
        """A pass that goes on: what it took up to there is in the window, less and less of it."""
        span = 0.05 * RADIUS
        for share, backwards, is_over in ((1.1, 0.0, True), (1.04, 0.0, False), (5.0, 0.2 * RADIUS, False),
                                          (6.0, 0.2 * RADIUS, True), (9.0, 0.25 * RADIUS, False)):  # fmt: skip
            before = np.array([[backwards + k * span, share * TARGET * span, span] for k in range(5)])
            plate = Plate(box(-60, 0, 60, 60)).begun(-40.0, RADIUS - TARGET)
            (x, y), given = plate.trace(-40.0, RADIUS - TARGET, 0.0, 60)[0][-1], settings(most=1.06 * TARGET)
            untouched = plate.field.copy()
            path, _, ended, used = plate.trace(float(x), float(y), 0.0, 60, given=given, before=before)
            self.assertEqual(ended == tracer.OVER, is_over, (share, backwards))
            if is_over:
                # It was too much from the first step on: nothing is cut, and nothing of the field is changed.
                self.assertEqual((len(path), used), (1, 0))
                np.testing.assert_array_equal(plate.field, untouched)

    def test_a_walk_back_leaves_the_field_and_ends_off_the_front(self) -> None:
        """Mirrored and without a cut: from mid-front to where the plate's corner begins it."""
        plate = Plate(WIDE.difference(box(-20, -60, 60, 0)))
        before = plate.field.copy()
        path, depth, ended, _ = plate.trace(10.0, RADIUS - TARGET, np.pi, 3000, side=-1, stamping=False)
        np.testing.assert_array_equal(plate.field, before)
        self.assertEqual(ended, tracer.FADED)
        self.assertLess(float(depth[-1]), SWEEPS[0].fade * TARGET)
        x, y = path[-1]
        self.assertLessEqual(deepest(plate.field, *plate.frame, x, y, RADIUS, 0.0, np.inf), 0.05)
        self.assertLess(float(path[:, 0].min()), -20.0)

    def test_a_walk_round_a_boss_comes_round(self) -> None:
        plate = Plate(WIDE.difference(Point(0, 0).buffer(20, quad_segs=64)))
        path, _, ended, _ = plate.trace(20.0 + RADIUS - TARGET, 0.0, np.pi / 2, 5000, side=-1, stamping=False)
        self.assertEqual(ended, tracer.CLOSED)
        way = float(np.hypot(*np.diff(path, axis=0).T).sum())
        self.assertLess(way, 2.5 * 2.0 * np.pi * 23.0)

    def test_a_walk_that_circles_about_a_crumb_ends_there(self) -> None:
        """Within R of where it was for ever: three times round all borders each time, 8000 steps on odd part 1007."""
        plate = Plate(WIDE.difference(Point(0, 0).buffer(0.4, quad_segs=32)), cells=48.0)
        tight = settings(step=0.1 * RADIUS, turn_in=0.2 * RADIUS, fade=0.01 * TARGET)
        path, depth, ended, _ = plate.trace(0.0, -0.995 * (RADIUS + 0.4), 0.0, 5000, stamping=False, given=tight)
        self.assertEqual(ended, tracer.RAN_OUT)
        # It looks after 100 steps, and a round takes a dozen; it is off the crumb there, for a pass to begin.
        self.assertLess(len(path), 130)
        self.assertLess(float(depth[-1]), 0.01 * TARGET)


class RibTest(SimpleTestCase):
    """Ribs that stand free: both their sides are cleared. Each is cut into already, from the left."""

    def begun(self, standing: Polygon, y: float) -> tuple[Plate, float]:
        """A plate of which so much stands, cut along y up to x = -5; and how much of it is left then, mm2."""
        plate = Plate(WIDE.difference(standing).union(LineString([(-50, y), (-5, y)]).buffer(RADIUS, quad_segs=64)))
        return plate, self.standing(plate)

    def standing(self, plate: Plate) -> float:
        inner = plate.field[20:-20, 20:-20]
        return float(np.count_nonzero(inner > 0.01)) * plate.grid.cell**2

    def test_a_rib_thinner_than_the_bite_goes_in_one_pass(self) -> None:
        """Whether it lies under the cutter's middle or its rim; turning in for more, passes led across it."""
        for share in (0.35, 0.5, 0.7, 0.85):
            for off in (0.6, 0.9):
                y = RADIUS - off * RADIUS
                plate, before = self.begun(box(-20, -share * TARGET, 20, 0), y)
                path, depth, ended, _ = plate.trace(-5, y, 0.0, 1000, given=settings(ribs=1.0))
                self.assertEqual(ended, tracer.FADED)
                self.assertGreater(before, 10.0)
                self.assertLess(self.standing(plate), 0.01 * before)
                self.assertLessEqual(float(depth.max()), TARGET)
                self.assertLess(float(np.abs(np.diff(path, axis=0)[:, 1]).sum()), 0.4 * RADIUS)

    def test_a_rib_met_end_on_goes_in_one_pass_too(self) -> None:
        for share, off in ((0.3, 0.3), (0.5, 0.6), (0.8, 0.6), (0.8, 0.9)):
            rib = box(-20, -share * TARGET, 20, 0)
            plate = Plate(WIDE.difference(rib))
            before = self.standing(plate)
            plate.trace(-25.5, RADIUS - off * RADIUS, 0.0, 1000, given=settings(ribs=1.0))
            self.assertAlmostEqual(before, rib.area, delta=0.1 * rib.area)
            self.assertLess(self.standing(plate), 0.01 * before)

    def test_where_the_side_is_not_clear_it_turns_in(self) -> None:
        """The plate's edge: half a bite deep to begin with, and soon the whole."""
        y = RADIUS - 0.5 * TARGET
        plate, _ = self.begun(box(-55, -30, 55, 0), y)
        _, depth, _, _ = plate.trace(-5, y, 0.0, 120, given=settings(ribs=1.0))
        self.assertLess(float(depth[1]), 0.9 * TARGET)
        self.assertGreater(float(np.median(depth[-40:])), 0.98 * TARGET)


class RefusalTest(SimpleTestCase):
    def test_what_nothing_gets_hold_of_is_given_up(self) -> None:
        """Passes that end where they began and take nothing: each contact is tried a few times, and it ends."""
        part = box(-20, -20, 20, 20)
        plate = Plate(Point(0, 0).buffer(9), part.buffer(RADIUS, join_style="mitre"))
        work = clearing.Clearing(Plane(plate.grid, plate.field, plate.room, RADIUS, RADIUS, TARGET))
        tried: list[tuple[float, float]] = []

        def idle(x: float, y: float, heading: float, *_: object) -> tuple[float, float]:
            tried.append((x, y))
            return x, y

        with patch.object(work, "_pass_from", idle):
            work.run(0.0, 0.0, None, lambda _: None)
        self.assertGreater(len(tried), 1)
        self.assertLess(len(tried), 3 * MOST_REFUSALS * len(set(tried)) + 1)
        self.assertEqual(work.removed, 0.0)


class LineClearTest(SimpleTestCase):
    def test_walls_and_material_are_in_the_way(self) -> None:
        plate = Plate(box(-60, 0, 60, 60), box(-60, -60, 30, 60))

        def clear(ax: float, ay: float, bx: float, by: float) -> bool:
            return bool(line_clear(plate.field, plate.room, *plate.frame, ax, ay, bx, by, RADIUS, RADIUS, 0.05, 0.01))

        self.assertTrue(clear(-20.0, 5.01, 20.0, 5.01))
        self.assertFalse(clear(-20.0, 4.7, 20.0, 4.7))
        self.assertFalse(clear(-20.0, 10.0, 26.0, 10.0))
        self.assertTrue(clear(-20.0, 10.0, 24.9, 10.0))
        self.assertTrue(clear(3.0, -20.0, 3.0, -20.0))


class FitTest(SimpleTestCase):
    def test_a_wandering_path_keeps_the_tolerance_and_its_ends(self) -> None:
        """Every point lies within the tolerance of its block; each block begins where the one before ended."""
        random = np.random.default_rng(2)
        turns = np.cumsum(np.repeat(random.uniform(-0.06, 0.06, 12), 40))
        path = np.cumsum(0.25 * np.column_stack([np.cos(turns), np.sin(turns)]), axis=0)
        for tolerance in (0.002, 0.01):
            at = 0
            rows = fit(path, tolerance)
            for last, kind, cx, cy in rows:
                run = path[at : int(last) + 1]
                if kind == 1:
                    way = (run[-1] - run[0]) / np.hypot(*(run[-1] - run[0]))
                    off = np.abs((run - run[0]) @ np.array([-way[1], way[0]]))
                else:
                    off = np.abs(np.hypot(*(run - (cx, cy)).T) - np.hypot(*(run[0] - (cx, cy))))
                self.assertLessEqual(float(off.max()), tolerance + 1e-9)
                at = int(last)
            self.assertEqual(at, len(path) - 1)
            # Twelve bends of one curvature each: an arc for each, and little more where they meet.
            self.assertLess(len(rows), 40)

    def test_arcs_bulge_no_farther_than_the_tolerance_between_two_points(self) -> None:
        """A bend of 0.6 mm in points 0.4 mm apart: the arc through them lies 0.03 mm outside of what was looked at."""
        angles = 2.0 * np.arcsin(0.2 / 0.6) * np.arange(5)
        bend = 0.6 * np.column_stack([np.cos(angles), np.sin(angles)])
        path = np.vstack([[[0.6, -0.4 * k]] for k in range(8, 0, -1)] + [bend])
        for tolerance, arcs in ((0.01, 0), (0.04, 1)):
            at = found = 0
            for last, kind, cx, cy in fit(path, tolerance):
                run = path[at : int(last) + 1]
                if kind != 1:
                    radius = np.hypot(*(run[0] - (cx, cy)))
                    chords = np.hypot(*np.diff(run, axis=0).T)
                    bulge = radius - np.sqrt(np.maximum(0.0, radius**2 - chords**2 / 4))
                    self.assertLessEqual(float(bulge.max()), 1.05 * tolerance)
                    found += 1
                at = int(last)
            self.assertEqual(found, arcs)
