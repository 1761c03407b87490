"""Clearing one connected locus of cutter centres at one level: passes and the links between.

Method (docs/methods/engine.md): trace a pass; flood from its end to the nearest standing
material; walk that front back to its upstream end; link there; trace the next pass. A first
sweep for what stands thick, then tours of the remains with finer thresholds, in which corners
are wiped along their walls.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from justbite.field.cleared import stamp
from justbite.field.grid import Field, Grid
from justbite.path import search, tracer
from justbite.path.contact import deepest, material_side
from justbite.path.fronts import (
    CONTACTS_APART,
    MOST_CONTACTS,
    SWEEPS,
    Flood,
    Front,
    Piece,
    Points,
    Sheet,
    Start,
    Sweep,
    same_front,
)
from justbite.path.links import smooth_link
from justbite.path.rim import MOST_EASE, Rim

WALK_ROUNDS, MORE_WALK = 3.0, 50.0
"""How far a front is walked back at most: so many times round the locus, and so many R. A walk that is cut short would
start in mid-front; one that still goes on then goes to and fro in a slot for ever."""
NEAR_END = 2.0
"""R: how near to a ramp's end a pass along its one side has to end, for the next to begin there."""
TIGHT = 0.5
"""Least radius towards the material where a pass goes round the end of a ramp, over the bite."""
FIRST_TAKEN = 0.5
"""R squared: a first pass that took less got no hold. From a groove no wider than the cutter no front can be found."""
FIRST = SWEEPS[:1]
CRUMBS_OFF, LEAST_TIDY, MOST_TIDY = 2.5, 1.0, 5.0
"""R: how far from what stands thick crumbs are taken on the way; from which on, and how far about, it is tidied."""
BATCH = 800
"""Steps of a pass after which progress is told; a stop is heard there."""
DROP_GAP = 0.05
"""Gap all round, share of R, where a cutter comes down at rapid among standing material."""
STEP, FINE_STEP, LAG = 0.05, 1 / 60, 0.25
"""Steps of a cut, and how far behind the cutter what it takes is marked as gone; R."""
UNFELT = 1.25
"""Skins by which cuts stay under the target."""
START_THICK, LINK_TAKEN = 0.05, (0.1, 0.5)
"""Over the target: how thick what stands about a start may be; radial depth that a link may take at the feed of
returns, and at that of cuts."""
MOST_TAKEN, BACK, BACK_FINE = 1.035, 1.0, 0.4
"""Over the target, what a cut may be seen to take; how far it is taken back then, at first and in fine steps, R."""
FINE_LENGTH, FINE_SHARE = 2.5, 0.97
"""How far a cut goes on in fine steps, R, and at what share of the target."""
WIPE_TAKEN, WIPE_HAND, LEAST_TAKEN = 1.0, 0.02, 0.7
"""Radial depth that a wipe may take at most, over the target: its load comes all at once. Less by so much times
R over the target: the thinner the bite, the more a hair's breadth that the fitted path is off adds."""
SLICES = 7
"""Halvings by which the rounding is found that leaves no more than that."""
LEAST_WIPE = 0.005
"""What a wipe takes at least, R squared: less is not worth the way."""
WALK_STEP = 0.1
"""Step of a walk along a front, in R: it only has to find the front's end."""
NEAR, NEAR_WALK = 0.004, 0.03
"""How far below the target, as a share, a turn of a cut and of a walk may stay."""
AT_WALL = 0.004
"""Radians to which a turn of a cut that a wall holds is found."""
LOG_LENGTH = 3_000_000
MOST_REFUSALS = 4
"""How often a contact is tried in one tour. At thin bites between pins some were tried over a hundred times."""


PLAIN_BITE, LEAST_CONTACT = 0.4, 0.006
"""In R: the bite that the sweeps' contact thicknesses are meant for, and the least that the field can tell."""
FIRST_REACH = 1.5
"""How far beyond its first contact a flood goes at once, in R."""


LOOK_FAR, LOOK_NEAR = 0.3, 16.0
"""How far nearer beginnings are looked for: a share of the way to the nearest one known, and R besides."""


LINK_PACE = 4.0
"""Feed of links over that of cuts, by which directions are weighed against each other."""
BEHIND = (0.0, 0.5, 1.0)
"""How far behind a start, in R, a straight link may turn into its heading."""


