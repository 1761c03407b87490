"""The job file: one JSON document that holds a whole job (format justbite-job, version 1).

Frozen pydantic models; `load_job` turns any fault into plain sentences. Lengths are in the
file's units until `load_job` has made them millimetres.
"""

import json
from collections.abc import Callable
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from justbite.errors import JobError

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
    feature: dict[str, Any] | None = None
    """What it was made from, for the screens; the planner does not look at it."""

    @model_validator(mode="after")
    def _sound(self) -> "Region":
        if self.bottom >= self.top:
            raise ValueError(
                f"the bottom ({self.bottom:g}) is not below the top ({self.top:g}); give the bottom as a lower Z"
            )
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
        return next(r for r in self.regions if r.name == name)

    def tool(self, number: int) -> Tool:
        return next(t for t in self.tools if t.number == number)


def load_job(text: str | bytes) -> Job:
    """A job from JSON text, in millimetres. Raises JobError with one sentence per fault."""
    try:
        data = json.loads(text)
    except (ValueError, UnicodeDecodeError) as error:
        raise JobError(f"The job file is not JSON: {error}.") from None
    return parse_job(data)


def parse_job(data: Any) -> Job:
    """A job from decoded JSON, in millimetres. Raises JobError with one sentence per fault."""
    if not isinstance(data, dict) or data.get("format") != "justbite-job":
        raise JobError('This is not a job file: "format" must be "justbite-job".')
    try:
        job = Job.model_validate(data)
    except ValidationError as error:
        raise JobError.of([_sentence(e, data) for e in error.errors()]) from None
    faults = _cross_faults(job)
    if faults:
        raise JobError.of(faults)
    return job if job.units == "mm" else in_millimetres(job)


def parse_region(data: dict[str, Any]) -> Region:
    """One region from decoded JSON. Raises JobError with one sentence per fault."""
    try:
        return Region.model_validate(data)
    except ValidationError as error:
        raise JobError.of([_sentence(e, data) for e in error.errors()]) from None


def _sentence(error: Any, data: dict[str, Any]) -> str:
    """One plain sentence for a pydantic error, with the place named as a person would."""
    place: list[str] = []
    here: Any = data
    for step in error["loc"]:
        if isinstance(step, int) and isinstance(here, list) and step < len(here):
            here = here[step]
            name = here.get("name") or here.get("number") if isinstance(here, dict) else None
            place.append(f'"{name}"' if name else str(step + 1))
        elif isinstance(here, dict) and step in here:
            here = here[step]
            place.append(str(step).replace("_", " "))
        elif error["type"] == "missing":
            place.append(str(step).replace("_", " "))
    where = ", ".join(place) or "job"
    given = error.get("input")
    said = error["msg"].removeprefix("Value error, ")
    if error["type"] == "missing":
        return f"{where}: this value is missing."
    if isinstance(given, str | int | float) and not isinstance(given, bool):
        said = said.removeprefix("Input ").replace("should", "must")
        return f"{where}: {given!r} will not do; it {said}."
    return f"{where}: {said}."


def _cross_faults(job: Job) -> list[str]:
    """Faults between the parts of a job: names and numbers that must match, bites too large."""
    faults = []
    numbers = [t.number for t in job.tools]
    for number in sorted({o.tool for o in job.operations}):
        own = [t for t in job.tools if t.number == number]
        if any(t != own[0] for t in own[1:]):
            # An operation could not tell which of them it means; otherwise it is only a finding.
            faults.append(f"tools: tool number {number} is used for {len(own)} different cutters; give each its own.")
    names = [r.name for r in job.regions]
    for name in sorted({n for n in names if names.count(n) > 1}):
        faults.append(f'regions: the name "{name}" is used twice; rename one.')
    for region in job.regions:
        for name in region.after:
            if name not in names or name == region.name:
                faults.append(f'regions, "{region.name}": there is no other area called "{name}" to come before it.')
    for operation in job.operations:
        where = f'operations, "{operation.name}"'
        for name in operation.regions:
            if name not in names:
                faults.append(f'{where}: there is no region called "{name}".')
        if operation.tool not in numbers:
            faults.append(f"{where}: there is no tool {operation.tool} in the list.")
            continue
        kind = job.tool(operation.tool).kind
        if kind not in ROUGHERS:
            faults.append(
                f"{where}: tool {operation.tool} is a {kind.replace('_', ' ')}; roughing takes a flat or a bull-nose"
                " end mill. Choose another cutter."
            )
        bite = operation.bite
        if bite is not None:
            diameter = job.tool(operation.tool).diameter
            share = bite.share or (bite.ae or 0) / diameter
            if share > 1 or (bite.angle or 0) > 180:
                faults.append(
                    f"{where}: a bite above 100 % of the cutter's diameter ({diameter:g}) cannot be"
                    " taken; give a smaller one."
                )
    return faults


def in_millimetres(job: Job) -> Job:
    """The job with every length and feed of an inch file made millimetres.

    Machines keep mm/min, kW and Nm: a machine is described once, whatever the drawing's units.
    """

    def points(ring: list[Vertex]) -> list[list[float]]:
        return [[p[0] * INCH, p[1] * INCH, *p[2:]] for p in ring]

    data = job.model_dump()
    data["units"] = "mm"
    for tool in data["tools"]:
        for key in ("diameter", "flute_length", "stickout", "corner_radius", "holder_diameter", "holder_length"):
            if tool[key] is not None:
                tool[key] *= INCH
        for values in tool["values"]:
            values["feed_per_tooth"] *= INCH
    data["stock"] = _stock_in_millimetres(data["stock"], points)
    for keep_out in data["keep_outs"]:
        keep_out["outline"] = points(keep_out["outline"])
        for key in ("bottom", "top"):
            if keep_out[key] is not None:
                keep_out[key] *= INCH
    for region in data["regions"]:
        region["outline"] = points(region["outline"])
        region["islands"] = [points(ring) for ring in region["islands"]]
        region["top"] *= INCH
        region["bottom"] *= INCH
        if region["start"] is not None:
            region["start"] = [v * INCH for v in region["start"]]
        region["floors"] = [z * INCH for z in region["floors"]]
    for operation in data["operations"]:
        for key in ("step_down", "feed", "tolerance", "hover", "return_feed"):
            if operation[key] is not None:
                operation[key] *= INCH
        for key in ("wall", "floor"):
            operation["allowance"][key] *= INCH
        if operation["bite"] and operation["bite"]["ae"] is not None:
            operation["bite"]["ae"] *= INCH
    for key in ("travel_height", "approach_gap"):
        if data[key] is not None:
            data[key] *= INCH
    return Job.model_validate(data)


def _stock_in_millimetres(stock: dict[str, Any], points: Callable[[list[Vertex]], list[list[float]]]) -> dict[str, Any]:
    if box := stock["box"]:
        stock["box"] = {corner: [v * INCH for v in box[corner]] for corner in ("min", "max")}
    if round_ := stock["cylinder"]:
        round_ |= {key: round_[key] * INCH for key in ("diameter", "low", "high")}
        round_["centre"] = [v * INCH for v in round_["centre"]]
    for prism in [stock["outline"], *(stock["terraces"] or [])]:
        if prism is not None:
            prism["outline"] = points(prism["outline"])
            prism["islands"] = [points(ring) for ring in prism["islands"]]
            prism |= {key: prism[key] * INCH for key in ("bottom", "top")}
    return stock
