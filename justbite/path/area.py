"""Where the cutter's centre may be at one level of an area, and what it can reach.

`free` is the plane that the cutter may sweep: the area less its islands, and beyond open
edges a strip of air. `locus` is where its centre may stand.
"""

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import shapely
import shapely.ops
from shapely.geometry import Point, Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import areas_of, grown, less, mitred, without_seams
from justbite.model.job import Job, Region
from justbite.model.shapes import beside, job_space, region_shape, uncut_shape
from justbite.model.stock import standing

MOST_LEFT = 0.001
"""Share of an area that an operation may leave standing."""


BESIDE = 0.05
"""R more than the gap that a rapid keeps from stock beside it: so much the map of the proof may tell otherwise."""
NOTHING = Polygon()
SNUG = 0.15
"""How much more than R the radius of a drilled hole must be, in R: in narrower ones small bites find no beginning."""
LEAST_HELIX, MOST_HELIX = 0.25, 0.9
"""Radius of a helix in cutter radii: wide enough to leave no core, narrow enough to be quick."""


@dataclass(frozen=True, slots=True)
class Hole:
    """A drilled hole that the cutter comes down in; mm."""

    x: float
    y: float
    diameter: float
    radius: float
    """What counts of that: where a helix takes what stands below, no more than a helix is wide."""
    bottom: float
    """Z of its lower end; minus infinity where that is no higher than the floor."""

    @classmethod
    def of(cls, x: float, y: float, diameter: float, bottom: float, cutter: float) -> "Hole":
        """As a cutter of radius `cutter` takes it."""
        most = math.inf if bottom == -math.inf else (1.0 + MOST_HELIX) * cutter
        return cls(x, y, diameter, min(0.5 * diameter, most), bottom)


@dataclass(frozen=True)
class Area:
    """Geometry of one region for one cutter; lengths mm."""

    name: str
    shape: BaseGeometry
    """The region less its islands."""
    material: BaseGeometry
    """The part of `shape` where stock stands."""
    beyond: BaseGeometry
    """Stock that stands where the cutter may not sweep."""
    free: BaseGeometry
    locus: BaseGeometry
    radius: float
    wall: float
    """Least distance of the centre from the border of `free`."""
    snap: float
    """What of that is there for the fields' error."""
    unreached: tuple[tuple[float, float, float], ...]
    """x, y, width of places in the area that the cutter does not reach."""
    holes: tuple[Hole, ...] = ()
    """That the cutter may come down in, the widest first. Only by `of_part` is what stands in and below them gone."""
    drilled: BaseGeometry = NOTHING
    """What of the material is gone by that."""
    unfit: tuple[Hole, ...] = ()
    """Too narrow for the cutter, or where it may not go: planned as if they were not there."""
    slack: float = 0.0
    """mm beyond the snap that the path's tolerance lets stand along walls."""
    unseen: BaseGeometry = NOTHING
    """Stock that is too thin to be work, and so no material; it stands all the same where no pass comes over it."""

    @cached_property
    def has_air(self) -> bool:
        """Whether the cutter can come in from outside the stock, or by a hole."""
        return bool(self.holes) or self.free.difference(self.material).area > 4.0 * self.radius**2

    @property
    def at_floor(self) -> BaseGeometry:
        """The material as it stands on the floor: with what is below holes that end above it."""
        ended = [Point(h.x, h.y).buffer(h.radius, quad_segs=64) for h in self.holes if h.bottom > -math.inf]
        return self.material.union(self.drilled.intersection(shapely.union_all(ended))) if ended else self.material

    def of_part(self, part: Polygon) -> "Area":
        """The area as plans for one part of its locus find it: the holes in it that count are gone down to the floor.

        What stands below a hole is only taken where it is gone in by: of those that end above the floor the widest
        counts, and none where others go through. Holes in other parts are as if they were not there: whether those
        are cut before this one is not known.
        """
        if not self.holes:
            # What is known of it by now stays known.
            return self
        own = [hole for hole in self.holes if part.contains(Point(hole.x, hole.y))]
        if not own:
            return replace(self, holes=())
        through = [hole for hole in own if hole.bottom == -math.inf]
        counted = tuple(through or own[:1])
        drilled = shapely.union_all([Point(h.x, h.y).buffer(h.radius, quad_segs=64) for h in counted])
        left = self.material.difference(drilled)
        if not _worth(part, left, self.radius):
            return replace(self, holes=())
        return replace(self, holes=counted, drilled=drilled.intersection(self.material), material=left)

    def solid(self) -> "Area":
        """The area as if no hole were drilled in it."""
        return replace(self, holes=(), drilled=NOTHING, material=self.material.union(self.drilled))


