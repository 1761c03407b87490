"""Which passes must come before which, and the order of them with the shortest ways between that keeps to it.

While a plan is made, the next pass is the one that begins nearest; what is nowhere near at any time is left to the end,
each with a way of its own. Once all passes are known, those that do not depend on each other may change places: what a
pass takes is what stands within reach of its way, so that it depends on nothing but the passes that cut there before.
"""

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray

from justbite.field.aside import bands, blank
from justbite.field.grid import Field, Grid
from justbite.path.fronts import Points

MARGIN = 0.03
"""R: how much farther off what a pass cut still counts as within another one's reach."""
STRAIGHT = 0.002
"""R: how far off its places the way may be that tells what lies within reach."""
CLEAR, STANDS = np.iinfo(np.int16).max, -1
"""Owners of what was clear before, and of what nobody has cut."""
RUNS = np.array([1, 2, 3, 4, 6, 8, 12, 16, 24, 32])
"""How many passes change their place together."""
ROUNDS = 30
"""How often all of them are gone through, at most."""
GAIN = 1e-6
"""Seconds that a change has to gain."""


class Owners:
    """Which pass cut what: a number for each node of a grid, so that there may be no more than CLEAR of them."""

    def __init__(self, grid: Grid, radius: float, cleared: Field) -> None:
        """`cleared` (ny, nx): the field before all of them."""
        self._frame = grid.x0, grid.y0, grid.cell
        self._radius = radius
        self._owner = blank(cleared.shape, np.int16)
        for band in bands(len(cleared)):
            self._owner[band] = np.where(cleared[band] < 0.0, np.int16(CLEAR), np.int16(STANDS))

    def cut(self, number: int, ways: list[Points], earlier: NDArray[np.bool_]) -> None:
        """Tell that pass `number` cut along `ways`; those that cut within its reach before it are set in `earlier`."""
        bare = [shapely.get_coordinates(shapely.LineString(way).simplify(STRAIGHT * self._radius)) for way in ways]
        for way in bare:
            _visit(self._owner, *self._frame, way, (1.0 + MARGIN) * self._radius + self._frame[2], STANDS, earlier)
        for way in bare:
            _visit(self._owner, *self._frame, way, self._radius, number, earlier)


@njit(cache=True, nogil=True)
def _visit(owner, x0, y0, cell, way, reach, number, met):  # type: ignore[no-untyped-def]
    """Nodes within `reach` of a way: those that stand become `number`'s, the owners of the others are set in `met`."""
    ny, nx = owner.shape
    # The columns seen in each row at the step before: what is seen twice need not be looked at again.
    first_seen = np.full(ny, 1)
    last_seen = np.zeros(ny, dtype=np.int64)
    before_low, before_high = 0, -1
    for k in range(max(1, way.shape[0] - 1)):
        ax, ay = way[k, 0], way[k, 1]
        bx, by = way[min(k + 1, way.shape[0] - 1), 0], way[min(k + 1, way.shape[0] - 1), 1]
        low = max(0, int(np.ceil((min(ay, by) - reach - y0) / cell)))
        high = min(ny - 1, int(np.floor((max(ay, by) + reach - y0) / cell)))
        for j in range(before_low, before_high + 1):
            if not low <= j <= high:
                first_seen[j], last_seen[j] = 1, 0
        before_low, before_high = low, high
        for j in range(low, high + 1):
            left, right = _columns(ax, ay, bx, by, y0 + j * cell, reach)
            if left > right:
                first_seen[j], last_seen[j] = 1, 0
                continue
            first = max(0, int(np.ceil((left - x0) / cell)))
            last = min(nx - 1, int(np.floor((right - x0) / cell)))
            for i in range(first, last + 1):
                if first_seen[j] <= i <= last_seen[j]:
                    continue
                if owner[j, i] < 0:
                    owner[j, i] = number
                elif owner[j, i] < met.shape[0]:
                    met[owner[j, i]] = True
            first_seen[j], last_seen[j] = first, last


@njit(cache=True, nogil=True)
def _columns(ax, ay, bx, by, y, reach):  # type: ignore[no-untyped-def]
    """From where to where in x a row at `y` is within `reach` of the line from a to b; empty: the first is larger."""
    left, right = np.inf, -np.inf
    for cx, cy in ((ax, ay), (bx, by)):
        half = reach * reach - (y - cy) * (y - cy)
        if half >= 0.0:
            half = np.sqrt(half)
            left, right = min(left, cx - half), max(right, cx + half)
    dx, dy = bx - ax, by - ay
    length = np.hypot(dx, dy)
    if length > 0.0:
        # The two sides of the strip between the discs.
        for side in (-1.0, 1.0):
            ox, oy = -side * dy / length * reach, side * dx / length * reach
            if abs(dy) > 1e-12:
                t = (y - ay - oy) / dy
                if 0.0 <= t <= 1.0:
                    x = ax + ox + t * dx
                    left, right = min(left, x), max(right, x)
    return left, right


@njit(cache=True, nogil=True)
def shorter(order, seconds, earlier):  # type: ignore[no-untyped-def]
    """A better order of passes: runs of them change their place as long as that gains time.

    `order` (m,), which keeps to `earlier` (m, m): whether pass [a, b] has b before it; `seconds` (m + 1, m + 1): from
    the end of a pass to the beginning of another, both counted from 1; row 0 is where all begins, column 0 what comes
    after all of them.
    """
    order = order.copy()
    m = order.shape[0]
    for _ in range(ROUNDS):
        better = False
        for size in RUNS:
            for a in range(m - size + 1):
                end = a + size
                head, tail = order[a], order[end - 1]
                ahead = order[a - 1] + 1 if a > 0 else 0
                behind = order[end] + 1 if end < m else 0
                gone = seconds[ahead, head + 1] + seconds[tail + 1, behind] - seconds[ahead, behind]
                best, at = gone - GAIN, -1
                for j in range(a - 1, -1, -1):
                    if _bound(order, a, end, j, earlier, True):
                        break
                    from_ = order[j - 1] + 1 if j > 0 else 0
                    come = seconds[from_, head + 1] + seconds[tail + 1, order[j] + 1] - seconds[from_, order[j] + 1]
                    if come < best:
                        best, at = come, j
                for j in range(end, m):
                    if _bound(order, a, end, j, earlier, False):
                        break
                    to = order[j + 1] + 1 if j + 1 < m else 0
                    come = seconds[order[j] + 1, head + 1] + seconds[tail + 1, to] - seconds[order[j] + 1, to]
                    if come < best:
                        best, at = come, j + 1
                if at >= 0:
                    run = order[a:end].copy()
                    if at < a:
                        order[at + size : end] = order[at:a].copy()
                        order[at : at + size] = run
                    else:
                        order[a : at - size] = order[end:at].copy()
                        order[at - size : at] = run
                    better = True
        if not better:
            break
    return order


@njit(cache=True, nogil=True)
def _bound(order, first, end, at, earlier, backwards):  # type: ignore[no-untyped-def]
    """Whether the run from `first` to `end` must come after the pass at `at`; `backwards` False: before it."""
    found = False
    for k in range(first, end):
        found |= earlier[order[k], order[at]] if backwards else earlier[order[at], order[k]]
    return found


@njit(cache=True, nogil=True)
def spent(order, seconds):  # type: ignore[no-untyped-def]
    """Seconds that the ways take in an order of passes; see `shorter`."""
    at, told = 0, 0.0
    for k in order:
        told += seconds[at, k + 1]
        at = k + 1
    return told + seconds[at, 0]
