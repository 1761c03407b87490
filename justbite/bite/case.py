"""What the solver works on: who cuts what with what, how deep, over which levels, with which pins."""

import math
from dataclasses import dataclass

from justbite.bite import engagement
from justbite.bite.known import KnownPath, Sections
from justbite.bite.preferred import preferred
from justbite.model.job import Machine, Material, Operation, Tool

HSS_SPEED = 0.3
"""Cutting speed of high-speed steel as a share of carbide's (common practice)."""
SLOT_DEPTHS = {"N": 1.0, "P": 0.25, "K": 0.25, "M": 0.2, "S": 0.15, "H": 0.1}
"""Depth over D by ISO 513 group that a full width is given at the cutting speed of a small bite. Common practice, no
source: slots in steel are given a half to one D at two thirds of that speed; half of that and less here, as the speed
stays."""
WIDE_DEPTHS = {"N": 1.0, "P": 0.5, "K": 0.5, "M": 0.2, "S": 0.15, "H": 0.1}
"""Depth over D by group down to which it may be taken wider than a bite of constant engagement. Common practice, no
source: a cutter's side is given half of D to 0.7 D where it goes a half to one D deep, slower than a thin bite; here
twice what a slot is given in steel and iron, where the speed stays, and no more than that in what hardens or keeps the
heat."""
WIDE = {"N": 0.7, "P": 0.7, "K": 0.7, "M": 0.5, "S": 0.5}
"""Radial depth over D by group that is taken there; in others none is wider. Common practice, no source: 60 to 80 % of
the cutter on faces, half of it where it hardens as it is cut or heat stays in the edge."""
NARROWER, NARROWER_IN = 0.4, {"S": 1.0}
"""How much narrower a bite becomes for every mm that it is deeper than that. Common practice, no source, told from
memory: sides one D deep are cut half of D wide in steel, and 1.5 D deep in aluminium. At 1.6 D in steel and 2 D in
aluminium nothing but the bite of constant engagement is left. Faster by group where heat stays in the edge."""
SLOT_SPEED, SLOT_SPEED_IN = 0.6, {"S": 0.45}
"""Cutting speed at the full width over that of a small bite (common practice), and by group where it is another; in
between by the engagement angle. Titanium, told from memory: 60 m/min at half of D, 45 at most in a slot; nickel alloys
25 to 30 at half of D."""


@dataclass(frozen=True, slots=True)
class Case:
    """What the solver works on: who cuts what with what, how deep, with which pins."""

    tool: Tool
    material: Material
    machine: Machine
    depth: float
    """Depth to clear in all, mm."""
    ae: float | None = None
    ap: float | None = None
    speed: float | None = None
    feed: float | None = None
    reserve: float = 0.0
    path: KnownPath | None = None
    """What an earlier path of this operation was like; with it the fewest minutes are chosen."""
    basis: str = "catalogue"
    """Whose cutting speed and chip these are: the catalogue's, or what was entered for this cutter."""
    full_speed: bool = False
    """Whether the cutting speed is meant for this very cutter, whatever it is made of."""
    areas: tuple[Sections, ...] = ()
    """What the levels are shared out over; empty: one area, `depth` deep from top to bottom."""
    stands: float = math.inf
    """mm that what is to be cut stands wide before open edges, at most: any wider bite takes it at once."""

    @property
    def wanted_speed(self) -> float:
        """Cutting speed, m/min."""
        own = self.full_speed or self.tool.substrate != "hss"
        return self.material.cutting_speed * (1.0 if own else HSS_SPEED)

    @property
    def depths(self) -> tuple[Sections, ...]:
        """The areas, one at least; of a known path those that were cut."""
        cut = self.path.areas if self.path is not None else ()
        return cut or self.areas or ((1.0, (self.depth,)),)

    def step(self, most: float) -> float:
        """mm of the deepest level where none is deeper than `most`, all of a section being equal."""
        return max(d / levels_of(d, most) for _, deep in self.depths for d in deep)

    def steps(self, most: float) -> int:
        """How many levels the area with most of them has."""
        return max(sum(levels_of(d, most) for d in deep) for _, deep in self.depths)

    def levels(self, step: float) -> float:
        """How many levels no deeper than `step` there are, on average over the areas' size."""
        whole = sum(size * sum(levels_of(d, step) for d in deep) for size, deep in self.depths)
        return whole / sum(size for size, _ in self.depths)

    def fill(self, step: float) -> float:
        """How deep levels are on average over all areas, over the deepest, `step`."""
        whole = sum(size * sum(deep) for size, deep in self.depths)
        return whole / sum(size for size, _ in self.depths) / (step * self.levels(step))

    @property
    def most_bite(self) -> float:
        """Largest radial depth, mm: the material's, or wider where all that is cut is shallow.

        As wide as WIDE down to WIDE_DEPTHS, and from there on less by NARROWER. Where the material's own slots are
        given less than those depths, all depths count for as much more.
        """
        diameter, own, group = self.tool.diameter, self.material.most_bite_share, self.material.group
        usual = WIDE_DEPTHS[group]
        shallow = min(usual, self.material.slot_share or usual)
        deepest = max(d for _, deep in self.depths for d in deep) / diameter * usual / shallow
        wide = WIDE.get(group, own) - NARROWER_IN.get(group, NARROWER) * max(0.0, deepest - usual)
        return max(own, wide) * diameter

    def speed_share(self, angle: float) -> float:
        """Cutting speed at an engagement of `angle` radians over that of a small bite: less where it is wide."""
        own = engagement.angle_of(self.material.most_bite_share * self.tool.diameter, self.tool.diameter)
        if angle <= own or self.most_bite <= self.material.most_bite_share * self.tool.diameter:
            return 1.0
        return 1.0 - (1.0 - self.slot_speed) * (angle - own) / (math.pi - own)

    @property
    def slot_speed(self) -> float:
        """Cutting speed at the full width over that of a small bite."""
        return SLOT_SPEED_IN.get(self.material.group, SLOT_SPEED)

    @property
    def pinned(self) -> tuple[str, ...]:
        return tuple(k for k in ("ae", "ap", "speed", "feed") if getattr(self, k) is not None)


def levels_of(depth: float, most: float) -> int:
    return max(1, math.ceil(depth / most - 1e-9))


def case_of(operation: Operation, tool: Tool, material: Material, machine: Machine, depth: float,
            material_id: str = "") -> Case:  # fmt: skip
    """The case of an operation whose deepest area is `depth` deep."""
    wish = operation.bite
    values, basis = preferred(tool, material, material_id)
    return Case(
        tool=tool,
        material=values,
        basis=basis,
        full_speed=values is not material,
        machine=machine,
        depth=depth,
        ae=engagement.wished_depth(wish, tool.diameter) if wish else None,
        ap=operation.step_down,
        speed=operation.speed,
        feed=operation.feed,
        reserve=operation.reserve,
    )
