"""Minutes of the plain path: the same areas by parallel offsets, at the feed that its worst engagement allows.

It gets what the trade gives it: half the cutter's diameter as step-over (common practice), the best number of
equal step-downs, the same ceilings, the same machine, the same kind of entry.
"""

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from justbite.bite import engagement, solver
from justbite.bite.slot import slot_depth, slot_removal
from justbite.choice import path_seconds
from justbite.model.bite import Bite
from justbite.model.job import Job, Machine, Operation
from justbite.model.moves import CUT, LINE, LINK
from justbite.path.alike import Like, likes, moved_entry
from justbite.path.area import Area, parts_of
from justbite.path.blocks import MovesBuilder
from justbite.path.entry import find_entry
from justbite.path.ground import fields_of
from justbite.path.plain import PlainPart, plain_part
from justbite.path.program import Feeds, Heights, enter
from justbite.path.rough import ENTRY_LOAD
from justbite.path.together import Tick, side_by_side
from justbite.path.works import Work

STEP_OVER = 0.5
"""Distance of the rings, share of D (common practice)."""


def plain_seconds(job: Job, operation: Operation, case: solver.Case, own: Bite, machine: Machine,
                  travel: float, works: Sequence[Work]) -> float | None:  # fmt: skip
    """Seconds of an operation cut by the plain path, held against the bite `own`; None where it finds no way in.

    `works`: what there is to cut.
    """
    radius = case.tool.diameter / 2
    clearance = max(job.approach_gap, 0.05 * radius)
    found = likes(works, clearance)
    firsts = [k for k, like in enumerate(found) if like.first == k]
    own_parts = side_by_side([partial(_parts, works[k].area, clearance) for k in firsts], lambda *_: None)
    of_first = dict(zip(firsts, own_parts, strict=True))
    plain = [[_moved(part, like) for part in of_first[like.first]] for like in found]
    worst = max((p.worst for parts in plain for p in parts), default=0.0)
    if worst <= 0.0:
        return None
    bite = _conditions(case, own, min(worst, case.tool.diameter))
    feeds = Feeds(
        cut=bite.feed, entry=bite.entry_feed, link=operation.return_feed or machine.max_feed, rapid=machine.rapid_feed,
        ramp=math.radians(case.material.ramp_angle), acceleration=machine.acceleration,
        removal=min(ENTRY_LOAD * bite.ae * bite.ap * bite.feed, slot_removal(case, bite)), slot=slot_depth(case, bite),
    )  # fmt: skip
    out = MovesBuilder(start=np.array([0.0, 0.0, travel]))
    at = Heights(travel, job.approach_gap, operation.hover)
    for work, parts in zip(works, plain, strict=True):
        above = work.top
        for z in work.levels(bite.ap):
            for part in parts:
                _add(out, part, above, z, at, feeds, radius)
            above = z
    return float(path_seconds(out.build(), machine, operation.tolerance).sum())


def _conditions(case: solver.Case, own: Bite, worst: float) -> Bite:
    """The step-down and feed that clear soonest where every place must bear `worst` mm of radial depth.

    Where the user pinned the feed, the loads of the own bite are the ceiling: no thicker chip, no more power.
    """
    angle = engagement.angle_of(worst, case.tool.diameter)
    # From a quarter circle of engagement on it falls evenly: teeth are hot for longer.
    slower = 1.0 - (1.0 - case.slot_speed) * max(0.0, 2.0 * angle / math.pi - 1.0)
    # What is shallow is slowed by the solver itself.
    slower /= case.speed_share(angle)
    hot = case.material.model_copy(update={"cutting_speed": case.material.cutting_speed * slower})
    bite = solver.best(replace(case, material=hot, ae=worst, path=None, feed=None))
    if case.feed is None:
        return bite
    chip = own.chip_most / max(bite.chip_most, 1e-9)
    power = own.removal_rate / max(bite.removal_rate, 1e-9)
    return replace(bite, feed=bite.feed * min(1.0, chip, power), entry_feed=bite.entry_feed * min(1.0, chip, power))


def _parts(area: Area, clearance: float, _tick: Tick) -> list[PlainPart]:
    found = []
    for part in parts_of(area):
        own = area.of_part(part)
        entry = find_entry(own, part, clearance)
        if entry is not None:
            *_, cleared, grid = fields_of(own, part, area.radius)
            frame = (grid.x0, grid.y0, grid.cell)
            found.append(plain_part(own, part, entry, 2.0 * STEP_OVER * area.radius, 0.01, cleared, frame))
    return found


def _moved(part: PlainPart, like: Like) -> PlainPart:
    return replace(part, entry=moved_entry(part.entry, like), runs=tuple(like.points(run) for run in part.runs))


def _add(out: MovesBuilder, part: PlainPart, above: float, z: float, heights: Heights, feeds: Feeds,
         radius: float) -> None:  # fmt: skip
    """One level: enter, then ring by ring, with straight ways in between."""
    enter(out, part.entry, above, z, heights, feeds, radius)
    for ring in part.runs:
        run = ring
        if np.allclose(ring[0], ring[-1]):
            first = int(np.argmin(np.hypot(*(ring - out.here[:2]).T)))
            run = np.vstack([ring[first:], ring[1 : first + 1]])
        x, y = run[0]
        out.to(LINE, float(x), float(y), z, feeds.link, LINK)
        for x, y in run[1:]:
            out.to(LINE, float(x), float(y), z, feeds.cut, CUT)
    x, y, _ = out.here
    out.rapid(x, y, heights.travel)
