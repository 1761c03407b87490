"""Running a flat end mill along moves over a map of the stock, and measuring what it takes.

The map holds per cell the height of the stock in whole units (16 bits: large parts have many cells), and where
a part of the cell was swept deeper, that part's share and height. Were cells only whole, a front would gain and
lose half a cell at either side: of a small bite several per cent. Every block is walked in small steps; at each
step what is newly under the disc is brought down to the cutter's Z. Measured on the way: volume, and stock met
by rapids.
"""

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.proof.steps import Run, Steps

WHOLE, HALF = 255, 128
"""Shares of a cell are held in such parts of it."""
AT_ONCE, FEW = 256, 32
"""Cells of a row that go at once, where none of them was swept in part; and how many do where one of those was."""
AIR = -32768
"""Where there is no stock at all, in the map's units."""


def whole_cells(height: NDArray[np.int16]) -> tuple[NDArray[np.int16], NDArray[np.int16], NDArray[np.uint8]]:
    """A map of which no cell was swept in part yet: height, low and share, (ny, nx) each."""
    return height, np.zeros_like(height), np.zeros(height.shape, dtype=np.uint8)


@njit(cache=True, nogil=True)
def _top(height, j, first, last):  # type: ignore[no-untyped-def]
    """The greatest height of cells `first` to `last` - 1 of row j."""
    most = np.int16(AIR)
    # Indices that cannot be negative let the compiler take many cells at once; here and below.
    for i in range(np.uintp(first), np.uintp(last)):
        h = height[j, i]
        most = h if h > most else most
    return most


@njit(cache=True, nogil=True)
def _in_part(share, j, first, last):  # type: ignore[no-untyped-def]
    """Whether any of the cells `first` to `last` - 1 of row j was swept in part."""
    found = np.uint8(0)
    for i in range(np.uintp(first), np.uintp(last)):
        found |= share[j, i]
    return found != 0


@njit(cache=True, nogil=True)
def _lower_whole(height, j, first, last, bz):  # type: ignore[no-untyped-def]
    """Lower the cells `first` to `last` - 1 of row j, none of them swept in part, to bz.

    Returns the volume (in units) and the area lowered, in parts of cells; no more than AT_ONCE cells.
    """
    # As narrow as they may be: so many more go at once. A difference of two heights takes all 16 bits.
    volume, area, floor = np.uint32(0), np.uint16(0), np.int16(bz)
    for i in range(np.uintp(first), np.uintp(last)):
        was = height[j, i]
        now = min(was, floor)
        height[j, i] = now
        over = np.uint16(was - now)
        volume = np.uint32(volume + np.uint32(over))
        area = np.uint16(area + np.uint16(1 if over > 0 else 0))
    return WHOLE * int(volume), WHOLE * int(area)


