"""Features: what was found on a part for one way of looking at it, before anything is accepted."""

from dataclasses import asdict, dataclass, field
from typing import Any, Literal

from justbite.model.drawing import Vertices

Kind = Literal[
    "top face", "boss top", "pocket", "half-open pocket", "through pocket", "slot", "half-open slot", "hole",
    "terrace step", "outside", "slice", "outline",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Feature:
    """One place to cut, in job coordinates (mm), with top and bottom from the model."""

    key: str
    """Kind and place: the same on a part that changed elsewhere."""
    kind: Kind
    name: str
    outline: Vertices
    islands: tuple[Vertices, ...]
    open_edges: tuple[int, ...]
    top: float
    bottom: float
    area: float
    """mm2, islands taken off."""
    inside_radius: float | None
    """Smallest radius of an inside corner of its walls; 0: sharp; None: no inside corner."""
    narrowest: float | None
    """Width of the narrowest place that belongs to it, mm; None where nothing bounds it."""
    largest_cutter: float | None
    """Diameter of the largest cutter that still reaches everything but sharp corners; None: any does."""
    layer: str = ""
    diameter: float | None = None
    """Of a hole."""
    through: bool = False
    note: str = ""
    layer_depth: float | None = None
    """Depth in mm that the name of a drawing's layer ends with: an offer, never taken silently."""
    after: tuple[str, ...] = ()
    """Names of features that must be cut first: its open edges lead into them."""
    over_slope: float = 0.0
    """mm that the part's surface may lie below its bottom: of a step on a slope."""
    group: str = ""
    """What its steps have in common: the slope that they climb, or the wall."""

    @property
    def depth(self) -> float:
        return self.top - self.bottom

    def as_dict(self) -> dict[str, Any]:
        return {**asdict(self), "depth": self.depth}


@dataclass(frozen=True, slots=True)
class Detail:
    """A chamfer, a fillet or a rounded edge: told, not cut."""

    kind: Literal["chamfer", "fillet", "inside corner", "rounded edge"]
    size: float
    """Width of a chamfer across its face seen from above, else the radius; mm."""
    count: int
    places: tuple[tuple[float, float, float], ...] = field(default=())


@dataclass(frozen=True, slots=True)
class Features:
    """All that was found."""

    features: tuple[Feature, ...]
    details: tuple[Detail, ...]
    levels: tuple[float, ...]
    """Heights of level floors, highest first."""
    bounds: tuple[tuple[float, float, float], tuple[float, float, float]]
    """Of the part, in job coordinates."""
