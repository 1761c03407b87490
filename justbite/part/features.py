"""Features of a placed body: level floors, pockets, slots, holes, bosses, what lies outside.

A level floor is where the model has a flat face that looks up. Its area is that face with the
mouths of deeper pockets filled. An edge of it is a wall where material rises beside it, else it
is open: beyond it the part drops, or ends. Through places are the holes in the part's shadow.
"""

from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown, mitred
from justbite.model.drawing import Vertices
from justbite.model.feature import Feature, Features, Kind
from justbite.model.job import Region
from justbite.model.part import Body
from justbite.model.shapes import free_space
from justbite.part.details import details_of
from justbite.part.floors import LEAST_AREA, Level, level_floors
from justbite.part.margin import BESIDE, Around, Edges, falling, leading_out, long_enough, noded, over_rims, reached_out
from justbite.part.named import LEVEL, STEP, flat, plane_shape, told, with_names
from justbite.part.reach import inside_corners, reach_of, ring_area
from justbite.part.rings import as_circle, circle_of, onto_circles, ring_with_arcs
from justbite.part.shadow import HAIR, shadow
from justbite.part.solid import ANGLE, CHORD
from justbite.part.terraces import Ground, Terrace, terraces

SLOT_LENGTH = 2.2
"""Area over width squared from which a pocket of one width is a slot."""
UPRIGHT = 0.9999
"""Cosine of the angle between a cylinder's axis and the spindle's, at least."""
ROUND = 0.02
"""mm: arcs of an outline whose centres and radii agree so far make a circle, and the area is a hole."""
SLOPE_ARC = 5e-3
"""mm: how well corners on a slope's facets lie on the arcs that they are of."""
MESH_HAIR = 0.03
"""mm: how far chords of a mesh at two heights are taken to lie apart at most."""
NOTHING = Polygon()
CHORDS = (0.002, 0.005)
"""mm: how finely outlines are asked for by who plans them and by who tells their figures."""
MOST_BOW = 0.05
"""mm: an arc found again is on average not farther from its chords."""


@dataclass(frozen=True, slots=True)
class Model:
    """A placed body: vertices in job coordinates."""

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    arc_tolerance: float
    """mm: how well the corners of flattened arcs lie on them."""
    most_turn: float
    """Radians between two neighbouring chords of an arc, at most."""
    rounds: NDArray[np.float64]
    """(k, 3): x, y and radius of a solid's upright cylinders."""
    bent: NDArray[np.bool_]
    """(m,): triangles that may be of a bent surface."""
    hair: float
    """mm: how far chords of one surface at two heights may lie apart."""

    def shadow(self, z: float) -> BaseGeometry:
        return shadow(self.vertices, self.triangles, z)


def model_of(body: Body, vertices: NDArray[np.float64], matrix: NDArray[np.float64], source: str) -> Model:
    """A body whose `vertices` were placed by `matrix` (4, 4)."""
    fine = source == "solid"
    axes = _cylinders(body, matrix) if fine else []
    rounds = np.unique(np.array(axes).reshape(-1, 3).round(6), axis=0)
    bent = np.array([f.kind != "plane" for f in body.faces])[body.face_of]
    hair = 1.2 * CHORD if fine else MESH_HAIR
    return Model(vertices, body.triangles, 2e-4 if fine else 5e-3, 0.25 if fine else 0.45, rounds, bent, hair)


def _cylinders(body: Body, matrix: NDArray[np.float64]) -> list[tuple[float, float, float]]:
    """x, y and radius of a solid's upright cylinders."""
    upright = [f for f in body.faces if f.kind == "cylinder" and abs(float(matrix[2, :3] @ np.array(f.axis))) > UPRIGHT]
    return [(*(matrix[:2, :3] @ np.array(f.origin) + matrix[:2, 3]), f.radius) for f in upright]


