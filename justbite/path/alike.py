"""Works that are one but for where they lie, as the holes of a pattern: planned once, and moved to the others.

Turned as well as moved, as pockets round a middle are; not mirrored, since the cutter turns but one way. Nothing of a
plan hangs on where the plane's zero is or where X leads: fields are laid over a part's own borders.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.model.borders import grown
from justbite.model.findings import Finding
from justbite.path.area import Area, Hole, parts_of
from justbite.path.entry import Entry, Wish
from justbite.path.level import PartPath, PartPlan
from justbite.path.works import Work

TOLD = 2e-4
"""mm by which borders may lie otherwise: two of a program's last digits, and much less than fields are wrong by."""
SHAPES = ("shape", "material", "free", "locus", "drilled")
"""Of an area, what its plans are made from."""
UNSEEN = 0.1
"""Share by which what is too thin to be work may be more or less: where that ends hangs on the last digits, and no plan
hangs on it, only what is told to the operations that follow."""
NEARLY = 1e-9
"""Share by which the sum of products of two rings may be less than if they were one."""
MOST_TURNS = 4
"""So many ways to turn a shape are tried: a round one can be turned in any."""
SIZES = ("radius", "wall", "snap", "slack")


@dataclass(frozen=True, slots=True)
class Like:
    """Which work one is like, by index, and how that is moved to it; a work is the first of its like itself."""

    first: int
    x: float = 0.0
    y: float = 0.0
    """mm by which it is moved, when it is turned ..."""
    angle: float = 0.0
    """... by so many radians about zero."""

    def points(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n, 2) moved."""
        if self.angle == 0.0:
            return points + np.array([self.x, self.y])
        cos, sin = math.cos(self.angle), math.sin(self.angle)
        return points @ np.array([[cos, sin], [-sin, cos]]) + np.array([self.x, self.y])

    def place(self, x: float, y: float) -> tuple[float, float]:
        """One point moved."""
        there = self.points(np.array([[x, y]]))[0]
        return float(there[0]), float(there[1])

    def shape(self, shape: BaseGeometry) -> BaseGeometry:
        """A shape moved."""
        return shapely.transform(shape, self.points)

    def hole(self, hole: Hole) -> Hole:
        """A drilled hole moved, as exactly as a program tells places."""
        x, y = self.place(hole.x, hole.y)
        return replace(hole, x=round(x, 4), y=round(y, 4))


def likes(works: Sequence[Work], gap: float, wishes: Sequence[Wish] = ()) -> list[Like]:
    """For each work the first that it is like; `gap` mm are clear round a rapid.

    `wishes`: what is asked for each. Where the user says where to go in, it is like none.
    """
    found: list[Like] = []
    firsts: dict[tuple[object, ...], list[int]] = {}
    for index, work in enumerate(works):
        wish = wishes[index] if wishes else None
        if wish is not None and wish.place is not None:
            found.append(Like(index))
            continue
        known = firsts.setdefault((_told_by(work), wish), [])
        own = next((like for k in known if (like := _like(k, works[k], work, gap)) is not None), None)
        if own is None:
            known.append(index)
        found.append(own or Like(index))
    return found


def _told_by(work: Work) -> tuple[object, ...]:
    """What works that are like each other have in common, of what is told in numbers."""
    area = work.area
    sizes = tuple(round(getattr(area, name), 9) for name in SIZES)
    heights = tuple(round(z, 6) for z in (work.top, work.bottom, *work.floors))
    return heights, sizes, len(area.holes), area.has_air


def _like(index: int, one: Work, other: Work, gap: float) -> Like | None:
    """How the work of that index is moved to the other, if they are alike."""
    a, b = one.area, other.area
    if not _as_large(a.shape, b.shape):
        return None
    return next((like for like in _ways(index, a, b) if _is(like, a, b, gap)), None)


def _ways(index: int, one: Area, other: Area) -> list[Like]:
    """The ways to move an area's shape so that it may be that of another one, those that turn it least first."""
    x, y = (float(v) for v in np.subtract(other.shape.bounds[:2], one.shape.bounds[:2]))
    found = [Like(index, x, y)]
    if isinstance(one.shape, Polygon) and isinstance(other.shape, Polygon):
        a, b = (np.asarray(area.shape.exterior.coords)[:-1] @ (1.0, 1.0j) for area in (one, other))
        if len(a) == len(b):
            found += [Like(index, shift.real, shift.imag, angle) for angle, shift in _turns(a, b)]
    return found


