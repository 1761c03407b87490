"""Laying a body on the machine: turned, put into its stock, moved to the datum."""

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.errors import JobError
from justbite.model.job import Box, Cylinder, Prism, Stock, Vertex
from justbite.model.part import Body
from justbite.model.placing import Datum, FromModel, Margins, Outline, Placing, Round, Size, StockWish
from justbite.model.stock import extent
from justbite.part.rings import ring_with_arcs
from justbite.part.shadow import shadow

TERRACE = 24
"""Steps that the height of a sloped stock is cut into, at most."""
MOST_TERRACES = 60
LEAST_SLOPE = 2.0
"""mm2 seen from above: sloped faces smaller than this in all are taken as level."""


@dataclass(frozen=True, slots=True)
class Placed:
    """A body in job coordinates, and its stock."""

    matrix: NDArray[np.float64]
    """(4, 4) from the model's own coordinates to the job's."""
    vertices: NDArray[np.float64]
    stock: Stock


def rotation_of(placing: Placing) -> NDArray[np.float64]:
    """(3, 3) whose rows are the machine's axes in the model's coordinates."""
    z = _unit(np.array(placing.up, dtype=float))
    wishes = [placing.along] if placing.along is not None else []
    for wish in (*wishes, (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)):
        x = np.array(wish) - np.dot(wish, z) * z
        if np.linalg.norm(x) > 1e-3 * np.linalg.norm(wish):
            break
    x = _unit(x)
    y = np.cross(z, x)
    c, s = math.cos(math.radians(placing.turn)), math.sin(math.radians(placing.turn))
    turned = np.array([c * x - s * y, s * x + c * y, z])
    return _clean(turned)


