"""A drawing that was read: closed outlines nested into areas and islands, with findings."""

import json
from dataclasses import asdict, dataclass
from typing import Any

from justbite.model.findings import Finding

Vertices = tuple[tuple[float, float, float], ...]
"""x, y in mm and the bulge of the stretch to the next vertex."""


@dataclass(frozen=True, slots=True)
class DrawnArea:
    """An outline with what lies directly inside it."""

    name: str
    layer: str
    outline: Vertices
    islands: tuple[Vertices, ...]
    area: float
    """mm2, islands taken off."""


@dataclass(frozen=True, slots=True)
class Drawing:
    """What a file holds, in millimetres."""

    areas: tuple[DrawnArea, ...]
    findings: tuple[Finding, ...]
    units: str
    """"mm" or "in": what the file's numbers were taken to be."""
    units_known: bool
    """False when the file is silent and `units` is only an assumption."""
    bounds: tuple[float, float, float, float]
    loose: tuple[Vertices, ...] = ()
    """Chains that do not close, as they are drawn."""

    def packed(self) -> bytes:
        """As JSON text."""
        return json.dumps(asdict(self)).encode()

    @staticmethod
    def unpacked(data: bytes) -> "Drawing":
        plain = json.loads(data)
        areas = tuple(
            DrawnArea(a["name"], a["layer"], _ring(a["outline"]), tuple(_ring(r) for r in a["islands"]), a["area"])
            for a in plain["areas"]
        )
        return Drawing(
            areas, tuple(Finding(**f) for f in plain["findings"]), plain["units"], plain["units_known"],
            tuple(plain["bounds"]), tuple(_ring(r) for r in plain["loose"]),
        )  # fmt: skip


def _ring(plain: list[Any]) -> Vertices:
    return tuple((float(x), float(y), float(b)) for x, y, b in plain)
