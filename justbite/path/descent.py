"""A ramp to and fro along a line, down to a level in strokes of one depth, each at the feed its load allows."""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]

PARTS = 4
"""Steps of feed per stroke's depth, in which the feed follows the floor that the strokes before left."""
DEEPER = 1.25
"""How much deeper than the load allows at full feed a stroke may be, its feed being lowered as much."""
STATION = 0.125
"""Distance of the places that the floor is kept at, R."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Part of a stroke: points (n, 3) that follow the place it begins at, and its feed, mm/min."""

    points: Points
    feed: float


def descend(line: Points, top: float, z: float, radius: float, slope: float, feed: float,
            removal: float, open_ends: tuple[bool, bool] = (False, False)) -> tuple[Points, list[Stretch]]:  # fmt: skip
    """Where a ramp along `line` (n, 2) begins, (3,), and its stretches down from `top` to `z`.

    It ends at the line's end. Round a closed line it goes on in one direction. At an end that is open, cleared down
    to `z` before, it comes straight down.

    Each stroke goes down as steeply as `slope` (tangent) allows, then flat. The full width takes no more than
    `removal` (mm3/min): a stroke is as deep as that allows at `feed`, or a little deeper at a lower feed,
    and where the slope of the stroke before makes it deeper still the feed falls as much.
    """
    floor = _Floor.over(line, top, radius)
    full = removal / (2.0 * radius * feed)
    deepest = DEEPER * full if any(open_ends) else min(DEEPER * full, floor.length * slope)
    count = max(1, math.ceil((top - z) / deepest - 1e-9))
    order = np.arange(len(floor.at))
    if floor.closed:
        return floor.round(top, z, count, slope, feed, full)
    if count % 2 == 0:
        order, open_ends = order[::-1], open_ends[::-1]
    begin = np.append(floor.xy[order[0]], top)
    found: list[Stretch] = []
    here = top
    for k in range(1, count + 1):
        down = top + (z - top) * k / count
        if open_ends[0]:
            found.append(Stretch(np.append(floor.xy[order[0]], down)[None], feed))
            here = down
        elif k == count:
            # The last stroke leaves no slope behind: forth half-way down and back down the rest, then flat.
            middle = 0.5 * (here + down)
            over = int(np.searchsorted(np.abs(floor.at[order] - floor.at[order[0]]), (here - middle) / slope)) + 1
            found += floor.stroke(order[:over], here, middle, slope, feed, full)
            found += floor.stroke(order[:over][::-1], middle, down, slope, feed, full)
            here = down
        found += floor.stroke(order, here, down, slope, feed, full)
        here, order, open_ends = down, order[::-1], open_ends[::-1]
    return begin, found


@dataclass
class _Floor:
    """Stations along a line, and how deep it is cut at each."""

    at: NDArray[np.float64]
    xy: Points
    height: NDArray[np.float64]
    radius: float

    @classmethod
    def over(cls, line: Points, top: float, radius: float) -> "_Floor":
        length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
        count = max(8, math.ceil(length[-1] / (STATION * radius)))
        # The line's own points are stations, so that corners are kept.
        at = np.unique(np.concatenate([length, np.linspace(0.0, length[-1], count + 1)]).round(9))
        xy = np.column_stack([np.interp(at, length, line[:, 0]), np.interp(at, length, line[:, 1])])
        return cls(at, xy, np.full(len(at), top), radius)

    @property
    def closed(self) -> bool:
        return bool(np.allclose(self.xy[0], self.xy[-1], atol=1e-6 * self.radius))

    def round(self, top: float, z: float, count: int, slope: float, feed: float, full: float
              ) -> tuple[Points, list[Stretch]]:  # fmt: skip
        """Down in `count` rounds, each sloping down at its beginning, and on over the last slope to the line's end."""
        # It begins so far before the line's end as the last slope is long.
        first = int(np.searchsorted(self.at, self.length - (top - z) / count / slope))
        order = np.concatenate([np.arange(first, len(self.at) - 1), np.arange(first + 1)])
        found: list[Stretch] = []
        here = top
        for k in range(1, count + 1):
            down = top + (z - top) * k / count
            found += self.stroke(order, here, down, slope, feed, full)
            here = down
        found += self.stroke(np.arange(first, len(self.at)), z, z, slope, feed, full)
        return np.append(self.xy[first], top), found

    @property
    def length(self) -> float:
        return float(self.at[-1])

    def stroke(
        self, order: NDArray[np.intp], here: float, down: float, slope: float, feed: float, full: float
    ) -> list[Stretch]:
        """Go along the stations from height `here` to `down`; `full`: depth that is taken at `feed`."""
        way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(self.xy[order], axis=0).T))])
        heights = np.maximum(down, here - way * slope)
        depth = np.maximum(0.0, self.height[order] - heights)
        self.height[order] = np.minimum(self.height[order], heights)
        points = np.column_stack([self.xy[order], heights])
        # What is taken on the way to a station is the more of its two ends.
        load = np.maximum(depth[1:], depth[:-1])
        # Going down, all of the face cuts: pi R^2 for every mm down, as much as this much more depth.
        load = load - np.diff(heights) / np.maximum(np.diff(way), 1e-9) * (0.5 * math.pi * self.radius)
        load = np.maximum(1.0, load / full)
        steps = np.ceil((load - 1.0) * PARTS - 1e-6)
        ends = np.concatenate([[0], np.nonzero(np.diff(steps))[0] + 1, [len(steps)]])
        return [Stretch(_straight(points[a : b + 1])[1:], feed / float(load[a:b].max())) for a, b in pairwise(ends)]


def _straight(points: Points) -> Points:
    """Without the points that lie on the line between their neighbours."""
    ways = np.diff(points, axis=0)
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
    turns = np.linalg.norm(np.diff(ways, axis=0), axis=1) > 1e-6
    return points[np.concatenate([[True], turns, [True]])]
