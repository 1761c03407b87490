"""The proof's map of the stock: made from the job alone, at a slope to the drawing, in tiles that fit the memory.

A small bite asks for cells that a large one does not need, and mostly it works in corners: so each tile is as fine as
the operations ask for that work in it. A large part with a small cutter still has hundreds of millions of cells. They
are worked on tile by tile, and what is not worked on is kept packed: most of a map is alike.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.model.job import Job
from justbite.model.moves import RAPID, Moves, sweep_angles
from justbite.model.shapes import borders_of
from justbite.model.stock import extent, fill_heights, heights
from justbite.proof import replay, spans
from justbite.proof.replay import AIR

TILE_CELLS = 1_000_000
"""Cells of a tile where the map is finest; as many tiles are worked on at a time as there are cores."""
PLAIN_TILES = 32
"""A map of no more cells than so many such tiles have is kept as it is: to pack it takes longer than to run over it."""
STRIDE = 0.25
"""R between the places at which is asked in which tiles a cutter works."""
COS, SIN = math.cos(math.atan(0.236)), math.sin(math.atan(0.236))
"""The map's rows lie at this angle to the drawing. Along them, a front that follows a wall takes whole rows of cells:
half a cell over the bite too much or too little all the way. At a slope it meets rows and columns in turn."""


def onto_map(spots: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places (..., 2 or 3) of the drawing in the map's axes."""
    turned = spots.copy()
    turned[..., 0] = COS * spots[..., 0] - SIN * spots[..., 1]
    turned[..., 1] = SIN * spots[..., 0] + COS * spots[..., 1]
    return turned


def off_map(spots: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places (n, 2) of the map in the drawing's axes."""
    x, y = spots.T
    return np.column_stack([COS * x + SIN * y, COS * y - SIN * x])


def drawn(x: float, y: float) -> tuple[float, float]:
    """A place of the map on the drawing."""
    ((x, y),) = off_map(np.array([[x, y]]))
    return float(x), float(y)


Laid = tuple[
    NDArray[np.float64], NDArray[np.uint8], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]
]  # fmt: skip
"""Start, kinds, ends, centres and sweeps of moves, as the replay's kernels take them."""


def laid_on_map(moves: Moves) -> Laid:
    """Moves in the map's axes."""
    centre = onto_map(np.nan_to_num(moves.centre))
    return onto_map(moves.start), moves.kind, onto_map(moves.end), centre, sweep_angles(moves)


Borders = NDArray[np.float64]
"""(n, 4) from x, y to x, y of all borders of a shape, in the map's axes; mm."""


def borders_on_map(shape: BaseGeometry) -> Borders:
    """A shape of the drawing as its borders on the map."""
    rings = [onto_map(ring) for ring in borders_of(shape)]
    return np.concatenate([np.empty((0, 4)), *(np.hstack([ring[:-1], ring[1:]]) for ring in rings)])


@dataclass(slots=True)
class Tile:
    """A part of the map: heights in `unit` mm over `z0`, and lower in a share of a cell (of replay.WHOLE)."""

    x0: float
    y0: float
    cell: float
    z0: float
    unit: float
    height: NDArray[np.int16]
    low: NDArray[np.int16]
    share: NDArray[np.uint8]

    def packed(self) -> tuple[Any, ...]:
        """The tile as the plain arguments that the kernels take."""
        return self.height, self.low, self.share, self.x0, self.y0, self.cell, self.z0, self.unit

    def overlaps(self, borders: Borders) -> bool:
        """Whether a shape may reach into it."""
        if not len(borders):
            return False
        (x1, y1), (x2, y2) = borders[:, :2].min(axis=0), borders[:, :2].max(axis=0)
        ny, nx = self.height.shape
        return bool(
            x1 < self.x0 + nx * self.cell and x2 > self.x0 - self.cell
            and y1 < self.y0 + ny * self.cell and y2 > self.y0 - self.cell
        )  # fmt: skip

    def units(self, z: float) -> np.int16:
        """A height as the map holds it."""
        return np.int16(np.clip(np.rint((z - self.z0) / self.unit), -32767, 32767))

    def tops(self) -> NDArray[np.int16]:
        """Per cell, the height of the greater part of it."""
        return np.where(self.share >= replay.HALF, self.low, self.height)

    def place(self, column: float, row: float) -> tuple[float, float]:
        """Where a cell lies on the drawing, mm."""
        return drawn(self.x0 + column * self.cell, self.y0 + row * self.cell)

    def _spans(self, borders: Borders) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        first, cells = spans.spans(borders, self.x0, self.y0, self.cell, *self.height.shape)
        return first, cells

    def mask(self, borders: Borders) -> NDArray[np.bool_]:
        """Cells whose middle lies inside a shape."""
        mask = np.zeros(self.height.shape, dtype=bool)
        spans.fill(mask, *self._spans(borders), True)
        return mask

    def raised(self, borders: Borders, z: float) -> None:
        """A shape stands as high as `z`, whatever stood there before."""
        spans.fill(self.height, *self._spans(borders), self.units(z))

    def lower(self, borders: Borders, z: float) -> None:
        """Nothing stands higher than `z` in a shape."""
        spans.lower(self.height, self.share, *self._spans(borders), self.units(z))

    def standing(self, borders: Borders, z: float) -> tuple[int, int]:
        """How many cells a shape has, and how many of them stand higher than `z`."""
        inside, over = spans.count(
            self.height, self.low, self.share, *self._spans(borders), self.units(z), replay.HALF
        )  # fmt: skip
        return int(inside), int(over)


