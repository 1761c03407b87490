"""Roughing operations: every level of every area, as moves. The stage's way in."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Material, Operation, Region
from justbite.model.shapes import in_the_way, region_shape
from justbite.model.stock import heights, standing
from justbite.path.area import Area, make_area
from justbite.path.level import PartPath, plan_level
from justbite.path.program import Feeds, Heights, MovesBuilder, add_level

Progress = Callable[[float, str], None]
ENTRY_LOAD = 0.9
"""Removal rate of an entry over that of the bite, at most."""
FeedLaw = tuple[NDArray[np.float64], NDArray[np.float64]]


@dataclass(frozen=True, slots=True)
class Limits:
    """Tolerances that the path needs; see justbite.tolerances for each."""

    chord: float
    snap_share: float
    fit_share: float
    fit_bite_share: float
    unreached_share: float
    clear_share: float


def level_heights(top: float, bottom: float, step: float, floors: tuple[float, ...] = ()) -> list[float]:
    """Z of levels from `top` down to `bottom`, each at most `step` deep, equal between two floors."""
    levels = []
    for z in (*sorted((f for f in floors if bottom + 1e-6 < f < top - 1e-6), reverse=True), bottom):
        count = max(1, int(np.ceil((top - z) / step - 1e-6)))
        levels += [top - (top - z) * (k + 1) / count for k in range(count)]
        top = z
    return levels


def add_operation(out: MovesBuilder, job: Job, operation: Operation, bite: Bite, machine: Machine,
                  material: Material, travel: float, limits: Limits, progress: Progress,
                  follow: FeedLaw | None = None) -> list[Finding]:  # fmt: skip
    """Append the moves of one roughing operation to `out`. Returns its findings.

    `follow`: radial depths over the target and the feed's factors there; None keeps one feed.
    """
    tool = job.tool(operation.tool)
    radius = tool.diameter / 2
    findings: list[Finding] = []
    levels_at = Heights(travel, job.approach_gap, operation.hover)
    feeds = Feeds(
        cut=bite.feed,
        entry=bite.entry_feed,
        link=operation.return_feed or machine.max_feed,
        rapid=machine.rapid_feed,
        ramp=float(np.radians(material.ramp_angle)),
        acceleration=machine.acceleration,
        removal=ENTRY_LOAD * bite.ae * bite.ap * bite.feed,
        follow=follow,
    )
    tolerance = min(limits.fit_share * operation.tolerance, limits.fit_bite_share * bite.ae)
    left = list(operation.regions)
    done = 0
    while left:
        ready = [n for n in left if not any(_first(job, m, n, limits.chord) for m in left if m != n)] or left
        name = min(ready, key=lambda n: _way(job, n, out))
        left.remove(name)
        region = job.region(name)
        bottom = region.bottom + operation.allowance.floor
        if bottom >= region.top:
            continue
        area = make_area(
            job, region, radius, operation.allowance.wall, limits.snap_share * radius, limits.chord,
            limits.unreached_share * radius**2,
        )  # fmt: skip
        levels = level_heights(region.top, bottom, bite.ap, tuple(region.floors))
        findings += _stock_findings(job, area, region, bottom, operation.name, limits.chord)
        if area.material.is_empty:
            done += 1
            continue

        def tick(share: float, done: int = done, name: str = name) -> None:
            progress((done + share) / len(operation.regions), f"Clearing {name}")

        gap = max(job.approach_gap, limits.clear_share * radius)
        parts, found = plan_level(area, bite.ae, gap, operation.name, tick)
        findings += found
        _add_levels(out, parts, region.top, levels, bite, levels_at, feeds, tolerance, radius)
        done += 1
    return findings


def _add_levels(out: MovesBuilder, parts: list[PartPath], top: float, levels: list[float], bite: Bite,
                heights: Heights, feeds: Feeds, tolerance: float, radius: float) -> None:  # fmt: skip
    """The same plane path at each level: equal areas are planned once."""
    above = top
    for z in levels:
        add_level(out, parts, above, z, bite.ae, heights, feeds, tolerance, radius)
        above = z


def _way(job: Job, name: str, out: MovesBuilder) -> float:
    points = np.array([p[:2] for p in job.region(name).outline])
    return float(np.hypot(*(points.mean(axis=0) - out.here[:2])))


def _first(job: Job, one: str, other: str, chord: float) -> bool:
    """Whether area `one` must be cut before area `other`: it is named so, or lies above it."""
    a, b = job.region(one), job.region(other)
    if one in b.after:
        return True
    if a.bottom < b.top - 1e-6 or other in a.after:
        return False
    return bool(region_shape(a, chord).intersection(region_shape(b, chord)).area > 1e-3)


def _stock_findings(job: Job, area: Area, region: Region, bottom: float, operation: str, chord: float) -> list[Finding]:
    low, high = heights(job.stock)
    spot = area.shape.representative_point()
    said = []
    if area.material.is_empty:
        said.append(f'Area "{area.name}" lies outside the stock; there is nothing to cut.')
    if bottom < low - 1e-6:
        said.append(f'Area "{area.name}" goes {low - bottom:.2f} mm below the stock.')
    if region.top < high - 1e-6:
        above = standing(job.stock, region.top + 1e-6, chord).intersection(area.shape)
        for other in _cut_until(job, operation):
            if other.name != region.name and other.bottom <= region.top + 1e-6:
                above = above.difference(region_shape(other, chord).buffer(1e-3))
        if above.area > 1e-2 * area.radius**2:
            said.append(
                f'Area "{area.name}" starts {high - region.top:.2f} mm below the top of the stock; what is above must'
                " be gone."
            )
    found = [Finding("area.outside-stock", s, operation, area.name, spot.x, spot.y, bottom) for s in said]
    for keep_out, shape in in_the_way(job, region, chord):
        lost = shape.buffer(area.radius).intersection(area.shape)
        if lost.area > 1e-3:
            spot = lost.representative_point()
            found.append(
                Finding(
                    "area.keep-out",
                    f'Keep-out "{keep_out.name}" stands in area "{area.name}"; about {lost.area:.0f} mm² are not cut.',
                    operation, area.name, spot.x, spot.y, keep_out.top,
                )
            )  # fmt: skip
    return found


def _cut_until(job: Job, operation: str) -> list[Region]:
    """The areas that are cut by the operations up to and with the one of this name."""
    names: list[str] = []
    for o in job.operations:
        names += o.regions
        if o.name == operation:
            break
    return [job.region(n) for n in dict.fromkeys(names)]
