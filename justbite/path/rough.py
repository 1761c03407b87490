"""Roughing operations: every level of every area, as moves. The stage's way in."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import groupby, pairwise

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.before import must_come_first
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Material, Operation
from justbite.model.moves import Moves
from justbite.model.shapes import NOTHING, SAME, grown, united
from justbite.model.stock import heights as stock_heights
from justbite.path.area import Area, Hole, parts_of
from justbite.path.blocks import MovesBuilder
from justbite.path.entry import Entry, Wish
from justbite.path.gathered import gathered
from justbite.path.level import Ground, PartPath, PartPlan, ground_of, plan_part, ways_into
from justbite.path.links import Speeds
from justbite.path.opening import Pace, find_openings
from justbite.path.predrill import Promise, drilled_findings, promised, saving_finding
from justbite.path.program import FeedLaw, Feeds, Heights, add_level
from justbite.path.together import Tick, side_by_side
from justbite.path.warm import make_ready
from justbite.path.works import Limits, Swept, Work, put_off, works_on

Progress = Callable[[float, str], None]
Clock = Callable[[Moves], float]
"""Seconds that moves take on the machine, from rest to rest."""
ENTRY_LOAD = 0.985
"""Removal rate of an entry over that of the bite, at most: what the proof measures is within 0.002 of it."""
WEIGHING = 0.1
"""Share of the progress that ways in are weighed in."""
LEFT, LEFT_COUNTS = 0.001, 0.1
"""What a plan may leave more than another, as a share of the part, and what share of its minutes that counts; half of
it counts a quarter, twice as much four times."""


@dataclass(frozen=True, slots=True)
class Bears:
    """What the cutter bears in the bite's material, and how the feed follows what it meets."""

    law: FeedLaw | None = None
    """By which feeds follow the bite; those of links in any case, those of cuts where the operation wants it."""
    chip: float = 0.0
    """mm that a chip may be thick."""
    slot: float = math.inf
    """mm that a stroke at full width may be deep."""
    removal: float = math.inf
    """mm3/min that the full width may take, whatever the bite takes."""
    shallow: Callable[[float], tuple[float, FeedLaw]] | None = None
    """mm/min, and by which law, levels are cut that are only so many mm deep; used where the operation wants feeds to
    follow the bite."""


@dataclass(frozen=True, slots=True)
class Roughed:
    """What there is to tell of an operation whose moves are made."""

    findings: list[Finding]
    swept: list[Swept]
    """What it takes out."""
    works: list[Work]
    """What it cuts."""
    left: float
    """Share of what it could take that it leaves."""


