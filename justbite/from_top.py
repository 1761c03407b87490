"""What lies below an area cut from that one's top, before it: the deeper area takes the layer above it along.

A pocket below a face is cut at full depth anyway, and a face's height more of it costs next to nothing; the face then
is what is left of it. So too a pocket in a pocket. Cut one after the other from above, what both cover is gone over
twice, the shallower time at a shallow cut. Where nothing is open the way in is longer by the layer: then it may not be
worth it.
"""

import math
from dataclasses import replace
from typing import Any

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.model.before import cut_by_then, fresh_shape, sections
from justbite.model.bite import Bite
from justbite.model.job import Job, Operation, Region
from justbite.model.shapes import OVERLAP, SAME, region_shape
from justbite.order import deeper_first
from justbite.prepare import case_for
from justbite.weighing import Weight, weight_of

HELIX = 0.6
"""Radius of a helix over the cutter's, for weighing."""
ENTRY_LOAD = 0.97
"""Removal rate of a way in over that of the bite."""


def in_order(job: Job) -> Job:
    """The job as it is planned: deeper areas first where that is quicker, and from the top. Raises JobError."""
    return deeper_first(from_the_top(job), tolerances.CHORD)


def from_the_top(job: Job) -> Job:
    """The job, areas that lie below another one going up to its top where they come before it.

    They come before it where their operation does, and in one operation where that is quicker. Raises JobError.
    """
    first: dict[str, int] = {}
    for index, operation in reversed(list(enumerate(job.operations))):
        first |= dict.fromkeys(operation.regions, index)
    for name in sorted(first, key=lambda n: -job.region(n).top):
        for above in _layers_above(job, name, first):
            if first[above] < first[name]:
                continue
            raised = _raised(job, name, above)
            if first[above] > first[name] or _saves(job, raised, job.operations[first[name]], name, above):
                job = raised
                break
    return job


def _layers_above(job: Job, name: str, used: dict[str, int]) -> list[str]:
    """The areas in whose floor an area lies wholly, and that need not come before it."""
    region = job.region(name)
    found = []
    for above in map(job.region, used):
        if (
            abs(above.bottom - region.top) < SAME
            and cut_by_then(job, above.name, name)
            and not _waits(job, name, above.name)
            and _lies_in(region, above)
        ):
            found.append(above.name)
    return found


def _lies_in(region: Region, above: Region) -> bool:
    outside = region_shape(region, tolerances.CHORD).difference(region_shape(above, tolerances.CHORD))
    # Borders that are one in all but their chords are no part of it.
    return bool(outside.buffer(-tolerances.CHORD).area < OVERLAP)


def _waits(job: Job, name: str, other: str) -> bool:
    """Whether an area is to be cut after another one, by way of a third or not."""
    seen, left = set[str](), [name]
    while left:
        now = left.pop()
        if now == other:
            return True
        seen.add(now)
        left += [n for n in job.region(now).after if n not in seen]
    return False


def _raised(job: Job, name: str, above: str) -> Job:
    """The job with an area cut from the top of another one, and before it."""
    top = job.region(above).top
    change: dict[str, dict[str, Any]] = {name: {"top": top}, above: {"after": [*job.region(above).after, name]}}
    return job.model_copy(update={
        "regions": [r.model_copy(update=change[r.name]) if r.name in change else r for r in job.regions]
    })  # fmt: skip


def _saves(job: Job, raised: Job, operation: Operation, name: str, above: str) -> bool:
    """Whether an area and the one above it are quicker cut from the top, each with the bite that suits it alone."""
    case = replace(case_for(job, operation), path=None)

    def weigh(planned: Job, one: str) -> tuple[Weight, Bite, float] | None:
        """With the bite that suits it, and seconds at full bite; None where nothing is to be cut."""
        region = planned.region(one)
        deep = sections(planned, operation, region, tolerances.CHORD)
        if not deep or fresh_shape(planned, region, tolerances.CHORD).area < OVERLAP:
            return None
        weight = weight_of(planned, one, deep)
        bite = solver.about(replace(case, depth=sum(deep), areas=((weight.size, deep),)))
        return weight, bite, weight.seconds(bite, operation.follow_bite)

    layer, below, whole = weigh(job, above), weigh(job, name), weigh(raised, name)
    if layer is None or below is None or whole is None:
        return False
    weight, bite, seconds = layer
    saved = seconds * _farther_in(raised, name, above, bite.ae, case.tool.diameter) / weight.size
    entry = 0.0
    if job.region(above).open_edges and not job.region(name).open_edges:
        # A closed area above would have had a way in of its own.
        bite = whole[1]
        ramp = math.tan(math.radians(catalogue.material_of(job).ramp_angle))
        circle = math.pi * ((1.0 + HELIX) * case.tool.diameter / 2) ** 2
        down = min(bite.entry_feed * ramp, ENTRY_LOAD * 1000.0 * bite.removal_rate / circle) / 60.0
        entry = (sum(whole[0].deep) - sum(below[0].deep)) / down
    return saved > whole[2] - below[2] + entry


def _farther_in(raised: Job, name: str, above: str, bite: float, diameter: float) -> float:
    """mm2 of an area that passes over what is left of the one above need not cover.

    At an edge the bite begins and ends over half the chord that it cuts in the cutter's circle: less wide a gap in a
    face saves nothing.
    """
    rest = fresh_shape(raised, raised.region(above), tolerances.CHORD)
    chord = math.sqrt(max(bite * (diameter - bite), 0.0))
    own = fresh_shape(raised, raised.region(name), tolerances.CHORD)
    return float(own.difference(rest.buffer(chord)).area)
