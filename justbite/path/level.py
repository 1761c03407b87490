"""One level of one area in the plane: entries, cuts and links for each part of the locus."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import shapely
from scipy import ndimage
from shapely.geometry import Polygon

from justbite.field.distance import signed_distance
from justbite.field.grid import Field, Grid
from justbite.model.findings import Finding
from justbite.path.area import Area, parts_of
from justbite.path.clearing import Clearing, Piece
from justbite.path.entry import Entry, find_entry

CELL, CELL_ISLANDS, CELL_LEAST = 16.0, 20.0, 60.0
"""Cells to a radius: plain, with islands, and at most for small bites."""
MOST_ENTRIES = 12
LEAST_REST = 0.5
"""Material worth an entry of its own, R squared."""


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
        room, cleared, grid = fields_of(area, part, target)
        work = Clearing(grid, cleared, room, area.radius, area.wall, target)
        before = done

        def share(removed: float, before: float = before) -> None:
            tick(min(0.999, (before + removed) / whole))

        entry = find_entry(area, part, clearance)
        if entry is None:
            findings.append(_no_entry(area, part, operation))
        for _ in range(MOST_ENTRIES):
            if entry is None:
                break
            paths.append(_clear_from(work, entry, share))
            # A neck may have stopped it: what is left behind one gets an entry of its own.
            rest = _standing(work, area, part)
            entry = None if rest is None else _inner_entry(area, rest)
        done += work.removed
        for path in paths:
            if path.entry.kind == "ramp":
                findings.append(_ramp_finding(area, path.entry, operation))
    for x, y, size in area.unreached:
        findings.append(
            Finding(
                "area.unreached",
                f'The {2 * area.radius:g} mm cutter does not reach a place {size:.2f} mm wide in "{area.name}".',
                operation, area.name, x, y, size=size,
            )
        )  # fmt: skip
    return paths, findings


def _clear_from(work: Clearing, entry: Entry, share: Callable[[float], None]) -> PartPath:
    """Enter and clear all that can be reached from there."""
    work.pieces = []
    if entry.kind != "outside":
        work.stamp_path(entry.points)
    start = entry.points[-1]
    work.run(float(start[0]), float(start[1]), entry.heading, share)
    return PartPath(entry, tuple(work.pieces))


def _standing(work: Clearing, area: Area, part: Polygon) -> Polygon | None:
    """Where in `part` the cutter would still meet a good deal of material; None when nowhere."""
    grid = work.grid
    standing = work.cleared > 0.1 * area.radius
    reach = signed_distance(part.buffer(area.wall).intersection(area.material), grid, area.radius)
    labels, count = ndimage.label(standing & (reach > 0.0))
    if count == 0:
        return None
    sizes = np.bincount(labels.ravel())[1:] * grid.cell**2
    if sizes.max() < LEAST_REST * area.radius**2:
        return None
    j, i = np.nonzero(labels == 1 + int(sizes.argmax()))
    spots = shapely.MultiPoint(np.column_stack([grid.x0 + i * grid.cell, grid.y0 + j * grid.cell]))
    near = spots.buffer(0.75 * grid.cell).intersection(part)
    inside = [p for p in shapely.get_parts(near) if p.area > 0]
    return max(inside, key=lambda p: p.area) if inside else None


def _inner_entry(area: Area, rest: Polygon) -> Entry | None:
    """A helix or ramp in the middle of what still stands."""
    return find_entry(replace(area, material=area.free), rest, 0.0)


def _ramp_finding(area: Area, entry: Entry, operation: str) -> Finding:
    x, y = entry.points.mean(axis=0)
    return Finding("entry.ramp", f'Area "{area.name}" is entered by a ramp.', operation, area.name, float(x), float(y))


def _no_entry(area: Area, part: Polygon, operation: str) -> Finding:
    spot = part.representative_point()
    return Finding(
        "area.no-entry",
        f'Neither a helix nor a ramp fits into a part of area "{area.name}"; it is not cut.',
        operation, area.name, spot.x, spot.y, size=2.0 * part.boundary.distance(spot),
    )  # fmt: skip


def fields_of(area: Area, part: Polygon, target: float) -> tuple[Field, Field, Grid]:
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
