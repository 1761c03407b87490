"""Reading DXF drawings: lines, arcs, polylines with bulges, circles, ellipses, splines."""

import io
import math
from collections import Counter
from collections.abc import Iterable

import ezdxf
from ezdxf import path as ezpath
from ezdxf import recover
from ezdxf.entities import DXFGraphic
from ezdxf.lldxf.const import DXFError

from justbite.errors import PartError
from justbite.model.drawing import Drawing
from justbite.model.findings import Finding
from justbite.part.chains import Path, Stretch, clean, drawing_of

MOST_BYTES = 25_000_000
MOST_ENTITIES = 100_000
_UNITS = {1: ("in", 25.4), 2: ("in", 304.8), 4: ("mm", 1.0), 5: ("mm", 10.0), 6: ("mm", 1000.0)}
"""$INSUNITS code -> (named, mm per unit)."""
_GIVEN = {"mm": 1.0, "in": 25.4}
_BESIDE = {"TEXT", "MTEXT", "DIMENSION", "LEADER", "MULTILEADER", "POINT", "ATTDEF", "ATTRIB", "VIEWPORT"}
"""Entities that never are an outline; passed over without a word."""


def read_dxf(data: bytes, units: str | None, tolerance: float, chord: float) -> Drawing:
    """The areas of a DXF file. Raises PartError with a sentence when there is nothing to read.

    `units` ("mm" or "in") overrides the header; with None the header is asked, and where it is
    silent millimetres are assumed and said. `tolerance` mm joins ends, `chord` mm flattens.
    """
    if len(data) > MOST_BYTES:
        raise PartError(
            f"The drawing is {len(data) / 1e6:.0f} MB large; up to {MOST_BYTES / 1e6:.0f} MB are read.",
            "Save only the outlines that are to be cut.",
        )
    document = _document(data)
    code = int(document.header.get("$INSUNITS", 0))
    known = code in _UNITS
    name, scale = _UNITS.get(code, ("mm", 1.0))
    if units is not None:
        name, scale, known = units, _GIVEN[units], True
    space = list(document.modelspace())
    if len(space) > MOST_ENTITIES:
        raise PartError(f"The drawing holds {len(space)} entities; up to {MOST_ENTITIES} are read.")
    skipped: Counter[tuple[str, str]] = Counter()
    stretches = [s for e in space for s in _stretches(e, scale, chord, skipped, 0)]
    if not stretches:
        raise PartError(
            "The drawing holds no lines, arcs, circles, polylines or splines in its model space.",
            "Check that the outlines were saved with it.",
        )
    found = [
        Finding("part.skipped-entity", f'{count} × {kind} on layer "{layer}" cannot be an outline and was passed over.')
        for (kind, layer), count in sorted(skipped.items())
    ]
    if not known:
        found.append(Finding("part.units-unknown", "The drawing does not say its units; millimetres are assumed."))
    return drawing_of(stretches, found, name, known, tolerance, chord)


def _document(data: bytes) -> ezdxf.document.Drawing:
    try:
        document, _audit = recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError, KeyError, IndexError, AttributeError, TypeError, UnicodeError):
        raise PartError(
            "The file is not a DXF drawing, or it is broken beyond reading.", "Save it again as DXF."
        ) from None
    if not data.strip() or (len(document.modelspace()) == 0 and b"SECTION" not in data):
        raise PartError("The file is not a DXF drawing.", "Save it again as DXF.")
    return document


def _stretches(entity: DXFGraphic, scale: float, chord: float, skipped: Counter[tuple[str, str]],
               nested: int) -> Iterable[Stretch]:  # fmt: skip
    """The stretches of one entity; blocks are opened up."""
    kind = entity.dxftype()
    layer = entity.dxf.get("layer", "0")
    if kind == "INSERT" and nested < 8:
        for inner in entity.virtual_entities():  # type: ignore[attr-defined]
            yield from _stretches(inner, scale, chord, skipped, nested + 1)
        return
    if kind in _BESIDE:
        return
    flip = entity.dxf.get("extrusion", (0, 0, 1))[2] < 0
    closed = False
    if kind == "LINE":
        path = [(p.x, p.y, 0.0) for p in (entity.dxf.start, entity.dxf.end)]
        flip = False
    elif kind == "CIRCLE":
        c, r = entity.dxf.center, entity.dxf.radius
        path, closed = [(c.x - r, c.y, 1.0), (c.x + r, c.y, 1.0)], True
    elif kind == "ARC":
        path = _arc(entity)
    elif kind == "LWPOLYLINE":
        path = [(x, y, b) for x, y, b in entity.get_points("xyb")]  # type: ignore[attr-defined]
        closed = bool(entity.closed)  # type: ignore[attr-defined]
    elif kind == "POLYLINE" and entity.is_2d_polyline:  # type: ignore[attr-defined]
        path = [(v.dxf.location.x, v.dxf.location.y, v.dxf.get("bulge", 0.0)) for v in entity.vertices]  # type: ignore[attr-defined]
        closed = bool(entity.is_closed)  # type: ignore[attr-defined]
    elif kind in ("ELLIPSE", "SPLINE"):
        curve = ezpath.make_path(entity)
        path = [(p.x, p.y, 0.0) for p in curve.flattening(chord / scale, segments=16)]
        closed, flip = bool(curve.is_closed), False
        if closed:
            path = path[:-1]
    else:
        skipped[(kind, layer)] += 1
        return
    if flip:
        path = [(-x, y, -b) for x, y, b in path]
    path = clean([(x * scale, y * scale, b) for x, y, b in path])
    if len(path) >= 2:
        yield Stretch(layer, path, closed)


def _arc(entity: DXFGraphic) -> Path:
    """An arc as two equal stretches, so that no bulge exceeds 1."""
    c, r = entity.dxf.center, entity.dxf.radius
    first = math.radians(entity.dxf.start_angle)
    sweep = math.radians(entity.dxf.end_angle) - first
    sweep = sweep % (2 * math.pi) or 2 * math.pi
    bulge = math.tan(sweep / 8)
    return [
        (c.x + r * math.cos(first + sweep * t), c.y + r * math.sin(first + sweep * t), bulge) for t in (0.0, 0.5, 1.0)
    ]
