"""The only package of the server that imports the core."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import asdict, replace
from functools import lru_cache
from typing import Any

from pydantic import ValidationError

from justbite import __version__, catalogue, tolerances
from justbite.bite import chart as bite_chart
from justbite.bite import relief, solver
from justbite.bite.known import KnownPath
from justbite.catalogue import exchange
from justbite.errors import InputError, JobError, JustBiteError, PartError, PlannerError, StoppedError
from justbite.from_top import in_order
from justbite.model.job import Job, Machine, Material, Tool
from justbite.model.parse import parse_job
from justbite.model.shapes import job_space
from justbite.part.read import MOST_BYTES
from justbite.path.remembered import Remembered
from justbite.prepare import case_for, check_job
from justbite.units import read_quantity
from server.core import parts
from server.core.drawn import drawn, region_picture, rings, stock_picture
from server.core.operations import by_depth, with_operation
from server.core.parts import read_apart

__all__ = [
    "MOST_BYTES", "InputError", "JobError", "JustBiteError", "PartError", "PlannerError", "StoppedError", "by_depth",
    "parts", "read_apart",
]  # fmt: skip


def fingerprint(document: dict[str, Any]) -> str:
    """The hash of all that a plan depends on: the document and the core's version."""
    text = json.dumps(_plain(document), sort_keys=True) + __version__
    return hashlib.sha256(text.encode()).hexdigest()


def _plain(value: Any) -> Any:
    """Whole numbers without a fraction: a browser sends 18 for what was kept as 18.0."""
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def check(document: Any) -> Job:
    """The job of a document, shapes checked too. Raises JobError."""
    job = parse_job(document)
    check_job(job)
    return job


def kept(document: Any) -> dict[str, Any]:
    """A document as it is kept: sound, and in millimetres, which is what the screens take its figures for."""
    job = check(document)
    return dict(document) if document.get("units", "mm") == "mm" else job.model_dump(mode="json")


Path = dict[str, Any] | None
"""What a fresh plan's report says of an operation's path; None: not planned."""


def bite(document: dict[str, Any], operation: int, path: Path = None) -> dict[str, Any]:
    """The bite of one operation of a document, with its torque and force over a turn."""
    case = _case(document, operation, path)
    found = solver.solve(case)
    turn = solver.turn_of(case, found)
    trace = {"torque": turn.torque[::2].round(3).tolist(), "force": turn.force[::2].round(1).tolist()}
    return {**found.as_dict(), "turn": trace}


def reliefs(document: dict[str, Any], operation: int, path: Path = None) -> list[dict[str, Any]]:
    """What would relieve the ceilings that bind, each tried."""
    case = _case(document, operation, path)
    return [asdict(r) for r in relief.reliefs(case, solver.solve(case))]


def chart(document: dict[str, Any], operation: int, path: Path = None) -> dict[str, Any]:
    """The map of ae and ap of one operation."""
    return bite_chart.chart(_case(document, operation, path)).as_dict()


@lru_cache(maxsize=8)
def _ordered(text: str) -> Job:
    """The job of a document as it will be planned: the bite, its reliefs and its chart are asked for one by one."""
    return in_order(parse_job(json.loads(text)))


def _case(document: dict[str, Any], operation: int, path: Path) -> solver.Case:
    with_operation(document, operation)
    job = _ordered(json.dumps(document))
    case = case_for(job, job.operations[operation])
    return replace(case, path=KnownPath.of(path)) if path else case


REMEMBERED = Remembered()
"""What this process planned: a job that was changed is planned again only where that matters."""


def plan(document: dict[str, Any], progress: Callable[[float, str], None], reading: bytes | None = None
         ) -> tuple[str, dict[str, Any], bytes]:  # fmt: skip
    """Plan a document: NC text, report, path trace. Raises InputError or StoppedError.

    `reading`: the packed reading of its part, which the program is held against.
    """
    from justbite.layout import corners_in
    from justbite.plan import plan as core_plan

    job = check(document)
    part = corners_in(job, parts.unpacked(reading)) if reading else None
    result = core_plan(job, progress, part, REMEMBERED)
    return result.program, result.report, result.trace.packed()


