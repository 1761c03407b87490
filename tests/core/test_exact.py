"""Whole programs against exact geometry that shares no code with planner or proof.

The NC text is read by a few lines of its own (ISO 6983 words; G0 to G3, incremental I and J) and swept as capsules
with shapely's polygons (GEOS): what each bit of way takes, what is left, what is cut beside the area. The way in is
from outside or down a drilled hole, so that all that is taken is taken sideways.
"""

import math
import re
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, Polygon, box

from justbite.model.parse import parse_job
from justbite.plan import plan
from tests.core.test_path import job, rectangle

WORD = re.compile(r"([GXYZIJF])(-?[\d.]+)")
QUARTER = 64
"""Chords to a quarter of a disc: inside it by 8e-5 R at most."""


@dataclass(frozen=True)
class Way:
    """A straight piece of way; mm."""

    a: tuple[float, float, float]
    b: tuple[float, float, float]
    rapid: bool


def ways(program: str, most: float) -> list[Way]:
    """All moves as pieces of at most `most` mm; arcs as chords of it, with ends on the arc."""
    found: list[Way] = []
    at, kind = (0.0, 0.0, math.inf), 0
    for line in program.splitlines():
        words = dict[str, float]()
        for letter, number in WORD.findall(re.sub(r"\(.*?\)", "", line)):
            if letter == "G" and float(number) in (0, 1, 2, 3):
                kind = int(float(number))
            elif letter != "G":
                words[letter] = float(number)
        if not words.keys() & {"X", "Y", "Z"}:
            continue
        end = words.get("X", at[0]), words.get("Y", at[1]), words.get("Z", at[2])
        if math.isfinite(at[2]):
            found += _pieces(at, end, kind, (words.get("I", 0.0), words.get("J", 0.0)), most)
        at = end
    return found


def _pieces(a: tuple[float, ...], b: tuple[float, ...], kind: int, centre: tuple[float, float], most: float
            ) -> list[Way]:  # fmt: skip
    start, end = np.array(a), np.array(b)
    if kind < 2:
        count = max(1, math.ceil(float(np.hypot(*(end - start)[:2])) / most))
        spots = start + np.linspace(0.0, 1.0, count + 1)[:, None] * (end - start)
    else:
        middle = start[:2] + centre
        first, last = (math.atan2(*(p[:2] - middle)[::-1]) for p in (start, end))
        turn = (last - first) % math.tau if kind == 3 else -((first - last) % math.tau)
        turn = turn or (math.tau if kind == 3 else -math.tau)
        radius = float(np.hypot(*centre))
        count = max(1, math.ceil(abs(turn) * radius / most))
        angles = first + turn * np.linspace(0.0, 1.0, count + 1)
        heights = np.linspace(start[2], end[2], count + 1)
        ring = middle + radius * np.column_stack([np.cos(angles), np.sin(angles)])
        spots = np.column_stack([ring, heights])
        spots[0], spots[-1] = start, end
    rows = [(float(x), float(y), float(z)) for x, y, z in spots]
    return [Way(p, q, kind == 0) for p, q in pairwise(rows)]


@dataclass(frozen=True)
class Swept:
    """What a program does to an area; mm and mm2."""

    deepest: float
    """Most area taken by R/4 of way, over it: radial depth as it is defined."""
    taken: float
    left: shapely.Geometry
    swept: shapely.Geometry
    by_rapids: float


def sweep(program: str, standing: shapely.Geometry, radius: float) -> Swept:
    """Run a program of one level over what is standing, seen from above, whose top is at Z0."""
    window = radius / 4
    left, along, area, by_rapids = standing, [0.0], [0.0], 0.0
    discs = []
    for way in ways(program, radius / 16):
        if min(way.a[2], way.b[2]) >= 0.0:
            continue
        line = LineString([way.a[:2], way.b[:2]])
        shape = (line if line.length > 0 else Point(way.a[:2])).buffer(radius, quad_segs=QUARTER)
        met = left.intersection(shape).area
        if met > 0.0:
            left = left.difference(shape)
            discs.append(shape)
        by_rapids += met if way.rapid else 0.0
        along.append(along[-1] + line.length)
        area.append(area[-1] + met)
    s, taken = np.array(along), np.array(area)
    middles: NDArray[np.float64] = 0.5 * (s[1:] + s[:-1])
    over = np.interp(middles + window / 2, s, taken) - np.interp(middles - window / 2, s, taken)
    return Swept(float(over.max() / window), float(taken[-1]), left, shapely.union_all(discs), by_rapids)


