"""How features are told: where each begins, which comes before it, what it is called."""

from dataclasses import replace

import numpy as np
import shapely
from shapely.geometry import Polygon

from justbite.model.drawing import Vertices
from justbite.model.feature import Feature
from justbite.model.shapes import ring_points

STEP = "terrace step"
"""The kind of areas that climb a slope: each stands round what is deeper."""
LEVEL = 1e-4
"""mm: heights of floors that agree so far are one."""


def told(found: list[Feature], stock_top: float) -> list[Feature]:
    """The features with their tops, what comes before them, names and notes."""
    return with_names(_with_order(_with_tops(found, stock_top)))


def _with_tops(found: list[Feature], stock_top: float) -> list[Feature]:
    """Each feature begins where the floor above it, if one covers it, was cut to."""
    shapes = [plane_shape(f) for f in found]
    out = []
    for f, shape in zip(found, shapes, strict=True):
        inner = shape.buffer(-0.01)
        over = [
            g.bottom
            for g, other in zip(found, shapes, strict=True)
            if f.bottom + LEVEL < g.bottom < stock_top
            and f.kind != "outside"
            and g.kind != STEP
            and other.contains(inner)
        ]
        out.append(replace(f, top=min([stock_top, *over])))
    return out


def _with_order(found: list[Feature]) -> list[Feature]:
    """Whose open edges lead into another feature that goes deeper: that one comes first."""
    out = []
    shapes = [plane_shape(f) for f in found]
    for f, shape in zip(found, shapes, strict=True):
        first = []
        if f.kind == STEP:
            # It stands round the floor, and round its own lower steps; and it may lead into others.
            own = shape.buffer(0.05)
            first = [
                g.key
                for g, other in zip(found, shapes, strict=True)
                if g.kind != "outside" and g.bottom < f.bottom - LEVEL and other.intersection(own).area > 0.5
            ]
        elif f.open_edges and f.kind in ("boss top", "half-open pocket", "half-open slot"):
            rim = shape.exterior.buffer(0.05)
            first = [
                g.key
                for g, other in zip(found, shapes, strict=True)
                if g.kind != "outside"
                and g.bottom < f.bottom - LEVEL
                and g.top > f.bottom
                and other.intersection(rim).area > 0.5
            ]
        out.append(replace(f, after=tuple(first)))
    return out


def plane_shape(feature: Feature) -> Polygon:
    """The filled outline, without islands taken out of it where they are what stands higher."""
    return flat(feature.outline).difference(shapely.union_all([flat(r) for r in feature.islands]))


def flat(ring: Vertices, chord: float = 0.005) -> Polygon:
    """A ring's polygon, its arcs by chords no farther off than that."""
    return Polygon(np.vstack(ring_points(list(ring), chord)))


def with_names(found: list[Feature]) -> list[Feature]:
    """Names that tell the kind, numbered by size, of steps from the lowest up; holes tell their diameter."""
    order = sorted(found, key=lambda f: (f.kind == STEP, f.bottom if f.kind == STEP else 0.0, -f.area, f.key))
    counts: dict[str, int] = {}
    names: dict[str, str] = {}
    stems: dict[str, str] = {}
    for f in order:
        stem = f"hole {f.diameter:.4g} mm" if f.diameter is not None else f"{f.group} step" if f.group else f.kind
        counts[stem] = counts.get(stem, 0) + 1
        names[f.key] = f"{stem}{', ' if f.diameter is not None else ' '}{counts[stem]}"
        stems[f.key] = stem
    names = {k: n if counts[stems[k]] > 1 else stems[k] for k, n in names.items()}
    # The steps of one slope follow each other.
    order.sort(key=lambda f: f.group)
    called = [replace(f, name=names[f.key], after=tuple(names[k] for k in f.after if k in names)) for f in order]
    return [replace(f, note=_counterbore(f, called) or f.note) for f in called]


def _counterbore(feature: Feature, all_of: list[Feature]) -> str:
    """What is said of a hole below a wider one on the same axis."""
    if feature.diameter is None:
        return ""
    (x, y, _), (u, _, _) = feature.outline
    for other in all_of:
        if other.diameter is None or other.diameter <= feature.diameter or abs(other.bottom - feature.top) > 1e-3:
            continue
        (a, b, _), (c, _, _) = other.outline
        if abs((x + u) / 2 - (a + c) / 2) < 0.01 and abs(y - b) < 0.01:
            return f"counterbore {other.diameter:.4g} mm, {other.depth:.4g} mm deep"
    return ""
