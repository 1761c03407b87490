"""The audit of a written program: what the replay found, per operation, against the job.

The map of the stock and the walls are made from the job alone.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from justbite.model.before import cut_top, floors_before
from justbite.model.job import Job, Operation, Region
from justbite.model.moves import RAPID, Moves
from justbite.model.shapes import job_space, region_shape, uncut_shape
from justbite.proof import measure
from justbite.proof.gouge import AIR, deepest
from justbite.proof.lanes import run_over
from justbite.proof.measure import Trace
from justbite.proof.steps import Run, Steps, chunks
from justbite.proof.stockmap import Stock, Tile, borders_on_map

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
DOWN = 2
"""How many times as long the steps of ways in are where they come down."""
OWN_LEVEL = 1.05
"""How much more what is cut counts for an area whose level it may be: more than the areas that lie in it differ by."""

Tick = Callable[[float], None]


@dataclass(frozen=True, slots=True)
class ProofSettings:
    """Cell, step and window as shares of R, gouge in mm, chord in mm."""

    cell: float
    step: float
    window: float
    gouge: float
    chord: float


@dataclass(frozen=True, slots=True)
class Ran:
    """What one operation's moves took from the stock, at whatever feeds."""

    found: Run
    left_over: float
    """Share of what the cutter can reach that still stands."""
    gouge: float
    """mm: the deepest cut into what must stay."""
    gouge_at: tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Audit:
    """Measured figures of one operation."""

    removed: float
    cut_length: float
    """mm on which each step itself takes over LEAST_CUT of the target, ways in left out."""
    most_depth: float
    depth_999: float
    depth_99: float
    most_at: tuple[float, float, float]
    within: float
    """Share of the cutting length between 0.8 and 1.1 of the target."""
    chip: float
    """mm: the thickest chip of cuts and links, ways in left out."""
    chip_at: tuple[float, float, float]
    bearable: NDArray[np.float64]
    """(blocks,) mm/min: the feed at which no chip of a block is thicker than a tooth bears; infinite where none is."""
    entry_rate: float
    """mm3/min: the most that a way in removes."""
    entry_at: tuple[float, float, float]
    gouge: float
    gouge_at: tuple[float, float, float]
    rapid: float
    rapid_at: tuple[float, float, float]
    drop: float
    """mm: the deepest that a rapid comes down beside stock nearer than the approach gap."""
    drop_at: tuple[float, float, float]
    left_over: float
    """Share of what the cutter can reach that still stands."""
    trace: Trace


def audit_operation(stock: Stock, job: Job, operation: Operation, moves: Moves, target: float,
                    ap: float, settings: ProofSettings, feed: float | None = None,
                    teeth_a_minute: float = np.inf, tick: Tick = lambda share: None,
                    borne: float = np.inf, kept: bool = True) -> Audit:  # fmt: skip
    """Run the moves of one operation over `stock` and measure: `run_operation` and `measured` in one."""
    ran = run_operation(stock, job, operation, moves, settings, tick, kept, feed)
    return measured(ran, job, operation, moves, target, ap, settings, feed, teeth_a_minute, borne)


def run_operation(stock: Stock, job: Job, operation: Operation, moves: Moves, settings: ProofSettings,
                  tick: Tick = lambda share: None, kept: bool = True, feed: float | None = None) -> Ran:  # fmt: skip
    """Run the moves of one operation over `stock`. `tick` is called with the share of the map that is done, and may
    raise to stop. `kept`: another operation comes after it, and `stock` is to hold what this one left. `feed`: the
    bite's, mm/min, where it is known."""
    radius = job.tool(operation.tool).diameter / 2
    step = np.full(len(moves), settings.step * radius)
    if feed is not None:
        # A way in lowers all of the disc by a hair at a time; a link, which goes faster, may graze something.
        step[(moves.end[:, 2] < moves.starts()[:, 2]) & (moves.feed <= feed)] *= DOWN
    found, left_over = _run(stock, job, operation, moves, radius, step, settings, tick, kept)
    gouge, at = deepest(job, operation, radius, stock.chord, found.steps, settings.gouge)
    # A long program has millions of steps: from here on 1e-5 mm is exact enough for where they are.
    steps = replace(found.steps, place=found.steps.place.astype(np.float32))
    return Ran(replace(found, steps=steps), left_over, gouge, at)


