"""The job file: one JSON document that holds a whole job (format justbite-job, version 1).

Frozen pydantic models; `justbite.model.parse` makes them from JSON, in millimetres, and turns any fault into plain
sentences.
"""

from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from justbite.model.kept import Kept

INCH = 25.4
ROUGHERS = ("flat_end_mill", "bull_nose_end_mill")
"""Kinds of cutter that roughing is planned for; the corner radius of a bull nose stands on the floor."""
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Share = Annotated[float, Field(gt=0, le=1)]
Angle = Annotated[float, Field(gt=0, lt=45)]
Number = Annotated[float, Field(allow_inf_nan=False)]
Vertex = Annotated[tuple[Number, ...], Field(min_length=2, max_length=3)]
"""x, y and, on request, the bulge of the stretch to the next point."""


class Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Machine(Model):
    name: str
    max_rpm: Positive
    min_rpm: Annotated[float, Field(ge=0)] = 0
    max_feed: Positive
    rapid_feed: Positive
    power_kw: Positive
    efficiency: Share = 0.85
    acceleration: Positive = 4000
    """mm/s2"""
    block_rate: Positive = 500
    """NC blocks per second."""
    torque_nm: Positive
    power_points: list[tuple[Positive, Positive]] = []
    """(rpm, kW) of the drive, rising in rpm; straight between them. Empty: constant torque, then constant power."""
    torque_points: list[tuple[Positive, Positive]] = []
    """(rpm, Nm) at the spindle, rising in rpm."""

    @model_validator(mode="after")
    def _rising(self) -> "Machine":
        for points in (self.power_points, self.torque_points):
            if any(a[0] >= b[0] for a, b in pairwise(points)):
                raise ValueError("the points of a curve must rise in speed")
        return self


class Material(Model):
    """Cutting data of a work material; sources stand beside the figures in the catalogue."""

    name: str
    group: Literal["P", "M", "K", "N", "S", "H"]
    kc11: Positive
    """Specific cutting force at 1 mm chip thickness and width, N/mm2."""
    mc: Annotated[float, Field(ge=0, lt=1)]
    cutting_speed: Positive
    """m/min, carbide, side milling with a thin chip."""
    chip_share: Positive
    """Wanted mean chip thickness as a share of D."""
    most_chip_share: Positive
    """Thickest chip a tooth bears, as a share of D."""
    most_bite_share: Annotated[float, Field(gt=0, le=1)] = 0.3
    """Largest radial depth for constant-engagement roughing, share of D."""
    ramp_angle: Angle = 2.5
    """Steepest way down of a cutter that no angle is recommended for, degrees."""
    slot_share: Annotated[float, Field(gt=0, le=2)] | None = None
    """Deepest stroke at full width at this cutting speed, share of D; None: as is usual in the group."""
    hardness: Positive | None = None
    """Brinell, for finding what is most like it; None: not told."""


class Dynamics(Model):
    """One mode at the tool point."""

    frequency: Positive
    """Hz"""
    stiffness: Positive
    """N per micrometre, which is MN/m."""
    damping: Annotated[float, Field(gt=0, lt=1)]
    """Share of critical."""


class CutValues(Model):
    """What somebody recommends for one cutter in one material: preferred to the catalogue's figures."""

    material: Annotated[str, Field(min_length=1)]
    """A material's name or id, or a group of ISO 513 (P, M, K, N, S, H)."""
    cutting_speed: Positive
    """m/min"""
    feed_per_tooth: Positive
    """mm, at the radial depth `at_share`."""
    at_share: Share = 0.5
    """Radial depth that the feed per tooth is meant for, share of D."""
    ramp_angle: Angle | None = None
    """Steepest way down, degrees; None: the material's."""
    source: str = ""
    """Who says so."""


