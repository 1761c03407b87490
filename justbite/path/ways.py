"""Ways from place to place through what is cleared: straight, or along a flood over nodes of a coarse grid."""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from justbite.field.aside import is_large
from justbite.path import search
from justbite.path.contact import last_clear
from justbite.path.following import WINDOW
from justbite.path.fronts import CONTACTS_APART, MOST_CONTACTS, Flood, Front, Piece, Points, Sheet, Start, Sweep
from justbite.path.lines import filled, length_of
from justbite.path.links import smooth_link
from justbite.path.plane import HAIR, NOTHING, Plane

DROP_GAP, DROP_REACH = 0.05, 4.0
"""Gap all round where a cutter comes down at rapid among what stands, and how far from a link's end at most; R."""
DROP_GRAZED = 0.01
"""R squared that may be grazed under a cutter that comes down so, at most."""
LINK_TAKEN = (0.1, 0.5)
"""Radial depth that a link may take, over the target: of the ways there one that takes less first."""
GRAZE_STEP = 0.25
"""R: how far apart the places of a link are at most, between which it is known what it grazes."""
FIRST_REACH = 1.5
"""How far beyond its first contact a flood goes at once, in R."""
BEHIND = np.array([0.0, 0.5, 1.0])
"""How far behind a start, in R, a straight link may turn into its heading."""
MOST_ROUND, CLOSED_OFF = 4, 0.6
"""How many ways to a start are tried; and R about a place where one takes too much that the next keeps off."""
FELT_STEP, MOST_FELT = 0.5, 100
"""R between the places at which a fin that holds up a link is felt, and how many on each side at most."""
MOST_REFUSALS = 4
"""How often a contact is tried in one tour. At thin bites between pins some were tried over a hundred times."""