def measured(ran: Ran, job: Job, operation: Operation, moves: Moves, target: float, ap: float,
             settings: ProofSettings, feed: float | None = None, teeth_a_minute: float = np.inf,
             borne: float = np.inf) -> Audit:  # fmt: skip
    """What a run over the stock tells with the moves' feeds. `target` and `ap` in mm.

    With the `feed` of the bite, mm/min, the trace of ways in tells their load instead of their depth. Chips are told
    for so many teeth a minute, of which each bears `borne` mm.
    """
    radius = job.tool(operation.tool).diameter / 2
    steps, rapids, drops = ran.found.steps, ran.found.rapids, ran.found.drops
    axial = _axial(job, operation, steps, moves, ap, settings.chord, radius)
    taken = measure.radial_ways(steps, axial, ap)
    light = _light(steps, moves, target * ap, 2.0 * radius, feed, borne * teeth_a_minute)
    # Links come down from their hover height; that is no way in.
    least_descent = max(LEAST_DESCENT, HOVERING * operation.hover)
    trace, way_in = measure.trace_of(
        steps, taken, light, moves, axial, settings.window * radius, radius, least_descent, feed or 0.0
    )  # fmt: skip
    # A long program has millions of steps: what is not asked for again goes.
    del light, axial
    window = settings.window * radius
    ways_in = np.nonzero(way_in)[0]
    # What is cut beside a way in, before or after, is not its load; where nothing is, is its time.
    air = (taken <= LEAST_CUT * target * steps.length()) & (moves.kind[steps.block] != RAPID)
    rates = measure.removal_rates(steps, moves, way_in | air, ways_in, window)
    del air
    worst_in = int(ways_in[np.argmax(rates)]) if len(rates) else 0
    if feed is not None:
        # Ways in go at feeds of their own, as deep as suits them: drawn is what they remove.
        near = np.nonzero(trace.entry)[0]
        all_of = measure.removal_rates(steps, moves, np.ones(len(steps), dtype=bool), near, window)
        trace.depth[near] = all_of / (ap * feed)
    cutting = (trace.depth > LEAST_CUT * target) & ~trace.entry
    worst = int(np.argmax(np.where(cutting, trace.depth, 0.0))) if len(trace.depth) else 0
    most = float(trace.depth[cutting].max()) if cutting.any() else 0.0
    # The window reaches from a cut into the links beside it: what takes nothing itself is no cutting length.
    cutting &= taken > LEAST_CUT * target * steps.length()
    depth, length = trace.depth[cutting], trace.length[cutting]
    del cutting
    chips, bearable = measure.chips(trace, moves, taken, window, radius, teeth_a_minute, borne)
    thickest = int(np.argmax(chips)) if len(chips) else 0
    k = int(np.argmax(rapids)) if len(rapids) else 0
    d = int(np.argmax(drops)) if len(drops) else 0
    return Audit(
        removed=float(steps.volume.sum()),
        cut_length=float(length.sum()),
        most_depth=most,
        depth_999=_quantile(depth, length, 0.999),
        depth_99=_quantile(depth, length, 0.99),
        most_at=_place(trace.position[worst]) if len(trace.depth) else (0.0, 0.0, 0.0),
        within=float(length[(depth >= 0.8 * target) & (depth <= 1.1 * target)].sum() / max(length.sum(), 1e-9)),
        chip=float(chips.max()) if len(chips) else 0.0,
        chip_at=_place(trace.position[thickest]) if len(chips) else (0.0, 0.0, 0.0),
        bearable=bearable,
        entry_rate=float(rates.max()) if len(rates) else 0.0,
        entry_at=_place(trace.position[worst_in]) if len(rates) else (0.0, 0.0, 0.0),
        gouge=ran.gouge,
        gouge_at=ran.gouge_at,
        rapid=float(rapids[k]) if len(rapids) else 0.0,
        rapid_at=_place(moves.end[k]) if len(rapids) else (0.0, 0.0, 0.0),
        drop=float(drops[d]) if len(drops) else 0.0,
        drop_at=_place(moves.end[d]) if len(drops) else (0.0, 0.0, 0.0),
        left_over=ran.left_over,
        trace=trace,
    )  # fmt: skip


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


