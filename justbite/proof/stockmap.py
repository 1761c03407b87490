"""The proof's map of the stock: made from the job alone, at a slope to the drawing, in tiles that fit the memory.

A large part with a small cutter has hundreds of millions of cells. They are worked on band by band, and what is
not worked on is kept packed: most of a map is alike.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.model.job import Job
from justbite.model.shapes import borders_of
from justbite.model.stock import extent, fill_heights, heights
from justbite.proof import replay, spans
from justbite.proof.replay import AIR

TILE_CELLS = 4_000_000
"""Cells of a band; as many bands are worked on at a time as there are cores."""
PLAIN_TILES = 8
"""A map of no more bands is kept as it is: to pack it takes longer than to run over it."""
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


Borders = NDArray[np.float64]
"""(n, 4) from x, y to x, y of all borders of a shape, in the map's axes; mm."""


def borders_on_map(shape: BaseGeometry) -> Borders:
    """A shape of the drawing as its borders on the map."""
    rings = [onto_map(ring) for ring in borders_of(shape)]
    return np.concatenate([np.empty((0, 4)), *(np.hstack([ring[:-1], ring[1:]]) for ring in rings)])


@dataclass(slots=True)
class Tile:
    """A band of the map's rows: heights in `unit` mm over `z0`, and lower in a share of a cell (of replay.WHOLE)."""

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

    def units(self, z: float) -> np.int16:
        """A height as the map holds it."""
        return np.int16(np.clip(np.rint((z - self.z0) / self.unit), -32767, 32767))

    def tops(self) -> NDArray[np.int16]:
        """Per cell, the height of the greater part of it."""
        return np.where(self.share >= replay.HALF, self.low, self.height)

    def place(self, column: float, row: float) -> tuple[float, float]:
        """Where a cell lies on the drawing, mm."""
        ((x, y),) = off_map(np.array([[self.x0 + column * self.cell, self.y0 + row * self.cell]]))
        return float(x), float(y)

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
    """A band that is not worked on: stretches of equal heights, and the few cells that were swept in part."""

    ends: NDArray[np.int32]
    heights: NDArray[np.int16]
    spots: NDArray[np.int32]
    low: NDArray[np.int16]
    share: NDArray[np.uint8]

    @staticmethod
    def of(tile: Tile) -> "_Packed":
        """The band packed."""
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


class Stock:
    """The map of a job's stock, carried from operation to operation."""

    def __init__(self, job: Job, cell: float, chord: float, most_cells: float = np.inf,
                 tile_cells: int = TILE_CELLS) -> None:  # fmt: skip
        """`cell` mm, made coarser where the map would have more than `most_cells`."""
        low, high = extent(job.stock, chord)
        rim = 3.5 * max(t.diameter for t in job.tools) / 2
        outlines = [np.array([p[:2] for p in region.outline]) for region in job.regions]
        box = np.array([[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]])
        spots = onto_map(np.vstack([box, *outlines]))
        (x1, y1), (x2, y2) = spots.min(axis=0) - rim, spots.max(axis=0) + rim
        self.cell = max(cell, float(np.sqrt((x2 - x1) * (y2 - y1) / most_cells)))
        self.chord = chord
        self.x0, self.y0 = float(x1), float(y1)
        self.nx = int((x2 - self.x0) / self.cell) + 1
        self.ny = int((y2 - self.y0) / self.cell) + 1
        # The lowest height that matters lies a little below the lowest floor.
        bottom, top = heights(job.stock)
        bottom = min(bottom, *(r.bottom for r in job.regions)) - 2.0
        self._z0, self._unit = 0.5 * (bottom + top), (top - bottom) / 64_000
        self._shapes = [(borders_on_map(solid), top) for solid, top in fill_heights(job.stock, chord)]
        self._rows = max(1, min(self.ny, tile_cells // self.nx))
        self._kept: dict[int, Tile | _Packed] = {}

    @property
    def count(self) -> int:
        """How many tiles there are."""
        return math.ceil(self.ny / self._rows)

    def tiles(self) -> Iterator[Tile]:
        """Each band in turn; what is done to it before the next is asked for stays."""
        for number in range(self.count):
            tile = self.tile(number)
            yield tile
            self.keep(number, tile)

    def keep(self, number: int, tile: Tile) -> None:
        """Hold a band as it is now."""
        self._kept[number] = tile if self.count <= PLAIN_TILES else _Packed.of(tile)

    def tile(self, number: int) -> Tile:
        """A band as it was held last; at first as the stock comes."""
        first = number * self._rows
        shape = min(self._rows, self.ny - first), self.nx
        kept = self._kept.get(number)
        if isinstance(kept, Tile):
            return kept
        place = self.x0, self.y0 + first * self.cell, self.cell, self._z0, self._unit
        if kept is not None:
            return Tile(*place, *kept.arrays(shape))
        tile = Tile(*place, *replay.whole_cells(np.full(shape, AIR, dtype=np.int16)))
        for solid, top in self._shapes:
            tile.raised(solid, top)
        return tile
