"""What a job itself did before an operation comes to an area: how high it stands there, and floors left in it."""

import math
from collections.abc import Iterable
from itertools import pairwise, takewhile

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import ONE_BORDER, grown
from justbite.model.job import Job, Operation, Region
from justbite.model.shapes import NOTHING, OVERLAP, SAME, overlap, region_shape
from justbite.model.stock import fill_heights, heights, standing


def earlier(job: Job, operation: Operation) -> list[Operation]:
    """The operations before this one."""
    return list(takewhile(lambda other: other != operation, job.operations))


def cut_top(job: Job, operation: Operation, region: Region, chord: float) -> float:
    """Z that stock stands up to where the operation begins on an area.

    Its top; but on the floor of an area above it an allowance may have been left, and stands. Of a job on a part the
    stock is known: where no area takes what stands above its top it begins at the stock's.
    """
    above = uncut_above(job, operation, region, chord) if job.part is not None else NOTHING
    if above.area > OVERLAP:
        return max(top for shape, top in fill_heights(job.stock, chord) if shape.intersection(above).area > OVERLAP)
    top = region.top
    left: dict[str, float] = {}
    for o in (*earlier(job, operation), operation):
        left |= {name: min(o.allowance.floor, left.get(name, math.inf)) for name in o.regions}
    for other in job.regions:
        if other.name == region.name or other.name not in left or other.bottom > region.top + SAME:
            continue
        floor = other.bottom + left[other.name]
        if floor > top + SAME and overlap(other, region, chord):
            top = floor
    return top


def uncut_above(job: Job, operation: Operation, region: Region, chord: float) -> BaseGeometry:
    """Where stock stands above an area's top that neither this nor an earlier operation takes."""
    if region.top > heights(job.stock)[1] - SAME:
        return NOTHING
    above = standing(job.stock, region.top + SAME, chord).intersection(region_shape(region, chord))
    cut = {name for o in earlier(job, operation) for name in o.regions}
    # Of this operation's those that come after the area do not: steps climb a slope from its floor up.
    cut |= {name for name in operation.regions if region.name not in job.region(name).after}
    planned = {name for o in job.operations for name in o.regions}
    for other in job.regions:
        gone = other.name in cut or (other.name in region.after and other.name not in planned)
        if gone and other.name != region.name and other.bottom < region.top + SAME and not above.is_empty:
            above = above.difference(grown(region_shape(other, chord), ONE_BORDER))
    return grown(above, -ONE_BORDER)


def floors_before(job: Job, operation: Operation, region: Region, chord: float) -> list[float]:
    """Z of the floors that earlier operations left in an area, above what this one goes down to."""
    if not earlier(job, operation):
        return []
    top, bottom = cut_top(job, operation, region, chord), region.bottom + operation.allowance.floor
    found = set()
    for done in earlier(job, operation):
        for other in map(job.region, done.regions):
            floor = other.bottom + done.allowance.floor
            if bottom + SAME < floor < top - SAME and (other.name == region.name or overlap(other, region, chord)):
                found.add(floor)
    return sorted(found, reverse=True)


def sections(job: Job, operation: Operation, region: Region, chord: float) -> tuple[float, ...]:
    """How deep an area is from its top to its first floor in between, from floor to floor, and to its bottom; mm.

    No level of a section reaches into another. Empty where nothing is to be cut.
    """
    top, bottom = cut_top(job, operation, region, chord), region.bottom + operation.allowance.floor
    between = {z for z in (*region.floors, *floors_before(job, operation, region, chord)) if bottom < z < top}
    heights = [top, *sorted(between, reverse=True), bottom]
    return tuple(a - b for a, b in pairwise(heights) if a - b > SAME)


def must_come_first(job: Job, one: str, other: str, chord: float) -> bool:
    """Whether area `one` must be cut before area `other`: it is named so, or lies above it."""
    a, b = job.region(one), job.region(other)
    if one in b.after:
        return True
    if a.bottom < b.top - SAME or other in a.after:
        return False
    return overlap(a, b, chord)


def forerunners(job: Job, names: Iterable[str], chord: float) -> dict[str, set[str]]:
    """For each of these areas those of them that must be cut before it."""
    asked = list(names)
    rank = {name: k for k, name in enumerate(asked)}
    shapes = [region_shape(job.region(name), chord) for name in asked]
    # Those that lie apart are most of them where there are many.
    near = shapely.STRtree(shapes).query(np.array(shapes, dtype=object))
    pairs = {(int(a), int(b)) for a, b in near.T if a != b}
    pairs |= {(rank[one], k) for k, name in enumerate(asked) for one in job.region(name).after if one in rank}
    found = {name: set[str]() for name in asked}
    for a, b in pairs:
        if must_come_first(job, asked[a], asked[b], chord):
            found[asked[b]].add(asked[a])
    return found


def cut_by_then(job: Job, name: str, other: str) -> bool:
    """Whether each operation that cuts one area cuts the other as well, or one before it does."""
    seen = False
    for operation in job.operations:
        seen = seen or other in operation.regions
        if name in operation.regions and not seen:
            return False
    return seen


def as_deep(one: Region, other: Region) -> bool:
    """Whether two areas begin and end at the same heights."""
    return one.name != other.name and max(abs(one.bottom - other.bottom), abs(one.top - other.top)) < SAME


def fresh_shape(job: Job, region: Region, chord: float) -> BaseGeometry:
    """What of an area no deeper area takes that comes before it: of a step the strip on its slope."""
    deeper = [
        region_shape(other, chord) for other in job.regions
        if (other.name in region.after and other.bottom < region.bottom + SAME)
        or (region.name not in other.after and other.bottom < region.bottom - SAME and region.bottom + SAME < other.top
            and cut_by_then(job, region.name, other.name))
    ]  # fmt: skip
    return region_shape(region, chord).difference(shapely.union_all(deeper)) if deeper else region_shape(region, chord)
