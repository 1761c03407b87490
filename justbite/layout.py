"""From a part that was read to areas to accept: placed, in its stock, features found.

What `plan.py` is to planning, this page is to the part: it alone connects its stages.
"""

import re
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite import tolerances
from justbite.errors import JobError
from justbite.model.drawing import Drawing, DrawnArea, Vertices
from justbite.model.feature import Feature, Features
from justbite.model.job import Job, Region, Stock
from justbite.model.part import Body, Part
from justbite.model.placing import Margins, Placing
from justbite.model.shapes import ring_points
from justbite.model.stock import footprint, heights
from justbite.part import chain as chains
from justbite.part.features import Model, area_feature, find_features, model_of, slice_areas
from justbite.part.placing import place, rotation_of
from justbite.part.rings import Circle, as_circle, circle_of, ring_with_arcs

DRAWN_DEPTH = 10.0
"""mm: how deep the stock of a drawing is taken until its thickness is given."""


@dataclass(frozen=True)
class Layout:
    """A placed part: all that the screens show of it, in job coordinates."""

    matrix: NDArray[np.float64]
    stock: Stock
    features: Features
    edges: tuple[NDArray[np.float64], ...]
    """Polylines (k, 3) of the part's edges; of a drawing, its lines at its height."""
    silhouette: BaseGeometry
    model: Model | None


def lay_out(part: Part | Drawing, placing: Placing, other: tuple[Body, NDArray[np.float64]] | None = None) -> Layout:
    """Place a part and find its features. `other`: the body that is the stock, and its matrix. Raises JobError."""
    if isinstance(part, Drawing):
        return _drawn(part, placing, other)
    body = _body(part, placing.body)
    fine = 2e-4 if part.source == "solid" else 5e-3
    placed = place(body, placing, other, fine)
    model = model_of(body, placed.vertices, placed.matrix, part.source)
    stock = footprint(placed.stock, tolerances.CHORD)
    if len(shapely.get_parts(stock)) != 1:
        stock = stock.convex_hull
    low = placed.vertices[:, 2].min()
    silhouette = model.shadow(float(low) - 1.0)
    features = find_features(model, body, placed.matrix[:3, :3], stock, heights(placed.stock)[1], silhouette)
    turned = placed.matrix[:3, :3].T
    edges = tuple(e @ turned + placed.matrix[:3, 3] for e in body.edges())
    return Layout(placed.matrix, placed.stock, features, edges, silhouette, model)


def _body(part: Part, number: int) -> Body:
    if number >= len(part.bodies):
        raise JobError(f"The part has no body {number + 1}; it has {len(part.bodies)}.", "Choose another.")
    return part.bodies[number]


def slices(layout: Layout, z: float) -> list[Feature]:
    """The areas free of the part at height `z`. Raises JobError where there are none."""
    if layout.model is None:
        raise JobError("A drawing has no heights to slice at.", "Give the depth of each area instead.")
    bottom, top = heights(layout.stock)
    if not bottom <= z < top:
        raise JobError(f"Z {z:g} is not within the stock, which goes from {bottom:g} to {top:g}.")
    found = slice_areas(layout.model, z, footprint(layout.stock, tolerances.CHORD), top)
    if not found:
        raise JobError(f"Nothing is free of the part at Z {z:g}.", "Choose a higher Z.")
    return found


def chain_at(layout: Layout, x: float, y: float, follow: chains.Follow, within: float) -> chains.Chain:
    """The chain of edges nearest to a place. Raises JobError when none is near."""
    found = chains.pick_chain(list(layout.edges), x, y, follow, within)
    if found is None:
        raise JobError("There is no level edge near that place.", "Pick an edge of a floor or of the top.")
    return found


def area_of_chain(layout: Layout, chain: chains.Chain, bridge: bool, bottom: float) -> Feature:
    """The area inside a chain. `bridge` closes its gap by a straight line. Raises JobError."""
    points = chain.points
    if not chain.closed and bridge:
        points = np.vstack([points, points[:1]])
        chain = chains.Chain(points, chain.z, True, 0.0)
    outline = chains.chain_outline(chain, 5e-3)
    return area_feature("outline", outline, (), (), heights(layout.stock)[1], bottom)


