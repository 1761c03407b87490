"""What can be said of a job before it is planned: whether it is sound, and its bites.

Loads no kernels, so that the answer follows typing.
"""

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.bite.case import Case, case_of
from justbite.errors import JobError
from justbite.model.before import fresh_shape, sections
from justbite.model.bite import Bite
from justbite.model.borders import grown
from justbite.model.job import Job, Machine, Material, Operation, Region, Tool
from justbite.model.kept import Kept
from justbite.model.shapes import SAME, free_space, keep_out_shape, region_shape, shape_faults, uncut_shape
from justbite.model.stock import footprint, standing

LEAST_SIZE = 1e-3
"""mm2 that an area counts at least."""
LEAST_REACH, LEAST_ROOM, STRIP = 0.01, 0.7, 3.2
"""R^2 from which on what a cutter comes to is cut; R that the room of its centre measures across, at least, where it
can go in with neither air nor a plunge: no helix is smaller; R before open edges that it sweeps."""
OVER, IN_CIRCLE = 1.02, 1e-3
"""How much wider than what stands a bite may be, so that no sliver is left to a second pass; and shares of D to which
the circle is told that fits into what stands."""
_COME_TO = Kept(2048)
"""Of the last regions."""


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
        region = job.region(name)
        size = _fresh(job, operation, tool, region).area
        areas[own] = areas.get(own, 0.0) + max(size, LEAST_SIZE)
    known = job.material if isinstance(job.material, str) else ""
    case = case_of(operation, tool, material, machine, max(map(sum, areas)), known)
    case = replace(case, areas=tuple((size, own) for own, size in areas.items()))
    return replace(case, stands=_stands(job, operation, list(deep), case.most_bite))


def depths_of(job: Job, operation: Operation) -> dict[str, tuple[float, ...]]:
    """How deep the sections of each area of an operation are, mm; of those areas where something is to be cut.

    An area that the cutter does not come into asks nothing of its bite, nor one where no stock stands; where that goes
    for all of them, all are told.
    """
    found = {}
    for region in (job.region(n) for n in operation.regions):
        if deep := sections(job, operation, region, tolerances.CHORD):
            found[region.name] = deep
    tool = job.tool(operation.tool)
    least = LEAST_REACH * (tool.diameter / 2) ** 2

    def is_cut(name: str) -> bool:
        region = job.region(name)
        stock = standing(job.stock, region.bottom + SAME, tolerances.CHORD)
        return bool(_come_to(operation, tool, region).intersection(stock).area > least)

    return {name: deep for name, deep in found.items() if is_cut(name)} or found


def _stands(job: Job, operation: Operation, names: list[str], bite: float) -> float:
    """mm that what is to be cut stands wide before open edges, at most; infinite where some is as wide as `bite`, or
    where an area is closed: there the cutter itself is what is wide."""
    tool, found = job.tool(operation.tool), []
    for region in map(job.region, names):
        if not region.open_edges:
            return math.inf
        stock = standing(job.stock, region.bottom + SAME, tolerances.CHORD)
        own = _fresh(job, operation, tool, region)
        found += [own.intersection(stock), uncut_shape(region, tolerances.CHORD)]
    # Areas that lead into each other stand there as one.
    whole = shapely.union_all(found)
    if not whole.buffer(-0.5 * bite).is_empty:
        return math.inf
    parts = [part for part in shapely.get_parts(whole) if part.area > LEAST_SIZE]
    circles = shapely.maximum_inscribed_circle(parts, IN_CIRCLE * tool.diameter)
    return OVER * 2.0 * float(shapely.length(circles).max()) if parts else math.inf


def _fresh(job: Job, operation: Operation, tool: Tool, region: Region) -> BaseGeometry:
    """What of an area its cutter can come to, and no deeper area takes that comes before it."""
    whole, fresh = region_shape(region, tolerances.CHORD), fresh_shape(job, region, tolerances.CHORD)
    own = _come_to(operation, tool, region)
    # Mostly it is all of the area, which the cutter comes to no more than.
    return own if fresh is whole else own.intersection(fresh)


def _come_to(operation: Operation, tool: Tool, region: Region) -> BaseGeometry:
    """What of an area a cutter can come to, as if nothing else stood before its open edges."""
    radius, wall = tool.diameter / 2, operation.allowance.wall

    def make() -> BaseGeometry:
        locus = grown(free_space(region, STRIP * radius + wall, tolerances.CHORD), -radius - wall)
        parts = shapely.get_parts(locus)
        if not (region.open_edges or region.drilled or tool.centre_cutting):
            x1, y1, x2, y2 = shapely.bounds(parts).T
            parts = parts[np.hypot(x2 - x1, y2 - y1) > LEAST_ROOM * radius]
        return grown(shapely.union_all(parts), radius).intersection(region_shape(region, tolerances.CHORD))

    return _COME_TO.get(region, (radius, wall, tool.centre_cutting), make)


def _faults_of(test: Callable[[], object]) -> list[str]:
    try:
        test()
    except JobError as error:
        return error.faults
    return []
