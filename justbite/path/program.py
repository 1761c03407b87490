"""From level paths to moves: heights, feeds, entries, links at hover or travel height."""

import math
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry

from justbite.model.moves import (
    CLOCKWISE,
    COUNTERCLOCKWISE,
    CUT,
    ENTRY,
    LINE,
    LINK,
    POSITION,
    RAPID,
    Moves,
)
from justbite.path.descent import Descent, FullWidth, descend
from justbite.path.entry import Entry
from justbite.path.fit import fit
from justbite.path.fronts import Piece
from justbite.path.level import PartPath

BORNE_SHARE = 0.6
"""Share of what a tooth bears up to which what a link grazes may stand: over R/10 the field tells it no better."""
FEED_RUN = 0.8
"""mm to either side that a cut's feed also has to suit."""
LEAST_POINTS = 3
"""Points to either side that it has to suit at least."""
FEED_STEP = 0.1
"""Shares of the cutting feed that the feed follows the bite in: finer would only make blocks."""
SPIRAL_PARTS = 48
"""Lines of the spiral that widens a plunge."""
ABOVE = 0.05
"""mm above the surface where a way down begins."""
EASE, EASE_SHARE, LEAST_HOVER = 10.0, 0.4, 3.0
"""mm of travel for every mm that a link lifts off the floor and comes down again: steeper corners hold the machine up;
the share of a link that may go into either; and mm from which on a link lifts at all."""
HELD = 0.98
"""Share of the feed from which on it is left as it is in a curve that holds the machine up."""


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


@dataclass
class MovesBuilder:
    """Collects blocks; `build` makes them arrays."""

    start: NDArray[np.float64]
    rows: list[tuple[float, ...]] = field(default_factory=list)
    operation: int = 0
    level: float = 0.0
    points: int = 0
    """Points of the polylines that blocks were fitted to so far."""

    @property
    def here(self) -> NDArray[np.float64]:
        return np.array(self.rows[-1][1:4]) if self.rows else self.start

    def to(self, kind: int, x: float, y: float, z: float, feed: float, part: int,
           centre: tuple[float, float] = (np.nan, np.nan), depth: float = 0.0) -> None:  # fmt: skip
        self.rows.append((kind, x, y, z, *centre, feed, part, self.operation, self.level, depth))

    def rapid(self, x: float, y: float, z: float) -> None:
        self.to(RAPID, x, y, z, np.nan, POSITION)

    def build(self, first: int = 0) -> Moves:
        """All rows from `first` on as arrays."""
        table = np.array(self.rows[first:], dtype=float).reshape(-1, 11)
        return Moves(
            start=np.array(self.rows[first - 1][1:4]) if first else self.start,
            kind=table[:, 0].astype(np.uint8),
            end=table[:, 1:4].copy(),
            centre=table[:, 4:6].copy(),
            feed=table[:, 6].copy(),
            part=table[:, 7].astype(np.uint8),
            operation=table[:, 8].astype(np.int16),
            z_level=table[:, 9].copy(),
            depth=table[:, 10].astype(np.float32),
            line=np.zeros(len(table), dtype=np.int32),
        )


def add_level(out: MovesBuilder, parts: list[PartPath], above: float, z: float, target: float,
              heights: Heights, feeds: Feeds, tolerance: float, radius: float) -> None:  # fmt: skip
    """Append one level: from `above` (surface before it) down to `z`."""
    out.level = z
    for part in parts:
        enter(out, part.entry, above, z, heights, feeds, radius)
        for piece in part.pieces:
            if piece.kind == "cut":
                _cut(out, piece, z, feeds, target, tolerance)
            else:
                _link(out, piece, above, z, heights, feeds, target, tolerance)
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
        full = FullWidth(feeds.entry, feeds.removal, feeds.slot)
        down = descend(entry.points, above + ABOVE, z, radius, slope, full, entry.open_ends)
        x, y = float(down.begin[0]), float(down.begin[1])
    elif entry.kind == "helix":
        x, y, _ = _helix_begin(entry, above + ABOVE, z, feeds, radius)
    if out.here[2] < heights.travel:
        out.rapid(out.here[0], out.here[1], heights.travel)
    out.rapid(x, y, heights.travel)
    if entry.kind == "outside":
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
        for (ex, ey, ez), feed in zip(down.ends.tolist(), down.feeds.tolist(), strict=True):
            out.to(LINE, ex, ey, ez, feed, ENTRY)


