"""Where the next pass starts: fronts about a place, each walked back to its upstream end."""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from justbite.path import tracer
from justbite.path.contact import first_clear, material_side
from justbite.path.fronts import Flood, Front, Points, Start, Sweep, same_front
from justbite.path.lines import length_of
from justbite.path.plane import WALK_STEP, Plane
from justbite.path.ways import Ways

WALK_ROUNDS, MORE_WALK = 3.0, 50.0
"""How far a front is walked back at most: so many times round the locus, and so many R. A walk that is cut short would
start in mid-front; one that still goes on then goes to and fro in a slot for ever."""
LOOK_FAR, LOOK_NEAR = 0.3, 16.0
"""How far nearer beginnings are looked for: a share of the way to the nearest one known, and R besides."""
LINK_PACE = 4.0
"""Feed of links over that of cuts, by which directions are weighed against each other."""
START_THICK = 0.05
"""How thick what stands about a start may be, over the target."""
GAP, ASIDE = 0.6, 1.25
"""R: beyond a gap that is so long, and clear all round, what stands is another front, since passes end there too; and
how far off its beginning a walk first meets something, if that is such a gap: no curve towards the material leads
there."""


@dataclass
class Seeker:
    """Finds fronts of one locus."""

    plane: Plane
    ways: Ways
    round_all: float
    """mm round all borders of the locus."""

    def __post_init__(self) -> None:
        self._most_walk = int((WALK_ROUNDS * self.round_all / self.plane.radius + MORE_WALK) / WALK_STEP)

    def fronts(self, x: float, y: float, sweep: Sweep) -> tuple[Flood, list[Front]]:
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
            flood = self.ways.flood(x, y, sweep, limit)
            fronts = [replace(f, way=min(f.way, self.ways.way(x, y, flood, f.start))) for f in fronts]
            best = min((f.way for f in fronts), default=np.inf)
            for candidate in flood.contacts:
                if candidate[4] > best:
                    break
                spot = self._contact(candidate)
                same = any(same_front(spot, other, self.plane.radius) for other in seen)
                seen.append(spot)
                if same or self._on_a_walk(candidate[:2], walked):
                    continue
                for side in (1, -1) if self.plane.conventional > 0.0 else (1,):
                    start, path = self.upstream(candidate, sweep, side)
                    walked.append(path)
                    way, length = self.ways.way(x, y, flood, start), float(length_of(path))
                    fronts.append(Front(start, int(candidate[5]), candidate, way, side, length))
                    best = min(best, way)
            if fronts and not np.isfinite(best) and not flood.whole:
                nearest = min(range(len(fronts)), key=lambda k: self._crow(x, y, fronts[k]))
                # A way round all that stands is long to find: not where none is gone that is as far as the crow flies.
                if self._crow(x, y, fronts[nearest]) <= self.ways.farthest:
                    fronts[nearest] = replace(fronts[nearest], way=self.ways.way_round(x, y, fronts[nearest], sweep))
                    best = fronts[nearest].way
            enough = min(best, LOOK_FAR * best + LOOK_NEAR * self.plane.radius)
            if not fronts or flood.whole or enough <= max(limit, flood.reached):
                break
            limit = enough if np.isfinite(best) else 2.0 * flood.reached + 4.0 * self.plane.radius
        return flood, sorted(fronts, key=self._dear)

    def again(self, front: Front, sweep: Sweep, sweeps: tuple[Sweep, ...]) -> Front:
        """The front with its upstream end as another sweep sees it."""
        if sweep is sweeps[-1]:
            return front
        return replace(front, start=self.upstream(front.seen, sweep, front.side)[0])

    def upstream(self, candidate: Points, sweep: Sweep, side: int = 1) -> tuple[Start, Points]:
        """The end of the front at a contact where a pass begins, with its heading; and the walk there.

        `side` 1: the upstream end; -1: the other, for a pass in the other direction. The walk ends there too.
        """
        cx, cy, fx, fy = (float(v) for v in candidate[:4])
        mx, my = material_side(self.plane.cleared, *self.plane.frame, cx, cy, self.plane.radius, self.plane.skin)
        forward = float(np.arctan2(side * mx, -side * my))
        here = np.array([[fx, fy]])
        # At full depth the walk ends where a cut at full depth would begin. Where that gets
        # stuck, it would end inside the material: then only just touching.
        for target in (self.plane.share(side) * self.plane.aim, 2.0 * sweep.fade * self.plane.target):
            path, depth, ended, _heading, _, _ = self.plane.trace(
                fx, fy, forward + np.pi, -side, sweep, target, False, self._most_walk
            )
            if ended == tracer.CLOSED:
                return (fx, fy, forward), path
            k = self._behind(path, depth, sweep.fade * self.plane.target)
            if k > 0:
                back = path[k] - path[k - 1]
                return (float(path[k, 0]), float(path[k, 1]), float(np.arctan2(-back[1], -back[0]))), path[: k + 1]
        return (fx, fy, forward), here

    def _behind(self, path: Points, depth: NDArray[np.float64], fade: float) -> int:
        """Where a walk back along a front has left it: the first place clear all round; 0 if none.

        In what fronts come into from air it is on another one beyond a gap: from the strip along one side of a block
        round its corner to the next one. In pockets between pins thin pieces stood free for a while so.
        """
        plane, thin = self.plane, START_THICK * self.plane.target
        touching = np.nonzero(depth >= fade)[0]
        bounds = np.concatenate([[0], touching, [len(path)]])
        gaps = np.diff(bounds) * WALK_STEP > GAP
        gaps &= plane.from_air
        if len(touching) and plane.from_air:
            gaps[0] = math.dist(path[touching[0]], path[0]) > ASIDE * self.plane.radius
        gaps[-1] = True
        for k in np.nonzero(gaps)[0]:
            first, last = max(1, int(bounds[k])), int(bounds[k + 1])
            clear = int(first_clear(plane.cleared, *plane.frame, path[:last], first, plane.radius, thin))
            if clear > 0:
                return clear
        return 0

    def _dear(self, front: Front) -> float:
        """What fronts are chosen by: the way to them, or in both directions the time for what they take."""
        if self.plane.conventional == 0.0:
            return front.way
        length = max(front.length, self.plane.radius)
        return (length + front.way / LINK_PACE) / (length * self.plane.share(front.side))

    @staticmethod
    def _crow(x: float, y: float, front: Front) -> float:
        return float(np.hypot(front.start[0] - x, front.start[1] - y))

    def _contact(self, candidate: Points) -> tuple[float, float, float, float]:
        """Where a contact is, and the direction to its material."""
        x, y = float(candidate[0]), float(candidate[1])
        return x, y, *material_side(self.plane.cleared, *self.plane.frame, x, y, self.plane.radius, self.plane.skin)

    def _on_a_walk(self, spot: Points, walked: list[Points]) -> bool:
        near = (self.plane.target + 0.3 * self.plane.radius) ** 2
        return any(float(((path - spot) ** 2).sum(axis=1).min()) < near for path in walked)
