"""What all levels of an operation have in common, and how one of them is made into moves and timed."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from shapely.geometry.base import BaseGeometry

from justbite.model.moves import Moves
from justbite.model.shapes import SAME
from justbite.path.blocks import MovesBuilder
from justbite.path.level import PartPath
from justbite.path.links import Speeds
from justbite.path.program import FeedLaw, Feeds, Heights, add_level
from justbite.path.works import Work

Clock = Callable[[Moves], float]
"""Seconds that moves take on the machine, from rest to rest."""


@dataclass(frozen=True, slots=True)
class Level:
    """What is done from `above`, the surface before it, down to `z`."""

    above: float
    z: float
    paths: list[PartPath]
    roomy: BaseGeometry
    """Where the cutter comes down well clear of walls."""


@dataclass(frozen=True, slots=True)
class Shallower:
    """Feeds and laws on levels that are less deep, told for each depth that there is."""

    told: tuple[tuple[float, float, FeedLaw], ...]
    """mm, mm/min, law."""

    def __call__(self, deep: float) -> tuple[float, FeedLaw]:
        """For a level that is so many mm deep."""
        return next((feed, law) for own, feed, law in self.told if own == deep)


@dataclass(frozen=True, slots=True)
class Terms:
    """What all levels of an operation have in common; mm."""

    clock: Clock
    ae: float
    aim: float
    """The radial depth that passes are held to: `ae`, or a little less."""
    step: float
    """A level is no deeper."""
    heights: Heights
    feeds: Feeds
    tolerance: float
    radius: float
    clearance: float
    rounding: float
    """How much corners may be rounded off."""
    shallow: Callable[[float], tuple[float, FeedLaw]] | None = None
    """Feed and law on levels that are only so many mm deep."""

    def add(self, out: MovesBuilder, level: "Level") -> None:
        """Append one level."""
        self._level(out, level.paths, level.above, level.z, replace(self.heights, roomy=level.roomy))

    def _level(self, out: MovesBuilder, paths: list[PartPath], above: float, z: float, heights: Heights) -> None:
        feeds = self.feeds
        if self.shallow is not None and self._is_shallow(above, z):
            cut, law = self.shallow(_deep(above, z))
            feeds = replace(feeds, cut=cut, follow=law, grazing=law)
        add_level(out, paths, above, z, self.ae, heights, feeds, self.tolerance, self.radius)

    def _is_shallow(self, above: float, z: float) -> bool:
        return above - z < self.step - SAME

    def of(self, work: Work) -> "Terms":
        """For one work, in numbers: of how feeds suit levels that are less deep no more than it asks for."""
        if self.shallow is None:
            return self
        levels = list(pairwise((work.top, *work.levels(self.step))))
        deep = sorted({_deep(above, z) for above, z in levels if self._is_shallow(above, z)})
        return replace(self, shallow=Shallower(tuple((own, *self.shallow(own)) for own in deep)))

    def seconds(self, paths: Sequence[PartPath], work: Work) -> float:
        """How long a plan's first level takes, or where levels are not alike one of them on average.

        What is fitted for one is so for all.
        """
        if not paths:
            return math.inf
        levels, own = work.levels(self.step), list(paths)
        # A hole may end on the way down.
        alike = all(path.entry.hole is None or path.entry.hole.bottom < levels[-1] + SAME for path in own)
        told = [(work.top, levels[0])] if alike else list(pairwise((work.top, *levels)))
        out = MovesBuilder(np.array([*own[0].entry.points[0], self.heights.travel]))
        for above, z in told:
            self._level(out, own, above, z, self.heights)
        return self.clock(out.build()) / len(told)

    @property
    def speeds(self) -> Speeds:
        """What links are shaped for."""
        return Speeds(self.feeds.cut / 60.0, self.feeds.link / 60.0, self.feeds.acceleration, self.rounding)

    @property
    def stop(self) -> float:
        """Off to the speed of returns and back costs v/a more than going on at it; mm of cut."""
        return self.feeds.cut / 60.0 * self.feeds.link / 60.0 / self.feeds.acceleration


def _deep(above: float, z: float) -> float:
    """mm that a level is deep, as feeds are told for it."""
    return round(above - z, 6)
