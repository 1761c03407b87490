"""What can be said of a job before it is planned: whether it is sound, and its bites.

Loads no kernels, so that the answer follows typing.
"""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.bite.case import Case, case_of
from justbite.errors import JobError
from justbite.model.before import fresh_shape, sections
from justbite.model.bite import Bite
from justbite.model.job import Job, Machine, Material, Operation
from justbite.model.shapes import keep_out_shape, shape_faults
from justbite.model.stock import footprint

LEAST_SIZE = 1e-3
"""mm2 that an area counts at least."""


def check_job(job: Job) -> tuple[Machine, Material]:
    """The machine and material of a sound job. Raises JobError with all that is wrong."""
    machine, material = catalogue.machine_of(job), catalogue.material_of(job)
    faults = [f for r in job.regions for f in shape_faults(r, tolerances.CHORD)]
    faults += _faults_of(lambda: footprint(job.stock, tolerances.CHORD))
    for keep_out in job.keep_outs:
        faults += _faults_of(partial(keep_out_shape, keep_out, tolerances.CHORD))
    if faults:
        raise JobError.of(faults)
    return machine, material


def bite_of(job: Job, operation: Operation) -> Bite:
    """The solved bite of one operation."""
    return solver.solve(case_for(job, operation))


def case_for(job: Job, operation: Operation) -> Case:
    """What the solver works on for one operation. Raises JobError."""
    machine, material = catalogue.machine_of(job), catalogue.material_of(job)
    tool = job.tool(operation.tool)
    deep = depths_of(job, operation)
    if not deep:
        raise JobError(f'Operation "{operation.name}": the floor allowance leaves nothing to cut.')
    # Of many areas most are as deep as others.
    areas: dict[tuple[float, ...], float] = {}
    for name, own in deep.items():
        size = fresh_shape(job, job.region(name), tolerances.CHORD).area
        areas[own] = areas.get(own, 0.0) + max(size, LEAST_SIZE)
    known = job.material if isinstance(job.material, str) else ""
    case = case_of(operation, tool, material, machine, max(map(sum, areas)), known)
    return replace(case, areas=tuple((size, own) for own, size in areas.items()))


def depths_of(job: Job, operation: Operation) -> dict[str, tuple[float, ...]]:
    """How deep the sections of each area of an operation are, mm; of those areas where something is to be cut."""
    found = {}
    for region in (job.region(n) for n in operation.regions):
        if deep := sections(job, operation, region, tolerances.CHORD):
            found[region.name] = deep
    return found


def _faults_of(test: Callable[[], object]) -> list[str]:
    try:
        test()
    except JobError as error:
        return error.faults
    return []