@dataclass(frozen=True, slots=True)
class _Packed:
    """A tile that is not worked on: stretches of equal heights, and the few cells that were swept in part."""

    ends: NDArray[np.int32]
    heights: NDArray[np.int16]
    spots: NDArray[np.int32]
    low: NDArray[np.int16]
    share: NDArray[np.uint8]

    @staticmethod
    def of(tile: Tile) -> "_Packed":
        """The tile packed."""
        row = tile.height.ravel()
        ends = np.append(np.flatnonzero(row[1:] != row[:-1]) + 1, row.size).astype(np.int32)
        spots = np.flatnonzero(tile.share.ravel()).astype(np.int32)
        return _Packed(ends, row[ends - 1], spots, tile.low.ravel()[spots], tile.share.ravel()[spots])

    def arrays(self, shape: tuple[int, int]) -> tuple[NDArray[np.int16], NDArray[np.int16], NDArray[np.uint8]]:
        """Height, low and share of its cells (ny, nx)."""
        height = np.repeat(self.heights, np.diff(self.ends, prepend=np.int32(0)))
        height, low, share = replay.whole_cells(height.reshape(shape))
        low.ravel()[self.spots], share.ravel()[self.spots] = self.low, self.share
        return height, low, share


@dataclass(frozen=True, slots=True)
class Asked:
    """What an operation asks of the map: cells of `cell` mm wherever its cutter is fed through stock."""

    moves: Moves
    radius: float
    cell: float

    def places(self, top: float) -> NDArray[np.float64]:
        """(n, 2) along its feed moves below `top`, on the map; no farther apart than STRIDE."""
        moves = self.moves
        block, place, _ = replay.walk(*laid_on_map(moves), np.full(len(moves), STRIDE * self.radius))
        found: NDArray[np.float64] = place[(moves.kind[block] != RAPID) & (place[:, 2] < top), :2]
        return found


