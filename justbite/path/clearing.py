"""Clearing one connected locus of cutter centres at one level: passes and the links between.

Method (docs/methods/engine.md): trace a pass; flood from its end to the nearest standing
material; walk that front back to its upstream end; link there; trace the next pass. Two
sweeps with falling thresholds, the second for thin remainders.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from justbite.field.cleared import stamp
from justbite.field.grid import Field, Grid
from justbite.path import search, tracer
from justbite.path.contact import deepest, material_side
from justbite.path.links import smooth_link

Points = NDArray[np.float64]
MOST_WALK = 60_000
"""Steps that a front is walked back, at most: 3000 R; a walk that is cut short would start in mid-front."""
BATCH = 800
"""Steps of a pass after which progress is told; a stop is heard there."""
DROP_GAP = 0.05
"""Gap all round, share of R, where a cutter comes down at rapid among standing material."""
LOG_LENGTH = 3_000_000


@dataclass(slots=True)
class Piece:
    """A stretch of path in the plane: `points` (n, 2) in mm, `depth` (n,) radial depth, mm."""

    kind: str
    """"cut" or "link"."""
    points: Points
    depth: NDArray[np.float64]
    drop: int = -1
    """Links: last point where the cutter may come down at rapid, clear all round; -1 if none."""


@dataclass(frozen=True, slots=True)
class Sweep:
    """Thresholds of one sweep; lengths as shares of the radius unless said otherwise."""

    fade: float
    """Share of the target depth under which a pass fades out."""
    contact: float
    escape: float
    turn_in: float
    least: float
    """A pass that removes less than this (in R squared) is taken back."""


Start = tuple[float, float, float]
"""x, y and heading, radians."""


@dataclass(frozen=True, slots=True)
class Front:
    """A stretch of standing material that a pass can follow."""

    start: Start
    contact: int
    """Node by which it was found."""
    seen: Points
    """The flood's row of that contact."""
    way: float
    """mm from where the cutter is; inf while not known."""


@dataclass(frozen=True, slots=True)
class Flood:
    """What can be reached from a place through what is cleared."""

    distance: NDArray[np.float64]
    parent: NDArray[np.int32]
    contacts: Points
    """Rows x, y of the contact, x, y before it, distance, node; nearest first."""
    reached: float
    """mm to which the flood went."""
    whole: bool
    """Whether there is nothing beyond."""


CONTACTS_APART, MOST_CONTACTS = 0.7, 200
PLAIN_BITE, LEAST_CONTACT = 0.4, 0.006
"""In R: the bite that the sweeps' contact thicknesses are meant for, and the least that the field can tell."""
FIRST_REACH = 1.5
"""How far beyond its first contact a flood goes at once, in R."""


def _same_front(
    one: tuple[float, float, float, float], other: tuple[float, float, float, float], radius: float
) -> bool:
    """Whether two contacts are neighbours with the material on the same side."""
    near = (one[0] - other[0]) ** 2 + (one[1] - other[1]) ** 2 < (1.6 * CONTACTS_APART * radius) ** 2
    return near and one[2] * other[2] + one[3] * other[3] > 0.3


SWEEPS = (
    Sweep(fade=0.03, contact=0.10, escape=0.25, turn_in=0.6, least=0.02),
    Sweep(fade=0.05, contact=0.03, escape=0.10, turn_in=0.4, least=0.003),
    Sweep(fade=0.02, contact=0.015, escape=0.05, turn_in=0.25, least=0.0004),
    Sweep(fade=0.005, contact=0.006, escape=0.015, turn_in=0.2, least=0.002),
)


