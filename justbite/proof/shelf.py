"""Rows of numbers that are put away in a temporary file until they are asked for: a long program has millions of them.

The file has no name, and is gone with the last row that was put there. Where there is no room for it the rows stay in
memory.
"""

import tempfile
from dataclasses import dataclass
from typing import IO

import numpy as np
from numpy.typing import NDArray

Row = NDArray[np.float32]


class Shelf:
    """A temporary file with rows one after the other."""

    def __init__(self) -> None:
        self._file: IO[bytes] | None = None
        self._end = 0

    def put(self, row: Row) -> "PutAway":
        """Put a row (n,) away."""
        try:
            if self._file is None:
                self._file = tempfile.TemporaryFile()  # noqa: SIM115 (it lives as long as the shelf)
            self._file.seek(self._end)
            self._file.write(np.ascontiguousarray(row).data)
            # What is not written out may fail later, when the row is gone.
            self._file.flush()
            begin, self._end = self._end, self._end + row.nbytes
        except OSError:
            return PutAway(row)
        return PutAway(None, self, begin, len(row))

    def take(self, begin: int, count: int) -> Row:
        """The row (count,) that begins at a byte."""
        assert self._file is not None
        self._file.seek(begin)
        return np.frombuffer(self._file.read(4 * count), dtype=np.float32)


@dataclass(frozen=True, slots=True)
class PutAway:
    """A row that is in memory, or on a shelf."""

    row: Row | None
    shelf: Shelf | None = None
    begin: int = 0
    count: int = 0

    def taken(self) -> Row:
        """The row (n,), as it was put away; not to be written to."""
        if self.row is not None:
            return self.row
        assert self.shelf is not None
        return self.shelf.take(self.begin, self.count)
