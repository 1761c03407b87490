"""What stands beyond the open edges of a job's areas: walls, and stock, that no area tells of.

An open edge leads into air, or into another area. Where that area is not cut with this job, as a hole that is drilled,
or where an outline was drawn by hand, the cutter would swing out into whatever stands there: the part itself is a wall,
stock in a hole's mouth or before an outline is cut with the area, and what goes on farther than that is a wall again.
Of a job without a part that is not known, and left to the word of the open edge.
"""

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import ONE_BORDER, mitred
from justbite.model.findings import Finding
from justbite.model.job import Job, Region, Vertex
from justbite.model.shapes import SAME, free_space, region_shape
from justbite.model.stock import standing
from justbite.part.shadow import shadow

HAIR = 0.03
"""mm: what is thinner stands there by chords only, of one wall at two heights."""
ABOVE = 0.02
"""mm above its floor from which on something stands before an area."""
LEAST_AREA = 0.01
"""mm2: less does not stand."""
FARTHER = 1.0
"""mm beyond that reach in which stock that goes on is told from stock that ends."""
SWING = 3.5
"""Radii beyond an open edge that the path and the proof look at, and the allowance."""


def with_standing(job: Job, part: NDArray[np.float64], chord: float) -> tuple[Job, list[Finding]]:
    """The job, each area knowing what stands beyond its open edges; and where stock goes on there.

    `part`: (m, 3, 3) corners of its triangles in the job's coordinates, mm.
    """
    findings: list[Finding] = []

    def known(region: Region) -> Region:
        reach = max((SWING * job.tool(o.tool).diameter / 2 + o.allowance.wall for o in job.operations
                     if region.name in o.regions), default=0.0)  # fmt: skip
        if reach == 0 or not region.open_edges:
            return region
        own = region_shape(region, chord)
        zone = free_space(region, reach, chord).difference(own)
        wider = free_space(region, reach + FARTHER, chord).difference(own)
        if zone.is_empty:
            return region
        part_there = _covered(part, wider.bounds, region.bottom + ABOVE)
        walls = _pieces(zone, part_there)
        uncut = _uncut(job, region, own, wider.difference(shapely.union_all(walls).buffer(HAIR)), chord)
        ends = [g for g in uncut if g.difference(zone.buffer(HAIR)).area < LEAST_AREA]
        goes_on = [p for g in uncut if g not in ends for p in _pieces(zone, g)]
        if goes_on:
            spot = max(goes_on, key=lambda g: g.area).representative_point()
            said = f'Area "{region.name}" is open where stock goes on that no area cuts; it is taken as a wall.'
            findings.append(Finding("area.open-into-stock", said, "", region.name, spot.x, spot.y, region.bottom))
        walls += goes_on
        return region.model_copy(update={
            "standing": [*region.standing, *_rings(walls)], "uncut": [*region.uncut, *_rings(ends)],
        })  # fmt: skip

    return job.model_copy(update={"regions": [known(r) for r in job.regions]}), findings


def _uncut(job: Job, region: Region, own: BaseGeometry, zone: BaseGeometry, chord: float) -> list[Polygon]:
    """Pieces of stock in a zone right before an area that no area of the job covers as deep as it goes."""
    deep = [r for r in job.regions if r.name != region.name and r.bottom <= region.bottom + SAME]
    taken = shapely.union_all([own, *(region_shape(r, chord) for r in deep)]).buffer(ONE_BORDER, join_style="mitre")
    return [p for p in _pieces(zone, standing(job.stock, region.bottom + ABOVE, chord).difference(taken))
            if p.distance(own) < 3.0 * ONE_BORDER]  # fmt: skip


def _pieces(zone: BaseGeometry, stands: BaseGeometry) -> list[Polygon]:
    """What stands in a zone, without what is there by chords only."""
    # On a grid: borders that are one but for their chords may cross each other anywhere.
    there = shapely.intersection(zone.buffer(0), stands.buffer(0), grid_size=1e-6)
    there = mitred(mitred(there, -HAIR), HAIR)
    return [p for p in shapely.get_parts(there) if isinstance(p, Polygon) and p.area > LEAST_AREA]


def _rings(shapes: list[Polygon]) -> list[list[Vertex]]:
    """The shapes as rings, cut through their holes."""
    pieces = [p for shape in shapes for p in _without_holes(shape) if p.area > LEAST_AREA]
    return [[(float(x), float(y)) for x, y in np.asarray(p.exterior.coords)[:-1, :2]] for p in pieces]


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
