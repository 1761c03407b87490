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
from justbite.path.contact import radial_depth, thicker
from justbite.path.ribs import is_astride

HUGE = 1e9
END_HAND = 0.95
"""Share of the depth at a step's end that counts against the target."""
FIRST_STRIDE, MOST_STRIDE, FINEST_TURN, MOST_TRIES = 0.015, 0.05, 2.5e-4, 8
"""Radians: strides with which the search for a turn begins, and where it ends."""
PIVOT = 0.03
"""Where the escape radius is under this share of R, the cutter may turn on the spot."""
RAN_OUT, FADED, STUCK, CLOSED, OVER = 0, 1, 2, 3, 4
"""How a pass ended: step limit, engagement faded, no way on, came round to its start, took more than it should."""
ROUND = 100
"""Steps of a walk after which it looks anew whether it goes round and round."""
WINDOW = 0.25
"""Share of R over which what a cut takes is held against its target: as the proof does."""


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
    near: float
    """A turn that takes this share less than the target is good enough."""

    finest: float
    """Radians to which a turn held by a wall is found."""
    most: float
    """A cut ends where it takes more than this, mm of radial depth over WINDOW, ..."""
    back: float
    """... and is undone this far before it."""
    ribs: float
    """1: a cut that has a rib thinner than the target before it goes along it; 0: it turns in to take its target."""

    def packed(self) -> tuple[float, ...]:
        """The settings as the plain tuple that the kernels take."""
        return (
            self.radius, self.wall, self.step, self.target, self.fade, self.fade_length,
            self.turn_away, self.turn_in, self.escape, self.skin, float(self.lag_steps), self.near, self.finest,
            self.most, self.back, self.ribs,
        )  # fmt: skip


_ARC = np.array([6, 3, 1, 2, 4, 5]) * np.pi / 12.0
ARC_SIN = np.sin(_ARC)
ARC_VERSED = 1.0 - np.cos(_ARC)


@njit(cache=True, nogil=True)
def _arc_free(room, x0, y0, cell, x, y, c, s, turn, radius, wall):  # type: ignore[no-untyped-def]
    """Whether a quarter turn (turn = +1 left, -1 right) of `radius` stays inside `wall`."""
    for k in range(ARC_SIN.size):
        along = radius * ARC_SIN[k]
        across = radius * ARC_VERSED[k] * turn
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
def _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, turn, settings, most, to_end):  # type: ignore[no-untyped-def]
    """Radial depth (exact only up to `most`) after one step with `turn` (radians away); huge where it cannot stand.

    `to_end`: the step's end counts as well as its middle.
    """
    radius, wall, step = settings[0], settings[1], settings[2]
    turn_in, escape, skin = settings[7], settings[8], settings[9]
    along = heading + side * turn
    qx = px + step * np.cos(along)
    qy = py + step * np.sin(along)
    # Where it would head after it, if it went on turning.
    c = np.cos(along + 0.5 * side * turn)
    s = np.sin(along + 0.5 * side * turn)
    if not can_stand(room, x0, y0, cell, qx, qy, c, s, side, escape, turn_in, wall):
        return HUGE
    # Half-way, along the step's own direction: the mean of what is removed on the way, however
    # sharply the path turns. Where the cutter meets a front the depth may double within a step:
    # then its end counts, with a little in hand for curves.
    c = np.cos(along)
    s = np.sin(along)
    middle = radial_depth(cleared, x0, y0, cell, 0.5 * (px + qx), 0.5 * (py + qy), c, s, radius, skin)
    if middle > most or not to_end:
        return middle
    end = radial_depth(cleared, x0, y0, cell, qx, qy, c, s, radius, skin)
    return max(middle, END_HAND * end)


@njit(cache=True, nogil=True)
def _turn(cleared, room, x0, y0, cell, px, py, heading, side, last, held, settings, target, astride):  # type: ignore[no-untyped-def]
    """The best turn of a step, its depth, and whether a wall held it; found by the step's middle, if its end agrees."""
    turn, depth, by_wall = _best_turn(
        cleared, room, x0, y0, cell, px, py, heading, side, last, held, settings, target, astride, False
    )  # fmt: skip
    if depth >= HUGE:
        return turn, depth, by_wall
    c = np.cos(heading + side * turn)
    s = np.sin(heading + side * turn)
    step = settings[2]
    end = radial_depth(cleared, x0, y0, cell, px + step * c, py + step * s, c, s, settings[0], settings[9])
    if END_HAND * end <= target:
        return turn, max(depth, END_HAND * end), by_wall
    return _best_turn(cleared, room, x0, y0, cell, px, py, heading, side, turn, held, settings, target, astride, True)


