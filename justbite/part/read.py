"""Reading any part: what a file is, is told by its content, not by its name."""

from justbite.errors import PartError
from justbite.model.drawing import Drawing
from justbite.model.findings import Finding
from justbite.model.part import Part
from justbite.part.dxf import read_dxf
from justbite.part.svg import read_svg

MOST_BYTES = 150_000_000
_NAMES = {"step": "STEP", "stp": "STEP", "p21": "STEP", "stl": "STL", "3mf": "3MF", "dxf": "DXF", "svg": "SVG"}


def kind_of(data: bytes) -> str | None:
    """ "STEP", "STL", "3MF", "DXF" or "SVG", by content; None when it is none of them."""
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith(b"ISO-10303-21"):
        return "STEP"
    if head.startswith(b"PK\x03\x04"):
        return "3MF"
    if head[:1] == b"<" and b"<svg" in data[:100_000]:
        return "SVG"
    if head.startswith(b"solid") and b"facet" in data[:4096]:
        return "STL"
    if len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        return "STL"
    lines = [line.strip() for line in data[:4096].splitlines()[:40]]
    if b"SECTION" in lines or (lines and lines[0] in (b"0", b"999")):
        return "DXF"
    return None


def read_part(data: bytes, name: str, units: str | None, join: float, chord: float) -> Part | Drawing:
    """The part in a file. Raises PartError with a sentence.

    `name` is only used to say when it promises something else. `units` ("mm", "in") overrides
    what the file says. `join` mm bridges gaps between the ends of a drawing's lines.
    """
    if not data.strip():
        raise PartError("The file is empty.", "Export the part again.")
    if len(data) > MOST_BYTES:
        raise PartError(f"The file is {len(data) / 1e6:.0f} MB large; up to {MOST_BYTES / 1e6:.0f} MB are read.")
    promised = _NAMES.get(name.rsplit(".", 1)[-1].lower()) if "." in name else None
    kind = kind_of(data) or promised
    if kind is None:
        raise PartError("The file is none of STEP, STL, 3MF, DXF or SVG.", "Export the part in one of these formats.")
    read = _read(kind, data, units, join, chord)
    if promised is not None and promised != kind:
        told = Finding("part.other-format", f"The file is named as {promised}, but holds {kind}; it was read as that.")
        return type(read)(**{**{f: getattr(read, f) for f in read.__dataclass_fields__},
                             "findings": (told, *read.findings)})  # fmt: skip
    return read


def _read(kind: str, data: bytes, units: str | None, join: float, chord: float) -> Part | Drawing:
    if kind == "DXF":
        return read_dxf(data, units, join, chord)
    if kind == "SVG":
        return read_svg(data, units, join, chord)
    # The readers of models take a moment to load: only when there is a model.
    if kind == "STEP":
        from justbite.part.solid import read_step

        return read_step(data)
    from justbite.part import mesh

    return mesh.read_stl(data, units) if kind == "STL" else mesh.read_3mf(data, units)
