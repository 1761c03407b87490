"""Large fields in temporary files: of a large area with a small bite only what is worked on need be in memory.

The field of a plate of 600 x 400 mm, cut with 5 % of a 6 mm cutter, has 44 million nodes. Few of them are near the
cutter at any time. The system reads the others from the file when they are asked for, and the file is gone with the
field. Where there is no room for it the field is in memory, as smaller ones are.
"""

import math
import mmap
import os
import tempfile
import weakref
from collections.abc import Iterator
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Kind = TypeVar("Kind", bound=np.generic)
BAND = 256
"""Rows of a field that are worked on at once."""
LARGE = 64 << 20
"""Bytes from which on a field is put into a file."""
_FILES: "weakref.WeakSet[mmap.mmap]" = weakref.WeakSet()


def blank(shape: tuple[int, ...], dtype: type[Kind]) -> NDArray[Kind]:
    """A field (ny, nx) to be written to, whatever is in it now."""
    size = math.prod(shape) * np.dtype(dtype).itemsize
    if size < LARGE:
        return np.empty(shape, dtype)
    try:
        with tempfile.TemporaryFile() as file:
            # Were there no room for a page that is first written to later, the process would be ended.
            os.posix_fallocate(file.fileno(), 0, size)
            pages = mmap.mmap(file.fileno(), size)
    except (AttributeError, OSError):
        return np.empty(shape, dtype)
    _FILES.add(pages)
    return np.frombuffer(pages, dtype).reshape(shape)


def zeros(shape: tuple[int, int]) -> NDArray[np.float32]:
    """A field (ny, nx) of zeros; what of a large one is never written to takes no memory."""
    size = 4 * math.prod(shape)
    if size < LARGE:
        return np.zeros(shape, dtype=np.float32)
    pages = mmap.mmap(-1, size, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    if hasattr(mmap, "MADV_NOHUGEPAGE"):
        # Else two MB at a time are taken for each number.
        pages.madvise(mmap.MADV_NOHUGEPAGE)
    return np.frombuffer(pages, np.float32).reshape(shape)


def is_large(field: NDArray[np.generic]) -> bool:
    """Whether a field is one of those that are put into files."""
    return field.nbytes >= LARGE


def filled(shape: tuple[int, int], value: float) -> NDArray[np.float32]:
    """A field (ny, nx) that is `value` all over, to be written to."""
    made = blank(shape, np.float32)
    for band in bands(shape[0]):
        made[band] = value
    return made


def copied(field: NDArray[np.float32]) -> NDArray[np.float32]:
    """The same field, to be written to."""
    made = blank(field.shape, np.float32)
    for band in bands(len(field)):
        made[band] = field[band]
    return made


def bands(rows: int, many: int = 0) -> Iterator[slice]:
    """All rows of a field, so `many` at a time, BAND for 0; of large ones what was looked at is let go."""
    many = many or BAND
    for first in range(0, rows, many):
        yield slice(first, min(rows, first + many))
        let_go()


class Rows:
    """Rows of numbers that are put into such files one after the other, as the passes of a large area."""

    def __init__(self) -> None:
        self._file = np.empty(0)
        self._used = 0

    def put(self, row: NDArray[np.float64]) -> NDArray[np.float64]:
        """The same numbers, in a file."""
        if self._used + row.size > self._file.size:
            self._file, self._used = blank((max(LARGE // 8, row.size),), np.float64), 0
        own = self._file[self._used : self._used + row.size].reshape(row.shape)
        self._used += row.size
        own[:] = row
        return own


def let_go() -> None:
    """Keep nothing of large fields in memory until it is asked for again."""
    for pages in list(_FILES):
        pages.madvise(mmap.MADV_DONTNEED)
