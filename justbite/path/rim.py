"""Going along a wall: where something stands there, and the way along it, led on and off."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from justbite.field.grid import Field
from justbite.path import tracer
from justbite.path.contact import deepest

Points = NDArray[np.float64]
WIPE_STEP, CLEAR_WIPE, MOST_WIPE = 0.05, 0.15, 4.0
"""Steps along a wall that is wiped, clear way at its ends, and how far it goes to either side at most; R."""
MOST_EASE = 0.6
"""Over what length the corner of a wipe is rounded at most, where all of it would be too much at once; R."""
LEAD = 0.3
"""Radius of the curves by which a wipe comes to the wall and leaves it, R."""


@dataclass(frozen=True, slots=True)
class Rim:
    """The borders of a locus: closed rows of points WIPE_STEP apart, with the wall on the right of travel."""

    rings: tuple[Points, ...]
    room: Field
    frame: tuple[float, float, float]
    radius: float
    wall: float

    def stretch(self, cleared: Field, spot: Points, thick: float) -> tuple[Points, int, int] | None:
        """Where something stands at a wall about a spot, and a little clear way at both ends: rim, first, last."""
        best: tuple[float, Points, int] | None = None
        for rim in self.rings:
            away = np.hypot(*(rim - spot).T)
            k = int(np.argmin(away))
            if best is None or away[k] < best[0]:
                best = (float(away[k]), rim, k)
        if best is None or best[0] > 0.5 * self.radius:
            return None
        _, rim, k = best
        most = int(MOST_WIPE / WIPE_STEP)
        ends = []
        for way in (-1, 1):
            clear = 0
            for n in range(1, most):
                x, y = rim[(k + way * n) % len(rim)]
                clear = clear + 1 if deepest(cleared, *self.frame, x, y, self.radius) <= thick else 0
                if clear * WIPE_STEP >= CLEAR_WIPE:
                    break
            else:
                return None
            ends.append(k + way * n)
        return rim, ends[0], ends[1]

    def eased(self, rim: Points, first: int, last: int, ease: float) -> Points:
        """A stretch of the rim, its corners rounded inwards over `ease` R: a first cut of what is too much for one."""
        more = int(np.ceil(4.0 * ease / WIPE_STEP))
        run = rim[np.arange(first - more, last + 1 + more) % len(rim)]
        if more == 0:
            return self._led(run)
        smooth = ndimage.gaussian_filter1d(run, ease / WIPE_STEP, axis=0, mode="nearest")[more:-more]
        least = self.wall - 3e-4 * self.radius
        free = [tracer.free_at(self.room, *self.frame, x, y, least) for x, y in smooth]
        return self._led(np.where(np.array(free)[:, None], smooth, run[more:-more]))

    def _led(self, run: Points) -> Points:
        """The run with a quarter circle off the wall at either end, where there is room for it."""
        angles = np.linspace(0.0, 0.5 * np.pi, 8)[1:, None]
        led = run
        for first, inner, way in ((run[0], run[1], 1), (run[-1], run[-2], -1)):
            along = (first - inner) / max(float(np.hypot(*(first - inner))), 1e-9)
            off = way * np.array([along[1], -along[0]])
            arc = first + LEAD * self.radius * (np.sin(angles) * along + (1.0 - np.cos(angles)) * off)
            if all(tracer.free_at(self.room, *self.frame, x, y, self.wall - 3e-4 * self.radius) for x, y in arc):
                led = np.vstack([arc[::-1], led] if way > 0 else [led, arc])
        return led