@njit(cache=True, nogil=True)
def _best_turn(cleared, room, x0, y0, cell, px, py, heading, side, last, held, settings, target, astride, to_end):  # type: ignore[no-untyped-def]
    """The turn nearest to the material that keeps the depth under `target`, that depth, and whether a wall held it.

    The last turn stays where it still suits to within `near`. Else the next is guessed from how the depth
    of a side cut goes with its heading, and from there searched in growing strides to the first crossing,
    then by false position; halving where a place cannot be stood on. `held`: whether a wall held the step
    before; then a hair's breadth towards it is tried first. `astride`: no turn towards the material.
    Returns (0, HUGE, True) when no turn will do.
    """
    low = 0.0 if astride else -settings[2] / settings[7]
    high = settings[2] / settings[6]
    enough = target * (1.0 - settings[11])
    finest = settings[12]
    # Aimed a little below the target, so that the crossing is met from the good side.
    aim = 0.5 * (enough + target)
    at = min(max(last, low), high)
    depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, at, settings, target, to_end)
    if enough <= depth <= target:
        return at, depth, False
    stride = FIRST_STRIDE
    if held:
        stride = finest
    elif depth < HUGE:
        # e = R (1 - cos phi) changes by R sin phi with the heading.
        over = 1.0 - min(depth, 1.0 * settings[0]) / settings[0]
        slope = settings[0] * max(0.3, np.sqrt(1.0 - over * over))
        stride = min(MOST_STRIDE, max(finest, abs(depth - aim) / slope))
    bad = at
    bad_depth = depth
    best = at
    best_depth = depth
    if depth <= target:
        while best > low:
            bad = max(low, best - stride)
            stride *= 2.0
            bad_depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, bad, settings, target, to_end)
            if bad_depth > target:
                break
            best = bad
            best_depth = bad_depth
            if best_depth >= enough:
                return best, best_depth, False
        if best <= low:
            return best, best_depth, False
    else:
        best_depth = HUGE
        while bad < high:
            best = min(high, bad + stride)
            stride *= 2.0
            depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, best, settings, target, to_end)
            if depth <= target:
                best_depth = depth
                break
            bad = best
            bad_depth = depth
        if best_depth > target:
            return 0.0, HUGE, True
    for k in range(MOST_TRIES):
        if best_depth >= enough or abs(best - bad) < FINEST_TURN:
            break
        share = 0.5
        if bad_depth >= HUGE:
            if abs(best - bad) <= 1.01 * finest:
                break
        elif k % 3 != 2:
            share = min(0.9, max(0.1, (aim - best_depth) / (bad_depth - best_depth)))
        turn = best + share * (bad - best)
        depth = _depth_after(cleared, room, x0, y0, cell, px, py, heading, side, turn, settings, target, to_end)
        if depth <= target:
            best = turn
            best_depth = depth
        else:
            bad = turn
            bad_depth = depth
    return best, best_depth, bad_depth >= HUGE


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
    """Trace one pass from (px, py). Returns (path (n, 2), depths (n,), how it ended, heading, used, loads (n,)).

    A load is the depth by what was marked as taken on the step to a place and on the two beside it.
    `turn` is where the search for the first step's turn begins. `used` is the undo log's length; it is -1
    when the log started anew during the pass.
    """
    radius, step = settings[0], settings[2]
    first_heading = heading
    fade, skin, lag_steps = settings[4], settings[9], int(settings[10])
    # A walk without stamping goes on behind the front, to where the cutter is clear of it.
    fade_steps = int(settings[5] / step) if stamping else int(2.5 * radius / step)
    path = np.empty((max_steps + 1, 2))
    depth = np.empty(max_steps + 1)
    mark = np.empty(max_steps + 1, dtype=np.int64)
    taken = np.empty(max_steps + 1)
    window = max(1, int(WINDOW * radius / step + 0.5))
    most = settings[13] * window * step
    back = int(settings[14] / step)
    lately = 0.0
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
    again = ROUND
    engaged = False
    held = False
    e = 0.0
    while n <= max_steps:
        astride = stamping and settings[15] > 0.0 and is_astride(
            cleared, x0, y0, cell, px, py, heading, side, radius, target, e
        )  # fmt: skip
        turn, e, held = _turn(
            cleared, room, x0, y0, cell, px, py, heading, side, turn, held, settings, target, astride
        )  # fmt: skip
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
            heading += side * turn
            px += step * np.cos(heading)
            py += step * np.sin(heading)
        path[n, 0] = px
        path[n, 1] = py
        depth[n] = e
        n += 1
        if stamping:
            while stamped < n - 1 - lag_steps and lately <= most:
                was = used
                mark[stamped] = used
                used, taken[stamped] = stamp(
                    cleared, x0, y0, cell, path[stamped, 0], path[stamped, 1],
                    path[stamped + 1, 0], path[stamped + 1, 1], radius, stamped > 0, log_at, log_was, used,
                )  # fmt: skip
                if used < was:
                    restarted = True
                    oldest = stamped
                lately += taken[stamped] - (taken[stamped - window] if stamped >= window else 0.0)
                stamped += 1
            if lately > most:
                break
        else:
            # Once on the front, the walk remembers where it is, to see that it comes round; and again when it has gone
            # twice as far, since it may have been on its way to the round that it then goes for ever.
            if (anchor == 0 and e >= 0.8 * target) or (e >= fade and n >= again):
                anchor = n - 1
                gone_away = False
                again = max(again, 2 * n)
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
        while stamped < n - 1 and lately <= most:
            was = used
            mark[stamped] = used
            used, taken[stamped] = stamp(
                cleared, x0, y0, cell, path[stamped, 0], path[stamped, 1],
                path[stamped + 1, 0], path[stamped + 1, 1], radius, stamped > 0, log_at, log_was, used,
            )  # fmt: skip
            if used < was:
                restarted = True
                oldest = stamped
            lately += taken[stamped] - (taken[stamped - window] if stamped >= window else 0.0)
            stamped += 1
        if lately > most:
            ended = OVER
            keep = max(0, oldest, stamped - back)
            undo(cleared, log_at, log_was, used, mark[keep])
            used = mark[keep]
            n = keep + 1
            heading = first_heading
            if n >= 2:
                heading = np.arctan2(path[n - 1, 1] - path[n - 2, 1], path[n - 1, 0] - path[n - 2, 0])
        if restarted:
            used = -1
    load = np.zeros(n)
    for k in range(1, n if stamping else 0):
        first, last = max(0, k - 2), min(n - 1, k + 1)
        load[k] = taken[first:last].sum() / ((last - first) * step)
    return path[:n].copy(), depth[:n].copy(), ended, heading, used, load