def find_features(model: Model, body: Body, rotation: NDArray[np.float64], stock: BaseGeometry,
                  stock_top: float, silhouette: BaseGeometry) -> Features:  # fmt: skip
    """All features of a placed body with its `silhouette`, inside a stock of that footprint and top (mm)."""
    low, high = model.vertices.min(axis=0), model.vertices.max(axis=0)
    floors = level_floors(model.vertices, model.triangles, model.bent, model.most_turn)
    found: list[Feature] = []
    grounds: list[Ground] = []
    lower: BaseGeometry = NOTHING
    around = Around.of(silhouette, stock)
    edges = Edges.of(floors)
    for level in reversed(floors):
        above = model.shadow(level.z)
        for face in shapely.get_parts(level.shape):
            if isinstance(face, Polygon) and face.area >= LEAST_AREA:
                seen = _Seen(above, lower, silhouette, edges, around)
                found += _floor(model, level, face, seen, stock_top, float(high[2]))
                grounds.append(Ground(level.z, face.difference(above)))
        # What of it the part stands over is not seen from the floors above it.
        lower = shapely.union_all([lower, level.shape.difference(above), *level.feet])
    found += _through(model, silhouette, float(low[2]), stock_top)
    found += _drilled(model, body, rotation, found, stock_top)
    found += _outside(model, silhouette, float(low[2]), stock, stock_top)
    found += _terraces(model, floors, grounds, found, around, stock_top)
    found = list({f.key: f for f in found}.values())
    named = told(found, stock_top)
    bounds = (tuple(float(v) for v in low), tuple(float(v) for v in high))
    details = details_of(body, rotation)
    return Features(tuple(named), tuple(details), tuple(f.z for f in floors), bounds)  # type: ignore[arg-type]


def slice_areas(model: Model, z: float, stock: BaseGeometry, stock_top: float) -> list[Feature]:
    """What is free of the part at height `z`: the areas that a cutter may clear down to there."""
    solid = model.shadow(z)
    made = [_feature(model, "slice", g, stock.boundary, stock_top, z, "", solid) for g in _pieces(stock, solid)]
    return with_names([f for f in made if f is not None])


@dataclass(frozen=True, slots=True)
class _Seen:
    """What is seen from a floor."""

    above: BaseGeometry
    lower: BaseGeometry
    """Lower floors."""
    silhouette: BaseGeometry
    edges: Edges
    around: Around


def _floor(model: Model, level: Level, face: Polygon, seen: _Seen, stock_top: float, part_top: float) -> list[Feature]:
    """The feature of one floor; more where the part overhangs it, none when nothing stands on it."""
    z = level.z
    if z > stock_top - LEVEL:
        return []
    if z > part_top - LEVEL:
        stock = seen.around.stock
        top = _feature(model, "top face", stock, stock.boundary, stock_top, z, "")
        return [top] if top is not None else []
    # Hairs between the wall's foot and its top are no islands.
    islands = mitred(seen.above.intersection(Polygon(face.exterior)), -model.hair)
    filled = Polygon(face.exterior).difference(mitred(islands, model.hair))
    if not islands.is_empty:
        filled = mitred(mitred(filled, -BESIDE), BESIDE)
    found = []
    for part in shapely.get_parts(filled):
        own = shapely.orient_polygons(part)
        if own.intersection(face).area < LEAST_AREA:
            continue
        points, open_ = falling(own, level, seen.above)
        if open_.any():
            own, points, open_ = over_rims(
                own, points, open_, model.hair, seen.above, seen.lower, seen.silhouette, seen.edges
            )
        if not open_.any():
            found.append(_feature(model, "pocket", own, None, stock_top, z, ""))
            continue
        whole = open_.all() and not own.interiors
        kind: Kind = "boss top" if whole else "half-open pocket"
        shape, opened = reached_out(own, points, open_, model.hair, seen.above, seen.around)
        found.append(_feature(model, kind, shape, opened, stock_top, z, "cut from outside in" if whole else ""))
    return [f for f in found if f is not None]


