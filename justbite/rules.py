"""Rules of the trade as findings: what a specialist would say on seeing the order and its path."""

import math

import numpy as np

from justbite.bite.solver import HSS_SPEED
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Material, Operation
from justbite.model.moves import CUT, LINE, Moves

HELD_SHARE = 0.1
"""Share of a path's cutting length in curves too tight for its feed from which it is worth telling."""


def order_findings(job: Job, operation: Operation, bite: Bite, machine: Machine, material: Material) -> list[Finding]:
    """What can be said before there is a path."""
    found = []
    name, tool = operation.name, job.tool(operation.tool)
    wall = operation.allowance.wall
    if 0 < wall <= operation.tolerance:
        found.append(
            Finding("rule.allowance", f'"{name}" leaves {wall:g} mm on walls, no more than its tolerance'
                    f" of {operation.tolerance:g} mm.", name)
        )  # fmt: skip
    wanted = material.cutting_speed * (HSS_SPEED if tool.substrate == "hss" else 1.0)
    needed = wanted * 1000.0 / (math.pi * tool.diameter)
    if operation.speed is None and needed > 1.02 * machine.max_rpm:
        could = f"the {tool.diameter:g} mm cutter could turn {needed:.0f} rpm"
        said = f'"{name}": {could}; the machine has {machine.max_rpm:.0f}.'
        found.append(Finding("rule.spindle", said, name))
    if tool.kind == "bull_nose_end_mill":
        found.append(
            Finding("rule.corner-radius", f'"{name}": the corner radius of {tool.corner_radius:g} mm stays standing at'
                    " the foot of the walls.", name)
        )  # fmt: skip
    return found


def curve_findings(operation: Operation, bite: Bite, machine: Machine, moves: Moves) -> list[Finding]:
    """Whether the machine holds the feed in the path's curves: v^2 / r against its acceleration."""
    cut = (moves.part == CUT) & (moves.kind != LINE)
    starts = np.vstack([moves.start[None, :], moves.end[:-1]])
    every = np.hypot(*(moves.end - starts)[:, :2].T)
    whole = float(every[moves.part == CUT].sum())
    if not cut.any() or whole <= 0:
        return []
    radius = np.hypot(*(moves.centre - moves.end[:, :2])[cut].T)
    holds = 60.0 * np.sqrt(machine.acceleration * radius)
    slow = holds < moves.feed[cut] * 0.98
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
