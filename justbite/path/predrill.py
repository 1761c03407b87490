"""Holes drilled before: what is to be drilled, what is no use, and what one would save where the way down is long.

In hard metals a cutter goes down at a degree or two, and a small pocket is half its way in. A drill makes the same
hole in seconds: then the cutter comes down in it, and passes go round it from there.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import shapely
from shapely.geometry import Polygon

from justbite.model.findings import Finding
from justbite.model.shapes import SAME
from justbite.path.area import BESIDE, LEAST_HELIX, SNUG, Area, Hole
from justbite.path.entry import helix_in, widest_place
from justbite.path.level import PartPath
from justbite.path.loss import Pace, loss
from justbite.path.works import Work

ROOMY = 1.3
"""How wide a hole that is recommended is at least, over D: it may end above the floor, and a helix go on in it."""
POINT = 0.3
"""How long a drill's point is, over its diameter: 0.5 / tan 59 degrees, for a point of 118."""
ROUND_UP = 0.5
"""mm: sizes of drills that are recommended are multiples of it."""
GAIN, GAIN_SHARE = 10.0, 0.03
"""What a hole must save, as planned, to be worth telling: seconds, about what a drill and its change take (common
practice, no source), and share of what the area takes at full bite."""


def drilled_findings(name: str, area: Area, needed: list[Hole], floor: float) -> list[Finding]:
    """What must have been drilled, what need not have been, and what holes are no use. `floor`: Z of the area's."""
    found = []
    for hole in needed:
        end = max(hole.bottom, floor)
        said = (
            f'Before "{name}" a hole of {hole.diameter:.4g} mm must be drilled in area "{area.name}" at X{hole.x:g}'
            f" Y{hole.y:g}, as wide down to Z{end:g}."
        )
        found.append(Finding("entry.drilled", said, name, area.name, hole.x, hole.y, end, hole.diameter))
    for hole in area.holes:
        if hole not in needed:
            said = (
                f'"{name}" does not need the hole at X{hole.x:g} Y{hole.y:g} in area "{area.name}": it is cut as if it'
                " were not there."
            )
            found.append(Finding("entry.spare-hole", said, name, area.name, hole.x, hole.y, size=hole.diameter))
    for hole in area.unfit:
        least = 2 * area.radius * (1.0 + (SNUG if hole.bottom == -math.inf else LEAST_HELIX))
        said = (
            f'The hole at X{hole.x:g} Y{hole.y:g} in area "{area.name}" is no way in for a {2 * area.radius:g} mm'
            f" cutter: it must be {least:.3g} mm wide or more, and clear of walls. It is cut as if it were not there."
        )
        found.append(Finding("entry.hole", said, name, area.name, hole.x, hole.y, size=hole.diameter))
    return found


def drilled_notes(name: str, findings: Sequence[Finding]) -> tuple[str, ...]:
    """What the operator must know of holes before operation `name` is run, a line each."""
    return tuple(
        f"DRILLED BEFORE: {f.size:.4g} MM AT X{f.x:g} Y{f.y:g} DOWN TO Z{f.z:g}"
        for f in findings
        if f.code == "entry.drilled" and f.operation == name
    )


@dataclass(frozen=True, slots=True)
class Promise:
    """A hole that may be worth drilling, by the estimate of ways in."""

    hole: Hole
    spent: float
    """Seconds that the ways in take as they are."""
    least: float
    """Seconds that the hole must save to be worth telling."""


def promised(work: Work, part: Polygon, paths: Sequence[PartPath], target: float, levels: int, gap: float,
             place: tuple[float, float] | None, pace: Pace, per_mm: float, lowest: float
             ) -> Promise | None:  # fmt: skip
    """A hole that may save enough where `part` of an area is entered through solid stock; None where none does.

    `paths` clear the part at each of so many `levels`; `gap` mm must be clear round a rapid; `place`: where the user
    wants to go in; `per_mm`: seconds that a mm of cut takes, in which `pace` tells what ways cost; `lowest`: Z of the
    stock's underside, where a drill may come out.
    """
    first = next((k for k, path in enumerate(paths) if path.pieces), None)
    if first is None or any(path.entry.kind == "outside" for path in paths[: first + 1]):
        return None
    entry = replace(paths[first].entry, before=tuple(path.entry for path in paths[:first]))
    spent = levels * per_mm * sum(pace.entry(e) for e in (*entry.before, replace(entry, before=())))
    area = work.area
    least = max(GAIN, GAIN_SHARE * levels * per_mm * part.buffer(area.radius).area / target)
    if spent < least:
        return None
    hole = _hole(area, part, gap, place, work.bottom, work.bottom <= lowest + SAME)
    if hole is None:
        return None
    through = replace(helix_in(hole, area.radius), hole=hole)
    now, then = (loss(e, part, target, area.radius, pace) for e in (entry, through))
    return Promise(hole, spent, least) if levels * per_mm * (now - then) >= least else None


def saving_finding(name: str, area: str, promise: Promise, gain: float) -> Finding | None:
    """What a hole saves as planned, `gain` seconds; None where that is too little."""
    if gain < promise.least:
        return None
    hole = promise.hole
    end = None if hole.bottom == -math.inf else hole.bottom
    deep = "through the floor" if end is None else f"as wide down to Z{end:g}"
    said = (
        f'Ways into area "{area}" take {promise.spent:.0f} s of "{name}". With a hole of {hole.diameter:g} mm drilled'
        f" before at X{hole.x:g} Y{hole.y:g}, {deep}, it would be done about {gain:.0f} s sooner, drilling not counted."
    )
    return Finding("rule.pre-drill", said, name, area, hole.x, hole.y, end, hole.diameter)


def _hole(area: Area, part: Polygon, gap: float, place: tuple[float, float] | None, floor: float, out: bool
          ) -> Hole | None:  # fmt: skip
    """The hole to be recommended: its point stays above the floor, but where it comes `out` below; None where there is
    no room for it."""
    radius = area.radius
    if place is not None and part.contains(shapely.Point(place)):
        (x, y), room = place, float(part.boundary.distance(shapely.Point(place)))
    else:
        x, y, wide = widest_place(part, area.wall, radius)
        room = wide - area.wall
    x, y = round(x, 2), round(y, 2)
    wanted = max(ROOMY * radius, (1.0 + BESIDE) * radius + gap)
    diameter = ROUND_UP * math.ceil(2.0 * wanted / ROUND_UP - 1e-9)
    if 0.5 * diameter - radius > room - 0.01:
        return None
    end = -math.inf if out else math.ceil(10.0 * (floor + POINT * diameter)) / 10.0
    return Hole.of(x, y, diameter, end, radius)