def strip_of_chain(layout: Layout, chain: chains.Chain, width: float, right: bool, bottom: float) -> Feature:
    """The strip of stock beside a chain. Raises JobError."""
    outline, islands, opened = chains.strip_beside(chain.points, width, right, 5e-3)
    return area_feature("outline", outline, islands, opened, heights(layout.stock)[1], bottom)


def region_of(feature: Feature, name: str = "") -> Region:
    """A region of a job made from a feature."""
    return Region(
        name=name or feature.name, outline=list(feature.outline), islands=[list(r) for r in feature.islands],
        open_edges="all" if feature.open_edges and len(feature.open_edges) == len(feature.outline)
        else list(feature.open_edges),
        top=feature.top, bottom=feature.bottom, after=list(feature.after),
        over_slope=round(feature.over_slope, 3),
        feature={"key": feature.key, "kind": feature.kind, "group": feature.group},
    )  # fmt: skip


def matrix_of(job: Job) -> NDArray[np.float64] | None:
    """(4, 4) from the model's coordinates to the job's, as the job keeps it; None when it has none."""
    rows = (job.part or {}).get("matrix")
    return np.array(rows, dtype=float) if rows else None


def corners_in(job: Job, part: Part | Drawing) -> NDArray[np.float64] | None:
    """(m, 3, 3): the corners of the triangles of a job's part in the job's coordinates; None of a drawing.

    Raises JobError.
    """
    if isinstance(part, Drawing):
        return None
    matrix = matrix_of(job)
    matrix = np.eye(4) if matrix is None else matrix
    body = _body(part, int(((job.part or {}).get("placing") or {}).get("body", 0)))
    return np.asarray((body.vertices @ matrix[:3, :3].T + matrix[:3, 3])[body.triangles])


def _drawn(drawing: Drawing, placing: Placing, other: tuple[Body, NDArray[np.float64]] | None) -> Layout:
    """A drawing lies as it is drawn: it may be turned about Z, and is as thick as its stock."""
    flat = _flat_body(drawing)
    laid = placing.model_copy(update={"up": (0.0, 0.0, 1.0), "along": None})
    if isinstance(laid.stock, Margins) and sum(laid.stock.z) == 0:
        laid = laid.model_copy(update={"stock": laid.stock.model_copy(update={"z": (DRAWN_DEPTH, 0.0)})})
    placed = place(flat, laid, other, 5e-3)
    rotation, shift = rotation_of(laid), placed.matrix[:3, 3]
    top = heights(placed.stock)[1]

    def ring(points: Vertices) -> Vertices:
        xy = np.array([p[:2] for p in points]) @ rotation[:2, :2].T + shift[:2]
        return tuple((float(x), float(y), p[2]) for (x, y), p in zip(xy, points, strict=True))

    features = [_drawn_feature(a, ring, top) for a in drawing.areas]
    lines = [_line(ring(r), True) for a in drawing.areas for r in (a.outline, *a.islands)]
    lines += [_line(ring(r), False) for r in drawing.loose]
    low, high = placed.vertices.min(axis=0), placed.vertices.max(axis=0)
    bounds = ((float(low[0]), float(low[1]), top), (float(high[0]), float(high[1]), top))
    edges = tuple(np.column_stack([line, np.full(len(line), top)]) for line in lines)
    return Layout(placed.matrix, placed.stock, Features(tuple(features), (), (), bounds), edges, Polygon(), None)


def _flat_body(drawing: Drawing) -> Body:
    """A sheet as large as the drawing, standing for the part that is not there."""
    x1, y1, x2, y2 = drawing.bounds
    corners = np.array([(x, y, 0.0) for y in (y1, y2) for x in (x1, x2)])
    return Body("drawing", corners, np.zeros((0, 3), np.int32), np.zeros(0, np.int32), (), 0.0, 0.0)


def _line(ring: Vertices, closed: bool) -> NDArray[np.float64]:
    stretches = ring_points(list(ring), 0.02)
    last = ring[0] if closed else ring[-1]
    return np.vstack([*(stretches if closed else stretches[:-1]), [last[:2]]])