@dataclass
class Clearing:
    """State of the clearing of one locus: fields, nodes, and the pieces made so far."""

    grid: Grid
    cleared: Field
    room: Field
    radius: float
    wall: float
    target: float
    rims: tuple[Points, ...] = ()
    """Borders of the locus, points WIPE_STEP apart, with the wall on the right of travel."""
    corners: Points = field(default_factory=lambda: np.empty((0, 2)))
    """Sharp inner corners of the locus."""
    conventional: float = 0.0
    """Radial depth of cuts with the material on the left, over the target; 0: climb milling only."""
    pieces: list[Piece] = field(default_factory=list)
    removed: float = 0.0
    """Area taken by the passes, mm2."""

    def __post_init__(self) -> None:
        self._rim = Rim(self.rims, self.room, self._frame, self.radius, self.wall)
        self._log_at = np.empty(LOG_LENGTH, dtype=np.int32)
        self._log_was = np.empty(LOG_LENGTH, dtype=np.float32)
        self._spacing = 0.25 * self.radius
        self._horizon = np.inf
        self._place_nodes(0.0)
        self._sheets = (Sheet.over(self._xs.shape), Sheet.over(self._xs.shape))
        round_all = sum(float(np.hypot(*np.diff(r, axis=0, append=r[:1]).T).sum()) for r in self.rims)
        self._most_walk = int((WALK_ROUNDS * round_all / self.radius + MORE_WALK) / WALK_STEP)
        self.skin = 0.002 * self.radius
        # Material thinner than the skin is not felt, so the front advances by as much unseen; and a little in hand.
        self.aim = self.target - UNFELT * self.skin
        self.wiped = max(LEAST_TAKEN, WIPE_TAKEN - WIPE_HAND * self.radius / self.target)

    def _place_nodes(self, shift: float) -> None:
        self._xs, self._ys, self._kinds = search.place_nodes(
            self.room, *self._frame, self._spacing, self.wall, 0.004 * self.radius, shift
        )
        # What stands in a sharp corner fits the cutter: it is seen from the corner alone.
        for x, y in self.corners:
            j, i = self._node(x - shift * self._spacing, y - shift * self._spacing)
            self._xs[j, i], self._ys[j, i], self._kinds[j, i] = x, y, search.UNKNOWN
        self._other_kinds = self._kinds.copy()
        self._refusals = Counter[int]()

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
        for kinds in (self._kinds, self._other_kinds):
            search.forget_near(
                kinds, self.grid.x0, self.grid.y0, self._spacing, points, 2.0 * self.radius + 2.0 * self._spacing
            )

    def _settings(self, sweep: Sweep, stamping: bool, fine: bool, share: float) -> tuple[float, ...]:
        r = self.radius
        step = FINE_STEP if fine else STEP
        return tracer.TraceSettings(
            radius=r, wall=self.wall, step=(step if stamping else WALK_STEP) * r, target=self.target,
            fade=sweep.fade * self.target, fade_length=0.6 * r, turn_away=min(0.12, 0.9 * sweep.escape) * r,
            turn_in=sweep.turn_in * r, escape=sweep.escape * r, skin=self.skin, lag_steps=round(LAG / step),
            near=NEAR if stamping else NEAR_WALK,
            finest=AT_WALL if stamping else 2.0 * AT_WALL,
            most=MOST_TAKEN * share * self.target, back=(BACK_FINE if fine else BACK) * r,
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
        fine: bool = False,
    ) -> tuple[Points, NDArray[np.float64], int, float, int]:
        """Trace, turning the first heading a little at a time where it is blocked."""
        settings = self._settings(sweep, stamping, fine, self._share(side) if stamping else 1.0)
        for aside in (0.0, 0.5, -0.5, 1.0, -1.0, 1.5, -1.5):
            result = tracer.trace(
                self.cleared, self.room, *self._frame, x, y, heading + side * aside, turn, side, settings,
                target, stamping, steps, self._log_at, self._log_was, 0,
            )  # fmt: skip
            if len(result[0]) > 1 or result[2] == tracer.FADED:
                break
        path, depth, ended, last, used = result
        return path, depth, int(ended), float(last), int(used)

    def run(self, x: float, y: float, heading: float | None, tick: Callable[[float], None],
            other_end: Start | None = None) -> None:  # fmt: skip
        """Clear all that can be reached from (x, y); with a heading the first pass starts there.

        `other_end`: where what an entry left, no wider than the cutter, ends; with the heading back along it.
        """
        if heading is not None:
            first = replace(SWEEPS[0], turn_in=min(SWEEPS[0].turn_in, TIGHT * self.target / self.radius))
            # In a slot just wider than the cutter only the tighter sweeps can turn at all.
            for sweep in (first if other_end else SWEEPS[0], *SWEEPS[1:]):
                before = self.removed
                end = self._pass_from(x, y, heading, sweep, tick)
                if end is not None:
                    x, y = end
                if self.removed - before > FIRST_TAKEN * self.radius**2:
                    break
            if other_end is not None:
                x, y = self._round_the_end(x, y, other_end, first, tick)
        # A front that is not got hold of from one set of nodes may be from another.
        # What is left after the first sweep is taken in tours: at each place all that can be.
        for shift, sweeps in ((0.0, FIRST), (0.0, SWEEPS[1:]), (0.5, SWEEPS[1:3])):
            self._place_nodes(shift)
            self._kinds[self._kinds != search.BLOCKED] = search.UNKNOWN
            while (end := self._next_pass(x, y, sweeps, tick)) is not None:
                x, y = end

    def _round_the_end(self, x: float, y: float, start: Start, sweep: Sweep, tick: Callable[[float], None]
                       ) -> tuple[float, float]:  # fmt: skip
        """From a pass along one side of a ramp to the one along its other side.

        No pass goes round the end: where what is cleared is a disc of R, a way round its middle at r takes
        R + r / 2, more than any bite. So it breaks off there, and the other side begins at the disc's middle.
        """
        link = self._line(x, y, start)
        if link is None or np.hypot(x - start[0], y - start[1]) > NEAR_END * self.radius or not self._light(link, 0.1):
            return x, y
        mark = len(self.pieces)
        end = self._pass_from(*start, sweep, tick)
        if end is None:
            return x, y
        self.pieces.insert(mark, Piece("link", link, np.zeros(len(link))))
        return end

    def to_and_fro(self, x: float, y: float, heading: float, tick: Callable[[float], None]) -> tuple[float, float]:
        """In a slot hardly wider than the cutter: along one wall, back along the other, until nothing is taken.

        Between walls that close no node of the flood is clear all round, so that no front would be found.
        """
        while True:
            for back, sweep in ((b, s) for b in (0.0, np.pi) for s in SWEEPS[:3]):
                end = self._pass_from(x, y, heading + back, sweep, tick)
                if end is not None and end != (x, y):
                    (x, y), way = end, self.pieces[-1].points[-1] - self.pieces[-1].points[-2]
                    heading = float(np.arctan2(way[1], way[0])) + np.pi
                    break
            else:
                return x, y

    def _pass_from(
        self, x: float, y: float, heading: float, sweep: Sweep, tick: Callable[[float], None], side: int = 1
    ) -> tuple[float, float] | None:
        """Cut from (x, y) until the pass ends; None when it removed almost nothing.

        Where it takes too much (thin crescents, that a step swallows whole) it is taken back a little and
        goes on in small steps, that feel them; where that does not help it ends before them.
        """
        first, fine = True, False
        turn = 0.0
        while True:
            steps = int(FINE_LENGTH / FINE_STEP) if fine else BATCH
            target = (FINE_SHARE if fine else 1.0) * self._share(side) * self.aim
            path, depth, ended, heading, used = self._trace(x, y, heading, side, sweep, target, True, steps, turn, fine)
            area = float(depth[1:].sum()) * (FINE_STEP if fine else STEP) * self.radius
            again = ended == tracer.OVER and not fine
            if first and used >= 0 and area < sweep.least * self.radius**2 and not again:
                tracer.roll_back(self.cleared, self._log_at, self._log_was, used, 0)
                return None
            first = first and len(path) < 2
            if len(path) > 1:
                self.pieces.append(Piece("cut", path, depth))
                self._forget(path)
                self.removed += area
                x, y = path[-1]
            tick(self.removed)
            if ended != tracer.RAN_OUT and not again:
                return x, y
            turn = 0.0
            if ended == tracer.RAN_OUT and not fine and len(path) > 2:
                ways = np.diff(path[-3:], axis=0)
                turn = side * float(np.diff(np.unwrap(np.arctan2(ways[:, 1], ways[:, 0])))[0])
            fine = again

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
            if sweeps is FIRST:
                nearest = float(flood.contacts[0, 4]) if len(flood.contacts) else np.inf
                tidied = self._tidy(x, y, nearest - CRUMBS_OFF * self.radius, tick)
                if tidied != (x, y):
                    return tidied
            fronts = [f for f in fronts if not f.way > 2.0 * self._horizon]
            if not fronts:
                return None
            # In a tour what is light enough to be wiped at once needs no passes of its own.
            before = len(sweeps) > 1
            for front in fronts:
                if before:
                    end = self._wipe(x, y, front, flood, sweeps[-1], tick, True)
                    if end is not None:
                        return end
                for sweep in sweeps:
                    end = self._cut_front(x, y, self._again(front, sweep, sweeps), flood, sweep, tick)
                    if end is not None:
                        return end
                end = self._wipe(x, y, front, flood, sweeps[-1], tick, False)
                if end is not None:
                    return end
                self._refuse(front)

    def _tidy(self, x: float, y: float, reach: float, tick: Callable[[float], None]) -> tuple[float, float]:
        """Take the crumbs about (x, y) before the cutter leaves a place where nothing thick stands any more.

        To come back for them when all else is done costs ways across the whole area.
        """
        if reach < LEAST_TIDY * self.radius:
            return x, y
        # What counts as standing differs, so what is known of the nodes is kept apart.
        self._kinds, self._other_kinds = self._other_kinds, self._kinds
        self._horizon = min(reach, MOST_TIDY * self.radius)
        while (end := self._next_pass(x, y, SWEEPS[1:], tick)) is not None:
            x, y = end
        self._horizon = np.inf
        self._kinds, self._other_kinds = self._other_kinds, self._kinds
        return x, y

    def _wipe(
        self, x: float, y: float, front: "Front", flood: "Flood", sweep: Sweep, tick: Callable[[float], None],
        whole: bool,
    ) -> tuple[float, float] | None:  # fmt: skip
        """Take what no pass gets hold of at a wall by going along the wall, where that takes no more than a pass may.

        In a sharp corner a crescent is left that fits the cutter: to touch it anywhere is to touch all of it. It
        is so thin that over WINDOW it is less than the bite, or is taken in slices: `whole` in one go alone. None
        where nothing is taken.
        """
        stretch = self._rim.stretch(self.cleared, front.seen[:2], self._thick(sweep) * self.radius)
        if stretch is None:
            return None
        run = self._rim.eased(*stretch, 0.0)
        if not whole and not self._light(run, self.wiped):
            run = self._slice(*stretch)
        return self._wipe_run(x, y, run, front, flood, sweep, tick)

    def _slice(self, rim: Points, first: int, last: int) -> Points:
        """A run along the rim with its corners rounded just as much as makes it light enough."""
        too_much, enough = 0.0, MOST_EASE
        for _ in range(SLICES):
            ease = 0.5 * (too_much + enough)
            if self._light(self._rim.eased(rim, first, last, ease), self.wiped):
                enough = ease
            else:
                too_much = ease
        return self._rim.eased(rim, first, last, enough)

    def _wipe_run(
        self, x: float, y: float, run: Points, front: "Front", flood: "Flood", sweep: Sweep,
        tick: Callable[[float], None],
    ) -> tuple[float, float] | None:  # fmt: skip
        way = run[1] - run[0]
        start = (float(run[0, 0]), float(run[0, 1]), float(np.arctan2(way[1], way[0])))
        link = self._way_to(x, y, replace(front, start=start), flood, sweep)
        if link is None:
            return None
        depth, used, taken = self._follow(run, self.wiped)
        if used < 0 or taken < LEAST_WIPE * self.radius**2:
            if used > 0:
                tracer.roll_back(self.cleared, self._log_at, self._log_was, used, 0)
            return None
        self.pieces.append(link)
        self.pieces.append(Piece("cut", run, depth))
        self._forget(run)
        self.removed += taken
        tick(self.removed)
        return float(run[-1, 0]), float(run[-1, 1])

    def _follow(self, path: Points, most: float) -> tuple[NDArray[np.float64], int, float]:
        """Cut along `path`: depths, the log's length (-1: more than `most` targets, and taken back), area."""
        depth, used, taken = tracer.follow(
            self.cleared, *self._frame, path, self.radius, most * self.target, self._log_at, self._log_was
        )
        return depth, int(used), float(taken)

    def _light(self, link: Points, most: float) -> bool:
        """Whether a link takes next to nothing: thin crescents slip between the places that it is looked at."""
        _, used, _ = self._follow(link, most)
        if used > 0:
            tracer.roll_back(self.cleared, self._log_at, self._log_was, used, 0)
        return used >= 0

    def _again(self, front: "Front", sweep: Sweep, sweeps: tuple[Sweep, ...]) -> "Front":
        """The front with its upstream end as another sweep sees it."""
        if sweep is sweeps[-1]:
            return front
        return replace(front, start=self._upstream(front.seen, sweep, front.side)[0])

    def _cut_front(
        self, x: float, y: float, front: "Front", flood: "Flood", sweep: Sweep, tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Link from (x, y) to a front and cut it; None where no way leads there or nothing much is cut."""
        link = self._way_to(x, y, front, flood, sweep)
        if link is None:
            return None
        mark, before = len(self.pieces), self.removed
        end = self._pass_from(*front.start, sweep, tick, front.side)
        if end is not None:
            self.pieces.insert(mark, link)
            if self.removed - before < sweep.least * self.radius**2:
                # It got hold of next to nothing before it would have taken too much: to try again would be the same.
                self._refuse(front)
        return end

    def _refuse(self, front: "Front") -> None:
        """Look no more at the contact of a front that nothing gets hold of, until something near it changes.

        Where that has come to nothing MOST_REFUSALS times, no more in this tour.
        """
        self._refusals[front.contact] += 1
        given_up = self._refusals[front.contact] >= MOST_REFUSALS
        j, i = divmod(front.contact, self._kinds.shape[1])
        self._kinds[j, i] = search.BLOCKED if given_up else search.REFUSED

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
            fronts = [replace(f, way=min(f.way, self._way(x, y, flood, f.start))) for f in fronts]
            best = min((f.way for f in fronts), default=np.inf)
            for candidate in flood.contacts:
                if candidate[4] > best:
                    break
                spot = self._contact(candidate)
                same = any(same_front(spot, other, self.radius) for other in seen)
                seen.append(spot)
                if same or self._on_a_walk(candidate[:2], walked):
                    continue
                for side in (1, -1) if self.conventional > 0.0 else (1,):
                    start, path = self._upstream(candidate, sweep, side)
                    walked.append(path)
                    way, length = self._way(x, y, flood, start), float(np.hypot(*np.diff(path, axis=0).T).sum())
                    fronts.append(Front(start, int(candidate[5]), candidate, way, side, length))
                    best = min(best, way)
            if fronts and not np.isfinite(best) and not flood.whole:
                nearest = min(range(len(fronts)), key=lambda k: self._crow(x, y, fronts[k]))
                fronts[nearest] = replace(fronts[nearest], way=self._way_round(x, y, fronts[nearest], sweep))
                best = fronts[nearest].way
            enough = min(best, LOOK_FAR * best + LOOK_NEAR * self.radius)
            if not fronts or flood.whole or enough <= max(limit, flood.reached):
                break
            limit = enough if np.isfinite(best) else 2.0 * flood.reached + 4.0 * self.radius
        return flood, sorted(fronts, key=self._dear)

    def _share(self, side: int) -> float:
        """Radial depth of cuts with the material on that side, over the target."""
        return 1.0 if side > 0 else self.conventional

    def _dear(self, front: "Front") -> float:
        """What fronts are chosen by: the way to them, or in both directions the time for what they take."""
        if self.conventional == 0.0:
            return front.way
        length = max(front.length, self.radius)
        return (length + front.way / LINK_PACE) / (length * self._share(front.side))

    @staticmethod
    def _crow(x: float, y: float, front: "Front") -> float:
        return float(np.hypot(front.start[0] - x, front.start[1] - y))

    def _way_round(self, x: float, y: float, front: "Front", sweep: Sweep) -> float:
        """mm to the start of a front that is not in line."""
        flood = self._flood(x, y, sweep, 0.0, self._node(front.start[0], front.start[1]))
        return self._reach(flood, front.start)[2]

    def _way(self, x: float, y: float, flood: "Flood", start: Start) -> float:
        """mm from (x, y) to a start: straight, else as the flood knows it; inf where it does not."""
        line = self._line(x, y, start)
        return self._reach(flood, start)[2] if line is None else float(np.hypot(*np.diff(line, axis=0).T).sum())

    def _line(self, x: float, y: float, start: Start) -> Points | None:
        """The link from (x, y) straight to a start, or to a little behind it; None where that is not clear."""
        to = np.array(start[:2])
        for back in BEHIND:
            behind = to - back * self.radius * np.array([np.cos(start[2]), np.sin(start[2])])
            line = np.array([[x, y], behind, to] if back > 0.0 else [[x, y], to])
            if all(self._clear(a, b) for a, b in pairwise(line)):
                return line
        return None

    def _clear(self, a: Points, b: Points) -> bool:
        """Whether a straight link leads from a to b."""
        return bool(
            search.line_clear(
                self.cleared, self.room, *self._frame, a[0], a[1], b[0], b[1], self.radius,
                self.wall - 0.0003 * self.radius, 0.1 * self.target, self.skin,
            )
        )  # fmt: skip

    def _contact(self, candidate: Points) -> tuple[float, float, float, float]:
        """Where a contact is, and the direction to its material."""
        x, y = float(candidate[0]), float(candidate[1])
        return x, y, *material_side(self.cleared, *self._frame, x, y, self.radius, self.skin)

    def _on_a_walk(self, spot: Points, walked: list[Points]) -> bool:
        near = (self.target + 0.3 * self.radius) ** 2
        return any(float(((path - spot) ** 2).sum(axis=1).min()) < near for path in walked)

    def _way_to(self, x: float, y: float, front: "Front", flood: "Flood", sweep: Sweep) -> Piece | None:
        """The link from (x, y) to the upstream end of a front; None where no way is found."""
        link = self._line(x, y, front.start)
        if link is None:
            j, i, way = self._reach(flood, front.start)
            if not np.isfinite(way):
                flood = self._flood(x, y, sweep, 0.0, self._node(front.start[0], front.start[1]))
                j, i, way = self._reach(flood, front.start)
            if not np.isfinite(way):
                return None
            link = self._link(x, y, front.start, flood.parent, j, i)
        bent = self._rounded(link, front.start[2])
        for slow, most in enumerate(LINK_TAKEN):
            for run in (bent, link):
                if self._light(run, most):
                    return Piece("link", run, np.zeros(len(run)), self._drop_point(run), bool(slow))
        return None

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
        contact = self._thick(sweep)
        # A flood to a goal must not write over the one that it comes to the help of.
        sheet = self._sheets[goal[0] >= 0]
        sheet.count, contacts, reached, whole = search.flood(
            self.cleared, self.room, *self._frame, self._xs, self._ys, self._kinds, self._spacing,
            x, y, r, self.wall, min(0.012, 0.8 * contact) * r, contact * r, CONTACTS_APART * r,
            MOST_CONTACTS, FIRST_REACH * r, limit, self._horizon, *goal,
            sheet.distance, sheet.parent, sheet.touched, sheet.count,
        )  # fmt: skip
        return Flood(sheet.distance, sheet.parent, contacts, reached, whole)

    def _thick(self, sweep: Sweep) -> float:
        """Thickness in R from which on material counts as standing: thin bites leave thin remains."""
        return max(LEAST_CONTACT, sweep.contact * min(1.0, self.target / (PLAIN_BITE * self.radius)))

    def _reach(self, flood: "Flood", start: Start) -> tuple[int, int, float]:
        j, i, way = search.nearest_reached(
            self.cleared, self.room, *self._frame, self._xs, self._ys, flood.distance, self._spacing,
            start[0], start[1], self.radius, self.wall, 0.5 * self.target, self.skin,
        )  # fmt: skip
        return int(j), int(i), float(way)

    def _upstream(self, candidate: Points, sweep: Sweep, side: int = 1) -> tuple[Start, Points]:
        """The end of the front at a contact where a pass begins, with its heading; and the walk there.

        `side` 1: the upstream end; -1: the other, for a pass in the other direction.
        """
        cx, cy, fx, fy = (float(v) for v in candidate[:4])
        mx, my = material_side(self.cleared, *self._frame, cx, cy, self.radius, self.skin)
        forward = float(np.arctan2(side * mx, -side * my))
        here = np.array([[fx, fy]])
        # At full depth the walk ends where a cut at full depth would begin. Where that gets
        # stuck, it would end inside the material: then only just touching.
        for target in (self._share(side) * self.aim, 2.0 * sweep.fade * self.target):
            path, depth, ended, _heading, _ = self._trace(
                fx, fy, forward + np.pi, -side, sweep, target, False, self._most_walk
            )
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
            if deepest(self.cleared, *self._frame, x, y, self.radius) <= START_THICK * self.target:
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
