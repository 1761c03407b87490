"""The passes of a plan in another order, with shorter ways between them, where none depends on what then comes later.

What each pass takes is the same in any such order, so that none is traced anew: the ways between are, with what is
cleared when they are gone.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from justbite.field.aside import copied, let_go
from justbite.path.area import Area
from justbite.path.clearing import Clearing
from justbite.path.following import WINDOW
from justbite.path.fronts import SWEEPS, Piece, Points, Start
from justbite.path.ground import Ground, ground_of
from justbite.path.level import PartPath, PartPlan
from justbite.path.links import Speeds, soonest
from justbite.path.plane import MOST_TAKEN, Plane
from justbite.path.sequence import Owners, shorter, spent
from justbite.path.ways import LINK_TAKEN

MOST_FAILED, MOST_TIMES = 2, 5
"""From how many passes a way to another one is looked for in vain, and how often all is gone through, at most."""
NO_WAY = 1e3
"""Seconds that a way counts which there is not."""
FEWEST, MOST = 3, 600
"""Passes between which there are ways, for it to be worth while, and so many as it is not done with."""
LEAST_GAIN = 0.01
"""Share of the ways' time that has to be gained."""

Tick = Callable[[float], None]
Unit = list[Piece]
"""Cuts with no way between them."""


@dataclass(frozen=True, slots=True)
class Going:
    """Where the cutter goes when all is done, (2,), and the seconds that a mm of the way there takes."""

    place: Points
    pace: float

    def seconds(self, end: Points) -> float:
        """Seconds there from where the cutter is."""
        return self.pace * float(np.hypot(*(end - self.place)))


def reordered(plan: PartPlan, area: Area, part: Polygon, target: float, conventional: float, speeds: Speeds,
              after: Going, tick: Tick, ground: Ground | None = None) -> PartPlan | None:  # fmt: skip
    """The plan of a part with its passes in an order with shorter ways between; None where none is found.

    What it is made with is told as to `plan_part`; `after`: where the cutter goes when all is done; `tick` is called
    with the share done, and may raise to stop. What is cut, and so what is clear at the end, stays the same.
    """
    if area.holes and not any(path.entry.hole is not None for path in plan.paths):
        area, ground = area.solid(), None
    own = ground is None
    ground = ground or ground_of(area, part, target)
    plane = Plane(
        ground.grid, ground.cleared if own else copied(ground.cleared), ground.room, area.radius, ground.least, target,
        conventional, speeds, area.has_air,
    )  # fmt: skip
    work = Clearing(plane, ground.rims, ground.corners)
    paths: list[PartPath] = []
    for k, path in enumerate(plan.paths):
        if path.entry.kind != "outside":
            work.stamp_path(path.entry.points)
        x, y = (float(v) for v in path.entry.points[-1])
        last = k + 1 == len(plan.paths)
        then = after if last else replace(after, place=plan.paths[k + 1].entry.points[0])
        order = _Order(work, path.pieces, (x, y, path.entry.heading or 0.0), then)
        if order.better():
            made = order.gone_through(tick)
            if made is None:
                return None
            paths.append(replace(path, pieces=tuple(made)))
        else:
            paths.append(path)
            for piece in () if last else path.pieces:
                if piece.kind == "cut":
                    work.stamp_path(piece.points, True)
    same = all(one.pieces is other.pieces for one, other in zip(paths, plan.paths, strict=True))
    return None if same else replace(plan, paths=tuple(paths))


def units_of(pieces: tuple[Piece, ...]) -> tuple[list[Unit], list[Piece | None]]:
    """The cuts of a plan, those together that have no link between, and the link to each."""
    units: list[Unit] = []
    links: list[Piece | None] = []
    link: Piece | None = None
    for piece in pieces:
        if piece.kind == "link":
            link = piece if link is None else _joined(link, piece)
        elif units and link is None:
            units[-1].append(piece)
        else:
            units.append([piece])
            links.append(link)
            link = None
    return units, links


def _joined(link: Piece, other: Piece) -> Piece:
    """Two links in one; what they graze is told anew when they are gone."""
    points = np.vstack([link.points, other.points[1:]])
    return Piece("link", points, np.zeros(len(points)))


