"""A ramp to and fro along a line, down to a level in strokes of one depth, each at the feed its load allows."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.model.shapes import SAME

Points = NDArray[np.float64]
PARTS = 20
"""Steps of feed per stroke's depth, in which the feed follows the floor that the strokes before left."""
DEEPER = 1.4
"""How much deeper than the load allows at full feed a stroke may be, its feed being lowered as much."""
AT_ENDS = 2.0
"""Where a stroke meets the slope of the one before it is up to so many times as deep, for a few mm."""
STATION = 0.125
"""Distance of the places that the floor is kept at, R."""
AFTER, ANEW, APART = 0.25, 0.25, 0.9
"""R: how far on the front's sides leave slivers where nothing stands before it any more; how far it goes slowly where
it begins to cut again, and after how much way without a cut."""
WHOLE = 0.85
"""Share of a level's depth from which on it is cut as a whole: what takes less the proof tells as left by a way in."""
LAST = 0.3
"""mm above where it goes on at full width to which the cutter comes straight down as fast as on a link."""


@dataclass(frozen=True, slots=True)
class FullWidth:
    """What the cutter bears at its full width."""

    feed: float
    """mm/min"""
    removal: float
    """mm3/min"""
    deepest: float = math.inf
    """mm that a stroke may be deep, whatever its load."""
    clear: float = 0.0
    """mm/min where nothing stands; 0: no faster than elsewhere."""
    anew: float = math.inf
    """mm/min with which it begins to cut again after a way on which nothing stands."""


@dataclass(frozen=True, slots=True)
class Descent:
    """A way down: where it begins (3,), the ends of its lines (n, 3) and the feed along each (n,), mm/min."""

    begin: Points
    ends: Points
    feeds: NDArray[np.float64]

    @property
    def minutes(self) -> float:
        """How long it takes at its feeds."""
        ways = np.linalg.norm(np.diff(np.vstack([self.begin, self.ends]), axis=0), axis=1)
        return float((ways / self.feeds).sum())


def descend(line: Points, top: float, z: float, radius: float, slope: float, bears: FullWidth,
            open_ends: tuple[bool, bool] = (False, False), stands: NDArray[np.float64] | None = None
            ) -> Descent:  # fmt: skip
    """The ramp along `line` (n, 2) down from `top` to `z`.

    It ends at the line's end. Round a closed line it goes on in one direction. At an end that is open, cleared down
    to `z` before, it comes straight down. `stands` (stations - 1, 2): what stands before the cutter on the way from
    each of the `stations` to the next, and on the way back, as shares of its width; None for all.

    Each stroke goes down as steeply as `slope` (tangent) allows, then flat. The full width takes no more than it
    bears: a stroke is as deep as its removal rate allows at its feed, or a little deeper at a lower feed,
    and where the slope of the stroke before makes it deeper still the feed falls as much. Where that is
    quicker it slopes from end to end instead, and goes flat along the line once it is down.
    """
    floor = _Floor.over(line, top, radius, stands, max(bears.clear, bears.feed), bears.anew, z)
    feed = bears.feed
    full = bears.removal / (2.0 * radius * feed)
    most = min(DEEPER * full, bears.deepest)
    full = min(full, AT_ENDS * bears.deepest)
    sloped = floor.length * slope
    deepest = most if any(open_ends) else min(most, sloped)
    count = max(1, math.ceil((top - z) / deepest - 1e-9))
    if floor.closed:
        ways = [floor.round(top, z, n, slope, feed, full) for n in (count, count + 1)]
        return min(ways, key=lambda way: way.minutes)
    # From an end that is not open a stroke has only the line's length to slope down in; the last one goes down half-way
    # and half-way back.
    while not (
        (open_ends[0] or top - z <= 2.0 * count * sloped)
        and (open_ends[1] or count < 2 or top - z <= count * sloped)
        and (open_ends[0] or count < 3 or top - z <= count * sloped)
    ):
        count += 1
    # One more may not fit where one less does, as it begins at the other end.
    counts = [count]
    if all(open_ends) or top - z <= (count + 1) * sloped:
        counts.append(count + 1)
    ways = [floor.strokes(top, z, n, slope, feed, full, open_ends) for n in counts]
    if open_ends[0] != open_ends[1]:
        least = max(1, math.ceil((top - z) / most - 1e-9))
        ways += [floor.out_and_back(top, z, n, feed, full, open_ends[0]) for n in (least, least + 1)]
    if not any(open_ends):
        ways.append(floor.slopes(top, z, min(slope, most / floor.length), feed, full))
    return min(ways, key=lambda way: way.minutes)


