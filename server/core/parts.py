"""Parts for the screens: read in a process of its own, laid out, compared. Used by server.core only."""

import contextlib
import struct
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from justbite import catalogue, tolerances
from justbite.errors import JobError, PartError
from justbite.layout import (
    Layout,
    area_of_chain,
    chain_at,
    lay_out,
    matrix_of,
    merge,
    region_of,
    slices,
    split,
    strip_of_chain,
)
from justbite.model.drawing import Drawing, Vertices
from justbite.model.feature import Feature
from justbite.model.job import Region
from justbite.model.parse import parse_job, parse_region
from justbite.model.part import Body, Part
from justbite.model.placing import FromModel, Placing
from justbite.model.shapes import region_shape, ring_points
from justbite.part.compare import compare
from justbite.part.features import area_feature
from server.core.drawn import stock_picture
from server.core.operations import by_depth

Reading = Callable[[int], bytes]
"""The packed reading of another part file by its key."""
Document = Callable[[int], dict[str, Any]]
"""The document of another job by its key."""
NOT_READ: dict[str, Any] = {"source": None, "units": "", "units_known": True, "bodies": [], "findings": []}
MOST_EDGE_POINTS = 60_000


def read_apart(
    data: bytes, name: str, units: str | None, join: float | None, seconds: float, gigabytes: float
) -> bytes:
    """The packed reading of a part file, made in a process of its own. Raises PartError."""
    with tempfile.TemporaryDirectory() as folder:
        source, packed = Path(folder) / "part", Path(folder) / "packed"
        source.write_bytes(data)
        command = [sys.executable, "-m", "justbite.cli", "read", str(source), "--name", name, "--packed", str(packed),
                   "--memory", str(gigabytes)]  # fmt: skip
        command += ["--units", units] if units else []
        command += ["--join", str(join)] if join else []
        try:
            done = subprocess.run(command, capture_output=True, timeout=seconds, check=False)
        except subprocess.TimeoutExpired:
            raise PartError(
                f"Reading took longer than {seconds:.0f} s and was given up.", "Export the part coarser or simpler."
            ) from None
        if done.returncode == 2:
            raise PartError(done.stderr.decode(errors="replace").strip())
        if done.returncode != 0 or not packed.exists():
            raise PartError("The file is broken in a way that stops its reader.", "Export the part again.")
        return packed.read_bytes()


@lru_cache(maxsize=8)
def unpacked(reading: bytes) -> Part | Drawing:
    return Drawing.unpacked(reading) if reading[:1] == b"{" else Part.unpacked(reading)


def summary(reading: bytes) -> dict[str, Any]:
    """What was read, without its geometry."""
    part = unpacked(reading)
    findings = [f.as_dict() for f in part.findings]
    if isinstance(part, Drawing):
        x1, y1, x2, y2 = part.bounds
        bodies = [{"name": "drawing", "size": [x2 - x1, y2 - y1, 0.0], "volume": 0.0, "triangles": 0}]
        return {"source": "drawing", "units": part.units, "units_known": part.units_known, "bodies": bodies,
                "findings": findings}  # fmt: skip
    bodies = [
        {"name": b.name, "size": np.ptp(b.vertices, axis=0).tolist(), "volume": b.volume, "triangles": len(b.triangles)}
        for b in part.bodies
    ]
    return {"source": part.source, "units": part.units, "units_known": part.units_known, "bodies": bodies,
            "findings": findings}  # fmt: skip


def mesh(reading: bytes, number: int) -> bytes:
    """A body for the screen: counts, then float32 vertices, uint32 triangles, int32 face of each,
    float32 edge segments (pairs of points), and a byte for each face: 1 when it may look up.

    A solid's curved faces may not; of a mesh any facet may, its flat faces are not told apart.
    """
    part = unpacked(reading)
    if isinstance(part, Drawing) or number >= len(part.bodies):
        return struct.pack("<4I", 0, 0, 0, 0)
    body = part.bodies[number]
    segments = [np.stack([e[:-1], e[1:]], axis=1) for e in _drawn_edges(body)]
    lines = np.concatenate(segments) if segments else np.zeros((0, 2, 3))
    flat = np.array([part.source == "mesh" or f.kind == "plane" for f in body.faces], dtype=np.uint8)
    return b"".join(
        [
            struct.pack("<4I", len(body.vertices), len(body.triangles), len(lines), len(body.faces)),
            body.vertices.astype("<f4").tobytes(), body.triangles.astype("<u4").tobytes(),
            body.face_of.astype("<i4").tobytes(), lines.astype("<f4").tobytes(), flat.tobytes(),
        ]
    )  # fmt: skip


def _drawn_edges(body: Body) -> list[np.ndarray]:
    """The longest edges, as many as a screen needs."""
    edges = sorted(body.edges(), key=lambda e: -float(np.linalg.norm(np.diff(e, axis=0), axis=1).sum()))
    count = np.cumsum([len(e) for e in edges]) if edges else np.zeros(0)
    return [e for e, c in zip(edges, count, strict=True) if c <= MOST_EDGE_POINTS]