def _place(p: NDArray[np.floating]) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def _quantile(values: NDArray[np.float32], weights: NDArray[np.float32], share: float) -> float:
    """The value under which `share` of the weight (cutting length) lies."""
    if len(values) == 0:
        return 0.0
    order = np.argsort(values)
    below = np.cumsum(weights[order])
    return float(values[order][min(len(order) - 1, int(np.searchsorted(below, share * below[-1])))])


def _run(
    stock: Stock, job: Job, operation: Operation, moves: Moves, radius: float, step: NDArray[np.float64],
    settings: ProofSettings, tick: Tick, kept: bool,
) -> tuple[Run, float]:  # fmt: skip
    """Run the moves over all tiles of the stock, steps on the drawing; and the share left over."""
    emptied = [(borders_on_map(shape), z) for shape, z in _emptied(stock, job, operation, radius)]
    reaches = [
        (
            borders_on_map(_reach(r, job, operation, radius, stock.chord)),
            r.bottom + operation.allowance.floor + settings.gouge,
        )
        for r in map(job.region, operation.regions)
    ]

    def before(tile: Tile) -> bool:
        own = [(shape, z) for shape, z in emptied if tile.overlaps(shape)]
        for shape, z in own:
            tile.lower(shape, z)
        return bool(own)

    def after(tile: Tile) -> tuple[float, float]:
        counts = [tile.standing(reach, floor) for reach, floor in reaches if tile.overlaps(reach)]
        # Tiles are not all as fine.
        size = tile.cell**2
        return size * sum(inside for inside, _ in counts), size * sum(over for _, over in counts)

    found, counts = run_over(stock, moves, radius, step, job.approach_gap, before, after, tick, kept)
    reachable, standing = (sum(one) for one in zip(*counts, strict=True))
    return found, standing / reachable if reachable else 0.0


def _emptied(stock: Stock, job: Job, operation: Operation, radius: float) -> list[tuple[shapely.Geometry, float]]:
    """Shapes in which nothing stands higher than a Z before the operation begins.

    Beyond an open edge the stock ends, or was cut before: that is what open means. What the job itself cuts is
    left to the replay. What no operation cuts, but is said to come before an area of this one, was there
    before: a drilled hole, an earlier setup's pocket.
    """
    cut = {n for o in job.operations for n in o.regions}
    found: list[tuple[shapely.Geometry, float]] = []
    for region in (job.region(n) for n in operation.regions):
        free = job_space(job, region, AIR * radius + operation.allowance.wall, stock.chord)
        own = [region_shape(job.region(n), stock.chord) for n in cut if n != region.name]
        own += [region_shape(region, stock.chord), uncut_shape(region, stock.chord)]
        air = free.difference(shapely.union_all(own))
        found.append((air, region.bottom - 1.0))
        found += [
            (region_shape(b, stock.chord), b.bottom) for b in (job.region(n) for n in region.after if n not in cut)
        ]
        for h in region.drilled:
            shape = shapely.Point(h.at).buffer(h.diameter / 2, quad_segs=64)
            found.append((shape, region.bottom if h.bottom is None else h.bottom))
    return found


def _reach(region: Region, job: Job, operation: Operation, radius: float, chord: float) -> shapely.Geometry:
    """What the cutter can reach of a region. What lies within the path's own tolerance of a wall is not counted."""
    wall = radius + operation.allowance.wall + operation.tolerance
    free = job_space(job, region, AIR * radius + operation.allowance.wall, chord)
    return free.buffer(-wall).buffer(radius).intersection(region_shape(region, chord))


