"""What can be said of a job before it is planned: whether it is sound, and its bites.

Loads no kernels, so that the answer follows typing.
"""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.errors import JobError
from justbite.model.before import cut_top, sections
from justbite.model.bite import Bite
from justbite.model.job import Job, Machine, Material, Operation
from justbite.model.shapes import keep_out_shape, region_shape, shape_faults
from justbite.model.stock import footprint


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


def case_for(job: Job, operation: Operation) -> solver.Case:
    """What the solver works on for one operation. Raises JobError."""
    machine, material = catalogue.machine_of(job), catalogue.material_of(job)
    tool = job.tool(operation.tool)
    depth = max(depths(job, operation).values())
    if depth <= 0:
        raise JobError(f'Operation "{operation.name}": the floor allowance leaves nothing to cut.')
    known = job.material if isinstance(job.material, str) else ""
    case = solver.case_of(operation, tool, material, machine, depth, known)
    return replace(case, areas=tuple(_sections(job, operation).values()))


def _sections(job: Job, operation: Operation) -> dict[str, solver.Sections]:
    """Of each area of an operation with something to cut how large it is, mm2, and its sections, mm."""
    found = {}
    for region in (job.region(n) for n in operation.regions):
        if deep := sections(job, operation, region, tolerances.CHORD):
            found[region.name] = (region_shape(region, tolerances.CHORD).area, deep)
    return found


def depths(job: Job, operation: Operation) -> dict[str, float]:
    """How deep each area of an operation is cut, mm."""
    found = {}
    for region in (job.region(n) for n in operation.regions):
        top = cut_top(job, operation, region, tolerances.CHORD)
        found[region.name] = top - region.bottom - operation.allowance.floor
    return found


def own_bites(job: Job, operation: Operation, case: solver.Case) -> dict[str, tuple[tuple[float, ...], Bite]]:
    """How deep the sections of each area are, mm, and the bite it would have if it were cut by itself.

    Empty where all areas are as deep.
    """
    deep = {name: sections for name, (_, sections) in _sections(job, operation).items()}
    if len({tuple(round(d, 3) for d in own) for own in deep.values()}) < 2:
        return {}
    solved = {own: solver.solve(replace(case, depth=sum(own), areas=((1.0, own),))) for own in set(deep.values())}
    return {name: (own, solved[own]) for name, own in deep.items()}


def _faults_of(test: Callable[[], object]) -> list[str]:
    try:
        test()
    except JobError as error:
        return error.faults
    return []
