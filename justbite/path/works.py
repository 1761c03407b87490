"""What there is to cut: for each area the depths at which all levels are alike, and what stands there.

What earlier operations of the job took out is no longer in it: a smaller cutter finds the rest of a larger one.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from justbite.model.before import as_deep, cut_top, earlier, floors_before
from justbite.model.borders import areas_of, grown, less, united
from justbite.model.findings import Finding
from justbite.model.job import Job, Operation, Region
from justbite.model.kept import Kept
from justbite.model.shapes import SAME, region_shape
from justbite.path.area import (
    NOTHING,
    Area,
    comes_to,
    kept_off,
    left_beside,
    left_in,
    make_area,
    off_walls,
    parts_of,
    reached,
    rest_of,
    thicker,
)
from justbite.path.foretold import cleared_later, stock_findings
from justbite.path.level import reach_findings

ENDS_FILM = 0.01
"""R that is taken to stand along the walls of areas that come before: up to 0.023 does where passes end at them."""


@dataclass(frozen=True, slots=True)
class Limits:
    """Tolerances that the path needs; see justbite.tolerances for each."""

    chord: float
    snap_share: float
    snap_tolerance: float
    fit_share: float
    fit_bite_share: float
    unreached_share: float
    clear_share: float
    chord_share: float
    film_share: float
    film_bite_share: float
    fit_most: float
    fit_next_share: float


@dataclass(frozen=True, slots=True)
class Swept:
    """What an operation took out of one area, seen from above, and the Z down to which."""

    shape: BaseGeometry
    z: float
    radius: float
    """Of its cutter."""
    film: float
    """mm by which its walls may be told wrong."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    """What an operation's cutter could take of one area from `top` to `bottom`, too little to be work, or kept off: it
    stands."""

    shape: BaseGeometry
    top: float
    bottom: float


@dataclass(frozen=True, slots=True)
class Others:
    """What is known of an operation's other areas when one is looked at, by their names."""

    cut: dict[str, BaseGeometry] = field(default_factory=dict)
    """Of those that can not be cut as a whole what is cut."""
    left: dict[str, list[LeftOut]] = field(default_factory=dict)
    """What is no work there, or kept off, though earlier operations left it."""


NONE = Others()


class Looked(NamedTuple):
    """What there is to know of an area before it is planned."""

    works: list["Work"]
    """From the top down; one, but where earlier operations did not go as deep as this one."""
    findings: list[Finding]
    left: list[LeftOut]
    """What they do not take, though earlier operations left it."""


@dataclass(frozen=True, slots=True)
class Work:
    """What there is to cut of an area from `top` to `bottom`: the same at every level."""

    area: Area
    top: float
    bottom: float
    floors: tuple[float, ...]
    """Heights in between that get a level of their own."""

    def levels(self, step: float) -> list[float]:
        """Z of its levels, each at most `step` mm deep."""
        return level_heights(self.top, self.bottom, step, self.floors)


def sections_cut(works: Sequence[Work]) -> tuple[tuple[float, tuple[float, ...]], ...]:
    """How large what is cut is, mm2, and how deep its sections are, mm, for each depth that there is."""
    found: dict[tuple[float, ...], float] = {}
    for work in works:
        heights = (work.top, *sorted(work.floors, reverse=True), work.bottom)
        deep = tuple(a - b for a, b in pairwise(heights))
        size = grown(work.area.locus, work.area.radius).intersection(work.area.material).area
        found[deep] = found.get(deep, 0.0) + size
    return tuple((size, deep) for deep, size in found.items())


def level_heights(top: float, bottom: float, step: float, floors: tuple[float, ...] = ()) -> list[float]:
    """Z of levels from `top` down to `bottom`, each at most `step` deep, equal between two floors."""
    levels = []
    for z in (*sorted((f for f in floors if bottom + 1e-6 < f < top - 1e-6), reverse=True), bottom):
        count = max(1, int(np.ceil((top - z) / step - 1e-6)))
        levels += [top - (top - z) * (k + 1) / count for k in range(count)]
        top = z
    return levels


THIN_BESIDE = 0.25
"""Of the bite: what is thinner before an open edge is no wall, though it stands higher than the section."""
FELT = 0.0085
"""R: how thin a film along a wall may be to be cut all along; of one of 0.006 R passes find but half."""


