"""Cuts into walls, islands and floors: exact, from the job's geometry and the steps of the replay."""

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown
from justbite.model.job import Job, Operation, Region
from justbite.model.shapes import job_space
from justbite.model.stock import heights
from justbite.proof.places import Places
from justbite.proof.steps import Steps, chunks

AIR = 3.4
"""R that are free beyond an open edge."""


@dataclass(frozen=True, slots=True)
class _Bounds:
    """What steps in one area are held against."""

    free: BaseGeometry
    clear: BaseGeometry
    """Well away from walls only the floor is asked for."""
    border: shapely.STRtree
    floor: float


class Walls:
    """Walls, islands and floors of an operation, and the deepest cut into them so far.

    A centre nearer to a wall than the radius and allowance is in the wall by the difference. A position that is in no
    area of the operation and takes material is in the part altogether.
    """

    def __init__(self, job: Job, operation: Operation, radius: float, chord: float, least: float) -> None:
        """What is no deeper than `least` mm is no cut into them."""
        self._bounds = [_bounds(job, job.region(n), operation, radius, chord) for n in operation.regions]
        self._wall, self._radius = radius + operation.allowance.wall, radius
        self._top = heights(job.stock)[1] - 1e-6
        self._least = least
        self.most = 0.0
        self.most_at = (0.0, 0.0, 0.0)

    def see(self, steps: Steps) -> None:
        """Hold steps against them."""
        for rows in chunks(len(steps)):
            found = _depths(steps.place[rows], steps.volume[rows], self._bounds, self._wall, self._top, self._radius)
            k = int(np.argmax(found))
            if found[k] > max(self.most, self._least):
                x, y, z = (float(v) for v in steps.place[rows.start + k])
                self.most, self.most_at = float(found[k]), (x, y, z)


def _bounds(job: Job, region: Region, operation: Operation, radius: float, chord: float) -> _Bounds:
    wall = radius + operation.allowance.wall
    free = job_space(job, region, AIR * radius + operation.allowance.wall, chord)
    border = shapely.get_parts(shapely.get_parts(shapely.boundary(free)))
    rings = [np.asarray(g.coords) for g in border]
    pieces = np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings])
    # A buffer's chords are nearer by half a per cent at most.
    clear = grown(free, -1.02 * wall)
    shapely.prepare([free, clear])
    return _Bounds(free, clear, shapely.STRtree(shapely.linestrings(pieces)), region.bottom + operation.allowance.floor)


def _depths(place: NDArray[np.floating], volume: NDArray[np.floating], bounds: list[_Bounds], wall: float, top: float,
            radius: float) -> NDArray[np.float64]:  # fmt: skip
    """(n,) mm that each step is in a wall or floor; of the areas that it is in the one where that is least."""
    worst = np.full(len(place), np.inf)
    x, y, z = place.T
    below = z < top
    places = Places(x, y, below)
    for one in bounds:
        inside = places.within(one.free)
        clear = shapely.contains_xy(one.clear, x[inside], y[inside])
        away, own = inside[clear], inside[~clear]
        worst[away] = np.minimum(worst[away], np.maximum(0.0, one.floor - z[away]))
        pairs, distance = one.border.query_nearest(
            shapely.points(x[own], y[own]), return_distance=True, all_matches=False
        )  # fmt: skip
        gap = np.zeros(len(own))
        gap[pairs[0]] = distance
        worst[own] = np.minimum(worst[own], np.maximum(wall - gap, one.floor - z[own]))
    outside = below & np.isinf(worst)
    worst[outside & (volume > 0)] = radius
    worst[np.isinf(worst)] = 0.0
    return worst
