"""Where the next pass starts: a flood through cleared cutter centres, and links along it.

The flood runs over nodes of a coarse grid (spacing a fraction of the radius). Nodes that
lie just outside the centre's limit are moved onto it, so that thin remainders at walls
are met. Node kinds: see the constants.
"""

import heapq

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.field.aside import BAND, bands
from justbite.field.grid import Field, read
from justbite.path.contact import deepest, radial_depth

UNKNOWN, FREE, CONTACT, BETWEEN, BLOCKED, REFUSED = 0, 1, 2, 3, 4, 5

TOWARDS = 1.1
"""What the way still ahead counts in a search for a goal: steps of eighths of a turn are up to 8 % longer."""

WALL_LOOK = 0.05
"""R between the places at which a way is held against walls: past a corner it dips by up to WALL_LOOK^2 R / 8 between
them."""

WIDE = 2.5
"""Spacings beyond the least distance to walls that a node has from which it need not be asked whether a way to the next
one is clear of them: that is no longer than 1.5 spacings."""

_DI = np.array([1, -1, 0, 0, 1, 1, -1, -1])
_DJ = np.array([0, 0, 1, -1, 1, -1, 1, -1])


Placed = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int8], NDArray[np.bool_]]


def place_nodes(room: Field, x0: float, y0: float, cell: float, spacing: float, wall: float, margin: float,
                shift: float) -> Placed:  # fmt: skip
    """Nodes (nj, ni) with their x, y and kind (UNKNOWN or BLOCKED), and whether they are far off walls; `shift` in
    spacings."""
    nj, ni = (int((count - 1) * cell / spacing) + 1 for count in room.shape)
    xs, ys, kinds = np.empty((nj, ni)), np.empty((nj, ni)), np.zeros((nj, ni), dtype=np.int8)
    wide = np.zeros((nj, ni), dtype=np.bool_)
    for band in bands(nj, max(1, int(BAND * cell / spacing))):
        _place(room, x0, y0, cell, spacing, wall, margin, shift, xs, ys, kinds, wide, band.start, band.stop)
    return xs, ys, kinds, wide


def look_at_all(cleared: Field, x0: float, y0: float, cell: float, xs: NDArray[np.float64], ys: NDArray[np.float64],
                kinds: NDArray[np.int8], spacing: float, radius: float, free_below: float, contact_above: float
                ) -> None:  # fmt: skip
    """Tell the kinds of all nodes that are UNKNOWN, some rows at a time: a flood asks for them here and there."""
    for band in bands(len(kinds), max(1, int(BAND * cell / spacing))):
        _look(cleared, x0, y0, cell, xs, ys, kinds, radius, free_below, contact_above, band.start, band.stop)


@njit(cache=True, nogil=True)
def _place(room, x0, y0, cell, spacing, wall, margin, shift, xs, ys, kinds, wide, first, last):  # type: ignore[no-untyped-def]
    """Nodes of the rows from `first` to `last` - 1."""
    for j in range(first, last):
        for i in range(xs.shape[1]):
            x = x0 + (i + shift) * spacing
            y = y0 + (j + shift) * spacing
            here = read(room, x0, y0, cell, x, y)
            tries = 0
            while here < wall + margin and here > wall - 1.1 * spacing and tries < 4:
                gx = read(room, x0, y0, cell, x + cell, y) - read(room, x0, y0, cell, x - cell, y)
                gy = read(room, x0, y0, cell, x, y + cell) - read(room, x0, y0, cell, x, y - cell)
                length = np.sqrt(gx * gx + gy * gy)
                if length < 0.2 * cell:
                    break
                by = wall + 1.05 * margin - here
                x += by * gx / length
                y += by * gy / length
                here = read(room, x0, y0, cell, x, y)
                tries += 1
            xs[j, i] = x
            ys[j, i] = y
            if here < wall + 0.5 * margin:
                kinds[j, i] = BLOCKED
            wide[j, i] = here >= wall + WIDE * spacing


@njit(cache=True, nogil=True)
def _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above):  # type: ignore[no-untyped-def]
    if kinds[j, i] == UNKNOWN:
        thick = deepest(cleared, x0, y0, cell, xs[j, i], ys[j, i], radius, free_below, contact_above)
        if thick <= free_below:
            kinds[j, i] = FREE
        elif thick > contact_above:
            kinds[j, i] = CONTACT
        else:
            kinds[j, i] = BETWEEN
    return kinds[j, i]


