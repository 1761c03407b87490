"""Roughing operations: every level of every area, as moves. The stage's way in."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Material, Operation
from justbite.path.area import Area, make_area
from justbite.path.level import PartPath, plan_level
from justbite.path.program import Feeds, Heights, MovesBuilder, add_level

Progress = Callable[[float, str], None]


@dataclass(frozen=True, slots=True)
class Limits:
    """Tolerances that the path needs; see justbite.tolerances for each."""

    chord: float
    snap_share: float
    fit_share: float
    fit_bite_share: float
    unreached_share: float
    clear_share: float


def level_heights(top: float, bottom: float, step: float) -> list[float]:
    """Z of equal levels from `top` down to `bottom`, each at most `step` deep."""
    depth = top - bottom
    count = max(1, int(np.ceil(depth / step - 1e-6)))
    return [top - depth * (k + 1) / count for k in range(count)]


def add_operation(out: MovesBuilder, job: Job, operation: Operation, bite: Bite, machine: Machine,
                  material: Material, travel: float, limits: Limits,
                  progress: Progress) -> list[Finding]:  # fmt: skip
    """Append the moves of one roughing operation to `out`. Returns its findings."""
    tool = job.tool(operation.tool)
    radius = tool.diameter / 2
    findings: list[Finding] = []
    heights = Heights(travel, job.approach_gap, operation.hover)
    feeds = Feeds(
        cut=bite.feed,
        entry=bite.entry_feed,
        link=operation.return_feed or machine.max_feed,
        rapid=machine.rapid_feed,
        ramp=float(np.radians(material.ramp_angle)),
        acceleration=machine.acceleration,
    )
    tolerance = min(limits.fit_share * operation.tolerance, limits.fit_bite_share * bite.ae)
    box = job.stock.box
    left = list(operation.regions)
    done = 0
    while left:
        name = min(left, key=lambda n: _way(job, n, out))
        left.remove(name)
        region = job.region(name)
        bottom = region.bottom + operation.allowance.floor
        if bottom >= region.top:
            continue
        area = make_area(
            region, (*box.min[:2], *box.max[:2]), radius, operation.allowance.wall,
            limits.snap_share * radius, limits.chord, limits.unreached_share * radius**2,
        )  # fmt: skip
        levels = level_heights(region.top, bottom, bite.ap)
        findings += _stock_findings(area, region.top, bottom, box.min[2], box.max[2], operation.name)
        if area.material.is_empty:
            done += 1
            continue

        def tick(share: float, done: int = done, name: str = name) -> None:
            progress((done + share) / len(operation.regions), f"Clearing {name}")

        gap = max(job.approach_gap, limits.clear_share * radius)
        parts, found = plan_level(area, bite.ae, gap, operation.name, tick)
        findings += found
        _add_levels(out, parts, region.top, levels, bite, heights, feeds, tolerance, gap)
        done += 1
    return findings


def _add_levels(out: MovesBuilder, parts: list[PartPath], top: float, levels: list[float], bite: Bite,
                heights: Heights, feeds: Feeds, tolerance: float, gap: float) -> None:  # fmt: skip
    """The same plane path at each level: equal areas are planned once."""
    above = top
    for z in levels:
        add_level(out, parts, above, z, bite.ae, heights, feeds, tolerance, gap)
        above = z


def _way(job: Job, name: str, out: MovesBuilder) -> float:
    points = np.array([p[:2] for p in job.region(name).outline])
    return float(np.hypot(*(points.mean(axis=0) - out.here[:2])))


def _stock_findings(area: Area, top: float, bottom: float, low: float, high: float, operation: str) -> list[Finding]:
    spot = area.shape.representative_point()
    said = []
    if area.material.is_empty:
        said.append(f'Area "{area.name}" lies outside the stock; there is nothing to cut.')
    if bottom < low - 1e-6:
        said.append(f'Area "{area.name}" goes {low - bottom:.2f} mm below the stock.')
    if top < high - 1e-6:
        said.append(
            f'Area "{area.name}" starts {high - top:.2f} mm below the top of the stock; what is above must be gone.'
        )
    return [Finding("area.outside-stock", s, operation, area.name, spot.x, spot.y, bottom) for s in said]