def works_on(job: Job, operation: Operation, name: str, target: float, step: float, limits: Limits,
             before: Sequence[Swept], others: Others = NONE) -> Looked:  # fmt: skip
    """What there is to cut in a region with radial depth `target` in levels of up to `step`.

    `before`: what is gone.
    """
    region = job.region(name)
    radius = job.tool(operation.tool).diameter / 2
    top, bottom = cut_top(job, operation, region, limits.chord), region.bottom + operation.allowance.floor
    if bottom >= top - SAME:
        return Looked([], [], [])
    snap = min(limits.snap_share * radius, limits.snap_tolerance * operation.tolerance)
    area = make_area(
        job, region, radius, operation.allowance.wall, snap, limits.chord,
        limits.unreached_share * radius**2, _gone_before(job, operation, region, snap, limits.chord, others),
    )  # fmt: skip
    area = replace(area, slack=max(0.0, operation.tolerance - snap))
    findings = stock_findings(job, area, region, bottom, operation, limits.chord)
    if area.material.is_empty:
        return Looked([], findings, [])
    found = reach_findings(area, operation.name, region.over_slope > 0)
    if cleared_later(job, operation, name) is not None:
        found = [f for f in found if f.code != "area.unreached"]
    findings += found
    works: list[Work] = []
    left: list[LeftOut] = []
    high_beside: BaseGeometry = NOTHING
    high_inside: BaseGeometry = NOTHING
    cusps: list[_Cusps] = []
    on_walls = _on_walls(job, operation, name)
    nearer = _nearer(job, operation, name) > FELT * radius
    ignored = 0.0
    for high, low in pairwise((top, *floors_before(job, operation, region, limits.chord), bottom)):
        done = [s for s in before if s.z <= low + 1e-6]
        own = area
        if done:
            exact = max(s.film for s in done)
            thin = 0.0 if nearer else limits.film_share * max(s.radius for s in done)
            film = max(exact, min(thin, limits.film_bite_share * target))
            least = max(film, thin, operation.tolerance)
            own = rest_of(area, _all_of(done), film, least)
            unseen, worth = own.unseen, bool(parts_of(own))
            # Where it cuts nearer to the walls what was left on them is gone.
            if not (nearer and worth):
                ignored = max(ignored, film)
            if not worth:
                cusps.append(_Cusps(_all_of(done), film, high, least))
                unseen = less(area.material, areas_of(_all_of(done)))
            if not unseen.is_empty:
                left.append(LeftOut(_in_reach(area, unseen, exact), high, low))
        if cusps and parts_of(own):
            stays = [c.too_much(area, THIN_BESIDE * target, high, min(step, high - low)) for c in cusps]
            high_inside = shapely.union_all([high_inside, *stays])
        if not high_beside.is_empty:
            own = kept_off(own, high_beside)
        if not high_inside.is_empty:
            # An allowance kept round a cusp would leave many times what it is.
            own = kept_off(own, high_inside, area.radius + area.snap)
        if high < top - SAME:
            # Films on walls are as high as all that was cut before, and weigh as much as the floor that is skimmed.
            nearest, own = own, off_walls(own, min(ignored, on_walls))
            if own is not nearest and parts_of(own):
                stays = less(nearest.material.intersection(reached(nearest)), reached(own))
                left.append(LeftOut(_in_reach(area, stays, area.snap), high, low))
        high_beside = high_beside.union(left_beside(own, THIN_BESIDE * target))
        if parts_of(own):
            works.append(Work(own, high, low, tuple(z for z in region.floors if low < z < high)))
            if left:
                cut = areas_of(grown(own.locus, own.radius).intersection(own.material))
                left = [replace(one, shape=less(one.shape, cut)) for one in left]
    left = [one for one in left if not one.shape.is_empty]
    if not works and parts_of(area):
        spot = area.shape.representative_point()
        findings.append(
            Finding(
                "area.no-rest",
                f'Operations before "{operation.name}" leave nothing of area "{name}" that its cutter would take.',
                operation.name, name, spot.x, spot.y, bottom,
            )
        )  # fmt: skip
    return Looked(works, findings, left)


def _in_reach(area: Area, unseen: BaseGeometry, exact: float) -> BaseGeometry:
    """What of that, where it is thicker than `exact` mm, areas that come after this one would take for gone."""
    near = grown(grown(area.locus, -ENDS_FILM * area.radius, quad_segs=32), area.radius, quad_segs=32)
    return thicker(areas_of(unseen.intersection(near)), exact)


