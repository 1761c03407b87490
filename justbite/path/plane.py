"""What is cleared and where the cutter may be, and what the cutter does there: passes, given ways, clear lines."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from justbite.field.cleared import stamp_along
from justbite.field.grid import Field, Grid
from justbite.path import search, tracer
from justbite.path.contact import standing_before, which_clear
from justbite.path.following import follow
from justbite.path.fronts import Points, Sweep
from justbite.path.links import Speeds

STEP, FINE_STEP, LAG = 0.05, 1 / 60, 0.25
"""Steps of a cut, and how far behind the cutter what it takes is marked as gone; R."""
UNFELT = 1.25
"""Skins by which cuts stay under the target."""
MOST_TAKEN, BACK, BACK_FINE = 1.022, 1.0, 0.4
"""Over the target, what a cut may be seen to take; how far it is taken back then, at first and in fine steps, R."""
WALK_STEP = 0.1
"""Step of a walk along a front, in R: it only has to find the front's end."""
NEAR, NEAR_WALK = 0.004, 0.03
"""How far below the target, as a share, a turn of a cut and of a walk may stay."""
AT_WALL = 0.004
"""Radians to which a turn of a cut that a wall holds is found."""
HAIR = 0.0003
"""R: how much nearer to a wall than they may a link's points may read: passes end on the wall, to the last digit."""
LOG_LENGTH = 3_000_000
"""Changed nodes that are remembered, to take back what was cut last."""
SURELY = 0.02
"""R: how far off what stands a place is clear for a way in."""
NOTHING: Points = np.empty((0, 3))
"""Nothing was taken before."""
PLAIN_BITE, LEAST_CONTACT = 0.4, 0.006
"""In R: the bite that the sweeps' contact thicknesses are meant for, and the least that the field can tell."""


