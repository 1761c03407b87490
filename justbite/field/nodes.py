"""Which nodes of a grid are in a shape, eight to a byte: a large area has many millions of them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import bands
from justbite.field.distance import inside_rows, segments_of
from justbite.field.grid import Grid


@dataclass(frozen=True, slots=True)
class Nodes:
    """Some nodes of a grid."""

    bits: NDArray[np.uint8]
    """(ny, nx / 8 and one more where that is not whole): a row's nodes from the greatest bit on."""
    columns: int
    count: int
    """How many they are."""

    @staticmethod
    def within(shape: BaseGeometry, grid: Grid) -> "Nodes":
        """Those that lie in a shape."""
        segments = segments_of(shape)
        bits = np.empty((grid.ny, (grid.nx + 7) // 8), dtype=np.uint8)
        count = 0
        for band in bands(grid.ny):
            inside = inside_rows(segments, grid, band)
            bits[band] = np.packbits(inside, axis=1)
            count += int(np.count_nonzero(inside))
        return Nodes(bits, grid.nx, count)

    def rows(self, band: slice) -> NDArray[np.bool_]:
        """(rows, nx) whether each node of some rows is one of them."""
        return np.unpackbits(self.bits[band], axis=1, count=self.columns).view(np.bool_)
