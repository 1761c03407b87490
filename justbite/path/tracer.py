"""Tracing one pass: follow a front of material so that the radial depth keeps its target.

The material lies on the right of travel (side = +1, climb milling with a clockwise
spindle) or on the left (side = -1, used to walk a front back to its upstream end).
Turning "away" means away from the material: left for side = +1.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit

from justbite.field.cleared import stamp, undo
from justbite.field.grid import read
from justbite.path.contact import radial_depth

HUGE = 1e9
END_HAND = 0.95
"""Share of the depth at a step's end that counts against the target."""
PIVOT = 0.03
"""Where the escape radius is under this share of R, the cutter may turn on the spot."""
RAN_OUT, FADED, STUCK, CLOSED = 0, 1, 2, 3
"""How a pass ended: step limit, engagement faded, no way on, came round to its start."""


@dataclass(frozen=True, slots=True)
class TraceSettings:
    """Lengths in mm. See `trace` for their part in it."""

    radius: float
    wall: float
    """Least distance of the cutter's centre from what must not be touched."""
    step: float
    target: float
    fade: float
    """A pass ends when its radial depth stays under this for `fade_length`."""
    fade_length: float
    turn_away: float
    """Least radius of curves away from the material."""
    turn_in: float
    """Least radius of curves towards the material."""
    escape: float
    """Radius of the curve by which the cutter can always still leave a wall."""
    skin: float
    lag_steps: int

    def packed(self) -> tuple[float, ...]:
        """The settings as the plain tuple that the kernels take."""
        return (
            self.radius, self.wall, self.step, self.target, self.fade, self.fade_length,
            self.turn_away, self.turn_in, self.escape, self.skin, float(self.lag_steps),
        )  # fmt: skip


@njit(cache=True, nogil=True)
def free_at(room, x0, y0, cell, x, y, wall):  # type: ignore[no-untyped-def]
    """Whether the cutter's centre may stand at (x, y)."""
    return read(room, x0, y0, cell, x, y) >= wall


@njit(cache=True, nogil=True)
def _arc_free(room, x0, y0, cell, x, y, c, s, turn, radius, wall):  # type: ignore[no-untyped-def]
    """Whether a quarter turn (turn = +1 left, -1 right) of `radius` stays inside `wall`."""
    for k in range(1, 7):
        a = k * np.pi / 12.0
        along = radius * np.sin(a)
        across = radius * (1.0 - np.cos(a)) * turn
        px = x + along * c - across * s
        py = y + along * s + across * c
        if read(room, x0, y0, cell, px, py) < wall:
            return False
    return True


@njit(cache=True, nogil=True)
def can_stand(room, x0, y0, cell, x, y, c, s, side, escape, turn_in, wall):  # type: ignore[no-untyped-def]
    """Whether the centre may be at (x, y) with heading (c, s) and still leave the walls."""
    here = read(room, x0, y0, cell, x, y)
    if here < wall:
        return False
    slack = wall - 0.02 * escape
    # The quarter turn stays within 1.42 of its radius.
    if here > slack + 1.45 * escape + cell:
        return True
    if _arc_free(room, x0, y0, cell, x, y, c, s, side, escape, slack):
        return True
    return _arc_free(room, x0, y0, cell, x, y, c, s, -side, turn_in, slack)


@njit(cache=True, nogil=True)
def _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, turn, settings, most):  # type: ignore[no-untyped-def]
    """Radial depth (exact only up to `most`) after one step with `turn` (radians away); huge where it cannot stand."""
    radius, wall, step = settings[0], settings[1], settings[2]
    turn_in, escape, skin = settings[7], settings[8], settings[9]
    mid = heading + 0.5 * side * turn
    qx = px + step * np.cos(mid)
    qy = py + step * np.sin(mid)
    c = np.cos(heading + side * turn)
    s = np.sin(heading + side * turn)
    if not can_stand(room, x0, y0, cell, qx, qy, c, s, side, escape, turn_in, wall):
        return HUGE
    # Half-way, along the step's own direction: the mean of what is removed on the way, however
    # sharply the path turns. Where the cutter meets a front the depth may double within a step:
    # then its end counts, with a little in hand for curves.
    c = np.cos(mid)
    s = np.sin(mid)
    middle = radial_depth(cleared, x0, y0, cell, 0.5 * (px + qx), 0.5 * (py + qy), c, s, radius, skin)
    if middle > most:
        return middle
    end = radial_depth(cleared, x0, y0, cell, qx, qy, c, s, radius, skin)
    return max(middle, END_HAND * end)


