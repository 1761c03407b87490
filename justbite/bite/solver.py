"""Choosing the bite: the best removal rate inside every ceiling, pins respected.

For each radial depth and number of equal step-downs the feed is raised to the wanted chip
and brought back until no load ceiling is broken; the pair with the best removal rate wins.
What a pin breaks stays broken and is said: `Ceiling.share` above 1.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from justbite.bite import chatter, engagement, load, turn
from justbite.bite.known import KnownPath
from justbite.bite.preferred import preferred
from justbite.model.bite import Bite, Ceiling
from justbite.model.job import Dynamics, Machine, Material, Operation, Tool

LEAST_CHIP = 0.004
"""mm: thinner chips rub on the edge radius of a coated carbide cutter (common practice)."""
MOST_AXIAL = 3.0
"""Deepest step-down in diameters (common practice: 2 to 3 D for constant engagement)."""
LEAST_BITE = 0.05
HSS_SPEED = 0.3
"""Cutting speed of high-speed steel as a share of carbide's (common practice)."""
BEND_SHARE = 0.008
"""Permissible bending of a rougher, share of D, 0.1 mm at most (common practice)."""
MOST_STICKOUT = 8.0
"""Longest stick-out in diameters (common practice; bending tells more before that)."""
MOST_STEPS = 10
"""Step-downs that are tried, the deepest; six of a single depth."""
COARSE, FINER = 28, 3
"""Radial depths tried first, and how often the best of them is tried finer."""
SLOWER = (1.0, 0.96, 0.92, 0.88, 0.84, 0.8, 0.75, 0.7, 0.6)
"""Shares of the speed that are tried where a cut would chatter."""
MOST_CHATTER = 60
"""Bites that are tried for chatter, best first."""
MOST_RIPPLE = 12.0
"""(most - least) over mean torque above which a cut only hammers (common practice, no source)."""
CHATTER_ROWS = ("torque ripple", "chatter")
"""The ceilings that come last, told of the chosen bite alone."""
SLACK = 1e-6


Sections = tuple[float, tuple[float, ...]]
"""How large an area is, and how deep its sections are, that levels do not reach across."""


@dataclass(frozen=True, slots=True)
class Case:
    """What the solver works on: who cuts what with what, how deep, with which pins."""

    tool: Tool
    material: Material
    machine: Machine
    depth: float
    """Depth to clear in all, mm."""
    ae: float | None = None
    ap: float | None = None
    speed: float | None = None
    feed: float | None = None
    reserve: float = 0.0
    path: KnownPath | None = None
    """What an earlier path of this operation was like; with it the fewest minutes are chosen."""
    basis: str = "catalogue"
    """Whose cutting speed and chip these are: the catalogue's, or what was entered for this cutter."""
    full_speed: bool = False
    """Whether the cutting speed is meant for this very cutter, whatever it is made of."""
    areas: tuple[Sections, ...] = ()
    """What the levels are shared out over; empty: one area, `depth` deep from top to bottom."""

    @property
    def wanted_speed(self) -> float:
        """Cutting speed, m/min."""
        own = self.full_speed or self.tool.substrate != "hss"
        return self.material.cutting_speed * (1.0 if own else HSS_SPEED)

    @property
    def depths(self) -> tuple[Sections, ...]:
        """The areas, one at least."""
        return self.areas or ((1.0, (self.depth,)),)

    def step(self, most: float) -> float:
        """mm of the deepest level where none is deeper than `most`, all of a section being equal."""
        return max(d / _levels(d, most) for _, deep in self.depths for d in deep)

    def steps(self, most: float) -> int:
        """How many levels the area with most of them has."""
        return max(sum(_levels(d, most) for d in deep) for _, deep in self.depths)

    def levels(self, step: float) -> float:
        """How many levels no deeper than `step` there are, on average over the areas' size."""
        whole = sum(size * sum(_levels(d, step) for d in deep) for size, deep in self.depths)
        return whole / sum(size for size, _ in self.depths)

    def fill(self, step: float) -> float:
        """How deep levels are on average over all areas, over the deepest, `step`."""
        whole = sum(size * sum(deep) for size, deep in self.depths)
        return whole / sum(size for size, _ in self.depths) / (step * self.levels(step))

    @property
    def pinned(self) -> tuple[str, ...]:
        return tuple(k for k in ("ae", "ap", "speed", "feed") if getattr(self, k) is not None)


def _levels(depth: float, most: float) -> int:
    return max(1, math.ceil(depth / most - 1e-9))