def stations(line: Points, radius: float) -> tuple[NDArray[np.float64], Points]:
    """Places along a line (n, 2), at which what its ramp takes is told: mm along it (m,), and where (m, 2)."""
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    count = max(8, math.ceil(length[-1] / (STATION * radius)))
    # The line's own points are stations, so that corners are kept.
    at = np.unique(np.concatenate([length, np.linspace(0.0, length[-1], count + 1)]).round(9))
    return at, np.column_stack([np.interp(at, length, line[:, 0]), np.interp(at, length, line[:, 1])])


@dataclass
class _Floor:
    """Stations along a line, how deep it is cut at each, and what stands between them."""

    at: NDArray[np.float64]
    xy: Points
    height: NDArray[np.float64]
    radius: float
    stands: NDArray[np.float64]
    clear: float
    """mm/min where nothing does."""
    anew: float
    """mm/min where it begins to cut after that, on the level; above it all belongs to the way in."""
    level: float
    sloped: float = 0.0
    """mm of way so far above the level, ..."""
    flat: float = 0.0
    """... and on it, where something was cut."""
    top: float = 0.0
    """Where it begins."""
    fastest: float = 0.0
    """mm/min that it came down at, at most: what is cut at full depth faster than that is no longer its way in."""

    @classmethod
    def over(cls, line: Points, top: float, radius: float, stands: NDArray[np.float64] | None, clear: float,
             anew: float, level: float) -> "_Floor":  # fmt: skip
        at, xy = stations(line, radius)
        stands = np.ones((len(at) - 1, 2)) if stands is None else stands
        return cls(at, xy, np.full(len(at), float(top)), radius, stands, clear, anew, level)

    @property
    def closed(self) -> bool:
        return bool(np.allclose(self.xy[0], self.xy[-1], atol=1e-6 * self.radius))

    def _begin(self, top: float) -> None:
        self.height[:] = self.top = top
        self.sloped = self.flat = self.fastest = 0.0

    def round(self, top: float, z: float, count: int, slope: float, feed: float, full: float
              ) -> Descent:  # fmt: skip
        """Down in `count` rounds, each sloping down at its beginning, and on over the last slope to the line's end."""
        self._begin(top)
        # It begins so far before the line's end as the last slope is long.
        first = min(int(np.searchsorted(self.at, self.length - (top - z) / count / slope)), len(self.at) - 2)
        order = np.concatenate([np.arange(first, len(self.at) - 1), np.arange(first + 1)])
        found: list[_Lines] = []
        here = top
        for k in range(1, count + 1):
            down = top + (z - top) * k / count
            found.append(self.stroke(order, here, down, slope, feed, full))
            here = down
        found.append(self.stroke(np.arange(first, len(self.at)), z, z, slope, feed, full))
        return _joined(np.append(self.xy[first], top), found)

    def strokes(self, top: float, z: float, count: int, slope: float, feed: float, full: float,
                open_ends: tuple[bool, bool]) -> Descent:  # fmt: skip
        """To and fro down in `count` strokes of one depth, each sloping down at its beginning and then flat."""
        self._begin(top)
        order = np.arange(len(self.at))
        if count % 2 == 0:
            order, open_ends = order[::-1], open_ends[::-1]
        begin = np.append(self.xy[order[0]], top)
        found: list[_Lines] = []
        here = top
        for k in range(1, count + 1):
            down = top + (z - top) * k / count
            if open_ends[0]:
                found.append(self.straight_down(order[0], here, down, feed))
                here = down
            elif k == count:
                # The last stroke leaves no slope behind: forth half-way down and back down the rest, then flat.
                middle = 0.5 * (here + down)
                over = int(np.searchsorted(self._from(order), (here - middle) / slope)) + 1
                found.append(self.stroke(order[:over], here, middle, slope, feed, full))
                found.append(self.stroke(order[:over][::-1], middle, down, slope, feed, full))
                here = down
            found.append(self.stroke(order, here, down, slope, feed, full))
            here, order, open_ends = down, order[::-1], open_ends[::-1]
        return _joined(begin, found)

    def out_and_back(self, top: float, z: float, count: int, feed: float, full: float, first_open: bool) -> Descent:
        """Down in `count` flat strokes, each from the one end that is open, and back through what it cut."""
        self._begin(top)
        out = np.arange(len(self.at))[:: 1 if first_open else -1]
        found: list[_Lines] = []
        here = top
        for k in range(1, count + 1):
            down = top + (z - top) * k / count
            found.append(self.straight_down(out[0], here, down, feed))
            here = down
            found.append(self.stroke(out, down, down, 0.0, feed, full))
            # The last one stays at the line's end.
            if k < count or not first_open:
                found.append(self.stroke(out[::-1], down, down, 0.0, feed, full))
        return _joined(np.append(self.xy[out[0]], top), found)

    def slopes(self, top: float, z: float, slope: float, feed: float, full: float
               ) -> Descent:  # fmt: skip
        """To and fro down at the full slope, then flat from end to end: quicker where the slope holds the ramp up.

        It begins on the way, just so far from an end that the last slope ends at the line's beginning.
        """
        self._begin(top)
        whole = math.ceil((top - z) / (self.length * slope) - 1e-9) - 1
        # Towards the beginning, then as many whole strokes as there are to be; turned round for an odd number.
        order = np.arange(len(self.at))[:: -1 if whole % 2 else 1]
        rest = (top - z) / slope - whole * self.length
        first = min(len(order), int(np.searchsorted(self._from(order), rest - 1e-9)) + 1)
        begin = np.append(self.xy[order[first - 1]], top)
        found: list[_Lines] = []
        here = top
        for part in (order[:first][::-1], *(order[:: (-1) ** k] for k in range(whole))):
            down = max(z, here - float(self._from(part)[-1]) * slope)
            found.append(self.stroke(part, here, down, slope, feed, full))
            here = down
        found.append(self.stroke(np.arange(len(self.at)), z, z, slope, feed, full))
        return _joined(begin, found)

    def _from(self, order: NDArray[np.intp]) -> NDArray[np.float64]:
        """mm along the line from the first of the stations."""
        return np.abs(self.at[order] - self.at[order[0]])

    @property
    def length(self) -> float:
        return float(self.at[-1])

    def straight_down(self, station: int, here: float, down: float, feed: float) -> "_Lines":
        """At an end that is clear: fast, but for the last of it, from which on it is a way into the material."""
        heights = [min(here, down + LAST), down] if here > down + LAST else [down]
        ends = np.column_stack([np.tile(self.xy[station], (len(heights), 1)), heights])
        self.fastest = max(self.fastest, feed)
        return ends, np.array([self.clear, feed][-len(heights) :])

    def stroke(
        self, order: NDArray[np.intp], here: float, down: float, slope: float, feed: float, full: float
    ) -> "_Lines":
        """Go along the stations from height `here` to `down`; `full`: depth that is taken at `feed`."""
        on_level = down < self.level + SAME
        anew, spare = (self.anew, self.sloped - self.flat) if on_level else (math.inf, math.inf)
        ends, feeds, way, cut, self.fastest = _stroke(
            self.xy, self.height, self.stands, order, here, down, slope, feed, self.clear, anew, full, self.radius,
            spare, self.level, WHOLE * (self.top - self.level), self.fastest,
        )  # fmt: skip
        self.flat += cut if on_level else 0.0
        self.sloped += way - (cut if on_level else 0.0)
        return ends, feeds


