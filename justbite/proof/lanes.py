"""Running a program over all tiles of the stock's map, a tile on each core.

The kernels let go of the interpreter's lock and work on a tile for long, so that threads do. Of each tile the lane that
it is added to is settled beforehand: sums come out the same every time.
"""

import os
import queue
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import Moves
from justbite.proof import replay
from justbite.proof.steps import Run, Steps, chunks
from justbite.proof.stockmap import Stock, Tile, laid_on_map, off_map

Found = TypeVar("Found")
_Lane = tuple[NDArray[np.float64], NDArray[np.float32], NDArray[np.float64], NDArray[np.float64]]
"""What one core finds on its tiles: volume and area lowered of each step, rapids and drops of each block."""


def walked(moves: Moves, step: NDArray[np.float64]
           ) -> tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """Block, place (on the drawing) and piece of the steps that `run_over` takes, each no longer than `step` (n,)."""
    block, place, piece = replay.walk(*laid_on_map(moves), step)
    _onto_drawing(place)
    return block, place, piece


def _onto_drawing(place: NDArray[np.float64]) -> None:
    """Turn places (n, 3) on the map, in place."""
    for rows in chunks(len(place)):
        place[rows, :2] = off_map(place[rows, :2])


def run_over(
    stock: Stock, moves: Moves, radius: float, step: NDArray[np.float64], beside: float,
    before: Callable[[Tile], bool] | None, after: Callable[[Tile], Found] | None, tick: Callable[[float], None],
    kept: bool, only: Sequence[int] | None = None,
) -> tuple[Run, list[Found]]:  # fmt: skip
    """Run the moves of a cutter of `radius` over the stock, each in steps of `step` (n,); mm.

    `beside`: how near stock counts where a rapid comes down. `before` is done to each tile before, and tells whether it
    did anything to it; what `after` tells of each is returned in the order of tiles; both on any core. `tick` is called
    from here with the share of cells done, and may raise to stop. `kept`: the stock is to hold what is left. Places of
    the steps told are on the drawing. `only`: over these tiles, and no others.
    """
    laid = laid_on_map(moves)
    start = laid[0]
    block, place, piece = replay.walk(*laid, step)
    count, blocks = len(block), len(moves.kind)
    first, box = replay.extents(block, place, blocks)
    lanes: list[_Lane] = [
        (np.zeros(count), np.zeros(count, np.float32), np.zeros(blocks), np.zeros(blocks))
        for _ in range(min(stock.count, len(os.sched_getaffinity(0))))
    ]

    def over(number: int, lane: _Lane) -> list[Found]:
        left, right, low, high = stock.bounds(number)
        reach = radius + beside + stock.cell(number)
        near = replay.come_near(box, left - reach, right + reach, low - reach, high + reach, stock.top)
        if kept and not (near or before or after):
            return []
        tile = stock.tile(number)
        changed = before(tile) if before else False
        if near:
            replay.run_on(*(*tile.packed(), start, moves.kind, first, box, place, radius, beside, *lane))
        told = [after(tile)] if after else []
        if not kept:
            stock.forget(number)
        elif near or changed:
            stock.keep(number, tile)
        return told

    sizes = stock.sizes()
    found = _in_lanes(over, {k: sizes[k] for k in (range(stock.count) if only is None else only)}, lanes, tick)
    (volume, lowered, rapids, drops), *others = lanes
    for more in others:
        volume += more[0]
        lowered += more[1]
        np.maximum(rapids, more[2], out=rapids)
        np.maximum(drops, more[3], out=drops)
    _onto_drawing(place)
    return Run(Steps(block, place, piece, volume, lowered), rapids, drops), [one for told in found for one in told]


def _in_lanes(over: Callable[[int, _Lane], Found], sizes: dict[int, int], lanes: list[_Lane],
              tick: Callable[[float], None]) -> list[Found]:  # fmt: skip
    """`over` for every tile, each lane's own one after the other, large ones first; `sizes`: cells of each."""
    order = sorted(sizes, key=lambda number: -sizes[number])
    waiting = [order[first :: len(lanes)][::-1] for first in range(len(lanes))]
    done: queue.SimpleQueue[Future[Found]] = queue.SimpleQueue()
    at: dict[Future[Found], tuple[int, int]] = {}
    found: dict[int, Found] = {}
    cells, whole = 0, sum(sizes.values())
    with ThreadPoolExecutor(len(lanes)) as pool:

        def begin(lane: int) -> None:
            if waiting[lane]:
                number = waiting[lane].pop()
                work = pool.submit(over, number, lanes[lane])
                at[work] = lane, number
                work.add_done_callback(done.put)

        tick(0.0)
        for lane in range(len(lanes)):
            begin(lane)
        while len(found) < len(sizes):
            ended = done.get()
            lane, number = at.pop(ended)
            found[number] = ended.result()
            cells += sizes[number]
            if len(found) < len(sizes):
                tick(cells / whole)
            begin(lane)
    return [found[number] for number in sizes]