SEAM = 1e-3
"""mm: half of how wide a seam may be between pieces of what is left, whose borders are one but for the last digits."""
NARROW = 0.1
"""mm: no gap between two areas is air that is as narrow as that: no cutter was there."""
HAIR = 1e-4
"""mm: what is thinner does not stand."""


def swept_space(job: Job, region: Region, radius: float, allowance: float, chord: float) -> BaseGeometry:
    """Where a cutter may sweep in and before a region."""
    return job_space(job, region, 3.2 * radius + allowance, chord)


def comes_to(job: Job, region: Region, radius: float, allowance: float, film: float, chord: float,
             beyond: bool = False) -> BaseGeometry:  # fmt: skip
    """What of a region a cutter takes: less the allowance on its walls, the `film` mm left on that, and corners.

    `beyond`: and before its open edges.
    """
    reach = grown(swept_space(job, region, radius, allowance, chord), -radius - allowance - film, quad_segs=32)
    own = region_shape(region, chord)
    if beyond:
        # No farther than its cutter goes from what it cuts of the region: behind a neck that is too narrow all stands.
        reach = shapely.union_all([part for part in shapely.get_parts(reach) if _worth(part, own, radius)])
    swept = grown(reach, radius, quad_segs=32)
    return swept if beyond else own.intersection(swept)


def make_area(job: Job, region: Region, radius: float, allowance: float, snap: float, chord: float,
              least: float, gone: BaseGeometry = NOTHING) -> Area:  # fmt: skip
    """The area of a region. `snap` mm is added to the wall distance, `least` mm2 is ignored; `gone`: what is not there
    any more, in the region or before its open edges."""
    shape = region_shape(region, chord)
    free = swept_space(job, region, radius, allowance, chord)
    stock = standing(job.stock, region.bottom, chord)
    # Beyond an open edge there may be another area of the job, not yet cut, or stock that none cuts.
    deeper, _ = beside(job, region, chord)
    deeper = deeper.union(uncut_shape(region, chord))
    material = (shape if deeper.is_empty else shape.union(free.intersection(deeper))).intersection(stock)
    if not gone.is_empty:
        # Borders that are one to the micrometre leave hairs, which would stand in the way of a rapid.
        material = mitred(mitred(less(material, gone), -HAIR), HAIR).intersection(material)
    if not deeper.is_empty:
        # Borders of two areas are one but for their chords, or for what was too narrow for an area of its own: no seam
        # may stay between them that is taken for air.
        material = without_seams(material, 0.5 * NARROW)
    wall = radius + allowance + snap
    locus = grown(free, -wall, quad_segs=32)
    holes, unfit = _holes(region, free, locus, radius)
    target = grown(free, -allowance).intersection(shape) if allowance > 0 else shape
    reach = grown(locus, wall + 0.002 * radius, quad_segs=32)
    rest = grown(grown(target.difference(reach), -0.002 * radius), 0.002 * radius)
    unreached = []
    for part in shapely.get_parts(rest):
        if part.area >= least:
            spot = part.representative_point()
            unreached.append((spot.x, spot.y, float(2.0 * shapely.maximum_inscribed_circle(part).length)))
    return Area(
        region.name, shape, material, stock.difference(free), free, locus, radius, wall, snap, tuple(unreached), holes,
        unfit=unfit,
    )  # fmt: skip


