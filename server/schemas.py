"""What the API takes and hands back, by name; the browser's types are made from these."""

from typing import Any, Literal

from ninja import Schema


class Fault(Schema):
    """What is wrong, as sentences."""

    faults: list[str]


class PlanOut(Schema):
    id: int
    state: str
    progress: float
    doing: str
    sentence: str
    fresh: bool
    """Whether it belongs to the job as it now stands."""
    report: dict[str, Any] | None


class JobLine(Schema):
    id: int
    name: str
    updated: str
    seconds: float | None
    state: str
    findings: int
    picture: dict[str, Any]


class JobOut(Schema):
    id: int
    revision: int
    document: dict[str, Any]
    picture: dict[str, Any]
    plan: PlanOut | None


class Document(Schema):
    document: dict[str, Any]


class BiteIn(Schema):
    document: dict[str, Any]
    operation: int


class BiteOut(Schema):
    bite: dict[str, Any]


class OperationsOut(Schema):
    operations: list[dict[str, Any]]


class ReliefOut(Schema):
    ceiling: str
    change: str
    gain: float
    sentence: str


class BorderOut(Schema):
    name: str
    points: list[tuple[float, float]]
    hard: bool


class StepRow(Schema):
    steps: int
    ap: float


class ContactLine(Schema):
    number: int
    ap: float


class ChartOut(Schema):
    ae: list[float]
    ap: list[float]
    removal: list[list[float]]
    borders: list[BorderOut]
    rows: list[StepRow]
    contact: list[ContactLine]
    chatter: list[tuple[float, float]]
    chatter_estimated: bool
    best: tuple[float, float]
    lobes: list[tuple[float, float]]


class QuantityIn(Schema):
    text: str
    kind: str
    units: str = "mm"


class QuantityOut(Schema):
    value: float
    metric: str
    inch: str


class Picture(Schema):
    picture: dict[str, Any]


class BodyOut(Schema):
    name: str
    size: tuple[float, float, float]
    volume: float
    triangles: int


class PartOut(Schema):
    id: int
    name: str
    state: str
    sentence: str
    source: Literal["solid", "mesh", "drawing"] | None
    units: str
    units_known: bool
    bodies: list[BodyOut]
    findings: list[dict[str, Any]]


class StockPicture(Schema):
    min: tuple[float, float, float]
    max: tuple[float, float, float]
    outlines: list[list[tuple[float, float]]]


class FeatureOut(Schema):
    key: str
    kind: str
    name: str
    layer: str
    open_edges: list[int]
    top: float
    bottom: float
    depth: float
    area: float
    inside_radius: float | None
    narrowest: float | None
    largest_cutter: float | None
    diameter: float | None
    through: bool
    note: str
    layer_depth: float | None
    after: list[str]
    over_slope: float
    group: str
    outline: list[tuple[float, float, float]]
    islands: list[list[tuple[float, float, float]]]
    drawn: list[list[tuple[float, float]]]
    """Per edge of the outline its polyline."""
    drawn_islands: list[list[tuple[float, float]]]
    region: dict[str, Any] | None


class DetailOut(Schema):
    kind: str
    size: float
    count: int


class LayoutOut(Schema):
    matrix: list[list[float]]
    stock: dict[str, Any]
    stock_picture: StockPicture
    bounds: tuple[tuple[float, float, float], tuple[float, float, float]]
    levels: list[float]
    features: list[FeatureOut]
    details: list[DetailOut]
    edges: list[list[tuple[float, float, float]]]


class PlacingIn(Schema):
    placing: dict[str, Any]


class SliceIn(PlacingIn):
    z: float


class Pick(Schema):
    x: float
    y: float
    follow: Literal["height", "tangent"] = "height"
    within: float = 2.0


class ChainIn(PlacingIn):
    pick: Pick


class ChainOut(Schema):
    points: list[tuple[float, float]]
    z: float
    closed: bool
    gap: float


class ChainAreaIn(ChainIn):
    bottom: float
    bridge: bool = False
    width: float | None = None
    """Given: the strip beside the chain, not the area inside it."""
    right: bool = False


class AreaIn(Schema):
    outline: list[list[float]]
    islands: list[list[list[float]]]
    open_edges: Literal["all"] | list[int]
    top: float
    bottom: float


class MergeIn(Schema):
    areas: list[AreaIn]


class SplitIn(Schema):
    area: AreaIn
    a: tuple[float, float]
    b: tuple[float, float]


class NewPartIn(Schema):
    part: int


class ChangedOut(Schema):
    job: JobOut
    findings: list[dict[str, Any]]


class Limits(Schema):
    """Per area the outlines of where the cutter's centre may go."""

    areas: dict[str, list[list[tuple[float, float]]]]


class EntryIn(Schema):
    data: dict[str, Any]


class EntryOut(Schema):
    id: int


class NearestOut(Schema):
    id: str | None


class Taken(Schema):
    count: int


class Stores(Schema):
    materials: list[dict[str, Any]]
    tools: list[dict[str, Any]]
    machines: list[dict[str, Any]]
