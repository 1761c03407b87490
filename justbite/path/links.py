"""Links made smooth: arcs out of the cut, into the next and round bends, as the machine gets along them soonest.

Between two places with a heading each leads an arc, a straight line tangent to both, and an arc: to the left or
right at either end, of many radii. A wide arc is quick to run along, since the machine holds v = sqrt(a r) in it, but
long; which one is soonest there is told from the speeds at its ends and the machine's acceleration (closed-form
kinematics, as in justbite.motion.clock). The quickest that is clear is taken.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.field.grid import Field, read
from justbite.path.search import line_clear

Points = NDArray[np.float64]
RADII = (3.0, 2.0, 1.4, 1.0, 0.7, 0.5, 0.35, 0.25, 0.15)
"""Radii of the arcs that are tried, R; no link bends more tightly, but for a corner where none of them is clear."""
ARC_STEP, LINE_STEP = 5.0 * np.pi / 180.0, 0.25
"""Points along an arc, radians apart, and along a line, R."""
MOST_TURN = 1.75 * np.pi
"""An arc that turns farther leads nowhere that another does not lead to sooner."""
SETTLING = 0.02
"""Seconds that a stop at a corner counts besides: no machine changes its acceleration at once, and a cutter that stands
still at a wall marks it. Ours; common practice knows no figure."""
MOST_ACCELERATION = 1e4
"""mm/s2: a machine that is said to give more is not led round corners for it."""


@dataclass(frozen=True, slots=True)
class Speeds:
    """mm/s of cuts and of links, mm/s2 that the machine gives, and mm by which it may round off a corner."""

    cut: float = 50.0
    link: float = 200.0
    acceleration: float = 5000.0
    tolerance: float = 0.01

    def packed(self) -> tuple[float, ...]:
        """As the plain tuple that the kernels take."""
        return self.cut, self.link, min(self.acceleration, MOST_ACCELERATION), self.tolerance


def smooth_link(points: Points, out: float, into: float, cleared: Field, room: Field, frame: tuple[float, float, float],
                radius: float, wall: float, most: float, skin: float, speeds: Speeds) -> Points:  # fmt: skip
    """A curve through `points` (n, 2) leaving along the heading `out` and arriving along `into`, radians.

    Where no arcs are clear between two of the points it leads straight from one to the other.
    """
    given = cleared, room, *frame, radius, wall, most, skin, speeds.packed(), np.array(RADII) * radius
    curve, seconds, smooth = _chain(points, out, into, *given)
    if len(points) == 3:
        # A place on the way is there since a straight line did not lead past it: a curve may.
        direct, sooner, clear = _chain(points[::2], out, into, *given)
        if clear and (sooner < seconds or not smooth):
            curve = direct
    return np.asarray(curve)


@njit(cache=True, nogil=True)
def soonest(ends, starts, radius, speeds):  # type: ignore[no-untyped-def]
    """Seconds (n, m) of the soonest way from each of the `ends` (n, 3), x, y and heading, to each of the `starts`
    (m, 3), whatever stands there; `speeds` packed."""
    found = np.empty((ends.shape[0], starts.shape[0]))
    radii = np.array([2.0, 1.0, 0.5, 0.25]) * radius
    for i in range(ends.shape[0]):
        ax, ay, out = ends[i]
        for j in range(starts.shape[0]):
            bx, by, into = starts[j]
            best = _straight_seconds(ends[i], out, starts[j], into, speeds[0], speeds[0], speeds)
            for k in range(4 * radii.size):
                first, last = 1.0 - 2.0 * (k % 2), 1.0 - 2.0 * ((k // 2) % 2)
                way = _arcs(ax, ay, out, bx, by, into, radii[k // 4], first, last)
                best = min(best, _seconds(way, radii[k // 4], speeds[0], speeds[0], speeds))
            found[i, j] = best
    return found


@njit(cache=True, nogil=True)
def _chain(points, out, into, cleared, room, x0, y0, cell, radius, wall, most, skin, speeds, radii):  # type: ignore[no-untyped-def]
    """The curves between each two of the points, one after the other; seconds, and whether all are clear arcs."""
    n = points.shape[0]
    headings = np.empty(n)
    headings[0], headings[n - 1] = out, into
    for k in range(1, n - 1):
        # Half-way between the way to a point and the way on: a bend round it swings out to either side.
        ax, ay = points[k, 0] - points[k - 1, 0], points[k, 1] - points[k - 1, 1]
        bx, by = points[k + 1, 0] - points[k, 0], points[k + 1, 1] - points[k, 1]
        a, b = max(np.hypot(ax, ay), 1e-9), max(np.hypot(bx, by), 1e-9)
        headings[k] = np.arctan2(ay / a + by / b, ax / a + bx / b)
    parts = [points[:1].copy()]
    seconds = 0.0
    smooth = True
    for k in range(n - 1):
        begin = speeds[0] if k == 0 else speeds[1]
        end = speeds[0] if k == n - 2 else speeds[1]
        part, spent, clear = _between(
            points[k], headings[k], points[k + 1], headings[k + 1], begin, end,
            cleared, room, x0, y0, cell, radius, wall, most, skin, speeds, radii,
        )  # fmt: skip
        parts.append(part)
        seconds += spent
        smooth = smooth and clear
    count = 0
    for part in parts:
        count += part.shape[0]
    curve = np.empty((count, 2))
    at = 0
    for part in parts:
        curve[at : at + part.shape[0]] = part
        at += part.shape[0]
    return curve, seconds, smooth


@njit(cache=True, nogil=True)
def _between(a, out, b, into, begin, end, cleared, room, x0, y0, cell, radius, wall, most, skin, speeds, radii):  # type: ignore[no-untyped-def]
    """Points (n, 2) from `a`, itself left out, to `b` of the quickest clear way; its seconds; whether it is smooth."""
    count = 4 * radii.size
    ways = np.empty((count + 1, 4))
    seconds = np.empty(count + 1)
    for k in range(count):
        first, last = 1.0 - 2.0 * (k % 2), 1.0 - 2.0 * ((k // 2) % 2)
        ways[k] = _arcs(a[0], a[1], out, b[0], b[1], into, radii[k // 4], first, last)
        seconds[k] = _seconds(ways[k], radii[k // 4], begin, end, speeds)
    ways[count] = 0.0
    seconds[count] = _straight_seconds(a, out, b, into, begin, end, speeds)
    for k in np.argsort(seconds):
        if k == count or seconds[k] == np.inf:
            break
        first, last = 1.0 - 2.0 * (k % 2), 1.0 - 2.0 * ((k // 2) % 2)
        points = _along(a[0], a[1], out, b[0], b[1], ways[k], radii[k // 4], first, last, radius)
        if _clear(a, points, cleared, room, x0, y0, cell, radius, wall, most, skin):
            return points, seconds[k], True
    straight = np.empty((1, 2))
    straight[0] = b
    return straight, seconds[count], False


@njit(cache=True, nogil=True)
def _arcs(ax, ay, out, bx, by, into, r, first, last):  # type: ignore[no-untyped-def]
    """Turn, length of the line, turn and direction of the line of arcs of radius `r` at both ends.

    `first`, `last`: 1 to the left, -1 to the right. The first turn is infinite where there is no such way.
    """
    cx, cy = ax - first * r * np.sin(out), ay + first * r * np.cos(out)
    dx, dy = bx - last * r * np.sin(into) - cx, by + last * r * np.cos(into) - cy
    apart = np.hypot(dx, dy)
    line = apart
    direction = np.arctan2(dy, dx)
    if first != last:
        # The line crosses between the circles: apart^2 = line^2 + (2 r)^2.
        if apart < 2.0 * r:
            return np.array([np.inf, 0.0, 0.0, 0.0])
        line = np.sqrt(apart * apart - 4.0 * r * r)
        direction += first * np.arctan2(2.0 * r, line)
    turned = (first * (direction - out)) % (2.0 * np.pi)
    turning = (last * (into - direction)) % (2.0 * np.pi)
    # A whole turn that is none but for the last digit.
    if turned > 2.0 * np.pi - 1e-7:
        turned = 0.0
    if turning > 2.0 * np.pi - 1e-7:
        turning = 0.0
    if max(turned, turning) > MOST_TURN:
        return np.array([np.inf, 0.0, 0.0, 0.0])
    return np.array([turned, line, turning, direction])


@njit(cache=True, nogil=True)
def _seconds(way, r, begin, end, speeds):  # type: ignore[no-untyped-def]
    """Seconds along arcs and the line between them, from one speed to another, mm/s."""
    if way[0] == np.inf:
        return np.inf
    top, acceleration = speeds[1], speeds[2]
    held = min(top, np.sqrt(acceleration * r))
    first, a = _gaining(way[0] * r, min(begin, held), held, acceleration)
    last, b = _gaining(way[2] * r, min(end, held), held, acceleration)
    if way[0] == 0.0:
        a = begin
    if way[2] == 0.0:
        b = end
    braked = _braking(begin, a, acceleration) + _braking(end, b, acceleration)
    return first + last + braked + _trapezoid(way[1], a, b, top, acceleration)


@njit(cache=True, nogil=True)
def _straight_seconds(a, out, b, into, begin, end, speeds):  # type: ignore[no-untyped-def]
    """Seconds straight from `a` to `b`, round the corners at its ends no more quickly than their rounding allows."""
    direction = np.arctan2(b[1] - a[1], b[0] - a[0])
    top, acceleration, tolerance = speeds[1], speeds[2], speeds[3]
    at_a = min(begin, _corner(direction - out, acceleration, tolerance))
    at_b = min(end, _corner(into - direction, acceleration, tolerance))
    braked = _braking(begin, at_a, acceleration) + _braking(end, at_b, acceleration)
    braked += SETTLING * (2.0 - at_a / begin - at_b / end)
    return braked + _trapezoid(np.hypot(b[0] - a[0], b[1] - a[1]), at_a, at_b, top, acceleration)


@njit(cache=True, nogil=True)
def _corner(turn, acceleration, tolerance):  # type: ignore[no-untyped-def]
    """mm/s round a corner that may be rounded off by `tolerance`, as justbite.motion.clock has it."""
    half = abs(np.cos(0.5 * turn))
    if half > 1.0 - 1e-12:
        return 1e9
    return np.sqrt(acceleration * tolerance * half / (1.0 - half))


@njit(cache=True, nogil=True)
def _braking(quick, slow, acceleration):  # type: ignore[no-untyped-def]
    """Seconds that are lost on the way before it by braking from one speed to another."""
    return (quick - slow) ** 2 / (2.0 * acceleration * quick) if slow < quick else 0.0


@njit(cache=True, nogil=True)
def _gaining(way, speed, top, acceleration):  # type: ignore[no-untyped-def]
    """Seconds along `way` mm from a speed up to `top`, and the speed at the end."""
    if way <= 0.0:
        return 0.0, speed
    reached = min(top, np.sqrt(speed * speed + 2.0 * acceleration * way))
    rising = (reached * reached - speed * speed) / (2.0 * acceleration)
    return (reached - speed) / acceleration + (way - rising) / reached, reached


@njit(cache=True, nogil=True)
def _trapezoid(way, a, b, top, acceleration):  # type: ignore[no-untyped-def]
    """Seconds along `way` mm from speed `a` to speed `b` at no more than `top`."""
    if way <= 0.0:
        return 0.0
    if abs(a * a - b * b) > 2.0 * acceleration * way:
        return 2.0 * way / (a + b)
    peak = np.sqrt(acceleration * way + 0.5 * (a * a + b * b))
    if peak <= top:
        return (2.0 * peak - a - b) / acceleration
    rising = (2.0 * top * top - a * a - b * b) / (2.0 * acceleration)
    return (2.0 * top - a - b) / acceleration + (way - rising) / top


@njit(cache=True, nogil=True)
def _along(ax, ay, out, bx, by, way, r, first, last, radius):  # type: ignore[no-untyped-def]
    """Points (n, 2) along two arcs and the line between them, the first place left out."""
    turned, line, turning, direction = way
    before = int(np.ceil(turned / ARC_STEP))
    between = max(1, int(np.ceil(line / (LINE_STEP * radius))))
    after = int(np.ceil(turning / ARC_STEP))
    points = np.empty((before + between + after, 2))
    cx, cy = ax - first * r * np.sin(out), ay + first * r * np.cos(out)
    at = 0
    for k in range(1, before + 1):
        heading = out + first * turned * k / before
        points[at, 0] = cx + first * r * np.sin(heading)
        points[at, 1] = cy - first * r * np.cos(heading)
        at += 1
    sx, sy = cx + first * r * np.sin(direction), cy - first * r * np.cos(direction)
    for k in range(1, between + 1):
        points[at, 0] = sx + line * k / between * np.cos(direction)
        points[at, 1] = sy + line * k / between * np.sin(direction)
        at += 1
    ex, ey = sx + line * np.cos(direction), sy + line * np.sin(direction)
    cx, cy = ex - last * r * np.sin(direction), ey + last * r * np.cos(direction)
    for k in range(1, after + 1):
        heading = direction + last * turning * k / after
        points[at, 0] = cx + last * r * np.sin(heading)
        points[at, 1] = cy - last * r * np.cos(heading)
        at += 1
    points[at - 1, 0], points[at - 1, 1] = bx, by
    return points


@njit(cache=True, nogil=True)
def _clear(a, points, cleared, room, x0, y0, cell, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Whether the cutter may travel from `a` along the points cutting no deeper than `most`."""
    # Walls first, at every point: they are looked up at once.
    for k in range(points.shape[0]):
        if read(room, x0, y0, cell, points[k, 0], points[k, 1]) < wall:
            return False
    x, y = a[0], a[1]
    for k in range(points.shape[0]):
        # Several points of an arc at once, but never with the line after it: from before the arc's end it would lead
        # past a wall that the line itself touches.
        if k + 1 < points.shape[0] and np.hypot(points[k + 1, 0] - x, points[k + 1, 1] - y) < 0.1 * radius:
            continue
        if not line_clear(
            cleared, room, x0, y0, cell, x, y, points[k, 0], points[k, 1], radius, wall, most, skin,
        ):  # fmt: skip
            return False
        x, y = points[k, 0], points[k, 1]
    return True
