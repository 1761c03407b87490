"""What is taken at a wall by going along it, where no pass gets hold: all at once where that is light, or in slices."""

from collections.abc import Callable
from dataclasses import dataclass, field

from shapely.geometry import LineString

from justbite.path.plane import Plane
from justbite.path.rim import MOST_BLUNT, MOST_EASE, WIPE_STEP, Points, Rim

WIPE_TAKEN, WIPE_HAND, LEAST_TAKEN = 1.0, 0.025, 0.7
"""Radial depth that a wipe may take at most, over the target: its load comes all at once. Less by so much times
R over the target: the thinner the bite, the more a hair's breadth that the fitted path is off adds."""
SLICES = 8
"""Halvings by which the rounding is found that leaves no more than that."""
LEAST_RUN = 0.4
"""R: how long a wipe by which a slice is taken is at least, from clear to clear."""
LEAST_WIPE = 0.005
"""What a wipe takes at least, R squared: less is not worth the way."""


@dataclass
class Wipes:
    """Finds runs along the walls of a locus."""

    plane: Plane
    rim: Rim
    most: float = field(init=False)
    """What a run may take, over the target."""

    def __post_init__(self) -> None:
        self.most = max(LEAST_TAKEN, WIPE_TAKEN - WIPE_HAND * self.plane.radius / self.plane.target)

    def run(self, spot: Points, thick: float, whole: bool, longer: int, at_last: bool) -> Points | None:
        """The way along the wall by which what stands about a spot is taken; None where nothing `thick` mm stands.

        In a sharp corner a crescent is left that fits the cutter: to touch it anywhere is to touch all of it. It
        is so thin that over WINDOW it is less than the bite, or is taken in slices: `whole` in one go alone.
        `longer`: so many points of the rim more at either end. `at_last`: see `_slice`.
        """
        stretch = self.rim.stretch(self.plane.cleared, spot, thick)
        if stretch is None:
            return None
        rim, first, last = stretch
        run = self.rim.eased(rim, first - longer, last + longer, 0.0)
        if not whole and not self.plane.light(run, self.most):
            run = self._slice(rim, first - longer, last + longer, at_last)
            if LineString(run).length < LEAST_RUN * self.plane.radius:
                # Of two slices one after the other no more than one may be taken over WINDOW.
                more = longer + round(LEAST_RUN / WIPE_STEP)
                run = self._slice(rim, first - more, last + more, at_last)
        return run

    def _slice(self, rim: Points, first: int, last: int, at_last: bool) -> Points:
        """A run along the rim with its corners rounded just as much as makes it light enough; or cut short.

        While passes may still do better, corners are cut short only where no rounding leads into them.
        """
        run = self._lightest(lambda ease: self.rim.eased(rim, first, last, ease), MOST_EASE)
        heavy = at_last and not self.plane.light(run, self.most)
        if heavy or self.plane.taken(run) < LEAST_WIPE * self.plane.radius**2:
            run = self._lightest(lambda short: self.rim.blunt(rim, first, last, short), MOST_BLUNT)
        return run

    def _lightest(self, made: Callable[[float], Points], most: float) -> Points:
        """The run made with the least that makes it light enough, between nothing and `most`."""
        too_much, enough = 0.0, most
        for _ in range(SLICES):
            middle = 0.5 * (too_much + enough)
            if self.plane.light(made(middle), self.most):
                enough = middle
            else:
                too_much = middle
        return made(enough)