def add_operation(out: MovesBuilder, job: Job, operation: Operation, bite: Bite, machine: Machine,
                  material: Material, travel: float, limits: Limits, progress: Progress, clock: Clock,
                  bears: Bears | None = None, before: Sequence[Swept] = (), later: bool = False, held: float = 1.0,
                  ) -> Roughed:  # fmt: skip
    """Append the moves of one roughing operation to `out`.

    `clock` tells how many seconds moves take on the machine: the quickest way is chosen by it. `before`: what
    operations before this one have taken out; `later`: whether others follow, and what this one takes out is to be
    told. `held`: share of the bite that passes are held to.
    """
    tool = job.tool(operation.tool)
    bears = bears or Bears()
    feeds = Feeds(
        cut=bite.feed,
        entry=bite.entry_feed,
        link=operation.return_feed or machine.max_feed,
        rapid=machine.rapid_feed,
        ramp=float(np.radians(material.ramp_angle)),
        acceleration=machine.acceleration,
        removal=min(ENTRY_LOAD * bite.ae * bite.ap * bite.feed, bears.removal),
        follow=bears.law if operation.follow_bite else None,
        grazing=bears.law,
        borne=bears.chip,
        slot=bears.slot,
    )
    tolerance = min(limits.fit_share * operation.tolerance, limits.fit_bite_share * bite.ae, limits.fit_most)
    terms = _Terms(
        clock, bite.ae, held * bite.ae, bite.ap,
        Heights(travel, job.approach_gap, operation.hover, stock_heights(job.stock)[1]), feeds,
        tolerance, tool.diameter / 2,
        max(job.approach_gap, limits.clear_share * tool.diameter / 2), operation.tolerance,
        bears.shallow if operation.follow_bite else None,
    )  # fmt: skip
    known: dict[str, _Worked] = {}
    cut_of: dict[str, BaseGeometry] = {}
    asked = list(operation.regions)
    while asked:
        known |= _work_out(job, operation, asked, terms, limits, before, cut_of, later, progress)
        # Where no way in fits into an area, those that come after it find it standing.
        stuck = {name: _cut_of(known[name]) for name in asked if name not in cut_of and known[name].stuck}
        cut_of |= stuck
        asked = [n for n in operation.regions if stuck.keys() & set(job.region(n).after)]
    own = [put_off(job, operation, f) for name in operation.regions for f in known[name].findings]
    findings = gathered(job, operation, own)
    works = [work for name in operation.regions for work in known[name].works]
    wishes = [wish for name in operation.regions for wish in known[name].wishes]
    plans = [made for name in operation.regions for made in known[name].plans]
    levels: dict[str, list[_Level]] = {work.area.name: [] for work in works}
    for work, made in zip(works, plans, strict=True):
        paths = [path for plan in made for path in plan.paths]
        heights = pairwise((work.top, *work.levels(bite.ap)))
        # Below an area that was cut before crumbs may stand that no field of its plan saw.
        below = work.top < stock_heights(job.stock)[1] - SAME
        roomy = NOTHING if below else work.area.locus.buffer(-job.approach_gap)
        shapely.prepare(roomy)
        levels[work.area.name] += [_Level(above, z, paths, roomy) for above, z in heights]
    left = list(levels)
    while left:
        ready = [n for n in left if not any(must_come_first(job, m, n, limits.chord) for m in left if m != n)] or left
        if operation.order == "areas":
            name = min(ready, key=lambda n: _way(job, n, out))
            left.remove(name)
            for level in levels[name]:
                terms.add(out, level)
        else:
            left = [n for n in left if n not in ready]
            _level_by_level(out, job, {name: levels[name] for name in ready}, terms)
    findings += _hole_findings(job, operation, works, plans, terms, wishes, before, progress)
    swept = []
    for work, made in zip(works, plans, strict=True):
        shape = united([plan.swept for plan in made])
        film = work.area.snap + limits.chord_share * terms.radius
        swept.append(Swept(shape, work.bottom, terms.radius, film))
    cut = [work for work, made in zip(works, plans, strict=True) if any(plan.paths for plan in made)]
    deep = [(work.top - work.bottom, plan) for work, made in zip(works, plans, strict=True) for plan in made]
    reach = sum(d * plan.reach for d, plan in deep)
    stands = sum(d * plan.stands for d, plan in deep)
    return Roughed(findings, swept, cut, stands / reach if reach > 0.0 else 0.0)


@dataclass(frozen=True, slots=True)
class _Worked:
    """What there is to cut of one area, and how it is cut."""

    works: list[Work]
    wishes: list[Wish]
    plans: list[list[PartPlan]]
    """For each work those of its parts."""
    findings: list[Finding]

    @property
    def stuck(self) -> bool:
        """Whether a part of it is not cut at all."""
        return any(not plan.paths for made in self.plans for plan in made)


def _work_out(job: Job, operation: Operation, names: Sequence[str], terms: "_Terms", limits: Limits,
              before: Sequence[Swept], cut_of: dict[str, BaseGeometry], later: bool,
              progress: Progress) -> dict[str, _Worked]:  # fmt: skip
    """The areas of those names, planned; `cut_of`: what is cut of areas that can not be cut as a whole."""
    centre = job.tool(operation.tool).centre_cutting
    told = side_by_side(
        [partial(_look_at, job, operation, name, terms.aim, limits, before, cut_of) for name in names],
        lambda k, _: progress(0.0, f"Looking at {names[k]}"),
    )
    found = {
        name: _Worked(works, [Wish(operation.entry, job.region(name).start, centre) for _ in works], [], findings)
        for name, (works, findings) in zip(names, told, strict=True)
    }
    every = [work for worked in found.values() for work in worked.works]
    wishes = [wish for worked in found.values() for wish in worked.wishes]
    plans = iter(_planned(operation, every, terms, wishes, later, progress))
    for worked in found.values():
        worked.plans.extend(next(plans) for _ in worked.works)
        worked.findings.extend(f for made in worked.plans for plan in made for f in plan.findings)
    return found


def _look_at(job: Job, operation: Operation, name: str, target: float, limits: Limits, before: Sequence[Swept],
             cut_of: dict[str, BaseGeometry], _tick: Tick) -> tuple[list[Work], list[Finding]]:  # fmt: skip
    return works_on(job, operation, name, target, limits, before, cut_of)


def _cut_of(worked: _Worked) -> BaseGeometry:
    """What is cut of an area of which parts can not be cut, down to its floor."""
    own = [
        shapely.union_all([
            grown(part, work.area.radius).intersection(work.area.shape)
            for part, plan in zip(parts_of(work.area), made, strict=True) if plan.paths
        ])
        for work, made in zip(worked.works, worked.plans, strict=True)
    ]  # fmt: skip
    return shapely.intersection_all(own)


