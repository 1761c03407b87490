"""Polylines as kernels: how long they are, and with more points on them."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def length_of(line):  # type: ignore[no-untyped-def]
    """mm along a polyline (n, 2)."""
    whole = 0.0
    for k in range(1, line.shape[0]):
        whole += np.hypot(line[k, 0] - line[k - 1, 0], line[k, 1] - line[k - 1, 1])
    return whole


@njit(cache=True, nogil=True)
def filled(line, apart):  # type: ignore[no-untyped-def]
    """The polyline (n, 2) with more points, evenly between two of its own and none farther than `apart` mm."""
    n = line.shape[0]
    parts = np.empty(n, dtype=np.int64)
    whole = 1
    for k in range(1, n):
        span = np.hypot(line[k, 0] - line[k - 1, 0], line[k, 1] - line[k - 1, 1])
        parts[k] = max(1, int(np.ceil(span / apart)))
        whole += parts[k]
    found = np.empty((whole, 2))
    found[0, 0], found[0, 1] = line[0, 0], line[0, 1]
    m = 1
    for k in range(1, n):
        for q in range(1, parts[k]):
            t = q / parts[k]
            for c in range(2):
                found[m, c] = line[k - 1, c] + t * (line[k, c] - line[k - 1, c])
            m += 1
        # Its own points are kept to the last digit.
        found[m, 0], found[m, 1] = line[k, 0], line[k, 1]
        m += 1
    return found
