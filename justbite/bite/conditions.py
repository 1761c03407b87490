"""One set of conditions: speed and feed for a radial and an axial depth, and what they make of every ceiling."""

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from justbite.bite import engagement, load
from justbite.bite.case import Case
from justbite.model.bite import Bite, Ceiling

LEAST_CHIP = 0.004
"""mm: thinner chips rub on the edge radius of a coated carbide cutter (common practice)."""
MOST_AXIAL = 3.0
"""Deepest step-down in diameters (common practice: 2 to 3 D for constant engagement)."""
BEND_SHARE = 0.008
"""Permissible bending of a rougher, share of D, 0.1 mm at most (common practice)."""
MOST_STICKOUT = 8.0
"""Longest stick-out in diameters (common practice; bending tells more before that)."""
SLACK = 1e-6


def _speed(case: Case, phi: float) -> float:
    if case.speed is not None:
        return case.speed
    speed = case.wanted_speed * case.speed_share(phi) * 1000.0 / (math.pi * case.tool.diameter)
    return min(max(speed, case.machine.min_rpm), case.machine.max_rpm)


def conditions(case: Case, ae: float, ap: float, steps: int) -> Bite:
    """Speed and feed for one ae and ap, as fast as the ceilings allow."""
    return held(case, wanted(case, ae, ap, steps))


def wanted(case: Case, ae: float, ap: float, steps: int) -> Bite:
    """The conditions that give the wanted chip, whatever the loads; pins of speed and feed kept."""
    tool, machine = case.tool, case.machine
    phi = engagement.angle_of(ae, tool.diameter)
    ripple = load.peak_over_mean(tool, ap, phi)
    speed = _speed(case, phi)
    if case.feed is not None:
        return _bite(case, ae, ap, steps, phi, ripple, speed, case.feed)
    hold = 1.0 - case.reserve
    fz = engagement.feed_per_tooth(case.material.chip_share * tool.diameter, phi)
    borne = case.material.most_chip_share * tool.diameter * hold
    fz = min(fz, borne / max(engagement.most_chip(1.0, phi), 1e-9))
    feed = fz * tool.flutes * speed
    if feed > machine.max_feed:
        # The feed axis is the ceiling: turn slower rather than let the chip get thin.
        feed = machine.max_feed
        if case.speed is None:
            speed = max(machine.min_rpm, feed / (fz * tool.flutes))
    return _bite(case, ae, ap, steps, phi, ripple, speed, feed)


def held(case: Case, bite: Bite) -> Bite:
    """The bite with its feed brought back until no load is over its ceiling; a pinned feed stays."""
    if case.feed is not None or _loads_hold(bite):
        return bite
    # Power, torque and force follow feed^(1 - mc) (Kienzle), the chip follows the feed.
    worst = max(c.share for c in bite.ceilings if c.name in LOADS)
    thick = next(c.share for c in bite.ceilings if c.name == "chip, thickest")
    factor = min(worst ** (-1.0 / (1.0 - case.material.mc)), 1.0 / max(thick, 1.0))
    phi = math.radians(bite.angle)
    ripple = load.peak_over_mean(case.tool, bite.ap, phi)
    return _bite(case, bite.ae, bite.ap, bite.steps, phi, ripple, bite.speed, bite.feed * factor)


def at_depth(case: Case, bite: Bite, depth: float) -> Bite:
    """The bite on a level that is only `depth` mm deep: as wide, at the same speed, and its feed as quick as it may be.

    Where power, torque or bending hold the feed of the deepest level back, one that is less deep takes the whole chip.
    The bite itself where that is no quicker, or its feed is pinned.
    """
    if case.feed is not None or depth >= bite.ap * (1.0 - SLACK):
        return bite
    slow = replace(case, speed=bite.speed)
    shallow = held(slow, wanted(slow, bite.ae, depth, bite.steps))
    return shallow if shallow.feed > bite.feed else bite


LOADS = ("power", "torque", "cutter bending", "bending stress")
"""The ceilings that a lower feed relieves by Kienzle's law."""


def _loads_hold(bite: Bite) -> bool:
    return all(c.share <= 1.0 + SLACK for c in bite.ceilings if c.name in LOADS)


