"""Reading a job file: from JSON to a sound job in millimetres, every fault said in a plain sentence."""

import json
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from pydantic import ValidationError

from justbite.errors import JobError
from justbite.model.job import INCH, ROUGHERS, Job, Region, Vertex

MOST_KNOWN = 1024
"""Regions that are known by their data, at most."""


def load_job(text: str | bytes) -> Job:
    """A job from JSON text, in millimetres. Raises JobError with one sentence per fault."""
    try:
        data = json.loads(text)
    except (ValueError, UnicodeDecodeError) as error:
        raise JobError(f"The job file is not JSON: {error}.") from None
    return parse_job(data)


def parse_job(data: Any) -> Job:
    """A job from decoded JSON, in millimetres. Raises JobError with one sentence per fault."""
    if not isinstance(data, dict) or data.get("format") != "justbite-job":
        raise JobError('This is not a job file: "format" must be "justbite-job".')
    try:
        job = Job.model_validate(_with_known(data))
    except ValidationError as error:
        raise JobError.of([_sentence(e, data) for e in error.errors()]) from None
    faults = _cross_faults(job)
    if faults:
        raise JobError.of(faults)
    return job if job.units == "mm" else in_millimetres(job)


def parse_region(data: dict[str, Any]) -> Region:
    """One region from decoded JSON. Raises JobError with one sentence per fault."""
    try:
        return Region.model_validate(data)
    except ValidationError as error:
        raise JobError.of([_sentence(e, data) for e in error.errors()]) from None


def _sentence(error: Any, data: dict[str, Any]) -> str:
    """One plain sentence for a pydantic error, with the place named as a person would."""
    place: list[str] = []
    here: Any = data
    for step in error["loc"]:
        if isinstance(step, int) and isinstance(here, list) and step < len(here):
            here = here[step]
            name = here.get("name") or here.get("number") if isinstance(here, dict) else None
            place.append(f'"{name}"' if name else str(step + 1))
        elif isinstance(here, dict) and step in here:
            here = here[step]
            place.append(str(step).replace("_", " "))
        elif error["type"] == "missing":
            place.append(str(step).replace("_", " "))
    where = ", ".join(place) or "job"
    given = error.get("input")
    said = error["msg"].removeprefix("Value error, ")
    if error["type"] == "missing":
        return f"{where}: this value is missing."
    if isinstance(given, str | int | float) and not isinstance(given, bool):
        said = said.removeprefix("Input ").replace("should", "must")
        return f"{where}: {given!r} will not do; it {said}."
    return f"{where}: {said}."


def _cross_faults(job: Job) -> list[str]:
    """Faults between the parts of a job: names and numbers that must match, bites too large."""
    faults = []
    numbers = [t.number for t in job.tools]
    for number in sorted({o.tool for o in job.operations}):
        own = [t for t in job.tools if t.number == number]
        if any(t != own[0] for t in own[1:]):
            # An operation could not tell which of them it means; otherwise it is only a finding.
            faults.append(f"tools: tool number {number} is used for {len(own)} different cutters; give each its own.")
    names = [r.name for r in job.regions]
    for name in sorted({n for n in names if names.count(n) > 1}):
        faults.append(f'regions: the name "{name}" is used twice; rename one.')
    for region in job.regions:
        for name in region.after:
            if name not in names or name == region.name:
                faults.append(f'regions, "{region.name}": there is no other area called "{name}" to come before it.')
    for operation in job.operations:
        where = f'operations, "{operation.name}"'
        for name in operation.regions:
            if name not in names:
                faults.append(f'{where}: there is no region called "{name}".')
        if operation.tool not in numbers:
            faults.append(f"{where}: there is no tool {operation.tool} in the list.")
            continue
        kind = job.tool(operation.tool).kind
        if kind not in ROUGHERS:
            faults.append(
                f"{where}: tool {operation.tool} is a {kind.replace('_', ' ')}; roughing takes a flat or a bull-nose"
                " end mill. Choose another cutter."
            )
        bite = operation.bite
        if bite is not None:
            diameter = job.tool(operation.tool).diameter
            share = bite.share or (bite.ae or 0) / diameter
            if share > 1 or (bite.angle or 0) > 180:
                faults.append(
                    f"{where}: a bite above 100 % of the cutter's diameter ({diameter:g}) cannot be"
                    " taken; give a smaller one."
                )
    return faults


