"""Roughing operations: every level of every area, as moves. The stage's way in."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite.errors import working_on
from justbite.model.before import forerunners
from justbite.model.bite import Bite
from justbite.model.borders import grown, united
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Material, Operation, Region
from justbite.model.shapes import NOTHING, SAME
from justbite.model.stock import heights as stock_heights
from justbite.path.area import parts_of
from justbite.path.blocks import MovesBuilder
from justbite.path.entry import Entry, Wish
from justbite.path.foretold import put_off
from justbite.path.gathered import gathered
from justbite.path.level import PartPlan
from justbite.path.program import FeedLaw, Feeds, Heights
from justbite.path.remembered import Remembered
from justbite.path.terms import Clock, Level, Terms
from justbite.path.together import Tick, side_by_side
from justbite.path.tried import Progress, hole_findings, planned
from justbite.path.works import Limits, Looked, Others, Swept, Work, meeting, works_on

Place = tuple[float, float]
Ways = dict[str, list[list[Entry | None]]]
"""For each area, by name, and each work of it the ways in that its parts are planned by (`PartPlan.way`)."""
ENTRY_LOAD = 0.985
"""Removal rate of an entry over that of the bite, at most: what the proof measures is within 0.002 of it."""


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
    ways: Ways
    """By which ways in."""
    outside: Ways | None
    """From outside wherever that was planned too; None where all that was is what is taken."""
    slower: float
    """Seconds by which that is slower."""


def add_operation(out: MovesBuilder, job: Job, operation: Operation, bite: Bite, machine: Machine,
                  material: Material, travel: float, limits: Limits, progress: Progress, clock: Clock,
                  bears: Bears | None = None, before: Sequence[Swept] = (), finest_after: float = math.inf,
                  held: float = 1.0, ways: Ways | None = None, remembered: Remembered | None = None
                  ) -> Roughed:  # fmt: skip
    """Append the moves of one roughing operation to `out`.

    `clock` tells how many seconds moves take on the machine: the quickest way is chosen by it. `before`: what
    operations before this one have taken out; `finest_after`: mm, the least bite of those that follow, inf where none
    does; for them what this one takes out is told. `held`: share of the bite that passes are held to. `ways`: those in
    to plan, beside those from outside, and no others; then it is not told what holes would save. `remembered`: what was
    planned before, and is to be known later.
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
    later = math.isfinite(finest_after)
    tolerance = min(
        limits.fit_share * operation.tolerance, limits.fit_bite_share * bite.ae, limits.fit_most,
        limits.fit_next_share * finest_after,
    )  # fmt: skip
    terms = Terms(
        clock, bite.ae, held * bite.ae, bite.ap,
        Heights(travel, job.approach_gap, operation.hover, stock_heights(job.stock)[1]), feeds,
        tolerance, tool.diameter / 2,
        max(job.approach_gap, limits.clear_share * tool.diameter / 2), operation.tolerance,
        bears.shallow if operation.follow_bite else None,
    )  # fmt: skip
    known: dict[str, _Worked] = {}
    others = Others()
    asked = list(operation.regions)
    while asked:
        known |= _work_out(job, operation, asked, terms, limits, before, others, later, progress, ways, remembered)
        # Where no way in fits into an area, those that come after it find it standing.
        stuck = {name: _cut_of(known[name]) for name in asked if name not in others.cut and known[name].stuck}
        others.cut.update(stuck)
        asked = [n for n in operation.regions if stuck.keys() & set(job.region(n).after)]
    own = [put_off(job, operation, f) for name in operation.regions for f in known[name].findings]
    findings = gathered(job, operation, own)
    works = [work for name in operation.regions for work in known[name].works]
    wishes = [wish for name in operation.regions for wish in known[name].wishes]
    plans = [made for name in operation.regions for made in known[name].plans]
    levels: dict[str, list[Level]] = {work.area.name: [] for work in works}
    for work, made in zip(works, plans, strict=True):
        paths = [path for plan in made for path in plan.paths]
        heights = pairwise((work.top, *work.levels(bite.ap)))
        # Below an area that was cut before crumbs may stand that no field of its plan saw.
        below = work.top < stock_heights(job.stock)[1] - SAME
        roomy = NOTHING if below else grown(work.area.locus, -job.approach_gap)
        shapely.prepare(roomy)
        levels[work.area.name] += [Level(above, z, paths, roomy) for above, z in heights]
    left, first = list(levels), forerunners(job, levels, limits.chord)
    middles = {name: _middle(job.region(name)) for name in levels}
    while left:
        waiting = set(left)
        ready = [name for name in left if not first[name] & waiting] or left
        if operation.order == "areas":
            name = min(ready, key=lambda n: _way(middles[n], out))
            left.remove(name)
            for level in levels[name]:
                terms.add(out, level)
        else:
            left = [n for n in left if n not in ready]
            _level_by_level(out, middles, {name: levels[name] for name in ready}, terms)
    if ways is None:
        findings += hole_findings(job, operation, works, plans, terms, wishes, before, progress, remembered)
    swept = []
    for work, made in zip(works, plans, strict=True):
        shape = united([plan.swept for plan in made])
        film = work.area.snap + limits.chord_share * terms.radius
        swept.append(Swept(shape, work.bottom, terms.radius, film))
    cut = [work for work, made in zip(works, plans, strict=True) if any(plan.paths for plan in made)]
    deep = [(work.top - work.bottom, plan) for work, made in zip(works, plans, strict=True) for plan in made]
    reach = sum(d * plan.reach for d, plan in deep)
    stands = sum(d * plan.stands for d, plan in deep)
    taken = {name: [[plan.way for plan in made] for made in worked.plans] for name, worked in known.items()}
    outside = {
        name: [[plan.beside or plan.way for plan in made] for made in worked.plans] for name, worked in known.items()
    }
    beside = any(plan.beside is not None for made in plans for plan in made)
    slower = sum(
        len(work.levels(bite.ap)) * plan.slower for work, made in zip(works, plans, strict=True) for plan in made
    )
    left_share = stands / reach if reach > 0.0 else 0.0
    return Roughed(findings, swept, cut, left_share, taken, outside if beside else None, slower)


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