class Stock:
    """The map of a job's stock, carried from operation to operation."""

    def __init__(self, job: Job, cell: float, chord: float, most_cells: float = np.inf, tile_cells: int = TILE_CELLS,
                 asked: Sequence[Asked] = ()) -> None:  # fmt: skip
        """`cell` mm, finer in the tiles where that is `asked` for; all of it made coarser (`self.coarser` times) where
        it would have more than `most_cells`."""
        low, high = extent(job.stock, chord)
        rim = 3.5 * max(t.diameter for t in job.tools) / 2
        outlines = [np.array([p[:2] for p in region.outline]) for region in job.regions]
        box = np.array([[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]])
        spots = onto_map(np.vstack([box, *outlines]))
        finest = min([cell, *(a.cell for a in asked)])
        along = math.isqrt(tile_cells)
        self.chord = chord
        self._side = along * finest
        # The first cell's middle lies on the rim.
        self._edge = spots.min(axis=0) - rim - 0.5 * finest
        self._size = spots.max(axis=0) + rim - self._edge
        columns, rows = (math.ceil(v / self._side) for v in self._size)
        # The lowest height that matters lies a little below the lowest floor.
        bottom, top = heights(job.stock)
        bottom = min(bottom, *(r.bottom for r in job.regions)) - 2.0
        self.top = top
        self._z0, self._unit = 0.5 * (bottom + top), (top - bottom) / 64_000
        self._shapes = [(borders_on_map(solid), top) for solid, top in fill_heights(job.stock, chord)]
        needed = np.full((rows, columns), cell)
        for one in asked:
            if one.cell < cell:
                # What lies between two places is not missed.
                reach = one.radius * (1.0 + 0.5 * STRIDE)
                spans.finer(needed, (one.places(top) - self._edge) / self._side, reach / self._side, one.cell)
        wide = np.minimum(self._size[0] - np.arange(columns) * self._side, self._side)
        tall = np.minimum(self._size[1] - np.arange(rows) * self._side, self._side)
        cells = float((np.outer(tall, wide) / needed**2).sum())
        self.coarser = max(1.0, math.sqrt(cells / most_cells))
        self._needed = needed * self.coarser
        self.finest, self.coarsest = float(self._needed.min()), float(self._needed.max())
        self._kept: dict[int, Tile | _Packed] = {}
        self._plain = cells <= PLAIN_TILES * tile_cells

    @property
    def count(self) -> int:
        """How many tiles there are."""
        return int(self._needed.size)

    def about(self, spots: NDArray[np.float64], reach: float, most: int) -> NDArray[np.bool_]:
        """(rows, columns) which tiles hold all within `reach` of places (n, 2) of the map: of the first places, until
        `most` tiles do."""
        found = np.zeros(self._needed.shape, dtype=bool)
        for (left, low), (right, high) in zip(*self._boxes(spots, reach), strict=True):
            if np.count_nonzero(found) >= most:
                break
            found[low : high + 1, left : right + 1] = True
        return found

    def held_by(self, tiles: NDArray[np.bool_], spots: NDArray[np.float64], reach: float) -> NDArray[np.bool_]:
        """(n,) whether all of the map within `reach` of a place (n, 2) lies in some tiles (rows, columns)."""
        sums = np.pad(np.cumsum(np.cumsum(tiles, axis=0), axis=1), ((1, 0), (1, 0)))
        (left, low), (right, high) = (corner.T for corner in self._boxes(spots, reach))
        own = sums[high + 1, right + 1] - sums[low, right + 1] - sums[high + 1, left] + sums[low, left]
        held: NDArray[np.bool_] = own == (high - low + 1) * (right - left + 1)
        return held

    def _boxes(self, spots: NDArray[np.float64], reach: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Column and row of the first and of the last tile that something within `reach` of places lies in."""
        rows, columns = self._needed.shape
        first, last = (
            np.clip(np.floor((spots + by - self._edge) / self._side).astype(np.int64), 0, (columns - 1, rows - 1))
            for by in (-reach, reach)
        )
        return first, last

    def bounds(self, number: int) -> tuple[float, float, float, float]:
        """Of a tile, on the map: least and greatest x, least and greatest y; mm."""
        row, column = divmod(number, self._needed.shape[1])
        x, y = self._edge + np.array([column, row]) * self._side
        right, over = np.minimum(self._edge + self._size, (x + self._side, y + self._side))
        return float(x), float(right), float(y), float(over)

    def cell(self, number: int) -> float:
        """How wide the cells of a tile are, mm."""
        return self._cells(number)[0]

    def sizes(self) -> list[int]:
        """How many cells each tile has."""
        return [math.prod(self._cells(number)[1]) for number in range(self.count)]

    def _cells(self, number: int) -> tuple[float, tuple[int, int]]:
        """How wide the cells of a tile are, mm, and how many it has, down and along: tiles meet, so that a whole number
        of them goes to a side."""
        cell = self._side / math.ceil(self._side / float(self._needed.flat[number]) - 1e-9)
        left, right, low, high = self.bounds(number)
        return cell, (math.ceil((high - low) / cell - 1e-9), math.ceil((right - left) / cell - 1e-9))

    def tiles(self) -> Iterator[Tile]:
        """Each tile in turn; what is done to it before the next is asked for stays."""
        for number in range(self.count):
            tile = self.tile(number)
            yield tile
            self.keep(number, tile)

    def keep(self, number: int, tile: Tile) -> None:
        """Hold a tile as it is now."""
        self._kept[number] = tile if self._plain else _Packed.of(tile)

    def forget(self, number: int) -> None:
        """Hold a tile no longer: it is not asked for again."""
        self._kept.pop(number, None)

    def tile(self, number: int) -> Tile:
        """A tile as it was held last; at first as the stock comes."""
        kept = self._kept.get(number)
        if isinstance(kept, Tile):
            return kept
        left, _, low, _ = self.bounds(number)
        cell, shape = self._cells(number)
        place = left + 0.5 * cell, low + 0.5 * cell, cell, self._z0, self._unit
        if kept is not None:
            return Tile(*place, *kept.arrays(shape))
        tile = Tile(*place, *replay.whole_cells(np.full(shape, AIR, dtype=np.int16)))
        for solid, top in self._shapes:
            tile.raised(solid, top)
        return tile
