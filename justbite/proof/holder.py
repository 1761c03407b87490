"""Whether what holds the cutter keeps clear of what stands while the program runs: stock not cut yet, part, keep-outs.

The holder's lower end is as far above the cutter's tip as the cutter sticks out. Where that is below the highest thing
on the table, the program is run on a coarse map, and before each stretch on one level the way from the cutter's axis to
whatever stands higher than the holder's end is measured. What the stretch itself cuts is never that high.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from justbite.model.job import Job, Operation
from justbite.model.moves import RAPID, Moves
from justbite.model.shapes import polygon_of
from justbite.model.stock import extent, heights
from justbite.proof import replay
from justbite.proof.running import emptied
from justbite.proof.stockmap import Stock, Tile, drawn, laid_on_map, onto_map

CELLS = 400_000
"""Cells of the map, about: it is looked at once for each stretch."""
FINEST, STEP = 1 / 20, 1 / 4
"""Of the smallest radius: no finer cells; and steps of the run."""
ABOVE = 0.05
"""mm that something must be higher than the holder's end to be in its way."""
AT_LEVEL = 0.02
"""mm that places lie above the lowest of their stretch, at most, to be looked at: ways down end there too."""


@dataclass(frozen=True, slots=True)
class Room:
    """What room there is for what holds a cutter."""

    radius: float
    """mm from the cutter's axis to the nearest thing that stands higher than the holder's lower end."""
    at: tuple[float, float, float]
    """Where the cutter's tip is then."""


def holder_rooms(job: Job, moves: Moves, chord: float, tick: Callable[[], None] = lambda: None) -> list[Room | None]:
    """The least room of each operation of a program that was read back; None where nothing stands so high.

    `tick` is called before each stretch and may raise to stop.
    """
    out = np.array([job.tool(o.tool).stickout for o in job.operations])
    top = max([heights(job.stock)[1], *(k.top for k in job.keep_outs)])
    number = np.clip(moves.operation, 0, len(out) - 1)
    low = moves.end[:, 2] + out[number] < top - ABOVE
    found: list[Room | None] = [None] * len(out)
    if not low.any():
        return found
    tile = _map(job, chord)
    for index, operation in enumerate(job.operations):
        rows = np.nonzero(moves.operation == index)[0]
        if not low[rows[0] if len(rows) else 0 :].any():
            break
        radius = job.tool(operation.tool).diameter / 2
        for shape, z in emptied(job, operation, radius, chord):
            tile.lower(shape, z)
        for first, last in _stretches(moves, rows):
            tick()
            own = moves.only(slice(first, last))
            if low[first:last].any():
                found[index] = _less(found[index], _room(tile, job, operation, own, out[index]))
            replay.run(tile.packed(), *laid_on_map(own), radius, STEP * radius, 0.0)
    return found


def _map(job: Job, chord: float) -> Tile:
    low, high = extent(job.stock, chord)
    widest = max(t.diameter for t in job.tools)
    area = float(np.prod(high[:2] - low[:2] + 4.0 * widest))
    cell = max(FINEST * min(t.diameter for t in job.tools) / 2, (area / CELLS) ** 0.5)
    (tile,) = Stock(job, cell, chord, tile_cells=10**9).tiles()
    return tile


def _stretches(moves: Moves, rows: NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """First block, and the one after the last, of what goes on one level between two rapids."""
    if not len(rows):
        return
    level, rapid = moves.z_level[rows], moves.kind[rows] == RAPID
    new = (np.diff(level) != 0) | (np.diff(rapid.astype(np.int8)) != 0)
    marks = [0, *(np.nonzero(new)[0] + 1).tolist(), len(rows)]
    for first, last in pairwise(marks):
        yield int(rows[first]), int(rows[last - 1]) + 1


def _less(one: Room | None, other: Room | None) -> Room | None:
    known = [room for room in (one, other) if room is not None]
    return min(known, key=lambda room: room.radius, default=None)


def _room(tile: Tile, job: Job, operation: Operation, own: Moves, out: float) -> Room | None:
    """The least room on a stretch, by what stands before it."""
    lowest = float(own.end[:, 2].min())
    end = lowest + out + ABOVE
    laid = laid_on_map(own)
    radius = job.tool(operation.tool).diameter / 2
    _, place, _ = replay.walk(*laid, np.full(len(own), STEP * radius))
    place = place[place[:, 2] < lowest + AT_LEVEL]
    if not len(place):
        return None
    away = np.full(len(place), np.inf)
    stands = tile.tops() > tile.units(end)
    if stands.any():
        far = ndimage.distance_transform_edt(~stands) * tile.cell
        column = np.rint((place[:, 0] - tile.x0) / tile.cell).astype(int)
        row = np.rint((place[:, 1] - tile.y0) / tile.cell).astype(int)
        ny, nx = far.shape
        away = far[np.clip(row, 0, ny - 1), np.clip(column, 0, nx - 1)]
    for keep_out in job.keep_outs:
        if keep_out.top > end:
            corners = onto_map(np.array(polygon_of(keep_out.outline, tile.cell, "A keep-out").exterior.coords))
            away = np.minimum(away, shapely.distance(shapely.points(place[:, :2]), shapely.Polygon(corners)))
    least = int(np.argmin(away))
    if not np.isfinite(away[least]):
        return None
    return Room(float(away[least]), (*drawn(*place[least, :2]), lowest))
