"""Connected pieces of a mask over a grid, and how large they are: in bands, to spare memory on large areas.

Of the small ones alone their nodes."""

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import ndimage

from justbite.field.aside import bands
from justbite.field.grid import Field


def pieces_of(mask: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Labels (ny, nx), 1 and up, 0 outside; and how many nodes each label has, 0 first. Diagonals part pieces."""
    labels, count = ndimage.label(mask)
    sizes = np.zeros(count + 1, dtype=np.int64)
    for band in bands(len(labels)):
        sizes += np.bincount(labels[band].ravel(), minlength=count + 1)
    return labels, sizes


def small_pieces(field: Field, level: float, room: Field, wall: float, most: int
                 ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """Pieces of at most `most` nodes, diagonals included, where `field` (ny, nx) is above a level.

    Only those with no node on the grid's rim or where `room` (ny, nx) is below `wall`. Their nodes, as places in the
    grid laid out in a row, in rising order, and where each piece begins in these, with their end as the last.
    """
    seen = np.zeros(field.shape, dtype=np.uint8)
    piece = np.empty((most + 1, 2), dtype=np.int64)
    found = [_small(field, level, room, wall, seen, piece, band.start, band.stop) for band in bands(max(1, len(field)))]
    sizes = np.concatenate([own for _, own in found])
    return np.concatenate([own for own, _ in found]), np.append(0, np.cumsum(sizes))


@njit(cache=True, nogil=True)
def _small(field, level, room, wall, seen, piece, first, last):  # type: ignore[no-untyped-def]
    """The nodes of `small_pieces` that are met first in the rows from `first` to `last` - 1, and how many each has."""
    ny, nx = field.shape
    nodes, sizes = [np.int64(0) for _ in range(0)], [np.int64(0) for _ in range(0)]
    # A small piece keeps off the rim, and is met first where nothing stands above or to the left of one of its nodes.
    for row in range(max(1, first), min(last, ny - 1)):
        for column in range(1, nx - 1):
            if _tops(field, level, row, column) and not seen[row, column]:
                count = _walked(field, level, room, wall, row, column, seen, piece)
                for k in np.sort(piece[:count, 0] * nx + piece[:count, 1]):
                    nodes.append(k)
                if count:
                    sizes.append(np.int64(count))
    return np.array(nodes), np.array(sizes)


@njit(cache=True, nogil=True)
def _tops(field, level: float, j: int, i: int) -> bool:  # type: ignore[no-untyped-def]
    """Whether a node is above the level, and those before it in the grid are not."""
    if not field[j, i] > level or field[j, i - 1] > level:
        return False
    return not (field[j - 1, i - 1] > level or field[j - 1, i] > level or field[j - 1, i + 1] > level)


@njit(cache=True, nogil=True)
def _walked(field, level: float, room, wall: float, row: int, column: int, seen, piece) -> int:  # type: ignore[no-untyped-def]
    """Walk through the piece that a node is in; its nodes are in `piece` (most + 1, 2). How many, 0 if it is none."""
    ny, nx = field.shape
    seen[row, column], piece[0, 0], piece[0, 1] = 1, row, column
    count, at, fits = 1, 0, True
    while at < count and fits:
        j, i = piece[at]
        at += 1
        fits = 0 < j < ny - 1 and 0 < i < nx - 1 and not room[j, i] < wall
        for other in range(9 if fits else 0):
            y, x = j + other // 3 - 1, i + other % 3 - 1
            if field[y, x] <= level or seen[y, x] == 1:
                continue
            # A piece that was given up goes on here.
            if seen[y, x] == 2 or count == len(piece):
                fits = False
                break
            seen[y, x], piece[count, 0], piece[count, 1] = 1, y, x
            count += 1
    if fits and count < len(piece):
        return count
    for k in range(count):
        seen[piece[k, 0], piece[k, 1]] = 2
    return 0
