"""Choosing the bite: the best removal rate inside every ceiling, pins respected.

For each radial depth and number of equal step-downs the feed is raised to the wanted chip
and brought back until no load ceiling is broken; the pair with the best removal rate wins.
What a pin breaks stays broken and is said: `Ceiling.share` above 1.
"""

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from justbite.bite import chatter, load, turn
from justbite.bite.case import Case, levels_of
from justbite.bite.conditions import MOST_AXIAL, SLACK, conditions, curves
from justbite.bite.known import KnownPath, lengthened
from justbite.model.bite import Bite, Ceiling
from justbite.model.job import Dynamics, Tool

LEAST_BITE = 0.05
MOST_STEPS = 10
"""Step-downs that are tried, the deepest; six of a single depth."""
COARSE, FINER = 28, 3
"""Radial depths tried first, and how often the best of them is tried finer."""
ABOUT = 16
"""Radial depths tried where the bite need only be known about."""
SLOWER = (1.0, 0.96, 0.92, 0.88, 0.84, 0.8, 0.75, 0.7, 0.6)
"""Shares of the speed that are tried where a cut would chatter."""
MOST_CHATTER = 60
"""Bites that are tried for chatter, best first."""
MOST_RIPPLE = 12.0
"""(most - least) over mean torque above which a cut only hammers (common practice, no source)."""
EACH_LEVEL = 0.04
"""Power of the number of levels that counts against a bite: twice as many must promise 3 % more. Told from a path with
half as many (eight pairs of one area on two machines), paths took up to a fifth longer than told."""
CHATTER_ROWS = ("torque ripple", "chatter")
"""The ceilings that come last, told of the chosen bite alone."""


def solve(case: Case, best_rate: float | None = None) -> Bite:
    """The bite for a case; see the module's first lines. `best_rate`: the best removal rate without any pin or path,
    cm3/min, where it is known from solving the case before."""
    bite = best(case)
    if best_rate is None:
        free = replace(case, ae=None, ap=None, speed=None, feed=None, path=None, areas=case.depths)
        best_rate = (best(free) if case.pinned or case.path else bite).removal_rate
    # A pin may break a ceiling and so beat the best that the ceilings allow.
    most = max(best_rate, bite.removal_rate if _sound(bite) else 0.0)
    return replace(with_chatter(case, bite), best_removal_rate=most)


def about(case: Case) -> Bite:
    """About what `solve` finds, for weighing many cases against each other: of a coarse grid alone.

    Chatter is not among its ceilings.
    """
    depths = np.linspace(*_range(case), ABOUT)
    return _best_of(case, _trials(case, depths, _steps(case)), {})


def told(case: Case, bite: Bite, path: KnownPath) -> Bite:
    """The bite that `solve` found for a case, now that its path is known: the same, and what its curves allow.

    As solved anew with a path by which nothing is to be chosen.
    """
    rows = bite.ceilings
    chatter_rows = len(CHATTER_ROWS)
    slow = curves(replace(case, path=path), bite.feed)
    return replace(bite, ceilings=(*rows[:-chatter_rows], *slow, *rows[-chatter_rows:]))


def value_of(case: Case, bite: Bite) -> float:
    """What the solver makes as large as it can: removal rate, or with a known path one over the minutes.

    Where levels cannot all be as deep as the deepest, the rate is so much less, and so it is for what passes lose that
    are wide. Of bites that promise about the same minutes, as those do that power allows, the one with fewer levels
    counts more.
    """
    if case.path is None or not case.path.choose:
        return bite.removal_rate * case.fill(bite.ap) / lengthened(bite.ae / case.tool.diameter)
    levels = case.levels(bite.ap)
    return 1.0 / (case.path.seconds(bite, case.machine.acceleration, levels) * levels**EACH_LEVEL)


Bars = dict[str, float]
"""Ceiling -> least share that any trial can have, where that is above 1: what a pin breaks is not held
against a trial."""


def _sound(bite: Bite, bars: Bars | None = None) -> bool:
    return _wrong(bite, bars) <= 1.0 + SLACK


def _wrong(bite: Bite, bars: Bars | None = None) -> float:
    """The largest share of any ceiling, of what cannot be helped in those that are broken anyway."""
    return max(c.share / (bars or {}).get(c.name, 1.0) for c in bite.ceilings if not c.estimate)


def best(case: Case) -> Bite:
    """What `solve` finds, without chatter among its ceilings and the best removal rate beside it.

    The best of a grid, then of finer ones about it: the answer follows small changes of the question.
    """
    first, last = _range(case)
    steps = _steps(case)
    trials = _trials(case, np.linspace(first, last, COARSE), steps)
    bars: Bars = {}
    if case.pinned:
        for row in trials[0].ceilings:
            least = min(c.share for b in trials for c in b.ceilings if c.name == row.name)
            if least > 1.0:
                bars[row.name] = least
    found = _best_of(case, trials, bars)
    if case.ae is not None:
        return found
    step = (last - first) / (COARSE - 1)
    for _ in range(FINER):
        low, high = max(first, found.ae - step), min(last, found.ae + step)
        finer = _best_of(case, _trials(case, np.linspace(low, high, 9), steps), bars)
        found = _better(case, found, finer, bars)
        step /= 4.0
    return found


def _range(case: Case) -> tuple[float, float]:
    """The radial depths that are tried, mm."""
    least = LEAST_BITE * case.tool.diameter
    return least, max(least, min(case.most_bite, case.stands))


def _better(case: Case, one: Bite, other: Bite, bars: Bars) -> Bite:
    if _sound(one, bars) != _sound(other, bars):
        return one if _sound(one, bars) else other
    if not _sound(one, bars):
        return min(one, other, key=lambda b: (_wrong(b, bars), -b.removal_rate))
    return max(one, other, key=lambda b: value_of(case, b))


def _steps(case: Case) -> list[tuple[float, int]]:
    """The step-downs that are tried, mm, and how many levels each makes."""
    tool = case.tool
    if case.ap is not None:
        steps = [case.step(case.ap)]
    else:
        deepest = min(tool.flute_length, MOST_AXIAL * tool.diameter)
        some = {case.step(min(deepest, d / n)) for _, deep in case.depths for d in deep for n in _counts(d, deepest)}
        steps = sorted(some, reverse=True)[:MOST_STEPS]
    return [(ap, case.steps(ap)) for ap in steps]


def _trials(case: Case, depths: NDArray[np.float64], steps: list[tuple[float, int]]) -> list[Bite]:
    radial = [case.ae] if case.ae is not None else [float(d) for d in depths]
    return [conditions(case, ae, ap, levels) for ae in radial for ap, levels in steps]


def _counts(depth: float, deepest: float) -> range:
    first = levels_of(depth, deepest)
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
            bite = replace(conditions(slow, bite.ae, bite.ap, bite.steps), pinned=case.pinned)
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
