"""One level of one area in the plane: entries, cuts and links for each part of the locus."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Polygon

from justbite.field.distance import signed_distance
from justbite.field.grid import Field, Grid
from justbite.model.findings import Finding
from justbite.path.area import Area, parts_of
from justbite.path.clearing import Clearing, Piece
from justbite.path.entry import Entry, find_entry

CELL, CELL_ISLANDS, CELL_LEAST = 16.0, 20.0, 60.0
"""Cells to a radius: plain, with islands, and at most for small bites."""


@dataclass(frozen=True, slots=True)
class PartPath:
    """What is done in one part: how it is entered, and the pieces in order."""

    entry: Entry
    pieces: tuple[Piece, ...]


def plan_level(area: Area, target: float, clearance: float, operation: str,
               tick: Callable[[float], None]) -> tuple[list[PartPath], list[Finding]]:  # fmt: skip
    """Paths for one level of `area` with radial depth `target`.

    `tick` is called with the share of the area done, 0 to 1, and may raise to stop.
    """
    paths: list[PartPath] = []
    findings: list[Finding] = []
    parts = parts_of(area)
    if not parts:
        spot = area.shape.representative_point()
        width = 2.0 * area.shape.boundary.distance(spot)
        findings.append(
            Finding(
                "area.no-entry",
                f'Area "{area.name}" is too narrow for the {2 * area.radius:g} mm cutter and is not cut.',
                operation, area.name, spot.x, spot.y, size=width,
            )
        )  # fmt: skip
        return paths, findings
    whole = sum(p.buffer(area.radius).intersection(area.material).area for p in parts)
    done = 0.0
    for part in parts:
        room, cleared, grid = _fields(area, part, target)
        entry = find_entry(area, part, room, grid, clearance)
        if entry is None:
            findings.append(_no_entry(area, part, operation))
            continue
        if entry.kind == "ramp":
            x, y = entry.points.mean(axis=0)
            findings.append(
                Finding("entry.ramp", f'Area "{area.name}" is entered by a ramp.', operation, area.name, x, y)
            )
        work = Clearing(grid, cleared, room, area.radius, area.wall, target)
        if entry.kind != "outside":
            work.stamp_path(entry.points)
        before = done

        def share(removed: float, before: float = before) -> None:
            tick(min(0.999, (before + removed) / whole))

        start = entry.points[-1] if entry.kind == "helix" else entry.points[0]
        if entry.kind == "ramp":
            start = entry.points[-1]
        work.run(float(start[0]), float(start[1]), entry.heading, share)
        done += work.removed
        paths.append(PartPath(entry, tuple(work.pieces)))
    for x, y, size in area.unreached:
        findings.append(
            Finding(
                "area.unreached",
                f'The {2 * area.radius:g} mm cutter does not reach a place {size:.2f} mm wide in "{area.name}".',
                operation, area.name, x, y, size=size,
            )
        )  # fmt: skip
    return paths, findings


def _no_entry(area: Area, part: Polygon, operation: str) -> Finding:
    spot = part.representative_point()
    return Finding(
        "area.no-entry",
        f'Neither a helix nor a ramp fits into a part of area "{area.name}"; it is not cut.',
        operation, area.name, spot.x, spot.y, size=2.0 * part.boundary.distance(spot),
    )  # fmt: skip


def _fields(area: Area, part: Polygon, target: float) -> tuple[Field, Field, Grid]:
    """Room and cleared fields over one part, with a cell fit for the bite."""
    radius = area.radius
    share = CELL_ISLANDS if len(part.interiors) else CELL
    share = min(CELL_LEAST, max(share, 5.0 * radius / target))
    x1, y1, x2, y2 = part.bounds
    rim = area.wall + 0.5 * radius
    grid = Grid.over((x1 - rim, y1 - rim, x2 + rim, y2 + rim), radius / share)
    cap = max(2.5 * area.wall, area.wall + radius)
    room = signed_distance(area.free, grid, cap)
    if area.has_air:
        cleared = -signed_distance(area.free.difference(area.material), grid, 3.0 * radius)
    else:
        cleared = np.full((grid.ny, grid.nx), 3.0 * radius, dtype=np.float32)
    return room, cleared, grid