class ExactTest(SimpleTestCase):
    def held_against_exact(self, data: dict[str, Any], area: Polygon, standing: shapely.Geometry) -> None:
        """`area`: what is to be cut; `standing`: what of it is there before."""
        made = plan(parse_job(data))
        row = made.report["operations"][0]
        radius, target = data["tools"][0]["diameter"] / 2, data["operations"][0]["bite"]["ae"]
        found = sweep(made.program, standing, radius)
        self.assertLess(row["entry_seconds"], 1.0)
        # The bounds that the path is made for, by exact geometry alone.
        self.assertLessEqual(found.deepest, 1.05 * target)
        self.assertGreater(found.deepest, 0.97 * target)
        self.assertLess(found.by_rapids, 1e-3)
        gouge = shapely.get_parts(found.swept.difference(area.buffer(0.002)))
        self.assertLess(max((g.area for g in gouge), default=0.0), 1e-4)
        # The path may keep its tolerance off the walls.
        off = radius + data["operations"][0]["tolerance"]
        reach = area.buffer(-off, quad_segs=QUARTER).buffer(radius, quad_segs=QUARTER)
        left = found.left.intersection(reach).area / reach.area
        self.assertLessEqual(left, 0.001)
        # And the proof tells the same.
        self.assertAlmostEqual(row["max_over_target"], found.deepest / target, delta=0.012)
        depth = -data["regions"][0]["bottom"]
        self.assertAlmostEqual(row["removed_mm3"] / depth, found.taken, delta=0.001 * found.taken)
        self.assertAlmostEqual(row["left_over_share"], left, delta=2.5e-4)

    def test_round_a_boss_from_outside(self) -> None:
        data = job(rectangle(44, 34), diameter=8, ae=1.6, open_edges="all", islands=[
            [[14, 10], [30, 12], [28, 24], [15, 22]]])  # fmt: skip
        data["stock"]["box"].update(min=[0, 0, -15], max=[44, 34, 0])
        island = Polygon([[14, 10], [30, 12], [28, 24], [15, 22]])
        # Beyond its open edges the cutter is in the air.
        self.held_against_exact(data, box(-30, -30, 74, 64).difference(island), box(0, 0, 44, 34).difference(island))

    def test_a_pocket_with_sharp_corners_from_a_drilled_hole(self) -> None:
        outline = [[0, 0], [40, 0], [46, 26], [22, 30], [20, 18], [0, 22]]
        data = job(outline, diameter=6, ae=0.6, drilled=[{"at": [12, 10], "diameter": 8}])
        area = Polygon(outline)
        self.held_against_exact(data, area, area.difference(Point(12, 10).buffer(4, quad_segs=QUARTER)))

    def test_a_step_open_on_two_sides_with_large_bites(self) -> None:
        data = job(rectangle(60, 25), diameter=10, ae=4.5, open_edges=[1, 2])
        data["stock"]["box"]["max"][:2] = [60, 25]
        self.held_against_exact(data, box(0, 0, 100, 60), box(0, 0, 60, 25))

    def test_the_sweep_itself(self) -> None:
        """A straight cut and a full circle of known areas, and a rapid that meets stock."""
        program = "G0 X-10 Y3 Z5\nZ-1\nG1 X50 F100\n"
        found = sweep(program, box(0, 0, 40, 20), 5.0)
        self.assertAlmostEqual(found.deepest, 8.0, delta=0.001)
        self.assertAlmostEqual(found.taken, 320.0, delta=0.01)
        ring = sweep("G0 X10 Y0 Z5\nG1 Z-1 F10\nG3 X10 Y0 I-10 J0\n", Point(0, 0).buffer(13, quad_segs=256), 5.0)
        # From the disc it stands in at first to the whole ring, r - R to 13.
        self.assertAlmostEqual(ring.taken, math.pi * (13**2 - 5**2), delta=0.1)
        self.assertGreater(sweep("G0 X-10 Y3 Z5\nZ-1\nX50\n", box(0, 0, 40, 20), 5.0).by_rapids, 319.0)