@njit(cache=True, nogil=True)
def roll_back(cleared, log_at, log_was, used, back_to):  # type: ignore[no-untyped-def]
    """Undo the stamps of a pass: the log's entries from `back_to` on."""
    undo(cleared, log_at, log_was, used, back_to)


@njit(cache=True, nogil=True)
def follow(cleared, x0, y0, cell, path, radius, most, log_at, log_was):  # type: ignore[no-untyped-def]
    """Cut along a given path (n, 2). Returns the radial depth (n,) over WINDOW, the undo log's length and the area.

    And (n,) the largest depth over a tenth of the radius on the way to each point. Taken back, and -1 for the length,
    where more than `most` (mm) would be taken.
    """
    n = path.shape[0]
    depth = np.zeros(n)
    load = np.zeros(n)
    window = WINDOW * radius
    # What was taken, by the way gone, in a ring as long as the window.
    size = 64
    ways = np.full(size, -1e9)
    areas = np.zeros(size)
    at = 0
    along = 0.0
    used = 0
    whole = 0.0
    begun = False
    clear_before = n > 0 and not thicker(cleared, x0, y0, cell, path[0, 0], path[0, 1], radius + 1.5 * cell, 0.0)
    for k in range(1, n):
        span = np.hypot(path[k, 0] - path[k - 1, 0], path[k, 1] - path[k - 1, 1])
        parts = int(span / (0.1 * radius)) + 1
        for m in range(1, parts + 1):
            s, t = (m - 1) / parts, m / parts
            ax = path[k - 1, 0] + s * (path[k, 0] - path[k - 1, 0])
            ay = path[k - 1, 1] + s * (path[k, 1] - path[k - 1, 1])
            bx = path[k - 1, 0] + t * (path[k, 0] - path[k - 1, 0])
            by = path[k - 1, 1] + t * (path[k, 1] - path[k - 1, 1])
            # Where the circle is clear with room to spare at both ends nothing is taken: most of a link.
            clear = not thicker(cleared, x0, y0, cell, bx, by, radius + 1.5 * cell, 0.0)
            area = 0.0
            if not (clear and clear_before):
                used, area = stamp(cleared, x0, y0, cell, ax, ay, bx, by, radius, begun, log_at, log_was, used)
            begun = not (clear and clear_before)
            clear_before = clear
            along += span / parts
            whole += area
            load[k] = max(load[k], area * parts / max(span, 1e-9))
            if area > 0.0:
                # In steps shorter than a 64th of the window the oldest would be lost: those run together.
                if along - ways[at] > window / (size - 2):
                    at = (at + 1) % size
                    ways[at] = along
                    areas[at] = 0.0
                areas[at] += area
            lately = 0.0
            for q in range(size):
                if along - ways[q] < window:
                    lately += areas[q]
            depth[k] = max(depth[k], lately / window)
            if depth[k] > most:
                undo(cleared, log_at, log_was, used, 0)
                return depth, -1, whole, load
    return depth, used, whole, load
