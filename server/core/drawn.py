"""Shapes of a job as polylines for the screens."""

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from justbite import tolerances
from justbite.model.job import Region, Stock
from justbite.model.kept import Kept
from justbite.model.shapes import ring_points
from justbite.model.stock import extent, footprint

_PICTURES = Kept(1024)
"""Of the last regions: the shelf and the drawing ask for them each time."""


def stock_picture(stock: Stock) -> dict[str, Any]:
    """The stock's extent and its outlines from above."""
    low, high = extent(stock, tolerances.CHORD)
    shape = footprint(stock, tolerances.CHORD)
    return {"min": low.tolist(), "max": high.tolist(), "outlines": rings(shape)}


def rings(shape: shapely.Geometry) -> list[list[list[float]]]:
    rings = [r for g in shapely.get_parts(shape) if isinstance(g, Polygon) for r in (g.exterior, *g.interiors)]
    return [_told(np.asarray(r.coords)[:-1, :2]) for r in rings]


def drawn(ring: list[Any]) -> list[list[float]]:
    return _told(np.vstack(ring_points(ring, 0.02)))


def _told(points: NDArray[np.float64]) -> list[list[float]]:
    """To a ten thousandth of a millimetre."""
    told: list[list[float]] = np.round(points, 4).tolist()
    return told


def region_picture(region: Region) -> dict[str, Any]:
    """An area's edges and islands, and the holes drilled in it."""
    found: dict[str, Any] = _PICTURES.get(region, "", lambda: _picture(region))
    return found


def _picture(region: Region) -> dict[str, Any]:
    edges = ring_points(region.outline, 0.02)
    follow = [*edges[1:], edges[0]]
    lines = [np.vstack([e, f[:1]]) for e, f in zip(edges, follow, strict=True)]
    is_open = [region.open_edges == "all" or i in region.open_edges for i in range(len(edges))]
    return {
        "name": region.name,
        "top": region.top,
        "bottom": region.bottom,
        "edges": [{"points": _told(line), "open": o} for line, o in zip(lines, is_open, strict=True)],
        "islands": [drawn(r) for r in region.islands],
        "drilled": [{"x": h.at[0], "y": h.at[1], "radius": h.diameter / 2} for h in region.drilled],
    }