@njit(cache=True, nogil=True)
def _best_turn(cleared, room, x0, y0, cell, px, py, heading, side, last, settings, target):  # type: ignore[no-untyped-def]
    """The turn nearest to the material that keeps the depth under `target`, and that depth.

    Searched from the last turn in growing strides to the first crossing, then halved.
    Returns (0, HUGE) when no turn will do.
    """
    low = -settings[2] / settings[7]
    high = settings[2] / settings[6]
    at = min(max(last, low), high)
    depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, at, settings, target)
    stride = 0.03
    bad = at
    best = at
    best_depth = depth
    if depth <= target:
        while best > low:
            bad = max(low, best - stride)
            stride *= 1.6
            depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, bad, settings, target)
            if depth > target:
                break
            best = bad
            best_depth = depth
    else:
        best_depth = HUGE
        while bad < high:
            best = min(high, bad + stride)
            stride *= 1.6
            depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, best, settings, target)
            if depth <= target:
                best_depth = depth
                break
            bad = best
        if best_depth > target:
            return 0.0, HUGE
    if best != bad:
        for _ in range(6):
            half = 0.5 * (best + bad)
            depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, half, settings, target)
            if depth <= target:
                best = half
                best_depth = depth
            else:
                bad = half
    return best, best_depth


@njit(cache=True, nogil=True)
def _slide(room, x0, y0, cell, px, py, heading, settings):  # type: ignore[no-untyped-def]
    """One step along the wall at (px, py), where turning alone finds no way on.

    Returns (x, y, cos, sin) of the place and heading reached; cos = sin = 0 when the wall
    turns the cutter by more than 60 degrees or there is none near.
    """
    radius, wall, step = settings[0], settings[1], settings[2]
    if read(room, x0, y0, cell, px, py) > wall + 0.1 * radius:
        return px, py, 0.0, 0.0
    nx = read(room, x0, y0, cell, px + cell, py) - read(room, x0, y0, cell, px - cell, py)
    ny = read(room, x0, y0, cell, px, py + cell) - read(room, x0, y0, cell, px, py - cell)
    size = np.sqrt(nx * nx + ny * ny)
    if size < 0.5 * cell:
        return px, py, 0.0, 0.0
    nx /= size
    ny /= size
    c, s = -ny, nx
    ahead = c * np.cos(heading) + s * np.sin(heading)
    if ahead < 0.0:
        c, s = -c, -s
        ahead = -ahead
    if ahead < 0.5:
        return px, py, 0.0, 0.0
    qx = px + step * c
    qy = py + step * s
    for _ in range(3):
        here = read(room, x0, y0, cell, qx, qy)
        if here >= wall:
            break
        qx += nx * (wall - here + 1e-4 * radius)
        qy += ny * (wall - here + 1e-4 * radius)
    dx, dy = qx - px, qy - py
    moved = np.sqrt(dx * dx + dy * dy)
    if moved < 0.3 * step or read(room, x0, y0, cell, qx, qy) < wall:
        return px, py, 0.0, 0.0
    return qx, qy, dx / moved, dy / moved


@njit(cache=True, nogil=True)
def _pivot(cleared, room, x0, y0, cell, px, py, heading, side, settings, target):  # type: ignore[no-untyped-def]
    """Turn on the spot in a sharp corner and go on: the first heading away that will do.

    Returns (x, y, cos, sin, depth); depth HUGE when there is none up to 120 degrees.
    """
    radius, wall, step, skin = settings[0], settings[1], settings[2], settings[9]
    for k in range(1, 25):
        c = np.cos(heading + side * k * np.pi / 36.0)
        s = np.sin(heading + side * k * np.pi / 36.0)
        qx = px + step * c
        qy = py + step * s
        if read(room, x0, y0, cell, qx, qy) < wall:
            continue
        e = radial_depth(cleared, x0, y0, cell, px + 0.5 * step * c, py + 0.5 * step * s, c, s, radius, skin)
        if e <= target:
            return qx, qy, c, s, e
    return px, py, 0.0, 0.0, HUGE


