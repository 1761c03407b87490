"""The program held against the part itself: what it cuts into, whatever the job says of areas and open edges.

The rest of the proof asks the same areas as the planner: where those are wrong, both are. Here nothing of a job is
known but its cutters. Over a grid of places stand the part's highest surface, from its triangles, and the lowest that
the end of a cutter came there.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import ndimage

from justbite.model.moves import Moves, sweep_angles
from justbite.proof import replay
from justbite.proof.audit import renumbered

SIDE, DOWN = 0.05, 0.02
"""mm that a cut may be in a wall or below a surface before it counts: the chords of triangles, and a gouge's own."""
CELL, FINEST = 1 / 40, 0.1
"""Distance of the places: share of the smallest R, and mm at least."""
MOST_CELLS = 6_000_000
FEWEST = 3
"""Places beside each other that make a cut into the part: one alone may be a fault of a mesh."""
STEP = 1 / 20
"""Share of R: the step in which the program is walked. Between two the disc's edge is R / 3200 short."""


@dataclass(frozen=True, slots=True)
class CutInto:
    """What an operation cuts into the part."""

    operation: int
    deep: float
    """mm below the part's surface, at most."""
    area: float
    """mm2, seen from above."""
    at: tuple[float, float, float]
    """Where it is deepest."""


@dataclass(frozen=True, slots=True)
class Held:
    """A program held against a part, over places `cell` mm apart from (x0, y0) on."""

    cuts: list[CutInto]
    """What each operation cuts into it; empty where all stay off it."""
    surface: NDArray[np.float64]
    """(ny, nx) the part's highest surface; minus infinity beside it."""
    lowest: NDArray[np.float64]
    """(ny, nx) the lowest that the end of a cutter came, nowhere nearer to its edge than SIDE; infinite elsewhere."""
    x0: float
    y0: float
    cell: float


def held_against(part: NDArray[np.float64], moves: Moves, cutters: Sequence[tuple[float, float]]) -> Held:
    """The program on the part.

    `part`: (m, 3, 3) corners of its triangles in the job's coordinates, mm. `cutters`: radius and corner radius, mm,
    of each operation.
    """
    low, high = part.reshape(-1, 3).min(axis=0), part.reshape(-1, 3).max(axis=0)
    width, depth = high[:2] - low[:2]
    cell = max(FINEST, CELL * min(radius for radius, _ in cutters), math.sqrt(width * depth / MOST_CELLS))
    surface = np.full((int(depth / cell) + 1, int(width / cell) + 1), -np.inf)
    place = float(low[0]), float(low[1]), cell
    raise_surface(part, *place, surface)
    found, known = [], np.zeros(surface.shape, dtype=bool)
    all_of = np.full(surface.shape, np.inf)
    for index, (radius, corner) in enumerate(cutters):
        own, _ = renumbered(moves, index)
        where = own.start, own.kind, own.end, np.nan_to_num(own.centre)
        _, spots, _ = replay.walk(*where, sweep_angles(own), np.full(len(own), STEP * radius))
        spots = spots[spots[:, 2] < high[2]]
        lowest = np.full(surface.shape, np.inf)
        # Of a bull nose its flat end, and its full width above the corners: what lies between stays off what both do.
        for wide, above in [(radius - corner, 0.0), (radius, corner)] if corner > 0 else [(radius, 0.0)]:
            lower_end(spots + np.array([0.0, 0.0, above]), wide - SIDE, *place, lowest)
        np.minimum(all_of, lowest, out=all_of)
        into = (lowest < surface - DOWN) & ~known
        into &= _large(into)
        if into.any():
            deep = np.where(into, surface - np.maximum(lowest, low[2]), 0.0)
            row, column = np.unravel_index(int(np.argmax(deep)), deep.shape)
            at = float(low[0] + column * cell), float(low[1] + row * cell), float(lowest[row, column])
            found.append(CutInto(index, float(deep[row, column]), float(into.sum()) * cell**2, at))
            known |= into
    return Held(found, surface, all_of, *place)


def _large(marked: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The places that have enough others beside them."""
    labels, count = ndimage.label(marked)
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    sizes[0] = 0
    return np.asarray(sizes[labels] >= FEWEST)


@njit(cache=True, nogil=True)
def raise_surface(triangles, x0, y0, cell, surface):  # type: ignore[no-untyped-def]
    """Raise `surface` (ny, nx) to the triangles (m, 3, 3) over places `cell` mm apart from (x0, y0) on."""
    ny, nx = surface.shape
    for k in range(triangles.shape[0]):
        ax, ay, az = triangles[k, 0]
        bx, by, bz = triangles[k, 1]
        cx, cy, cz = triangles[k, 2]
        whole = (by - cy) * (ax - cx) + (cx - bx) * (ay - cy)
        if abs(whole) < 1e-12:
            continue
        first = max(0, int(np.ceil((min(ay, by, cy) - y0) / cell - 1e-9)))
        last = min(ny - 1, int(np.floor((max(ay, by, cy) - y0) / cell + 1e-9)))
        left = max(0, int(np.ceil((min(ax, bx, cx) - x0) / cell - 1e-9)))
        right = min(nx - 1, int(np.floor((max(ax, bx, cx) - x0) / cell + 1e-9)))
        for j in range(first, last + 1):
            y = y0 + j * cell
            for i in range(left, right + 1):
                x = x0 + i * cell
                a = ((by - cy) * (x - cx) + (cx - bx) * (y - cy)) / whole
                b = ((cy - ay) * (x - cx) + (ax - cx) * (y - cy)) / whole
                c = 1.0 - a - b
                if a >= -1e-9 and b >= -1e-9 and c >= -1e-9:
                    surface[j, i] = max(surface[j, i], a * az + b * bz + c * cz)


@njit(cache=True, nogil=True)
def lower_end(spots, radius, x0, y0, cell, lowest):  # type: ignore[no-untyped-def]
    """Lower `lowest` (ny, nx) to the flat end of a cutter of `radius` at each of `spots` (n, 3)."""
    ny, nx = lowest.shape
    for k in range(spots.shape[0]):
        x, y, z = spots[k]
        first = max(0, int(np.ceil((y - radius - y0) / cell)))
        last = min(ny - 1, int(np.floor((y + radius - y0) / cell)))
        for j in range(first, last + 1):
            off = y0 + j * cell - y
            half = np.sqrt(max(0.0, radius * radius - off * off))
            left = max(0, int(np.ceil((x - half - x0) / cell)))
            right = min(nx - 1, int(np.floor((x + half - x0) / cell)))
            for i in range(left, right + 1):
                lowest[j, i] = min(lowest[j, i], z)
