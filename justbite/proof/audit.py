"""The audit of a written program: what the replay found, per operation, against the job.

The map of the stock and the walls are made from the job alone.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from justbite.model.job import Job, Operation
from justbite.model.moves import RAPID, Moves
from justbite.proof import measure
from justbite.proof.measure import Trace
from justbite.proof.running import ProofSettings, Ran, Stretch, Tick, run_operation
from justbite.proof.steps import Steps, chunks
from justbite.proof.stockmap import Stock

LEAST_CUT = 0.02
"""Radial depth over the target from which on something counts as cut."""
LEAST_DESCENT, HOVERING = 1.0, 1.05
"""mm above its level from which a descent is a way in, but more than so many times the hover height."""
STROKE = 1.5
"""How deep a stroke of a way in may go at the full width, over what makes it as heavy as the bite at the bite's feed.
It goes slower, and what it removes in a minute is measured in any case."""
SLOW, EQUAL, WHOLE_WIDTH = 0.5, 1.02, 0.9
"""Over the bite's: feeds by which alone ways in are told from cuts, and what they may remove in a minute then. Over the
diameter: width of a stroke that may be as much quicker as a tooth bears there."""
FINE = 1e-4
"""Of the target: how exactly the depth is told under which a share of the cutting length lies."""

Place = tuple[float, float, float]
Worst = tuple[float, Place]
"""The most of something, and where."""
NOWHERE: Worst = 0.0, (0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class Audit:
    """Measured figures of one operation."""

    removed: float
    cut_length: float
    """mm on which each step itself takes over LEAST_CUT of the target, ways in left out."""
    most_depth: float
    depth_999: float
    depth_99: float
    most_at: Place
    within: float
    """Share of the cutting length between 0.8 and 1.1 of the target."""
    chip: float
    """mm: the thickest chip of cuts and links, ways in left out."""
    chip_at: Place
    bearable: NDArray[np.float64]
    """(blocks,) mm/min: the feed at which no chip of a block is thicker than a tooth bears; infinite where none is."""
    entry_rate: float
    """mm3/min: the most that a way in removes."""
    entry_at: Place
    gouge: float
    gouge_at: Place
    rapid: float
    rapid_at: Place
    drop: float
    """mm: the deepest that a rapid comes down beside stock nearer than the approach gap."""
    drop_at: Place
    left_over: float
    untouched: float
    """What of `left_over` stands where the cutter never came in."""
    """Share of what the cutter can reach that still stands."""
    trace: Trace


@dataclass(frozen=True, slots=True)
class _Terms:
    """What an operation is measured with; mm, mm/min."""

    operation: Operation
    target: float
    ap: float
    radius: float
    window: float
    feed: float | None
    teeth_a_minute: float
    borne: float
    drawn: float


@dataclass(frozen=True, slots=True)
class _Told:
    """What is measured of one stretch."""

    cut_length: float
    within: float
    most: Worst
    chip: Worst
    rate: Worst
    bearable: NDArray[np.float64]
    trace: Trace


def audit_operation(stock: Stock, job: Job, operation: Operation, moves: Moves, target: float,
                    ap: float, settings: ProofSettings, feed: float | None = None,
                    teeth_a_minute: float = np.inf, tick: Tick = lambda share: None,
                    borne: float = np.inf, kept: bool = True) -> Audit:  # fmt: skip
    """Run the moves of one operation over `stock` and measure: `run_operation` and `measured` in one."""
    ran = run_operation(stock, job, operation, moves, ap, settings, tick, kept, feed)
    return measured(ran, job, operation, moves, target, ap, settings, feed, teeth_a_minute, borne)


def measured(ran: Ran, job: Job, operation: Operation, moves: Moves, target: float, ap: float,
             settings: ProofSettings, feed: float | None = None, teeth_a_minute: float = np.inf,
             borne: float = np.inf) -> Audit:  # fmt: skip
    """What a run over the stock tells with the moves' feeds. `target` and `ap` in mm.

    With the `feed` of the bite, mm/min, the trace of ways in tells their load instead of their depth. Chips are told
    for so many teeth a minute, of which each bears `borne` mm.
    """
    radius = job.tool(operation.tool).diameter / 2
    window = settings.window * radius
    terms = _Terms(operation, target, ap, radius, window, feed, teeth_a_minute, borne, settings.drawn)
    depths = _Depths(FINE * target)
    told = [_of_stretch(ran, stretch, moves.only(stretch.rows), terms, depths) for stretch in ran.stretches]
    most, most_at = max((one.most for one in told), key=_first)
    chip, chip_at = max((one.chip for one in told), key=_first)
    rate, rate_at = max((one.rate for one in told), key=_first)
    rapid, rapid_at = _worst(ran.rapids, moves.end)
    drop, drop_at = _worst(ran.drops, moves.end)
    length = sum(one.cut_length for one in told)
    return Audit(
        removed=ran.removed,
        cut_length=length,
        most_depth=most,
        depth_999=min(most, depths.under(0.999)),
        depth_99=min(most, depths.under(0.99)),
        most_at=most_at,
        within=sum(one.within for one in told) / max(length, 1e-9),
        chip=chip,
        chip_at=chip_at,
        bearable=np.concatenate([one.bearable for one in told]),
        entry_rate=rate,
        entry_at=rate_at,
        gouge=ran.gouge,
        gouge_at=ran.gouge_at,
        rapid=rapid,
        rapid_at=rapid_at,
        drop=drop,
        drop_at=drop_at,
        left_over=ran.left_over,
        untouched=ran.untouched,
        trace=measure.joined([one.trace for one in told], [stretch.rows.start for stretch in ran.stretches]),
    )


def _of_stretch(ran: Ran, stretch: Stretch, moves: Moves, terms: _Terms, depths: "_Depths") -> _Told:
    """What the steps of one stretch tell, with its own moves; the depths of its cuts are added to `depths`."""
    target, ap, feed, window, radius = terms.target, terms.ap, terms.feed, terms.window, terms.radius
    steps = ran.steps(stretch, moves)
    axial = ran.axial[stretch.rows][steps.block]
    taken = measure.radial_ways(steps, axial, ap)
    light = _light(steps, moves, target * ap, 2.0 * radius, feed, terms.borne * terms.teeth_a_minute)
    # Links come down from their hover height; that is no way in.
    least_descent = max(LEAST_DESCENT, HOVERING * terms.operation.hover)
    trace, way_in = measure.trace_of(steps, taken, light, moves, axial, window, radius, least_descent, feed or 0.0)
    # There are a million steps: what is not asked for again goes.
    del light, axial
    ways_in = np.nonzero(way_in)[0]
    # What is cut beside a way in, before or after, is not its load; where nothing is, is its time.
    air = (taken <= LEAST_CUT * target * steps.length()) & (moves.kind[steps.block] != RAPID)
    rates = measure.removal_rates(steps, moves, way_in | air, ways_in, window)
    del air
    if feed is not None:
        # Ways in go at feeds of their own, as deep as suits them: drawn is what they remove.
        near = np.nonzero(trace.entry)[0]
        all_of = measure.removal_rates(steps, moves, np.ones(len(steps), dtype=bool), near, window)
        trace.depth[near] = all_of / (ap * feed)
    cutting = (trace.depth > LEAST_CUT * target) & ~trace.entry
    most = _worst(np.where(cutting, trace.depth, 0.0), trace.position)
    # The window reaches from a cut into the links beside it: what takes nothing itself is no cutting length.
    cutting &= taken > LEAST_CUT * target * steps.length()
    depth, length = trace.depth[cutting], trace.length[cutting]
    depths.add(depth, length)
    cut_length, within = float(length.sum()), float(length[(depth >= 0.8 * target) & (depth <= 1.1 * target)].sum())
    del steps, cutting, depth, length, way_in
    chip, chip_at, bearable = measure.chips(trace, moves, taken, window, radius, terms.teeth_a_minute, terms.borne)
    return _Told(
        cut_length=cut_length,
        within=within,
        most=most,
        chip=(chip, _place(trace.position[chip_at])) if len(trace.block) else NOWHERE,
        rate=_worst(rates, trace.position[ways_in]),
        bearable=bearable,
        trace=measure.thinned(trace, terms.drawn),
    )


def _light(steps: Steps, moves: Moves, bite: float, diameter: float, feed: float | None, bearable: float
           ) -> NDArray[np.bool_]:  # fmt: skip
    """(n,) steps that are no heavier than the bite, of `bite` mm2, even at full width.

    `bearable`: mm/min at which a tooth still bears the full width.
    """
    light = np.empty(len(steps), dtype=bool)
    gone, since_whole = 0.0, -np.inf
    for rows in chunks(len(steps)):
        volume, lowered = steps.volume[rows], steps.lowered[rows]
        # At full width such a depth is about as heavy as the bite.
        light[rows] = (volume > 0.0) & (volume <= STROKE * bite / diameter * lowered)
        if feed is not None:
            # And so is what goes in at a feed so low that it removes no more than the bite in a minute.
            pace, length = moves.feed[steps.block[rows]], steps.length(rows)
            whole = lowered >= WHOLE_WIDTH * diameter * length
            # Where the stock ends a stroke narrows, over about a diameter.
            along = gone + np.cumsum(length)
            last = np.maximum.accumulate(np.where(whole, along, since_whole))
            stroke = (along - last <= diameter) & (pace <= bearable)
            stroke |= pace <= SLOW * feed
            light[rows] |= stroke & (volume * pace <= EQUAL * bite * feed * length)
            gone, since_whole = float(along[-1]), float(last[-1])
    return light


def _first(worst: Worst) -> float:
    return worst[0]


def _worst(values: NDArray[np.floating], places: NDArray[np.floating]) -> Worst:
    """The most of all `values` (n,), and its place of (n, 3)."""
    if not len(values):
        return NOWHERE
    k = int(np.argmax(values))
    return float(values[k]), _place(places[k])


def _place(at: NDArray[np.floating]) -> Place:
    x, y, z = (float(v) for v in at)
    return x, y, z


class _Depths:
    """Cutting length by radial depth: of a long program each step's own would be as many numbers again."""

    def __init__(self, width: float) -> None:
        """`width`: mm of depth that are told as one."""
        self._width = width
        self._lengths: NDArray[np.float64] = np.zeros(0)

    def add(self, depth: NDArray[np.float32], length: NDArray[np.float32]) -> None:
        """Add steps of such depths and lengths, mm."""
        if not len(depth):
            return
        at = (depth / self._width).astype(np.int64)
        more: NDArray[np.float64] = np.bincount(at, weights=length, minlength=len(self._lengths)).astype(np.float64)
        more[: len(self._lengths)] += self._lengths
        self._lengths = more

    def under(self, share: float) -> float:
        """The depth under which `share` of the length lies."""
        if not self._lengths.any():
            return 0.0
        below = np.cumsum(self._lengths)
        return self._width * (1 + int(np.searchsorted(below, share * below[-1])))


def renumbered(moves: Moves, operation: int) -> tuple[Moves, NDArray[np.int64]]:
    """The moves of one operation, starting where the one before ended, and their rows."""
    rows = np.nonzero(moves.operation == operation)[0]
    # Mostly there is but one: its moves need not be there twice.
    return moves if len(rows) == len(moves) else moves.only(rows), rows
