"""Tracing one pass: follow a front of material so that the radial depth keeps its target.

The material lies on the right of travel (side = +1, climb milling with a clockwise
spindle) or on the left (side = -1, used to walk a front back to its upstream end).
"""

from dataclasses import dataclass

import numpy as np
from numba import njit

from justbite.field.cleared import stamp, undo
from justbite.path.contact import radial_depth
from justbite.path.following import WINDOW
from justbite.path.ribs import is_astride
from justbite.path.turning import HUGE, pivot, slide, turn_of_step

PIVOT = 0.03
"""Where the escape radius is under this share of R, the cutter may turn on the spot."""
RAN_OUT, FADED, STUCK, CLOSED, OVER = 0, 1, 2, 3, 4
"""How a pass ended: step limit, engagement faded, no way on, came round to its start, took more than it should."""
FULL_TURN = 2.0 * np.pi
ROUND = 100
"""Steps of a walk after which it looks anew whether it goes round and round."""


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


@njit(cache=True, nogil=True)
def trace(  # type: ignore[no-untyped-def]
    cleared, room, x0, y0, cell, px, py, heading, turn, side, settings, target, stamping, max_steps,
    log_at, log_was, used, before,
):  # fmt: skip
    """Trace one pass from (px, py). Returns (path (n, 2), depths (n,), how it ended, heading, used, loads (n,)).

    A load is the depth by what was marked as taken on the step to a place and on the two beside it.
    `turn` is where the search for the first step's turn begins. `used` is the undo log's length; it is -1
    when the log started anew during the pass. `before` (m, 3), see `Ways.lately`: what was taken on the way to the
    start; the window over which a cut may not take too much reaches back over it.
    """
    radius, step = settings[0], settings[2]
    first_heading = heading
    fade, skin, lag_steps = settings[4], settings[9], int(settings[10])
    # A walk without stamping goes on behind the front, to where the cutter is clear of it.
    fade_steps = int(settings[5] / step) if stamping else int(2.5 * radius / step)
    path = np.empty((max_steps + 1, 2))
    depth = np.empty(max_steps + 1)
    mark = np.empty(max_steps + 1, dtype=np.int64)
    # Where what was taken before is too much already, nothing is stamped at all.
    mark[0] = used
    taken = np.empty(max_steps + 1)
    window = max(1, int(WINDOW * radius / step + 0.5))
    most = settings[13] * window * step
    back = int(settings[14] / step)
    lately = 0.0
    carried = _within(before, 0.0, window * step)
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
    swung = 0.0
    engaged = False
    held = False
    e = 0.0
    while n <= max_steps:
        came = heading
        astride = stamping and settings[15] > 0.0 and is_astride(
            cleared, x0, y0, cell, px, py, heading, side, radius, target, e
        )  # fmt: skip
        turn, e, held = turn_of_step(
            cleared, room, x0, y0, cell, px, py, heading, side, turn, held, settings, target, astride
        )  # fmt: skip
        if e >= HUGE:
            sx, sy, sc, ss = slide(room, x0, y0, cell, px, py, heading, settings)
            if sc != 0.0 or ss != 0.0:
                e = radial_depth(cleared, x0, y0, cell, sx, sy, sc, ss, radius, skin)
            if e > target and settings[8] < PIVOT * radius:
                sx, sy, sc, ss, e = pivot(cleared, room, x0, y0, cell, px, py, heading, side, settings, target)
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
            while stamped < n - 1 - lag_steps and lately + carried <= most:
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
                carried = _within(before, stamped * step, window * step) if stamped < window else 0.0
            if lately + carried > most:
                break
        else:
            # Once on the front, the walk remembers where it is, to see that it comes round; and again when it has gone
            # twice as far, since it may have been on its way to the round that it then goes for ever.
            if (anchor == 0 and e >= 0.8 * target) or (e >= fade and n >= again):
                anchor = n - 1
                gone_away = False
                swung = 0.0
                again = max(again, 2 * n)
            if anchor > 0:
                swung += heading - came - FULL_TURN * np.round((heading - came) / FULL_TURN)
                near = (px - path[anchor, 0]) ** 2 + (py - path[anchor, 1]) ** 2
                if near > radius * radius:
                    gone_away = True
                elif gone_away and near < 9.0 * step * step:
                    ended = CLOSED
                    break
                # One that circles on the spot does so for ever: it ends where it would touch again, or a round later.
                if not gone_away and abs(swung) > FULL_TURN:
                    if e >= fade and faint > 0:
                        n -= 1
                        break
                    if abs(swung) > 2.0 * FULL_TURN:
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
        while stamped < n - 1 and lately + carried <= most:
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
            carried = _within(before, stamped * step, window * step) if stamped < window else 0.0
        if lately + carried > most:
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
def _within(before, gone, window):  # type: ignore[no-untyped-def]
    """What of `before` (m, 3) was taken less than `window` ago, when `gone` mm were gone since; mm2."""
    found = 0.0
    for k in range(before.shape[0]):
        inside = window - gone - before[k, 0]
        if inside > 0.0:
            found += before[k, 1] * min(1.0, inside / before[k, 2])
    return found


@njit(cache=True, nogil=True)
def roll_back(cleared, log_at, log_was, used, back_to):  # type: ignore[no-untyped-def]
    """Undo the stamps of a pass: the log's entries from `back_to` on."""
    undo(cleared, log_at, log_was, used, back_to)
