"""How a part is laid on the machine: orientation, stock and datum, as wished."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from justbite.model.job import Model, Number, Positive, Vertex

Vector3 = tuple[Number, Number, Number]
Share = Literal["low", "middle", "high"]
Margin = Annotated[float, Field(ge=0, allow_inf_nan=False)]


class Datum(Model):
    """Where X0 Y0 Z0 lies."""

    of: Literal["stock", "part", "point"] = "stock"
    """Corners, edge middles and centre of the stock or the part as seen from above, or a point."""
    x: Share = "low"
    y: Share = "low"
    z: Literal["stock top", "stock bottom", "part top", "part bottom"] = "stock top"
    point: Vector3 | None = None
    """For "point": in the model's own coordinates; its Z is not used."""

    @model_validator(mode="after")
    def _sound(self) -> "Datum":
        if (self.of == "point") != (self.point is not None):
            raise ValueError("a datum at a point needs the point, and only then")
        return self


class Margins(Model):
    """Box stock by what it is larger than the part on each side, mm: low and high of X, Y, Z."""

    kind: Literal["margins"] = "margins"
    x: tuple[Margin, Margin] = (0, 0)
    y: tuple[Margin, Margin] = (0, 0)
    z: tuple[Margin, Margin] = (0, 0)


class Size(Model):
    """Box stock by its size, the part placed in it."""

    kind: Literal["size"] = "size"
    size: tuple[Positive, Positive, Positive]
    off_top: Margin = 0
    """How much of the stock stands above the part."""
    x: Share = "middle"
    y: Share = "middle"


class Round(Model):
    """Round stock about the middle of the part."""

    kind: Literal["round"] = "round"
    axis: Literal["x", "z"] = "z"
    diameter: Positive
    length: Positive | None = None
    """Along the axis; None: as long as the part."""
    off_end: Margin = 0
    """How much stands beyond the part at its high end."""


class Outline(Model):
    """Stock of a closed outline, in coordinates from the part's low corner as it lies."""

    kind: Literal["outline"] = "outline"
    outline: Annotated[list[Vertex], Field(min_length=2)]
    off_top: Margin = 0
    below: Margin = 0
    """How much stands below the part."""


class FromModel(Model):
    """Stock from another model in the part's own coordinates, or what an earlier setup left."""

    kind: Literal["model"] = "model"
    part: int | None = None
    """Another part that was read: a casting, a forging."""
    job: int | None = None
    """An earlier job of the same part: what it leaves is the stock."""

    @model_validator(mode="after")
    def _one(self) -> "FromModel":
        if (self.part is None) == (self.job is None):
            raise ValueError("say which model, or which earlier job, is the stock")
        return self


StockWish = Annotated[Margins | Size | Round | Outline | FromModel, Field(discriminator="kind")]


class Placing(Model):
    """All that lays a body on the machine."""

    body: Annotated[int, Field(ge=0)] = 0
    up: Vector3 = (0, 0, 1)
    """What of the model looks up at the spindle."""
    along: Vector3 | None = None
    """What of the model points along X; None: what is nearest to its own X."""
    turn: Number = 0
    """Degrees about Z, counterclockwise, after that."""
    stock: StockWish = Margins()
    datum: Datum = Datum()

    @model_validator(mode="after")
    def _sound(self) -> "Placing":
        if sum(v * v for v in self.up) < 1e-12:
            raise ValueError("the direction that looks up has no length")
        return self
