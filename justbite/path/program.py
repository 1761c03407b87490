"""From level paths to moves: heights, feeds, entries, links at hover or travel height."""

import cmath
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from shapely.geometry import Point, Polygon
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import let_go
from justbite.model.moves import COUNTERCLOCKWISE, CUT, ENTRY, LINE, LINK
from justbite.path.area import BESIDE, Hole
from justbite.path.blocks import MovesBuilder, lifted
from justbite.path.descent import Descent, FullWidth, descend
from justbite.path.entry import Entry, helix_in
from justbite.path.fronts import Piece
from justbite.path.level import PartPath
from justbite.path.lines import length_of

BORNE_SHARE = 0.6
"""Share of what a tooth bears up to which what is grazed may stand: over R/10 the field tells it no better."""
ANEW = 0.49
"""Share of the bite's feed with which a way in begins to cut again after a way on which nothing stands. By half of it
the proof tells ways in from cuts there."""
FEED_RUN = 0.05
"""R to either side that a cut's feed also has to suit: a step of it, one point at least. Its loads are told over three
steps, and the control brings the feed down before the block that is slower."""
AT_ONCE, BEGINS, FIRST_SHARE = 0.5, 2.0, 0.85
"""R: a cut that begins so near to the end of a way in goes on from it, and how much of it is its beginning; what it
takes there in a minute, over what the bite does: step by step it scatters."""
FEED_STEP = 0.1
"""Shares of the cutting feed that the feed follows the bite in: finer would only make blocks."""
SPIRAL_PARTS = 48
"""Lines of the spiral that widens a plunge."""
ABOVE = 0.05
"""mm above the surface where a way down begins."""
EASE, EASE_SHARE, LEAST_HOVER = 10.0, 0.4, 3.0
"""mm of travel for every mm that a link lifts off the floor and comes down again: steeper corners hold the machine up;
the share of a link that may go into either; and mm from which on a link lifts at all."""

