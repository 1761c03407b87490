"""What an area costs at full bite: for weighing orders and groups of areas before any of them is planned."""

from dataclasses import dataclass

import shapely

from justbite import tolerances
from justbite.bite.case import Case, levels_of
from justbite.bite.conditions import at_depth
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

    def seconds(self, case: Case, bite: Bite, follows: bool) -> float:
        """How long it takes with a bite of the case, at full bite.

        Where the feed follows it is quicker where the area is narrower than the bite, chips being thinner, and on
        levels that are less deep.
        """
        taken = min(bite.ae, self.width)
        quicker = (bite.ae / taken) ** 0.5 if follows else 1.0
        found = 0.0
        for deep in self.deep:
            levels = levels_of(deep, bite.ap)
            feed = at_depth(case, bite, deep / levels).feed if follows else bite.feed
            found += levels * self.size / (taken * quicker * feed / 60.0)
        return found


def weight_of(job: Job, name: str, deep: tuple[float, ...]) -> Weight:
    """An area of a job, of which `deep` is what `sections` tells."""
    fresh = fresh_shape(job, job.region(name), tolerances.CHORD)
    size = max(fresh.area, LEAST_SIZE)
    return Weight(size, 2.0 * size / max(float(shapely.length(fresh)), 1.0), deep)
