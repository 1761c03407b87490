"""Going along a wall: where something stands there, and the way along it, led on and off."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray
from scipy import ndimage
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from justbite.field.grid import Field, read
from justbite.path.contact import thicker

Points = NDArray[np.float64]
WIPE_STEP, CLEAR_WIPE, MOST_WIPE = 0.05, 0.15, 4.0
"""Steps along a wall that is wiped, clear way at its ends, and how far it goes to either side at most; R."""
MOST_EASE = 0.6
"""Over what length the corner of a wipe is rounded at most, where all of it would be too much at once; R."""
MOST_BLUNT = 4.0
"""How much of the way to the tip of a corner is left out at most, R."""
WITHIN = 0.0003
"""R by which a way may pass over a border, whose points are on it to the last digit but one."""
SHARP = 0.4
"""Radians by which a border turns at a corner that a crescent may be left in."""
LEAD, LEAD_PARTS = 0.3, 7
"""Radius of the curves by which a wipe comes to the wall and leaves it, R; and lines to each."""


@dataclass(frozen=True)
class Rim:
    """The borders of a locus: closed rows of points WIPE_STEP apart, with the wall on the right of travel."""

    rings: tuple[Points, ...]
    room: Field
    frame: tuple[float, float, float]
    radius: float
    wall: float

    @cached_property
    def _within(self) -> BaseGeometry:
        """Where the centre may be, by the borders themselves: in the tip of a cusp the field reads too little."""
        outer, *inner = self.rings
        return shapely.Polygon(outer, inner).buffer(WITHIN * self.radius)

    def stretch(self, cleared: Field, spot: Points, thick: float) -> tuple[Points, int, int] | None:
        """Where something stands at a wall about a spot, and a little clear way at both ends: rim, first, last."""
        best: tuple[float, Points, int] | None = None
        for rim in self.rings:
            k, away = _nearest(rim, spot)
            if best is None or away < best[0]:
                best = (float(away), rim, int(k))
        if best is None or best[0] > 0.5 * self.radius:
            return None
        _, rim, k = best
        most = int(MOST_WIPE / WIPE_STEP)
        off = [int(_clear_after(cleared, *self.frame, rim, k, way, most, self.radius, thick)) for way in (-1, 1)]
        return None if min(off) == 0 else (rim, k - off[0], k + off[1])

    def standing(self, cleared: Field, thick: float, line: BaseGeometry, within: float) -> list[Points]:
        """The stretches of the borders, no more than `within` mm off a line, along which more than `thick` mm stands.

        Each (n, 2), with a little clear way at both ends; of a border that it is all of, its first point again.
        """
        found: list[Points] = []
        more = round(CLEAR_WIPE / WIPE_STEP)
        for rim in self.rings:
            near = shapely.dwithin(shapely.points(rim), line, within)
            met = near & np.asarray(_met_along(cleared, *self.frame, rim, near, self.radius, thick))
            if met.all():
                found.append(np.vstack([rim, rim[:1]]))
                continue
            # Turned so that it begins where nothing stands.
            begin = int(np.argmin(met))
            turned = np.roll(met, -begin)
            found += [
                rim[np.arange(begin + first - more, begin + end + more) % len(rim)] for first, end in runs_of(turned)
            ]
        return found

    def beside(self, line: Points, within: float) -> Points | None:
        """The stretch of a border that goes in along a dead-end `line` (n, 2), round its last end, and out again.

        As far as it is no more than `within` mm off the line; None where there is none.
        """
        middle = LineString(line)
        for rim in self.rings:
            near = shapely.distance(shapely.points(rim), middle) <= within
            tip, _ = _nearest(rim, line[-1])
            if near[tip] and not near.all():
                from_tip = np.roll(near, -tip)
                return rim[np.arange(tip - int(np.argmin(from_tip[::-1])), tip + int(np.argmin(from_tip))) % len(rim)]
        return None

    def eased(self, rim: Points, first: int, last: int, ease: float) -> Points:
        """A stretch of the rim, its corners rounded inwards over `ease` R: a first cut of what is too much for one."""
        more = int(np.ceil(4.0 * ease / WIPE_STEP))
        run = rim[np.arange(first - more, last + 1 + more) % len(rim)]
        if more == 0:
            return self._led(run)
        smooth = ndimage.gaussian_filter1d(run, ease / WIPE_STEP, axis=0, mode="nearest")[more:-more]
        least = self.wall - WITHIN * self.radius
        free = _free_along(self.room, *self.frame, smooth, least)
        plain = run[more:-more]
        mixed = np.where(free[:, None], smooth, plain)
        # In a cusp what is rounded lies far off what is not: the way from the one to the other may cut into a wall.
        leaps = np.nonzero(free[1:] != free[:-1])[0]
        if len(leaps) > 0:
            lines = shapely.linestrings(np.stack([mixed[leaps], mixed[leaps + 1]], axis=1))
            if not shapely.covers(self._within, lines).all():
                return self._led(plain)
        return self._led(mixed)

    def blunt(self, rim: Points, first: int, last: int, short: float) -> Points:
        """The stretch of the rim, left out what is nearer than `short` R to its sharpest corner: straight across there.

        Where a wall bulges into a corner that ends in a cusp, to round it would lead into the wall. All of the stretch
        where a wall is in the way across.
        """
        run = rim[np.arange(first, last + 1) % len(rim)]
        ways = np.unwrap(np.arctan2(*np.diff(run, axis=0).T[::-1]))
        if len(ways) < 2:
            return self._led(run)
        tip = 1 + int(np.argmax(np.abs(np.diff(ways))))
        along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(run, axis=0).T))])
        # Where it stops on either side, between two points of the rim.
        stops = np.clip(along[tip] + short * self.radius * np.array([-1.0, 1.0]), 0.0, along[-1])
        ends = np.column_stack([np.interp(stops, along, run[:, 0]), np.interp(stops, along, run[:, 1])])
        # Told from the rim itself: near a tip the field reads too little. What is left out lies beyond, to the right.
        way, out = ends[1] - ends[0], run[(along >= stops[0]) & (along <= stops[1])] - ends[0]
        if (way[0] * out[:, 1] - way[1] * out[:, 0] > 1e-6 * self.radius**2).any():
            return self._led(run)
        return self._led(np.vstack([run[along < stops[0]], ends, run[along > stops[1]]]))

    def free(self, run: Points) -> bool:
        """Whether the cutter's centre may go along a run (n, 2)."""
        return bool(self._within.covers(LineString(run)))

    def _led(self, run: Points) -> Points:
        """The run with a quarter circle off the wall at either end, where there is room for it."""
        least = self.wall - WITHIN * self.radius
        return np.asarray(_led(self.room, *self.frame, np.ascontiguousarray(run), LEAD * self.radius, least))


