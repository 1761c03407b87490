"""What stands on the part after the program where no area of the job goes down to it.

Above a slope, a bent bottom, a floor that was not accepted: no other check asks for it, since no area tells of it.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from shapely.geometry.base import BaseGeometry

from justbite.model.job import Job
from justbite.model.shapes import borders_of, region_shape
from justbite.model.stock import fill_heights
from justbite.proof import spans
from justbite.proof.against import SIDE, Held

THICK = 0.5
"""mm beyond the allowances that stock must be high and wide to be told."""
LEAST_VOLUME = 10.0
"""mm3: less is not told."""


@dataclass(frozen=True, slots=True)
class Remain:
    """A piece of stock that stands on the part."""

    volume: float
    """mm3"""
    high: float
    """mm over the part's surface, at most."""
    at: tuple[float, float, float]
    """Where it is highest, on its top."""


def remains(held: Held, job: Job, chord: float) -> list[Remain]:
    """The pieces, largest first."""
    tops = np.full(held.surface.shape, -np.inf)
    for shape, top in fill_heights(job.stock, chord):
        spans.fill(tops, *_spans(held, shape), top)
    # Beside the part and the stock both are infinite.
    with np.errstate(invalid="ignore"):
        left = np.minimum(tops, held.lowest) - held.surface
    high = THICK + max(o.allowance.floor for o in job.operations)
    stands = np.isfinite(held.surface) & (left > high)
    for region in (job.region(n) for n in {n for o in job.operations for n in o.regions}):
        inside = np.zeros(stands.shape, dtype=bool)
        spans.fill(inside, *_spans(held, region_shape(region, chord)), True)
        stands &= ~(inside & (held.surface > region.bottom - region.over_slope - high))
    wide = (THICK + SIDE + max(o.allowance.wall for o in job.operations)) / held.cell
    return sorted(_pieces(held, stands, left, wide), key=lambda r: -r.volume)


def _spans(held: Held, shape: BaseGeometry) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which cells have their middle in a shape."""
    rings = [np.hstack([ring[:-1], ring[1:]]) for ring in borders_of(shape)]
    borders = np.concatenate([np.empty((0, 4)), *rings])
    first, cells = spans.spans(borders, held.x0, held.y0, held.cell, *held.surface.shape)
    return first, cells


def _pieces(held: Held, stands: NDArray[np.bool_], left: NDArray[np.float64], wide: float) -> list[Remain]:
    """Connected pieces that are wider than a film; `wide`: cells from their border to their middle, at least."""
    if not stands.any():
        return []
    # A rim of cells that do not stand: where the grid ends so does the part.
    core = ndimage.distance_transform_edt(np.pad(stands, 1))[1:-1, 1:-1] > wide
    if not core.any():
        return []
    labels, count = ndimage.label(stands & (ndimage.distance_transform_edt(~core) <= wide))
    found = []
    for number, rows in enumerate(ndimage.find_objects(labels, max_label=count), 1):
        own = np.where(labels[rows] == number, left[rows], 0.0)
        volume = float(own.sum()) * held.cell**2
        if volume < LEAST_VOLUME:
            continue
        row, column = np.unravel_index(int(np.argmax(own)), own.shape)
        row, column = row + rows[0].start, column + rows[1].start
        high = float(left[row, column])
        x, y = held.x0 + float(column) * held.cell, held.y0 + float(row) * held.cell
        found.append(Remain(volume, high, (x, y, float(held.surface[row, column]) + high)))
    return found
