"""How much of the cutter's circle stands in material, read from the cleared field.

For a heading u the effective radial depth is e = R * integral of cos(alpha) over the
engaged part of the leading half (alpha measured from the heading): the area removed
per unit of travel. For a plain side cut it equals R * (1 - cos(phi)).
"""

import numpy as np
from numba import njit

from justbite.field.grid import read, read_cells

HALF_SAMPLES = 48
"""Intervals over the leading half of the cutter's circle."""
STRIDE, COARSE = 4, 4
"""Intervals between the samples that are looked at first, of the half circle's and of the whole one's."""
STRIPS = 24
"""Across the cutter's width, by which what stands before a ramp is told."""

_ANGLES = np.linspace(-np.pi / 2, np.pi / 2, HALF_SAMPLES + 1)
HALF_COS = np.cos(_ANGLES)
HALF_SIN = np.sin(_ANGLES)

_ROUND = np.linspace(0.0, 2 * np.pi, 64, endpoint=False)
ROUND_COS = np.cos(_ROUND)
ROUND_SIN = np.sin(_ROUND)


@njit(cache=True, nogil=True)
def radial_depth(field, x0, y0, cell, x, y, c, s, radius, skin):  # type: ignore[no-untyped-def]
    """Effective radial depth (mm) at (x, y) moving along (c, s).

    `skin` is the thickness of material (mm) too thin to count: the field's accuracy.
    """
    total = 0.0
    gx, gy, gc, gs = (x - x0) / cell, (y - y0) / cell, c * radius / cell, s * radius / cell
    # A distance changes no faster than the way: where two samples lie deeper, on one side, than half the arc between
    # them, all between lie on that side too.
    apart = radius * STRIDE * np.pi / HALF_SAMPLES + 2.0 * skin
    before = (
        read_cells(field, gx + gc * HALF_COS[0] - gs * HALF_SIN[0], gy + gs * HALF_COS[0] + gc * HALF_SIN[0]) - skin
    )
    for first in range(0, HALF_SAMPLES, STRIDE):
        last = first + STRIDE
        end = (
            read_cells(
                field,
                gx + gc * HALF_COS[last] - gs * HALF_SIN[last],
                gy + gs * HALF_COS[last] + gc * HALF_SIN[last],
            )
            - skin
        )
        if before + end > apart:
            total += HALF_SIN[last] - HALF_SIN[first]
        elif before + end >= -apart:
            for k in range(first + 1, last + 1):
                now = end
                if k < last:
                    px = gx + gc * HALF_COS[k] - gs * HALF_SIN[k]
                    py = gy + gs * HALF_COS[k] + gc * HALF_SIN[k]
                    now = read_cells(field, px, py) - skin
                if now > 0.0:
                    if before > 0.0:
                        total += HALF_SIN[k] - HALF_SIN[k - 1]
                    else:
                        t = before / (before - now)
                        total += (1.0 - t) * (HALF_SIN[k] - HALF_SIN[k - 1])
                elif before > 0.0:
                    t = before / (before - now)
                    total += t * (HALF_SIN[k] - HALF_SIN[k - 1])
                before = now
        before = end
    return radius * total


@njit(cache=True, nogil=True)
def deepest(field, x0, y0, cell, x, y, radius, least, most):  # type: ignore[no-untyped-def]
    """Thickest material (mm) under the cutter's circle; below zero where it is clear.

    What is thinner than `least` need not be told exactly; once some is thicker than `most` no more is looked for.
    """
    thickest = -1e9
    # As in `radial_depth`; the field itself may be off by half a cell beside its ridges.
    rise = radius * COARSE * (np.pi / ROUND_COS.size) + 0.5 * cell
    gx, gy, gr = (x - x0) / cell, (y - y0) / cell, radius / cell
    first = read_cells(field, gx + gr * ROUND_COS[0], gy + gr * ROUND_SIN[0])
    before = first
    for k in range(0, ROUND_COS.size, COARSE):
        after = first
        if k + COARSE < ROUND_COS.size:
            after = read_cells(field, gx + gr * ROUND_COS[k + COARSE], gy + gr * ROUND_SIN[k + COARSE])
        thickest = max(thickest, before)
        if 0.5 * (before + after) + rise > max(thickest, least):
            for m in range(k + 1, k + COARSE):
                thickest = max(thickest, read_cells(field, gx + gr * ROUND_COS[m], gy + gr * ROUND_SIN[m]))
        if thickest > most:
            break
        before = after
    return thickest


