"""Rules of the trade as findings: what a specialist would say on seeing the order and its path."""

import math

import numpy as np

from justbite.bite.conditions import SLACK
from justbite.grouping import Shares
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Operation
from justbite.model.moves import CUT, LINE, Moves

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


def bite_findings(operation: Operation, bite: Bite) -> list[Finding]:
    """Ceilings that a bite is over."""
    found = []
    for c in bite.ceilings:
        if c.share > 1.0 + SLACK and not c.estimate:
            code = "bite.rubs" if c.name == "chip, least" else "bite.over-ceiling"
            found.append(
                Finding(
                    code,
                    f'"{operation.name}": {c.name} is {c.value:.4g} of {c.ceiling:.4g} {c.unit}'
                    f" ({100 * c.share:.0f} % of what is allowed).",
                    operation.name,
                )
            )
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
    walled = [r for r in map(job.region, operation.regions) if r.islands or r.open_edges != "all"]
    deepest = max(walled, key=lambda r: r.top - r.bottom, default=None)
    if deepest is not None and (deep := deepest.top - deepest.bottom) > tool.flute_length + 0.01:
        x, y = deepest.outline[0][:2]
        said = (
            f'"{name}" goes {deep:.4g} mm deep in "{deepest.name}" with flutes of {tool.flute_length:g} mm: on the'
            " lower levels the shank above them runs along the walls."
        )
        found.append(Finding("rule.shank", said, name, deepest.name, x, y, deepest.bottom))
    if tool.kind == "bull_nose_end_mill":
        found.append(
            Finding("rule.corner-radius", f'"{name}": the corner radius of {tool.corner_radius:g} mm stays standing at'
                    " the foot of the walls.", name)
        )  # fmt: skip
    return found


def depth_findings(operation: Operation, shares: Shares, deep: dict[str, tuple[float, ...]]) -> list[Finding]:
    """Whether an operation's areas would be cut sooner if they were shared out by depth: it has one bite for them all.

    `deep`: how deep the sections of its areas are, mm.
    """
    if len(shares.groups) < 2:
        return []
    depths, gain = [sum(own) for own in deep.values()], shares.together - shares.apart
    said = (
        f'"{operation.name}" cuts areas {min(depths):.3g} to {max(depths):.3g} mm deep with one bite; shared out by'
        f" depth over {len(shares.groups)} operations it would be done about {gain:.0f} s sooner."
    )
    return [Finding("rule.by-depth", said, operation.name)]


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
