"""What is told of an area before it is planned: of the stock in, over and beside it, and of what others cut later."""

from collections.abc import Sequence
from dataclasses import replace

import shapely
from shapely.geometry.base import BaseGeometry

from justbite.model.before import cut_top, uncut_above
from justbite.model.borders import ONE_BORDER, grown
from justbite.model.findings import Finding
from justbite.model.job import Job, Operation, Region
from justbite.model.shapes import OVERLAP, SAME, in_the_way, region_shape, uncut_shape
from justbite.model.stock import heights, standing
from justbite.path.area import Area

STANDS = 0.1
"""R^2 of stock right before open edges from which it is worth telling."""


def cleared_later(job: Job, operation: Operation, name: str) -> Operation | None:
    """The first later operation that takes a smaller cutter to the area."""
    diameter = job.tool(operation.tool).diameter
    after = (o for o in _after(job, operation.name) if name in o.regions and job.tool(o.tool).diameter < diameter)
    return next(after, None)


NOT_CUT = "is not cut."
"""How the sentence ends that tells of an area, or a part of one, that no way in fits into."""


def put_off(job: Job, operation: Operation, finding: Finding) -> Finding:
    """A note where nothing goes into an area that a smaller cutter comes to later, which tells its own."""
    later = cleared_later(job, operation, finding.area) if finding.code == "area.no-entry" else None
    if later is None:
        return finding
    return replace(finding, code="area.put-off",
                   sentence=f'{finding.sentence.removesuffix(NOT_CUT)}is left to "{later.name}".')  # fmt: skip


def _after(job: Job, operation: str) -> Sequence[Operation]:
    """The operations after the one of this name."""
    return job.operations[[o.name for o in job.operations].index(operation) + 1 :]


def stock_findings(job: Job, area: Area, region: Region, bottom: float, operation: Operation, chord: float
                   ) -> list[Finding]:  # fmt: skip
    """What there is to say of the stock in, over and beside an area that is cut down to Z `bottom`; `chord` in mm."""
    name = operation.name
    low, high = heights(job.stock)
    spot = area.shape.representative_point()
    said: list[tuple[str, str]] = []
    if not standing(job.stock, region.bottom, chord).intersects(area.shape):
        said.append(("area.outside-stock", f'Area "{area.name}" lies outside the stock; there is nothing to cut.'))
    if bottom < low - 1e-6:
        said.append(("area.outside-stock", f'Area "{area.name}" goes {low - bottom:.2f} mm below the stock.'))
    if job.part is not None:
        # The stock is known, and what no area takes above an area is cut with it.
        if uncut_above(job, operation, region, chord).area > OVERLAP:
            top = cut_top(job, operation, region, chord)
            above_it = f"{top - region.top:.2f} mm above where it begins"
            said.append(("area.from-stock-top", f'Area "{area.name}" is cut from {above_it}: no area takes what stands'
                         " there before."))  # fmt: skip
    elif region.top < high - 1e-6:
        above = standing(job.stock, region.top + 1e-6, chord).intersection(area.shape)
        for other in _cut_until(job, name):
            if other.name != region.name and other.bottom <= region.top + 1e-6:
                above = above.difference(grown(region_shape(other, chord), 1e-3))
        if above.area > 1e-2 * area.radius**2:
            begins = f'Area "{area.name}" starts {high - region.top:.2f} mm below the top of the stock'
            later = _cut_above_later(job, name, region, above, chord)
            if later is None:
                said.append(("area.outside-stock", f"{begins}; what is above must be gone."))
            else:
                said.append(("area.order", f'{begins}, and what is above it only "{later}" cuts, after "{name}".'))
    found = [Finding(code, s, name, area.name, spot.x, spot.y, bottom) for code, s in said]
    found += _open_findings(job, area, region, bottom, name, chord)
    for keep_out, shape in in_the_way(job, region, chord):
        lost = grown(shape, area.radius).intersection(area.shape)
        if lost.area > 1e-3:
            spot = lost.representative_point()
            found.append(
                Finding(
                    "area.keep-out",
                    f'Keep-out "{keep_out.name}" stands in area "{area.name}"; about {lost.area:.0f} mm² are not cut.',
                    name, area.name, spot.x, spot.y, keep_out.top,
                )
            )  # fmt: skip
    return found


def _open_findings(job: Job, area: Area, region: Region, bottom: float, operation: str, chord: float) -> list[Finding]:
    """Where stock stands right before an open edge, and no area of the job is there to cut it."""
    before = area.free.intersection(grown(area.shape, area.radius)).difference(area.shape)
    if before.area < STANDS * area.radius**2:
        return []
    deep = [r for r in job.regions if r.name != region.name and r.bottom <= region.bottom + SAME]
    others = [region_shape(r, chord) for r in deep]
    stands = before.intersection(standing(job.stock, bottom + SAME, chord))
    others.append(uncut_shape(region, chord))
    stands = grown(stands.difference(grown(shapely.union_all(others), ONE_BORDER)), -ONE_BORDER)
    if stands.area < STANDS * area.radius**2:
        return []
    spot = max(shapely.get_parts(stands), key=lambda g: g.area).representative_point()
    said = f'Area "{area.name}" is open where stock stands that no area cuts; it is taken as cut before.'
    return [Finding("area.open-into-stock", said, operation, area.name, spot.x, spot.y, bottom)]


def _cut_above_later(job: Job, operation: str, region: Region, above: BaseGeometry, chord: float) -> str | None:
    """The first operation after this one that cuts what stands above an area; None where none does."""
    for later in _after(job, operation):
        for other in (job.region(n) for n in later.regions if n != region.name):
            if other.top > region.top + 1e-6 and region_shape(other, chord).intersection(above).area > 1e-3:
                return later.name
    return None


def _cut_until(job: Job, operation: str) -> list[Region]:
    """The areas that are cut by the operations up to and with the one of this name."""
    names: list[str] = []
    for o in job.operations:
        names += o.regions
        if o.name == operation:
            break
    return [job.region(n) for n in dict.fromkeys(names)]