def in_millimetres(job: Job) -> Job:
    """The job with every length and feed of an inch file made millimetres.

    Machines keep mm/min, kW and Nm: a machine is described once, whatever the drawing's units.
    """

    def points(ring: list[Vertex]) -> list[list[float]]:
        return [[p[0] * INCH, p[1] * INCH, *p[2:]] for p in ring]

    data = job.model_dump()
    data["units"] = "mm"
    for tool in data["tools"]:
        for key in ("diameter", "flute_length", "stickout", "corner_radius", "holder_diameter", "holder_length"):
            if tool[key] is not None:
                tool[key] *= INCH
        for values in tool["values"]:
            values["feed_per_tooth"] *= INCH
    data["stock"] = _stock_in_millimetres(data["stock"], points)
    for keep_out in data["keep_outs"]:
        keep_out["outline"] = points(keep_out["outline"])
        for key in ("bottom", "top"):
            if keep_out[key] is not None:
                keep_out[key] *= INCH
    for region in data["regions"]:
        region["outline"] = points(region["outline"])
        for rings in ("islands", "standing", "uncut"):
            region[rings] = [points(ring) for ring in region[rings]]
        region["top"] *= INCH
        region["bottom"] *= INCH
        if region["start"] is not None:
            region["start"] = [v * INCH for v in region["start"]]
        region["floors"] = [z * INCH for z in region["floors"]]
        for hole in region["drilled"]:
            hole["at"] = [v * INCH for v in hole["at"]]
            hole |= {key: hole[key] * INCH for key in ("diameter", "bottom") if hole[key] is not None}
    for operation in data["operations"]:
        for key in ("step_down", "feed", "tolerance", "hover", "return_feed"):
            if operation[key] is not None:
                operation[key] *= INCH
        for key in ("wall", "floor"):
            operation["allowance"][key] *= INCH
        if operation["bite"] and operation["bite"]["ae"] is not None:
            operation["bite"]["ae"] *= INCH
    for key in ("travel_height", "approach_gap"):
        if data[key] is not None:
            data[key] *= INCH
    return Job.model_validate(_with_known(data))


def _with_known(data: dict[str, Any]) -> dict[str, Any]:
    """The data of a job with those regions that were read before as they are known by now.

    A screen sends all of the job each time that one value of it has changed; what was worked out of a region is kept
    with the object (`kept.Kept`).
    """
    regions = data.get("regions")
    if not isinstance(regions, list):
        return data
    return data | {"regions": [_known(region) for region in regions]}


def _known(data: Any) -> Any:
    """A region's data as a region, if it is sound; else the data, for its faults to be told as those of a job."""
    if not isinstance(data, dict):
        return data
    try:
        return _region_of(json.dumps(data))
    except (TypeError, ValueError):
        return data


@lru_cache(maxsize=MOST_KNOWN)
def _region_of(text: str) -> Region:
    return Region.model_validate(json.loads(text))


def _stock_in_millimetres(stock: dict[str, Any], points: Callable[[list[Vertex]], list[list[float]]]) -> dict[str, Any]:
    if box := stock["box"]:
        stock["box"] = {corner: [v * INCH for v in box[corner]] for corner in ("min", "max")}
    if round_ := stock["cylinder"]:
        round_ |= {key: round_[key] * INCH for key in ("diameter", "low", "high")}
        round_["centre"] = [v * INCH for v in round_["centre"]]
    for prism in [stock["outline"], *(stock["terraces"] or [])]:
        if prism is not None:
            prism["outline"] = points(prism["outline"])
            prism["islands"] = [points(ring) for ring in prism["islands"]]
            prism |= {key: prism[key] * INCH for key in ("bottom", "top")}
    return stock