@dataclass(frozen=True, slots=True)
class _Terms:
    """What all levels of an operation have in common; mm."""

    clock: Clock
    ae: float
    aim: float
    """The radial depth that passes are held to: `ae`, or a little less."""
    step: float
    """A level is no deeper."""
    heights: Heights
    feeds: Feeds
    tolerance: float
    radius: float
    clearance: float
    rounding: float
    """How much corners may be rounded off."""
    shallow: Callable[[float], tuple[float, FeedLaw]] | None = None
    """Feed and law on levels that are only so many mm deep."""

    def add(self, out: MovesBuilder, level: "_Level") -> None:
        """Append one level."""
        self._level(out, level.paths, level.above, level.z, replace(self.heights, roomy=level.roomy))

    def _level(self, out: MovesBuilder, paths: list[PartPath], above: float, z: float, heights: Heights) -> None:
        feeds = self.feeds
        if self.shallow is not None and above - z < self.step - SAME:
            cut, law = self.shallow(round(above - z, 6))
            feeds = replace(feeds, cut=cut, follow=law, grazing=law)
        add_level(out, paths, above, z, self.ae, heights, feeds, self.tolerance, self.radius)

    def seconds(self, paths: Sequence[PartPath], work: Work) -> float:
        """How long a plan's first level takes, or where levels are not alike one of them on average.

        What is fitted for one is so for all.
        """
        if not paths:
            return math.inf
        levels, own = work.levels(self.step), list(paths)
        # A hole may end on the way down.
        alike = all(path.entry.hole is None or path.entry.hole.bottom < levels[-1] + SAME for path in own)
        told = [(work.top, levels[0])] if alike else list(pairwise((work.top, *levels)))
        out = MovesBuilder(np.array([*own[0].entry.points[0], self.heights.travel]))
        for above, z in told:
            self._level(out, own, above, z, self.heights)
        return self.clock(out.build()) / len(told)

    @property
    def speeds(self) -> Speeds:
        """What links are shaped for."""
        return Speeds(self.feeds.cut / 60.0, self.feeds.link / 60.0, self.feeds.acceleration, self.rounding)

    @property
    def stop(self) -> float:
        """Off to the speed of returns and back costs v/a more than going on at it; mm of cut."""
        return self.feeds.cut / 60.0 * self.feeds.link / 60.0 / self.feeds.acceleration


@dataclass(frozen=True, slots=True)
class _Level:
    """What is done from `above`, the surface before it, down to `z`."""

    above: float
    z: float
    paths: list[PartPath]
    roomy: BaseGeometry
    """Where the cutter comes down well clear of walls."""


def _planned(operation: Operation, works: list[Work], terms: _Terms, wishes: list[Wish], later: bool,
             progress: Progress) -> list[list[PartPlan]]:  # fmt: skip
    """For each work the plans of its parts; parts and the ways into them planned side by side."""
    tries: list[tuple[int, int, Callable[[Tick], _Timed]]] = []
    make_ready()
    weighed = side_by_side(
        [partial(_ways_into, work, terms, own) for work, own in zip(works, wishes, strict=True)],
        lambda k, share: progress(WEIGHING * share, f"Weighing ways into {works[k].area.name}"),
    )
    for index, (work, own, parts) in enumerate(zip(works, wishes, weighed, strict=True)):
        for k, (area, part, ways) in enumerate(parts):
            entries: list[Entry | None] = [*ways] or [None]
            # Where there is but one plan, it is made beside others.
            ground = ground_of(area, part, terms.aim) if len(entries) > 1 else None
            for entry in entries:
                plan = _plan(operation, area, part, entry, terms, own, ground, later)
                tries.append((index, k, partial(_timed, plan, work, terms)))
    plans: list[list[PartPlan]] = [[] for _ in works]
    if not tries:
        return plans
    planned = side_by_side(
        [plan for _, _, plan in tries],
        lambda k, share: progress(WEIGHING + (1.0 - WEIGHING) * share, f"Clearing {works[tries[k][0]].area.name}"),
    )
    for (index, _), group in groupby(zip(tries, planned, strict=True), key=lambda pair: pair[0][:2]):
        plans[index].append(_quickest([made for _, made in group]))
    return plans


def _ways_into(work: Work, terms: _Terms, wish: Wish, _tick: Tick) -> list[tuple[Area, Polygon, list[Entry]]]:
    return ways_into(work.area, terms.clearance, wish, terms.aim, _pace(work, terms))