def _unit(v: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(v / np.linalg.norm(v))


def _clean(matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """With what is nearly 0 or 1 made so: quarter turns keep round numbers round."""
    near = np.round(matrix)
    return np.where(np.abs(matrix - near) < 1e-12, near, matrix) + 0.0


def place(body: Body, placing: Placing, other: tuple[Body, NDArray[np.float64]] | None, arc_tolerance: float) -> Placed:
    """The body laid as wished. `other` is the stock's body with its matrix into the model's coordinates.

    Raises JobError when the stock does not hold the part.
    """
    rotation = rotation_of(placing)
    vertices = body.vertices @ rotation.T
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    stock = _stock(placing.stock, low, high, rotation, other, arc_tolerance)
    shift = -_datum(placing.datum, low, high, *extent(stock, 0.01), rotation)
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = rotation, shift
    return Placed(matrix, vertices + shift, moved(stock, shift))


def _datum(datum: Datum, low: NDArray[np.float64], high: NDArray[np.float64], stock_low: NDArray[np.float64],
           stock_high: NDArray[np.float64], rotation: NDArray[np.float64]) -> NDArray[np.float64]:  # fmt: skip
    a, b = (stock_low, stock_high) if datum.of == "stock" else (low, high)
    share = {"low": 0.0, "middle": 0.5, "high": 1.0}
    at = np.array([a[0] + share[datum.x] * (b[0] - a[0]), a[1] + share[datum.y] * (b[1] - a[1]), 0.0])
    if datum.point is not None:
        at[:2] = (rotation @ np.array(datum.point))[:2]
    at[2] = {
        "stock top": stock_high[2], "stock bottom": stock_low[2], "part top": high[2], "part bottom": low[2],
    }[datum.z]  # fmt: skip
    return at


def _stock(wish: StockWish, low: NDArray[np.float64], high: NDArray[np.float64], rotation: NDArray[np.float64],
           other: tuple[Body, NDArray[np.float64]] | None, arc_tolerance: float) -> Stock:  # fmt: skip
    """The stock in the turned coordinates, before the datum."""
    if isinstance(wish, Margins):
        less = np.array([wish.x[0], wish.y[0], wish.z[0]])
        more = np.array([wish.x[1], wish.y[1], wish.z[1]])
        return _box(low - less, high + more)
    if isinstance(wish, Size):
        return _sized(wish, low, high)
    if isinstance(wish, Round):
        return _round(wish, low, high)
    if isinstance(wish, Outline):
        ring: list[Vertex] = [(p[0] + low[0], p[1] + low[1], *p[2:]) for p in wish.outline]
        return Stock(outline=Prism(outline=ring, bottom=low[2] - wish.below, top=high[2] + wish.off_top))
    assert isinstance(wish, FromModel)
    if other is None:
        raise JobError("The model that is to be the stock is no longer here.", "Choose another stock.")
    return terraces_of(other[0], rotation @ other[1][:3, :3], rotation @ other[1][:3, 3], arc_tolerance)


def _box(low: NDArray[np.float64], high: NDArray[np.float64]) -> Stock:
    a, b = [[float(v) for v in corner] for corner in (low, high)]
    return Stock(box=Box(min=(a[0], a[1], a[2]), max=(b[0], b[1], b[2])))


def _sized(wish: Size, low: NDArray[np.float64], high: NDArray[np.float64]) -> Stock:
    size, part = np.array(wish.size), high - low
    for axis, name in enumerate("XYZ"):
        need = part[axis] + (wish.off_top if axis == 2 else 0.0)
        if size[axis] < need - 1e-6:
            raise JobError(
                f"The stock is {size[axis]:g} mm in {name}; the part as it lies needs {need:.3f} mm.",
                "Give a larger stock, or turn the part.",
            )
    share = {"low": 0.0, "middle": 0.5, "high": 1.0}
    gap = size - part
    start = np.array(
        [low[0] - share[wish.x] * gap[0], low[1] - share[wish.y] * gap[1], high[2] + wish.off_top - size[2]]
    )
    return _box(start, start + size)


def _round(wish: Round, low: NDArray[np.float64], high: NDArray[np.float64]) -> Stock:
    axis = 0 if wish.axis == "x" else 2
    across = [k for k in range(3) if k != axis]
    middle = (low + high) / 2
    end = float(high[axis]) + wish.off_end
    length = wish.length if wish.length is not None else end - float(low[axis])
    if length < end - low[axis] - 1e-6:
        raise JobError(
            f"The stock is {length:g} mm long; the part as it lies needs {end - low[axis]:.3f} mm.",
            "Give a longer stock, or turn the part.",
        )
    centre = (float(middle[across[0]]), float(middle[across[1]]))
    return Stock(cylinder=Cylinder(axis=wish.axis, centre=centre, diameter=wish.diameter, low=end - length, high=end))


def terraces_of(body: Body, rotation: NDArray[np.float64], shift: NDArray[np.float64], arc_tolerance: float) -> Stock:
    """A body as stacked outlines: exact for level tops, stepped outwards where it is sloped."""
    vertices = body.vertices @ rotation.T + shift
    corners = vertices[body.triangles]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    up = across[:, 2] > 1e-6 * np.linalg.norm(across, axis=1)
    level = np.ptp(corners[:, :, 2], axis=1) < 1e-4
    bottom, top = float(vertices[:, 2].min()), float(vertices[:, 2].max())
    heights = set(np.round(corners[up & level][:, 0, 2], 4).tolist()) | {round(top, 4)}
    if across[up & ~level, 2].sum() / 2 > LEAST_SLOPE:
        heights |= set(np.round(np.linspace(bottom, top, TERRACE + 1)[1:], 4).tolist())
    order = sorted(heights)
    if len(order) > MOST_TERRACES:
        order = [order[k] for k in np.linspace(0, len(order) - 1, MOST_TERRACES).astype(int)]
    prisms: list[Prism] = []
    below = bottom - 1.0
    for height in order:
        shape = shadow(vertices, body.triangles, below)
        prisms += [_prism(g, bottom, height, arc_tolerance) for g in shapely.get_parts(shape) if g.area > 1e-3]
        below = height
    if not prisms:
        raise JobError("The model that is to be the stock covers nothing.", "Choose another stock.")
    return Stock(terraces=prisms)


def _prism(shape: Polygon, bottom: float, top: float, arc_tolerance: float) -> Prism:
    def ring(line: BaseGeometry) -> list[Vertex]:
        points = np.asarray(line.coords)[:-1, :2]
        return list(ring_with_arcs(points, np.zeros(len(points), dtype=bool), arc_tolerance, 0.3)[0])

    solid = shapely.orient_polygons(shape)
    return Prism(
        outline=ring(solid.exterior), islands=[ring(r) for r in solid.interiors if Polygon(r).area > 1e-3],
        bottom=bottom, top=top,
    )  # fmt: skip


def moved(stock: Stock, by: NDArray[np.float64]) -> Stock:
    """The stock shifted by (x, y, z)."""
    x, y, z = (float(v) for v in by)

    def ring(points: list[Vertex]) -> list[Vertex]:
        return [(p[0] + x, p[1] + y, *p[2:]) for p in points]

    def prism(p: Prism) -> Prism:
        return Prism(outline=ring(p.outline), islands=[ring(r) for r in p.islands], bottom=p.bottom + z, top=p.top + z)

    if stock.box is not None:
        return _box(np.array(stock.box.min) + by, np.array(stock.box.max) + by)
    if (c := stock.cylinder) is not None:
        along, centre = (z, (x, y)) if c.axis == "z" else (x, (y, z))
        at = (c.centre[0] + centre[0], c.centre[1] + centre[1])
        return Stock(
            cylinder=Cylinder(axis=c.axis, centre=at, diameter=c.diameter, low=c.low + along, high=c.high + along)
        )
    if stock.outline is not None:
        return Stock(outline=prism(stock.outline))
    assert stock.terraces is not None
    return Stock(terraces=[prism(p) for p in stock.terraces])