class Tool(Model):
    number: Annotated[int, Field(ge=1)]
    name: str = ""
    kind: Literal[
        "flat_end_mill", "bull_nose_end_mill", "ball_end_mill", "chamfer_mill", "drill", "face_mill", "radius_mill"
    ] = "flat_end_mill"
    diameter: Positive
    flutes: Annotated[int, Field(ge=1, le=20)]
    flute_length: Positive
    stickout: Positive
    helix_angle: Annotated[float, Field(ge=0, lt=70)] = 35
    corner_radius: Annotated[float, Field(ge=0)] = 0
    substrate: Literal["carbide", "hss"] = "carbide"
    rake_angle: Annotated[float, Field(gt=-30, lt=40)] = 8
    """Degrees."""
    point_angle: Annotated[float, Field(gt=0, le=180)] | None = None
    """Degrees at the tip of a drill or chamfer mill."""
    holder_diameter: Positive | None = None
    holder_length: Positive | None = None
    dynamics: tuple[Dynamics, Dynamics] | None = None
    """Measured at the tool point along and across the feed; None: estimated from the geometry."""
    centre_cutting: bool = False
    """Whether its teeth reach its middle: only then it may be fed straight down."""
    values: list[CutValues] = []
    """Recommendations for this cutter, by material."""

    @model_validator(mode="after")
    def _sound(self) -> "Tool":
        if self.flute_length > self.stickout:
            raise ValueError("the flutes are longer than the stick-out; give the longer stick-out")
        if self.corner_radius > self.diameter / 2:
            raise ValueError("the corner radius is larger than half the diameter")
        return self


class Box(Model):
    min: tuple[Number, Number, Number]
    max: tuple[Number, Number, Number]

    @model_validator(mode="after")
    def _sound(self) -> "Box":
        if any(a >= b for a, b in zip(self.min, self.max, strict=True)):
            raise ValueError("the stock has no size: each max must be larger than its min")
        return self


class Cylinder(Model):
    """Round stock. Axis Z: `centre` is X and Y. Axis X: `centre` is Y and Z."""

    axis: Literal["x", "z"] = "z"
    centre: tuple[Number, Number]
    diameter: Positive
    low: Number
    """Lower end along the axis."""
    high: Number

    @model_validator(mode="after")
    def _sound(self) -> "Cylinder":
        if self.low >= self.high:
            raise ValueError("the round stock has no length: its high end must lie above its low end")
        return self


class Prism(Model):
    """Stock of one outline from `bottom` to `top`: a casting, a bar, an earlier cut."""

    outline: Annotated[list[Vertex], Field(min_length=2)]
    islands: list[Annotated[list[Vertex], Field(min_length=2)]] = []
    """Holes in it."""
    bottom: Number
    top: Number

    @model_validator(mode="after")
    def _sound(self) -> "Prism":
        if self.bottom >= self.top:
            raise ValueError("the stock has no height: its top must lie above its bottom")
        return self


class Stock(Model):
    """The stock, given in one way. `terraces` stand in each other: where several cover a place, the highest counts."""

    box: Box | None = None
    cylinder: Cylinder | None = None
    outline: Prism | None = None
    terraces: Annotated[list[Prism], Field(min_length=1)] | None = None

    @model_validator(mode="after")
    def _one(self) -> "Stock":
        given = [v for v in (self.box, self.cylinder, self.outline, self.terraces) if v is not None]
        if len(given) != 1:
            raise ValueError("give the stock in one way: as box, cylinder, outline or terraces")
        return self


class KeepOut(Model):
    """Where the cutter must not go: a clamp, a jaw. In millimetres of height from `bottom` to `top`."""

    name: str
    outline: Annotated[list[Vertex], Field(min_length=2)]
    bottom: Number | None = None
    """None: down to the table."""
    top: Number


class Setup(Model):
    """How the part lies on the machine; coordinates of the job are those of its datum."""

    name: str = "Setup 1"
    work_offset: Annotated[str, Field(pattern=r"^G5[4-9](\.\d+)?( P\d+)?$")] = "G54"
    datum: str = ""
    """Where the datum is, in words for the operator."""


class DrilledHole(Model):
    """A hole that is drilled into an area before it is cut: the cutter comes down in it."""

    at: tuple[Number, Number]
    diameter: Positive
    bottom: Number | None = None
    """Z down to which it is as wide as that, its point not counted; None: to the floor of the area."""


