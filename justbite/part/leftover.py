"""What a job leaves of its stock, as a body: the stock of the next setup."""

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown
from justbite.model.job import Job
from justbite.model.part import Body, Face
from justbite.model.shapes import job_space, region_shape
from justbite.model.stock import fill_heights, heights
from justbite.part.merge import merged

CHORD = 0.01


def leftover(job: Job) -> Body:
    """The stock less all that the job's operations clear, with their allowances, in job coordinates.

    What the cutter cannot reach in corners is counted as left.
    """
    from manifold3d import Manifold

    bottom, _ = heights(job.stock)
    solid = Manifold()
    for shape, top in fill_heights(job.stock, CHORD):
        solid = solid + _prism(shape, bottom, top)
    cut = Manifold()
    for operation in job.operations:
        radius = job.tool(operation.tool).diameter / 2
        for name in operation.regions:
            region = job.region(name)
            free = job_space(job, region, 3.2 * radius + operation.allowance.wall, CHORD)
            swept = grown(grown(free, -radius - operation.allowance.wall), radius)
            taken = swept.intersection(grown(region_shape(region, CHORD), 1e-3))
            floor = region.bottom + operation.allowance.floor
            if floor < region.top:
                cut = cut + _prism(taken, floor, region.top + 1e-3)
    mesh = (solid - cut).to_mesh()
    points = np.asarray(mesh.vert_properties[:, :3], dtype=float)
    vertices, triangles = merged(points, np.asarray(mesh.tri_verts, dtype=np.int32))
    left = solid - cut
    return Body(
        f"left by {job.name}", vertices, triangles, np.zeros(len(triangles), dtype=np.int32), (Face("other"),),
        float(left.volume()), float(left.surface_area()),
    )  # fmt: skip


def _prism(shape: BaseGeometry, bottom: float, top: float) -> "Manifold":  # type: ignore[name-defined]  # noqa: F821
    from manifold3d import CrossSection, FillRule, Manifold

    rings = []
    for part in shapely.get_parts(shapely.orient_polygons(shape)):
        if isinstance(part, Polygon):
            rings += [np.asarray(r.coords)[:-1, :2] for r in (part.exterior, *part.interiors)]
    if not rings:
        return Manifold()
    return Manifold.extrude(CrossSection(rings, FillRule.EvenOdd), top - bottom).translate((0.0, 0.0, bottom))
