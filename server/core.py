"""The only module of the server that imports the core."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from justbite import __version__, catalogue, tolerances
from justbite.errors import InputError, JobError, JustBiteError, PartError, StoppedError
from justbite.model.job import Job, Region, parse_job
from justbite.model.shapes import ring_points
from justbite.part.dxf import MOST_BYTES, read_dxf
from justbite.prepare import bite_of, check_job
from justbite.units import read_quantity

__all__ = ["MOST_BYTES", "InputError", "JobError", "JustBiteError", "PartError", "StoppedError"]


def fingerprint(document: dict[str, Any]) -> str:
    """The hash of all that a plan depends on: the document and the core's version."""
    text = json.dumps(document, sort_keys=True) + __version__
    return hashlib.sha256(text.encode()).hexdigest()


def check(document: Any) -> Job:
    """The job of a document, shapes checked too. Raises JobError."""
    job = parse_job(document)
    check_job(job)
    return job


def bite(document: dict[str, Any], operation: int) -> dict[str, Any]:
    """The bite of one operation of a document."""
    job = parse_job(document)
    if not 0 <= operation < len(job.operations):
        raise JobError(f"The job has no operation {operation + 1}.")
    return bite_of(job, job.operations[operation]).as_dict()


def plan(document: dict[str, Any], progress: Callable[[float, str], None]) -> tuple[str, dict[str, Any], bytes]:
    """Plan a document: NC text, report, path trace. Raises InputError or StoppedError."""
    from justbite.plan import plan as core_plan

    result = core_plan(check(document), progress)
    return result.program, result.report, result.trace.packed()


def drawing(data: bytes, units: str | None) -> dict[str, Any]:
    """The areas of a DXF file as plain data, outlines also as polylines to draw."""
    read = read_dxf(data, units, tolerances.JOIN, tolerances.CHORD)
    areas = [
        {**asdict(a), "drawn": _drawn(list(a.outline)), "drawn_islands": [_drawn(list(r)) for r in a.islands]}
        for a in read.areas
    ]
    return {
        "areas": areas,
        "findings": [f.as_dict() for f in read.findings],
        "units": read.units,
        "units_known": read.units_known,
        "bounds": read.bounds,
    }


def _drawn(ring: list[Any]) -> list[list[float]]:
    points = np.vstack(ring_points(ring, 0.02))
    return [[round(float(x), 4), round(float(y), 4)] for x, y in points]


def picture(document: dict[str, Any]) -> dict[str, Any]:
    """What the drawing shows of a job, in mm: stock, and each region's edges and islands."""
    job = parse_job(document)
    return {
        "stock": job.stock.box.model_dump(mode="json"),
        "regions": [_region_picture(r) for r in job.regions],
    }


def _region_picture(region: Region) -> dict[str, Any]:
    edges = ring_points(region.outline, 0.02)
    follow = [*edges[1:], edges[0]]
    lines = [np.vstack([e, f[:1]]) for e, f in zip(edges, follow, strict=True)]
    is_open = [region.open_edges == "all" or i in region.open_edges for i in range(len(edges))]
    return {
        "name": region.name,
        "top": region.top,
        "bottom": region.bottom,
        "edges": [
            {"points": [[round(float(x), 4), round(float(y), 4)] for x, y in line], "open": o}
            for line, o in zip(lines, is_open, strict=True)
        ],
        "islands": [_drawn(r) for r in region.islands],
    }


def stores() -> dict[str, Any]:
    """The catalogue as plain data, with the source of each entry."""
    source = catalogue.sources()
    return {
        name: [{"id": k, "source": source[k], **v.model_dump()} for k, v in table.items()]
        for name, table in (
            ("materials", catalogue.materials()),
            ("tools", catalogue.tools()),
            ("machines", catalogue.machines()),
        )
    }


def quantity(text: str, kind: str, units: str) -> dict[str, Any]:
    """A typed value read and shown in both systems. Raises InputError."""
    return asdict(read_quantity(text, kind, units))
