"""The moves of an operation run over the map of the stock: what they take from it, at whatever feeds.

A long operation is run a stretch at a time. It has millions of steps, and what is known of each while it is run, or
measured, is in memory for those of one stretch alone; between them the map is held as between operations. A stretch
ends with a rapid that nothing looks across: the next one's way is told from there.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown
from justbite.model.job import Job, Operation, Region
from justbite.model.moves import CLOCKWISE, RAPID, Moves, lengths
from justbite.model.shapes import job_space, region_shape, uncut_shape
from justbite.proof.axial import AxialDepths
from justbite.proof.gouge import AIR, Walls
from justbite.proof.lanes import run_over, walked
from justbite.proof.places import Places
from justbite.proof.shelf import PutAway, Shelf
from justbite.proof.steps import Steps
from justbite.proof.stockmap import Borders, Stock, Tile, borders_on_map

DOWN = 2
"""How many times as long the steps of ways in are where they come down."""
SCALLOP = 0.36
"""Cells of the map that steps may leave standing beside a block: a hundredth of the finest bite at most, since a map
has 36 cells to one. Round an arc of 0.3 mm steps of 0.15 mm of a 6 mm cutter left 0.010 mm, and the 3 mm cutter after
it was told to take 1.066 of a bite of 0.15 mm where it takes 0.95 (odd part 2026)."""
MOST_STEPS = 1_000_000
"""Steps from which on a stretch ends with the next rapid."""

Tick = Callable[[float], None]


@dataclass(frozen=True, slots=True)
class ProofSettings:
    """Cell, step and window as shares of R, gouge in mm, chord in mm; and mm between the points of a path that is
    drawn, at most, 0 for all."""

    cell: float
    step: float
    window: float
    gouge: float
    chord: float
    drawn: float = 0.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """What the steps of some blocks in a row take; long programs have millions, so no more is held of each."""

    rows: slice
    """Of the operation's blocks."""
    volume: PutAway
    """(n,) mm3 taken by each step."""
    lowered: PutAway
    """(n,) mm2: area that it lowers."""


@dataclass(frozen=True, slots=True)
class Ran:
    """What one operation's moves took from the stock, at whatever feeds."""

    stretches: tuple[Stretch, ...]
    step: NDArray[np.float64]
    """(blocks,) mm: the longest that a step may be."""
    axial: NDArray[np.float32]
    """(blocks,) mm: axial depth of the level that each belongs to."""
    removed: float
    """mm3"""
    rapids: NDArray[np.float64]
    """(blocks,) mm: the most stock met at a rapid."""
    drops: NDArray[np.float64]
    """(blocks,) mm: where a rapid comes down, how far below what stands beside the cutter it ends."""
    left_over: float
    """Share of what the cutter can reach that still stands."""
    untouched: float
    """What of that share stands where the cutter never came in: in pieces of an area that no way in fits into."""
    gouge: float
    """mm: the deepest cut into what must stay."""
    gouge_at: tuple[float, float, float]

    def steps(self, stretch: Stretch, moves: Moves) -> Steps:
        """The steps of one of the stretches, for as long as they are looked at; `moves` are its own."""
        block, place, piece = walked(moves, self.step[stretch.rows])
        # 1e-5 mm is exact enough for where they are.
        return Steps(block, place.astype(np.float32), piece, stretch.volume.taken(), stretch.lowered.taken())


def _smooth(moves: Moves, radius: float, most: float) -> NDArray[np.float64]:
    """(blocks,) mm: how long steps may be whose discs leave scallops of no more than `most` mm where the block itself
    leaves none: in the bend of an arc its outer side is what two discs have least in common with."""
    bend = np.hypot(*(moves.centre - moves.end[:, :2]).T)
    sharp = np.where(moves.kind >= CLOCKWISE, 1.0 / np.maximum(bend, 1e-6), 0.0)
    # Half a step off an arc's place the discs' line lies so much within it: s^2 / 8 (1 / bend + 1 / radius).
    long: NDArray[np.float64] = np.sqrt(8.0 * most / (sharp + 1.0 / radius))
    return long


