"""Links made smooth: tangent out of the cut, tangent into the next, when there is room."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.field.grid import Field, Grid, read
from justbite.path.search import line_clear

Points = NDArray[np.float64]


def smooth_link(points: Points, out: Points, into: Points, cleared: Field, room: Field, grid: Grid,
                radius: float, wall: float, most: float, skin: float) -> Points:  # fmt: skip
    """A curve through `points` (n, 2) leaving along `out` and arriving along `into` (unit).

    Tried with long, then shorter tangents; the plain polyline where none of them is clear.
    """
    for reach in (1.0, 0.6, 0.3):
        curve = np.asarray(_hermite(points, out, into, reach, radius))
        if _curve_clear(cleared, room, grid.x0, grid.y0, grid.cell, curve, radius, wall, most, skin):
            return curve
    return points


@njit(cache=True, nogil=True)
def _curve_clear(cleared, room, x0, y0, cell, curve, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Whether the cutter may travel along the points of `curve` cutting no deeper than `most`."""
    last = 0
    along = 0.0
    for k in range(1, curve.shape[0]):
        # Walls at every point: a curve may hook round in less than is looked at for material.
        if read(room, x0, y0, cell, curve[k, 0], curve[k, 1]) < wall:
            return False
        along += np.hypot(curve[k, 0] - curve[k - 1, 0], curve[k, 1] - curve[k - 1, 1])
        if along < 0.1 * radius and k + 1 < curve.shape[0]:
            continue
        if not line_clear(
            cleared, room, x0, y0, cell, curve[last, 0], curve[last, 1], curve[k, 0], curve[k, 1],
            radius, wall, most, skin,
        ):  # fmt: skip
            return False
        last = k
        along = 0.0
    return True


@njit(cache=True, nogil=True)
def _hermite(points, out, into, reach, radius):  # type: ignore[no-untyped-def]
    """Points (n, 2) of cubic curves through `points`, tangent to `out`, `into` and the chords' bisectors."""
    n = points.shape[0]
    spans = np.empty(n - 1)
    ways = np.empty((n - 1, 2))
    counts = np.empty(n - 1, dtype=np.int64)
    for k in range(n - 1):
        dx = points[k + 1, 0] - points[k, 0]
        dy = points[k + 1, 1] - points[k, 1]
        spans[k] = np.hypot(dx, dy)
        ways[k, 0] = dx / max(spans[k], 1e-9)
        ways[k, 1] = dy / max(spans[k], 1e-9)
        counts[k] = max(12, int(spans[k] / (0.05 * radius)))
    tangents = np.empty((n, 2))
    tangents[0] = out
    tangents[n - 1] = into
    for k in range(1, n - 1):
        tangents[k] = ways[k - 1] + ways[k]
    for k in range(n):
        tangents[k] /= max(np.hypot(tangents[k, 0], tangents[k, 1]), 1e-9)
    curve = np.empty((1 + counts.sum(), 2))
    curve[0] = points[0]
    at = 1
    for k in range(n - 1):
        size = reach * max(spans[k], radius)
        for m in range(1, counts[k] + 1):
            t = m / counts[k]
            for d in range(2):
                curve[at, d] = (
                    (2 * t**3 - 3 * t**2 + 1) * points[k, d]
                    + (t**3 - 2 * t**2 + t) * tangents[k, d] * size
                    + (3 * t**2 - 2 * t**3) * points[k + 1, d]
                    + (t**3 - t**2) * tangents[k + 1, d] * size
                )
            at += 1
    return curve