@njit(cache=True, nogil=True)
def _look(cleared, x0, y0, cell, xs, ys, kinds, radius, free_below, contact_above, first, last):  # type: ignore[no-untyped-def]
    for j in range(first, last):
        for i in range(kinds.shape[1]):
            _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above)


@njit(cache=True, nogil=True)
def forget_near(kinds, x0, y0, spacing, path, reach):  # type: ignore[no-untyped-def]
    """Set nodes within `reach` of the path to UNKNOWN, since material there has changed; what was free stays so."""
    nj, ni = kinds.shape
    every = 1
    if path.shape[0] > 8:
        every = 4
    for k in range(0, path.shape[0], every):
        i1 = max(0, int((path[k, 0] - reach - x0) / spacing))
        i2 = min(ni - 1, int((path[k, 0] + reach - x0) / spacing) + 1)
        j1 = max(0, int((path[k, 1] - reach - y0) / spacing))
        j2 = min(nj - 1, int((path[k, 1] + reach - y0) / spacing) + 1)
        for j in range(j1, j2 + 1):
            for i in range(i1, i2 + 1):
                if kinds[j, i] != BLOCKED and kinds[j, i] != FREE:
                    kinds[j, i] = UNKNOWN


@njit(cache=True, nogil=True)
def close(cleared, x0, y0, cell, xs, ys, kinds, spacing, x, y, off, radius, free_below, contact_above):  # type: ignore[no-untyped-def]
    """Nodes no farther than `off` from (x, y) are no longer free. Returns whether any was."""
    nj, ni = kinds.shape
    # Those at walls are moved by up to a spacing, and all of them by half of one.
    reach = off + 2.0 * spacing
    found = False
    for j in range(max(0, int((y - reach - y0) / spacing)), min(nj, int((y + reach - y0) / spacing) + 2)):
        for i in range(max(0, int((x - reach - x0) / spacing)), min(ni, int((x + reach - x0) / spacing) + 2)):
            if kinds[j, i] == BLOCKED or (xs[j, i] - x) ** 2 + (ys[j, i] - y) ** 2 > off * off:
                continue
            if _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above) == FREE:
                kinds[j, i] = BETWEEN
                found = True
    return found


@njit(cache=True, nogil=True)
def _off_walls(room, x0, y0, cell, ax, ay, bx, by, wall, apart):  # type: ignore[no-untyped-def]
    """Whether all places between a and b, no more than `apart` mm from each other, keep `wall` mm of room."""
    parts = int(np.hypot(bx - ax, by - ay) / apart) + 1
    for k in range(1, parts):
        t = k / parts
        if read(room, x0, y0, cell, ax + (bx - ax) * t, ay + (by - ay) * t) < wall:
            return False
    return True


