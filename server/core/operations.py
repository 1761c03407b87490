"""Operations of a document."""

from typing import Any

from justbite.errors import JobError
from justbite.grouping import shared_out
from justbite.model.job import Job
from justbite.model.parse import parse_job


def with_operation(document: dict[str, Any], operation: int) -> Job:
    """The job of a document that has so many operations. Raises JobError."""
    job = parse_job(document)
    if not 0 <= operation < len(job.operations):
        raise JobError(f"The job has no operation {operation + 1}.")
    return job


def by_depth(document: dict[str, Any], operation: int) -> list[dict[str, Any]]:
    """The operations of a document, the areas of one of them shared out by depth. Raises JobError."""
    job = with_operation(document, operation)
    new = shared_out(job, job.operations[operation])
    kept: list[dict[str, Any]] = document["operations"]
    # In the document's units, and what it leaves out left out: only names and areas are new.
    parts = [{**kept[operation], "name": o.name, "regions": o.regions} for o in new]
    return [*kept[:operation], *parts, *kept[operation + 1 :]]