@njit(cache=True, nogil=True)
def thicker(field, x0, y0, cell, x, y, radius, least):  # type: ignore[no-untyped-def]
    """Whether material thicker than `least` (mm) stands under the cutter's circle."""
    return deepest(field, x0, y0, cell, x, y, radius, least, least) > least


@njit(cache=True, nogil=True)
def which_clear(field, x0, y0, cell, places, radius, least):  # type: ignore[no-untyped-def]
    """About which of `places` (n, 2) nothing thicker than `least` stands."""
    clear = np.empty(places.shape[0], dtype=np.bool_)
    for k in range(places.shape[0]):
        clear[k] = not thicker(field, x0, y0, cell, places[k, 0], places[k, 1], radius, least)
    return clear


@njit(cache=True, nogil=True)
def first_clear(field, x0, y0, cell, path, first, radius, least):  # type: ignore[no-untyped-def]
    """The first place of `path` (n, 2) from `first` on where nothing thicker than `least` stands; 0 if none."""
    for k in range(first, path.shape[0]):
        if not thicker(field, x0, y0, cell, path[k, 0], path[k, 1], radius, least):
            return k
    return 0


@njit(cache=True, nogil=True)
def last_clear(field, x0, y0, cell, path, radius, reach):  # type: ignore[no-untyped-def]
    """The last place of `path` (n, 2), within `reach` of its end but not its first, that is clear; -1 if none."""
    n = path.shape[0]
    for k in range(n - 1, 0, -1):
        if np.hypot(path[n - 1, 0] - path[k, 0], path[n - 1, 1] - path[k, 1]) > reach:
            break
        if not thicker(field, x0, y0, cell, path[k, 0], path[k, 1], radius, 0.0):
            return k
    return -1


@njit(cache=True, nogil=True)
def standing_before(field, x0, y0, cell, places, radius, within):  # type: ignore[no-untyped-def]
    """What stands before the cutter on its way from each of `places` (n, 2) to the next, and back: (n - 1, 2).

    As shares of its width: of STRIPS strips along the way those in whose middle the front half of its circle has
    something before it at either end. Of what is clear the outermost `within` mm count as standing.
    """
    found = np.zeros((places.shape[0] - 1, 2))
    for k in range(places.shape[0] - 1):
        c = places[k + 1, 0] - places[k, 0]
        s = places[k + 1, 1] - places[k, 1]
        size = max(np.hypot(c, s), 1e-12)
        for side in range(2):
            forth = radius * (1.0 - 2.0 * side) / size
            for end in range(2):
                met = 0
                for j in range(STRIPS):
                    across = (2.0 * j + 1.0) / STRIPS - 1.0
                    ahead = np.sqrt(1.0 - across * across)
                    x = places[k + end, 0] + forth * (ahead * c - across * s)
                    y = places[k + end, 1] + forth * (ahead * s + across * c)
                    met += read(field, x0, y0, cell, x, y) > -within
                found[k, side] = max(found[k, side], met / STRIPS)
    return found


@njit(cache=True, nogil=True)
def material_side(field, x0, y0, cell, x, y, radius, skin):  # type: ignore[no-untyped-def]
    """Unit vector from (x, y) towards the middle of the engaged arc; (0, 0) where none."""
    sx = 0.0
    sy = 0.0
    for k in range(ROUND_COS.size):
        now = read(field, x0, y0, cell, x + radius * ROUND_COS[k], y + radius * ROUND_SIN[k])
        if now > skin:
            sx += ROUND_COS[k] * (now - skin)
            sy += ROUND_SIN[k] * (now - skin)
    length = np.sqrt(sx * sx + sy * sy)
    if length < 1e-12:
        return 0.0, 0.0
    return sx / length, sy / length
