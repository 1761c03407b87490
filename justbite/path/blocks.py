"""Blocks of a program: polylines as lines and arcs with heights and feeds, and the builder that collects them."""

import math
from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.model.moves import LINE, POSITION, RAPID, Moves
from justbite.path.fit import fit

HELD = 0.98
"""Share of the feed from which on it is left as it is in a curve that holds the machine up."""
COLUMNS = 11
"""Kind, end (3), centre (2), feed, part, operation, level, depth."""
NEAR = 1e-6
"""mm: places of a link that are no farther apart are one."""

Floats = NDArray[np.float64]


@dataclass
class MovesBuilder:
    """Collects blocks; `build` makes them arrays."""

    start: Floats
    operation: int = 0
    level: float = 0.0
    points: int = 0
    """Points of the polylines that blocks were fitted to so far."""
    _table: Floats = field(init=False, default_factory=lambda: np.empty((64, COLUMNS)))
    _count: int = field(init=False, default=0)

    def __len__(self) -> int:
        return self._count

    @property
    def rows(self) -> Floats:
        """(n, COLUMNS) all blocks so far, for as long as none is added."""
        return self._table[: self._count]

    @property
    def here(self) -> Floats:
        return self.rows[-1, 1:4].copy() if self._count else self.start

    def to(self, kind: int, x: float, y: float, z: float, feed: float, part: int,
           centre: tuple[float, float] = (np.nan, np.nan)) -> None:  # fmt: skip
        self._put(np.array([[kind, x, y, z, *centre, feed, part, self.operation, self.level, 0.0]]))

    def rapid(self, x: float, y: float, z: float) -> None:
        self.to(RAPID, x, y, z, np.nan, POSITION)

    def lines(self, ends: Floats, feeds: Floats, part: int) -> None:
        """Straight lines to `ends` (n, 3) at `feeds` (n,), mm/min."""
        table = np.full((len(ends), COLUMNS), np.nan)
        table[:, 0], table[:, 1:4], table[:, 6], table[:, 10] = LINE, ends, feeds, 0.0
        self._add(table, part)

    def along(self, points: Floats, heights: Floats, ends: NDArray[np.int64], feeds: Floats, depth: Floats | None,
              tolerance: float, acceleration: float, part: int) -> None:  # fmt: skip
        """Lines and arcs along `points` (n, 2) at `heights` (n,): up to the point of each of `ends` at its own feed.

        `depth` (n,): radial depth over the target at each point; None where nothing is cut. In an arc of radius r the
        feed is no more, but for HELD, than the machine holds: v^2 / r is its acceleration.
        """
        self.points += len(points) - 1
        told = np.zeros(len(points)) if depth is None else depth
        points = np.ascontiguousarray(points)
        self._add(_rows_along(points, heights, ends, feeds, told, tolerance, acceleration), part)

    def _add(self, table: Floats, part: int) -> None:
        table[:, 7:10] = part, self.operation, self.level
        self._put(table)

    def clear(self) -> None:
        """Hold no rows any longer: of a long program they take much memory."""
        self._count, self._table = 0, np.empty((64, COLUMNS))

    def taken_back(self, first: int) -> Floats:
        """Take back all rows from `first` on."""
        rows = self.rows[first:].copy()
        self._count = first
        return rows

    def put_back(self, first: int, rows: Floats) -> None:
        """Have these rows from `first` on, instead of what there is."""
        self._count = first
        self._put(rows)

    def _put(self, rows: Floats) -> None:
        size = self._count + len(rows)
        if size > len(self._table):
            # A long program has a hundred thousand blocks: half as many again each time, not twice.
            table = np.empty((max(size, len(self._table) * 3 // 2), COLUMNS))
            table[: self._count] = self.rows
            self._table = table
        self._table[self._count : size] = rows
        self._count = size

    def build(self, first: int = 0) -> Moves:
        """All rows from `first` on as arrays."""
        table = self.rows[first:]
        return Moves(
            start=self.rows[first - 1, 1:4].copy() if first else self.start,
            kind=table[:, 0].astype(np.uint8),
            end=table[:, 1:4].copy(),
            centre=table[:, 4:6].copy(),
            feed=table[:, 6].copy(),
            part=table[:, 7].astype(np.uint8),
            operation=table[:, 8].astype(np.int16),
            z_level=table[:, 9].copy(),
            depth=table[:, 10].astype(np.float32),
            line=np.zeros(len(table), dtype=np.int32),
        )


@njit(cache=True, nogil=True)
def _rows_along(points, heights, ends, feeds, depth, tolerance, acceleration):  # type: ignore[no-untyped-def]
    """The table of `MovesBuilder.along`, but for what the builder itself knows."""
    rows = np.empty((max(1, points.shape[0]), COLUMNS))
    count = 0
    first = 0
    for k in range(ends.size):
        if ends[k] <= first:
            continue
        fitted = fit(points[first : ends[k] + 1], tolerance)
        at = first
        for m in range(fitted.shape[0]):
            end = first + int(fitted[m, 0])
            x, y = points[end, 0], points[end, 1]
            cx, cy = fitted[m, 2], fitted[m, 3]
            feed = feeds[k]
            # Kinds of blocks are numbered as those of moves are.
            if fitted[m, 1] != LINE:
                held = 60.0 * math.sqrt(acceleration * math.hypot(x - cx, y - cy))
                if held <= HELD * feed:
                    feed = held
            rows[count, 0] = fitted[m, 1]
            rows[count, 1] = x
            rows[count, 2] = y
            rows[count, 3] = heights[end]
            rows[count, 4] = cx
            rows[count, 5] = cy
            rows[count, 6] = feed
            rows[count, 10] = depth[at + 1 : end + 1].max()
            count += 1
            at = end
        first = ends[k]
    return rows[:count].copy()


@njit(cache=True, nogil=True)
def lifted(points, feeds, hover, ease):  # type: ignore[no-untyped-def]
    """A link that lifts off by `hover` over its first `ease` mm, and comes down over its last.

    `feeds` (n - 1,): on the way to each of its `points` (n, 2) but the first. Returns its points with those between
    which feed and slope are the same, how high each is (m,), and of each such stretch the index of its last point and
    its feed. The curve itself is kept on the way up and down: a chord could touch a wall beside it.
    """
    n = points.shape[0]
    along = np.zeros(n)
    for k in range(1, n):
        along[k] = along[k - 1] + np.hypot(points[k, 0] - points[k - 1, 0], points[k, 1] - points[k - 1, 1])
    length = along[n - 1]
    borders = np.empty(n + 4)
    borders[0], borders[1], borders[2], borders[3] = 0.0, ease, length - ease, length
    count = 4
    for k in range(1, n - 1):
        if feeds[k] != feeds[k - 1]:
            borders[count] = along[k]
            count += 1
    borders = np.sort(borders[:count])
    places = np.empty((n + count, 2))
    heights = np.empty(n + count)
    ends = np.empty(count, dtype=np.int64)
    found = np.empty(count)
    runs, m, k = 0, 0, 0
    before = 0.0
    for b in range(count):
        if b > 0 and borders[b] - borders[b - 1] <= NEAR:
            continue
        border = borders[b]
        while k < n and along[k] < border - NEAR:
            if along[k] > before + NEAR:
                places[m, 0], places[m, 1] = points[k, 0], points[k, 1]
                heights[m] = along[k]
                m += 1
            k += 1
        at = min(max(1, np.searchsorted(along, border)), n - 1)
        share = (border - along[at - 1]) / max(along[at] - along[at - 1], 1e-12)
        for c in range(2):
            places[m, c] = points[at - 1, c] + share * (points[at, c] - points[at - 1, c])
        heights[m] = border
        m += 1
        if b > 0:
            ends[runs] = m - 1
            middle = np.searchsorted(along, 0.5 * (before + border)) - 1
            found[runs] = feeds[min(n - 2, middle)]
            runs += 1
        before = border
    for k in range(m):
        way = min(heights[k], length - heights[k])
        heights[k] = hover * min(1.0, max(0.0, way / ease)) if ease > 0.0 else 0.0
    return places[:m].copy(), heights[:m].copy(), ends[:runs].copy(), found[:runs].copy()