@njit(cache=True, nogil=True)
def line_clear(cleared, room, x0, y0, cell, ax, ay, bx, by, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Whether the cutter may travel straight from a to b cutting no deeper than `most`."""
    dx, dy = bx - ax, by - ay
    length = np.sqrt(dx * dx + dy * dy)
    if length < 1e-9:
        return True
    count = int(length / (0.1 * radius)) + 1
    c, s = dx / length, dy / length
    before = read(room, x0, y0, cell, ax, ay)
    for k in range(1, count + 1):
        x = ax + dx * k / count
        y = ay + dy * k / count
        here = read(room, x0, y0, cell, x, y)
        if here < wall:
            return False
        # Farther off than that the way cannot come near between two places.
        if min(before, here) < wall + 0.5 * length / count and not _off_walls(
            room, x0, y0, cell, x - dx / count, y - dy / count, x, y, wall, WALL_LOOK * radius
        ):
            return False
        before = here
        if radial_depth(cleared, x0, y0, cell, x, y, c, s, radius, skin) > most:
            return False
    return True


@njit(cache=True, nogil=True)
def straight(cleared, room, x0, y0, cell, sx, sy, x, y, heading, backs, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Which of `backs` a line from (sx, sy) leads by on to (x, y): mm behind it, against its heading; -1: none."""
    for k in range(backs.size):
        bx = x - backs[k] * np.cos(heading)
        by = y - backs[k] * np.sin(heading)
        if not line_clear(cleared, room, x0, y0, cell, sx, sy, bx, by, radius, wall, most, skin):
            continue
        if backs[k] == 0.0 or line_clear(cleared, room, x0, y0, cell, bx, by, x, y, radius, wall, most, skin):
            return k
    return -1


@njit(cache=True, nogil=True)
def flood(  # type: ignore[no-untyped-def]
    cleared, room, x0, y0, cell, xs, ys, kinds, wide, spacing, sx, sy, radius, wall, free_below,
    contact_above, apart, most_candidates, beyond, least, most, goal_j, goal_i, distance, parent, touched, count,
):  # fmt: skip
    """Dijkstra from (sx, sy) through FREE nodes.

    Writes `distance` (nj, ni; inf where not reached) and `parent` (nj, ni; flat index or -1), in which the
    first `count` nodes of `touched` are those of the flood before: a flood looks at few of the nodes of a large
    area. Returns (new count, candidates (n, 6), how far it
    went, whether nothing is left beyond); a candidate is (x, y of the contact node, x, y of the free
    node before it, distance, flat index), in order of distance and at least `apart` from each
    other. Ends `beyond` after the first candidate, but not before `least`, and at `most` in any case.
    With a goal node (goal_j >= 0) what lies towards it is looked at first (A*), and the flood ends there.
    """
    nj, ni = kinds.shape
    for k in range(count):
        distance[touched[k] // ni, touched[k] % ni] = np.inf
        parent[touched[k] // ni, touched[k] % ni] = -1
    count = 0
    candidates = np.empty((most_candidates, 6))
    found = 0
    # Order, distance, node, node before it (contacts).
    heap = [(0.0, 0.0, np.int64(0), np.int64(-1))]
    heap.pop()
    goal_x, goal_y = sx, sy
    if goal_j >= 0:
        goal_x, goal_y = xs[goal_j, goal_i], ys[goal_j, goal_i]
    ci = round((sx - x0) / spacing)
    cj = round((sy - y0) / spacing)
    for ring in range(1, 4):
        for j in range(max(0, cj - ring), min(nj, cj + ring + 1)):
            for i in range(max(0, ci - ring), min(ni, ci + ring + 1)):
                if kinds[j, i] == BLOCKED:
                    continue
                kind = _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above)
                # Those of the ring before are known.
                if kind == FREE and distance[j, i] == np.inf and line_clear(
                    cleared, room, x0, y0, cell, sx, sy, xs[j, i], ys[j, i], radius,
                    wall - 0.0003 * radius, 0.15 * radius, 0.01 * radius,
                ):  # fmt: skip
                    d = np.sqrt((xs[j, i] - sx) ** 2 + (ys[j, i] - sy) ** 2)
                    touched[count] = j * ni + i
                    count += 1
                    distance[j, i] = d
                    ahead = 0.0 if goal_j < 0 else TOWARDS * np.hypot(xs[j, i] - goal_x, ys[j, i] - goal_y)
                    heapq.heappush(heap, (d + ahead, d, np.int64(j * ni + i), np.int64(-1)))
        if len(heap) > 0 and ring >= 2:
            break
    limit = np.inf
    went = 0.0
    whole = True
    while len(heap) > 0:
        order, d, at, before = heapq.heappop(heap)
        if order > limit:
            whole = False
            break
        if goal_j < 0 and d > most:
            break
        went = d
        j = at // ni
        i = at % ni
        if before >= 0:
            x, y = xs[j, i], ys[j, i]
            new = True
            for k in range(found):
                if (candidates[k, 0] - x) ** 2 + (candidates[k, 1] - y) ** 2 < apart * apart:
                    new = False
                    break
            if new and found < most_candidates:
                if found == 0 and goal_j < 0:
                    limit = max(d + beyond, least)
                candidates[found, 0] = x
                candidates[found, 1] = y
                candidates[found, 2] = xs[before // ni, before % ni]
                candidates[found, 3] = ys[before // ni, before % ni]
                candidates[found, 4] = d
                candidates[found, 5] = at
                found += 1
            continue
        if d > distance[j, i]:
            continue
        if goal_j >= 0 and limit == np.inf and abs(j - goal_j) <= 2 and abs(i - goal_i) <= 2:
            # The node itself may stand in what is still to be cut: those about it will do.
            limit = order + 4.0 * spacing
        for k in range(8):
            for far in range(1, 3):
                qj = j + far * _DJ[k]
                qi = i + far * _DI[k]
                if qj < 0 or qi < 0 or qj >= nj or qi >= ni:
                    break
                kind = kinds[qj, qi]
                if kind == BLOCKED:
                    break
                if kind == UNKNOWN:
                    kind = _kind(cleared, x0, y0, cell, xs, ys, kinds, qj, qi, radius, free_below, contact_above)
                if kind == FREE:
                    # Half of those about a node are nearer than it: known before their way is told.
                    if far == 2 or distance[qj, qi] <= d:
                        break
                    gap = np.sqrt((xs[qj, qi] - xs[j, i]) ** 2 + (ys[qj, qi] - ys[j, i]) ** 2)
                    if d + gap < distance[qj, qi] and (
                        (wide[j, i] and gap <= 1.5 * spacing)
                        or read(room, x0, y0, cell, 0.5 * (xs[qj, qi] + xs[j, i]), 0.5 * (ys[qj, qi] + ys[j, i]))
                        >= wall + 0.5 * gap
                        or _off_walls(
                            room, x0, y0, cell, xs[j, i], ys[j, i], xs[qj, qi], ys[qj, qi], wall, WALL_LOOK * radius
                        )
                    ):
                        if distance[qj, qi] == np.inf:
                            touched[count] = qj * ni + qi
                            count += 1
                        distance[qj, qi] = d + gap
                        parent[qj, qi] = at
                        ahead = 0.0 if goal_j < 0 else TOWARDS * np.hypot(xs[qj, qi] - goal_x, ys[qj, qi] - goal_y)
                        heapq.heappush(heap, (d + gap + ahead, d + gap, np.int64(qj * ni + qi), np.int64(-1)))
                    break
                if kind == CONTACT:
                    if found < most_candidates and goal_j < 0:
                        gap = np.sqrt((xs[qj, qi] - xs[j, i]) ** 2 + (ys[qj, qi] - ys[j, i]) ** 2)
                        heapq.heappush(heap, (d + gap, d + gap, np.int64(qj * ni + qi), at))
                    break
                if kind == REFUSED:
                    break
    return count, candidates[:found].copy(), went, whole


@njit(cache=True, nogil=True)
def nearest_reached(  # type: ignore[no-untyped-def]
    cleared, room, x0, y0, cell, xs, ys, distance, spacing, x, y, radius, wall, most, skin,
):  # fmt: skip
    """The node reached by the flood from which (x, y) is in line, with the least way there.

    Returns (j, i, whole distance) or (-1, -1, inf).
    """
    nj, ni = distance.shape
    ci = round((x - x0) / spacing)
    cj = round((y - y0) / spacing)
    best = np.inf
    bj, bi = -1, -1
    for ring in (2, 5):
        for j in range(max(0, cj - ring), min(nj, cj + ring + 1)):
            for i in range(max(0, ci - ring), min(ni, ci + ring + 1)):
                if np.isfinite(distance[j, i]):
                    d = distance[j, i] + np.sqrt((xs[j, i] - x) ** 2 + (ys[j, i] - y) ** 2)
                    if d < best and line_clear(
                        cleared, room, x0, y0, cell, xs[j, i], ys[j, i], x, y,
                        radius, wall - 0.0003 * radius, most, skin,
                    ):  # fmt: skip
                        best = d
                        bj, bi = j, i
        if bj >= 0:
            break
    return bj, bi, best


@njit(cache=True, nogil=True)
def pull_straight(cleared, room, x0, y0, cell, points, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Drop corners of a link wherever the next but one is in a clear line."""
    n = points.shape[0]
    keep = np.empty(n, dtype=np.int64)
    keep[0] = 0
    kept = 1
    at = 0
    while at < n - 1:
        reach = at + 1
        k = n - 1
        while k > at + 1:
            if line_clear(
                cleared, room, x0, y0, cell, points[at, 0], points[at, 1],
                points[k, 0], points[k, 1], radius, wall, most, skin,
            ):  # fmt: skip
                reach = k
                break
            k -= max(1, (k - at) // 8)
        keep[kept] = reach
        kept += 1
        at = reach
    return points[keep[:kept]]
