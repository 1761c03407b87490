"""Clearing one connected locus of cutter centres at one level: passes and the links between.

Method (docs/methods/engine.md): trace a pass; flood from its end to the nearest standing
material; walk that front back to its upstream end; link there; trace the next pass. A first
sweep for what stands thick, then tours of the remains with finer thresholds, in which corners
are wiped along their walls.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from justbite.field.aside import Rows, is_large
from justbite.path import tracer
from justbite.path.contact import deepest
from justbite.path.fronts import SWEEPS, Flood, Front, Piece, Points, Start, Sweep
from justbite.path.plane import FINE_STEP, NOTHING, STEP, Plane
from justbite.path.rim import WIPE_STEP, Rim
from justbite.path.seeking import Seeker
from justbite.path.specks import runs_over, specks
from justbite.path.tight import Tight, leads_into
from justbite.path.tips import way_out
from justbite.path.ways import Ways
from justbite.path.wipes import LEAST_WIPE, Wipes

NEAR_END = 2.0
"""R: how near to a ramp's end a pass along its one side has to end, for the next to begin there."""
MOST_GRAZED = 0.1
"""What a link round the end of a ramp may take, over the target."""
TIGHT = 0.5
"""Least radius towards the material where a pass goes round the end of a ramp, over the bite."""
FIRST_TAKEN = 0.5
"""R squared: a first pass that took less got no hold. From a groove no wider than the cutter no front can be found."""
FIRST = SWEEPS[:1]
MUCH = 1.0
"""R squared: so much in a tour for remains is more than remains."""
CRUMBS_OFF, LEAST_TIDY, MOST_TIDY = 2.5, 1.0, 5.0
"""R: how far from what stands thick crumbs are taken on the way; from which on, and how far about, it is tidied."""
SWALLOWED, AFTER = 0.1, 0.2
"""Over the target: a pass that takes so much to the last swallowed a piece; and how far it then goes straight on, R."""
BATCH = 800
"""Steps of a pass after which progress is told; a stop is heard there."""
FINE_LENGTH, FINE_SHARE = 2.5, 0.97
"""How far a cut goes on in fine steps, R, and at what share of the target."""
MANY = 200
"""Points of a pass that tell well enough where it went."""
FARTHER = (0.0, 0.5, 1.0, 2.0)
"""R: how much farther from the tip of a corner a wipe begins and ends, as far as it takes to get there."""


MOST_WIPED = 0.5
"""R: what stands thicker in a corner is no remains: an arm that wipes would eat up slice by slice is ramped into."""


