"""Running a flat end mill along moves over a height map, and measuring what it takes.

The map holds the height of the stock per cell. Every block is walked in small steps; at each
step the cells newly under the disc are brought down to the cutter's Z. Measured on the way:
volume, and stock met by rapids.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _sweep(height, x0, y0, cell, ax, ay, az, bx, by, bz, radius):  # type: ignore[no-untyped-def]
    """Lower the cells under the disc at b; cells also under the disc at a, when level, are known.

    Returns the volume removed, mm3.
    """
    ny, nx = height.shape
    volume = 0.0
    level = bz >= az
    r2 = radius * radius
    j1 = max(0, int(np.ceil((by - radius - y0) / cell)))
    j2 = min(ny - 1, int(np.floor((by + radius - y0) / cell)))
    for j in range(j1, j2 + 1):
        y = y0 + j * cell
        half = np.sqrt(max(0.0, r2 - (y - by) ** 2))
        i1 = max(0, int(np.ceil((bx - half - x0) / cell)))
        i2 = min(nx - 1, int(np.floor((bx + half - x0) / cell)))
        skip1 = 1
        skip2 = 0
        rest = r2 - (y - ay) ** 2
        if level and rest > 0.0:
            before = np.sqrt(rest)
            skip1 = int(np.ceil((ax - before - x0) / cell))
            skip2 = int(np.floor((ax + before - x0) / cell))
        i = i1
        while i <= i2:
            if skip1 <= i <= skip2:
                i = skip2 + 1
                continue
            h = height[j, i]
            if h > bz:
                volume += h - bz
                height[j, i] = bz
            i += 1
    return volume * cell * cell


@njit(cache=True, nogil=True)
def _touches(height, x0, y0, cell, x, y, z, radius):  # type: ignore[no-untyped-def]
    """Greatest height of stock above z under the disc at (x, y); 0 when clear."""
    ny, nx = height.shape
    most = 0.0
    j1 = max(0, int(np.ceil((y - radius - y0) / cell)))
    j2 = min(ny - 1, int(np.floor((y + radius - y0) / cell)))
    for j in range(j1, j2 + 1):
        half = np.sqrt(max(0.0, radius * radius - (y0 + j * cell - y) ** 2))
        i1 = max(0, int(np.ceil((x - half - x0) / cell)))
        i2 = min(nx - 1, int(np.floor((x + half - x0) / cell)))
        for i in range(i1, i2 + 1):
            most = max(most, height[j, i] - z)
    return most


@njit(cache=True, nogil=True)
def run(height, x0, y0, cell, start, kind, end, centre, sweep, radius, step, beside):  # type: ignore[no-untyped-def]
    """Walk all blocks. Returns per step: block, x, y, z, length, volume; per block the most stock met
    at a rapid, mm; and per block, where a rapid comes down, how far below what stands within `beside` mm
    of the cutter it ends, mm.
    """
    n = kind.size
    capacity = 1 << 16
    at = np.empty((capacity, 6))
    used = 0
    rapids = np.zeros(n)
    drops = np.zeros(n)
    px, py, pz = start
    for k in range(n):
        ex, ey, ez = end[k]
        if kind[k] > 1:
            radius_here = np.hypot(px - centre[k, 0], py - centre[k, 1])
            angle0 = np.arctan2(py - centre[k, 1], px - centre[k, 0])
            flat = abs(sweep[k]) * radius_here
        else:
            radius_here = 0.0
            angle0 = 0.0
            flat = np.hypot(ex - px, ey - py)
        whole = np.hypot(flat, ez - pz)
        if whole <= 0.0:
            continue
        count = int(np.ceil(whole / step))
        ax, ay, az = px, py, pz
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
            if kind[k] == 0:
                # Half a cell off the rim: a cutter that only slides along a wall is clear of it.
                met = _touches(height, x0, y0, cell, bx, by, bz, radius - 0.5 * cell)
                rapids[k] = max(rapids[k], met)
            volume = _sweep(height, x0, y0, cell, ax, ay, az, bx, by, bz, radius)
            if used == capacity:
                capacity *= 2
                larger = np.empty((capacity, 6))
                larger[:used] = at
                at = larger
            at[used, 0] = k
            at[used, 1] = bx
            at[used, 2] = by
            at[used, 3] = bz
            at[used, 4] = whole / count
            at[used, 5] = volume
            used += 1
            ax, ay, az = bx, by, bz
        if kind[k] == 0 and ez < pz:
            drops[k] = _touches(height, x0, y0, cell, ex, ey, ez, radius + beside)
        px, py, pz = ex, ey, ez
    return at[:used].copy(), rapids, drops
