"""Thin pieces of stock that stand free while a program runs: they bend away, break off, and are met by a whole flank.

The program is run on a coarse map, and at the end of each pass what still stands is looked at: a piece that touches
neither wall nor island, and is thinner than a tenth of the cutter, should not be there for a later pass to meet. (The
last of a piece becomes thin while it is swallowed: that is none.)
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from justbite.model.job import Job, Operation
from justbite.model.moves import Moves
from justbite.model.shapes import region_shape
from justbite.proof import replay
from justbite.proof.stockmap import Stock, Tile, borders_on_map, laid_on_map

CELL, STEP = 1 / 40, 1 / 10
"""Of the radius: cell of the map, and step of the run."""
THIN = 0.1
"""Of the diameter: a thinner piece is a post or a sliver."""
LEAST = 0.002
"""Of the radius squared: smaller specks are not told from the map's own cells."""


TAKEN, RESTING = 0.0005, 0.5
"""Of the radius squared: what a step has to take to be a cut; and of the radius: way without one that ends a pass."""


@dataclass(frozen=True, slots=True)
class Post:
    """A thin piece that stood free: where (mm), how thick (mm), and after which block."""

    x: float
    y: float
    width: float
    block: int


def pass_ends(job: Job, operation: Operation, moves: Moves, chord: float) -> list[int]:
    """How many blocks are done at the end of each pass: from there on nothing is taken for a while."""
    radius = job.tool(operation.tool).diameter / 2
    (tile,) = Stock(job, CELL * radius, chord, tile_cells=10**9).tiles()
    steps = replay.run(tile.packed(), *laid_on_map(moves), radius, STEP * radius, 0.0).steps
    depth = max(region.top - region.bottom for region in map(job.region, operation.regions))
    cutting = np.nonzero(steps.volume > TAKEN * radius**2 * depth)[0]
    rest = np.diff(np.cumsum(steps.length())[cutting], append=np.inf)
    return np.unique(steps.block[cutting[rest > RESTING * radius]] + 1).tolist()


def free_standing(job: Job, operation: Operation, moves: Moves, moments: list[int], chord: float) -> list[Post]:
    """Thin free-standing pieces seen when so many blocks each are done, on stock that nothing was cut from before."""
    radius = job.tool(operation.tool).diameter / 2
    # One tile: what is seen of a piece must not end where a tile does.
    (tile,) = Stock(job, CELL * radius, chord, tile_cells=10**9).tiles()
    areas = []
    for region in (job.region(name) for name in operation.regions):
        inside = tile.mask(borders_on_map(region_shape(region, chord)))
        # What touches a wall is part of it: the allowance and what the path leaves there.
        inner = ndimage.binary_erosion(inside, iterations=3)
        areas.append((inside, inner, tile.units(region.bottom + operation.allowance.floor + 0.05)))
    begin, _, ends, centres, sweeps = laid_on_map(moves)
    found: list[Post] = []
    for first, last in pairwise([0, *moments]):
        start = begin if first == 0 else ends[first - 1]
        given = moves.kind[first:last], ends[first:last], centres[first:last], sweeps[first:last]
        replay.run(tile.packed(), start, *given, radius, STEP * radius, 0.0)
        tops = tile.tops()
        for inside, inner, floor in areas:
            found += _thin_pieces(inside & (tops > floor), inside & ~inner, tile, radius, last - 1)
    return found


def _thin_pieces(standing: NDArray[np.bool_], rim: NDArray[np.bool_], tile: Tile, radius: float, block: int
                 ) -> list[Post]:  # fmt: skip
    labels, count = ndimage.label(standing, structure=np.ones((3, 3)))
    if count == 0:
        return []
    size = np.bincount(labels.ravel(), minlength=count + 1) * tile.cell**2
    held = np.zeros(count + 1, dtype=bool)
    held[np.unique(labels[rim])] = True
    held[0] = True
    found = []
    places = ndimage.find_objects(labels)
    for k in np.nonzero(~held & (size > LEAST * radius**2) & (size < radius**2))[0]:
        piece = places[k - 1]
        deep = ndimage.distance_transform_edt(np.pad(labels[piece] == k, 1))
        width = 2.0 * float(deep.max()) * tile.cell
        if width < THIN * 2.0 * radius:
            j, i = (0.5 * (s.start + s.stop) for s in piece)
            x, y = tile.place(i, j)
            found.append(Post(x, y, width, block))
    return found
