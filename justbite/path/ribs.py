"""Ribs: what is left between two fronts that come towards each other, thinner than the bite.

A pass that takes less than its target turns in for more. Before a rib that leads across it, and leaves pieces that no
wall holds. Straight on it takes all of it.
"""

import numpy as np
from numba import njit

from justbite.field.grid import read

ASTRIDE, MOST_ASTRIDE = 0.3, 0.9
"""Over the target: where a cut takes more than the one and less than the other, and the side towards the material is
clear, it has all of a rib before it. It goes along the rib then: to turn in to take more would lead across it."""
BESIDE = np.radians(np.array([90.0, 80.0, 70.0, 60.0]))
"""Where that side is looked at, from the heading on."""
AHEAD, ACROSS, WHOLLY = np.array([1.0, 1.3]), np.linspace(-0.25, 0.95, 25), 0.9
"""R before the cutter's middle, and from the heading's line towards the material: where a rib is looked for; and how
far off that line it may end, to be taken whole."""


@njit(cache=True, nogil=True)
def is_astride(cleared, x0, y0, cell, px, py, heading, side, radius, target, depth):  # type: ignore[no-untyped-def]
    """Whether a cut at (px, py) that takes `depth` has all of a rib before it, and is to turn in no more."""
    if depth >= MOST_ASTRIDE * target:
        return False
    if depth > ASTRIDE * target and _clear_beside(cleared, x0, y0, cell, px, py, heading, side, radius):
        return True
    return _rib_ahead(cleared, x0, y0, cell, px, py, heading, side, radius, target)


@njit(cache=True, nogil=True)
def _clear_beside(cleared, x0, y0, cell, px, py, heading, side, radius):  # type: ignore[no-untyped-def]
    """Whether nothing stands under the quarter of the cutter's circle towards the material: it is astride of a rib."""
    for k in range(BESIDE.size):
        angle = heading - side * BESIDE[k]
        if read(cleared, x0, y0, cell, px + radius * np.cos(angle), py + radius * np.sin(angle)) > 0.0:
            return False
    return True


@njit(cache=True, nogil=True)
def _rib_ahead(cleared, x0, y0, cell, px, py, heading, side, radius, target):  # type: ignore[no-untyped-def]
    """Whether what stands before the cutter is a rib thinner than the target, that it takes whole going straight on."""
    c, s = np.cos(heading), np.sin(heading)
    for ahead in AHEAD:
        fx, fy = px + ahead * radius * c, py + ahead * radius * s
        begins, ends = np.inf, np.inf
        for across in ACROSS:
            stands = read(cleared, x0, y0, cell, fx + side * across * radius * s, fy - side * across * radius * c) > 0.0
            if stands and begins == np.inf:
                begins = across
            elif not stands and begins < np.inf:
                ends = across
                break
        if begins > ACROSS[0] and ends < WHOLLY and (ends - begins) * radius < target:
            return True
    return False
