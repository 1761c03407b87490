"""Cutting along a given way: what is taken on it, over the window that the proof looks over."""

import numpy as np
from numba import njit

from justbite.field.cleared import stamp, undo
from justbite.path.contact import thicker

WINDOW = 0.25
"""Share of R over which what a cut takes is held against its target: as the proof does."""


@njit(cache=True, nogil=True)
def follow(cleared, x0, y0, cell, path, radius, most, log_at, log_was, before, both):  # type: ignore[no-untyped-def]
    """Cut along a given path (n, 2). Returns the radial depth (n,) over WINDOW, the undo log's length and the area.

    And (n,) the largest depth over a tenth of the radius on the way to each point. Taken back, and -1 for the length,
    where more than `most` (mm) would be taken, or more than `both` together with what was taken on the way to the
    path: `before` (m, 3), mm of way from there to it, mm2, and on how many mm.
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
            if area > 0.0:
                for q in range(before.shape[0]):
                    if along + before[q, 0] < window:
                        lately += before[q, 1]
            if depth[k] > most or (area > 0.0 and lately > both * window):
                undo(cleared, log_at, log_was, used, 0)
                return depth, -1, whole, load
    return depth, used, whole, load
