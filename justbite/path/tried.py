"""The parts of areas planned: ways in that are worth it are tried, the quickest plan is kept and its passes ordered."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import groupby

from shapely.geometry import Polygon

from justbite.model.borders import grown
from justbite.model.findings import Finding
from justbite.model.job import Job, Operation
from justbite.model.stock import heights as stock_heights
from justbite.path.alike import NAMELESS, Like, likes, moved_plan, named_plan
from justbite.path.area import Area, Hole, parts_of
from justbite.path.entry import Entry, Wish
from justbite.path.fronts import Points
from justbite.path.ground import Shared
from justbite.path.level import PartPath, PartPlan, plan_part, ways_into
from justbite.path.loss import Pace
from justbite.path.opening import find_openings
from justbite.path.predrill import Promise, drilled_findings, promised, saving_finding
from justbite.path.remembered import Call, Remembered, done
from justbite.path.reordering import Going, reordered
from justbite.path.terms import Terms
from justbite.path.together import Tick
from justbite.path.warm import make_ready
from justbite.path.works import Swept, Work

Progress = Callable[[float, str], None]
WEIGHING, ORDERING = 0.1, 0.05
"""Shares of the progress that ways in are weighed in, and passes put in order."""
LEFT, LEFT_COUNTS = 0.001, 0.1
"""What a plan may leave more than another, as a share of the part, and what share of its minutes that counts; half of
it counts a quarter, twice as much four times."""

_Timed = tuple[PartPlan, float]
"""A plan, and the seconds of its first level."""


def planned(operation: Operation, works: list[Work], terms: Terms, wishes: list[Wish], later: bool,
            progress: Progress, known: Remembered | None = None,
            chosen: Sequence[Sequence[Entry | None]] | None = None) -> list[list[PartPlan]]:  # fmt: skip
    """For each work the plans of its parts; works that are one but for where they lie are planned once.

    `known`: what was planned before is taken from, and what is planned is added to it. `chosen`: for each work the ways
    in of its parts that are to be planned, beside those from outside; no others.
    """
    found = likes(works, terms.clearance, wishes)
    firsts = [k for k, like in enumerate(found) if like.first == k]
    own = _all_planned(
        operation, [works[k] for k in firsts], terms, [wishes[k] for k in firsts], later, progress, known,
        None if chosen is None else [chosen[k] for k in firsts],
    )  # fmt: skip
    plans = dict(zip(firsts, own, strict=True))
    for k, like in enumerate(found):
        names = works[like.first].area.name, works[k].area.name
        plans[k] = plans[k] if k == like.first else [moved_plan(plan, like, *names) for plan in plans[like.first]]
    return [plans[k] for k in range(len(works))]


def _all_planned(operation: Operation, works: list[Work], terms: Terms, wishes: list[Wish], later: bool,
                 progress: Progress, known: Remembered | None, chosen: Sequence[Sequence[Entry | None]] | None
                 ) -> list[list[PartPlan]]:  # fmt: skip
    """For each work the plans of its parts; parts and the ways into them planned side by side."""
    tries: list[tuple[int, int, Call[_Timed]]] = []
    grounds: list[Shared | None] = []
    if not make_ready.cache_info().currsize:
        # Where nothing was planned before, the kernels are compiled, which hears no stop.
        progress(0.0, "Making the planner ready: minutes the first time")
        make_ready()
    names = [(work.area.name, operation.name) for work in works]
    # Nothing hangs on names but what is told, and that gets them at last.
    works = [replace(work, area=replace(work.area, name=NAMELESS)) for work in works]
    asked = _Asked(operation.conventional, later)
    owned = [terms.of(work) for work in works]
    weighed = done(
        [Call(_ways_into, own, named) for *own, named in zip(works, owned, wishes, names, strict=True)],
        lambda k, share: progress(WEIGHING * share, f"Weighing ways into {names[k][0]}"), known,
    )  # fmt: skip
    for index, (work, told, wish, parts) in enumerate(zip(works, owned, wishes, weighed, strict=True)):
        for k, (area, part, ways) in enumerate(parts):
            entries: list[Entry | None] = [*ways] or [None]
            if chosen is not None:
                quickest = chosen[index][k]
                outside: list[Entry | None] = [entry for entry in ways if entry.kind == "outside"]
                again = quickest is not None and quickest.kind == "outside" and outside
                entries = outside if again else [quickest, *outside]
            # Where there is but one plan, it is made beside others.
            shared = Shared(area, part, terms.aim) if len(entries) > 1 else None
            grounds.append(shared)
            for entry in entries:
                given = (asked, area, part, entry, told, wish, shared, work)
                tries.append((index, k, Call(_timed, given, names[index], shared.make if shared else None)))
    plans: list[list[PartPlan]] = [[] for _ in works]
    if not tries:
        return plans
    made = done(
        [plan for _, _, plan in tries],
        lambda k, share: progress(
            WEIGHING + (1.0 - WEIGHING - ORDERING) * share, f"Clearing {names[tries[k][0]][0]}"
        ), known,
    )  # fmt: skip
    orders: list[tuple[int, Call[PartPlan]]] = []
    for ((index, k), group), shared in zip(
        groupby(zip(tries, made, strict=True), key=lambda pair: pair[0][:2]), grounds, strict=True
    ):
        area, part, _ = weighed[index][k]
        timed = _beside_outside([made for _, made in group])
        own = (asked, timed, area, part, shared, works[index], owned[index])
        orders.append((index, Call(_in_order, own, names[index], shared.make if shared else None)))
    ordered = done(
        [order for _, order in orders],
        lambda k, share: progress(1.0 - ORDERING * (1.0 - share), f"Ordering {names[orders[k][0]][0]}"), known,
    )  # fmt: skip
    for (index, _), best in zip(orders, ordered, strict=True):
        plans[index].append(named_plan(best, *names[index]))
    return plans


@dataclass(frozen=True, slots=True)
class _Asked:
    """What plans hang on of the operation they are for, besides its terms."""

    conventional: float
    later: bool
    """Whether others follow, and what it takes is to be told."""


def _in_order(asked: _Asked, timed: _Timed, area: Area, part: Polygon, shared: Shared | None, work: Work,
              terms: Terms, tick: Tick) -> PartPlan:  # fmt: skip
    """A plan with its passes in the order with the shortest ways between, if that is quicker."""
    plan, seconds = timed
    if not plan.paths:
        return plan
    # From level to level it goes back to where it began; where it goes after the last one is not known yet.
    pace = 60.0 / terms.feeds.rapid if len(work.levels(terms.step)) > 1 else 0.0
    back = Going(plan.paths[0].entry.points[0], pace)
    ground = shared.ground if shared is not None else None
    other = reordered(plan, area, part, terms.aim, asked.conventional, terms.speeds, back, tick, ground)
    if other is None:
        return plan
    longer = back.seconds(_end(other)) - back.seconds(_end(plan))
    return plan if terms.seconds(other.paths, work) + longer >= seconds else other


def _end(plan: PartPlan) -> Points:
    last = plan.paths[-1]
    return last.pieces[-1].points[-1] if last.pieces else last.entry.points[-1]


def _ways_into(work: Work, terms: Terms, wish: Wish, _tick: Tick) -> list[tuple[Area, Polygon, list[Entry]]]:
    return ways_into(work.area, terms.clearance, wish, terms.aim, _pace(work, terms))


def hole_findings(job: Job, operation: Operation, works: list[Work], plans: list[list[PartPlan]], terms: Terms,
                  wishes: list[Wish], before: Sequence[Swept], progress: Progress, known: Remembered | None = None
                  ) -> list[Finding]:  # fmt: skip
    """What must have been drilled, what is of no use, and what a hole would save where there is none.

    A hole that promises enough is planned: passes fall otherwise than any estimate knows.
    """
    lowest = stock_heights(job.stock)[0]
    found: list[Finding] = []
    promises: list[_Promised] = []
    tries: list[tuple[str, Call[float]]] = []
    for index, (like, work, made) in enumerate(zip(likes(works, terms.clearance, wishes), works, plans, strict=True)):
        levels, pace, wish = len(work.levels(terms.step)), _pace(work, terms), wishes[index]
        needed: list[Hole] = []
        promises += [one.moved(index, like, work.area.name) for one in promises if one.work == like.first != index]
        for part, plan in zip(parts_of(work.area), made, strict=True):
            own = work.area.of_part(part)
            if any(path.entry.hole is not None for path in plan.paths):
                # All of them are gone for the passes, not only the one that is gone in by.
                needed += own.holes
            stood = not any(swept.shape.intersects(grown(part, terms.radius)) for swept in before)
            if like.first != index or own.holes or not stood:
                continue
            promise = promised(
                work, part, plan.paths, terms.aim, levels, terms.clearance, wish.place, pace,
                60.0 / terms.feeds.cut, lowest,
            )  # fmt: skip
            if promise is not None:
                through = [
                    (work.area.name, seconds) for seconds in _through(promise.hole, operation, work, part, wish, terms)
                ]
                now = terms.seconds(plan.paths, work)
                own_tries = range(len(tries), len(tries) + len(through))
                promises.append(_Promised(index, work.area.name, promise, levels, now, own_tries))
                tries += through
        found += drilled_findings(operation.name, work.area, needed, work.bottom)
    taken = done(
        [seconds for _, seconds in tries],
        lambda k, _share: progress(1.0, f"Weighing a hole in {tries[k][0]}"), known,
    )  # fmt: skip
    for one in promises:
        then = min((taken[k] for k in one.tries), default=math.inf)
        told = saving_finding(operation.name, one.area, one.promise, one.levels * (one.now - then))
        found += [told] if told is not None else []
    return found


@dataclass(frozen=True, slots=True)
class _Promised:
    """A hole that may be worth drilling in one part of a work, and what tells whether it is."""

    work: int
    area: str
    promise: Promise
    levels: int
    now: float
    """Seconds that a level takes without it."""
    tries: range
    """Which of the plans go in by it."""

    def moved(self, work: int, like: Like, area: str) -> "_Promised":
        """The same in a work that is like this one."""
        return replace(self, work=work, area=area, promise=replace(self.promise, hole=like.hole(self.promise.hole)))


def _through(hole: Hole, operation: Operation, work: Work, part: Polygon, wish: Wish, terms: Terms
             ) -> list[Call[float]]:  # fmt: skip
    """The plans for a part that would be gone into by a hole: how many seconds their first level takes."""
    names, work = (work.area.name, operation.name), replace(work, area=replace(work.area, name=NAMELESS))
    area = replace(work.area, holes=(hole,)).of_part(part)
    ways = find_openings(area, part, terms.clearance, wish, terms.aim, None)
    asked, own = _Asked(operation.conventional, False), terms.of(work)
    given = [(asked, area, part, entry, own, wish, None, work) for entry in ways if entry.hole is not None]
    return [Call(_seconds_through, one, names) for one in given]


def _seconds_through(asked: _Asked, area: Area, part: Polygon, entry: Entry, terms: Terms, wish: Wish,
                     shared: Shared | None, work: Work, tick: Tick) -> float:  # fmt: skip
    timed = _timed(asked, area, part, entry, terms, wish, shared, work, tick)
    return terms.seconds(_in_order(asked, timed, area, part, shared, work, terms, tick).paths, work)


def _timed(asked: _Asked, area: Area, part: Polygon, entry: Entry | None, terms: Terms, wish: Wish,
           shared: Shared | None, work: Work, tick: Tick) -> _Timed:  # fmt: skip
    """A plan by one way in, and how long its first level takes."""
    ground = shared.ground if shared is not None else None
    made = plan_part(
        area, part, entry, terms.aim, NAMELESS, tick, wish, asked.conventional, ground, terms.speeds, asked.later
    )
    return made, terms.seconds(made.paths, work)


def _pace(work: Work, terms: Terms) -> Pace:
    """Ways at the first level, in mm of cut."""
    low = replace(terms, heights=replace(terms.heights, travel=work.top + terms.heights.gap))
    feeds = terms.feeds

    def way_in(entry: Entry) -> float:
        return low.seconds((PartPath(entry, ()),), work) * feeds.cut / 60.0

    deep = min(feeds.slot, feeds.removal / (2.0 * terms.radius * feeds.entry))
    return Pace(way_in, feeds.cut / feeds.link, terms.stop, deep / math.tan(feeds.ramp))


def _beside_outside(plans: list[_Timed]) -> _Timed:
    """The quickest, which knows of the quickest from outside: with another bite that may be the better one."""
    plan, seconds = _quickest(plans)
    outside = [own for own in plans if own[0].way is not None and own[0].way.kind == "outside"]
    if plan.way is None or plan.way.kind == "outside" or not outside:
        return plan, seconds
    other, slower = min(outside, key=lambda own: own[1])
    return replace(plan, beside=other.way, slower=max(0.0, slower - seconds)), seconds


def _quickest(plans: list[_Timed]) -> _Timed:
    """Of plans for one part the one whose first level is quickest, what it leaves more than another set against it."""
    least = min(plan.left for plan, _ in plans)

    def cost(timed: _Timed) -> float:
        plan, seconds = timed
        return seconds * (1.0 + LEFT_COUNTS * ((plan.left - least) / LEFT) ** 2)

    return min(plans, key=cost) if len(plans) > 1 else plans[0]