@dataclass
class Plane:
    """The fields of one locus, and the cutter in it; lengths mm."""

    grid: Grid
    cleared: Field
    room: Field
    radius: float
    wall: float
    """Room that the centre has to have; only what `room` tells is held against it."""
    target: float
    conventional: float = 0.0
    """Radial depth of cuts with the material on the left, over the target; 0: climb milling only."""
    speeds: Speeds = field(default_factory=Speeds)
    """What links are shaped for."""
    from_air: bool = False
    """Whether fronts come in from air: where two meet, pieces may stand free for long that no wall holds."""
    skin: float = field(init=False)
    """Thickness that is not felt."""
    aim: float = field(init=False)
    """Radial depth that cuts are held to."""

    def __post_init__(self) -> None:
        self._log = np.empty(LOG_LENGTH, dtype=np.int32), np.empty(LOG_LENGTH, dtype=np.float32)
        self.skin = 0.002 * self.radius
        # Material thinner than the skin is not felt, so the front advances by as much unseen; and a little in hand.
        self.aim = self.target - UNFELT * self.skin

    @property
    def frame(self) -> tuple[float, float, float]:
        """The grid's origin and cell, as the kernels take them."""
        return self.grid.x0, self.grid.y0, self.grid.cell

    def stamp(self, points: Points, ahead: bool = False) -> None:
        """Mark what the cutter swept along `points` as cleared; `ahead`: as a pass marks it."""
        way = np.ascontiguousarray(points, dtype=float)
        stamp_along(self.cleared, *self.frame, way, self.radius, ahead, *self._log)

    def standing_before(self, places: Points) -> NDArray[np.float64]:
        """What stands before the cutter from place (n, 2) to place and back, as shares of its width, (n - 1, 2)."""
        within = SURELY * self.radius
        return np.asarray(standing_before(self.cleared, *self.frame, places, self.radius, within))

    def roll_back(self, used: int) -> None:
        """Take back what was cut last: the log up to length `used`."""
        tracer.roll_back(self.cleared, *self._log, used, 0)

    def share(self, side: int) -> float:
        """Radial depth of cuts with the material on that side, over the target."""
        return 1.0 if side > 0 else self.conventional

    def thick(self, sweep: Sweep) -> float:
        """Thickness in R from which on material counts as standing: thin bites leave thin remains."""
        return max(LEAST_CONTACT, sweep.contact * min(1.0, self.target / (PLAIN_BITE * self.radius)))

    def trace(
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
        before: Points = NOTHING,
    ) -> tuple[Points, NDArray[np.float64], int, float, int, NDArray[np.float64]]:
        """`tracer.trace` for a sweep, turning the first heading a little at a time where it is blocked.

        `before`: what was taken just before (`Ways.lately`).
        """
        settings = self._settings(sweep, stamping, fine, self.share(side) if stamping else 1.0)
        for aside in (0.0, 0.5, -0.5, 1.0, -1.0, 1.5, -1.5):
            result = tracer.trace(
                self.cleared, self.room, *self.frame, x, y, heading + side * aside, turn, side, settings,
                target, stamping, steps, *self._log, 0, before,
            )  # fmt: skip
            if len(result[0]) > 1 or result[2] == tracer.FADED:
                break
        path, depth, ended, last, used, load = result
        return path, depth, int(ended), float(last), int(used), load

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
            ribs=float(self.from_air),
        ).packed()  # fmt: skip

    def follow(self, path: Points, most: float, before: Points = NOTHING
               ) -> tuple[NDArray[np.float64], int, float, NDArray[np.float64]]:  # fmt: skip
        """Cut along `path`: depths, the log's length (-1: more than `most` targets, and taken back), area, loads.

        So it is where it takes more than a cut may, together with what was taken just `before` (`Ways.lately`).
        """
        depth, used, taken, load = follow(
            self.cleared, *self.frame, path, self.radius, most * self.target, *self._log, before,
            MOST_TAKEN * self.target,
        )  # fmt: skip
        return depth, int(used), float(taken), load

    def grazed(self, link: Points, most: float, before: Points = NOTHING) -> NDArray[np.float64] | None:
        """What a link takes on the way to each of its points, mm; None where it is more than `most` targets.

        Thin crescents slip between the places that it is looked at. `before`: see `follow`.
        """
        _, light, load = self._run(link, most, before)
        return load if light else None

    def held_up(self, link: Points, most: float, before: Points = NOTHING) -> int:
        """The point of a link at which it takes more than `grazed` bears; -1 where it is light."""
        depth, light, _ = self._run(link, most, before)
        return -1 if light else int(np.nonzero(depth)[0][-1])

    def _run(self, link: Points, most: float, before: Points
             ) -> tuple[NDArray[np.float64], bool, NDArray[np.float64]]:  # fmt: skip
        """`follow`, taken back: depths, as far as it goes; whether it goes to the end; loads."""
        depth, used, _, load = self.follow(link, most, before)
        if used > 0:
            self.roll_back(used)
        return depth, used >= 0, load

    def light(self, link: Points, most: float) -> bool:
        """Whether a link takes no more than that."""
        return self.grazed(link, most) is not None

    def all_clear(self, places: Points) -> NDArray[np.bool_]:
        """Of which places (n, 2) of the centre no more than the skin is met all round."""
        found: NDArray[np.bool_] = which_clear(self.cleared, *self.frame, places, self.radius, self.skin)
        return found

    def taken(self, path: Points) -> float:
        """What a cut along `path` would take, mm2."""
        _, used, area, _ = self.follow(path, np.inf)
        self.roll_back(used)
        return area

    @property
    def clear_terms(self) -> tuple[float, float, float, float]:
        """What links are held to: radius, least distance to walls, most radial depth, and what is not felt; mm."""
        return self.radius, self.wall - HAIR * self.radius, 0.1 * self.target, self.skin

    def clear(self, a: Points, b: Points) -> bool:
        """Whether a straight link leads from a to b."""
        return bool(search.line_clear(self.cleared, self.room, *self.frame, a[0], a[1], b[0], b[1], *self.clear_terms))