def _drawn_feature(area: DrawnArea, ring: Any, top: float) -> Feature:
    outline, islands = ring(area.outline), tuple(ring(r) for r in area.islands)
    circle = circle_of(outline, 1e-3)
    if circle is not None:
        outline = as_circle(circle)
    islands = tuple(as_circle(c) if (c := circle_of(r, 1e-3)) is not None else r for r in islands)
    round_: Circle | None = circle if not islands else None
    made = area_feature("hole" if round_ else "outline", outline, islands, (), top, top)
    name = f"hole {2 * round_.radius:.4g} mm, {area.name.rsplit(' ', 1)[-1]}" if round_ else area.name
    said = re.search(r"[-_ ](\d+(?:\.\d+)?)$", area.layer)
    # A drawing says nothing of depth: bottom is top until it is given.
    return replace(
        made, name=name, layer=area.layer, diameter=2 * round_.radius if round_ else None,
        layer_depth=float(said[1]) if said else None,
    )  # fmt: skip


def merge(features: list[tuple[Vertices, tuple[Vertices, ...], tuple[int, ...], float, float]]) -> Feature:
    """One area of several that touch or overlap and share a floor: (outline, islands, open edges, top, bottom).

    An edge stays open where it was open and still bounds the whole. Raises JobError.
    """
    bottoms = {round(f[4], 3) for f in features}
    if len(features) < 2 or len(bottoms) != 1:
        raise JobError("Areas of different floors cannot be made one.", "Give them the same bottom first.")
    shapes, opened = [], []
    for outline, islands, open_edges, _, _ in features:
        edges = ring_points(list(outline), tolerances.CHORD)
        rings = [np.vstack(ring_points(list(r), tolerances.CHORD)) for r in islands]
        shapes.append(Polygon(np.vstack(edges), rings))
        follow = [*edges[1:], edges[0]]
        opened += [shapely.linestrings(np.vstack([edges[i], follow[i][:1]])) for i in open_edges]
    whole = shapely.union_all(shapes, grid_size=1e-5)
    if not isinstance(whole, Polygon):
        raise JobError("The areas do not touch, so they cannot be made one.", "Put both into the operation instead.")
    line = shapely.union_all(opened).buffer(5e-3) if opened else Polygon()
    return _area_of(whole, line, max(f[3] for f in features), features[0][4])


def split(outline: Vertices, islands: tuple[Vertices, ...], open_edges: tuple[int, ...], top: float, bottom: float,
          a: tuple[float, float], b: tuple[float, float]) -> list[Feature]:  # fmt: skip
    """An area cut in pieces along the line through `a` and `b`; the cut is open on both sides. Raises JobError."""
    edges = ring_points(list(outline), tolerances.CHORD)
    rings = [np.vstack(ring_points(list(r), tolerances.CHORD)) for r in islands]
    shape = Polygon(np.vstack(edges), rings)
    p, q = np.array(a), np.array(b)
    length = float(np.hypot(*(q - p)))
    if length < 1e-6:
        raise JobError("The line to split along has no length.", "Pick two different points.")
    far = (q - p) / length * 2.0 * float(np.hypot(*np.ptp(np.vstack(edges), axis=0)))
    cut = shapely.linestrings([p - far, q + far])
    pieces = [g for g in shapely.get_parts(shapely.ops.split(shape, cut)) if g.area > 1e-3]
    if len(pieces) < 2:
        raise JobError("The line does not cross the area.", "Pick points on two sides of it.")
    follow = [*edges[1:], edges[0]]
    opened = [shapely.linestrings(np.vstack([edges[i], follow[i][:1]])) for i in open_edges]
    line = shapely.union_all([*opened, cut]).buffer(2e-3)
    return [_area_of(g, line, top, bottom) for g in pieces]


def _area_of(shape: Polygon, opened: BaseGeometry, top: float, bottom: float) -> Feature:
    """A feature of a polygon; edges inside `opened` are open."""
    solid = shapely.orient_polygons(shape)

    def ring(line: BaseGeometry) -> tuple[Vertices, tuple[bool, ...]]:
        points = np.asarray(line.coords)[:-1, :2]
        middles = (points + np.roll(points, -1, axis=0)) / 2
        marks = np.asarray(shapely.contains_properly(opened, shapely.points(middles)))
        return ring_with_arcs(points, marks, 5e-3, 0.3)

    outline, flags = ring(solid.exterior)
    islands = tuple(ring(r)[0] for r in solid.interiors if Polygon(r).area > 1e-3)
    return area_feature("outline", outline, islands, tuple(i for i, f in enumerate(flags) if f), top, bottom)
