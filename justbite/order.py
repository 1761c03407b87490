"""Deeper areas before shallower ones that are open to them, and of those as deep the one that is more in the open.

What lies beyond an open edge is stock until it is cut. Where the deeper area goes first, at the depth that it needs
anyway, the shallower one begins in the clear: passes come in from the side at the full bite, and need no helix. Of two
as deep, as a floor and what a user parted from it, each would clear the stock before its open edge, that is of the
other as well: what the first one takes there is gone for the one after it.
"""

import shapely
from shapely.geometry.base import BaseGeometry

from justbite.model.before import as_deep, cut_by_then, forerunners
from justbite.model.job import Job, Region
from justbite.model.shapes import SAME, free_space, region_shape

SWING = 3.2
"""Radii beyond an open edge that the path looks at, and the allowance."""
WORTH = 0.1
"""mm2 of an area that must lie there."""


def deeper_first(job: Job, chord: float) -> Job:
    """The job, each area coming after the deeper ones that its open edges lead into, where no order is against it.

    Only those that are cut wherever it is, by the same operation or an earlier one: what comes before is gone.
    """
    used = {name for operation in job.operations for name in operation.regions}
    regions = {region.name: region for region in job.regions if region.name in used}
    before = forerunners(job, regions, chord)
    more: dict[str, list[str]] = {}
    spaces = {region.name: _space(job, region, chord) for region in regions.values()}
    airs = {region.name: _air(job, region, spaces[region.name], chord) for region in regions.values()}
    asked = list(regions.values())
    tree = shapely.STRtree([region_shape(region, chord) for region in asked])
    # Who is asked first comes after those as deep.
    for region in sorted(asked, key=lambda r: (round(r.bottom, 5), airs[r.name])):
        space = spaces[region.name]
        for other in (asked[k] for k in sorted(tree.query(space))):
            deeper = other.bottom < region.bottom - SAME < other.top - SAME
            if (
                (deeper or as_deep(region, other))
                and other.name not in before[region.name]
                and cut_by_then(job, region.name, other.name)
                and space.intersection(region_shape(other, chord)).area > WORTH
                and not _waits(other.name, region.name, before)
            ):
                before[region.name].add(other.name)
                more.setdefault(region.name, []).append(other.name)
    if not more:
        return job
    changed = [r.model_copy(update={"after": [*r.after, *more.get(r.name, [])]}) for r in job.regions]
    return job.model_copy(update={"regions": changed})


def _air(job: Job, region: Region, space: BaseGeometry, chord: float) -> float:
    """mm2 before the open edges of a region that no area as deep or less takes."""
    if not region.open_edges:
        return 0.0
    others = [region_shape(r, chord) for r in job.regions if r.bottom > region.bottom - SAME]
    return float(space.difference(shapely.union_all(others)).area)


def _space(job: Job, region: Region, chord: float) -> BaseGeometry:
    """A region, and what lies before its open edges as far as its cutters look there, walls between them or not."""
    reach = max(SWING * job.tool(o.tool).diameter / 2 + o.allowance.wall
                for o in job.operations if region.name in o.regions)  # fmt: skip
    return free_space(region, reach, chord)


def _waits(name: str, other: str, before: dict[str, set[str]]) -> bool:
    """Whether one area has to wait for the other."""
    seen, left = {name}, [name]
    while left:
        now = left.pop()
        if now == other:
            return True
        left += before[now] - seen
        seen |= before[now]
    return False