@njit(cache=True, nogil=True)
def _sweep(height, low, share, x0, y0, cell, unit, ax, ay, az, bx, by, bz, radius):  # type: ignore[no-untyped-def]
    """Lower what is under the disc at b; cells also under the disc at a, when level, are known.

    Along a row the disc's ends are taken where they are, a row at its middle. Of a cell that is swept in part again
    and again the largest part counts. az and bz in units. Returns the volume removed, mm3, and the area lowered, mm2.
    """
    ny, nx = height.shape
    volume = 0
    area = 0
    level = bz >= az
    # In cells: cell i reaches from i to i + 1, row j lies at j.
    r2 = (radius / cell) ** 2
    acx, acy = (ax - x0) / cell + 0.5, (ay - y0) / cell
    bcx, bcy = (bx - x0) / cell + 0.5, (by - y0) / cell
    j1 = max(0, int(np.ceil(bcy - radius / cell)))
    j2 = min(ny - 1, int(np.floor(bcy + radius / cell)))
    for j in range(j1, j2 + 1):
        half = np.sqrt(max(0.0, r2 - (j - bcy) ** 2))
        left = bcx - half
        right = bcx + half
        i1 = max(0, int(left))
        i2 = min(nx - 1, int(right))
        skip1 = 1
        skip2 = 0
        rest = r2 - (j - acy) ** 2
        if level and rest > 0.0:
            before = np.sqrt(rest)
            skip1 = int(np.ceil(acx - before))
            skip2 = int(acx + before) - 1
        whole1 = whole2 = one_by_one = by_few = 0
        if not level:
            # Coming down, a cutter meets all of its disc, and most of that is whole cells.
            whole1, whole2 = max(i1, int(np.ceil(left))), min(i2 + 1, int(np.floor(right)))
            if whole1 < whole2 and _top(height, j, whole1, whole2) <= bz:
                skip1, skip2, whole2 = whole1, whole2 - 1, whole1
        i = i1
        while i <= i2:
            if skip1 <= i <= skip2:
                i = skip2 + 1
                continue
            if whole1 <= i < whole2 and i >= one_by_one:
                last = min(i + AT_ONCE, whole2)
                if i >= by_few and _in_part(share, j, i, last):
                    by_few = last
                if i < by_few:
                    last = min(i + FEW, by_few)
                if i >= by_few or not _in_part(share, j, i, last):
                    some, more = _lower_whole(height, j, i, last, bz)
                    volume += some
                    area += more
                    i = last
                    continue
                one_by_one = last
            h = int(height[j, i])
            if h > bz and share[j, i] == 0 and left <= i and i + 1.0 <= right:
                volume += WHOLE * (h - bz)
                area += WHOLE
                height[j, i] = bz
            elif h > bz:
                part = int(WHOLE * (min(right, i + 1.0) - max(left, float(i))) + 0.5)
                was = int(share[j, i])
                taken = 0
                under = 0
                if was > 0:
                    under = int(low[j, i])
                    if under > bz:
                        taken = min(was, part) * (under - bz)
                        area += min(was, part)
                if part > was:
                    taken += (part - was) * (h - bz)
                    area += part - was
                now = max(was, part)
                if taken > 0:
                    volume += taken
                if part >= WHOLE and was > 0 and under < bz:
                    # An operation before went deeper in that part: it stays so, the rest stands at the cutter's Z.
                    height[j, i] = bz
                elif taken > 0:
                    # The mean of what is swept, so that no volume is lost.
                    mean = h - (was * (h - under) + taken + now // 2) // now
                    if now >= WHOLE:
                        height[j, i] = mean
                        share[j, i] = 0
                        low[j, i] = 0
                    else:
                        low[j, i] = mean
                        share[j, i] = now
            i += 1
    return volume * unit * cell * cell / WHOLE, area * cell * cell / WHOLE


@njit(cache=True, nogil=True)
def _touches(height, low, share, x0, y0, cell, x, y, z, radius):  # type: ignore[no-untyped-def]
    """Greatest height of stock above z under the disc at (x, y); 0 when clear; in units."""
    ny, nx = height.shape
    most = 0
    j1 = max(0, int(np.ceil((y - radius - y0) / cell)))
    j2 = min(ny - 1, int(np.floor((y + radius - y0) / cell)))
    for j in range(j1, j2 + 1):
        half = np.sqrt(max(0.0, radius * radius - (y0 + j * cell - y) ** 2))
        i1 = max(0, int(np.ceil((x - half - x0) / cell)))
        i2 = min(nx - 1, int(np.floor((x + half - x0) / cell)))
        if i1 > i2 or _top(height, j, i1, i2 + 1) - z <= most:
            continue
        for i in range(i1, i2 + 1):
            most = max(most, int(low[j, i] if share[j, i] >= HALF else height[j, i]) - z)
    return most


@njit(cache=True, nogil=True)
def _highest(height):  # type: ignore[no-untyped-def]
    """The greatest height of a map, in its units: over that nothing is met."""
    most = np.int16(AIR)
    for j in range(height.shape[0]):
        most = max(most, _top(height, j, 0, height.shape[1]))
    return most


@njit(cache=True, nogil=True)
def _units(z, z0, unit):  # type: ignore[no-untyped-def]
    """A height in whole units over z0, inside 16 bits."""
    return max(-32767, min(32767, int(np.rint((z - z0) / unit))))


@njit(cache=True, nogil=True)
def _steps(px, py, pz, kind, end, centre, sweep, step):  # type: ignore[no-untyped-def]
    """Length of a block from (px, py, pz), mm, and the number of steps that it is walked in."""
    flat = np.hypot(end[0] - px, end[1] - py)
    if kind > 1:
        flat = abs(sweep) * np.hypot(px - centre[0], py - centre[1])
    whole = np.hypot(flat, end[2] - pz)
    return whole, int(np.ceil(whole / step))


@njit(cache=True, nogil=True)
def walk(start, kind, end, centre, sweep, step):  # type: ignore[no-untyped-def]
    """All blocks, each in steps of at most `step` mm (n,): `block`, `place` and `piece` of `Steps`."""
    # Counted first: a table that grows would be there twice.
    capacity = 0
    px, py, pz = start
    for k in range(kind.size):
        capacity += _steps(px, py, pz, kind[k], end[k], centre[k], sweep[k], step[k])[1]
        px, py, pz = end[k]
    block = np.empty(capacity, dtype=np.int32)
    place = np.empty((capacity, 3))
    piece = np.zeros(kind.size)
    used = 0
    px, py, pz = start
    for k in range(kind.size):
        ex, ey, ez = end[k]
        whole, count = _steps(px, py, pz, kind[k], end[k], centre[k], sweep[k], step[k])
        if count > 0:
            piece[k] = whole / count
        radius_here = np.hypot(px - centre[k, 0], py - centre[k, 1])
        angle0 = np.arctan2(py - centre[k, 1], px - centre[k, 0])
        for m in range(1, count + 1):
            t = m / count
            if kind[k] > 1:
                a = angle0 + sweep[k] * t
                bx = centre[k, 0] + radius_here * np.cos(a)
                by = centre[k, 1] + radius_here * np.sin(a)
            else:
                bx = px + (ex - px) * t
                by = py + (ey - py) * t
            bz = pz + (ez - pz) * t
            if m == count:
                # The end as written: an arc's radius is rounded, and what lies between would be taken for known.
                bx, by, bz = ex, ey, ez
            block[used] = k
            place[used, 0] = bx
            place[used, 1] = by
            place[used, 2] = bz
            used += 1
        px, py, pz = ex, ey, ez
    return block, place, piece


@njit(cache=True, nogil=True)
def extents(block, place, blocks):  # type: ignore[no-untyped-def]
    """Of each block the number of its first step (blocks + 1,), and the box of its places (blocks, 5): least and
    greatest x, least and greatest y, least z; mm. A block without a step has an empty box."""
    first = np.zeros(blocks + 1, dtype=np.int64)
    box = np.empty((blocks, 5))
    box[:, 0], box[:, 1], box[:, 2], box[:, 3], box[:, 4] = np.inf, -np.inf, np.inf, -np.inf, np.inf
    for s in range(block.size):
        k = block[s]
        x, y, z = place[s, 0], place[s, 1], place[s, 2]
        first[k + 1] = s + 1
        box[k, 0], box[k, 1] = min(box[k, 0], x), max(box[k, 1], x)
        box[k, 2], box[k, 3] = min(box[k, 2], y), max(box[k, 3], y)
        box[k, 4] = min(box[k, 4], z)
    for k in range(blocks):
        first[k + 1] = max(first[k + 1], first[k])
    return first, box


@njit(cache=True, nogil=True)
def come_near(box, left, right, bottom, top, highest):  # type: ignore[no-untyped-def]
    """Whether any block comes below `highest` in a rectangle; mm."""
    for k in range(box.shape[0]):
        if (
            box[k, 1] >= left and box[k, 0] <= right and box[k, 3] >= bottom and box[k, 2] <= top
            and box[k, 4] < highest
        ):  # fmt: skip
            return True
    return False


@njit(cache=True, nogil=True)
def run_on(  # type: ignore[no-untyped-def]
    height, low, share, x0, y0, cell, z0, unit, start, kind, first, box, place, radius, beside, volume, lowered, rapids,
    drops,
):  # fmt: skip
    """Take what the steps of `walk` take from a part of the map. `height` and `low` (ny, nx) in units of
    `unit` mm over `z0`: of a cell `share` / WHOLE is cut down to `low`, the rest stands at `height`.

    `first` and `box` as `extents` tells them. Per step `volume` (mm3) and `lowered` (mm2, area) grow by what is taken.
    Per block `rapids` is raised to the most stock met at a rapid, and `drops`, where a rapid comes down, to how far
    below what stands within `beside` mm of the cutter it ends; mm.
    """
    reach = radius + beside + cell
    left, right = x0 - reach, x0 + height.shape[1] * cell + reach
    bottom, top = y0 - reach, y0 + height.shape[0] * cell + reach
    highest = _highest(height)
    ax, ay, az = start
    from_z = az
    for k in range(kind.size):
        if first[k] == first[k + 1]:
            continue
        if box[k, 1] < left or box[k, 0] > right or box[k, 3] < bottom or box[k, 2] > top:
            ax, ay, az = place[first[k + 1] - 1]
            from_z = az
            continue
        for s in range(first[k], first[k + 1]):
            bx, by, bz = place[s, 0], place[s, 1], place[s, 2]
            ends = s + 1 == first[k + 1]
            near = bottom <= by <= top and left <= bx <= right
            # Straight up nothing is met, and straight down at rapid the end meets all that is met on the way.
            looked_at = near and (ax != bx or ay != by or (bz < az and (ends or kind[k] != 0)))
            down = _units(bz, z0, unit) if looked_at else highest
            if down < highest:
                if kind[k] == 0:
                    # Half a cell off the rim: a cutter that only slides along a wall is clear of it.
                    met = unit * _touches(height, low, share, x0, y0, cell, bx, by, down, radius - 0.5 * cell)
                    rapids[k] = max(rapids[k], met)
                some, area = _sweep(
                    height, low, share, x0, y0, cell, unit, ax, ay, _units(az, z0, unit), bx, by, down, radius
                )  # fmt: skip
                volume[s] += some
                lowered[s] += area
            if ends:
                if kind[k] == 0 and bz < from_z and near:
                    end = _units(bz, z0, unit)
                    drops[k] = max(
                        drops[k], unit * _touches(height, low, share, x0, y0, cell, bx, by, end, radius + beside)
                    )
                from_z = bz
            ax, ay, az = bx, by, bz


def run(tile: tuple[Any, ...], start: NDArray[np.float64], kind: NDArray[np.uint8], end: NDArray[np.float64],
        centre: NDArray[np.float64], sweep: NDArray[np.float64], radius: float, step: float,
        beside: float) -> Run:  # fmt: skip
    """Walk all blocks over a whole map, and take from it: `tile` as `Tile.packed` gives it.

    Places in the map's axes; all mm, `sweep` radians. See `run_on`.
    """
    block, place, piece = walk(start, kind, end, centre, sweep, np.full(len(kind), step))
    steps = Steps(block, place, piece, np.zeros(len(block)), np.zeros(len(block), dtype=np.float32))
    rapids, drops = np.zeros(len(kind)), np.zeros(len(kind))
    first, box = extents(block, place, len(kind))
    run_on(*(*tile, start, kind, first, box, place, radius, beside, steps.volume, steps.lowered, rapids, drops))
    return Run(steps, rapids, drops)