def _climbing(model: Model, step: Terrace, around: Around, stock_top: float) -> Feature | None:
    """The feature of a step on a slope."""
    shape, border = step.shape, None
    points, open_ = leading_out(shape, around.solid.boundary, step.above, model.hair)
    if open_.any():
        shape, border = reached_out(shape, points, open_, model.hair, step.above, around)
    note = f"a step that climbs a slope, {step.over:.3g} mm above what is below"
    feature = _feature(model, "terrace step", shape, border, stock_top, step.z, note)
    if feature is None:
        return None
    # Steps on two slopes may lie about the same place.
    key = f"{feature.key} {step.slope}"
    return replace(feature, key=key, over_slope=step.over, group=f"slope {step.slope}")


def _terraces(model: Model, floors: list[Level], grounds: list[Ground], found: list[Feature], around: Around,
              stock_top: float) -> list[Feature]:  # fmt: skip
    """The steps on slopes that no area so far goes down to."""
    known = np.zeros(len(model.triangles), dtype=bool)
    for level in floors:
        known[level.members] = True
    coarse = replace(model, arc_tolerance=max(model.arc_tolerance, SLOPE_ARC))
    holes = [Ground(f.bottom, flat(f.outline)) for f in found if f.through]
    cut = [Ground(f.bottom, plane_shape(f)) for f in found]
    steps = terraces(model.vertices, model.triangles, known, [*grounds, *holes], cut, stock_top, model.hair)
    made = [_climbing(coarse, step, around, stock_top) for step in steps]
    return [feature for feature in made if feature is not None]


def _through(model: Model, silhouette: BaseGeometry, bottom: float, stock_top: float) -> list[Feature]:
    """Places that go through: the holes of the shadow."""
    found = []
    for part in shapely.get_parts(silhouette):
        for ring in part.interiors:
            if Polygon(ring).area >= LEAST_AREA:
                feature = _feature(model, "through pocket", Polygon(ring), None, stock_top, bottom, "")
                if feature is not None:
                    found.append(replace(feature, through=True))
    return found


def _drilled(model: Model, body: Body, rotation: NDArray[np.float64], found: list[Feature],
             stock_top: float) -> list[Feature]:  # fmt: skip
    """Round holes without a flat floor, from a solid's upright cylinders: drilled with a point."""
    known = [(f.outline[0][0] + f.diameter / 2, f.outline[0][1]) for f in found if f.diameter is not None]
    upright: dict[tuple[float, float, float], list[NDArray[np.float64]]] = {}
    for number, face in enumerate(body.faces):
        if face.kind != "cylinder" or not face.inward or abs(float((rotation @ np.array(face.axis))[2])) < UPRIGHT:
            continue
        spot = model.vertices[np.unique(body.triangles[body.face_of == number])]
        centre = _ring_centre(spot[:, :2])
        upright.setdefault((round(centre[0], 2), round(centre[1], 2), round(face.radius, 3)), []).append(spot)
    out: list[Feature] = []
    for (x, y, radius), spots in upright.items():
        every = np.vstack(spots)
        # A cylinder of which a part only is there is an inside corner.
        whole = np.ptp(every[:, :2], axis=0).min() > 1.98 * radius
        low = float(every[:, 2].min())
        # Its floor may be one with those of others.
        flat_floor = any(abs(f.bottom - low) < HAIR and flat(f.outline).contains(shapely.Point(x, y)) for f in found)
        if not whole or flat_floor or any(np.hypot(x - a, y - b) < 0.02 for a, b in known):
            continue
        disc = shapely.Point(x, y).buffer(radius, quad_segs=32)
        if model.shadow(low + HAIR).intersects(disc.buffer(-0.02 * radius)):
            continue
        known.append((x, y))
        feature = _feature(model, "pocket", disc, None, stock_top, low, "with a pointed bottom")
        if feature is not None:
            out.append(feature)
    return out


def _ring_centre(spot: NDArray[np.float64]) -> tuple[float, float]:
    """The centre of points (n, 2) on a circle or a part of it."""
    a = np.column_stack([2 * spot, np.ones(len(spot))])
    solved = np.linalg.lstsq(a, (spot**2).sum(axis=1), rcond=None)[0]
    return float(solved[0]), float(solved[1])


