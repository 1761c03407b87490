"""What lies below an area cut from that one's top, before it: the deeper area takes the layer above it along.

A pocket below a face is cut at full depth anyway, and a face's height more of it costs next to nothing; the face then
is what is left of it. So too a pocket in a pocket. Cut one after the other from above, what both cover is gone over
twice, the shallower time at a shallow cut. Where nothing is open the way in is longer by the layer: then it may not be
worth it.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import shapely

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.bite.case import Case
from justbite.model.before import cut_by_then, forerunners, fresh_shape, sections
from justbite.model.bite import Bite
from justbite.model.borders import grown
from justbite.model.findings import Finding
from justbite.model.job import Job
from justbite.model.shapes import OVERLAP, SAME, region_shape
from justbite.order import deeper_first
from justbite.path.rough import ENTRY_LOAD
from justbite.prepare import case_for
from justbite.weighing import Weight, weight_of

HELIX = 0.6
"""Radius of a helix over the cutter's, for weighing."""
ACROSS = 0.7
"""s that ways across a gap inside an area take, times the root of the number of passes that it parts: 0.3 to 1.7 were
measured, over 7 to 370 passes."""
MOST_NAMED = 3
"""Areas that are told by their names."""
WORTH_SECONDS = 0.3
"""What it must save."""


def in_order(job: Job, apart: bool = False) -> Job:
    """The job as it is planned: deeper areas first where that is quicker, and from the top. Raises JobError.

    `apart`: as if each area had an operation of its own.
    """
    return deeper_first(from_the_top(job, apart), tolerances.CHORD)


def from_the_top(job: Job, apart: bool = False) -> Job:
    """The job, areas that lie below another one going up to its top where they come before it.

    They come before it where their operation does, and in one operation where that is quicker: with the bite that it
    has for all of its areas, or `apart` each with the one that suits it. With each of them goes what is to be cut
    before it. Raises JobError.
    """
    orders = _Orders(job)
    scale = _Scale(apart)
    floors = {name: job.region(name).bottom for name in orders.first}
    for name in sorted(orders.first, key=lambda n: -job.region(n).top):
        top = job.region(name).top
        for above in [n for n, floor in floors.items() if abs(floor - top) < SAME]:
            names = orders.needed(job, name, above)
            if not names:
                continue
            raised = _raised(job, names, above)
            if orders.is_before(name, above) or _saves(job, raised, names, above, orders, scale):
                orders.turn(job, names, above)
                job = raised
                break
    return job


def from_top_findings(job: Job, ordered: Job) -> list[Finding]:
    """Which areas of a job are cut from the top of another one when it is planned as `ordered`."""
    found = []
    for layer in ordered.regions:
        own = job.region(layer.name)
        taken = [n for n in layer.after if n not in own.after and ordered.region(n).top > job.region(n).top + SAME]
        names = [f'"{n}"' for n in taken if abs(job.region(n).top - own.bottom) < SAME]
        if not names:
            continue
        said = ", ".join(names) if len(names) <= MOST_NAMED else f"{len(names)} areas below it"
        operation = next(o.name for o in job.operations if layer.name in o.regions)
        sentence = f'What "{layer.name}" would cut above them is taken along by what comes before it: {said}.'
        found.append(Finding("area.from-top", sentence, operation, layer.name))
    return found


class _Orders:
    """Which areas wait for which, and which operation is the first to cut them."""

    def __init__(self, job: Job) -> None:
        self.first: dict[str, int] = {}
        for index, operation in reversed(list(enumerate(job.operations))):
            self.first |= dict.fromkeys(operation.regions, index)
        self.before = forerunners(job, self.first, tolerances.CHORD)

    def is_before(self, name: str, above: str) -> bool:
        """Whether an area's first operation comes before the other's."""
        return self.first[name] < self.first[above]

    def waits(self, name: str, other: str) -> bool:
        """Whether an area is cut after another one, by way of a third or not."""
        seen, left = set[str](), [name]
        while left:
            now = left.pop()
            if now == other:
                return True
            seen.add(now)
            left += self.before[now] - seen
        return False

    def needed(self, job: Job, name: str, above: str) -> list[str]:
        """The area, and what must be cut before it but waits for the one above; none where one of them has to wait."""
        names = [name]
        for one in names:
            if not self._can_come_first(job, one, above):
                return []
            names += [m for m in self.still_before(job, one, above) - set(names) if self.waits(m, above)]
        return names

    def still_before(self, job: Job, name: str, above: str) -> set[str]:
        """What must be cut before an area even where that is cut from the top of the one above."""
        top, after = job.region(above).top, job.region(name).after
        return {m for m in self.before[name] if m in after or job.region(m).bottom > top - SAME}

    def turn(self, job: Job, names: Sequence[str], above: str) -> None:
        """From now on they come before it; `job`: before they were raised."""
        for name in names:
            self.before[name] = self.still_before(job, name, above)
        self.before[above].update(names)

    def _can_come_first(self, job: Job, name: str, above: str) -> bool:
        """Whether an area lies wholly in the floor of the one above, and is not cut by a later operation."""
        region, other = job.region(name), job.region(above)
        if abs(other.bottom - region.top) > SAME or not cut_by_then(job, above, name):
            return False
        outside = region_shape(region, tolerances.CHORD).difference(region_shape(other, tolerances.CHORD))
        # Borders that are one in all but their chords are no part of it.
        return bool(outside.buffer(-tolerances.CHORD).area < OVERLAP)


