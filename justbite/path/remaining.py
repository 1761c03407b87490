"""What still stands after a run, and another way in to it."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import bands
from justbite.field.grid import Field, Grid
from justbite.field.nodes import Nodes
from justbite.field.outline import below_zero
from justbite.field.pieces import pieces_of
from justbite.model.borders import mitred
from justbite.path.area import Area
from justbite.path.clearing import Clearing
from justbite.path.contact import deepest
from justbite.path.entry import LEAST_HELIX, LEAST_RAMP, Entry, Wish, find_entry, is_narrow, ramp_across
from justbite.path.spine import STEPS, arm_line

LEAST_REST, MOST_REST, REST_SHARE = 0.1, 0.5, 0.0005
"""How much material is worth an entry of its own at least: from so many to so many R squared, as a share of all."""
LEAST_PIECE, MOST_ALL = 0.02, 0.0007
"""R squared, and share of all: where all that stands is more than that, a piece of so much is worth one too."""
RIM, FINE_RIM = 0.1, 0.02
"""R: how thick a rim the field does not see of what is worth an entry, and of little pieces: what small bites leave in
a tip is nowhere thicker than the first."""
ABOUT, AT_TIP = 1.2, 0.1
"""R about a sharp corner of the locus within which what stands counts as standing in it; and what is shown of it."""
BESIDE, GAP, APART = 1.25, 1.1, 0.2
"""R from what still stands where the cutter may come down beside it; to which it has to be clear there; and between the
places that are looked at."""


@dataclass(frozen=True, slots=True)
class _Piece:
    """Material that still stands."""

    size: float
    """mm2"""
    spot: tuple[float, float]
    """A place in its outline."""
    outline: Callable[[], BaseGeometry]
    """Reaches a little over it; drawn when it is asked for: most little pieces had their way in before."""
    little: bool = False


def _standing(work: Clearing, radius: float, reach: Nodes, least: float, little: float, much: float
              ) -> Iterator[_Piece]:  # fmt: skip
    """Pieces of material of at least `least` mm2 that still stand and that the cutter can take, the largest first.

    Then those of at least `little`, and corners in which as much does, where all of these are more than `much`
    together.
    """
    node = work.plane.grid.cell**2
    # To part them takes five times as much memory as they do themselves, and mostly there is next to nothing.
    if _count_above(work.plane.cleared, RIM * radius, reach) * node >= least:
        yield from _pieces(work, _above(work.plane.cleared, RIM * radius, reach), least)
    if not np.isfinite(much):
        return
    most = _count_above(work.plane.cleared, FINE_RIM * radius, reach) * node
    if most + 2.0 * radius**2 * len(work.corners) <= much:
        return
    stands = _above(work.plane.cleared, FINE_RIM * radius, reach)
    corners = [piece for piece in _in_corners(work, stands) if piece.size >= little]
    found = sorted([*corners, *_pieces(work, stands, little)], key=lambda piece: -piece.size)
    if sum(piece.size for piece in found) > much:
        yield from (replace(piece, little=True) for piece in found)


def _above(cleared: Field, level: float, reach: Nodes) -> NDArray[np.bool_]:
    """Which nodes (ny, nx) of `reach` are above a level."""
    stands = np.empty(cleared.shape, dtype=np.bool_)
    for band in bands(len(cleared)):
        stands[band] = (cleared[band] > level) & reach.rows(band)
    return stands


def _count_above(cleared: Field, level: float, reach: Nodes) -> int:
    """How many nodes of `reach` are above a level."""
    return sum(int(np.count_nonzero((cleared[band] > level) & reach.rows(band))) for band in bands(len(cleared)))


def _in_corners(work: Clearing, stands: NDArray[np.bool_]) -> list[_Piece]:
    """What of what fits the cutter stands in each sharp corner of the locus; of its outline the tip.

    A film as thin as the field has cells is torn in it: told by how thick it is before a cutter at the tip, 2 R wide at
    the most. What stands about such a tip is taken out of `stands`.
    """
    radius, grid = work.plane.radius, work.plane.grid
    found = []
    for x, y in work.corners.tolist():
        thick = work.stands(x, y)
        if thick > FINE_RIM * radius:
            rows, columns = (
                slice(
                    max(0, int((v - v0 - ABOUT * radius) / grid.cell)), int((v - v0 + ABOUT * radius) / grid.cell) + 2
                )
                for v, v0 in ((y, grid.y0), (x, grid.x0))
            )
            stands[rows, columns] = False
            tip = Point(x, y)
            found.append(_Piece(2.0 * radius * min(thick, radius), (x, y), partial(tip.buffer, AT_TIP * radius)))
    return found


def _pieces(work: Clearing, stands: NDArray[np.bool_], least: float) -> Iterator[_Piece]:
    """The pieces of `stands` of at least `least` mm2, the largest first."""
    grid = work.plane.grid
    labels, counts = pieces_of(stands)
    sizes = counts[1:] * grid.cell**2
    boxes = ndimage.find_objects(labels) if (sizes >= least).any() else []
    for k in np.argsort(-sizes):
        if sizes[k] < least:
            break
        rows, columns = boxes[k]
        own = labels[rows, columns] == 1 + int(k)
        row, column = divmod(int(np.argmax(own)), own.shape[1])
        spot = grid.x0 + (columns.start + column) * grid.cell, grid.y0 + (rows.start + row) * grid.cell
        yield _Piece(float(sizes[k]), spot, partial(_outline, own, grid, columns.start, rows.start))


def _outline(own: NDArray[np.bool_], grid: Grid, column: int, row: int) -> BaseGeometry:
    """The outline of some nodes (ny, nx) of a grid, the first of which is in that column and row: half-way to the nodes
    beside them, and a quarter of a cell more."""
    off = np.pad(np.where(own, -0.5, 0.5), 1, constant_values=0.5)
    ny, nx = off.shape
    about = Grid(grid.x0 + (column - 1) * grid.cell, grid.y0 + (row - 1) * grid.cell, grid.cell, nx, ny)
    return mitred(below_zero(off, about), 0.25 * grid.cell)


def next_entry(work: Clearing, area: Area, part: Polygon, reach: Nodes, wish: Wish | None,
                tried: list[BaseGeometry], narrow: bool, arms: bool = True) -> Entry | None:  # fmt: skip
    """A way into what still stands; None where that is little, or there is none. `arms`: into arms and corners too.

    `narrow`: the part is a slot that is ramped through.

    `tried`: pieces that the cutter came down beside, and little ones that had their way in; one that is not gone by
    then would not go by another.
    """
    r2 = area.radius**2
    whole = reach.count * work.plane.grid.cell**2
    least = min(MOST_REST * r2, max(LEAST_REST * r2, REST_SHARE * whole)) if arms else MOST_REST * r2
    most = MOST_ALL * whole if arms else np.inf
    for piece in _standing(work, area.radius, reach, least, LEAST_PIECE * r2, most):
        little = piece.little
        if little and any(shapely.contains_xy(other, *piece.spot) for other in tried):
            continue
        rest = piece.outline()
        known = any(rest.intersects(other) for other in tried)
        if little and known:
            continue
        # Little pieces are mostly such that no pass gets hold of, and in a slot, or an arm, passes would loop.
        ramped = little or narrow or _is_arm(rest, part, area.radius)
        entry = _inner_entry(work, area, part, rest, wish, arms) if ramped else None
        if entry is None and not known:
            entry = _beside(work, part, rest)
        if entry is None and not ramped:
            entry = _inner_entry(work, area, part, rest, wish, arms)
        if entry is not None:
            if little or entry.beside:
                shapely.prepare(rest)
                tried.append(rest)
            return entry
    return None


def _beside(work: Clearing, part: Polygon, rest: BaseGeometry) -> Entry | None:
    """Down in the clear beside what still stands: a cutter may end among films that no link leads out of."""
    radius = work.plane.radius
    about = rest.simplify(STEPS * radius).buffer(BESIDE * radius, quad_segs=4)
    ring = shapely.segmentize(about.boundary.intersection(part), APART * radius)
    spots = shapely.get_coordinates(ring)
    wide = [deepest(work.plane.cleared, *work.plane.frame, x, y, GAP * radius, 0.0, np.inf) <= 0.0 for x, y in spots]
    spots = spots[np.array(wide, dtype=bool)]
    if not len(spots):
        return None
    nearest = spots[np.argmin(shapely.distance(shapely.points(spots), rest.centroid))]
    return Entry("outside", nearest[None], None, beside=True)


def _is_arm(rest: BaseGeometry, part: Polygon, radius: float) -> bool:
    """Whether all that stands where the centre may be is hardly wider than the cutter."""
    inside = [piece for piece in shapely.get_parts(rest.intersection(part)) if piece.area > 0.0]
    return len(inside) > 0 and all(is_narrow(piece, radius) for piece in inside)


def _is_tight(inside: Polygon, radius: float) -> bool:
    return bool(shapely.maximum_inscribed_circle(inside).length < LEAST_HELIX * radius)


def _inner_entry(work: Clearing, area: Area, part: Polygon, rest: BaseGeometry, wish: Wish | None,
                 arms: bool) -> Entry | None:  # fmt: skip
    """A helix or ramp in the middle of what still stands; in arms and corners a ramp from what is cleared into them.

    Where it is too short for either, a ramp across it.
    """
    radius = area.radius
    kind = replace(wish, place=None) if wish is not None else None
    inside = max(shapely.get_parts(rest.intersection(part)), key=lambda p: p.area, default=None)
    if inside is not None and inside.area == 0.0:
        inside = None
    if arms and (inside is None or is_narrow(inside, radius) or _is_tight(inside, radius)):
        line = arm_line(part, radius, rest, work.plane.all_clear)
        if line is not None and LineString(line).length > LEAST_RAMP * radius:
            through = bool(work.plane.all_clear(line[-1:])[0])
            back = float(np.arctan2(*(line[-2] - line[-1])[::-1]))
            return Entry("ramp", line, back, open_ends=(True, through), along=through)
    if inside is None:
        return None
    whole = replace(area, material=area.free, holes=())
    return find_entry(whole, inside, 0.0, kind) or ramp_across(part, inside, radius)