def run_operation(stock: Stock, job: Job, operation: Operation, moves: Moves, ap: float, settings: ProofSettings,
                  tick: Tick = lambda share: None, kept: bool = True, feed: float | None = None,
                  most_steps: int = MOST_STEPS) -> Ran:  # fmt: skip
    """Run the moves of one operation over `stock`, its bite `ap` mm deep. `tick` is called with the share that is
    done, and may raise to stop. `kept`: another operation comes after it, and `stock` is to hold what this one left.
    `feed`: the bite's, mm/min, where it is known."""
    radius = job.tool(operation.tool).diameter / 2
    step = np.minimum(settings.step * radius, _smooth(moves, radius, SCALLOP * stock.finest))
    if feed is not None:
        # A way in lowers all of the disc by a hair at a time; a link, which goes faster, may graze something.
        step[(moves.end[:, 2] < moves.starts()[:, 2]) & (moves.feed <= feed)] *= DOWN
    way = lengths(moves)
    depths = AxialDepths(job, operation, moves, ap, stock.chord, radius, way > 0.0)
    walls = Walls(job, operation, radius, stock.chord, settings.gouge)
    over = _OverTiles(stock, job, operation, moves, settings.gouge)
    counts = np.ceil(way / step)
    parts = stretches(moves, way, counts, settings.window * radius, most_steps)
    gone, whole = 0.0, max(1.0, float(counts.sum()))
    done, removed, shelf = [], 0.0, Shelf()
    rapids, drops = np.zeros(len(moves)), np.zeros(len(moves))
    for number, rows in enumerate(parts):
        share = float(counts[rows].sum()) / whole

        def told(part: float, gone: float = gone, share: float = share) -> None:
            tick(gone + part * share)

        last = number + 1 == len(parts)
        found, areas = run_over(
            stock, moves.only(rows), radius, step[rows], job.approach_gap, over.before if number == 0 else None,
            over.after if last else None, told, kept or not last,
        )  # fmt: skip
        gone += share
        walls.see(found.steps)
        depths.see(rows.start, found.steps)
        rapids[rows], drops[rows] = found.rapids, found.drops
        volume = found.steps.volume
        removed += float(volume.sum())
        put = PutAway if len(parts) == 1 else shelf.put
        done.append(Stretch(rows, put(volume.astype(np.float32)), put(found.steps.lowered)))
        del found, volume
    reachable, standing, untouched = (sum(one) for one in zip(*areas, strict=True))
    # Where nothing can be reached nothing stands either.
    whole = reachable or 1.0
    return Ran(
        tuple(done), step, depths.told(), removed, rapids, drops, standing / whole, untouched / whole, walls.most,
        walls.most_at,
    )  # fmt: skip


def stretches(moves: Moves, way: NDArray[np.float64], counts: NDArray[np.float64], window: float, most: int
              ) -> list[slice]:  # fmt: skip
    """Blocks parted after rapids as soon as there are `most` steps, of which each has `counts` (n,).

    The rapid is longer than the `window`, mm, and does not come down: no cut is told across it, nor a way in.
    """
    level = moves.end[:, 2] >= moves.starts()[:, 2]
    may_end = np.nonzero((moves.kind == RAPID) & level & (way > window))[0]
    gone = np.cumsum(counts)
    found, first = [], 0
    while first < len(moves):
        before = gone[first - 1] if first else 0.0
        later = may_end[(may_end >= first) & (gone[may_end] - before >= most)]
        after = int(later[0]) + 1 if len(later) else len(moves)
        found.append(slice(first, after))
        first = after
    return found or [slice(0, 0)]


