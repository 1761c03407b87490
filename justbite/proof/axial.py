"""How deep the level is that each block of an operation belongs to: asked of the job and of what the blocks take."""

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from justbite.model.before import cut_top, floors_before
from justbite.model.job import Job, Operation
from justbite.model.moves import RAPID, Moves
from justbite.model.shapes import job_space, region_shape
from justbite.proof.gouge import AIR
from justbite.proof.places import Places
from justbite.proof.steps import Steps

OWN_LEVEL = 1.05
"""How much more what is cut counts for an area whose level it may be: more than the areas that lie in it differ by."""


class AxialDepths:
    """The axial depth of each block, from the level above, a floor left before, or the top of its area.

    What is cut without a rapid on one level belongs to one area: the one that most of it lies in.
    """

    def __init__(self, job: Job, operation: Operation, moves: Moves, ap: float, chord: float, radius: float,
                 walked: NDArray[np.bool_]) -> None:  # fmt: skip
        """`ap`: the bite's, for what belongs to no area. `walked`: (n,) blocks that lead anywhere."""
        self._moves, self._ap = moves, ap
        self._regions = [job.region(name) for name in operation.regions]
        self._tops = [cut_top(job, operation, region, chord) for region in self._regions]
        self._floors = [sorted(floors_before(job, operation, region, chord)) for region in self._regions]
        self._ends = [region.bottom + operation.allowance.floor for region in self._regions]
        self._shapes = [
            (
                region_shape(region, chord),
                job_space(job, region, AIR * radius + operation.allowance.wall, chord),
            )
            for region in (self._regions if len(self._regions) > 1 else [])
        ]
        self._walked = np.nonzero(walked)[0]
        level, rapid = moves.z_level[self._walked], moves.kind[self._walked] == RAPID
        self._run = np.zeros(len(moves.kind), dtype=np.int32)
        ends = (np.diff(level, prepend=level[:1]) != 0.0) | (np.diff(rapid, prepend=rapid[:1]) != 0)
        self._run[self._walked] = np.cumsum(ends)
        self._shares = np.zeros((len(self._regions), int(self._run.max(initial=0)) + 1))

    def see(self, first: int, steps: Steps) -> None:
        """Take note of steps, whose blocks begin with block `first` of the operation."""
        moves, size = self._moves, self._shares.shape[1]
        taken = np.zeros(len(moves.kind))
        own = np.bincount(steps.block, weights=steps.volume)
        taken[first : first + len(own)] = own
        block = steps.block + first
        places = Places(steps.place[:, 0], steps.place[:, 1], steps.volume > 0) if self._shapes else None
        for index, (top, floor) in enumerate(zip(self._tops, self._ends, strict=True)):
            within = (taken > 0) & (moves.z_level >= floor - 1e-4) & (moves.z_level < top - 1e-4)
            if places is None:
                self._shares[index] += np.bincount(self._run[within], weights=taken[within], minlength=size)
                continue
            # Areas lie in each other, and beyond the open edge of one there may be another: most of it tells.
            for shape in self._shapes[index]:
                inside = places.within(shape)
                inside = inside[within[block[inside]]]
                run, volume = self._run[block[inside]], steps.volume[inside]
                self._shares[index] += np.bincount(run, weights=volume, minlength=size)

    def told(self) -> NDArray[np.float32]:
        """(n,) mm: of each block, from all that was seen."""
        moves, walked, run = self._moves, self._walked, self._run
        shares = self._shares.copy()
        ends = list(zip(self._regions, self._tops, self._floors, self._ends, strict=True))
        if len(ends) > 1:
            # Steps on a slope lie in each other altogether: those are its levels that its depth is parted into.
            for index, (region, top, before, floor) in enumerate(ends):
                between = {*before, *(z for z in region.floors if floor < z < top)}
                marks = [top, *sorted(between, reverse=True), floor]
                shares[index, run[walked][_parts(marks, moves.z_level[walked], self._ap)]] *= OWN_LEVEL
        owner = np.where(shares.max(axis=0, initial=0.0) > 0.0, shares.argmax(axis=0), -1)
        axial = np.full(len(moves.kind), self._ap, dtype=np.float32)
        for index, (_, top, before, _) in enumerate(ends):
            own = walked[owner[run[walked]] == index]
            levels, first, of = np.unique(np.round(moves.z_level[own], 4), return_index=True, return_inverse=True)
            # A higher level that is run only later, of an area beside this one, has not taken anything yet.
            above = np.array([
                min((z for z in (*levels[first < first[k]], *before, top) if z > level + 1e-3), default=level)
                for k, level in enumerate(levels)
            ])  # fmt: skip
            axial[own] = above[of] - moves.z_level[own] if len(own) else 0.0
        return axial


def _parts(marks: list[float], level: NDArray[np.float64], most: float) -> NDArray[np.bool_]:
    """Which levels part the depth between two of the heights `marks`, highest first, evenly and as few times as is
    possible when none is deeper than `most`."""
    found = np.zeros(len(level), dtype=bool)
    for high, low in pairwise(marks):
        if high - low < 1e-6:
            continue
        count = max(1, math.ceil((high - low) / most - 1e-6))
        share = (high - level) / (high - low) * count
        found |= (np.abs(share - np.round(share)) * (high - low) / count < 1e-3) & (level > low - 1e-3) & (level < high)
    return found
