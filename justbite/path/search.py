"""Where the next pass starts: a flood through cleared cutter centres, and links along it.

The flood runs over nodes of a coarse grid (spacing a fraction of the radius). Nodes that
lie just outside the centre's limit are moved onto it, so that thin remainders at walls
are met. Node kinds: see the constants.
"""

import heapq

import numpy as np
from numba import njit

from justbite.field.grid import read
from justbite.path.contact import deepest, radial_depth

UNKNOWN, FREE, CONTACT, BETWEEN, BLOCKED, REFUSED = 0, 1, 2, 3, 4, 5

_DI = np.array([1, -1, 0, 0, 1, 1, -1, -1])
_DJ = np.array([0, 0, 1, -1, 1, -1, 1, -1])


@njit(cache=True, nogil=True)
def place_nodes(room, x0, y0, cell, spacing, wall, margin, shift):  # type: ignore[no-untyped-def]
    """Nodes (nj, ni) with their x, y and kind (UNKNOWN or BLOCKED); `shift` in spacings."""
    ny, nx = room.shape
    ni = int((nx - 1) * cell / spacing) + 1
    nj = int((ny - 1) * cell / spacing) + 1
    xs = np.empty((nj, ni))
    ys = np.empty((nj, ni))
    kinds = np.zeros((nj, ni), dtype=np.int8)
    for j in range(nj):
        for i in range(ni):
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
    return xs, ys, kinds


@njit(cache=True, nogil=True)
def _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above):  # type: ignore[no-untyped-def]
    if kinds[j, i] == UNKNOWN:
        thick = deepest(cleared, x0, y0, cell, xs[j, i], ys[j, i], radius)
        if thick <= free_below:
            kinds[j, i] = FREE
        elif thick > contact_above:
            kinds[j, i] = CONTACT
        else:
            kinds[j, i] = BETWEEN
    return kinds[j, i]


@njit(cache=True, nogil=True)
def forget_near(kinds, x0, y0, spacing, path, reach, contacts_only):  # type: ignore[no-untyped-def]
    """Set nodes within `reach` of the path to UNKNOWN, since material there has changed."""
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
                if kinds[j, i] != BLOCKED and not (contacts_only and kinds[j, i] == FREE):
                    kinds[j, i] = UNKNOWN


@njit(cache=True, nogil=True)
def line_clear(cleared, room, x0, y0, cell, ax, ay, bx, by, radius, wall, most, skin):  # type: ignore[no-untyped-def]
    """Whether the cutter may travel straight from a to b cutting no deeper than `most`."""
    dx, dy = bx - ax, by - ay
    length = np.sqrt(dx * dx + dy * dy)
    if length < 1e-9:
        return True
    count = int(length / (0.1 * radius)) + 1
    c, s = dx / length, dy / length
    for k in range(1, count + 1):
        x = ax + dx * k / count
        y = ay + dy * k / count
        if read(room, x0, y0, cell, x, y) < wall:
            return False
        if radial_depth(cleared, x0, y0, cell, x, y, c, s, radius, skin) > most:
            return False
    return True


@njit(cache=True, nogil=True)
def flood(  # type: ignore[no-untyped-def]
    cleared, room, x0, y0, cell, xs, ys, kinds, spacing, sx, sy, radius, wall, free_below,
    contact_above, apart, most_candidates, beyond, least, goal_j, goal_i,
):  # fmt: skip
    """Dijkstra from (sx, sy) through FREE nodes.

    Returns (distance (nj, ni), parent (nj, ni) as flat index or -1, candidates (n, 6), how far it
    went, whether nothing is left beyond); a candidate is (x, y of the contact node, x, y of the free
    node before it, distance, flat index), in order of distance and at least `apart` from each
    other. Ends `beyond` after the first candidate, but not before `least`, or at the goal node when one
    is given (goal_j >= 0).
    """
    nj, ni = kinds.shape
    distance = np.full((nj, ni), np.inf)
    parent = np.full((nj, ni), -1, dtype=np.int32)
    candidates = np.empty((most_candidates, 6))
    found = 0
    heap = [(0.0, np.int64(0), np.int64(-1))]
    heap.pop()
    ci = round((sx - x0) / spacing)
    cj = round((sy - y0) / spacing)
    for ring in range(1, 4):
        for j in range(max(0, cj - ring), min(nj, cj + ring + 1)):
            for i in range(max(0, ci - ring), min(ni, ci + ring + 1)):
                if kinds[j, i] == BLOCKED:
                    continue
                kind = _kind(cleared, x0, y0, cell, xs, ys, kinds, j, i, radius, free_below, contact_above)
                if kind == FREE and line_clear(
                    cleared, room, x0, y0, cell, sx, sy, xs[j, i], ys[j, i], radius,
                    wall - 0.0003 * radius, 0.15 * radius, 0.01 * radius,
                ):  # fmt: skip
                    d = np.sqrt((xs[j, i] - sx) ** 2 + (ys[j, i] - sy) ** 2)
                    if d < distance[j, i]:
                        distance[j, i] = d
                        heapq.heappush(heap, (d, np.int64(j * ni + i), np.int64(-1)))
        if len(heap) > 0 and ring >= 2:
            break
    limit = np.inf
    went = 0.0
    whole = True
    while len(heap) > 0:
        d, at, before = heapq.heappop(heap)
        if d > limit:
            whole = False
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
        if j == goal_j and i == goal_i:
            break
        for k in range(8):
            for far in range(1, 3):
                qj = j + far * _DJ[k]
                qi = i + far * _DI[k]
                if qj < 0 or qi < 0 or qj >= nj or qi >= ni or kinds[qj, qi] == BLOCKED:
                    break
                kind = _kind(cleared, x0, y0, cell, xs, ys, kinds, qj, qi, radius, free_below, contact_above)
                gap = np.sqrt((xs[qj, qi] - xs[j, i]) ** 2 + (ys[qj, qi] - ys[j, i]) ** 2)
                if kind == FREE:
                    if far == 1 and d + gap < distance[qj, qi]:
                        mx = 0.5 * (xs[qj, qi] + xs[j, i])
                        my = 0.5 * (ys[qj, qi] + ys[j, i])
                        if read(room, x0, y0, cell, mx, my) >= wall:
                            distance[qj, qi] = d + gap
                            parent[qj, qi] = at
                            heapq.heappush(heap, (d + gap, np.int64(qj * ni + qi), np.int64(-1)))
                    break
                if kind == CONTACT:
                    if found < most_candidates:
                        heapq.heappush(heap, (d + gap, np.int64(qj * ni + qi), at))
                    break
                if kind == REFUSED:
                    break
    return distance, parent, candidates[:found].copy(), went, whole


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