_LAYOUTS: dict[tuple[int, str], Layout] = {}
MOST_LAYOUTS = 12


@dataclass(frozen=True)
class Asked:
    """All that a layout is made from, fetched: nothing in it needs the database any more."""

    reading: bytes
    placing: Placing
    other_reading: bytes | None
    other_document: dict[str, Any] | None


def gather(reading: bytes, placing: dict[str, Any], readings: Reading, documents: Document) -> Asked:
    """What a layout needs. Raises JobError or PartError when something is not there."""
    wish = _placing(placing)
    stock = wish.stock
    part = stock.part if isinstance(stock, FromModel) else None
    job = stock.job if isinstance(stock, FromModel) else None
    return Asked(
        reading, wish, readings(part) if part is not None else None, documents(job) if job is not None else None
    )


def layout_of(asked: Asked) -> Layout:
    """The part laid out as wished; the last few are kept. Raises JobError."""
    key = (hash(asked.reading), asked.placing.model_dump_json())
    if isinstance(asked.placing.stock, FromModel):
        return lay_out(unpacked(asked.reading), asked.placing, _other(asked))
    if key not in _LAYOUTS:
        while len(_LAYOUTS) >= MOST_LAYOUTS:
            with contextlib.suppress(KeyError, StopIteration):
                _LAYOUTS.pop(next(iter(_LAYOUTS)))
        _LAYOUTS[key] = lay_out(unpacked(asked.reading), asked.placing)
    return _LAYOUTS[key]


def _placing(plain: dict[str, Any]) -> Placing:
    try:
        return Placing.model_validate(plain)
    except ValidationError as error:
        said = [
            f"{' '.join(str(s) for s in e['loc'])}: {e['msg'].removeprefix('Value error, ')}." for e in error.errors()
        ]
        raise JobError.of(said) from None


def _other(asked: Asked) -> tuple[Body, np.ndarray]:
    """The body that is the stock, and its matrix into the part's own coordinates."""
    if asked.other_reading is not None:
        part = unpacked(asked.other_reading)
        if isinstance(part, Drawing):
            raise JobError("A drawing has no body that could be the stock.", "Give the stock as an outline instead.")
        return part.bodies[0], np.eye(4)
    from justbite.part.leftover import leftover

    job = parse_job(asked.other_document)
    matrix = matrix_of(job)
    if matrix is None:
        raise JobError("The earlier job was not made from a part, so its stock has no place on this one.")
    return leftover(job), np.linalg.inv(matrix)


def picture(layout: Layout) -> dict[str, Any]:
    """A layout as plain data."""
    return {
        "matrix": layout.matrix.tolist(),
        "stock": layout.stock.model_dump(mode="json", exclude_none=True),
        "stock_picture": stock_picture(layout.stock),
        "bounds": layout.features.bounds,
        "levels": layout.features.levels,
        "features": [feature(f) for f in layout.features.features],
        "details": [{"kind": d.kind, "size": d.size, "count": d.count} for d in layout.features.details],
        "edges": _flat_edges(layout),
    }


def _flat_edges(layout: Layout) -> list[list[list[float]]]:
    """Edges with some extent seen from above, as x, y, z."""
    wide = [e for e in layout.edges if np.ptp(e[:, :2], axis=0).max() > 1e-3]
    wide.sort(key=len)
    count = np.cumsum([len(e) for e in wide]) if wide else np.zeros(0)
    return [np.round(e, 3).tolist() for e, c in zip(wide, count, strict=True) if c <= MOST_EDGE_POINTS]


def feature(found: Feature) -> dict[str, Any]:
    """A feature as plain data, with its edges as polylines to draw and as the region it becomes."""
    region = region_of(found) if found.depth > 0 else None
    return {
        **found.as_dict(),
        "drawn": _edges(list(found.outline)),
        "drawn_islands": [[p for e in _edges(list(r)) for p in e[:-1]] for r in found.islands],
        "region": region.model_dump(mode="json") if region else None,
    }


def _edges(ring: list[Any]) -> list[list[list[float]]]:
    edges = ring_points(ring, 0.02)
    follow = [*edges[1:], edges[0]]
    return [np.round(np.vstack([e, f[:1]]), 4).tolist() for e, f in zip(edges, follow, strict=True)]


def chain(layout: Layout, x: float, y: float, follow: str, within: float) -> dict[str, Any]:
    """The chain near a place, to be shown before it is taken."""
    found = chain_at(layout, x, y, "tangent" if follow == "tangent" else "height", within)
    return {"points": np.round(found.points, 4).tolist(), "z": found.z, "closed": found.closed, "gap": found.gap}


def chain_area(layout: Layout, pick: dict[str, Any], bridge: bool, bottom: float, width: float | None,
               right: bool) -> dict[str, Any]:  # fmt: skip
    """The area inside a picked chain, or the strip beside it."""
    found = chain_at(
        layout, pick["x"], pick["y"], "tangent" if pick["follow"] == "tangent" else "height", pick["within"]
    )
    if width is not None:
        return feature(strip_of_chain(layout, found, width, right, bottom))
    return feature(area_of_chain(layout, found, bridge, bottom))


