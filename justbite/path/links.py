"""Links made smooth: tangent out of the cut, tangent into the next, when there is room."""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from justbite.field.grid import Field, Grid
from justbite.path.search import line_clear

Points = NDArray[np.float64]


def smooth_link(points: Points, out: Points, into: Points, cleared: Field, room: Field, grid: Grid,
                radius: float, wall: float, most: float, skin: float) -> Points:  # fmt: skip
    """A curve through `points` (n, 2) leaving along `out` and arriving along `into` (unit).

    Tried with long, then shorter tangents; the plain polyline where none of them is clear.
    """
    frame = (grid.x0, grid.y0, grid.cell)
    for reach in (1.0, 0.6, 0.3):
        curve = _hermite(points, out, into, reach, radius)
        if all(
            line_clear(cleared, room, *frame, a[0], a[1], b[0], b[1], radius, wall, most, skin)
            for a, b in pairwise(curve)
        ):
            return curve
    return points


def _hermite(points: Points, out: Points, into: Points, reach: float, radius: float) -> Points:
    chords = np.diff(points, axis=0)
    spans = np.hypot(chords[:, 0], chords[:, 1])
    directions = chords / np.maximum(spans, 1e-9)[:, None]
    tangents = np.vstack([out, directions[:-1] + directions[1:], into])
    tangents /= np.maximum(np.hypot(tangents[:, 0], tangents[:, 1]), 1e-9)[:, None]
    curve = [points[:1]]
    for k, span in enumerate(spans):
        size = reach * max(span, radius)
        count = max(12, int(span / (0.05 * radius)))
        t = (np.arange(1, count + 1) / count)[:, None]
        p, q = points[k], points[k + 1]
        m, n = tangents[k] * size, tangents[k + 1] * size
        curve.append(
            (2 * t**3 - 3 * t**2 + 1) * p + (t**3 - 2 * t**2 + t) * m + (3 * t**2 - 2 * t**3) * q + (t**3 - t**2) * n
        )
    return np.vstack(curve)
