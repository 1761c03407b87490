"""The stock's shape, whatever way it was given: footprint, heights, extent. Lengths in mm."""

import math

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from justbite.model.job import Prism, Stock, Vertex
from justbite.model.shapes import polygon_of


def extent(stock: Stock, chord: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lowest and highest corner of the box round the stock."""
    if stock.box is not None:
        return np.array(stock.box.min), np.array(stock.box.max)
    x1, y1, x2, y2 = footprint(stock, chord).bounds
    bottom, top = heights(stock)
    return np.array([x1, y1, bottom]), np.array([x2, y2, top])


def heights(stock: Stock) -> tuple[float, float]:
    """Lowest and highest Z."""
    if stock.box is not None:
        return stock.box.min[2], stock.box.max[2]
    if (c := stock.cylinder) is not None:
        if c.axis == "z":
            return c.low, c.high
        return c.centre[1] - c.diameter / 2, c.centre[1] + c.diameter / 2
    prisms = _prisms(stock)
    return min(p.bottom for p in prisms), max(p.top for p in prisms)


def standing(stock: Stock, z: float, chord: float) -> BaseGeometry:
    """What the stock above height `z` covers, seen from above."""
    if (c := stock.cylinder) is not None and c.axis == "x":
        up = max(0.0, z - c.centre[1])
        half = math.sqrt(max(0.0, (c.diameter / 2) ** 2 - up**2))
        return shapely.box(c.low, c.centre[0] - half, c.high, c.centre[0] + half)
    if heights(stock)[1] <= z:
        return shapely.Polygon()
    if stock.box is not None:
        return shapely.box(*stock.box.min[:2], *stock.box.max[:2])
    if c is not None:
        return polygon_of(_circle(c.centre, c.diameter / 2), chord, "The stock")
    return shapely.union_all([_shape(p, chord) for p in _prisms(stock) if p.top > z])


def footprint(stock: Stock, chord: float) -> BaseGeometry:
    """All that the stock covers, seen from above."""
    return standing(stock, heights(stock)[0], chord)


def fill_heights(stock: Stock, chord: float) -> list[tuple[BaseGeometry, float]]:
    """Plane shapes with the height of the stock on them, lowest first: what a height map is filled by.

    Round stock that lies along X is given in strips; its own height is taken at each strip's middle.
    """
    if (c := stock.cylinder) is not None and c.axis == "x":
        count = 400
        angle = np.pi * (np.arange(count + 1) / count - 0.5)
        y = c.centre[0] + c.diameter / 2 * np.sin(angle)
        middle = c.centre[1] + c.diameter / 2 * np.cos((angle[:-1] + angle[1:]) / 2)
        return [(shapely.box(c.low, y[k], c.high, y[k + 1]), float(middle[k])) for k in range(count)]
    if stock.terraces is not None:
        return [(_shape(p, chord), p.top) for p in sorted(stock.terraces, key=lambda p: p.top)]
    return [(footprint(stock, chord), heights(stock)[1])]


def _prisms(stock: Stock) -> list[Prism]:
    return stock.terraces or ([stock.outline] if stock.outline else [])


def _circle(centre: tuple[float, float], radius: float) -> list[Vertex]:
    return [(centre[0] - radius, centre[1], 1.0), (centre[0] + radius, centre[1], 1.0)]


def _shape(prism: Prism, chord: float) -> BaseGeometry:
    shape: BaseGeometry = polygon_of(prism.outline, chord, "The outline of the stock")
    for ring in prism.islands:
        shape = shape.difference(polygon_of(ring, chord, "A hole in the stock"))
    return shape
