"""Places in the plane that are asked for by shape again and again: which of them lie in one area, and in the next.

A path works on one area after the other, so that places in a row lie near each other. They are boxed by the bunch, and
of many small areas each asks about the bunches near it alone.
"""

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

BUNCH = 256
"""Places to a box."""


class Places:
    """Those `among` n places, x and y (n,) each, that may be asked for."""

    def __init__(self, x: NDArray[np.floating], y: NDArray[np.floating], among: NDArray[np.bool_]) -> None:
        self._rows = np.nonzero(among)[0]
        self._at = x[self._rows], y[self._rows]
        first = np.arange(0, len(self._rows), BUNCH)
        boxed = len(first) > 0
        self._low = [np.minimum.reduceat(v, first) if boxed else v for v in self._at]
        self._high = [np.maximum.reduceat(v, first) if boxed else v for v in self._at]

    def within(self, shape: BaseGeometry) -> NDArray[np.intp]:
        """Which of them lie within a shape, (m,), rising."""
        x1, y1, x2, y2 = shape.bounds
        near = (self._low[0] < x2) & (self._high[0] > x1) & (self._low[1] < y2) & (self._high[1] > y1)
        rows = (np.nonzero(near)[0][:, None] * BUNCH + np.arange(BUNCH)).ravel()
        rows = rows[rows < len(self._rows)]
        x, y = self._at[0][rows], self._at[1][rows]
        rows = rows[(x > x1) & (x < x2) & (y > y1) & (y < y2)]
        found: NDArray[np.intp] = self._rows[rows[shapely.contains_xy(shape, self._at[0][rows], self._at[1][rows])]]
        return found
