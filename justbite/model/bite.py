"""The bite of an operation with its ceilings, as the solver hands it on."""

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Ceiling:
    """A limit: value and ceiling in `unit`, share used (1 = full), whether it binds."""

    name: str
    value: float
    ceiling: float
    unit: str
    share: float
    binds: bool
    estimate: bool = False
    """Shown, but neither kept nor broken: what it rests on was not measured."""

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True, slots=True)
class Bite:
    """Cutting conditions: lengths mm, angles degrees, feed mm/min, speed rpm."""

    ae: float
    ap: float
    steps: int
    angle: float
    speed: float
    cutting_speed: float
    feed: float
    feed_per_tooth: float
    chip_mean: float
    chip_most: float
    removal_rate: float
    """cm3/min"""
    power: float
    """kW drawn by the drive."""
    torque: float
    deflection: float
    entry_feed: float
    axial_contact: float
    pinned: tuple[str, ...]
    ceilings: tuple[Ceiling, ...]
    ripple: float
    """(most - least) over mean torque in a turn."""
    best_removal_rate: float
    """cm3/min: the best that the ceilings allow with nothing pinned."""
    basis: str = "catalogue"
    """Whose cutting speed and chip these are."""

    def as_dict(self) -> dict[str, Any]:
        return {**asdict(self), "ceilings": [c.as_dict() for c in self.ceilings]}
