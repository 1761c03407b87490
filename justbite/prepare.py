"""What can be said of a job before it is planned: whether it is sound, and its bites.

Loads no kernels, so that the answer follows typing.
"""

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.errors import JobError
from justbite.model.bite import Bite
from justbite.model.job import Job, Machine, Material, Operation
from justbite.model.shapes import shape_faults


def check_job(job: Job) -> tuple[Machine, Material]:
    """The machine and material of a sound job. Raises JobError with all that is wrong."""
    machine, material = catalogue.machine_of(job), catalogue.material_of(job)
    faults = [f for r in job.regions for f in shape_faults(r, tolerances.CHORD)]
    if faults:
        raise JobError.of(faults)
    return machine, material


def bite_of(job: Job, operation: Operation) -> Bite:
    """The solved bite of one operation."""
    machine, material = catalogue.machine_of(job), catalogue.material_of(job)
    tool = job.tool(operation.tool)
    depth = max(job.region(n).top - job.region(n).bottom - operation.allowance.floor for n in operation.regions)
    if depth <= 0:
        raise JobError(f'Operation "{operation.name}": the floor allowance leaves nothing to cut.')
    return solver.solve(solver.case_of(operation, tool, material, machine, depth))