def helix_drop(r: float, radius: float, feeds: Feeds) -> float:
    """mm down in half a turn of a helix of radius `r`: as steep as ramp angle and load allow."""
    # All of the hole goes down with the cutter: pi (r + R)^2 for every mm.
    fall = min(1.0, feeds.removal / (math.pi * (r + radius) ** 2 * feeds.entry))
    return min(math.pi * r * math.tan(min(feeds.ramp, math.asin(fall))), 0.5 * feeds.slot)


def _helix_begin(entry: Entry, top: float, z: float, feeds: Feeds, radius: float) -> tuple[float, float, float]:
    """Where a helix begins, x and y, and how many half turns it goes down, at just the slope that it may."""
    assert entry.centre is not None
    cx, cy = entry.centre
    r = float(entry.points[0, 0]) - cx
    halves = (top - z) / helix_drop(r, radius, feeds)
    return cx + r * math.cos(math.pi * halves), cy - r * math.sin(math.pi * halves), halves


def _helix(out: MovesBuilder, entry: Entry, top: float, z: float, feeds: Feeds, radius: float) -> None:
    """Down to `z` at one slope, at the end in half turns, then one flat turn that takes the floor of the last one."""
    assert entry.centre is not None
    cx, cy = entry.centre
    r = float(entry.points[0, 0]) - cx
    _, _, halves = _helix_begin(entry, top, z, feeds, radius)
    whole = math.floor(halves + 1e-9)
    # The piece of a half turn that is over comes first; full ends lie on the line that the flat turn ends on.
    first = [0] if halves - whole > 1e-6 else []
    for k in [*first, *range(1, whole + 1), whole + 1, whole + 2]:
        side = -1.0 if (whole - k) % 2 else 1.0
        height = z + (top - z) * max(0.0, whole - k) / halves
        out.to(COUNTERCLOCKWISE, cx + side * r, cy, height, feeds.entry, ENTRY, (cx, cy))


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
    cx, cy = entry.centre
    r = float(entry.points[0, 0]) - cx
    out.to(LINE, cx, cy, z, feed, ENTRY)
    for k in range(1, SPIRAL_PARTS + 1):
        share = k / SPIRAL_PARTS
        out.to(LINE, cx + share * r * math.cos(2 * math.pi * share), cy + share * r * math.sin(2 * math.pi * share),
               z, feed, ENTRY)  # fmt: skip
    for side in (-1.0, 1.0):
        out.to(COUNTERCLOCKWISE, cx + side * r, cy, z, feed, ENTRY, (cx, cy))


def _cut(out: MovesBuilder, piece: Piece, z: float, feeds: Feeds, target: float, tolerance: float) -> None:
    """A cut; where the feed follows the bite, in runs of one feed each, slow enough for the deepest place.

    Its lines and arcs are fitted once for all levels.
    """
    depth = piece.depth / target
    factor = _feed_factors(piece, np.hypot(*np.diff(piece.points, axis=0).T), feeds, target)
    change = [] if factor is None else (np.nonzero(np.diff(factor[1:]))[0] + 1).tolist()
    at = 0
    for end in [*change, len(depth) - 1]:
        if end > at:
            points = piece.points[at : end + 1]
            if (at, end) not in piece.fitted:
                piece.fitted[at, end] = fit(np.ascontiguousarray(points), tolerance)
            feed = feeds.cut if factor is None else feeds.cut * float(factor[at + 1])
            _emit(out, points, piece.fitted[at, end], z, feed, feeds.acceleration, CUT, depth[at : end + 1])
            at = end