@dataclass
class Ways:
    """The nodes of one locus, what is known of them, and the ways over them."""

    plane: Plane
    corners: Points = field(default_factory=lambda: np.empty((0, 2)))
    """Sharp inner corners of the locus."""
    horizon: float = np.inf
    """mm beyond which nothing is looked for."""

    def __post_init__(self) -> None:
        self._spacing = 0.25 * self.plane.radius
        self._towards: tuple[tuple[object, ...], Flood] | None = None
        self.start_anew(0.0)
        self._sheets = (Sheet.over(self._xs.shape), Sheet.over(self._xs.shape))

    @property
    def farthest(self) -> float:
        """mm of way beyond which no front is gone to."""
        return 2.0 * self.horizon

    def start_anew(self, shift: float) -> None:
        """Nodes `shift` spacings aside, of which nothing is known."""
        self._towards = None
        self._xs, self._ys, self._kinds, self._wide = search.place_nodes(
            self.plane.room, *self.plane.frame, self._spacing, self.plane.wall, 0.004 * self.plane.radius, shift
        )
        # What stands in a sharp corner fits the cutter: it is seen from the corner alone.
        for x, y in self.corners:
            j, i = self._node(x - shift * self._spacing, y - shift * self._spacing)
            self._xs[j, i], self._ys[j, i], self._kinds[j, i] = x, y, search.UNKNOWN
            self._wide[j, i] = False
        self._other_kinds = self._kinds.copy()
        self._looked = self._other_looked = not is_large(self.plane.cleared)
        self._refusals = Counter[int]()

    def turn_over(self) -> None:
        """Change to what is known of the nodes by another measure of what counts as standing, and back."""
        self._kinds, self._other_kinds = self._other_kinds, self._kinds
        self._looked, self._other_looked = self._other_looked, self._looked

    def forget(self, points: Points) -> None:
        """What was cut along `points` changes what is known about them."""
        self._towards = None
        reach = 2.0 * self.plane.radius + 2.0 * self._spacing
        points = np.ascontiguousarray(points)
        for kinds in (self._kinds, self._other_kinds):
            search.forget_near(kinds, *self.plane.frame[:2], self._spacing, points, reach)

    def refuse(self, front: Front) -> None:
        """Look no more at the contact of a front that nothing gets hold of, until something near it changes.

        Where that has come to nothing MOST_REFUSALS times, no more in this tour.
        """
        self._refusals[front.contact] += 1
        given_up = self._refusals[front.contact] >= MOST_REFUSALS
        j, i = divmod(front.contact, self._kinds.shape[1])
        self._kinds[j, i] = search.BLOCKED if given_up else search.REFUSED

    def _node(self, x: float, y: float) -> tuple[int, int]:
        return (
            round((y - self.plane.grid.y0) / self._spacing),
            round((x - self.plane.grid.x0) / self._spacing),
        )

    def flood(self, x: float, y: float, sweep: Sweep, limit: float, goal: tuple[int, int] = (-1, -1)) -> Flood:
        """Flood from (x, y) to a `goal` node, or to the first contacts, and on to `limit` mm at least."""
        r = self.plane.radius
        known = self._xs, self._ys, self._kinds
        free, stands = self._apart(sweep)
        if not self._looked:
            search.look_at_all(self.plane.cleared, *self.plane.frame, *known, self._spacing, r, free, stands)
            self._looked = True
        # A flood to a goal must not write over the one that it comes to the help of.
        sheet = self._sheets[goal[0] >= 0]
        sheet.count, contacts, reached, whole = search.flood(
            self.plane.cleared, self.plane.room, *self.plane.frame, *known, self._wide, self._spacing,
            x, y, r, self.plane.wall, free, stands, CONTACTS_APART * r,
            MOST_CONTACTS, FIRST_REACH * r, limit, self.horizon, *goal,
            sheet.distance, sheet.parent, sheet.touched, sheet.count,
        )  # fmt: skip
        return Flood(sheet.distance, sheet.parent, contacts, reached, whole)

    def _apart(self, sweep: Sweep) -> tuple[float, float]:
        """mm that may stand about a node that is free, and that have to where there is a contact."""
        contact = self.plane.thick(sweep)
        return min(0.012, 0.8 * contact) * self.plane.radius, contact * self.plane.radius

    def flood_towards(self, x: float, y: float, start: Start, sweep: Sweep) -> Flood:
        """Flood from (x, y) to a start; where the last one was the same and nothing was cut since, that one.

        How far a front is away is asked before the way there. On large areas these floods are most of planning.
        """
        goal = self._node(start[0], start[1])
        asked = x, y, goal, self.plane.thick(sweep)
        if self._towards is None or self._towards[0] != asked:
            self._towards = asked, self.flood(x, y, sweep, 0.0, goal)
        return self._towards[1]

    def _reach(self, flood: Flood, start: Start) -> tuple[int, int, float]:
        j, i, way = search.nearest_reached(
            self.plane.cleared, self.plane.room, *self.plane.frame, self._xs, self._ys, flood.distance, self._spacing,
            start[0], start[1], self.plane.radius, self.plane.wall, 0.5 * self.plane.target, self.plane.skin,
        )  # fmt: skip
        return int(j), int(i), float(way)

    def way(self, x: float, y: float, flood: Flood, start: Start) -> float:
        """mm from (x, y) to a start: straight, else as the flood knows it; inf where it does not."""
        line = self.line(x, y, start)
        return self._reach(flood, start)[2] if line is None else float(length_of(line))

    def way_round(self, x: float, y: float, front: Front, sweep: Sweep) -> float:
        """mm to the start of a front that is not in line."""
        return self._reach(self.flood_towards(x, y, front.start, sweep), front.start)[2]

    def line(self, x: float, y: float, start: Start) -> Points | None:
        """The link from (x, y) straight to a start, or to a little behind it; None where that is not clear."""
        backs = BEHIND * self.plane.radius
        k = search.straight(
            self.plane.cleared, self.plane.room, *self.plane.frame, x, y, *start, backs, *self.plane.clear_terms
        )
        if k < 0:
            return None
        if k == 0:
            return np.array([[x, y], start[:2]])
        behind = start[0] - backs[k] * np.cos(start[2]), start[1] - backs[k] * np.sin(start[2])
        return np.array([[x, y], behind, start[:2]])

    def way_to(self, x: float, y: float, start: Start, flood: Flood | None, sweep: Sweep, done: Sequence[Piece]
               ) -> Piece | None:  # fmt: skip
        """The link from (x, y) to a start; None where no way is found.

        `flood`: from (x, y), where there is one. `done`: what was cut before it, which it goes on
        from smoothly and with whose end it takes no more than a cut.
        """
        before = self.lately(done)
        line = self.line(x, y, start)
        runs = [] if line is None else [line]
        for tries in range(MOST_ROUND):
            if tries or line is None:
                nodes = self._through(x, y, start, None if tries else flood, sweep)
                if nodes is None:
                    return None
                # Straight lines may lead over what was closed, which they do not see.
                runs = [self._straight(nodes), nodes][: 1 + tries]
            for run in runs:
                bent = self._rounded(run, start[2], done[-1].points[-2:] if done else None)
                for most in LINK_TAKEN:
                    for way in (bent, run):
                        if (piece := self.link_along(way, most, before)) is not None:
                            return piece
            if not self._closed(runs[-1], before, sweep):
                return None
        return None

    def _through(self, x: float, y: float, start: Start, flood: Flood | None, sweep: Sweep) -> Points | None:
        """The way to a start by a flood from (x, y), or where that does not reach there by one towards it."""
        j, i, way = (0, 0, np.inf) if flood is None else self._reach(flood, start)
        if flood is None or not np.isfinite(way):
            flood = self.flood_towards(x, y, start, sweep)
            j, i, way = self._reach(flood, start)
        return self._link(x, y, start, flood.parent, j, i) if np.isfinite(way) else None

    def _closed(self, link: Points, before: Points, sweep: Sweep) -> bool:
        """Close the nodes about the place where a link takes too much, until something near is cut; False where that is
        at one of its ends.

        A fin thinner than a cell is not seen from the nodes on both sides of it: it is felt along. There may be a way
        round.
        """
        r = self.plane.radius
        run = filled(link, GRAZE_STEP * r)
        k = self.plane.held_up(run, LINK_TAKEN[-1], before)
        if k < 1 or min(math.dist(run[k], link[0]), math.dist(run[k], link[-1])) < 2.0 * CLOSED_OFF * r:
            return False
        self._towards = None
        way = (run[k] - run[k - 1]) / max(math.dist(run[k], run[k - 1]), 1e-9)
        closed = False
        for x, y in (run[k], *self._felt(run[k], way, 1.0), *self._felt(run[k], way, -1.0)):
            closed |= search.close(
                self.plane.cleared, *self.plane.frame, self._xs, self._ys, self._kinds, self._spacing,
                x, y, CLOSED_OFF * r, r, *self._apart(sweep),
            )  # fmt: skip
        return closed

    def _felt(self, place: Points, way: Points, side: float) -> list[Points]:
        """Where else the cutter is held up that comes the same `way` beside a place, to one side, FELT_STEP apart.

        As far as it is clear before and behind.
        """
        r, found = self.plane.radius, list[Points]()
        aside = side * FELT_STEP * r * np.array([-way[1], way[0]])
        while len(found) < MOST_FELT:
            ends = place + aside + np.array([[-r], [1.5 * r]]) * way
            if not self.plane.all_clear(ends).all():
                break
            run = filled(ends, GRAZE_STEP * r)
            k = self.plane.held_up(run, LINK_TAKEN[-1])
            if k < 0:
                break
            place = run[k]
            found.append(place)
        return found

    def lately(self, done: Sequence[Piece]) -> Points:
        """What was taken at last, (n, 3): mm of way back to there, no farther than the window, mm2, on how many mm."""
        rows: list[tuple[float, float, float]] = []
        gone = 0.0
        for piece in reversed(done):
            points, load = piece.points, piece.load
            for k in range(len(points) - 1, 0, -1):
                if gone >= WINDOW * self.plane.radius:
                    return np.array(rows).reshape(-1, 3)
                span = math.dist(points[k], points[k - 1])
                # A link that begins where a cut ends has a point twice.
                if load is not None and load[k] > 0.0 and span > 0.0:
                    rows.append((gone, load[k] * span, span))
                gone += span
        return np.array(rows).reshape(-1, 3)

    def link_along(self, line: Points, most: float, before: Points = NOTHING) -> Piece | None:
        """A link along a line, with what it grazes on the way; None where that is more than `most` targets.

        Or more than a cut may take, with what was taken just `before`.
        """
        run = filled(line, GRAZE_STEP * self.plane.radius)
        load = self.plane.grazed(run, most, before)
        if load is None:
            return None
        return Piece("link", run, np.zeros(len(run)), self._drop_point(run, load), load)

    def _drop_point(self, link: Points, load: NDArray[np.float64]) -> int:
        """The last point of a link with a gap all round, within DROP_REACH of its end; -1 if none.

        What the link grazes on its last bit of way there would be under a cutter that comes straight down: a fin
        thinner than a cell, which is only known by what was marked as taken.
        """
        plane = self.plane
        wide = (1.0 + DROP_GAP) * plane.radius
        drop = int(last_clear(plane.cleared, *plane.frame, link, wide, DROP_REACH * plane.radius))
        if drop > 0:
            spans = np.hypot(*np.diff(link[: drop + 1], axis=0).T)
            near = np.hypot(*(link[1 : drop + 1] - link[drop]).T) < 2.0 * plane.radius
            if float((load[1 : drop + 1] * spans)[near].sum()) > DROP_GRAZED * plane.radius**2:
                return -1
        return drop

    def _rounded(self, link: Points, heading: float, last: Points | None) -> Points:
        """The link leaving along the last cut and arriving along `heading`, where that is clear."""
        way = np.diff(link[:2] if last is None else last[-2:], axis=0)[0]
        if len(link) < 2 or float(np.hypot(*way)) < 1e-9:
            return link
        plane = self.plane
        return smooth_link(
            link, float(np.arctan2(way[1], way[0])), heading, plane.cleared, plane.room, plane.frame, plane.radius,
            plane.wall - HAIR * plane.radius, 0.1 * plane.target, plane.skin, plane.speeds,
        )  # fmt: skip

    def _link(self, x: float, y: float, start: Start, parent: NDArray[np.int32], j: int, i: int) -> Points:
        """The way from (x, y) through the flood's nodes to `start`."""
        points = [(start[0], start[1])]
        columns = parent.shape[1]
        at = j * columns + i
        while at >= 0:
            points.append((self._xs[at // columns, at % columns], self._ys[at // columns, at % columns]))
            at = int(parent[at // columns, at % columns])
        points.append((x, y))
        return np.array(points[::-1])

    def _straight(self, link: Points) -> Points:
        """A way drawn straight wherever it is clear."""
        plane = self.plane
        return search.pull_straight(
            plane.cleared, plane.room, *plane.frame, link, plane.radius, plane.wall, 0.1 * plane.target, plane.skin
        )