def _outside(model: Model, silhouette: BaseGeometry, bottom: float, stock: BaseGeometry,
             stock_top: float) -> list[Feature]:  # fmt: skip
    """What of the stock stands outside the part's outline, if any does."""
    solid = shapely.union_all([Polygon(g.exterior) for g in shapely.get_parts(silhouette)])
    if stock.difference(solid).area < max(LEAST_AREA, 1e-4 * stock.area):
        return []
    made = [
        _feature(model, "outside", g, stock.boundary, stock_top, bottom, "", solid) for g in _pieces(stock, solid)
    ]  # fmt: skip
    return [f for f in made if f is not None]


def _pieces(stock: BaseGeometry, solid: BaseGeometry) -> list[Polygon]:
    """What of the stock is not the part, parted where only the chords of a round part let it hang together."""
    found: list[Polygon] = []
    for piece in shapely.get_parts(stock.difference(solid)):
        core = mitred(mitred(piece, -0.5 * CHORD), 0.5 * CHORD)
        parts = [g for g in shapely.get_parts(core) if g.area >= LEAST_AREA]
        found += parts if len(parts) > 1 else [piece]
    return [g for g in found if isinstance(g, Polygon) and g.area >= LEAST_AREA]


def _feature(model: Model, kind: Kind, shape: BaseGeometry, opened: BaseGeometry | None, top: float, bottom: float,
             note: str, solid: BaseGeometry = NOTHING) -> Feature | None:  # fmt: skip
    """A feature of a plane area. `opened` is the open part of its boundary, but where `solid` stands right beyond."""
    polygons = [g for g in shapely.get_parts(shape) if isinstance(g, Polygon) and g.area >= LEAST_AREA]
    if not polygons:
        return None
    polygon = shapely.orient_polygons(max(polygons, key=lambda g: g.area))
    outline, flags = _ring(model, polygon.exterior, opened, solid)
    # Hairs where chords of one surface cross are no islands.
    rings = [r for r in polygon.interiors if Polygon(r).area > 1e-3]
    islands = tuple(_ring(model, r, None)[0] for r in rings if not Polygon(r).buffer(-model.hair / 2).is_empty)
    open_edges = tuple(i for i, f in enumerate(flags) if f)
    circle = circle_of(outline, ROUND) if not open_edges and not islands else None
    if circle is not None:
        outline = as_circle(circle)
    return replace(area_feature(kind, outline, islands, open_edges, top, bottom), note=note)


def area_feature(kind: Kind, outline: Vertices, islands: tuple[Vertices, ...], open_edges: tuple[int, ...],
                 top: float, bottom: float) -> Feature:  # fmt: skip
    """A feature of an outline: its figures worked out, without a name."""
    polygon = flat(outline).difference(shapely.union_all([flat(r) for r in islands]))
    if polygon.is_empty or polygon.geom_type != "Polygon":
        polygon = max(shapely.get_parts(polygon.buffer(0)), key=lambda g: g.area, default=Polygon())
    corners = inside_corners(outline, islands, set(open_edges))
    circle = circle_of(outline, ROUND) if not open_edges and not islands else None
    narrow: float | None
    largest: float | None
    if circle is not None:
        narrow = largest = 2 * circle.radius
    elif (len(open_edges) == len(outline) and not islands) or kind == STEP:
        # Of steps it is not told: a slope's section may have thousands of corners, and what a cutter leaves in them is
        # little beside what the step does.
        narrow = largest = None
    else:
        # Wide enough for any cutter that the walls let in.
        x1, y1, x2, y2 = polygon.bounds
        width = max(x2 - x1, y2 - y1)
        free = _swept(outline, islands, open_edges, width) if open_edges else polygon
        narrow, largest = reach_of(free, polygon, corners, 0.4 * width if open_edges else None)
    x, y = polygon.representative_point().coords[0]
    radii = [c.radius for c in corners]
    kind = _kind(kind, polygon, narrow, circle is not None)
    return Feature(
        key=f"{kind} {x:.1f} {y:.1f} {bottom:.2f}", kind=kind, name="", outline=outline, islands=islands,
        open_edges=open_edges, top=top, bottom=bottom,
        area=abs(ring_area(outline)) - sum(abs(ring_area(r)) for r in islands),
        inside_radius=min(radii) if radii else None, narrowest=narrow, largest_cutter=largest,
        diameter=2 * circle.radius if circle is not None and kind == "hole" else None,
    )  # fmt: skip