class Region(Model):
    name: str
    outline: Annotated[list[Vertex], Field(min_length=2)]
    islands: list[Annotated[list[Vertex], Field(min_length=2)]] = []
    open_edges: Literal["all"] | list[Annotated[int, Field(ge=0)]] = []
    top: Number = 0
    bottom: Number
    floors: list[Number] = []
    """Heights in between that get a level of their own."""
    after: list[str] = []
    """Areas that are cut, or were there, before: what their outlines cover is gone."""
    start: tuple[Number, Number] | None = None
    """x, y where the cutter is to go in; None: where it is quickest."""
    drilled: list[DrilledHole] = []
    """Holes that are drilled before; nothing else is said to be gone by them than what they are."""
    standing: list[Annotated[list[Vertex], Field(min_length=3)]] = []
    """What stands beyond its open edges, higher than its floor: walls. Of a job on a part it is found there."""
    uncut: list[Annotated[list[Vertex], Field(min_length=3)]] = []
    """Stock beyond its open edges that no area cuts: cut with this one, as deep. Of a job on a part it is found."""
    over_slope: Annotated[float, Field(ge=0)] = 0
    """How far the part's surface may lie below its floor: of a step that climbs a slope. It is not told as standing."""
    feature: dict[str, Any] | None = None
    """What it was made from, for the screens; the planner does not look at it."""

    @model_validator(mode="after")
    def _sound(self) -> "Region":
        if self.bottom >= self.top:
            raise ValueError(
                f"the bottom ({self.bottom:g}) is not below the top ({self.top:g}); give the bottom as a lower Z"
            )
        if any(h.bottom is not None and h.bottom >= self.top for h in self.drilled):
            raise ValueError("a drilled hole must end below the top of the area")
        if any(not self.bottom < z < self.top for z in self.floors):
            raise ValueError("a floor in between must lie above the bottom and below the top")
        if isinstance(self.open_edges, list):
            wrong = [e for e in self.open_edges if e >= len(self.outline)]
            if wrong:
                raise ValueError(f"open edge {wrong[0]} does not exist; the outline has {len(self.outline)} edges")
        return self


class BiteWish(Model):
    """The bite asked for, in one of three ways."""

    ae: Positive | None = None
    share: Annotated[float, Field(gt=0)] | None = None
    """Share of D, 0 to 1."""
    angle: Annotated[float, Field(gt=0)] | None = None
    """Engagement angle, degrees."""

    @model_validator(mode="after")
    def _one(self) -> "BiteWish":
        given = [v for v in (self.ae, self.share, self.angle) if v is not None]
        if len(given) != 1:
            raise ValueError("give the bite once: as ae, as share or as angle")
        return self


class Allowance(Model):
    wall: Annotated[float, Field(ge=0)] = 0
    floor: Annotated[float, Field(ge=0)] = 0


class Operation(Model):
    name: str
    kind: Literal["rough"] = "rough"
    regions: Annotated[list[str], Field(min_length=1)]
    tool: int
    bite: BiteWish | None = None
    step_down: Positive | None = None
    speed: Positive | None = None
    feed: Positive | None = None
    reserve: Annotated[float, Field(ge=0, le=0.6)] = 0
    """Share of every load ceiling held back."""
    allowance: Allowance = Allowance()
    tolerance: Annotated[float, Field(gt=0, le=1)] = 0.02
    follow_bite: bool = True
    """Whether the feed rises where the path takes less than the bite."""
    hover: Annotated[float, Field(gt=0)] = 0.3
    return_feed: Positive | None = None
    entry: Literal["auto", "helix", "ramp", "plunge"] = "auto"
    """How the cutter gets down; auto: from outside where there is air, else by a helix, else a ramp."""
    order: Literal["areas", "levels"] = "areas"
    """Whether each area is cut to its floor before the next, or all areas level by level."""
    conventional: Annotated[float, Field(ge=0, le=1)] = 0
    """Bite of cuts in the other direction (conventional milling), share of the bite; 0: climb milling only."""


_BY_NAME = Kept(8)


class Job(Model):
    format: Literal["justbite-job"]
    version: Literal[1]
    name: str
    units: Literal["mm", "in"] = "mm"
    machine: Machine | str
    material: Material | str
    tools: Annotated[list[Tool], Field(min_length=1)]
    stock: Stock
    setup: Setup = Setup()
    part: dict[str, Any] | None = None
    """Which part, and how it was placed, for the screens; the planner does not look at it."""
    keep_outs: list[KeepOut] = []
    regions: Annotated[list[Region], Field(min_length=1)]
    operations: Annotated[list[Operation], Field(min_length=1)]
    travel_height: Number | None = None
    """Safe Z for rapids; 10 mm above the stock when left out."""
    approach_gap: Positive = 1.0

    def region(self, name: str) -> Region:
        # Kept beside the job, not in it: a copy with other regions would take them along.
        return _BY_NAME.get(self, "regions", lambda: {r.name: r for r in reversed(self.regions)})[name]

    def tool(self, number: int) -> Tool:
        return next(t for t in self.tools if t.number == number)
