"""Shapes of a job as polylines for the screens."""

from typing import Any

import numpy as np
import shapely
from shapely.geometry import Polygon

from justbite import tolerances
from justbite.model.job import Region, Stock
from justbite.model.shapes import ring_points
from justbite.model.stock import extent, footprint


def stock_picture(stock: Stock) -> dict[str, Any]:
    """The stock's extent and its outlines from above."""
    low, high = extent(stock, tolerances.CHORD)
    shape = footprint(stock, tolerances.CHORD)
    return {"min": low.tolist(), "max": high.tolist(), "outlines": rings(shape)}


def rings(shape: shapely.Geometry) -> list[list[list[float]]]:
    rings = [r for g in shapely.get_parts(shape) if isinstance(g, Polygon) for r in (g.exterior, *g.interiors)]
    return [[[round(float(x), 4), round(float(y), 4)] for x, y, *_ in r.coords[:-1]] for r in rings]


def drawn(ring: list[Any]) -> list[list[float]]:
    points = np.vstack(ring_points(ring, 0.02))
    return [[round(float(x), 4), round(float(y), 4)] for x, y in points]


def region_picture(region: Region) -> dict[str, Any]:
    edges = ring_points(region.outline, 0.02)
    follow = [*edges[1:], edges[0]]
    lines = [np.vstack([e, f[:1]]) for e, f in zip(edges, follow, strict=True)]
    is_open = [region.open_edges == "all" or i in region.open_edges for i in range(len(edges))]
    return {
        "name": region.name,
        "top": region.top,
        "bottom": region.bottom,
        "edges": [
            {"points": [[round(float(x), 4), round(float(y), 4)] for x, y in line], "open": o}
            for line, o in zip(lines, is_open, strict=True)
        ],
        "islands": [drawn(r) for r in region.islands],
        "drilled": [{"x": h.at[0], "y": h.at[1], "radius": h.diameter / 2} for h in region.drilled],
    }
