"""What of the part stands beyond the open edges of a job's areas: walls that no area tells of.

An open edge leads into air, or into another area. Where that area is not cut with this job, as a hole that is drilled,
or where an outline was drawn by hand, the cutter would swing out into whatever stands there.
"""

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from justbite.model.job import Job, Region, Vertex
from justbite.model.shapes import free_space, region_shape
from justbite.part.shadow import shadow

HAIR = 0.03
"""mm: what is thinner stands there by chords only, of one wall at two heights."""
ABOVE = 0.02
"""mm above its floor from which on something stands before an area."""
LEAST_AREA = 0.01
"""mm2: less does not stand."""
SWING = 3.5
"""Radii beyond an open edge that the path and the proof look at, and the allowance."""


def with_standing(job: Job, part: NDArray[np.float64], chord: float) -> Job:
    """The job, each area knowing what of the part stands beyond its open edges.

    `part`: (m, 3, 3) corners of its triangles in the job's coordinates, mm.
    """

    def known(region: Region) -> Region:
        reach = max((SWING * job.tool(o.tool).diameter / 2 + o.allowance.wall for o in job.operations
                     if region.name in o.regions), default=0.0)  # fmt: skip
        if reach == 0 or not region.open_edges:
            return region
        own = _standing(region, part, reach, chord)
        return region.model_copy(update={"standing": [*region.standing, *own]})

    return job.model_copy(update={"regions": [known(r) for r in job.regions]})


def _standing(region: Region, part: NDArray[np.float64], reach: float, chord: float) -> list[list[Vertex]]:
    """Rings of what stands within `reach` mm beyond the open edges of a region."""
    zone = free_space(region, reach, chord).difference(region_shape(region, chord))
    if zone.is_empty:
        return []
    # On a grid: borders that are one but for their chords may cross each other anywhere.
    covered = _covered(part, zone.bounds, region.bottom + ABOVE)
    stands = shapely.intersection(zone.buffer(0), covered.buffer(0), grid_size=1e-6)
    stands = stands.buffer(-HAIR, join_style="mitre").buffer(HAIR, join_style="mitre")
    pieces = [p for g in shapely.get_parts(stands) if isinstance(g, Polygon) for p in _without_holes(g)]
    return [
        [(float(x), float(y)) for x, y in np.asarray(p.exterior.coords)[:-1, :2]] for p in pieces if p.area > LEAST_AREA
    ]


def _covered(part: NDArray[np.float64], bounds: tuple[float, float, float, float], z: float) -> BaseGeometry:
    """What of the part stands above `z` in a box (x, y, x, y)."""
    low, high = part.min(axis=1), part.max(axis=1)
    near = (low[:, :2] <= bounds[2:]).all(axis=1) & (high[:, :2] >= bounds[:2]).all(axis=1) & (high[:, 2] > z)
    if not near.any():
        return Polygon()
    vertices, index = np.unique(part[near].reshape(-1, 3), axis=0, return_inverse=True)
    return shadow(vertices, np.asarray(index.reshape(-1, 3), dtype=np.int32), z)


def _without_holes(shape: Polygon) -> list[Polygon]:
    """The shape in pieces, cut through its holes."""
    if not shape.interiors:
        return [shape]
    x1, y1, x2, y2 = shape.bounds
    at = Polygon(shape.interiors[0]).centroid.x
    halves = [shape.intersection(box(x1 - 1, y1 - 1, at, y2 + 1)), shape.intersection(box(at, y1 - 1, x2 + 1, y2 + 1))]
    return [p for h in halves for g in shapely.get_parts(h) if isinstance(g, Polygon) for p in _without_holes(g)]
