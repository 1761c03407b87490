"""Ways into the material: helix, ramp, or from outside. Each is checked to fit."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from justbite.path.area import BESIDE as STOCK_BESIDE
from justbite.path.area import LEAST_HELIX, MOST_HELIX, SNUG, Area, Hole, air_start, longest_line
from justbite.path.lines import length_of

SPOTS, NEARLY = 60, 0.97
"""Places tried each way for an entry, and from what share of the greatest width on one counts as as wide."""
WIDE_CORE = 0.94
"""Share of the greatest width on which places are looked at at all: under NEARLY by more than a buffer is out."""
FEW_SPOTS = 16
"""The same for a ramp where none fits in the widest place."""
SLOT = 1.6
"""Half the width that the centre has, in R, up to which an area is cleared as a slot, from one end."""
ROUND = 0.65
"""Area of a slot over that of a circle with as long a border, at most: what is rounder than 2.3 to 1 is a bore."""
NARROW = 0.25
"""Mean half width that the centre has, in R, up to which a slot is ramped through: loops would mostly run idle."""
BESIDE = 0.8
"""Half the width that the centre has in such a slot at its widest place, R, up to which its walls are gone along."""
LEAST_RAMP, MOST_RAMP = 0.8, 100.0
"""Shortest and longest ramp in cutter radii: a slot that takes no helix is ramped along its length."""


MOST_PLUNGE, MOST_STROKE = 0.6, 6.0
"""R: how far a flat spiral widens a plunge; how far it goes along a slot. All at the feed of the entry."""
CLOSE = 0.005
"""R: how far off what stands the cutter comes down at the feed of links where it finds no room for a rapid: in what a
cutter of its size has cut an allowance is left at its sides."""


@dataclass(frozen=True, slots=True)
class Wish:
    """How the user wants the cutter to go in: a kind ("auto" leaves it to us), and a place."""

    kind: str = "auto"
    place: tuple[float, float] | None = None
    plunge: bool = False
    """Whether the cutter may be fed straight down."""


@dataclass(frozen=True, slots=True)
class Entry:
    """How the cutter gets to the level: "helix", "ramp", "plunge" or "outside".

    helix: `points` is the flat circle it ends with (closed, counterclockwise), `centre` set;
    ramp: `points` are a line, (n, 2); plunge: as either of them, after a way straight down at the centre
    or the line's first end; outside: `points` is the one place, in the air or in a drilled hole.
    """

    kind: str
    points: NDArray[np.float64]
    heading: float | None
    centre: tuple[float, float] | None = None
    chosen: bool = False
    """A ramp for being quicker, where a helix would fit."""
    open_ends: tuple[bool, bool] = (False, False)
    """Ramps: whether the line begins and ends on what is cleared down to the level."""
    stands: NDArray[np.float64] | None = None
    """Ramps: what stands before the cutter when it is made, from each of its `descent.stations` to the next and on the
    way back: shares of its width, (n - 1, 2). None: all."""
    before: tuple["Entry", ...] = ()
    """Ramps that are made before this one, with nothing cut from them until all are."""
    along: bool = False
    """Ramps through a slot hardly wider than the cutter: whether its walls are gone along before passes are tried. Of a
    way in from outside, whether those beside the ramps before it are."""
    by_passes: bool = False
    """Whether a slot hardly wider than the cutter is cleared by passes after it, as where there is room."""
    hole: Hole | None = None
    """Outside: the drilled hole that the cutter comes down in; where it ends a helix in it takes the rest."""
    beside: bool = False
    """Outside: whether it is in what is cleared, beside what stands, and no rapid comes down there."""


def find_entry(area: Area, part: Polygon, clearance: float, wish: Wish | None = None) -> Entry | None:
    """The best way into `part`, as near to the wish as can be; None when there is none."""
    wish = wish or Wish()
    place = wish.place
    if place is not None and not part.contains(shapely.Point(place)):
        place = None
    hole = next((h for h in area.holes if _goes_in(h, part, place)), None)
    if hole is not None:
        return Entry("outside", np.array([[hole.x, hole.y]]), None, hole=hole)
    if area.has_air and wish.kind == "auto" and place is None:
        for room in (clearance, CLOSE * area.radius):
            spot = air_start(area, part, room)
            if spot is not None:
                return Entry("outside", np.array([spot]), None, beside=room < clearance)
    if place is None:
        x, y, widest = widest_place(part, area.wall, area.radius)
    else:
        (x, y), widest = place, area.wall + float(part.boundary.distance(shapely.Point(place)))
    room = shapely.Point(x, y).distance(area.material) - area.radius if area.has_air else 0.0
    if room > CLOSE * area.radius:
        # Where nothing stands there is nothing to go into by a helix or a ramp either.
        return Entry("outside", np.array([[x, y]]), None, beside=room <= clearance + STOCK_BESIDE * area.radius)
    spare = widest - area.wall
    ways = {
        "helix": lambda: _circle_entry("helix", x, y, min(MOST_HELIX * area.radius, spare), area.radius),
        "ramp": lambda: _ramp(part, x, y, area.radius, anywhere=place is None),
        "plunge": lambda: _plunge(part, x, y, spare, area.radius) if wish.plunge else None,
    }
    # In a slot hardly wider than the cutter a wider bend may take a helix; but the slot itself is ramped through.
    for kind in (wish.kind, *(("ramp", "helix") if is_narrow(part, area.radius) else ("helix", "ramp")), "plunge"):
        if kind in ways and (found := ways[kind]()) is not None:
            return found
    return None


def _goes_in(hole: Hole, part: Polygon, place: tuple[float, float] | None) -> bool:
    """Whether a hole leads into `part`, and is where the user wants to go in, if that is said."""
    spot = shapely.Point(hole.x, hole.y)
    return part.contains(spot) and (place is None or spot.distance(shapely.Point(place)) < hole.radius)


def helix_in(hole: Hole, radius: float) -> Entry:
    """The helix that takes what stands below a hole: as wide as the hole lets the cutter go round in it."""
    r = hole.radius - radius
    angles = np.linspace(0.0, 2.0 * np.pi, 73)
    circle = np.column_stack([hole.x + r * np.cos(angles), hole.y + r * np.sin(angles)])
    return Entry("helix", circle, float(np.pi / 2), (hole.x, hole.y))


def is_narrow(part: Polygon, radius: float) -> bool:
    """Whether a part of the locus is a slot hardly wider than the cutter, and no bore."""
    return bool(part.area < NARROW * radius * part.length) and _is_long(part)


def _is_long(part: Polygon) -> bool:
    return bool(4.0 * np.pi * part.area < ROUND * part.length**2)


def is_snug(part: Polygon, radius: float) -> bool:
    """Whether it is that all along: nowhere is there room for more."""
    return is_narrow(part, radius) and bool(part.buffer(-BESIDE * radius).is_empty)


def _circle_entry(kind: str, x: float, y: float, r: float, radius: float, least: float = LEAST_HELIX) -> Entry | None:
    if r < least * radius:
        return None
    angles = np.linspace(0.0, 2.0 * np.pi, 73)
    circle = np.column_stack([x + r * np.cos(angles), y + r * np.sin(angles)])
    return Entry(kind, circle, float(np.pi / 2), (x, y))


def _line_entry(kind: str, part: Polygon, x: float, y: float, most: float, radius: float) -> Entry | None:
    a, b = longest_line(part, x, y, most)
    way = b - a
    if float(np.hypot(*way)) < LEAST_RAMP * radius:
        return None
    return Entry(kind, np.array([a, b]), float(np.arctan2(way[1], way[0])) + np.pi)


def _ramp(part: Polygon, x: float, y: float, radius: float, anywhere: bool) -> Entry | None:
    """A ramp through (x, y); where none fits there and it may be `anywhere`, along the longest line of many.

    Where gaps between pins meet there is most room, but the longest way leads along one of its sides.
    """
    through = _line_entry("ramp", part, x, y, MOST_RAMP * radius, radius)
    if through is not None or not anywhere:
        return through
    x1, y1, x2, y2 = part.bounds
    xs, ys = (v.ravel() for v in np.meshgrid(np.linspace(x1, x2, FEW_SPOTS), np.linspace(y1, y2, FEW_SPOTS)))
    own = shapely.intersects_xy(part, xs, ys)
    entries = [
        _line_entry("ramp", part, a, b, MOST_RAMP * radius, radius)
        for a, b in zip(xs[own].tolist(), ys[own].tolist(), strict=True)
    ]
    return max((e for e in entries if e is not None), key=lambda e: length_of(e.points), default=None)


def ramp_across(part: Polygon, rest: Polygon, radius: float) -> Entry | None:
    """A ramp through the middle of `rest`, on into what is cleared on either side; None where `part` has no room."""
    spot = rest.representative_point()
    return _line_entry("ramp", part, spot.x, spot.y, MOST_STROKE * radius, radius)


def _plunge(part: Polygon, x: float, y: float, spare: float, radius: float) -> Entry | None:
    """Straight down, then a flat spiral; where that has no room, along the slot."""
    return _circle_entry("plunge", x, y, min(MOST_PLUNGE * radius, spare), radius) or _line_entry(
        "plunge", part, x, y, MOST_STROKE * radius, radius
    )


def snug_plunge(area: Area, part: Polygon, wish: Wish | None) -> Entry | None:
    """Straight down in a part hardly wider than the cutter, where nothing else fits, and its teeth cut in its middle.

    The spiral after it is as small as passes find a beginning from.
    """
    if wish is None or not wish.plunge:
        return None
    x, y, widest = widest_place(part, area.wall, area.radius)
    return _circle_entry("plunge", x, y, min(MOST_PLUNGE * area.radius, widest - area.wall), area.radius, SNUG)


@lru_cache(maxsize=8)
def widest_place(part: Polygon, wall: float, radius: float) -> tuple[float, float, float]:
    """Where a spiral has most room in `part` (of the locus), and how far walls are there.

    Of the places that are nearly as wide as the widest, the one in the middle: a spiral from there goes
    round undisturbed for longest. In a slot, where none goes round, the one at an end: from there on it
    is cleared in one go.
    """
    inscribed = shapely.maximum_inscribed_circle(part)
    x1, y1, x2, y2 = part.bounds
    xs, ys = np.meshgrid(np.linspace(x1, x2, SPOTS), np.linspace(y1, y2, SPOTS))
    # The centroid is the very middle of a bore.
    middle = part.centroid
    x, y = np.append(xs, [inscribed.coords[0][0], middle.x]), np.append(ys, [inscribed.coords[0][1], middle.y])
    # Only of those that may be wide enough it is told how wide they are: that takes a look at every wall.
    core = part.buffer(-WIDE_CORE * inscribed.length)
    spots = shapely.points(x, y)[shapely.contains_xy(part if core.is_empty else core, x, y)]
    if len(spots) == 0:
        spot = part.representative_point()
        return spot.x, spot.y, wall + float(part.boundary.distance(spot))
    room = shapely.distance(part.boundary, spots)
    wide = spots[room >= NEARLY * room.max()]
    off = shapely.distance(part.centroid, wide)
    slot = room.max() < SLOT * radius and _is_long(part)
    best = wide[np.argmax(off) if slot else np.argmin(off)]
    return float(best.x), float(best.y), wall + float(part.boundary.distance(best))