FeedLaw = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Radial depths over the target, rising, and what the cutting feed is multiplied by there."""


def _factors(law: FeedLaw, depth: NDArray[np.float64]) -> NDArray[np.float64]:
    factors: NDArray[np.float64] = np.floor(np.interp(depth, *law) / FEED_STEP + 1e-9) * FEED_STEP
    return factors


@dataclass(frozen=True, slots=True)
class Heights:
    """Z of travel, and the gaps; mm."""

    travel: float
    gap: float
    hover: float
    standing: float = -math.inf
    """Z up to which stock may stand beside a place that is not in `roomy`."""
    roomy: BaseGeometry | None = None
    """Where the centre is by more than the gap clear of walls; None: not asked for."""


@dataclass(frozen=True, slots=True)
class Feeds:
    """mm/min: in the cut, into it, on links, of rapids; the steepest ramp in radians."""

    cut: float
    entry: float
    link: float
    rapid: float
    ramp: float
    acceleration: float
    """mm/s2"""
    removal: float = math.inf
    """mm3/min that an entry may take: what the bite takes, and a little in hand."""
    follow: FeedLaw | None = None
    """By which the feed of cuts follows the bite; None for one feed all along."""
    grazing: FeedLaw | None = None
    """By which links slow down; None for the feed of cuts wherever they graze something."""
    borne: float = 0.0
    """mm of chip that a tooth bears: what is no thicker is cut at any feed."""
    slot: float = math.inf
    """mm that a stroke at full width may be deep at the feed of entries."""


def add_level(out: MovesBuilder, parts: list[PartPath], above: float, z: float, target: float,
              heights: Heights, feeds: Feeds, tolerance: float, radius: float) -> None:  # fmt: skip
    """Append one level: from `above` (surface before it) down to `z`."""
    out.level = z
    for part in parts:
        enter(out, part.entry, above, z, heights, feeds, radius)
        gone = 0.0 if part.entry.kind != "outside" else math.inf
        for piece in part.pieces:
            if piece.kind == "cut":
                _cut(out, piece, z, feeds, target, tolerance, radius, first=gone < AT_ONCE * radius)
            else:
                _link(out, piece, above, z, heights, feeds, target, tolerance)
            let_go()
            gone += float(length_of(piece.points))
        x, y, _ = out.here
        out.rapid(x, y, heights.travel)


def _come_down(out: MovesBuilder, x: float, y: float, z: float, heights: Heights, feeds: Feeds, part: int) -> None:
    """Down to `z` over a place: at rapid, but where stock stands nearer than the gap beside it no deeper than that."""
    high = min(heights.standing + heights.gap, heights.travel)
    if heights.roomy is None or high <= z or heights.roomy.contains(Point(x, y)):
        out.rapid(x, y, z)
        return
    out.rapid(x, y, high)
    out.to(LINE, x, y, z, feeds.link, part)


def enter(out: MovesBuilder, entry: Entry, above: float, z: float, heights: Heights, feeds: Feeds,
           radius: float) -> None:  # fmt: skip
    straight_down = entry.kind == "plunge" and entry.centre is not None
    x, y = (float(v) for v in (entry.centre if straight_down and entry.centre else entry.points[0]))
    down: Descent | None = None
    if entry.kind == "ramp":
        slope = math.tan(feeds.ramp)
        full = FullWidth(feeds.entry, feeds.removal, feeds.slot, feeds.link, ANEW * feeds.cut)
        down = descend(entry.points, above + ABOVE, z, radius, slope, full, entry.open_ends, entry.stands)
        x, y = float(down.begin[0]), float(down.begin[1])
    elif entry.kind == "helix":
        x, y, _ = _helix_begin(entry, above + ABOVE, z, feeds, radius)
    if out.here[2] < heights.travel:
        out.rapid(out.here[0], out.here[1], heights.travel)
    out.rapid(x, y, heights.travel)
    if entry.hole is not None:
        _through_hole(out, entry.hole, above, z, heights, feeds, radius)
        return
    if entry.kind == "outside":
        heights = replace(heights, roomy=Polygon()) if entry.beside else heights
        _come_down(out, x, y, z + heights.gap, heights, feeds, ENTRY)
        out.to(LINE, x, y, z, feeds.link, ENTRY)
        return
    _come_down(out, x, y, above + heights.gap, heights, feeds, ENTRY)
    out.to(LINE, x, y, above + ABOVE, feeds.link, ENTRY)
    if entry.kind == "plunge":
        _plunge(out, entry, above + ABOVE, z, feeds, radius)
    elif entry.kind == "helix" and entry.centre is not None:
        _helix(out, entry, above + ABOVE, z, feeds, radius)
    if down is not None:
        out.lines(down.ends, down.feeds, ENTRY)


def _through_hole(out: MovesBuilder, hole: Hole, above: float, z: float, heights: Heights, feeds: Feeds,
                  radius: float) -> None:  # fmt: skip
    """Down a drilled hole, and on by a helix where it ends above `z`; then to its middle."""
    end = min(max(z, hole.bottom), above)
    # A rapid comes down clear of walls by the gap, and of the floor.
    tight = hole.radius - radius < heights.gap + BESIDE * radius
    _come_down(out, hole.x, hole.y, (above if tight else end) + heights.gap, heights, feeds, ENTRY)
    if end > z + 1e-6:
        down = helix_in(hole, radius)
        x, y, _ = _helix_begin(down, end + ABOVE, z, feeds, radius)
        if tight and end < above:
            out.to(LINE, hole.x, hole.y, end + heights.gap, feeds.link, ENTRY)
        # All in one descent: one that began just above its level would be a link's to the proof.
        out.to(LINE, x, y, end + ABOVE, feeds.entry, ENTRY)
        _helix(out, down, end + ABOVE, z, feeds, radius)
    out.to(LINE, hole.x, hole.y, z, feeds.link, ENTRY)


def helix_drop(r: float, radius: float, feeds: Feeds) -> float:
    """mm down in half a turn of a helix of radius `r`: as steep as ramp angle and load allow."""
    # All of the hole goes down with the cutter: pi (r + R)^2 for every mm.
    fall = min(1.0, feeds.removal / (math.pi * (r + radius) ** 2 * feeds.entry))
    return min(math.pi * r * math.tan(min(feeds.ramp, math.asin(fall))), 0.5 * feeds.slot)


def _helix_begin(entry: Entry, top: float, z: float, feeds: Feeds, radius: float) -> tuple[float, float, float]:
    """Where a helix begins, x and y, and how many half turns it goes down, at just the slope that it may."""
    middle, arm = _arm(entry)
    halves = (top - z) / helix_drop(abs(arm), radius, feeds)
    begin = middle + arm * cmath.exp(-1j * math.pi * halves)
    return begin.real, begin.imag, halves


def _arm(entry: Entry) -> tuple[complex, complex]:
    """The middle of a way in that goes round, and from there to where it ends."""
    assert entry.centre is not None
    middle = complex(*entry.centre)
    return middle, complex(*entry.points[0]) - middle


def _helix(out: MovesBuilder, entry: Entry, top: float, z: float, feeds: Feeds, radius: float) -> None:
    """Down to `z` at one slope, at the end in half turns, then one flat turn that takes the floor of the last one."""
    middle, arm = _arm(entry)
    _, _, halves = _helix_begin(entry, top, z, feeds, radius)
    whole = math.floor(halves + 1e-9)
    # The piece of a half turn that is over comes first; full ends lie on the line that the flat turn ends on.
    first = [0] if halves - whole > 1e-6 else []
    for k in [*first, *range(1, whole + 1), whole + 1, whole + 2]:
        side = -1.0 if (whole - k) % 2 else 1.0
        height = z + (top - z) * max(0.0, whole - k) / halves
        end = middle + side * arm
        out.to(COUNTERCLOCKWISE, end.real, end.imag, height, feeds.entry, ENTRY, (middle.real, middle.imag))


def _plunge(out: MovesBuilder, entry: Entry, top: float, z: float, feeds: Feeds, radius: float) -> None:
    """Straight down, then a flat spiral of one turn and a full circle, or one stroke along a slot.

    All at one feed, that neither the hole (pi R^2) nor the full slot after it makes heavier than the bite.
    """
    feed = min(feeds.entry, feeds.removal / (math.pi * radius**2), feeds.removal / (2.0 * radius * (top - z)))
    if entry.centre is None:
        (ax, ay), (bx, by) = ((float(v) for v in p) for p in entry.points)
        out.to(LINE, ax, ay, z, feed, ENTRY)
        out.to(LINE, bx, by, z, feed, ENTRY)
        return
    middle, arm = _arm(entry)
    out.to(LINE, middle.real, middle.imag, z, feed, ENTRY)
    for k in range(1, SPIRAL_PARTS + 1):
        share = k / SPIRAL_PARTS
        end = middle + share * arm * cmath.exp(2j * math.pi * share)
        out.to(LINE, end.real, end.imag, z, feed, ENTRY)
    for side in (-1.0, 1.0):
        end = middle + side * arm
        out.to(COUNTERCLOCKWISE, end.real, end.imag, z, feed, ENTRY, (middle.real, middle.imag))


def _cut(out: MovesBuilder, piece: Piece, z: float, feeds: Feeds, target: float, tolerance: float, radius: float,
         first: bool = False) -> None:  # fmt: skip
    """A cut; where the feed follows the bite, in runs of one feed each, slow enough for the deepest place.

    `first`: it goes on from a way in.
    """
    factor = _feed_factors(piece, feeds, target, radius, first)
    last = len(piece.points) - 1
    if factor is None:
        ends, own = np.array([last]), np.array([feeds.cut])
    else:
        ends = np.append(np.nonzero(np.diff(factor[1:]))[0] + 1, last)
        own = feeds.cut * factor[ends]
    heights = np.full(len(piece.points), z)
    out.along(piece.points, heights, ends, own, piece.depth / target, tolerance, feeds.acceleration, CUT)


def _feed_factors(piece: Piece, feeds: Feeds, target: float, radius: float, first: bool = False
                  ) -> NDArray[np.float64] | None:  # fmt: skip
    """What the cutting feed is multiplied by at each point of a cut; None for one feed all along.

    `first`: it goes on from a way in, which takes no more in a minute than the bite does; so does its beginning at a
    wall.
    """
    law = feeds.grazing if feeds.follow is None and piece.whole else feeds.follow
    if len(piece.depth) < 4 or (law is None and piece.load is None):
        return None
    apart = float(length_of(piece.points)) / (len(piece.points) - 1)
    reach = max(1, round(FEED_RUN * radius / max(1e-6, apart)))
    load = piece.depth
    if piece.load is not None:
        # What was marked scatters about the bite, where the depth itself is held to it.
        load = np.maximum(load, piece.load if piece.whole else np.minimum(piece.load, target))
    # No quicker than what is met a little before and after: the machine needs its way to change.
    met = ndimage.maximum_filter1d(load, 2 * reach + 1, mode="nearest")
    factors = np.ones(len(met)) if law is None else _factors(law, met / target)
    if first and piece.whole:
        begins = slice(0, int(BEGINS * radius / max(1e-6, apart)) + 1)
        factors[begins] = np.minimum(factors[begins], FIRST_SHARE * target / np.maximum(met[begins], 1e-9))
    if feeds.follow is None:
        factors = np.minimum(factors, 1.0)
    if piece.load is not None:
        # What is no thicker than a tooth bears is cut at any feed: it goes as links do on to a wall that is wiped,
        # and between two pieces of a front. So it does where one feed is asked for, which is meant for the bite.
        factors[met <= BORNE_SHARE * feeds.borne] = max(1.0, feeds.link / feeds.cut)
    return factors


def _link_feeds(piece: Piece, feeds: Feeds, target: float) -> NDArray[np.float64]:
    """mm/min on the way to each point of a link but its first: where it grazes something no more than a cut has there.

    On slow work returns are sixty times as fast as cuts: a crescent that no cut would feel is a chip there that no
    tooth bears.
    """
    found = np.full(len(piece.points) - 1, feeds.link)
    if piece.load is not None:
        load = ndimage.maximum_filter1d(piece.load, 3, mode="nearest")[1:]
        grazed = load > BORNE_SHARE * feeds.borne
        quicker = 1.0 if feeds.grazing is None else _factors(feeds.grazing, load[grazed] / target)
        found[grazed] = np.minimum(feeds.link, feeds.cut * quicker)
    return found


def _link(out: MovesBuilder, piece: Piece, above: float, z: float, heights: Heights, feeds: Feeds, target: float,
          tolerance: float) -> None:  # fmt: skip
    """To the next cut by the quicker way: at hover height through what is cleared, or over all."""
    points = piece.points
    if len(points) < 2:
        return
    own = _link_feeds(piece, feeds, target)
    if piece.drop > 0 and over_is_quicker(points, piece.drop, above, z, heights, feeds):
        x, y = (float(v) for v in points[piece.drop])
        out.rapid(out.here[0], out.here[1], heights.travel)
        out.rapid(x, y, heights.travel)
        # Material stands close by: the rapid ends above it.
        _come_down(out, x, y, above + heights.gap, heights, feeds, LINK)
        out.to(LINE, x, y, z, feeds.link, LINK)
        _hover(out, points[piece.drop :], own[piece.drop :], z, 0.0, feeds, tolerance)
        return
    _hover(out, points, own, z, heights.hover, feeds, tolerance)


def over_is_quicker(
    points: NDArray[np.float64], drop: int, above: float, z: float, heights: Heights, feeds: Feeds
) -> bool:
    """Whether lifting to travel height and coming down at point `drop` takes less time."""

    def seconds(length: float, feed: float) -> float:
        speed = feed / 60.0
        reached = min(speed, float(np.sqrt(length * feeds.acceleration)))
        return length / max(reached, 1e-9) if reached < speed else length / speed + speed / feeds.acceleration

    def along(part: NDArray[np.float64]) -> float:
        return float(length_of(part))

    across = float(np.hypot(*(points[drop] - points[0])))
    up, down = heights.travel - z, heights.travel - above - heights.gap
    over = seconds(up, feeds.rapid) + seconds(across, feeds.rapid) + seconds(down, feeds.rapid)
    over += seconds(above + heights.gap - z, feeds.link) + along(points[drop:]) * 60.0 / feeds.link
    return over < seconds(along(points), feeds.link)


def _hover(out: MovesBuilder, points: NDArray[np.float64], own: NDArray[np.float64], z: float, hover: float,
           feeds: Feeds, tolerance: float) -> None:  # fmt: skip
    """At hover height through what is cleared, easing up and down along the way; `own` feeds on the way to points."""
    length = float(length_of(points))
    if length < 1e-6:
        return
    if length <= LEAST_HOVER:
        hover = 0.0
    places, heights, ends, found = lifted(points, own, hover, min(EASE * hover, EASE_SHARE * length))
    out.along(places, z + heights, ends, found, None, tolerance, feeds.acceleration, LINK)
