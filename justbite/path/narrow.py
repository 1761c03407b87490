"""Slots hardly wider than the cutter: ramped through along their middle lines, then gone along at both walls.

Between walls that close no node of a flood is clear all round, so that no front is found, and no pass can turn. What
ramps leave there is a film along each wall: it is taken in slices, each as thick as it may be at its thickest place.
Ways from one slice to the next lead along the middle lines.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.spatial import cKDTree
from shapely.geometry import LineString, MultiLineString
from shapely.geometry.base import BaseGeometry

from justbite.path.clearing import MOST_GRAZED, Clearing
from justbite.path.entry import BESIDE, Entry
from justbite.path.fronts import SWEEPS, Points
from justbite.path.rim import WIPE_STEP
from justbite.path.spine import graph
from justbite.path.wipes import LEAST_WIPE

APART = 0.125
"""R between places on a middle line that ways lead by."""
LEAD_IN = 2.0
"""R over which a slice all round an island comes from the middle line to the wall."""
TRIES, IN_HAND, AROUND = 8, 0.94, 0.4
"""How often a slice is made thinner about where it takes too much, how much less than it may it is to take there, and
how far about, R: each time more."""
MOST_FILM = 0.0006
"""Share of a slot hardly wider than the cutter that may stand as a film along its walls."""


@dataclass(frozen=True)
class Middle:
    """The middle lines that ramps were cut along."""

    lines: tuple[Points, ...]
    radius: float

    @staticmethod
    def of(ramps: Iterable[Entry], radius: float) -> "Middle":
        """Those of some ramps."""
        return Middle(tuple(ramp.points for ramp in ramps), radius)

    @cached_property
    def shape(self) -> BaseGeometry:
        """All of them."""
        return MultiLineString([line.tolist() for line in self.lines])

    def beside(self, places: Points) -> Points:
        """The places on them that are nearest to `places` (n, 2)."""
        spots = shapely.points(places)
        return shapely.get_coordinates(shapely.shortest_line(spots, self.shape)).reshape(-1, 2, 2)[:, 1]

    def film(self) -> float:
        """mm2 that may stand as a film along them: a share of what they lead through."""
        return float(MOST_FILM * self.shape.buffer(self.radius).area)

    @cached_property
    def _net(self) -> tuple[Points, csr_matrix]:
        """Places along them, and how far neighbours are from each other."""
        rows = [shapely.get_coordinates(p) for p in shapely.get_parts(shapely.unary_union(self.shape))]
        rows = [shapely.get_coordinates(shapely.segmentize(LineString(r), APART * self.radius)) for r in rows]
        spots, at = np.unique(np.concatenate(rows).round(9), axis=0, return_inverse=True)
        ends = np.cumsum([0, *(len(row) for row in rows)])
        pairs = [np.column_stack([at[a : b - 1], at[a + 1 : b]]) for a, b in pairwise(ends)]
        used, net = graph(spots, np.concatenate(pairs))
        return spots[used], net

    def _ways(self, start: Points) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
        spots, net = self._net
        first = int(np.argmin(np.hypot(*(spots - start).T)))
        away, before = dijkstra(net, directed=False, indices=first, return_predecessors=True)
        return away, before

    def away(self, start: Points, others: list[Points]) -> NDArray[np.float64]:
        """mm along the middle lines from one place to the nearest of others, for each row of them (n, 2)."""
        away, _ = self._ways(start)
        tree = cKDTree(self._net[0])
        return np.array([away[tree.query(places)[1]].min() for places in others])

    def way(self, start: Points, end: Points) -> Points:
        """The way (n, 2) from one place to another along the middle lines."""
        spots, _ = self._net
        _, before = self._ways(start)
        row = [int(np.argmin(np.hypot(*(spots - end).T)))]
        while before[row[-1]] >= 0:
            row.append(int(before[row[-1]]))
        return np.vstack([start, spots[row[::-1]], end])


def along_walls(work: Clearing, x: float, y: float, middle: Middle, tick: Callable[[float], None], at_last: bool = True
                ) -> tuple[float, float]:  # fmt: skip
    """From (x, y) take what stands along the walls beside middle lines, in slices; the nearest first. Where that ends.

    `at_last`: passes have done what they can.
    """
    plane, rim = work.plane, work.wipes.rim
    thick, within = plane.thick(SWEEPS[-1]) * plane.radius, BESIDE * plane.radius
    while True:
        left = rim.standing(plane.cleared, thick, middle.shape, within)
        # Round an island a slice begins anywhere.
        begins = [stretch if _is_closed(stretch) else stretch[:1] for stretch in left]
        for k in np.argsort(middle.away(np.array([x, y]), begins)):
            run = _slice(work, left[k], middle, x, y, at_last)
            end = None if run is None else _cut(work, x, y, run, middle, tick)
            if end is not None:
                x, y = end
                break
        else:
            break
    return x, y


def _is_closed(stretch: Points) -> bool:
    return bool((stretch[0] == stretch[-1]).all())


def _slice(work: Clearing, stretch: Points, middle: Middle, x: float, y: float, at_last: bool) -> Points | None:
    """The way along a stretch of wall (n, 2), towards the middle lines beside it where it would take too much.

    All round an island, it begins on a middle line near (x, y). None where no such way is light enough or clear of
    walls.
    """
    aside = np.zeros(len(stretch))
    if _is_closed(stretch):
        ring = stretch[:-1]
        ring = np.roll(ring, -int(np.argmin(np.hypot(*(ring - (x, y)).T))), axis=0)
        lead = min(len(ring) // 2, round(LEAD_IN / WIPE_STEP))
        stretch = ring[np.arange(len(ring) + lead + 1) % len(ring)]
        aside = np.concatenate([np.linspace(1.0, 0.0, lead), np.zeros(len(ring) + 1)])
    towards = middle.beside(stretch) - stretch
    run = _thinner_here(work, stretch, towards, aside)
    return _thinner_all_along(work, stretch, towards, aside) if run is None and at_last else run


def _thinner_here(work: Clearing, stretch: Points, towards: Points, aside: NDArray[np.float64]) -> Points | None:
    """A slice that is thinner, and rounder, about where all of it would take too much; None where that does not help.

    `towards` (n, 2): from the wall to the middle; `aside` (n,): how much of that it is off the wall in any case.
    """
    plane = work.plane
    most = work.wipes.most * plane.target
    share, eased = 1.0 - aside, np.zeros(len(stretch))
    for k in range(TRIES):
        run = stretch + (1.0 - share)[:, None] * towards
        near = 2 * round((k + 1) * AROUND / WIPE_STEP) + 1
        run += eased[:, None] * (ndimage.gaussian_filter1d(run, 0.25 * near, axis=0, mode="nearest") - run)
        if plane.light(run, work.wipes.most) and work.wipes.rim.free(run):
            return run
        depth, used, _, _ = plane.follow(run, np.inf)
        plane.roll_back(used)
        less = ndimage.minimum_filter1d(np.minimum(1.0, IN_HAND ** (k + 1) * most / np.maximum(depth, 1e-9)), near)
        share = share * ndimage.gaussian_filter1d(less, 0.25 * near, mode="nearest")
        eased = np.maximum(eased, ndimage.gaussian_filter1d((less < 1.0).astype(float), 0.25 * near, mode="nearest"))
    return None


def _thinner_all_along(work: Clearing, stretch: Points, towards: Points, aside: NDArray[np.float64]) -> Points | None:
    """A slice as thick as it may be at its heaviest place: in a corner all of it may be heavy, however thin."""
    too_much, enough = 0.0, 1.0
    for _ in range(TRIES):
        aim = 0.5 * (too_much + enough)
        light = work.plane.light(stretch + (aim + (1.0 - aim) * aside)[:, None] * towards, work.wipes.most)
        too_much, enough = (too_much, aim) if light else (aim, enough)
    run = stretch + (enough + (1.0 - enough) * aside)[:, None] * towards
    return run if work.wipes.rim.free(run) else None


def _cut(work: Clearing, x: float, y: float, run: Points, middle: Middle, tick: Callable[[float], None]
         ) -> tuple[float, float] | None:  # fmt: skip
    """Go along the middle lines to where a run beside them begins, and cut it; None where that is not worth it.

    Off the middle line and back to it is part of the run: a link may take next to nothing.
    """
    here = np.array([x, y])
    off, back = middle.beside(run[[0, -1]])
    whole = np.vstack([off, run, back])
    run = whole if work.wipes.rim.free(whole) else run
    for line in (np.array([here, run[0]]), middle.way(here, run[0])):
        link = work.ways.link_along(line, MOST_GRAZED) if work.wipes.rim.free(line) else None
        if link is not None:
            return work.cut_along(link, run, LEAST_WIPE, tick)
    return work.wipe_run(x, y, run, work.ways.flood(x, y, SWEEPS[-1], 0.0), SWEEPS[-1], tick)