@dataclass
class Clearing:
    """State of the clearing of one locus, and the pieces made so far."""

    plane: Plane
    rims: tuple[Points, ...] = ()
    """Borders of the locus, points WIPE_STEP apart, with the wall on the right of travel."""
    corners: Points = field(default_factory=lambda: np.empty((0, 2)))
    """Sharp inner corners of the locus."""
    tight: tuple[Tight, ...] = ()
    """Necks and arms that are left to ramps."""
    pieces: list[Piece] = field(default_factory=list)
    removed: float = 0.0
    """Area taken by the passes, mm2."""

    def __post_init__(self) -> None:
        plane = self.plane
        round_all = sum(float(np.hypot(*np.diff(r, axis=0, append=r[:1]).T).sum()) for r in self.rims)
        self._rows = Rows() if is_large(plane.cleared) else None
        self.ways = Ways(plane, self.corners)
        self._seeker = Seeker(plane, self.ways, round_all)
        self.wipes = Wipes(plane, Rim(self.rims, plane.room, plane.frame, plane.radius, plane.wall))

    def stamp_path(self, points: Points, ahead: bool = False) -> None:
        """Mark what the cutter swept along `points` as cleared (entries; `ahead`: passes)."""
        self.plane.stamp(points, ahead)
        self.ways.forget(points)

    def run(self, x: float, y: float, heading: float | None, tick: Callable[[float], None],
            other_end: Start | None = None) -> None:  # fmt: skip
        """Clear all that can be reached from (x, y); with a heading the first pass starts there.

        `other_end`: where what an entry left, no wider than the cutter, ends; with the heading back along it.
        """
        if heading is not None:
            first = replace(SWEEPS[0], turn_in=min(SWEEPS[0].turn_in, TIGHT * self.plane.target / self.plane.radius))
            # In a slot just wider than the cutter only the tighter sweeps can turn at all.
            for sweep in (first if other_end else SWEEPS[0], *SWEEPS[1:]):
                before = self.removed
                end = self._pass_from(x, y, heading, sweep, tick)
                if end is not None:
                    x, y = end
                if self.removed - before > FIRST_TAKEN * self.plane.radius**2:
                    break
            if other_end is not None:
                x, y = self._round_the_end(x, y, other_end, first, tick)
        # A front that is not got hold of from one set of nodes may be from another.
        # What is left after the first sweep is taken in tours: at each place all that can be.
        for shift, sweeps in ((0.0, FIRST), (0.0, SWEEPS[1:]), (0.5, SWEEPS[1:3])):
            taken = self._tour(x, y, shift, sweeps, tick)
            x, y = taken[:2]
        if taken[2] > MUCH * self.plane.radius**2:
            # Through a neck that only these nodes lead through it came to what the finest sweep had not seen.
            taken = self._tour(x, y, 0.5, SWEEPS[1:], tick)
        x, y = self._wipe_corners(*taken[:2], tick)
        self.run_over_specks(x, y, specks(self.plane), tick)
        while self.pieces and self.pieces[-1].kind == "link":
            self.pieces.pop()

    def _wipe_corners(self, x: float, y: float, tick: Callable[[float], None]) -> tuple[float, float]:
        """Wipe what still stands in corners, nearest first: to the tip of an acute one the flood's nodes may not lead.

        Where the centre has no room beside it all of the cutter's width cuts, so that each wipe is a thin slice.
        """
        sweep = SWEEPS[-1]
        left = self.corners.tolist()
        while left:
            left.sort(key=lambda corner: -float(np.hypot(corner[0] - x, corner[1] - y)))
            tip = left.pop()
            while self.plane.thick(sweep) * self.plane.radius < self.stands(*tip) < MOST_WIPED * self.plane.radius:
                x, y = self.out_of_tip(x, y) or (x, y)
                flood = self.ways.flood(x, y, sweep, np.inf)
                front = Front((*tip, 0.0), -1, np.array([*tip, *tip, np.inf, -1.0]), np.inf)
                # In an acute corner the field of walls reads too little: the way in begins where there is room beside.
                for longer in FARTHER:
                    end = self._wipe(x, y, front, flood, sweep, tick, False, int(longer / WIPE_STEP), True)
                    if end is not None:
                        break
                else:
                    break
                x, y = end or (x, y)
        return x, y

    def out_of_tip(self, x: float, y: float) -> tuple[float, float] | None:
        """Back out of the tip of a cusp; None where (x, y) is in none."""
        link = way_out(x, y, self.pieces, self.ways, MOST_GRAZED)
        self.pieces += [] if link is None else [link]
        return None if link is None else self.here()

    def here(self) -> tuple[float, float]:
        """Where the last piece ends."""
        x, y = self.pieces[-1].points[-1]
        return float(x), float(y)

    def stands(self, x: float, y: float) -> float:
        """How thick, mm, what stands under the rim of the cutter there is."""
        return float(deepest(self.plane.cleared, *self.plane.frame, x, y, self.plane.radius, 0.0, np.inf))

    def run_over_specks(self, x: float, y: float, left: list[Points], tick: Callable[[float], None]
                         ) -> tuple[float, float]:  # fmt: skip
        """Run over what still stands free in the middle of the floor; the nearest first. Returns where it ends."""
        while left:
            left.sort(key=lambda speck: -float(np.hypot(*(speck.mean(axis=0) - (x, y)))))
            x, y = self._run_over(x, y, left.pop(), tick) or (x, y)
        return x, y

    def _run_over(self, x: float, y: float, speck: Points, tick: Callable[[float], None]) -> tuple[float, float] | None:
        sweep = SWEEPS[-1]
        flood = self.ways.flood(x, y, sweep, np.inf)
        for run in runs_over(speck, self.plane.radius):
            if self.plane.clear(run[0], run[1]) and self.plane.light(run[:1].repeat(2, axis=0), self.wipes.most):
                # No contact led here.
                end = self.wipe_run(x, y, run, flood, sweep, tick, 0.0)
                if end is not None:
                    return end
        return None

    def _tour(self, x: float, y: float, shift: float, sweeps: tuple[Sweep, ...], tick: Callable[[float], None]
              ) -> tuple[float, float, float]:  # fmt: skip
        """Pass after pass from (x, y) until no more is found. Returns where it ends, and the area taken."""
        before = self.removed
        self.ways.start_anew(shift)
        while (end := self._next_pass(x, y, sweeps, tick) or self.out_of_tip(x, y)) is not None:
            x, y = end
            if self.plane.from_air and self.pieces[-1].kind == "cut":
                last = self.pieces[-1].points
                x, y = self.run_over_specks(x, y, specks(self.plane, last[:: 1 + len(last) // MANY]), tick)
        return x, y, self.removed - before

    def _round_the_end(self, x: float, y: float, start: Start, sweep: Sweep, tick: Callable[[float], None]
                       ) -> tuple[float, float]:  # fmt: skip
        """From a pass along one side of a ramp to the one along its other side.

        No pass goes round the end: where what is cleared is a disc of R, a way round its middle at r takes
        R + r / 2, more than any bite. So it breaks off there, and the other side begins at the disc's middle.
        """
        line = self.ways.line(x, y, start)
        if line is None or np.hypot(x - start[0], y - start[1]) > NEAR_END * self.plane.radius:
            return x, y
        link = self.ways.link_along(line, MOST_GRAZED)
        if link is None:
            return x, y
        mark = len(self.pieces)
        end = self._pass_from(*start, sweep, tick)
        if end is None:
            return x, y
        self.pieces.insert(mark, link)
        return end

    def to_and_fro(self, x: float, y: float, heading: float, film: float, tick: Callable[[float], None]
                   ) -> tuple[float, float]:  # fmt: skip
        """In a slot hardly wider than the cutter: along one wall, back along the other, until nothing is taken.

        Between walls that close no node of the flood is clear all round, so that no front would be found.
        A film too thin for the other sweeps is taken where it is more than `film` mm2.
        """
        last = replace(SWEEPS[-1], least=max(SWEEPS[-1].least, film / self.plane.radius**2))
        while True:
            for back, sweep in ((b, s) for b in (0.0, np.pi) for s in (*SWEEPS[:-1], last)):
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
            target = (FINE_SHARE if fine else 1.0) * self.plane.share(side) * self.plane.aim
            # The window of a guard that begins anew would not see what was taken at a joint's other side.
            before = NOTHING if first else self.ways.lately(self.pieces)
            path, depth, ended, heading, used, load = self.plane.trace(
                x, y, heading, side, sweep, target, True, steps, turn, fine, before
            )
            area = float(depth[1:].sum()) * (FINE_STEP if fine else STEP) * self.plane.radius
            again = ended == tracer.OVER and not fine
            if first and used >= 0 and area < sweep.least * self.plane.radius**2 and not again:
                self.plane.roll_back(used)
                return None
            first = first and len(path) < 2
            if len(path) > 1:
                if self._rows is not None:
                    path, depth, load = (self._rows.put(row) for row in (path, depth, load))
                self.pieces.append(Piece("cut", path, depth, load=load))
                self.ways.forget(path)
                self.removed += area
                x, y = path[-1]
            tick(self.removed)
            if ended != tracer.RAN_OUT and not again:
                if ended == tracer.FADED and depth[-1] > SWALLOWED * self.plane.target and len(path) > 1:
                    x, y = self._on_over(path[-2:])
                return x, y
            turn = 0.0
            if ended == tracer.RAN_OUT and not fine and len(path) > 2:
                ways = np.diff(path[-3:], axis=0)
                turn = side * float(np.diff(np.unwrap(np.arctan2(ways[:, 1], ways[:, 0])))[0])
            fine = again

    def _on_over(self, last: Points) -> tuple[float, float]:
        """Go straight on a little where a pass has swallowed the last of what it cut.

        A core thinner than the field can tell may stand before the cutter.
        """
        end = last[1] + AFTER * self.plane.radius * (last[1] - last[0]) / np.hypot(*(last[1] - last[0]))
        if not self.plane.clear(last[1], end):
            return float(last[1, 0]), float(last[1, 1])
        run = np.array([last[1], end])
        self.plane.stamp(run)
        piece = self.pieces[-1]
        self.pieces[-1] = Piece(
            "cut", np.vstack([piece.points, end]), np.append(piece.depth, 0.0), load=_again(piece.load)
        )
        return float(end[0]), float(end[1])

    def _next_pass(
        self, x: float, y: float, sweeps: tuple[Sweep, ...], tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Find the next front from (x, y), link to its upstream end and cut. None: all done.

        The front is looked for with the thresholds of the last sweep, and cut with the first that gets hold of it.
        """
        while True:
            flood, fronts = self._seeker.fronts(x, y, sweeps[-1])
            if not fronts:
                return None
            if sweeps is FIRST:
                nearest = float(flood.contacts[0, 4]) if len(flood.contacts) else np.inf
                tidied = self._tidy(x, y, nearest - CRUMBS_OFF * self.plane.radius, tick)
                if tidied != (x, y):
                    return tidied
            fronts = [f for f in fronts if not f.way > self.ways.farthest]
            if not fronts:
                return None
            # In a tour what is light enough to be wiped at once needs no passes of its own.
            before = len(sweeps) > 1
            for front in fronts:
                if leads_into(self.tight, self.plane, *front.start[:2]):
                    self.ways.refuse(front)
                    continue
                if before:
                    end = self._wipe(x, y, front, flood, sweeps[-1], tick, True)
                    if end is not None:
                        return end
                for sweep in sweeps:
                    end = self._cut_front(x, y, self._seeker.again(front, sweep, sweeps), flood, sweep, tick)
                    if end is not None:
                        return end
                end = self._wipe(x, y, front, flood, sweeps[-1], tick, False)
                if end is not None:
                    return end
                self.ways.refuse(front)

    def _tidy(self, x: float, y: float, reach: float, tick: Callable[[float], None]) -> tuple[float, float]:
        """Take the crumbs about (x, y) before the cutter leaves a place where nothing thick stands any more.

        To come back for them when all else is done costs ways across the whole area.
        """
        if reach < LEAST_TIDY * self.plane.radius:
            return x, y
        # What counts as standing differs, so what is known of the nodes is kept apart.
        self.ways.turn_over()
        self.ways.horizon = min(reach, MOST_TIDY * self.plane.radius)
        while (end := self._next_pass(x, y, SWEEPS[1:], tick)) is not None:
            x, y = end
        self.ways.horizon = np.inf
        self.ways.turn_over()
        return x, y

    def _wipe(
        self, x: float, y: float, front: Front, flood: Flood, sweep: Sweep, tick: Callable[[float], None],
        whole: bool, longer: int = 0, at_last: bool = False,
    ) -> tuple[float, float] | None:  # fmt: skip
        """Take what no pass gets hold of at a wall by going along the wall; None where nothing is taken.

        `whole`, `longer`, `at_last`: see `Wipes.run`.
        """
        run = self.wipes.run(front.seen[:2], self.plane.thick(sweep) * self.plane.radius, whole, longer, at_last)
        return None if run is None else self.wipe_run(x, y, run, flood, sweep, tick)

    def wipe_run(
        self, x: float, y: float, run: Points, flood: Flood | None, sweep: Sweep, tick: Callable[[float], None],
        least: float = LEAST_WIPE,
    ) -> tuple[float, float] | None:  # fmt: skip
        way = run[1] - run[0]
        start = (float(run[0, 0]), float(run[0, 1]), float(np.arctan2(way[1], way[0])))
        link = self.ways.way_to(x, y, start, flood, sweep, self.pieces)
        return None if link is None else self.cut_along(link, run, least, tick)

    def cut_along(
        self, link: Piece | None, run: Points, least: float, tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Link to a run along a wall and cut it; None where it takes less than `least` R squared, or too much.

        Without a link, from above, where it begins in the clear.
        """
        mark = len(self.pieces)
        self.pieces += [] if link is None else [link]
        before = NOTHING if link is None else self.ways.lately(self.pieces)
        depth, used, taken, load = self.plane.follow(run, self.wipes.most, before)
        if used < 0 or taken < least * self.plane.radius**2:
            del self.pieces[mark:]
            if used > 0:
                self.plane.roll_back(used)
            return None
        self.pieces.append(Piece("cut", run, depth, load=load, whole=True))
        self.ways.forget(run)
        self.removed += taken
        tick(self.removed)
        return float(run[-1, 0]), float(run[-1, 1])

    def _cut_front(
        self, x: float, y: float, front: Front, flood: Flood, sweep: Sweep, tick: Callable[[float], None]
    ) -> tuple[float, float] | None:
        """Link from (x, y) to a front and cut it; None where no way leads there or nothing much is cut."""
        link = self.ways.way_to(x, y, front.start, flood, sweep, self.pieces)
        if link is None:
            return None
        mark, before = len(self.pieces), self.removed
        end = self._pass_from(*front.start, sweep, tick, front.side)
        if end is not None:
            self.pieces.insert(mark, link)
            if self.removed - before < sweep.least * self.plane.radius**2:
                # It got hold of next to nothing before it would have taken too much: to try again would be the same.
                self.ways.refuse(front)
        return end


def _again(load: NDArray[np.float64] | None) -> NDArray[np.float64] | None:
    """The loads of a cut that goes on a little: what is met there is thinner than what was met last."""
    return None if load is None else np.append(load, load[-1])
