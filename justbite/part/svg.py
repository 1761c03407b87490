"""Reading SVG drawings: paths and basic shapes, circular arcs kept, other curves flattened.

Sizes follow the file's width, height and viewBox; where those carry no unit, or none is given,
the numbers are taken as mm and that is said. Y is turned upwards. A group's id is its layer.
"""

import io
import math
from collections.abc import Iterable, Iterator
from xml.etree.ElementTree import ParseError

import svgelements as se

from justbite.errors import PartError
from justbite.model.drawing import Drawing
from justbite.model.findings import Finding
from justbite.part.chains import Path, Stretch, clean, drawing_of

MOST_BYTES = 25_000_000
MOST_SEGMENTS = 200_000
_GIVEN = {"mm": 1.0, "in": 25.4}
_INCH = ("in", "pt", "pc")
_MM_OFF = 25.4 * 0.0393701
"""The library takes a millimetre as 0.0393701 inch: five in ten million too much, taken out again."""


def read_svg(data: bytes, units: str | None, tolerance: float, chord: float) -> Drawing:
    """The areas of an SVG file. Raises PartError; arguments as for `read_dxf`."""
    if b"<svg" not in data[:100_000]:
        raise PartError("The file is not an SVG drawing.", "Save it again as SVG.")
    if len(data) > MOST_BYTES:
        raise PartError(f"The drawing is {len(data) / 1e6:.0f} MB large; up to {MOST_BYTES / 1e6:.0f} MB are read.")
    try:
        # At 25.4 pixels to the inch one pixel is one millimetre.
        tree = se.SVG.parse(io.BytesIO(data), ppi=25.4, reify=True)
    except (ParseError, ValueError, TypeError, KeyError, AttributeError, IndexError, RecursionError):
        raise PartError("The SVG file is broken: it cannot be read to its end.", "Save it again.") from None
    width = str(tree.values.get("width") or "")
    unit = width.lstrip("0123456789.eE+- ").strip()
    known = unit in ("mm", "cm", *_INCH)
    name = units or ("in" if unit in _INCH else "mm")
    scale = _GIVEN[name] if units and not known else 1.0 / _MM_OFF if unit in ("mm", "cm") else 1.0
    height = _height(tree)
    stretches: list[Stretch] = []
    count = 0
    for layer, path in _paths(tree, "0"):
        count += len(path)
        if count > MOST_SEGMENTS:
            raise PartError(f"The drawing holds more than {MOST_SEGMENTS} strokes.", "Save only the outlines.")
        stretches += _stretches(layer, path, scale, height, chord)
    if not stretches:
        raise PartError("The SVG holds no paths or shapes.", "Turn text and pictures into paths before saving.")
    findings = []
    if not known and units is None:
        findings.append(
            Finding("part.units-unknown", "The drawing does not say its units; one user unit is taken as 1 mm.")
        )
    return drawing_of(stretches, findings, name, known or units is not None, tolerance, chord)


def _height(tree: se.SVG) -> float:
    """What Y is mirrored about, in mm: the drawing's height, so that its lower edge is Y 0."""
    try:
        return float(tree.height or 0.0)
    except (TypeError, ValueError):
        return 0.0


def _paths(element: object, layer: str) -> Iterator[tuple[str, se.Path]]:
    if isinstance(element, se.Group):
        own = layer if isinstance(element, se.SVG) else (element.values.get("id") or layer)
        for child in element:
            yield from _paths(child, str(own))
    elif isinstance(element, se.Shape):
        yield layer, se.Path(element)


def _stretches(layer: str, path: se.Path, scale: float, height: float, chord: float) -> Iterable[Stretch]:
    """One stretch for each subpath."""
    for piece in path.as_subpaths():
        vertices: Path = []
        closed = False
        for segment in se.Path(piece):
            if isinstance(segment, se.Move):
                continue
            if isinstance(segment, se.Close):
                closed = True
            if segment.start is None or segment.end is None:
                continue
            vertices += _points(segment, scale, chord)
            last = segment.end
        if not vertices:
            continue
        vertices.append((last.x * scale, last.y * scale, 0.0))
        up = [(x, height * scale - y, -b) for x, y, b in vertices]
        up = clean(up)
        if closed and len(up) > 2 and math.dist(up[0][:2], up[-1][:2]) < 1e-6:
            up = up[:-1]
        if len(up) >= 2:
            yield Stretch(layer, up, closed)


def _points(segment: object, scale: float, chord: float) -> Path:
    """Vertices of one segment without its end, in the file's Y-down sense."""
    a, b = segment.start, segment.end  # type: ignore[attr-defined]
    if isinstance(segment, se.Line | se.Close):
        return [(a.x * scale, a.y * scale, 0.0)]
    if isinstance(segment, se.Arc) and abs(segment.rx - segment.ry) < 1e-6 * max(segment.rx, 1e-9):
        # Halved, so that no bulge exceeds 1.
        bulge = math.tan(segment.sweep / 8)
        middle = segment.point(0.5)
        return [(a.x * scale, a.y * scale, bulge), (float(middle.x) * scale, float(middle.y) * scale, bulge)]
    size = scale * max(math.dist((a.x, a.y), (b.x, b.y)), segment.length(error=1e-3))  # type: ignore[attr-defined]
    count = max(4, min(512, math.ceil(math.sqrt(size / chord))))
    points = [segment.point(k / count) for k in range(count)]  # type: ignore[attr-defined]
    return [(float(p.x) * scale, float(p.y) * scale, 0.0) for p in points]