def picture(document: dict[str, Any]) -> dict[str, Any]:
    """What the drawing shows of a job, in mm: stock, and each region's edges and islands."""
    job = parse_job(document)
    return {
        "stock": stock_picture(job.stock),
        "regions": [region_picture(r) for r in job.regions],
        "keep_outs": [{"name": k.name, "points": drawn(k.outline), "top": k.top} for k in job.keep_outs],
    }


def limits(document: dict[str, Any], operation: int) -> dict[str, list[list[list[float]]]]:
    """Per region of an operation, the outlines of where the cutter's centre may go."""
    job = with_operation(document, operation)
    own = job.operations[operation]
    radius = job.tool(own.tool).diameter / 2
    found = {}
    for name in own.regions:
        free = job_space(job, job.region(name), 3.2 * radius + own.allowance.wall, tolerances.CHORD)
        found[name] = rings(free.buffer(-radius - own.allowance.wall).simplify(0.01))
    return found


_STORED: dict[str, type[Material] | type[Tool] | type[Machine]] = {
    "materials": Material, "tools": Tool, "machines": Machine,
}  # fmt: skip


def stores(own: list[tuple[int, str, dict[str, Any]]]) -> dict[str, Any]:
    """The catalogue and the workshop's own entries as plain data, with the source of each."""
    source = catalogue.sources()
    tables = {"materials": catalogue.materials(), "tools": catalogue.tools(), "machines": catalogue.machines()}
    found: dict[str, list[dict[str, Any]]] = {
        name: [{"id": k, "own": None, "source": source[k], **v.model_dump(mode="json")} for k, v in table.items()]  # type: ignore[attr-defined]
        for name, table in tables.items()
    }
    for pk, kind, data in own:
        found[kind].append({"id": f"own-{pk}", "own": pk, "source": "entered here", **data})
    return found


def store_entry(kind: str, data: dict[str, Any]) -> dict[str, Any]:
    """An entry of the stores, checked. Raises JobError with one sentence per fault."""
    if kind not in _STORED:
        raise JobError(f'There is no store called "{kind}".')
    fields = _STORED[kind].model_fields
    plain = {k: v for k, v in data.items() if k in fields}
    if kind == "tools":
        plain.setdefault("number", 1)
    try:
        return _STORED[kind].model_validate(plain).model_dump(mode="json")
    except ValidationError as error:
        raise JobError.of([entry_sentence(e) for e in error.errors()]) from None


def entry_sentence(error: Any) -> str:
    name = str(error["loc"][0]).replace("_", " ") if error["loc"] else "the entry"
    return f"{name}: {error['msg'].removeprefix('Value error, ').replace('Input should', 'it must')}."


def read_tools(data: bytes) -> list[dict[str, Any]]:
    """The cutters of an ISO 13399 list as plain data. Raises InputError."""
    return [t.model_dump(mode="json") for t in exchange.read_tools(data)]


def write_tools(entries: list[dict[str, Any]], form: str) -> str:
    """Cutters of the stores as CSV or JSON with ISO 13399 codes."""
    tools = [Tool.model_validate({k: v for k, v in e.items() if k in Tool.model_fields}) for e in entries]
    return exchange.to_json(tools) if form == "json" else exchange.to_csv(tools)


def nearest_material(group: str, hardness: float | None, own: list[tuple[int, str, dict[str, Any]]]) -> str | None:
    """The id of the stores' material of the same group that is nearest in hardness; None: no such group."""
    known = {**catalogue.materials(), **{f"own-{pk}": Material(**d) for pk, kind, d in own if kind == "materials"}}
    return exchange.nearest_material(group, hardness, known)


def quantity(text: str, kind: str, units: str) -> dict[str, Any]:
    """A typed value read and shown in both systems. Raises InputError."""
    return asdict(read_quantity(text, kind, units))