def case_of(operation: Operation, tool: Tool, material: Material, machine: Machine, depth: float,
            material_id: str = "") -> Case:  # fmt: skip
    """The case of an operation whose deepest area is `depth` deep."""
    wish = operation.bite
    values, basis = preferred(tool, material, material_id)
    return Case(
        tool=tool,
        material=values,
        basis=basis,
        full_speed=values is not material,
        machine=machine,
        depth=depth,
        ae=engagement.wished_depth(wish, tool.diameter) if wish else None,
        ap=operation.step_down,
        speed=operation.speed,
        feed=operation.feed,
        reserve=operation.reserve,
    )


def solve(case: Case) -> Bite:
    """The bite for a case; see the module's first lines."""
    bite = _best(case)
    free = replace(case, ae=None, ap=None, speed=None, feed=None, path=None)
    best = _best(free) if case.pinned or case.path else bite
    # A pin may break a ceiling and so beat the best that the ceilings allow.
    most = max(best.removal_rate, bite.removal_rate if _sound(bite) else 0.0)
    return replace(with_chatter(case, bite), best_removal_rate=most)


def told(case: Case, bite: Bite, path: KnownPath) -> Bite:
    """The bite that `solve` found for a case, now that its path is known: the same, and what its curves allow.

    As solved anew with a path by which nothing is to be chosen.
    """
    rows = bite.ceilings
    chatter_rows = len(CHATTER_ROWS)
    curves = _curves(replace(case, path=path), bite.feed)
    return replace(bite, ceilings=(*rows[:-chatter_rows], *curves, *rows[-chatter_rows:]))


def value_of(case: Case, bite: Bite) -> float:
    """What the solver makes as large as it can: removal rate, or with a known path one over the minutes.

    Where levels cannot all be as deep as the deepest, the rate is so much less.
    """
    if case.path is None or not case.path.choose:
        return bite.removal_rate * case.fill(bite.ap)
    return 1.0 / case.path.seconds(bite, case.machine.acceleration, case.levels(bite.ap))


Bars = dict[str, float]
"""Ceiling -> least share that any trial can have, where that is above 1: what a pin breaks is not held
against a trial."""


def _sound(bite: Bite, bars: Bars | None = None) -> bool:
    return _wrong(bite, bars) <= 1.0 + SLACK


def _wrong(bite: Bite, bars: Bars | None = None) -> float:
    """The largest share of any ceiling, of what cannot be helped in those that are broken anyway."""
    return max(c.share / (bars or {}).get(c.name, 1.0) for c in bite.ceilings if not c.estimate)


def _best(case: Case) -> Bite:
    """The best of a grid, then of finer ones about it: the answer follows small changes of the question."""
    first, last = LEAST_BITE * case.tool.diameter, case.material.most_bite_share * case.tool.diameter
    trials = _trials(case, np.linspace(first, last, COARSE))
    bars: Bars = {}
    if case.pinned:
        for row in trials[0].ceilings:
            least = min(c.share for b in trials for c in b.ceilings if c.name == row.name)
            if least > 1.0:
                bars[row.name] = least
    best = _best_of(case, trials, bars)
    if case.ae is not None:
        return best
    step = (last - first) / (COARSE - 1)
    for _ in range(FINER):
        low, high = max(first, best.ae - step), min(last, best.ae + step)
        best = _better(case, best, _best_of(case, _trials(case, np.linspace(low, high, 9)), bars), bars)
        step /= 4.0
    return best


def _better(case: Case, one: Bite, other: Bite, bars: Bars) -> Bite:
    if _sound(one, bars) != _sound(other, bars):
        return one if _sound(one, bars) else other
    if not _sound(one, bars):
        return min(one, other, key=lambda b: (_wrong(b, bars), -b.removal_rate))
    return max(one, other, key=lambda b: value_of(case, b))


def _trials(case: Case, depths: NDArray[np.float64]) -> list[Bite]:
    tool = case.tool
    radial = [case.ae] if case.ae is not None else [float(d) for d in depths]
    if case.ap is not None:
        steps = [case.step(case.ap)]
    else:
        deepest = min(tool.flute_length, MOST_AXIAL * tool.diameter)
        some = {case.step(min(deepest, d / n)) for _, deep in case.depths for d in deep for n in _counts(d, deepest)}
        steps = sorted(some, reverse=True)[:MOST_STEPS]
    return [_conditions(case, ae, ap, case.steps(ap)) for ae in radial for ap in steps]


def _counts(depth: float, deepest: float) -> range:
    first = _levels(depth, deepest)
    return range(first, first + 6)


def _best_of(case: Case, trials: list[Bite], bars: Bars) -> Bite:
    sound = sorted((b for b in trials if _sound(b, bars)), key=lambda b: -value_of(case, b))
    if sound and case.tool.dynamics is not None:
        return _stable(case, sound, bars)
    return sound[0] if sound else min(trials, key=lambda b: (_wrong(b, bars), -b.removal_rate))