@njit(cache=True, nogil=True)
def _stroke(  # type: ignore[no-untyped-def]
    xy, height, stands, order, here, down, slope, feed, clear, anew, full, radius, spare, level, whole, fastest
):  # fmt: skip
    """Ends of lines (n, 3), feeds (n,) along the stations `order`, mm of way, mm cut flat, and how fast it came down so
    far; lowers their `height`.

    Up to `spare` mm that are cut flat still belong to the way in after a fast way over what is clear. Where there are
    more they do so only if it goes on as slowly as it came, over a hole as well: fast it goes when nothing more is cut.
    On the `level` it cuts what is as deep as the `whole` of it no faster than it came down (`fastest`, mm/min).
    """
    # mm2 that the face cuts for every mm down, over the cutter's width.
    face = 0.5 * np.pi * radius
    n = order.size
    points = np.empty((n, 3))
    depth = np.empty(n)
    ways = np.zeros((n, 3))
    flat = np.zeros(n)
    along = 0.0
    for k in range(n):
        at = order[k]
        points[k, 0], points[k, 1] = xy[at, 0], xy[at, 1]
        if k > 0:
            flat[k] = np.hypot(points[k, 0] - points[k - 1, 0], points[k, 1] - points[k - 1, 1])
            along += flat[k]
        points[k, 2] = max(down, here - along * slope)
        depth[k] = max(0.0, height[at] - points[k, 2])
        height[at] = min(height[at], points[k, 2])
        if k > 0:
            fall = points[k, 2] - points[k - 1, 2]
            size = max(np.hypot(flat[k], fall), 1e-12)
            for c in range(3):
                ways[k, c] = (points[k, c] - points[k - 1, c]) / size
    last_cut, cut = 0, 0.0
    for k in range(1, n):
        if max(depth[k], depth[k - 1]) * before(stands, order, k) > 0.0:
            last_cut = k
            cut += flat[k] if points[k, 2] == points[k - 1, 2] else 0.0
    fast_from = last_cut if cut > spare else 0
    feeds = np.empty(n)
    steps = np.empty(n)
    first = 1
    most = 0.0
    # mm since something was taken, and mm that it has to go slowly.
    idle, slow = (0.0 if depth[0] > 0.0 else np.inf), 0.0
    for k in range(1, n):
        # What is taken on the way to a station is the more of its two ends; going down, all of the face cuts.
        fall = points[k - 1, 2] - points[k, 2]
        taken = max(depth[k], depth[k - 1]) * before(stands, order, k)
        load = max(1.0, (taken + fall / max(flat[k], 1e-9) * face) / full)
        if taken > 0.0:
            slow = ANEW * radius if idle > APART * radius else slow
            load = max(load, feed / anew) if slow > 0.0 and fall == 0.0 else load
            if fastest > 0.0 and points[k - 1, 2] < level + SAME and max(depth[k], depth[k - 1]) > whole:
                load = max(load, feed / fastest)
        steps[k] = np.ceil((load - 1.0) * PARTS - 1e-6)
        if points[k - 1, 2] > level + SAME:
            # Of lines at one feed all go as slowly as the heaviest.
            fastest = max(fastest, feed / (1.0 + max(0.0, steps[k]) / PARTS))
        clear_on = k + 1 == n or depth[k + 1] * before(stands, order, k + 1) == 0.0
        # Where nothing is taken on the way to this station nor to the next one; a stroke before may have taken it.
        if fall == 0.0 and taken == 0.0 and clear_on and idle >= AFTER * radius and k > fast_from:
            load, steps[k] = feed / clear, -1.0
        idle = idle + flat[k] if taken == 0.0 else 0.0
        slow = slow - flat[k] if taken > 0.0 else 0.0
        if k > first and steps[k] != steps[k - 1]:
            feeds[first:k] = feed / most
            first, most = k, 0.0
        most = max(most, load)
    feeds[first:n] = feed / most
    # Without the points on a straight line at one feed.
    kept = 0
    for k in range(1, n):
        bend = 1.0
        if k < n - 1 and steps[k] == steps[k + 1]:
            bend = np.sqrt(((ways[k + 1] - ways[k]) ** 2).sum())
        if bend > 1e-6:
            points[kept] = points[k]
            feeds[kept] = feeds[k]
            kept += 1
    return points[:kept].copy(), feeds[:kept].copy(), along, cut, fastest


@njit(cache=True, inline="always", nogil=True)
def before(stands, order, k):  # type: ignore[no-untyped-def]
    """What stands before the cutter on the way to the k-th station of an order."""
    a, b = order[k - 1], order[k]
    if abs(a - b) > 1:
        # Round a closed line, whose last station is its first: on from the last but one.
        return stands[a, 0]
    return stands[min(a, b), 0 if b > a else 1]


_Lines = tuple[Points, NDArray[np.float64]]
"""Ends of lines (n, 3) and the feeds along them (n,)."""


def _joined(begin: Points, lines: list[_Lines]) -> Descent:
    return Descent(begin, np.vstack([ends for ends, _ in lines]), np.concatenate([feeds for _, feeds in lines]))
