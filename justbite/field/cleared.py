"""The cleared field: signed distance to the union of all discs swept so far.

Below zero is cleared. Capsules are stamped with a minimum, so that the boundary is
known to a small part of a cell. Values deeper than `-floor` are not kept: links and
engagement only read the neighbourhood of zero. Every changed node is written to an
undo log, so that a pass can be rolled back.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def stamp(field, x0, y0, cell, ax, ay, bx, by, radius, ahead, log_at, log_was, used):  # type: ignore[no-untyped-def]
    """Sweep a disc of `radius` from (ax, ay) to (bx, by). Returns the log's new length and the area taken, mm2.

    The area counts a node for as much of its cell as its distance says is inside the boundary.

    `ahead`: the disc at a was stamped before, so only what lies ahead of it is looked at. When the log
    is full it starts anew: what was logged before can no longer be undone.
    """
    ny, nx = field.shape
    floor = -4.0 * cell
    taken = 0.0
    reach = radius + 3.0 * cell
    inner = max(0.0, radius + floor)
    dx, dy = bx - ax, by - ay
    length2 = dx * dx + dy * dy
    per = 1.0 / length2 if length2 > 0.0 else 0.0
    left, right = min(ax, bx), max(ax, bx)
    i1 = max(0, int((left - reach - x0) / cell))
    i2 = min(nx - 1, int((right + reach - x0) / cell) + 1)
    j1 = max(0, int((min(ay, by) - reach - y0) / cell))
    j2 = min(ny - 1, int((max(ay, by) + reach - y0) / cell) + 1)
    if used + (i2 - i1 + 1) * (j2 - j1 + 1) > log_at.size:
        used = 0
    # Rows are short, so what is the same for all of them is told before them.
    cells = 1.0 / cell
    from_left, from_right, from_a = (left - x0) * cells, (right - x0) * cells, (ax - x0) * cells
    ahead = ahead and length2 > 0.0
    crossing = abs(dx) > 1e-3 * abs(dy)
    slope = dy / dx * cells if crossing else 0.0
    middle, rise = 0.5 * (ay + by), 0.5 * abs(dy)
    for j in range(j1, j2 + 1):
        y = y0 + j * cell
        off = abs(y - middle) - rise
        wide = reach * cells
        if off > 0.0:
            wide = np.sqrt(max(0.0, reach * reach - off * off)) * cells
        first = max(i1, int(from_left - wide))
        last = min(i2, int(from_right + wide) + 1)
        # What lies deep in the disc at a is at the floor since it was stamped: from `hole` up to `on` nothing changes.
        hole, on = last + 1, last + 1
        py = y - ay
        if ahead:
            # Where (x - ax) dx + (y - ay) dy > 0.
            if crossing:
                border = int(from_a - py * slope)
                if dx > 0.0:
                    first = max(first, border)
                else:
                    last = min(last, border + 1)
            elif py * dy < -cell * abs(dy):
                continue
            deep = inner * inner - py * py
            if deep > 0.0:
                half = np.sqrt(deep) * cells
                hole = int(from_a - half) + 1
                on = max(hole, int(from_a + half) + 1)
        before = py * dy * per
        for begin, end in ((first, min(last, hole - 1)), (max(first, on), last)):
            for i in range(begin, end + 1):
                was = field[j, i]
                if was <= floor:
                    continue
                px = x0 + i * cell - ax
                t = px * dx * per + before
                if t < 0.0:
                    t = 0.0
                elif t > 1.0:
                    t = 1.0
                ex = t * dx - px
                ey = t * dy - py
                square = ex * ex + ey * ey
                # Most nodes are nearer to what was swept before: seen without a root.
                nearer = was + radius
                if square >= nearer * nearer:
                    continue
                now = max(np.sqrt(square) - radius, floor)
                if now < was:
                    log_at[used] = j * nx + i
                    log_was[used] = was
                    used += 1
                    field[j, i] = now
                    if was > -0.5 * cell and now < 0.5 * cell:
                        taken += min(1.0, was / cell + 0.5) - max(0.0, now / cell + 0.5)
    return used, taken * cell * cell


OFF, MOST_STEPS = 0.0002, 12
"""R by which steps may lie off a line that is swept in their place, and how many these are at most."""


@njit(cache=True, nogil=True)
def stamp_along(field, x0, y0, cell, points, radius, ahead, log_at, log_was):  # type: ignore[no-untyped-def]
    """Sweep a disc of `radius` along `points` (n, 2). What the log held before is lost.

    `ahead`: a pass, each time looking only at what lies ahead, steps as good as in line in one go: in less time, the
    same to OFF.
    """
    k = 0
    while k + 1 < points.shape[0]:
        last = k + 1
        while ahead and last + 1 < points.shape[0] and last < k + MOST_STEPS and _in_line(
            points, k, last + 1, OFF * radius
        ):  # fmt: skip
            last += 1
        stamp(
            field, x0, y0, cell, points[k, 0], points[k, 1], points[last, 0], points[last, 1], radius,
            ahead and k > 0, log_at, log_was, 0,
        )  # fmt: skip
        k = last


@njit(cache=True, nogil=True)
def _in_line(points, first, last, off):  # type: ignore[no-untyped-def]
    """Whether points go on from the first to the last, none more than `off` from the line between."""
    dx, dy = points[last, 0] - points[first, 0], points[last, 1] - points[first, 1]
    length = np.sqrt(dx * dx + dy * dy)
    gone = 0.0
    for k in range(first + 1, last):
        ex, ey = points[k, 0] - points[first, 0], points[k, 1] - points[first, 1]
        along = ex * dx + ey * dy
        if along < gone or along > length * length or abs(ex * dy - ey * dx) > off * length:
            return False
        gone = along
    return length > 0.0


@njit(cache=True, nogil=True)
def undo(field, log_at, log_was, used, back_to):  # type: ignore[no-untyped-def]
    """Take back the entries of the log from its end down to length `back_to`."""
    nx = field.shape[1]
    for k in range(used - 1, back_to - 1, -1):
        field[log_at[k] // nx, log_at[k] % nx] = log_was[k]