def _stable(case: Case, sound: list[Bite], bars: Bars) -> Bite:
    """The first that does not chatter, best first, at its own speed or a slower one."""
    slower = (1.0,) if case.speed is not None else SLOWER
    tries = sorted(
        ((value_of(case, b) * s, s, k) for k, b in enumerate(sound[:MOST_CHATTER]) for s in slower), reverse=True
    )
    for _, share, k in tries:
        bite = sound[k]
        if share < 1.0:
            slow = replace(case, speed=bite.speed * share)
            bite = replace(_conditions(slow, bite.ae, bite.ap, bite.steps), pinned=case.pinned)
            if not _sound(bite, bars):
                continue
        if chatter_growth(case, bite, bite.ap / (1.0 - case.reserve)) <= 1.0:
            return bite
    return sound[-1]


def chatter_cut(case: Case, bite: Bite) -> chatter.Cut:
    """The cut as chatter sees it."""
    kc = load.specific_force(case.material, bite.chip_mean, case.tool.rake_angle)
    return chatter.climb(case.tool.flutes, kc, load.RADIAL_SHARE, math.radians(bite.angle))


def modes_of(tool: Tool) -> tuple[Dynamics, Dynamics]:
    """Measured tool-point dynamics, else the estimate."""
    if tool.dynamics is not None:
        return tool.dynamics
    yielding, _ = load.bending(tool, 0.0, 1.0)
    mode = chatter.estimated(tool, 1000.0 / yielding)
    return mode, mode


def chatter_growth(case: Case, bite: Bite, depth: float) -> float:
    return chatter.growth(chatter_cut(case, bite), modes_of(case.tool), bite.speed, depth)


def with_chatter(case: Case, bite: Bite) -> Bite:
    """The bite with chatter among its ceilings: the deepest stable step at its speed."""
    most = max(3.0 * bite.ap, 1.0)
    deepest = chatter.deepest(chatter_cut(case, bite), modes_of(case.tool), bite.speed, most)
    hold = 1.0 - case.reserve
    share = bite.ap / max(deepest * hold, 1e-9)
    estimate = case.tool.dynamics is None
    row = Ceiling(CHATTER_ROWS[1], bite.ap, deepest, "mm", share, share > 0.9 and not estimate, estimate)
    ripple = turn_of(case, bite).ripple
    rough = Ceiling(CHATTER_ROWS[0], ripple, MOST_RIPPLE, "", ripple / MOST_RIPPLE, ripple > MOST_RIPPLE)
    return replace(bite, ripple=ripple, ceilings=(*bite.ceilings, rough, row))


def turn_of(case: Case, bite: Bite) -> turn.Turn:
    """Torque and bending force over one turn of a bite."""
    angle = math.radians(bite.angle)
    return turn.over_a_turn(case.tool, case.material, bite.ap, angle, bite.feed_per_tooth, load.RADIAL_SHARE)


def _speed(case: Case) -> float:
    if case.speed is not None:
        return case.speed
    speed = case.wanted_speed * 1000.0 / (math.pi * case.tool.diameter)
    return min(max(speed, case.machine.min_rpm), case.machine.max_rpm)


def _conditions(case: Case, ae: float, ap: float, steps: int) -> Bite:
    """Speed and feed for one ae and ap, as fast as the ceilings allow."""
    return held(case, wanted(case, ae, ap, steps))


def wanted(case: Case, ae: float, ap: float, steps: int) -> Bite:
    """The conditions that give the wanted chip, whatever the loads; pins of speed and feed kept."""
    tool, machine = case.tool, case.machine
    phi = engagement.angle_of(ae, tool.diameter)
    ripple = load.peak_over_mean(tool, ap, phi)
    speed = _speed(case)
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
        ("cutting speed", vc, case.wanted_speed, "m/min", 1.0),
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
        ("engagement", ae, material.most_bite_share * tool.diameter, "mm", 1.0),
    ]  # fmt: skip
    ceilings = tuple(Ceiling(n, v, c, u, v / (c * h), v / (c * h) > 0.995) for n, v, c, u, h in rows)
    ceilings += _curves(case, feed)
    return Bite(
        ae=ae, ap=ap, steps=steps, angle=math.degrees(phi), speed=speed, cutting_speed=vc,
        feed=feed, feed_per_tooth=fz, chip_mean=mean, chip_most=thickest,
        removal_rate=ae * ap * feed / 1000.0, power=net / machine.efficiency, torque=torque,
        deflection=deflection, entry_feed=_entry_feed(fz, phi, feed), pinned=case.pinned,
        axial_contact=ap * tool.flutes * math.tan(math.radians(tool.helix_angle)) / (math.pi * tool.diameter),
        ceilings=ceilings, ripple=0.0, best_removal_rate=0.0, basis=case.basis,
    )  # fmt: skip


def _curves(case: Case, feed: float) -> tuple[Ceiling, ...]:
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
