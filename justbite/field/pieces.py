"""Connected pieces of a mask over a grid, and how large they are: in bands, to spare memory on large areas."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

BAND = 256
"""Rows that are counted at once."""


def pieces_of(mask: NDArray[np.bool_], structure: NDArray[Any] | None = None
              ) -> tuple[NDArray[np.int32], NDArray[np.int64]]:  # fmt: skip
    """Labels (ny, nx), 1 and up, 0 outside; and how many nodes each label has, 0 first.

    `structure`: which neighbours belong together, as scipy.ndimage.label has it.
    """
    labels, count = ndimage.label(mask, structure=structure)
    sizes = np.zeros(count + 1, dtype=np.int64)
    for first in range(0, len(labels), BAND):
        sizes += np.bincount(labels[first : first + BAND].ravel(), minlength=count + 1)
    return labels, sizes


def labels_in(labels: NDArray[np.int32], mask: NDArray[np.bool_], count: int) -> NDArray[np.bool_]:
    """(count,) whether a label has a node in the mask."""
    found = np.zeros(count, dtype=bool)
    for first in range(0, len(labels), BAND):
        rows = slice(first, first + BAND)
        found[labels[rows][mask[rows]]] = True
    return found