def _work_out(job: Job, operation: Operation, names: Sequence[str], terms: Terms, limits: Limits,
              before: Sequence[Swept], others: Others, later: bool, progress: Progress, ways: Ways | None,
              remembered: Remembered | None) -> dict[str, _Worked]:  # fmt: skip
    """The areas of those names, planned; what is known of them without that is added to the `others`."""
    centre = job.tool(operation.tool).centre_cutting
    told = _look(job, operation, names, terms, limits, before, others, progress)
    others.left.update({name: looked.left for name, looked in told.items()})
    # Those that come before these were taken for cut as a whole.
    again = [n for n in names if any(meeting(job, operation, n, others, limits.chord).values())]
    told |= _look(job, operation, again, terms, limits, before, others, progress)
    found = {
        name: _Worked(
            looked.works, [Wish(operation.entry, job.region(name).start, centre) for _ in looked.works], [],
            looked.findings,
        )
        for name, looked in told.items()
    }  # fmt: skip
    every = [work for worked in found.values() for work in worked.works]
    wishes = [wish for worked in found.values() for wish in worked.wishes]
    chosen = None if ways is None else [own for name in names for own in ways[name]]
    plans = iter(planned(operation, every, terms, wishes, later, progress, remembered, chosen))
    for worked in found.values():
        worked.plans.extend(next(plans) for _ in worked.works)
        worked.findings.extend(f for made in worked.plans for plan in made for f in plan.findings)
    return found


def _look(job: Job, operation: Operation, names: Sequence[str], terms: Terms, limits: Limits, before: Sequence[Swept],
          others: Others, progress: Progress) -> dict[str, Looked]:  # fmt: skip
    """What there is to cut of the areas of those names."""
    own = [partial(_look_at, job, operation, name, terms, limits, before, others) for name in names]
    told = side_by_side(own, lambda k, _: progress(0.0, f"Looking at {names[k]}"))
    return dict(zip(names, told, strict=True))


def _look_at(job: Job, operation: Operation, name: str, terms: Terms, limits: Limits, before: Sequence[Swept],
             others: Others, _tick: Tick) -> Looked:  # fmt: skip
    with working_on(name, operation.name):
        return works_on(job, operation, name, terms.aim, terms.step, limits, before, others)


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


def _level_by_level(out: MovesBuilder, middles: Mapping[str, Place], levels: dict[str, list[Level]], terms: Terms
                    ) -> None:  # fmt: skip
    """The highest level of all areas first; of equal ones the nearest."""
    left = {name: list(own) for name, own in levels.items()}
    while left:
        highest = max(own[0].z for own in left.values())
        name = min((n for n, own in left.items() if own[0].z > highest - 1e-6), key=lambda n: _way(middles[n], out))
        terms.add(out, left[name].pop(0))
        if not left[name]:
            del left[name]


def _middle(region: Region) -> Place:
    x, y = np.array([p[:2] for p in region.outline]).mean(axis=0).tolist()
    return x, y


def _way(middle: Place, out: MovesBuilder) -> float:
    return math.hypot(middle[0] - out.here[0], middle[1] - out.here[1])
