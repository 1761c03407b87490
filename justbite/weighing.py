"""What an area costs at full bite: for weighing orders and groups of areas before any of them is planned."""

from dataclasses import dataclass

import shapely

from justbite import tolerances
from justbite.bite.case import levels_of
from justbite.model.before import fresh_shape
from justbite.model.bite import Bite
from justbite.model.job import Job
from justbite.prepare import LEAST_SIZE


@dataclass(frozen=True, slots=True)
class Weight:
    """What an area asks of a bite."""

    size: float
    """mm2 that are cut."""
    width: float
    """mm that these are wide, on the mean."""
    deep: tuple[float, ...]
    """mm: the depth of each section."""

    @property
    def deepest(self) -> float:
        return max(self.deep)

    @property
    def volume(self) -> float:
        return self.size * sum(self.deep)

    def seconds(self, bite: Bite, follows: bool) -> float:
        """How long it takes at full bite: where it is narrower than that, chips are thinner and the feed may follow."""
        taken = min(bite.ae, self.width)
        feed = bite.feed / 60.0 * ((bite.ae / taken) ** 0.5 if follows else 1.0)
        return sum(levels_of(d, bite.ap) for d in self.deep) * self.size / (taken * feed)


def weight_of(job: Job, name: str, deep: tuple[float, ...]) -> Weight:
    """An area of a job, of which `deep` is what `sections` tells."""
    fresh = fresh_shape(job, job.region(name), tolerances.CHORD)
    size = max(fresh.area, LEAST_SIZE)
    return Weight(size, 2.0 * size / max(float(shapely.length(fresh)), 1.0), deep)