def _holes(region: Region, free: BaseGeometry, locus: BaseGeometry, radius: float
           ) -> tuple[tuple[Hole, ...], tuple[Hole, ...]]:  # fmt: skip
    """The drilled holes that a cutter comes down in, the widest first, and those that are no use to it.

    Where a hole ends above the floor a helix in it takes the rest: it must be wide enough for that. None may reach
    into a wall.
    """
    fit: list[Hole] = []
    unfit: list[Hole] = []
    for drilled in sorted(region.drilled, key=lambda d: -d.diameter):
        ends = drilled.bottom is not None and drilled.bottom > region.bottom + 1e-6
        hole = Hole.of(*drilled.at, drilled.diameter, float(drilled.bottom or 0.0) if ends else -math.inf, radius)
        turn = hole.radius - radius
        roomy = turn >= (LEAST_HELIX if ends else SNUG) * radius
        middle = Point(hole.x, hole.y)
        clear = roomy and locus.contains(middle.buffer(turn) if ends else middle)
        clear = clear and free.covers(middle.buffer(0.5 * drilled.diameter - 1e-6, quad_segs=64))
        (fit if clear else unfit).append(hole)
    return tuple(fit), tuple(unfit)


def rest_of(area: Area, gone: BaseGeometry, film: float, least: float) -> Area:
    """The area with what is `gone` no longer in it.

    Two cutters do not come to a wall alike to the micrometre: what is left within `film` mm of a wall is no work, nor
    is a piece that is nowhere as thick as `least` mm. Of others all counts, thin tips and what is out of reach as
    well: the cutter meets it. But where there is no more than any operation may leave, and nowhere three times as thick
    as that, the cutter need not come at all: what stands where passes end at a wall is up to 0.023 R thick.
    """
    if not parts_of(area):
        return replace(area, material=NOTHING, holes=(), unfit=())
    gone = _near(area, gone, film)
    rest = left_in(area, gone, film)
    pieces = shapely.get_parts(rest)
    thin = [grown(p, -0.5 * least).is_empty for p in pieces]
    little = rest.area < MOST_LEFT * area.material.area and grown(rest, -1.5 * least).is_empty
    if all(thin) or little:
        return replace(area, material=NOTHING, holes=(), unfit=())
    # A hair wider, so that no seam stays between what is left out and what is gone.
    crumbs = grown(shapely.union_all([p for p, out in zip(pieces, thin, strict=True) if out]), 0.1 * film)
    walls = area.material.difference(reached(area))
    worth = shapely.union_all([p for p, out in zip(pieces, thin, strict=True) if not out])
    # Nor between what is in reach and what is not: the field takes a seam for air, and what stands before it for cut.
    rest = without_seams(shapely.union_all([worth, less(walls, gone)]), SEAM).difference(crumbs)
    unseen = thicker(less(less(area.material, gone), rest), HAIR)
    return replace(area, material=rest, holes=(), drilled=NOTHING, unfit=(), unseen=unseen)


def left_in(area: Area, gone: BaseGeometry, film: float) -> BaseGeometry:
    """What the cutter can reach of an area and is not `gone`, but for what is within `film` mm of a wall."""
    gone = _near(area, gone, film)
    inner = grown(area.locus, area.radius - film, quad_segs=32)
    return less(area.material.intersection(reached(area)), gone).difference(grown(gone, film).difference(inner))


def _near(area: Area, gone: BaseGeometry, film: float) -> BaseGeometry:
    """Of what was taken all over the plate, what can matter here."""
    about = shapely.box(*area.material.bounds).buffer(film + 1.0, join_style="mitre")
    return areas_of(areas_of(gone).intersection(about))


def reached(area: Area) -> BaseGeometry:
    """What the cutter can sweep."""
    return grown(area.locus, area.radius, quad_segs=32)


def parts_of(area: Area) -> list[Polygon]:
    """The connected parts of the locus that have something of the area itself to cut, largest first."""
    own = area.material.intersection(area.shape)
    parts = [p for p in shapely.get_parts(area.locus) if p.area > 0 and _worth(p, own, area.radius)]
    return sorted(parts, key=lambda p: -p.area)


