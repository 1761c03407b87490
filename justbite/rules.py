"""Rules of the trade as findings: what a specialist would say on seeing the order and its path."""

import math

import numpy as np

from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Operation
from justbite.model.moves import CUT, LINE, Moves
from justbite.model.shapes import region_shape

OWN_SECONDS, OWN_SHARE = 3.0, 0.02
"""What an area must gain by a bite of its own to be worth telling: seconds, and share of its operation."""
HELD_SHARE = 0.1
"""Share of a path's cutting length in curves too tight for its feed from which it is worth telling."""


def tool_findings(job: Job) -> list[Finding]:
    """A tool number given to more than one cutter, where no operation is in doubt which it means."""
    found = []
    for number in sorted({t.number for t in job.tools}):
        own = [t for t in job.tools if t.number == number]
        if len(own) > 1:
            said = f"Tool number {number} is used {len(own)} times in the tool list; give each cutter its own."
            found.append(Finding("rule.tool-number", said))
    return found


def order_findings(job: Job, operation: Operation, bite: Bite, machine: Machine, wanted_speed: float) -> list[Finding]:
    """What can be said of an operation but for its path. `wanted_speed`: cutting speed, m/min."""
    found = []
    name, tool = operation.name, job.tool(operation.tool)
    wall = operation.allowance.wall
    if 0 < wall <= operation.tolerance:
        found.append(
            Finding("rule.allowance", f'"{name}" leaves {wall:g} mm on walls, no more than its tolerance'
                    f" of {operation.tolerance:g} mm.", name)
        )  # fmt: skip
    needed = wanted_speed * 1000.0 / (math.pi * tool.diameter)
    if operation.speed is None and needed > 1.02 * machine.max_rpm:
        could = f"the {tool.diameter:g} mm cutter could turn {needed:.0f} rpm"
        said = f'"{name}": {could}; the machine has {machine.max_rpm:.0f}.'
        found.append(Finding("rule.spindle", said, name))
    back = operation.return_feed
    if back is not None and back < bite.feed:
        said = f'"{name}" returns at {back:g} mm/min, slower than it cuts ({bite.feed:.0f}): ways back hold it up.'
        found.append(Finding("rule.return-feed", said, name))
    if tool.kind == "bull_nose_end_mill":
        found.append(
            Finding("rule.corner-radius", f'"{name}": the corner radius of {tool.corner_radius:g} mm stays standing at'
                    " the foot of the walls.", name)
        )  # fmt: skip
    return found


def depth_findings(job: Job, operation: Operation, bite: Bite, own: dict[str, tuple[tuple[float, ...], Bite]],
                   seconds: float, chord: float) -> list[Finding]:  # fmt: skip
    """Areas that would be cut sooner with a bite for their own depth: the operation has one for all of them.

    `own`: how deep the sections of areas are, mm, and the areas' bites by themselves; `seconds` that the operation
    takes. Told by the levels there are and how long each takes at full bite.
    """
    found = []
    for name, (deep, alone) in own.items():
        levels = [math.ceil(d / bite.ap - 1e-9) for d in deep]
        size = region_shape(job.region(name), chord).area
        gain = 60.0 * size * (sum(levels) / (bite.ae * bite.feed) - alone.steps / (alone.ae * alone.feed))
        if gain > max(OWN_SECONDS, OWN_SHARE * seconds):
            step = max(d / n for d, n in zip(deep, levels, strict=True))
            said = (
                f'"{operation.name}" cuts area "{name}" {step:.3g} mm deep with the bite that all its areas have; by'
                f" itself it would take {alone.ae:.3g} mm at {alone.ap:.3g} mm and be done about {gain:.0f} s sooner."
            )
            found.append(Finding("rule.own-bite", said, operation.name, name))
    return found


def drop_findings(job: Job, operation: Operation, drop: float, at: tuple[float, float, float]) -> list[Finding]:
    """Whether a rapid comes down beside standing stock by more than the approach gap; `drop` mm, measured."""
    gap = job.approach_gap
    if drop <= gap + 1e-6:
        return []
    said = (
        f'"{operation.name}": a rapid comes down {drop:.2f} mm below stock that stands less than {gap:g} mm beside it.'
    )
    return [Finding("rule.approach-gap", said, operation.name, "", *at)]


def curve_findings(operation: Operation, bite: Bite, machine: Machine, moves: Moves) -> list[Finding]:
    """Whether the machine holds the bite's feed in the path's curves: v^2 / r against its acceleration.

    The program asks for no more there than it holds.
    """
    cut = (moves.part == CUT) & (moves.kind != LINE)
    starts = np.vstack([moves.start[None, :], moves.end[:-1]])
    every = np.hypot(*(moves.end - starts)[:, :2].T)
    whole = float(every[moves.part == CUT].sum())
    if not cut.any() or whole <= 0:
        return []
    radius = np.hypot(*(moves.centre - moves.end[:, :2])[cut].T)
    holds = 60.0 * np.sqrt(machine.acceleration * radius)
    slow = holds < bite.feed * 0.98
    share = float(every[cut][slow].sum()) / whole
    if share < HELD_SHARE:
        return []
    tight = float(np.median(radius[slow]))
    return [
        Finding(
            "rule.curves",
            f'"{operation.name}": in {100 * share:.0f} % of its cut the curves (about {tight:.2g} mm radius) let the'
            f" machine hold less than the feed of {bite.feed:.0f} mm/min.",
            operation.name,
            size=tight,
        )
    ]