def _turns(one: NDArray[np.complex128], other: NDArray[np.complex128]) -> list[tuple[float, complex]]:
    """By which angles, and how far then, the points of a ring are moved to those of another, whichever comes first."""
    middle, there = one.mean(), other.mean()
    a, b = one - middle, other - there
    # For each point that the first may be moved to: turned by the angle of the sum of products they fall together best.
    sums = np.fft.ifft(np.conj(np.fft.fft(a)) * np.fft.fft(b))
    size = math.sqrt(float((np.abs(a) ** 2).sum() * (np.abs(b) ** 2).sum()))
    angles = np.angle(sums[np.abs(sums) > (1.0 - NEARLY) * size])
    nearest = sorted((float(v) for v in angles), key=abs)[:MOST_TURNS]
    return [(angle, there - np.exp(1j * angle) * middle) for angle in nearest]


def _is(like: Like, one: Area, other: Area, gap: float) -> bool:
    """Whether one area moved is another one in all that plans are made from."""
    if not all(_same(getattr(one, name), getattr(other, name), like) for name in SHAPES):
        return False
    if abs(one.unseen.area - other.unseen.area) > UNSEEN * max(one.unseen.area, other.unseen.area):
        return False
    if shapely.get_num_geometries(one.locus) > 1:
        # Plans are told by their parts, and those that are as large may come in another order.
        parts = parts_of(one), parts_of(other)
        if len(parts[0]) != len(parts[1]) or not all(_same(a, b, like) for a, b in zip(*parts, strict=True)):
            return False
    for a, b in zip(one.holes, other.holes, strict=True):
        if (a.diameter, a.radius, a.bottom) != (b.diameter, b.radius, b.bottom):
            return False
        if math.dist(like.place(a.x, a.y), (b.x, b.y)) > TOLD:
            return False
    if not one.has_air:
        return True
    # Where a rapid would come down beside stock it keeps clear of that, too.
    near = grown(other.locus, other.radius + gap)
    return bool(like.shape(one.beyond).symmetric_difference(other.beyond).intersection(near).area < TOLD * near.length)


def _same(one: BaseGeometry, other: BaseGeometry, like: Like) -> bool:
    """Whether a shape moved is another one, wherever its rings begin and points lie on its lines."""
    if not _as_large(one, other):
        return False
    there = like.shape(one)
    if there.is_empty or other.is_empty:
        return bool(there.is_empty and other.is_empty)
    if shapely.equals_exact(there, other, TOLD):
        return True
    return bool(shapely.hausdorff_distance(there.boundary, other.boundary) < TOLD)


def _as_large(one: BaseGeometry, other: BaseGeometry) -> bool:
    """Whether two shapes may be one, by their area."""
    return bool(abs(one.area - other.area) <= TOLD * (1.0 + other.length))


def moved_plan(plan: PartPlan, like: Like, name: str, other: str) -> PartPlan:
    """A plan for a part of area `name` as that for the same part of an area `other` that lies elsewhere."""
    return replace(
        plan, paths=tuple(_moved_path(path, like) for path in plan.paths), swept=like.shape(plan.swept),
        findings=tuple(_moved_finding(finding, like, name, other) for finding in plan.findings),
        way=None if plan.way is None else moved_entry(plan.way, like),
        beside=None if plan.beside is None else moved_entry(plan.beside, like),
    )  # fmt: skip


NAMELESS = ""
"""What areas and operations are called while they are planned."""


def named_plan(plan: PartPlan, area: str, operation: str) -> PartPlan:
    """A plan that was made without names, for an area and an operation of these names."""
    told = (replace(f, sentence=f.sentence.replace(f'"{NAMELESS}"', f'"{area}"')) for f in plan.findings)
    return replace(plan, findings=tuple(replace(f, area=area, operation=operation) for f in told))


def _moved_path(path: PartPath, like: Like) -> PartPath:
    pieces = tuple(replace(piece, points=like.points(piece.points)) for piece in path.pieces)
    return PartPath(moved_entry(path.entry, like), pieces)


def _moved_finding(finding: Finding, like: Like, name: str, other: str) -> Finding:
    told = replace(finding, sentence=finding.sentence.replace(f'"{name}"', f'"{other}"'), area=other)
    if finding.x is None or finding.y is None:
        return told
    x, y = like.place(finding.x, finding.y)
    return replace(told, x=x, y=y)


def moved_entry(entry: Entry, like: Like) -> Entry:
    """A way in elsewhere."""
    return replace(
        entry, points=like.points(entry.points), before=tuple(moved_entry(one, like) for one in entry.before),
        heading=None if entry.heading is None else entry.heading + like.angle,
        centre=None if entry.centre is None else like.place(*entry.centre),
        hole=None if entry.hole is None else like.hole(entry.hole),
    )  # fmt: skip