def _bite(case: Case, ae: float, ap: float, steps: int, phi: float, ripple: float, speed: float,
          feed: float) -> Bite:  # fmt: skip
    """All figures and ceilings of one set of conditions."""
    tool, machine, material = case.tool, case.machine, case.material
    fz = feed / (tool.flutes * speed)
    mean = engagement.mean_chip(fz, phi)
    thickest = engagement.most_chip(fz, phi)
    kc = load.specific_force(material, mean, tool.rake_angle)
    net = load.cutting_power(ae, ap, feed, kc)
    torque = net * 9549.3 / speed
    vc = math.pi * tool.diameter * speed / 1000.0
    force = net * 60000.0 / vc * ripple * math.hypot(1.0, load.RADIAL_SHARE)
    deflection, stress = load.bending(tool, ap, force)
    hold = 1.0 - case.reserve
    most_bend = min(0.1, BEND_SHARE * tool.diameter)
    rows = [
        ("spindle speed", speed, machine.max_rpm, "rpm", 1.0),
        ("spindle speed, least", machine.min_rpm, speed, "rpm", 1.0),
        ("cutting speed", vc, case.wanted_speed * case.speed_share(phi), "m/min", 1.0),
        ("feed rate", feed, machine.max_feed, "mm/min", 1.0),
        ("chip, thickest", thickest, material.most_chip_share * tool.diameter, "mm", hold),
        ("chip, least", LEAST_CHIP, max(thickest, 1e-9), "mm", 1.0),
        ("power", net / machine.efficiency, load.power_limit(machine, speed), "kW", hold),
        ("torque", torque, load.torque_limit(machine, speed), "Nm", hold),
        ("cutter bending", deflection, most_bend, "mm", hold),
        ("bending stress", stress, load.STRESS[tool.substrate], "N/mm2", hold),
        ("flute length", ap, tool.flute_length, "mm", 1.0),
        ("stick-out", tool.stickout, MOST_STICKOUT * tool.diameter, "mm", 1.0),
        ("step-down", ap, MOST_AXIAL * tool.diameter, "mm", 1.0),
        ("engagement", ae, case.most_bite, "mm", 1.0),
    ]  # fmt: skip
    ceilings = tuple(Ceiling(n, v, c, u, v / (c * h), v / (c * h) > 0.995) for n, v, c, u, h in rows)
    ceilings += curves(case, feed)
    return Bite(
        ae=ae, ap=ap, steps=steps, angle=math.degrees(phi), speed=speed, cutting_speed=vc,
        feed=feed, feed_per_tooth=fz, chip_mean=mean, chip_most=thickest,
        removal_rate=ae * ap * feed / 1000.0, power=net / machine.efficiency, torque=torque,
        deflection=deflection, entry_feed=_entry_feed(fz, phi, feed), pinned=case.pinned,
        axial_contact=ap * tool.flutes * math.tan(math.radians(tool.helix_angle)) / (math.pi * tool.diameter),
        ceilings=ceilings, ripple=0.0, best_removal_rate=0.0, basis=case.basis,
    )  # fmt: skip


def curves(case: Case, feed: float) -> tuple[Ceiling, ...]:
    """The feed that the machine holds in the curves of a known path.

    Told, not kept: the machine slows down by itself there, and holding the whole path back would cost more.
    """
    curve = case.path.held_feed(case.machine.acceleration) if case.path is not None else None
    if curve is None:
        return ()
    return (Ceiling("feed in curves", feed, curve, "mm/min", feed / curve, False, estimate=True),)


def _entry_feed(fz: float, phi: float, feed: float) -> float:
    """Feed of a full-width entry: no thicker chip than in the cut. Its load is held by how fast it goes down."""
    return feed * min(1.0, engagement.most_chip(fz, phi) / fz)


MOST_FASTER = 2.5
"""How much faster than in the bite the feed may become where less is taken, at most."""


def borne_chip(case: Case, bite: Bite) -> float:
    """mm of chip that a tooth bears: the ceiling's, or the bite's own where a pin goes over that."""
    return max(case.material.most_chip_share * case.tool.diameter * (1.0 - case.reserve), bite.chip_most)


def feed_law(case: Case, bite: Bite) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What the cutting feed is multiplied by where the path takes less, or a little more, than the bite.

    (n,) radial depths over the target, rising, and (n,) factors: the mean chip stays what it is in
    the bite, the thickest chip under what a tooth bears, the feed under the machine's. A thinner
    bite at one mean chip takes less force and power, so no load ceiling is passed.
    """
    tool = case.tool
    share = np.concatenate([np.linspace(0.04, 1.0, 49), [1.1, 1.3, 1.6, 2.0, 3.0]])
    phi = np.array([engagement.angle_of(min(s * bite.ae, tool.diameter), tool.diameter) for s in share])
    here = math.radians(bite.angle)
    chip = (phi / (1.0 - np.cos(phi))) * ((1.0 - math.cos(here)) / here)
    borne = borne_chip(case, bite)
    thick = np.where(phi < np.pi / 2, np.sin(phi), 1.0) * bite.feed_per_tooth
    factor = np.minimum.reduce([chip, borne / np.maximum(thick, 1e-9), np.full(len(share), MOST_FASTER)])
    return share, np.minimum(factor, max(1.0, case.machine.max_feed / bite.feed))
