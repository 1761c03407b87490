"""The blank that a drawn part begins as: a block or a round, and where on it there is room for another feature."""

import numpy as np

from justbite import solids
from justbite.solids import Solid

Random = np.random.Generator
LESS = 0.05
"""mm that features keep from each other's heights, so that no two surfaces lie in one by chance alone."""


class Blank:
    """A solid that features are put on."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.width, self.depth = (float(v) for v in random.uniform(35, 120, 2).round(1))
        self.height = round(float(random.uniform(10, 32)), 1)
        self.solid: Solid = solids.block((0, 0, 0), (self.width, self.depth, self.height))
        if random.random() < 0.2:
            self.depth = self.width
            half = self.width / 2
            self.solid = solids.cylinder(half, half, half, 0, self.height)
        self.taken: list[tuple[float, float, float, float]] = []

    def length(self, low: float, high: float) -> float:
        """A length, in tenths of a mm."""
        return round(float(self.random.uniform(low, high)), 1)

    def spot(self, wide: float, long: float) -> tuple[float, float]:
        """Where a thing of that size lies, its low corner; seldom over others."""
        for _ in range(12):
            x = self.length(2.0, max(2.1, self.width - wide - 2.0))
            y = self.length(2.0, max(2.1, self.depth - long - 2.0))
            if all(x > b + 1 or x + wide < a - 1 or y > d + 1 or y + long < c - 1 for a, b, c, d in self.taken):
                break
        self.taken.append((x, x + wide, y, y + long))
        return x, y

    def floor(self, least: float = 0.15, most: float = 0.8) -> float:
        """The height of a floor."""
        return round(self.height * (1.0 - float(self.random.uniform(least, most))) + LESS * len(self.taken), 2)

    def cut(self, *tools: Solid) -> None:
        """Take them off."""
        self.solid = solids.cut(self.solid, *tools)