def _hole_findings(job: Job, operation: Operation, works: list[Work], plans: list[list[PartPlan]], terms: _Terms,
                   wishes: list[Wish], before: Sequence[Swept], progress: Progress) -> list[Finding]:  # fmt: skip
    """What must have been drilled, what is of no use, and what a hole would save where there is none.

    A hole that promises enough is planned: passes fall otherwise than any estimate knows.
    """
    lowest = stock_heights(job.stock)[0]
    found: list[Finding] = []
    asked: list[tuple[str, Promise, int, float]] = []
    tries: list[tuple[int, Callable[[Tick], _Timed]]] = []
    for work, made, wish in zip(works, plans, wishes, strict=True):
        levels, pace = len(work.levels(terms.step)), _pace(work, terms)
        needed: list[Hole] = []
        for part, plan in zip(parts_of(work.area), made, strict=True):
            own = work.area.of_part(part)
            if any(path.entry.hole is not None for path in plan.paths):
                # All of them are gone for the passes, not only the one that is gone in by.
                needed += own.holes
            if own.holes or any(swept.shape.intersects(grown(part, terms.radius)) for swept in before):
                continue
            promise = promised(
                work, part, plan.paths, terms.aim, levels, terms.clearance, wish.place, pace,
                60.0 / terms.feeds.cut, lowest,
            )  # fmt: skip
            if promise is not None:
                tries += [
                    (len(asked), partial(_timed, plan_of, work, terms))
                    for plan_of in _through(promise.hole, operation, work, part, wish, terms)
                ]
                asked.append((work.area.name, promise, levels, terms.seconds(plan.paths, work)))
        found += drilled_findings(operation.name, work.area, needed, work.bottom)
    planned = side_by_side(
        [plan for _, plan in tries],
        lambda k, _share: progress(1.0, f"Weighing a hole in {asked[tries[k][0]][0]}"),
    )
    for k, (name, promise, levels, now) in enumerate(asked):
        then = min((s for (at, _), (_, s) in zip(tries, planned, strict=True) if at == k), default=math.inf)
        told = saving_finding(operation.name, name, promise, levels * (now - then))
        found += [told] if told is not None else []
    return found


def _through(hole: Hole, operation: Operation, work: Work, part: Polygon, wish: Wish, terms: _Terms
             ) -> list[Callable[[Tick], PartPlan]]:  # fmt: skip
    """The plans for a part that would be gone into by a hole."""
    area = replace(work.area, holes=(hole,)).of_part(part)
    ways = find_openings(area, part, terms.clearance, wish, terms.aim, None)
    return [_plan(operation, area, part, entry, terms, wish) for entry in ways if entry.hole is not None]


def _plan(operation: Operation, area: Area, part: Polygon, entry: Entry | None, terms: _Terms, wish: Wish,
          ground: Ground | None = None, later: bool = False) -> Callable[[Tick], PartPlan]:  # fmt: skip
    return partial(
        plan_part, area, part, entry, terms.aim, operation.name, wish=wish, conventional=operation.conventional,
        ground=ground, speeds=terms.speeds, outlined=later,
    )  # fmt: skip


def _pace(work: Work, terms: _Terms) -> Pace:
    """Ways at the first level, in mm of cut."""
    low = replace(terms, heights=replace(terms.heights, travel=work.top + terms.heights.gap))
    feeds = terms.feeds

    def way_in(entry: Entry) -> float:
        return low.seconds((PartPath(entry, ()),), work) * feeds.cut / 60.0

    deep = min(feeds.slot, feeds.removal / (2.0 * terms.radius * feeds.entry))
    return Pace(way_in, feeds.cut / feeds.link, terms.stop, deep / math.tan(feeds.ramp))


_Timed = tuple[PartPlan, float]
"""A plan, and the seconds of its first level."""


def _timed(plan: Callable[[Tick], PartPlan], work: Work, terms: _Terms, tick: Tick) -> _Timed:
    made = plan(tick)
    return made, terms.seconds(made.paths, work)


def _quickest(plans: list[_Timed]) -> PartPlan:
    """Of plans for one part the one whose first level is quickest, what it leaves more than another set against it."""
    most = max(plan.cleared for plan, _ in plans)

    def cost(timed: _Timed) -> float:
        plan, seconds = timed
        return seconds * (1.0 + LEFT_COUNTS * ((1.0 - plan.cleared / most) / LEFT) ** 2)

    return min(plans, key=cost)[0] if len(plans) > 1 else plans[0][0]


def _level_by_level(out: MovesBuilder, job: Job, levels: dict[str, list[_Level]], terms: _Terms) -> None:
    """The highest level of all areas first; of equal ones the nearest."""
    left = {name: list(own) for name, own in levels.items()}
    while left:
        highest = max(own[0].z for own in left.values())
        name = min((n for n, own in left.items() if own[0].z > highest - 1e-6), key=lambda n: _way(job, n, out))
        terms.add(out, left[name].pop(0))
        if not left[name]:
            del left[name]


def _way(job: Job, name: str, out: MovesBuilder) -> float:
    points = np.array([p[:2] for p in job.region(name).outline])
    return float(np.hypot(*(points.mean(axis=0) - out.here[:2])))
