"""What the cutter's full width may take: on a ramp, before there is room for the bite."""

import math
from dataclasses import replace

from justbite.bite import chatter, engagement, load
from justbite.bite.case import SLOT_DEPTHS, Case
from justbite.bite.solver import chatter_cut, modes_of
from justbite.model.bite import Bite

USUAL = 2.0 * math.pi * 0.45
"""Path of a usual helix, over D: what one turn of it goes down is borne in any case."""
HALVINGS = 24


def slot_depth(case: Case, bite: Bite) -> float:
    """mm that a stroke at full width may be deep, at the feed of the bite's entries.

    No more than is usual in the material; where the tool point is measured, no more than is stable. But never less
    than a turn of a helix.
    """
    share = case.material.slot_share or SLOT_DEPTHS[case.material.group]
    deepest = min(share * case.tool.diameter, bite.ap)
    if case.tool.dynamics is not None:
        wide = replace(bite, angle=180.0, chip_mean=_chip(case, bite))
        stable = chatter.deepest(chatter_cut(case, wide), modes_of(case.tool), bite.speed, deepest)
        deepest = min(deepest, stable * (1.0 - case.reserve))
    return max(deepest, USUAL * case.tool.diameter * math.tan(math.radians(case.material.ramp_angle)))


def slot_removal(case: Case, bite: Bite) -> float:
    """mm3/min that the full width may take: no more stress by bending than its ceiling or the bite's, the force being
    at the tip."""
    low, high = 0.0, bite.ap
    if stress(case, bite, high) > 1.0:
        for _ in range(HALVINGS):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if stress(case, bite, middle) <= 1.0 else (low, middle)
        high = low
    return case.tool.diameter * high * bite.entry_feed


def stress(case: Case, bite: Bite, depth: float) -> float:
    """Stress by bending in a slot of this depth, over what is allowed."""
    tool = case.tool
    kc = load.specific_force(case.material, _chip(case, bite), tool.rake_angle)
    net = load.cutting_power(tool.diameter, depth, bite.entry_feed, kc)
    ripple = load.peak_over_mean(tool, depth, math.pi)
    force = net * 60000.0 / bite.cutting_speed * ripple * math.hypot(1.0, load.RADIAL_SHARE)
    row = next(c for c in bite.ceilings if c.name == "bending stress")
    return load.bending(tool, depth, force)[1] / max(row.value, row.ceiling * (1.0 - case.reserve))


def _chip(case: Case, bite: Bite) -> float:
    """Mean chip thickness at full width, mm."""
    return engagement.mean_chip(bite.entry_feed / (case.tool.flutes * bite.speed), math.pi)