@dataclass
class Clearing:
    """State of the clearing of one locus: fields, nodes, and the pieces made so far."""

    grid: Grid
    cleared: Field
    room: Field
    radius: float
    wall: float
    target: float
    pieces: list[Piece] = field(default_factory=list)
    removed: float = 0.0
    """Area taken by the passes, mm2."""

    def __post_init__(self) -> None:
        self._log_at = np.empty(LOG_LENGTH, dtype=np.int32)
        self._log_was = np.empty(LOG_LENGTH, dtype=np.float32)
        self._spacing = 0.25 * self.radius
        self._place_nodes(0.0)
        self.skin = 0.002 * self.radius
        # Material thinner than the skin is not felt, so the front advances by as much unseen.
        self.aim = self.target - self.skin
        self.step = self.radius / 20.0

    def _place_nodes(self, shift: float) -> None:
        self._xs, self._ys, self._kinds = search.place_nodes(
            self.room, *self._frame, self._spacing, self.wall, 0.004 * self.radius, shift
        )

    @property
    def _frame(self) -> tuple[float, float, float]:
        return self.grid.x0, self.grid.y0, self.grid.cell

    def stamp_path(self, points: Points) -> None:
        """Mark what the cutter swept along `points` as cleared (entries)."""
        for a, b in pairwise(points):
            stamp(
                self.cleared, *self._frame, a[0], a[1], b[0], b[1], self.radius, False,
                self._log_at, self._log_was, 0,
            )  # fmt: skip
        self._forget(points)

    def _forget(self, points: Points) -> None:
        search.forget_near(
            self._kinds, self.grid.x0, self.grid.y0, self._spacing, points,
            2.0 * self.radius + 2.0 * self._spacing, False,
        )  # fmt: skip

    def _settings(self, sweep: Sweep) -> tuple[float, ...]:
        r = self.radius
        return tracer.TraceSettings(
            radius=r, wall=self.wall, step=self.step, target=self.target,
            fade=sweep.fade * self.target, fade_length=0.6 * r, turn_away=min(0.12, 0.9 * sweep.escape) * r,
            turn_in=sweep.turn_in * r, escape=sweep.escape * r, skin=self.skin, lag_steps=5,
        ).packed()  # fmt: skip

    def _trace(
        self,
        x: float,
        y: float,
        heading: float,
        side: int,
        sweep: Sweep,
        target: float,
        stamping: bool,
        steps: int,
        turn: float = 0.0,
    ) -> tuple[Points, NDArray[np.float64], int, float, int]:
        """Trace, turning the first heading a little at a time where it is blocked."""
        settings = self._settings(sweep)
        for aside in (0.0, 0.5, -0.5, 1.0, -1.0, 1.5, -1.5):
            result = tracer.trace(
                self.cleared, self.room, *self._frame, x, y, heading + side * aside, turn, side, settings,
                target, stamping, steps, self._log_at, self._log_was, 0,
            )  # fmt: skip
            if len(result[0]) > 1:
                break
        path, depth, ended, last, used = result
        return path, depth, int(ended), float(last), int(used)

    def run(self, x: float, y: float, heading: float | None, tick: Callable[[float], None]) -> None:
        """Clear all that can be reached from (x, y); with a heading the first pass starts there."""
        if heading is not None:
            # In a slot just wider than the cutter only the tighter sweeps can turn at all.
            for sweep in SWEEPS:
                end = self._pass_from(x, y, heading, sweep, tick)
                if end is not None:
                    x, y = end
                    break
        # A front that is not got hold of from one set of nodes may be from another.
        # What is left after the first sweep is taken in tours: at each place all that can be.
        for shift, sweeps in ((0.0, SWEEPS[:1]), (0.0, SWEEPS[1:]), (0.5, SWEEPS[1:3])):
            self._place_nodes(shift)
            self._kinds[self._kinds != search.BLOCKED] = search.UNKNOWN
            while (end := self._next_pass(x, y, sweeps, tick)) is not None:
                x, y = end

    def _pass_from(
        self, x: float, y: float, heading: float, sweep: Sweep, tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Cut from (x, y) until the pass ends; None when it removed almost nothing."""
        first = True
        turn = 0.0
        while True:
            path, depth, ended, heading, used = self._trace(x, y, heading, 1, sweep, self.aim, True, BATCH, turn)
            area = float(depth[1:].sum() * self.step)
            if first and used >= 0 and area < sweep.least * self.radius**2:
                tracer.roll_back(self.cleared, self._log_at, self._log_was, used, 0)
                return None
            first = False
            if len(path) > 1:
                self.pieces.append(Piece("cut", path, depth))
                self._forget(path)
                self.removed += area
                x, y = path[-1]
            if ended == tracer.RAN_OUT:
                ways = np.diff(path[-3:], axis=0)
                turn = float(np.diff(np.unwrap(np.arctan2(ways[:, 1], ways[:, 0])))[0])
            tick(self.removed)
            if ended != tracer.RAN_OUT:
                return x, y

    def _next_pass(
        self, x: float, y: float, sweeps: tuple[Sweep, ...], tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Find the next front from (x, y), link to its upstream end and cut. None: all done.

        The front is looked for with the thresholds of the last sweep, and cut with the first that gets hold of it.
        """
        while True:
            flood, fronts = self._fronts(x, y, sweeps[-1])
            if not fronts:
                return None
            for front in fronts:
                for sweep in sweeps:
                    end = self._cut_front(x, y, self._again(front, sweep, sweeps), flood, sweep, tick)
                    if end is not None:
                        return end
                at = front.contact
                self._kinds[at // self._kinds.shape[1], at % self._kinds.shape[1]] = search.REFUSED

    def _again(self, front: "Front", sweep: Sweep, sweeps: tuple[Sweep, ...]) -> "Front":
        """The front with its upstream end as another sweep sees it."""
        if sweep is sweeps[-1]:
            return front
        return replace(front, start=self._upstream(front.seen, sweep)[0])

    def _cut_front(
        self, x: float, y: float, front: "Front", flood: "Flood", sweep: Sweep, tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Link from (x, y) to a front and cut it; None where no way leads there or nothing much is cut."""
        link = self._way_to(x, y, front, flood, sweep)
        if link is None:
            return None
        drop = self._drop_point(link)
        mark = len(self.pieces)
        end = self._pass_from(*front.start, sweep, tick)
        if end is not None:
            self.pieces.insert(mark, Piece("link", link, np.zeros(len(link)), drop))
        return end

    def _fronts(self, x: float, y: float, sweep: Sweep) -> tuple["Flood", list["Front"]]:
        """The fronts about (x, y), the one whose upstream end is nearest first.

        The nearest contact is rarely on the front that begins nearest: where a pass has just ended,
        its own front goes on, but begins a whole pass away, and another may begin close by. So the flood
        goes on as far as the best beginning known so far is away.
        """
        fronts: list[Front] = []
        seen: list[tuple[float, float, float, float]] = []
        walked: list[Points] = []
        limit = 0.0
        while True:
            flood = self._flood(x, y, sweep, limit)
            fronts = [replace(f, way=self._reach(flood, f.start)[2]) for f in fronts]
            best = min((f.way for f in fronts), default=np.inf)
            for candidate in flood.contacts:
                if candidate[4] > best:
                    break
                spot = self._contact(candidate)
                same = any(_same_front(spot, other, self.radius) for other in seen)
                seen.append(spot)
                if same or self._on_a_walk(candidate[:2], walked):
                    continue
                start, path = self._upstream(candidate, sweep)
                walked.append(path)
                fronts.append(Front(start, int(candidate[5]), candidate, self._reach(flood, start)[2]))
                best = min(best, fronts[-1].way)
            if not fronts or flood.whole or best <= max(limit, flood.reached):
                break
            # No nearer than as the crow flies: a flood that stops short of it would be for nothing.
            crow = min(float(np.hypot(f.start[0] - x, f.start[1] - y)) for f in fronts)
            limit = best if np.isfinite(best) else max(2.0 * flood.reached, 1.2 * crow) + 4.0 * self.radius
        return flood, sorted(fronts, key=lambda f: f.way)

    def _contact(self, candidate: Points) -> tuple[float, float, float, float]:
        """Where a contact is, and the direction to its material."""
        x, y = float(candidate[0]), float(candidate[1])
        return x, y, *material_side(self.cleared, *self._frame, x, y, self.radius, self.skin)

    def _on_a_walk(self, spot: Points, walked: list[Points]) -> bool:
        near = (self.target + 0.3 * self.radius) ** 2
        return any(float(((path - spot) ** 2).sum(axis=1).min()) < near for path in walked)

    def _way_to(self, x: float, y: float, front: "Front", flood: "Flood", sweep: Sweep) -> Points | None:
        """The link from (x, y) to the upstream end of a front; None where no way is found."""
        j, i, way = self._reach(flood, front.start)
        if not np.isfinite(way):
            flood = self._flood(x, y, sweep, 0.0, self._node(front.start[0], front.start[1]))
            j, i, way = self._reach(flood, front.start)
        if not np.isfinite(way):
            return None
        return self._rounded(self._link(x, y, front.start, flood.parent, j, i), front.start[2])

    def _drop_point(self, link: Points) -> int:
        """The last point of a link with a gap all round, within 4 R of its end; -1 if none."""
        wide = (1.0 + DROP_GAP) * self.radius
        for k in range(len(link) - 1, 0, -1):
            x, y = link[k]
            if float(np.hypot(*(link[-1] - link[k]))) > 4.0 * self.radius:
                break
            if deepest(self.cleared, *self._frame, x, y, wide) <= 0.0:
                return k
        return -1

    def _rounded(self, link: Points, heading: float) -> Points:
        """The link leaving along the last cut and arriving along `heading`, where that is clear."""
        last = self.pieces[-1].points[-2:] if self.pieces else link[:2]
        out = last[-1] - last[0]
        size = float(np.hypot(*out))
        if size < 1e-9 or len(link) < 2:
            return link
        return smooth_link(
            link, out / size, np.array([np.cos(heading), np.sin(heading)]), self.cleared, self.room,
            self.grid, self.radius, self.wall, 0.1 * self.target, self.skin,
        )  # fmt: skip

    def _node(self, x: float, y: float) -> tuple[int, int]:
        return (
            round((y - self.grid.y0) / self._spacing),
            round((x - self.grid.x0) / self._spacing),
        )

    def _flood(self, x: float, y: float, sweep: Sweep, limit: float, goal: tuple[int, int] = (-1, -1)) -> "Flood":
        """Flood from (x, y) to a `goal` node, or to the first contacts, and on to `limit` mm at least."""
        r = self.radius
        # A thin bite leaves thin remains: what counts as standing goes with it.
        contact = max(LEAST_CONTACT, sweep.contact * min(1.0, self.target / (PLAIN_BITE * r)))
        distance, parent, contacts, reached, whole = search.flood(
            self.cleared, self.room, *self._frame, self._xs, self._ys, self._kinds, self._spacing,
            x, y, r, self.wall, min(0.012, 0.8 * contact) * r, contact * r, CONTACTS_APART * r,
            MOST_CONTACTS, FIRST_REACH * r, limit, *goal,
        )  # fmt: skip
        return Flood(distance, parent, contacts, reached, whole)

    def _reach(self, flood: "Flood", start: Start) -> tuple[int, int, float]:
        j, i, way = search.nearest_reached(
            self.cleared, self.room, *self._frame, self._xs, self._ys, flood.distance, self._spacing,
            start[0], start[1], self.radius, self.wall, 0.5 * self.target, self.skin,
        )  # fmt: skip
        return int(j), int(i), float(way)

    def _upstream(self, candidate: Points, sweep: Sweep) -> tuple[Start, Points]:
        """The upstream end of the front at a contact, with the heading to start with; and the walk there."""
        cx, cy, fx, fy = (float(v) for v in candidate[:4])
        mx, my = material_side(self.cleared, *self._frame, cx, cy, self.radius, self.skin)
        forward = float(np.arctan2(mx, -my))
        here = np.array([[fx, fy]])
        # At full depth the walk ends where a cut at full depth would begin. Where that gets
        # stuck, it would end inside the material: then only just touching.
        for target in (self.aim, 2.0 * sweep.fade * self.target):
            path, depth, ended, _heading, _ = self._trace(fx, fy, forward + np.pi, -1, sweep, target, False, MOST_WALK)
            if ended == tracer.CLOSED:
                return (fx, fy, forward), path
            k = self._behind(path, depth, sweep.fade * self.target)
            if k > 0:
                back = path[k] - path[k - 1]
                return (float(path[k, 0]), float(path[k, 1]), float(np.arctan2(-back[1], -back[0]))), path
        return (fx, fy, forward), here

    def _behind(self, path: Points, depth: NDArray[np.float64], fade: float) -> int:
        """Where a walk back along a front has left it: the first place clear all round; 0 if none."""
        touching = np.nonzero(depth >= fade)[0]
        first = int(touching[-1]) if len(touching) else 0
        for k in range(max(1, first), len(path)):
            x, y = path[k]
            if deepest(self.cleared, *self._frame, x, y, self.radius) <= 0.02 * self.radius:
                return k
        return 0

    def _link(self, x: float, y: float, start: Start, parent: NDArray[np.int32], j: int, i: int) -> Points:
        """The way from (x, y) through the flood's nodes to `start`, pulled straight."""
        points = [(start[0], start[1])]
        columns = parent.shape[1]
        at = j * columns + i
        while at >= 0:
            points.append((self._xs[at // columns, at % columns], self._ys[at // columns, at % columns]))
            at = int(parent[at // columns, at % columns])
        points.append((x, y))
        return search.pull_straight(
            self.cleared, self.room, *self._frame, np.array(points[::-1]), self.radius, self.wall,
            0.1 * self.target, self.skin,
        )  # fmt: skip