@dataclass(frozen=True, slots=True)
class _Cusps:
    """A section of an area that the cutter is not sent to for the little that is left there."""

    gone: BaseGeometry
    """What is not left."""
    film: float
    """mm that stand on walls, as `rest_of` has it."""
    top: float
    """Z that it stands up to."""
    least: float
    """mm: what is thinner is a film."""

    def too_much(self, area: Area, thin: float, high: float, deep: float) -> BaseGeometry:
        """What of it a level, `deep` mm deep, of a section that begins at `high` may not take along: for its height it
        weighs as much as what is thicker than `thin` mm and no higher than the level."""
        if area.material.is_empty:
            return NOTHING
        left = left_in(area, self.gone, self.film)
        return thicker(left, max(self.least, thin * deep / (self.top - high + deep)))


def _nearer(job: Job, operation: Operation, name: str) -> float:
    """mm that an operation leaves less on an area's walls than all before it: what stands there is its work."""
    before = [o.allowance.wall for o in earlier(job, operation) if name in o.regions]
    return min(before, default=0.0) - operation.allowance.wall


def _on_walls(job: Job, operation: Operation, name: str) -> float:
    """mm that stand on an area's walls beside an operation's allowance, at most: with its tolerance what the one before
    left that went the nearest."""
    before = [o.allowance.wall + o.tolerance for o in earlier(job, operation) if name in o.regions]
    return min(before, default=0.0) - operation.allowance.wall


_TAKEN = Kept(4)
"""What several operations took together, by the first of them: asked for by each area that comes after them."""


def _all_of(done: list[Swept]) -> BaseGeometry:
    """What they took together."""
    # They are kept with it: as long as they are, no others have their numbers.
    kept = _TAKEN.get(done[0], tuple(map(id, done)), lambda: (done, united([s.shape for s in done])))
    found: BaseGeometry = kept[1]
    return found


def _gone_before(job: Job, operation: Operation, region: Region, film: float, chord: float,
                 others: Others = NONE) -> BaseGeometry:  # fmt: skip
    """Of the areas that come before a region, what is gone as deep as the region goes.

    `film`: mm that stays on walls besides the allowance, since the cutter keeps so far off; of this operation's areas
    ENDS_FILM more.

    All of those that no operation cuts; of those that this one cuts what its cutter comes to: the allowance on a wall
    that leads into the region stands before the region's open edge, and so does what is too little to be work there.
    What earlier operations took is told by `Swept`, and what a later one is to take stands.
    """
    cut = {name for o in job.operations for name in o.regions}
    radius, wall = job.tool(operation.tool).diameter / 2, operation.allowance.wall
    stand = meeting(job, operation, region.name, others, chord)
    gone = []
    for other in (job.region(n) for n in region.after):
        if other.bottom > region.bottom + SAME:
            continue
        if other.name in others.cut:
            gone.append(others.cut[other.name])
        elif other.name in operation.regions:
            # Before its open edges it takes nothing of what stands higher there than where it begins itself.
            beyond = (
                as_deep(region, other)
                and cut_top(job, operation, other, chord) > cut_top(job, operation, region, chord) - SAME
            )
            taken = comes_to(job, other, radius, wall, film + ENDS_FILM * radius, chord, beyond)
            gone.append(less(taken, united(stand[other.name])) if stand.get(other.name) else taken)
        elif other.name not in cut:
            gone.append(region_shape(other, chord))
    return shapely.union_all(gone)


def meeting(job: Job, operation: Operation, name: str, others: Others, chord: float
            ) -> dict[str, list[BaseGeometry]]:  # fmt: skip
    """Of what an operation leaves of the areas that come before one, by name, what stands near that at its heights."""
    region = job.region(name)
    names = [n for n in region.after if n in operation.regions and others.left.get(n)]
    if not names:
        return {}
    top, bottom = cut_top(job, operation, region, chord), region.bottom + operation.allowance.floor
    near = shapely.box(*region_shape(region, chord).bounds).buffer(2.0 * job.tool(operation.tool).diameter)
    found: dict[str, list[BaseGeometry]] = {}
    for other in names:
        own = [one.shape for one in others.left[other] if one.bottom < top - SAME and one.top > bottom + SAME]
        found[other] = [shape for one in own if not (shape := areas_of(one.intersection(near))).is_empty]
    return found