Plain = dict[str, Any]


def merged(areas: list[Plain]) -> Plain:
    """One area of several; each as outline, islands, open_edges, top, bottom."""
    return feature(merge([_area(a) for a in areas]))


def split_area(area: Plain, a: tuple[float, float], b: tuple[float, float]) -> list[Plain]:
    """The pieces of an area along a line."""
    outline, islands, opened, top, bottom = _area(area)
    return [feature(f) for f in split(outline, islands, opened, top, bottom, a, b)]


def drawn_area(area: Plain) -> Plain:
    """An area drawn by hand, with its figures."""
    outline, islands, opened, top, bottom = _area(area)
    return feature(area_feature("outline", outline, islands, opened, top, bottom))


def _area(plain: Plain) -> tuple[Vertices, tuple[Vertices, ...], tuple[int, ...], float, float]:
    """The pieces of an area given as plain data. Raises JobError when they make none."""
    region = parse_region({**plain, "name": "the area"})
    region_shape(region, tolerances.CHORD)
    outline = tuple(_vertex(p) for p in region.outline)
    islands = tuple(tuple(_vertex(p) for p in r) for r in region.islands)
    opened = tuple(range(len(outline))) if region.open_edges == "all" else tuple(region.open_edges)
    return outline, islands, opened, region.top, region.bottom


def _vertex(p: tuple[float, ...]) -> tuple[float, float, float]:
    return p[0], p[1], p[2] if len(p) > 2 else 0.0


def sliced(layout: Layout, z: float) -> list[dict[str, Any]]:
    return [feature(f) for f in slices(layout, z)]


def with_new_part(document: dict[str, Any], pk: int, name: str, sha256: str, reading: bytes, readings: Reading,
                  documents: Document) -> tuple[dict[str, Any], list[dict[str, Any]]]:  # fmt: skip
    """The document with its areas as they are on a new version of its part, and what changed."""
    job = parse_job(document)
    kept = job.part
    if not kept or "placing" not in kept:
        raise JobError("This job was not made from a part, so no new version can be given.", "Make a new job from it.")
    layout = layout_of(gather(reading, kept["placing"], readings, documents))
    changes = compare(job.regions, list(layout.features.features))
    by_region = {c.region: c for c in changes if c.region is not None}
    regions = []
    for region in job.regions:
        change = by_region.get(region.name)
        regions.append(_followed(region, change.feature) if change and change.what == "moved" else region)
    stock = layout.stock.model_dump(mode="json", exclude_none=True)
    part = {**kept, "id": pk, "name": name, "sha256": sha256, "matrix": layout.matrix.tolist()}
    new = {**document, "stock": stock, "part": part, "regions": [r.model_dump(mode="json") for r in regions]}
    return new, [c.finding.as_dict() for c in changes if c.finding is not None]


def _followed(region: Region, found: Feature | None) -> Region:
    """A region with its feature's new geometry; its name and what comes before it stay."""
    assert found is not None
    new = region_of(found, region.name)
    return new.model_copy(
        update={"after": region.after, "floors": [z for z in region.floors if new.bottom < z < new.top]}
    )


def job_on_part(pk: int, name: str, reading: bytes, wish: Plain) -> Plain:
    """The document of a job that roughs the named features of a part with one cutter of the stores, by depth.

    `wish` holds name, machine, material, tool (ids of the stores), placing, take (features' names),
    reserve, wall, floor. Raises JobError when a feature is not there.
    """
    placing = _placing(wish["placing"])
    layout = lay_out(unpacked(reading), placing)
    found = {f.name: f for f in layout.features.features}
    missing = [n for n in wish["take"] if n not in found]
    if missing:
        raise JobError(f'The part has no "{missing[0]}".', f"It has {', '.join(found)}.")
    tool = catalogue.tools()[wish["tool"]].model_dump(mode="json") | {"number": 1}
    regions = [region_of(found[n]) for n in wish["take"]]
    regions = [r.model_copy(update={"after": [n for n in r.after if n in wish["take"]]}) for r in regions]
    document = {
        "format": "justbite-job", "version": 1, "name": wish["name"], "units": "mm",
        "machine": wish["machine"], "material": wish["material"], "tools": [tool],
        "stock": layout.stock.model_dump(mode="json", exclude_none=True),
        "part": {"id": pk, "name": name, "placing": placing.model_dump(mode="json"), "matrix": layout.matrix.tolist()},
        "regions": [r.model_dump(mode="json") for r in regions],
        "operations": [{"name": "Rough the areas", "kind": "rough", "regions": wish["take"], "tool": 1,
                        "reserve": wish["reserve"], "allowance": {"wall": wish["wall"], "floor": wish["floor"]},
                        "tolerance": 0.02}],
    }  # fmt: skip
    return {**document, "operations": by_depth(document, 0)}