@njit(cache=True, nogil=True)
def trace(  # type: ignore[no-untyped-def]
    cleared, room, x0, y0, cell, px, py, heading, turn, side, settings, target, stamping, max_steps,
    log_at, log_was, used,
):  # fmt: skip
    """Trace one pass from (px, py). Returns (path (n, 2), depths (n,), how it ended, heading, used).

    `turn` is where the search for the first step's turn begins. `used` is the undo log's length; it is -1
    when the log started anew during the pass.
    """
    radius, step = settings[0], settings[2]
    fade, skin, lag_steps = settings[4], settings[9], int(settings[10])
    # A walk without stamping goes on behind the front, to where the cutter is clear of it.
    fade_steps = int(settings[5] / step) if stamping else int(2.5 * radius / step)
    path = np.empty((max_steps + 1, 2))
    depth = np.empty(max_steps + 1)
    mark = np.empty(max_steps + 1, dtype=np.int64)
    path[0, 0] = px
    path[0, 1] = py
    depth[0] = radial_depth(cleared, x0, y0, cell, px, py, np.cos(heading), np.sin(heading), radius, skin)
    n = 1
    stamped = 0
    faint = 0
    ended = RAN_OUT
    restarted = False
    oldest = 0
    gone_away = False
    anchor = 0
    engaged = False
    while n <= max_steps:
        turn, e = _best_turn(cleared, room, x0, y0, cell, px, py, heading, side, turn, settings, target)
        if e >= HUGE:
            sx, sy, sc, ss = _slide(room, x0, y0, cell, px, py, heading, settings)
            if sc != 0.0 or ss != 0.0:
                e = radial_depth(cleared, x0, y0, cell, sx, sy, sc, ss, radius, skin)
            if e > target and settings[8] < PIVOT * radius:
                sx, sy, sc, ss, e = _pivot(cleared, room, x0, y0, cell, px, py, heading, side, settings, target)
            if e > target:
                ended = STUCK
                break
            turn = 0.0
            px, py = sx, sy
            heading = np.arctan2(ss, sc)
        else:
            px += step * np.cos(heading + 0.5 * side * turn)
            py += step * np.sin(heading + 0.5 * side * turn)
            heading += side * turn
        path[n, 0] = px
        path[n, 1] = py
        depth[n] = e
        n += 1
        if stamping:
            while stamped < n - 1 - lag_steps:
                was = used
                mark[stamped] = used
                used = stamp(
                    cleared, x0, y0, cell, path[stamped, 0], path[stamped, 1],
                    path[stamped + 1, 0], path[stamped + 1, 1], radius, stamped > 0, log_at, log_was, used,
                )  # fmt: skip
                if used < was:
                    restarted = True
                    oldest = stamped
                stamped += 1
        else:
            # Once on the front, the walk remembers where it is, to see that it comes round.
            if anchor == 0 and e >= 0.8 * target:
                anchor = n - 1
            if anchor > 0:
                near = (px - path[anchor, 0]) ** 2 + (py - path[anchor, 1]) ** 2
                if near > radius * radius:
                    gone_away = True
                elif gone_away and near < 9.0 * step * step:
                    ended = CLOSED
                    break
        if e >= fade:
            engaged = True
            faint = 0
        else:
            faint += 1
        if faint >= fade_steps and (engaged or not stamping or faint >= 3 * fade_steps):
            ended = FADED
            break
    if ended == FADED and stamping:
        n = max(1, n - faint, oldest + 1)
        if stamped > n - 1:
            undo(cleared, log_at, log_was, used, mark[n - 1])
            used = mark[n - 1]
            stamped = n - 1
        if n >= 2:
            heading = np.arctan2(path[n - 1, 1] - path[n - 2, 1], path[n - 1, 0] - path[n - 2, 0])
    if stamping:
        while stamped < n - 1:
            was = used
            used = stamp(
                cleared, x0, y0, cell, path[stamped, 0], path[stamped, 1],
                path[stamped + 1, 0], path[stamped + 1, 1], radius, stamped > 0, log_at, log_was, used,
            )  # fmt: skip
            restarted = restarted or used < was
            stamped += 1
        if restarted:
            used = -1
    return path[:n].copy(), depth[:n].copy(), ended, heading, used


@njit(cache=True, nogil=True)
def roll_back(cleared, log_at, log_was, used, back_to):  # type: ignore[no-untyped-def]
    """Undo the stamps of a pass: the log's entries from `back_to` on."""
    undo(cleared, log_at, log_was, used, back_to)
