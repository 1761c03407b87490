"""The turn of one step of a pass: as far towards the material as keeps the radial depth under its target.

Where no turn will do, along the wall, or on the spot in a sharp corner. Settings are those of `tracer.TraceSettings`,
packed. Turning "away" means away from the material: left for side = +1.
"""

import numpy as np
from numba import njit

from justbite.field.grid import read
from justbite.path.contact import radial_depth

HUGE = 1e9
END_HAND = 0.95
"""Share of the depth at a step's end that counts against the target."""
FIRST_STRIDE, MOST_STRIDE, FINEST_TURN, MOST_TRIES = 0.015, 0.05, 2.5e-4, 8
"""Radians: strides with which the search for a turn begins, and where it ends."""
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
def turn_of_step(cleared, room, x0, y0, cell, px, py, heading, side, last, held, settings, target, astride):  # type: ignore[no-untyped-def]
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
def slide(room, x0, y0, cell, px, py, heading, settings):  # type: ignore[no-untyped-def]
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
def pivot(cleared, room, x0, y0, cell, px, py, heading, side, settings, target):  # type: ignore[no-untyped-def]
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