class _OverTiles:
    """What is done to each tile of the map before the operation, and told of it after."""

    def __init__(self, stock: Stock, job: Job, operation: Operation, moves: Moves, gouge: float) -> None:
        radius = job.tool(operation.tool).diameter / 2
        self.before = Emptied(job, operation, radius, stock.chord)
        fed, fed_to = moves.end[moves.kind != RAPID], dict[float, Places]()
        self._reaches = []
        for region in map(job.region, operation.regions):
            # Higher up it may have been over it for an area that lies on it.
            floor = region.bottom + operation.allowance.floor + gouge
            if floor not in fed_to:
                fed_to[floor] = Places(fed[:, 0], fed[:, 1], fed[:, 2] < floor)
            for reach, came in _reaches(region, job, operation, fed_to[floor], stock.chord):
                self._reaches.append((borders_on_map(reach), floor, came))

    def after(self, tile: Tile) -> tuple[float, float, float]:
        """How much of a tile can be reached, how much of that still stands, and of that where it never came in; mm2."""
        counts = [(*tile.standing(reach, floor), came) for reach, floor, came in self._reaches if tile.overlaps(reach)]
        # Tiles are not all as fine.
        size = tile.cell**2
        stands = [size * sum(over for _, over, came in counts if came == one) for one in (True, False)]
        return size * sum(inside for inside, _, _ in counts), sum(stands), stands[1]


class Emptied:
    """What is not there when an operation begins, wherever the stock comes from."""

    def __init__(self, job: Job, operation: Operation, radius: float, chord: float) -> None:
        self._shapes = emptied(job, operation, radius, chord)

    def __call__(self, tile: Tile) -> bool:
        """Take it from a tile; whether there was any."""
        own = [(shape, z) for shape, z in self._shapes if tile.overlaps(shape)]
        for shape, z in own:
            tile.lower(shape, z)
        return bool(own)


def emptied(job: Job, operation: Operation, radius: float, chord: float) -> list[tuple[Borders, float]]:
    """Shapes, on the map, in which nothing stands higher than a Z before the operation begins.

    Beyond an open edge the stock ends, or was cut before: that is what open means. What the job itself cuts is
    left to the replay. What no operation cuts, but is said to come before an area of this one, was there
    before: a drilled hole, an earlier setup's pocket.
    """
    cut = {n for o in job.operations for n in o.regions}
    shapes = {n: region_shape(job.region(n), chord) for n in sorted(cut)}
    # Of many areas most are nowhere near.
    names, near = np.array(list(shapes)), shapely.STRtree(list(shapes.values()))
    found: list[tuple[shapely.Geometry, float]] = []
    for region in (job.region(n) for n in operation.regions):
        free = job_space(job, region, AIR * radius + operation.allowance.wall, chord)
        own = [shapes[n] for n in names[np.sort(near.query(free))] if n != region.name]
        own += [region_shape(region, chord), uncut_shape(region, chord)]
        air = free.difference(shapely.union_all(own))
        found.append((air, region.bottom - 1.0))
        found += [(region_shape(b, chord), b.bottom) for b in (job.region(n) for n in region.after if n not in cut)]
        for h in region.drilled:
            shape = shapely.Point(h.at).buffer(h.diameter / 2, quad_segs=64)
            found.append((shape, region.bottom if h.bottom is None else h.bottom))
    return [(borders_on_map(shape), z) for shape, z in found]


def _reaches(region: Region, job: Job, operation: Operation, fed: Places, chord: float
             ) -> list[tuple[BaseGeometry, bool]]:  # fmt: skip
    """What the cutter can reach of a region: from where it came in, and from where it could stand but never came.

    What lies within the path's own tolerance of a wall is not counted. `fed`: where it was fed to on the region's
    floor.
    """
    radius = job.tool(operation.tool).diameter / 2
    wall = radius + operation.allowance.wall + operation.tolerance
    free = job_space(job, region, AIR * radius + operation.allowance.wall, chord)
    shape = region_shape(region, chord)
    pieces = shapely.get_parts(grown(free, -wall))
    wide = [piece.buffer(2.0 * operation.tolerance) for piece in pieces]
    shapely.prepare(wide)
    came = np.array([len(fed.within(one)) > 0 for one in wide], dtype=bool)
    touched, never = (grown(shapely.union_all(pieces[own]), radius).intersection(shape) for own in (came, ~came))
    found = [(touched, True), (never.difference(touched), False)]
    return [(reach, own) for reach, own in found if not reach.is_empty]
