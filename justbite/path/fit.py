"""Lines and arcs in place of a dense polyline, within a tolerance.

Greedy: from each point the longest run that one line or one arc through its ends and middle
point fits. The ends of runs are points of the polyline, so nothing drifts.
"""

import numpy as np
from numba import njit

MOST_SWEEP = 2.6
"""Radians: longer arcs are split, so that no control has to guess the side."""


@njit(cache=True, nogil=True)
def _line_fits(points, a, b, tolerance):  # type: ignore[no-untyped-def]
    dx = points[b, 0] - points[a, 0]
    dy = points[b, 1] - points[a, 1]
    length = np.sqrt(dx * dx + dy * dy)
    if length < 1e-9:
        return b == a + 1
    for k in range(a + 1, b):
        ex = points[k, 0] - points[a, 0]
        ey = points[k, 1] - points[a, 1]
        along = (ex * dx + ey * dy) / length
        if along < -tolerance or along > length + tolerance:
            return False
        if abs(ex * dy - ey * dx) / length > tolerance:
            return False
    return True


@njit(cache=True, nogil=True)
def _circle(points, a, m, b):  # type: ignore[no-untyped-def]
    """Centre, radius and swept angle (positive left) of the arc a-m-b; radius 0 if none."""
    x1 = points[m, 0] - points[a, 0]
    y1 = points[m, 1] - points[a, 1]
    x2 = points[b, 0] - points[a, 0]
    y2 = points[b, 1] - points[a, 1]
    cross = x1 * y2 - y1 * x2
    if abs(cross) < 1e-12:
        return 0.0, 0.0, 0.0, 0.0
    s1 = x1 * x1 + y1 * y1
    s2 = x2 * x2 + y2 * y2
    ux = (y2 * s1 - y1 * s2) / (2.0 * cross)
    uy = (x1 * s2 - x2 * s1) / (2.0 * cross)
    radius = np.sqrt(ux * ux + uy * uy)
    first = np.arctan2(-uy, -ux)
    last = np.arctan2(y2 - uy, x2 - ux)
    sweep = last - first
    if cross > 0.0:
        while sweep <= 0.0:
            sweep += 2.0 * np.pi
    else:
        while sweep >= 0.0:
            sweep -= 2.0 * np.pi
    return points[a, 0] + ux, points[a, 1] + uy, radius, sweep


@njit(cache=True, nogil=True)
def _arc_fits(points, a, b, tolerance):  # type: ignore[no-untyped-def]
    if b - a < 3:
        return False
    cx, cy, radius, sweep = _circle(points, a, (a + b) // 2, b)
    if radius <= 0.0 or radius > 2000.0 or abs(sweep) > MOST_SWEEP:
        return False
    turn = 1.0 if sweep > 0.0 else -1.0
    before_x = points[a, 0] - cx
    before_y = points[a, 1] - cy
    for k in range(a + 1, b + 1):
        x = points[k, 0] - cx
        y = points[k, 1] - cy
        if abs(np.sqrt(x * x + y * y) - radius) > tolerance:
            return False
        # Between the points, too: the polyline's chord against the arc's bulge.
        if turn * (before_x * y - before_y * x) <= 0.0:
            return False
        chord2 = (x - before_x) ** 2 + (y - before_y) ** 2
        if chord2 / (8.0 * radius) > tolerance:
            return False
        before_x = x
        before_y = y
    return True


@njit(cache=True, nogil=True)
def fit(points, tolerance):  # type: ignore[no-untyped-def]
    """Rows (last index, kind, centre x, centre y) of the blocks along `points` (n, 2).

    kind: 1 line, 2 clockwise, 3 counterclockwise; a block runs from the previous last index.
    """
    n = points.shape[0]
    rows = np.empty((max(1, n), 4))
    count = 0
    a = 0
    while a < n - 1:
        best = a + 1
        arc = False
        for as_arc in (False, True):
            good = a + 1
            reach = 2
            if as_arc:
                reach = 3
            bad = n
            # Double the run while it fits, then halve the gap.
            while a + reach < n:
                b = a + reach
                ok = _arc_fits(points, a, b, tolerance) if as_arc else _line_fits(points, a, b, tolerance)
                if not ok:
                    bad = b
                    break
                good = b
                reach *= 2
            else:
                b = n - 1
                if b > good:
                    ok = _arc_fits(points, a, b, tolerance) if as_arc else _line_fits(points, a, b, tolerance)
                    if ok:
                        good = b
                    else:
                        bad = b
            while bad - good > 1:
                b = (good + bad) // 2
                if b >= n:
                    break
                ok = _arc_fits(points, a, b, tolerance) if as_arc else _line_fits(points, a, b, tolerance)
                if ok:
                    good = b
                else:
                    bad = b
            if good > best:
                best = good
                arc = as_arc
        rows[count, 0] = best
        rows[count, 1] = 1
        rows[count, 2] = np.nan
        rows[count, 3] = np.nan
        if arc:
            cx, cy, _radius, sweep = _circle(points, a, (a + best) // 2, best)
            rows[count, 1] = 3 if sweep > 0.0 else 2
            rows[count, 2] = cx
            rows[count, 3] = cy
        count += 1
        a = best
    return rows[:count].copy()