def _raised(job: Job, names: Sequence[str], above: str) -> Job:
    """The job with areas cut from the top of another one, and before it."""
    layer = job.region(above)
    change: dict[str, dict[str, Any]] = {above: {"after": [*layer.after, *names]}}
    change |= {name: {"top": layer.top} for name in names}
    return job.model_copy(update={
        "regions": [r.model_copy(update=change[r.name]) if r.name in change else r for r in job.regions]
    })  # fmt: skip


def _saves(job: Job, raised: Job, names: Sequence[str], above: str, orders: _Orders, scale: "_Scale") -> bool:
    """Whether areas and the one above them are quicker cut from the top."""
    index = orders.first[names[0]]
    layer = scale.weighed(job, index, above)
    if layer is None:
        return False
    diameter = job.tool(job.operations[index].tool).diameter
    inside = [_farther_in(planned, above, layer.bite.ae, diameter) for planned in (job, raised)]
    saved = layer.seconds * (inside[1] - inside[0]) / layer.weight.size
    if not scale.apart:
        # A deeper area may ask for another bite of all.
        others = [n for n in job.operations[index].regions if n != above and n not in names]
        saved -= scale.seconds(raised, index, others) - scale.seconds(job, index, others)
    for name in names:
        below, whole = (scale.weighed(planned, index, name) for planned in (job, raised))
        region = job.region(name)
        if below is None or whole is None:
            continue
        saved -= whole.seconds - below.seconds
        # A step begins beside the floor that it stands round.
        if region.open_edges or any(job.region(n).bottom < region.bottom + SAME for n in region.after):
            continue
        border = float(shapely.length(region_shape(region, tolerances.CHORD)))
        saved -= ACROSS * math.sqrt(border / (2.0 * layer.bite.ae))
        if job.region(above).open_edges:
            # A closed area above would have had a way in of its own.
            saved -= (sum(whole.weight.deep) - sum(below.weight.deep)) / _down(job, whole.bite, diameter)
    return saved > WORTH_SECONDS


def _down(job: Job, bite: Bite, diameter: float) -> float:
    """mm/s at which a way in leads down."""
    ramp = math.tan(math.radians(catalogue.material_of(job).ramp_angle))
    circle = math.pi * ((1.0 + HELIX) * diameter / 2) ** 2
    return min(bite.entry_feed * ramp, ENTRY_LOAD * 1000.0 * bite.removal_rate / circle) / 60.0


@dataclass(frozen=True, slots=True)
class _Weighed:
    """An area with the bite that it is cut with."""

    weight: Weight
    bite: Bite
    seconds: float
    """At full bite."""


class _Scale:
    """Weighs areas as cut by an operation of that index, with its bite or each with the one that suits it alone."""

    def __init__(self, apart: bool) -> None:
        self.apart = apart
        self._cases: dict[int, Case] = {}
        self._bites: dict[tuple[int, tuple[float, ...]], Bite] = {}

    def weighed(self, job: Job, index: int, name: str) -> _Weighed | None:
        """None where nothing is to be cut. Raises JobError."""
        operation, region = job.operations[index], job.region(name)
        deep = sections(job, operation, region, tolerances.CHORD)
        if not deep or fresh_shape(job, region, tolerances.CHORD).area < OVERLAP:
            return None
        weight = weight_of(job, name, deep)
        bite = self._alone(job, index, weight) if self.apart else self._common(job, index)
        return _Weighed(weight, bite, weight.seconds(self._case(job, index), bite, operation.follow_bite))

    def seconds(self, job: Job, index: int, names: Iterable[str]) -> float:
        """Of several areas."""
        return sum(w.seconds for w in (self.weighed(job, index, name) for name in names) if w is not None)

    def _case(self, job: Job, index: int) -> Case:
        if index not in self._cases:
            self._cases[index] = replace(case_for(job, job.operations[index]), path=None)
        return self._cases[index]

    def _alone(self, job: Job, index: int, weight: Weight) -> Bite:
        case = self._case(job, index)
        key = index, weight.deep
        if key not in self._bites:
            areas = ((weight.size, weight.deep),)
            self._bites[key] = solver.about(replace(case, depth=sum(weight.deep), areas=areas))
        return self._bites[key]

    def _common(self, job: Job, index: int) -> Bite:
        # The tops tell one order of a job from another.
        key = index, tuple(region.top for region in job.regions)
        if key not in self._bites:
            self._bites[key] = solver.about(replace(case_for(job, job.operations[index]), path=None))
        return self._bites[key]


def _farther_in(job: Job, above: str, bite: float, diameter: float) -> float:
    """mm2 of an area that passes over what is left of it need not cover.

    At an edge the bite begins and ends over half the chord that it cuts in the cutter's circle: less wide a gap in a
    face saves nothing.
    """
    region = job.region(above)
    chord = math.sqrt(max(bite * (diameter - bite), 0.0))
    rest = fresh_shape(job, region, tolerances.CHORD)
    return float(region_shape(region, tolerances.CHORD).difference(grown(rest, chord)).area)