def _axial(job: Job, operation: Operation, steps: Steps, moves: Moves, ap: float,
           chord: float, radius: float) -> NDArray[np.float32]:  # fmt: skip
    """Axial depth of the level that each step belongs to: from the level above, a floor left before, or the top."""
    block = steps.block
    taken = np.bincount(block, weights=steps.volume, minlength=len(moves.kind))
    walked = np.unique(block)
    level, rapid = moves.z_level[walked], moves.kind[walked] == RAPID
    # What is cut without a rapid on one level belongs to one area.
    run = np.zeros(len(moves.kind), dtype=np.int32)
    run[walked] = np.cumsum((np.diff(level, prepend=level[:1]) != 0.0) | (np.diff(rapid, prepend=rapid[:1]) != 0))
    regions = [job.region(name) for name in operation.regions]
    tops = [cut_top(job, operation, region, chord) for region in regions]
    shares = np.zeros((len(regions), int(run.max(initial=0)) + 1))
    for index, (region, top) in enumerate(zip(regions, tops, strict=True)):
        floor = region.bottom + operation.allowance.floor
        within = (taken > 0) & (moves.z_level >= floor - 1e-4) & (moves.z_level < top - 1e-4)
        if len(regions) == 1:
            shares[index] = np.bincount(run[within], weights=taken[within], minlength=shares.shape[1])
            continue
        # Areas lie in each other, and beyond the open edge of one there may be another: most of it tells.
        own = np.nonzero(within[block] & (steps.volume > 0))[0]
        spots = steps.place[own, 0], steps.place[own, 1]
        weight = shapely.contains_xy(region_shape(region, chord), *spots).astype(float)
        weight += shapely.contains_xy(job_space(job, region, AIR * radius + operation.allowance.wall, chord), *spots)
        shares[index] = np.bincount(run[block[own]], weights=weight * steps.volume[own], minlength=shares.shape[1])
        # Steps on a slope lie in each other altogether: those are its levels that its depth is parted into.
        between = {*floors_before(job, operation, region, chord), *(z for z in region.floors if floor < z < top)}
        marks = [top, *sorted(between, reverse=True), floor]
        shares[index, run[walked][_parts(marks, level, ap)]] *= OWN_LEVEL
    owner = np.where(shares.max(axis=0, initial=0.0) > 0.0, shares.argmax(axis=0), -1)
    axial = np.full(len(moves.kind), ap, dtype=np.float32)
    for index, (region, top) in enumerate(zip(regions, tops, strict=True)):
        own = walked[owner[run[walked]] == index]
        levels = np.unique(np.round(moves.z_level[own], 4))
        above = np.unique([*levels, *floors_before(job, operation, region, chord), top])
        at = np.searchsorted(above, moves.z_level[own] + 1e-3)
        axial[own] = above[np.minimum(at, len(above) - 1)] - moves.z_level[own]
    return axial[block]


def _parts(marks: list[float], level: NDArray[np.float64], most: float) -> NDArray[np.bool_]:
    """Which levels part the depth between two of the heights `marks`, highest first, evenly and as few times as is
    possible when none is deeper than `most`."""
    found = np.zeros(len(level), dtype=bool)
    for high, low in pairwise(marks):
        if high - low < 1e-6:
            continue
        count = max(1, math.ceil((high - low) / most - 1e-6))
        share = (high - level) / (high - low) * count
        found |= (np.abs(share - np.round(share)) * (high - low) / count < 1e-3) & (level > low - 1e-3) & (level < high)
    return found


def renumbered(moves: Moves, operation: int) -> tuple[Moves, NDArray[np.int64]]:
    """The moves of one operation, starting where the one before ended, and their rows."""
    rows = np.nonzero(moves.operation == operation)[0]
    first = int(rows[0]) if len(rows) else 0
    start = moves.end[first - 1] if first > 0 else moves.start
    return (
        replace(
            moves, start=start, kind=moves.kind[rows], end=moves.end[rows], centre=moves.centre[rows],
            feed=moves.feed[rows], part=moves.part[rows], operation=moves.operation[rows],
            z_level=moves.z_level[rows], depth=moves.depth[rows], line=moves.line[rows],
        ),
        rows,
    )  # fmt: skip