def left_beside(area: Area, thin: float) -> BaseGeometry:
    """What stands before an area's open edges and is not taken with it: its cutter goes only where it has work inside.

    On the next section down it is higher than that, and more than any bite. What is no thicker than `thin` mm is not
    counted.
    """
    taken = shapely.union_all([area.shape, *(grown(part, area.radius) for part in parts_of(area))])
    # Lines and hairs that a difference leaves are nothing; square corners come back whole.
    return thicker(area.material.difference(taken).buffer(0), thin)


def thicker(shape: BaseGeometry, thin: float) -> BaseGeometry:
    """What of a shape is thicker than `thin` mm."""
    return grown(grown(shape, -0.5 * thin), 0.75 * thin).intersection(shape)


def kept_off(area: Area, high: BaseGeometry, off: float | None = None) -> Area:
    """The area with what stands `high` in or beside it as a wall; the centre keeps `off` mm from it, or as far as from
    any wall."""
    if off is None or area.wall <= off:
        free = area.free.difference(high)
        locus = area.locus.intersection(grown(free, -area.wall, quad_segs=32))
        high_wall = high
    else:
        # The free space is told by where the centre may be, and reaches so far into what stands there.
        locus = area.locus.difference(grown(high, off, quad_segs=32))
        free = grown(locus, area.wall, quad_segs=32).intersection(area.free)
        # There it stands as an allowance does: free of material it would be air, and told as cut to those that follow.
        high_wall = high.difference(free)
    return replace(
        area, free=free, locus=locus, material=area.material.difference(high_wall), beyond=area.beyond.union(high),
    )  # fmt: skip


def off_walls(area: Area, film: float = 0.0) -> Area:
    """The area with its cutter kept off the walls by all that the tolerance lets stand there, or by `film` mm."""
    off = max(area.slack, film - area.snap)
    if off <= 0.0:
        return area
    wall = area.wall + off
    return replace(area, wall=wall, locus=grown(area.free, -wall, quad_segs=32), slack=0.0)


def comes_in(area: Area) -> bool:
    """Whether the cutter comes to anything of an area, whether it is there still or was cut before."""
    return any(_worth(part, area.shape, area.radius) for part in shapely.get_parts(area.locus) if part.area > 0)


def _worth(part: Polygon, material: BaseGeometry, radius: float) -> bool:
    """Whether there is something to cut from a part of the locus."""
    return bool(grown(part, radius).intersection(material).area > 0.01 * radius**2)


def air_start(area: Area, part: Polygon, clearance: float) -> tuple[float, float] | None:
    """A place in `part` where the cutter comes down clear of all stock, or None.

    Clear of what is to be cut in any case; where there is room, of what stands beside the air as well.
    """
    room = area.radius + clearance
    above = part.difference(grown(area.material, room))
    airs = (_spots(above.difference(grown(area.beyond, room))), _spots(above))
    air = next((a for a in airs if not a.is_empty), None)
    if air is None:
        return None
    # Well inside the air, nearest to the stock's middle.
    inner = air.buffer(-BESIDE * area.radius)
    near = shapely.ops.nearest_points(inner if not inner.is_empty else air, area.material.centroid)[0]
    return float(near.x), float(near.y)


def _spots(shape: BaseGeometry) -> BaseGeometry:
    """What of a shape is wide enough for the cutter's middle to come down in."""
    return shapely.union_all([g for g in shapely.get_parts(shape) if g.area > 1e-3])


def longest_line(part: Polygon, x: float, y: float, most: float) -> tuple[np.ndarray, np.ndarray]:
    """The longest straight line through (x, y) inside `part`, each side at most `most`/2."""
    spot = np.array([x, y])
    angles = np.linspace(0.0, np.pi, 72, endpoint=False)
    ways = np.column_stack([np.cos(angles), np.sin(angles)]) * most / 2
    through = shapely.linestrings(np.stack([spot - ways, spot + ways], axis=1))
    pieces = shapely.get_parts(shapely.intersection(through, part))
    pieces = pieces[shapely.distance(pieces, Point(x, y)) < 1e-6]
    lengths = shapely.length(pieces)
    if lengths.max(initial=0.0) == 0.0:
        return spot, spot
    ends = shapely.get_coordinates(pieces[np.argmax(lengths)])
    return ends[0], ends[-1]