def _feed_factors(piece: Piece, spans: NDArray[np.float64], feeds: Feeds, target: float) -> NDArray[np.float64] | None:
    """What the cutting feed is multiplied by at each point of a cut, `spans` apart; None for one feed all along."""
    law = feeds.grazing if feeds.follow is None and piece.whole else feeds.follow
    if law is None or len(piece.depth) < 4:
        return None
    reach = max(LEAST_POINTS, round(FEED_RUN / max(1e-6, float(spans.mean()))))
    load = piece.depth
    if piece.load is not None:
        # What was marked scatters about the bite, where the depth itself is held to it.
        load = np.maximum(load, piece.load if piece.whole else np.minimum(piece.load, target))
    # No quicker than what is met a little before and after: the machine needs its way to change.
    factors = _factors(law, ndimage.maximum_filter1d(load / target, 2 * reach + 1, mode="nearest"))
    return factors if feeds.follow is not None else np.minimum(factors, 1.0)


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


def _link_blocks(out: MovesBuilder, points: NDArray[np.float64], z: float | NDArray[np.float64], feed: float,
                 feeds: Feeds, tolerance: float) -> None:  # fmt: skip
    _emit(out, points, fit(np.ascontiguousarray(points), tolerance), z, feed, feeds.acceleration, LINK)


def _emit(out: MovesBuilder, points: NDArray[np.float64], fitted: NDArray[np.float64], z: float | NDArray[np.float64],
          feed: float, acceleration: float, part: int, depth: NDArray[np.float64] | None = None) -> None:  # fmt: skip
    """The lines and arcs `fitted` along `points`; `z` at all or at each, `depth` over the target at each point.

    In an arc of radius r the feed is no more, but for HELD, than the machine holds: v^2 / r is its acceleration.
    """
    at = 0
    out.points += len(points) - 1
    heights = np.broadcast_to(z, len(points))
    for last, kind, cx, cy in fitted:
        end = int(last)
        most = float(depth[at + 1 : end + 1].max()) if depth is not None else 0.0
        code = {1: LINE, 2: CLOCKWISE, 3: COUNTERCLOCKWISE}[int(kind)]
        x, y = (float(v) for v in points[end])
        held = feed
        if code != LINE:
            held = 60.0 * math.sqrt(acceleration * math.hypot(x - cx, y - cy))
        out.to(code, x, y, float(heights[end]), feed if held > HELD * feed else held, part, (cx, cy), most)
        at = end


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
        return float(np.hypot(*np.diff(part, axis=0).T).sum())

    across = float(np.hypot(*(points[drop] - points[0])))
    up, down = heights.travel - z, heights.travel - above - heights.gap
    over = seconds(up, feeds.rapid) + seconds(across, feeds.rapid) + seconds(down, feeds.rapid)
    over += seconds(above + heights.gap - z, feeds.link) + along(points[drop:]) * 60.0 / feeds.link
    return over < seconds(along(points), feeds.link)


def _hover(out: MovesBuilder, points: NDArray[np.float64], own: NDArray[np.float64], z: float, hover: float,
           feeds: Feeds, tolerance: float) -> None:  # fmt: skip
    """At hover height through what is cleared, easing up and down along the way; `own` feeds on the way to points."""
    if len(points) < 2:
        return
    spans = np.hypot(*np.diff(points, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(spans)])
    length = float(along[-1])
    if length < 1e-6:
        return
    if length <= LEAST_HOVER:
        hover = 0.0
    ease = min(EASE * hover, EASE_SHARE * length)
    ends = np.array([0.0, ease, length - ease, length])
    changes = along[1:-1][np.diff(own) != 0.0]
    borders = np.unique(np.concatenate([ends, changes]))
    for a, b in pairwise(borders[np.append(True, np.diff(borders) > 1e-6)].tolist()):
        # The curve itself is kept on the way up and down: a chord could touch a wall beside it.
        points_here, along_here = _between(points, along, a, b)
        height = z + hover * np.interp(along_here, ends, [0.0, 1.0, 1.0, 0.0])
        feed = float(own[min(len(own) - 1, int(np.searchsorted(along, 0.5 * (a + b))) - 1)])
        _link_blocks(out, points_here, height, feed, feeds, tolerance)


def _between(points: NDArray[np.float64], along: NDArray[np.float64], a: float, b: float
             ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """The stretch of a polyline from length `a` to length `b` along it: its points, and the length at each."""
    inner = along[(along > a + 1e-6) & (along < b - 1e-6)]
    ways = np.concatenate([[a], inner, [b]])
    return np.column_stack([np.interp(ways, along, points[:, 0]), np.interp(ways, along, points[:, 1])]), ways
