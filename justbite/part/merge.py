"""Corners of triangles that are one point made one."""

import numpy as np
from numpy.typing import NDArray

DIGITS = 4
"""Corners that agree to a tenth of a micrometre are one."""
OFF_GRID = 0.0000371
"""So that the round numbers of drawings do not lie where rounding goes one way or the other."""


def merged(points: NDArray[np.float64], triangles: NDArray[np.int32]) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """`points` (n, 3) without repeats, and `triangles` (m, 3) that index them."""
    _, first, index = np.unique(np.round(points + OFF_GRID, DIGITS), axis=0, return_index=True, return_inverse=True)
    return points[first], index.reshape(-1)[triangles].astype(np.int32)