def rims_of(part: shapely.Polygon, radius: float) -> tuple[Points, ...]:
    """The borders of a part of the locus as closed rows of points, with the part on the left."""
    part = shapely.orient_polygons(part)
    rings = (shapely.segmentize(ring, WIPE_STEP * radius) for ring in (part.exterior, *part.interiors))
    return tuple(np.asarray(ring.coords)[:-1] for ring in rings)


def corners_of(part: shapely.Polygon) -> Points:
    """Where the border of a part of the locus turns by more than SHARP into it, (n, 2)."""
    found = []
    oriented = shapely.orient_polygons(part)
    for ring in (oriented.exterior, *oriented.interiors):
        points = np.asarray(ring.coords)[:-1]
        into, out = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
        turn = np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(axis=1))
        found.append(points[turn > SHARP])
    return np.concatenate(found)


def runs_of(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where stretches of true begin, and end before."""
    steps = np.diff(flags.astype(np.int8), prepend=0, append=0)
    return [(int(a), int(b)) for a, b in zip(np.nonzero(steps > 0)[0], np.nonzero(steps < 0)[0], strict=True)]


@njit(cache=True, nogil=True)
def _nearest(points, spot):  # type: ignore[no-untyped-def]
    """Which of the points (n, 2) is nearest to a spot, and how far off it is."""
    best, at = np.inf, 0
    for k in range(points.shape[0]):
        square = (points[k, 0] - spot[0]) ** 2 + (points[k, 1] - spot[1]) ** 2
        if square < best:
            best, at = square, k
    return at, np.sqrt(best)


@njit(cache=True, nogil=True)
def _led(room, x0, y0, cell, run, lead, least):  # type: ignore[no-untyped-def]
    """A run (n, 2) with a quarter circle of radius `lead` to its left before and after it, where its centre may be."""
    n = run.shape[0]
    made = np.empty((n + 2 * LEAD_PARTS, 2))
    first = 0
    for end in range(2):
        # Outwards from the run's end: back from its first point, on from its last.
        at, inner, turn = (0, 1, 1.0) if end == 0 else (n - 1, n - 2, -1.0)
        ax, ay = run[at, 0] - run[inner, 0], run[at, 1] - run[inner, 1]
        size = max(np.hypot(ax, ay), 1e-9)
        ax, ay = ax / size, ay / size
        free = True
        for k in range(LEAD_PARTS):
            angle = 0.5 * np.pi * (k + 1) / LEAD_PARTS
            along, aside = lead * np.sin(angle), lead * (1.0 - np.cos(angle)) * turn
            x, y = run[at, 0] + along * ax + aside * ay, run[at, 1] + along * ay - aside * ax
            free = free and read(room, x0, y0, cell, x, y) >= least
            row = LEAD_PARTS - 1 - k if end == 0 else first + n + k
            made[row, 0], made[row, 1] = x, y
        if end == 0:
            first = LEAD_PARTS if free else 0
            made[first : first + n] = run
        elif free:
            n += LEAD_PARTS
    return made[: first + n].copy()


@njit(cache=True, nogil=True)
def _clear_after(cleared, x0, y0, cell, rim, k, way, most, radius, thick):  # type: ignore[no-untyped-def]
    """Points from the k-th of a closed rim on, this way or that, until CLEAR_WIPE of it is clear; 0 if never."""
    clear = 0
    for n in range(1, most):
        at = (k + way * n) % rim.shape[0]
        if not thicker(cleared, x0, y0, cell, rim[at, 0], rim[at, 1], radius, thick):
            clear += 1
        else:
            clear = 0
        if clear * WIPE_STEP >= CLEAR_WIPE:
            return n
    return 0


@njit(cache=True, nogil=True)
def _met_along(cleared, x0, y0, cell, rim, near, radius, thick):  # type: ignore[no-untyped-def]
    """At which of the points (n, 2) that are `near` more than `thick` stands under the cutter's circle."""
    met = np.zeros(rim.shape[0], dtype=np.bool_)
    for k in range(rim.shape[0]):
        if near[k]:
            met[k] = thicker(cleared, x0, y0, cell, rim[k, 0], rim[k, 1], radius, thick)
    return met


@njit(cache=True, nogil=True)
def _free_along(room, x0, y0, cell, points, least):  # type: ignore[no-untyped-def]
    """Whether the cutter's centre may stand at each of the points (n, 2)."""
    free = np.empty(points.shape[0], dtype=np.bool_)
    for k in range(points.shape[0]):
        free[k] = read(room, x0, y0, cell, points[k, 0], points[k, 1]) >= least
    return free
