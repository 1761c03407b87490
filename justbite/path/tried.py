"""The parts of areas planned: ways in that are worth it are tried, the quickest plan is kept and its passes ordered."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import groupby

from shapely.geometry import Polygon

from justbite.errors import working_on
from justbite.model.borders import grown
from justbite.model.findings import Finding
from justbite.model.job import Job, Operation
from justbite.model.stock import heights as stock_heights
from justbite.path.alike import Like, likes, moved_plan
from justbite.path.area import Area, Hole, parts_of
from justbite.path.entry import Entry, Wish
from justbite.path.fronts import Points
from justbite.path.ground import Ground, ground_of
from justbite.path.level import PartPath, PartPlan, plan_part, ways_into
from justbite.path.loss import Pace
from justbite.path.opening import find_openings
from justbite.path.predrill import Promise, drilled_findings, promised, saving_finding
from justbite.path.reordering import Going, reordered
from justbite.path.terms import Terms
from justbite.path.together import Tick, side_by_side
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
            progress: Progress, chosen: Sequence[Sequence[Entry | None]] | None = None,
            ) -> list[list[PartPlan]]:  # fmt: skip
    """For each work the plans of its parts; works that are one but for where they lie are planned once.

    `chosen`: for each work the ways in of its parts that are to be planned, beside those from outside; no others.
    """
    found = likes(works, terms.clearance, wishes)
    firsts = [k for k, like in enumerate(found) if like.first == k]
    own = _all_planned(
        operation, [works[k] for k in firsts], terms, [wishes[k] for k in firsts], later, progress,
        None if chosen is None else [chosen[k] for k in firsts],
    )  # fmt: skip
    plans = dict(zip(firsts, own, strict=True))
    for k, like in enumerate(found):
        names = works[like.first].area.name, works[k].area.name
        plans[k] = plans[k] if k == like.first else [moved_plan(plan, like, *names) for plan in plans[like.first]]
    return [plans[k] for k in range(len(works))]


def _all_planned(operation: Operation, works: list[Work], terms: Terms, wishes: list[Wish], later: bool,
                 progress: Progress, chosen: Sequence[Sequence[Entry | None]] | None
                 ) -> list[list[PartPlan]]:  # fmt: skip
    """For each work the plans of its parts; parts and the ways into them planned side by side."""
    tries: list[tuple[int, int, Callable[[Tick], _Timed]]] = []
    grounds: list[Ground | None] = []
    make_ready()
    weighed = side_by_side(
        [partial(_ways_into, work, terms, own, operation.name) for work, own in zip(works, wishes, strict=True)],
        lambda k, share: progress(WEIGHING * share, f"Weighing ways into {works[k].area.name}"),
    )
    for index, (work, own, parts) in enumerate(zip(works, wishes, weighed, strict=True)):
        for k, (area, part, ways) in enumerate(parts):
            entries: list[Entry | None] = [*ways] or [None]
            if chosen is not None:
                quickest = chosen[index][k]
                outside: list[Entry | None] = [entry for entry in ways if entry.kind == "outside"]
                again = quickest is not None and quickest.kind == "outside" and outside
                entries = outside if again else [quickest, *outside]
            # Where there is but one plan, it is made beside others.
            ground = ground_of(area, part, terms.aim) if len(entries) > 1 else None
            grounds.append(ground)
            for entry in entries:
                plan = _plan(operation, area, part, entry, terms, own, ground, later)
                tries.append((index, k, partial(_timed, plan, work, terms)))
    plans: list[list[PartPlan]] = [[] for _ in works]
    if not tries:
        return plans
    made = side_by_side(
        [plan for _, _, plan in tries],
        lambda k, share: progress(
            WEIGHING + (1.0 - WEIGHING - ORDERING) * share, f"Clearing {works[tries[k][0]].area.name}"
        ),
    )  # fmt: skip
    orders: list[tuple[int, Callable[[Tick], PartPlan]]] = []
    for ((index, k), group), ground in zip(
        groupby(zip(tries, made, strict=True), key=lambda pair: pair[0][:2]), grounds, strict=True
    ):
        area, part, _ = weighed[index][k]
        timed = _beside_outside([made for _, made in group])
        orders.append((index, partial(_in_order, timed, area, part, ground, operation, works[index], terms)))
    ordered = side_by_side(
        [order for _, order in orders],
        lambda k, share: progress(1.0 - ORDERING * (1.0 - share), f"Ordering {works[orders[k][0]].area.name}"),
    )
    for (index, _), best in zip(orders, ordered, strict=True):
        plans[index].append(best)
    return plans


def _in_order(timed: _Timed, area: Area, part: Polygon, ground: Ground | None, operation: Operation, work: Work,
              terms: Terms, tick: Tick) -> PartPlan:  # fmt: skip
    """A plan with its passes in the order with the shortest ways between, if that is quicker."""
    plan, seconds = timed
    if not plan.paths:
        return plan
    # From level to level it goes back to where it began; where it goes after the last one is not known yet.
    pace = 60.0 / terms.feeds.rapid if len(work.levels(terms.step)) > 1 else 0.0
    back = Going(plan.paths[0].entry.points[0], pace)
    with working_on(area.name, operation.name):
        other = reordered(plan, area, part, terms.aim, operation.conventional, terms.speeds, back, tick, ground)
    if other is None:
        return plan
    longer = back.seconds(_end(other)) - back.seconds(_end(plan))
    return plan if terms.seconds(other.paths, work) + longer >= seconds else other


def _end(plan: PartPlan) -> Points:
    last = plan.paths[-1]
    return last.pieces[-1].points[-1] if last.pieces else last.entry.points[-1]


def _ways_into(work: Work, terms: Terms, wish: Wish, operation: str, _tick: Tick
               ) -> list[tuple[Area, Polygon, list[Entry]]]:  # fmt: skip
    with working_on(work.area.name, operation):
        return ways_into(work.area, terms.clearance, wish, terms.aim, _pace(work, terms))


def hole_findings(job: Job, operation: Operation, works: list[Work], plans: list[list[PartPlan]], terms: Terms,
                  wishes: list[Wish], before: Sequence[Swept], progress: Progress) -> list[Finding]:  # fmt: skip
    """What must have been drilled, what is of no use, and what a hole would save where there is none.

    A hole that promises enough is planned: passes fall otherwise than any estimate knows.
    """
    lowest = stock_heights(job.stock)[0]
    found: list[Finding] = []
    asked: list[_Asked] = []
    tries: list[tuple[str, Callable[[Tick], float]]] = []
    for index, (like, work, made) in enumerate(zip(likes(works, terms.clearance, wishes), works, plans, strict=True)):
        levels, pace, wish = len(work.levels(terms.step)), _pace(work, terms), wishes[index]
        needed: list[Hole] = []
        asked += [one.moved(index, like, work.area.name) for one in asked if one.work == like.first != index]
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
                asked.append(_Asked(index, work.area.name, promise, levels, now, own_tries))
                tries += through
        found += drilled_findings(operation.name, work.area, needed, work.bottom)
    taken = side_by_side(
        [seconds for _, seconds in tries],
        lambda k, _share: progress(1.0, f"Weighing a hole in {tries[k][0]}"),
    )
    for one in asked:
        then = min((taken[k] for k in one.tries), default=math.inf)
        told = saving_finding(operation.name, one.area, one.promise, one.levels * (one.now - then))
        found += [told] if told is not None else []
    return found


@dataclass(frozen=True, slots=True)
class _Asked:
    """A hole that may be worth drilling in one part of a work, and what tells whether it is."""

    work: int
    area: str
    promise: Promise
    levels: int
    now: float
    """Seconds that a level takes without it."""
    tries: range
    """Which of the plans go in by it."""

    def moved(self, work: int, like: Like, area: str) -> "_Asked":
        """The same in a work that is like this one."""
        return replace(self, work=work, area=area, promise=replace(self.promise, hole=like.hole(self.promise.hole)))


def _through(hole: Hole, operation: Operation, work: Work, part: Polygon, wish: Wish, terms: Terms
             ) -> list[Callable[[Tick], float]]:  # fmt: skip
    """The plans for a part that would be gone into by a hole: how many seconds their first level takes."""
    area = replace(work.area, holes=(hole,)).of_part(part)
    ways = find_openings(area, part, terms.clearance, wish, terms.aim, None)

    def seconds(entry: Entry, tick: Tick) -> float:
        made = _timed(_plan(operation, area, part, entry, terms, wish), work, terms, tick)
        return terms.seconds(_in_order(made, area, part, None, operation, work, terms, tick).paths, work)

    return [partial(seconds, entry) for entry in ways if entry.hole is not None]


def _plan(operation: Operation, area: Area, part: Polygon, entry: Entry | None, terms: Terms, wish: Wish,
          ground: Ground | None = None, later: bool = False) -> Callable[[Tick], PartPlan]:  # fmt: skip
    def made(tick: Tick) -> PartPlan:
        with working_on(area.name, operation.name):
            return plan_part(
                area, part, entry, terms.aim, operation.name, tick, wish, operation.conventional, ground, terms.speeds,
                later,
            )  # fmt: skip

    return made


def _pace(work: Work, terms: Terms) -> Pace:
    """Ways at the first level, in mm of cut."""
    low = replace(terms, heights=replace(terms.heights, travel=work.top + terms.heights.gap))
    feeds = terms.feeds

    def way_in(entry: Entry) -> float:
        return low.seconds((PartPath(entry, ()),), work) * feeds.cut / 60.0

    deep = min(feeds.slot, feeds.removal / (2.0 * terms.radius * feeds.entry))
    return Pace(way_in, feeds.cut / feeds.link, terms.stop, deep / math.tan(feeds.ramp))


def _timed(plan: Callable[[Tick], PartPlan], work: Work, terms: Terms, tick: Tick) -> _Timed:
    made = plan(tick)
    return made, terms.seconds(made.paths, work)


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