class _Order:
    """Pieces that follow a way in, in which order they may be cut, and how long the ways between take."""

    def __init__(self, work: Clearing, pieces: tuple[Piece, ...], end: Start, after: Going) -> None:
        """`work`: with what is cleared before them; `end`: where the way in ends, and its heading; `after`: then."""
        self.work, self.end, self.after = work, end, after
        self.units, self.links = units_of(pieces)
        self.order = np.arange(len(self.units))

    def better(self) -> bool:
        """Find a better order; whether there is one."""
        if not FEWEST <= len(self.units) <= MOST:
            return False
        self._seconds = self._between()
        self._earlier = self._needs()
        found = shorter(self.order, self._seconds, self._earlier)
        before = spent(self.order, self._seconds)
        if before - spent(found, self._seconds) < LEAST_GAIN * before:
            return False
        self.order = found
        return True

    def _needs(self) -> NDArray[np.bool_]:
        """Whether unit [a, b] has b before it."""
        owners = Owners(self.work.plane.grid, self.work.plane.radius, self.work.plane.cleared)
        earlier = np.zeros((len(self.units), len(self.units)), dtype=np.bool_)
        for k, unit in enumerate(self.units):
            owners.cut(k, [piece.points for piece in unit], earlier[k])
            earlier[k, k] = False
            let_go()
        if self.links[0] is None:
            # What begins where the way in ends has no link.
            earlier[1:, 0] = True
        return earlier

    def _between(self) -> NDArray[np.float64]:
        """Seconds from the end of each unit, in row 0 of the way in, to the beginning of each, and in column 0 away."""
        plane = self.work.plane
        ends = np.array([self.end, *(_heading(unit[-1].points[-2:], 1) for unit in self.units)])
        starts = np.array([_start(unit) for unit in self.units])
        away = [self.after.seconds(end[:2]) for end in ends]
        return np.column_stack([away, soonest(ends, starts, plane.radius, plane.speeds.packed())])

    def gone_through(self, tick: Tick) -> list[Piece] | None:
        """The pieces in that order, and marked as gone; None where no way leads from one to the next."""
        before, pieces = copied(self.work.plane.cleared), self.work.pieces
        for _ in range(MOST_TIMES):
            self.work.pieces = []
            bound = self._once(tick)
            made, self.work.pieces = self.work.pieces, pieces
            if bound is None:
                return made
            self.work.plane.cleared[:] = before
            self.work.ways.start_anew(0.0)
            # It stays where it was: behind the one from which a way is known.
            own = self._seconds[bound, bound + 1]
            self._seconds[:, bound + 1] = NO_WAY
            self._seconds[bound, bound + 1] = own
            self.order = shorter(np.arange(len(self.units)), self._seconds, self._earlier)
        return None

    def _once(self, tick: Tick) -> int | None:
        """Make the pieces in the order that there is; a unit that no way is found to, None when all is done."""
        work = self.work
        failed = np.zeros(len(self.units), dtype=int)
        k = 0
        while k < len(self.order):
            tick(k / len(self.order))
            let_go()
            at, before = int(self.order[k]), int(self.order[k - 1]) if k else -1
            if k or self.links[0] is not None:
                # As long as all is as it was, so is the way.
                same = bool((self.order[: k + 1] == np.arange(k + 1)).all())
                link = self.links[at] if same else self._link(before, at)
                if link is None:
                    failed[at] += 1
                    self._seconds[before + 1, at + 1] = NO_WAY
                    if failed[at] > MOST_FAILED or not self._other_rest(k):
                        return at
                    continue
                work.pieces.append(link)
            for piece in self.units[at]:
                work.pieces.append(piece)
                work.stamp_path(piece.points, True)
            k += 1
        return None

    def _other_rest(self, k: int) -> bool:
        """Put what is left from `k` on in another order; False where the next one stays the same."""
        left = self.order[k:].copy()
        rows, columns = ([first, *(left + 1)] for first in (self.order[k - 1] + 1 if k else 0, 0))
        own, earlier = self._seconds[np.ix_(rows, columns)], self._earlier[np.ix_(left, left)]
        self.order[k:] = left[shorter(np.arange(len(left)), own, earlier)]
        return bool(self.order[k] != left[0])

    def _link(self, before: int, at: int) -> Piece | None:
        """A way from one unit to another, the one that is known if it is clear; None where there is none.

        Or where the cut would begin with more taken than it may be.
        """
        work, unit, known = self.work, self.units[at], self.links[at]
        link: Piece | None = None
        if known is not None and at == before + 1:
            done = work.ways.lately(work.pieces)
            ways = (work.ways.link_along(known.points, most, done) for most in LINK_TAKEN)
            link = next((way for way in ways if way is not None), None)
        else:
            x, y = work.here() if work.pieces else self.end[:2]
            link = work.ways.way_to(x, y, _start(unit), None, SWEEPS[0], work.pieces)
        if link is None:
            return None
        was = [*(self.units[at - 1] if at else ()), *([known] if known is not None else ())]
        plane = work.plane
        most = max(MOST_TAKEN * plane.target * WINDOW * plane.radius, self._begins(was, unit[0]))
        return link if self._begins([*work.pieces, link], unit[0]) <= most else None

    def _begins(self, done: list[Piece], cut: Piece) -> float:
        """Most that is taken over the guard's window where a cut begins, with what was taken just before it; mm2."""
        if cut.load is None or cut.whole:
            return 0.0
        window = WINDOW * self.work.plane.radius
        before = self.work.ways.lately(done)
        spans = np.hypot(*np.diff(cut.points, axis=0).T)
        gone, taken = np.cumsum(spans), np.cumsum(cut.load[1:] * spans)
        first = gone < window
        inside = np.clip((window - gone[first][:, None] - before[:, 0]) / before[:, 2], 0.0, 1.0)
        return float((taken[first] + inside @ before[:, 1]).max(initial=0.0))


def _start(unit: Unit) -> Start:
    return _heading(unit[0].points[:2], 0)


def _heading(way: Points, at: int) -> Start:
    x, y = way[at]
    dx, dy = way[1] - way[0]
    return float(x), float(y), float(np.arctan2(dy, dx))
