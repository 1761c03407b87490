"""A drawing that was read: closed outlines nested into areas and islands, with findings."""

from dataclasses import dataclass

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
