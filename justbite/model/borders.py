"""Shapes put together, taken from each other, and their borders moved: what GEOS gets wrong there is not passed on."""

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

ONE_BORDER = 0.02
"""mm: borders of two areas no farther apart are one: in a mesh they differ by half of that."""
GRID = 1e-6
"""mm: corners of what was swept are told to that where several sweeps are put together or taken away."""
NUDGES = (1e-8, -1e-8, 1e-6)
"""Shares by which a border is moved farther or less far where it went wrong."""
LOST, TURNS = 1e-6, 8.0
"""What a shape may lose in being worked out, as a share; and how many half turns of corners that jut in it is taken to
have."""
STRIP = 1.5
"""How much more than along a smooth border that is as long is taken to be lost, where it has notches all along."""


def united(shapes: Sequence[BaseGeometry]) -> BaseGeometry:
    """The union of shapes whose borders may be one but for their last digits, or cross at next to no angle.

    On a grid (GRID): what cutters swept one after the other is told by such borders, and without one GEOS may take a
    shape that lies in another for one beside it, or give up.
    """
    return shapely.union_all([areas_of(shape) for shape in shapes], grid_size=GRID)


def less(shape: BaseGeometry, other: BaseGeometry) -> BaseGeometry:
    """What of a shape lies outside another, as exactly as they are told.

    Where GEOS takes one for lying beside the other (`united`), what is outside and what is shared are more than all:
    then on the grid. Else not: a millionth of a millimetre between a wall and what stands at it is air to the field.
    """
    if other.is_empty:
        # Of areas with a line beside them GEOS does not tell what they share with nothing.
        return shape
    left = shape.difference(other)
    if abs(left.area + shape.intersection(other).area - shape.area) <= GRID * max(1.0, shape.area):
        return left
    return areas_of(shape).difference(areas_of(other), grid_size=GRID)


def areas_of(shape: BaseGeometry) -> BaseGeometry:
    """A shape without lines that a cutter went along once, or where a piece touches its frame: no area."""
    return shape.buffer(0) if shape.geom_type == "GeometryCollection" else shape


def without_seams(shape: BaseGeometry, by: float = ONE_BORDER) -> BaseGeometry:
    """A shape without seams, up to twice `by` mm wide, between borders that are one."""
    return mitred(mitred(shape, by), -by)


def mitred(shape: BaseGeometry, by: float) -> BaseGeometry:
    """A shape made larger by so many mm, or smaller, that keeps its corners."""
    return grown(shape, by, join_style="mitre")


def grown(shape: BaseGeometry, by: float, **how: Any) -> BaseGeometry:
    """A shape with its border moved out by so many mm, or in; `how` as `buffer` takes it.

    Its border may cross itself, where hairs come together and seldom elsewhere (a locus moved out by the radius that
    it was moved in by), and nothing can be worked out with that: it is mended. And GEOS may lose all of a shape, or a
    piece (3.14: of 900 mm2 moved in by 0.05 mm nothing was left, by 0.0501 all): what cannot be is asked for once more,
    a hair from there.
    """
    moved = _moved(shape, by, how)
    for nudge in NUDGES if not _likely(shape, moved, by) else ():
        other = _moved(shape, by * (1.0 + nudge), how)
        if _likely(shape, other, by):
            return other
    return moved


def _moved(shape: BaseGeometry, by: float, how: Mapping[str, Any]) -> BaseGeometry:
    # Where two lines of a border go on straight a mitre divides by nothing, finds out, and takes another way.
    with np.errstate(divide="ignore", invalid="ignore"):
        moved = shape.buffer(by, **how)
    if moved.is_valid:
        return moved
    # Shells are put together: one in another is no hole, as it were by the lines alone.
    mended = shapely.make_valid(moved, method="structure", keep_collapsed=False)
    return shapely.union_all([g for g in shapely.get_parts(mended) if g.area > 0.0])


def _likely(shape: BaseGeometry, moved: BaseGeometry, by: float) -> bool:
    """Whether a border may have been moved so: outwards nothing is lost, inwards no more than a strip along it.

    Round corners that jut in the strip is wider, by as much as a few turns of them are.
    """
    if by >= 0.0:
        return bool(moved.area >= shape.area * (1.0 - LOST)) and (by == 0.0 or moved.is_empty == shape.is_empty)
    strip = -STRIP * by * shape.length + TURNS * math.pi * by * by
    return bool(shape.area - strip <= moved.area + LOST * shape.area) and bool(moved.area <= shape.area * (1.0 + LOST))