def _swept(outline: Vertices, islands: tuple[Vertices, ...], open_edges: tuple[int, ...], width: float) -> BaseGeometry:
    """The area and, beyond its open edges, air `width` deep; as the path will see it."""
    region = Region(
        name="area", outline=list(outline), islands=[list(r) for r in islands], open_edges=list(open_edges), bottom=-1
    )
    return free_space(region, width, 0.005)


def _ring(model: Model, ring: BaseGeometry, opened: BaseGeometry | None, solid: BaseGeometry = NOTHING
          ) -> tuple[Vertices, tuple[bool, ...]]:  # fmt: skip
    """A ring as vertices with arcs, and which edges are open; an outline counterclockwise."""
    points = np.asarray(ring.coords)[:-1, :2]
    if opened is None or opened.is_empty:
        marks = np.zeros(len(points), dtype=bool)
    else:
        line = opened.buffer(2 * BESIDE)
        points = noded(points, opened)
        after = np.roll(points, -1, axis=0)
        middles, ways = (points + after) / 2, after - points
        marks = np.asarray(shapely.contains_properly(line, shapely.points(middles)))
        # At the tip between the stock's border and a round part that touches it both sides lie on the border.
        out = np.column_stack([ways[:, 1], -ways[:, 0]]) / np.maximum(np.hypot(*ways.T), 1e-12)[:, None]
        marks &= ~shapely.contains_xy(solid, middles + CHORD * out)
        marks = long_enough(points, marks)
    plain_points, plain_marks = points, marks
    points, marks = onto_circles(points, marks, model.rounds, CHORD, ANGLE)
    if len(points) < 3:
        # A crumb that lies along a circle.
        return _straight(plain_points, plain_marks)
    found = ring_with_arcs(points, marks, model.arc_tolerance, model.most_turn)
    plain = Polygon(points)
    if not all(flat(found[0], chord).is_valid for chord in CHORDS):
        # An arc across a hair of the outline, as in a mesh whose chords at two heights are not the same.
        whole = mitred(mitred(Polygon(ring), -BESIDE), BESIDE)
        clean = shapely.orient_polygons(max(shapely.get_parts(whole), key=lambda g: g.area)).exterior
        points = np.asarray(clean.coords)[:-1, :2]
        middles = shapely.points((points + np.roll(points, -1, axis=0)) / 2)
        marks = np.zeros(len(points), bool) if opened is None else shapely.distance(opened, middles) < 2 * BESIDE
        return _straight(points, marks)
    if abs(abs(ring_area(found[0])) - plain.area) > 0.5 * MOST_BOW * plain.length + 1e-6:
        # Not the same shape: the arcs were none.
        return _straight(points, marks)
    return found


def _straight(points: NDArray[np.float64], marks: NDArray[np.bool_]) -> tuple[Vertices, tuple[bool, ...]]:
    """A ring as it is, without arcs."""
    return tuple((float(x), float(y), 0.0) for x, y in points), tuple(bool(m) for m in marks)


def _kind(kind: Kind, polygon: Polygon, narrow: float | None, round_: bool) -> Kind:
    if kind in ("pocket", "through pocket") and round_:
        return "hole"
    if kind in ("pocket", "half-open pocket", "through pocket") and narrow and not polygon.interiors:
        one_width = grown(grown(polygon, -0.45 * narrow), 0.45 * narrow).area > 0.9 * polygon.area
        if polygon.area > SLOT_LENGTH * narrow**2 and one_width and _slender(polygon, narrow):
            return "half-open slot" if kind == "half-open pocket" else "slot"
    return kind


def _slender(polygon: Polygon, narrow: float) -> bool:
    """Nowhere wider than its narrowest place."""
    return bool(2.0 * shapely.maximum_inscribed_circle(polygon).length < 1.1 * narrow)
