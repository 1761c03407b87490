"""Features as workshops draw them, for odd parts: turned out of the axes, rounded at the floor, with leaning walls.

Slots with round ends, pockets like an L, pockets with islands and bosses in them, curved outlines, windows, thin ribs,
stepped bores, rows of holes too small for the cutter, and grooves that widen below, where no cutter comes from above.
"""

import math
from collections.abc import Sequence

from justbite import solids
from justbite.odd_blank import LESS, Blank
from justbite.solids import Place, Solid


def _floor_or_through(on: Blank) -> float:
    return -1.0 if on.random.random() < 0.25 else on.floor()


def _cut_turned(on: Blank, middle: tuple[float, float], *tools: Solid) -> None:
    """Take them off, all turned alike about a place, two times out of three."""
    angle = on.length(0, 180) if on.random.random() < 0.67 else 0.0
    on.cut(*(solids.turned(tool, *middle, angle) for tool in tools))


def _rounded_at(tool: Solid, height: float, radius: float) -> Solid:
    """Rounded where an edge's middle is that high; as it was where the kernel cannot, or makes something broken."""
    from OCP.Standard import Standard_Failure
    from OCP.StdFail import StdFail_NotDone

    try:
        made = solids.with_edges(tool, radius, lambda _x, _y, z: abs(z - height) < 1e-6, rounded=True)
    except (Standard_Failure, StdFail_NotDone):
        return tool
    return made if solids.is_sound(made) else tool


def _corners(low: Place, size: tuple[float, float]) -> list[Place]:
    (x, y, z), (wide, long) = low, size
    return [(x, y, z), (x + wide, y, z), (x + wide, y + long, z), (x, y + long, z)]


def slot(on: Blank) -> None:
    """With round ends, in any direction."""
    wide, low = on.length(5, 18), _floor_or_through(on)
    long = on.length(1.2, 4.0) * wide
    x, y = on.spot(long, wide)
    radius, top = wide / 2, on.height + 1
    middle = solids.block((x + radius, y, low), (x + long - radius, y + wide, top))
    ends = (solids.cylinder(at, y + radius, radius, low, top) for at in (x + radius, x + long - radius))
    _cut_turned(on, (x + long / 2, y + radius), solids.joined(middle, *ends))


def rounded_floor(on: Blank) -> None:
    """A pocket whose floor meets its walls in a rounding."""
    wide, long, low = on.length(14, 45), on.length(14, 45), on.floor()
    x, y = on.spot(wide, long)
    corner = on.length(2.0, min(wide, long) / 2 - 0.5)
    tool = solids.rounded_block((x, y, low), (x + wide, y + long, on.height + 1), corner)
    radius = on.length(0.4, max(0.5, min(corner - 0.3, 4.0, on.height - low)))
    _cut_turned(on, (x + wide / 2, y + long / 2), _rounded_at(tool, low, radius))


def leaning(on: Blank) -> None:
    """A pocket with walls that lean by a few degrees, its corners sharp."""
    wide, long, low = on.length(16, 45), on.length(16, 45), on.floor()
    x, y = on.spot(wide, long)
    top = on.height + LESS
    less = min((top - low) * math.tan(math.radians(on.length(1, 12))), 0.35 * min(wide, long))
    floor = _corners((x + less, y + less, low), (wide - 2 * less, long - 2 * less))
    _cut_turned(on, (x + wide / 2, y + long / 2), solids.between(floor, _corners((x, y, top), (wide, long))))


def bent(on: Blank) -> None:
    """A pocket like an L or a T, its upright edges rounded where the kernel can."""
    wide, long, low = on.length(20, 55), on.length(20, 55), _floor_or_through(on)
    x, y = on.spot(wide, long)
    arm, leg = on.length(0.25, 0.5) * wide, on.length(0.25, 0.5) * long
    at = x + on.length(0.0, 1.0) * (wide - arm)
    top = on.height + 1
    both = solids.joined(
        solids.block((x, y, low), (x + wide, y + leg, top)), solids.block((at, y, low), (at + arm, y + long, top))
    )
    tool = _rounded_at(both, (low + top) / 2, on.length(0.5, 0.3 * min(arm, leg)))
    _cut_turned(on, (x + wide / 2, y + long / 2), tool)


def islands(on: Blank) -> None:
    """A pocket with one to three bosses in it, some of them lower than the pocket's top."""
    wide, long, low = on.length(25, 70), on.length(25, 70), on.floor(0.15, 0.6)
    x, y = on.spot(wide, long)
    tool = solids.rounded_block((x, y, low), (x + wide, y + long, on.height + 1), on.length(2.0, 8.0))
    for _ in range(int(on.random.integers(1, 4))):
        radius = on.length(2.0, 0.18 * min(wide, long))
        at_x, at_y = x + on.length(0.15, 0.85) * wide, y + on.length(0.15, 0.85) * long
        top = on.height + 2 if on.random.random() < 0.5 else low + on.length(0.3, 0.9) * (on.height - low)
        if on.random.random() < 0.5:
            boss = solids.cylinder(at_x, at_y, radius, low - 1, top)
        else:
            boss = solids.block((at_x - radius, at_y - 0.7 * radius, low - 1), (at_x + radius, at_y + radius, top))
            boss = solids.turned(boss, at_x, at_y, on.length(0, 90))
        tool = solids.cut(tool, boss)
    on.cut(tool)


def curved(on: Blank) -> None:
    """A pocket, window or sunk lobe with a smooth outline of no named shape."""
    size = on.length(9, 24)
    low = _floor_or_through(on)
    x, y = (v + size for v in on.spot(2 * size, 2 * size))
    count = int(on.random.integers(4, 8))
    turns = [(k + on.length(-0.25, 0.25)) * math.tau / count for k in range(count)]
    reach = [size * on.length(0.5, 1.0) for _ in turns]
    places = [(x + r * math.cos(a), y + r * math.sin(a), low) for r, a in zip(reach, turns, strict=True)]
    on.cut(solids.drawn_curve(places, (0, 0, on.height + 1 - low)))


def ribs(on: Blank) -> None:
    """Two or three pockets side by side with thin ribs between them, as deep or not."""
    count = int(on.random.integers(2, 4))
    wide, long = on.length(9, 22), on.length(15, 50)
    thin = on.length(0.8, 3.0)
    x, y = on.spot(count * (wide + thin), long)
    low, corner = on.floor(0.2, 0.8), on.length(1.0, wide / 2 - 0.5)
    tools = [
        solids.rounded_block((at, y, low + k * on.length(0, 1.5)), (at + wide, y + long, on.height + 1), corner)
        for k, at in enumerate(x + k * (wide + thin) for k in range(count))
    ]
    _cut_turned(on, (x + count * (wide + thin) / 2, y + long / 2), *tools)


def stepped_bore(on: Blank) -> None:
    """Two or three bores about one middle, each narrower than the one above, or a ring groove about a post."""
    radius = on.length(6, 20)
    x, y = (v + radius for v in on.spot(2 * radius, 2 * radius))
    deep = on.height
    if on.random.random() < 0.3:
        post = on.length(0.25, 0.65) * radius
        low = on.floor(0.15, 0.6)
        ring = solids.cylinder(x, y, radius, low, deep + 1)
        on.cut(solids.cut(ring, solids.cylinder(x, y, post, low - 1, deep + 2)))
        return
    low = deep
    for _ in range(int(on.random.integers(2, 4))):
        low -= on.length(0.1, 0.35) * deep
        on.cut(solids.cylinder(x, y, radius, max(low, -1.0), deep + 1))
        radius *= on.length(0.4, 0.85)


def small_holes(on: Blank) -> None:
    """A ring of holes that no roughing cutter goes into."""
    radius = on.length(8, 25)
    x, y = (v + radius for v in on.spot(2 * radius, 2 * radius))
    count, small, low = int(on.random.integers(3, 9)), on.length(1.0, 2.6), _floor_or_through(on)
    for k in range(count):
        a = math.tau * k / count
        at = x + radius * math.cos(a), y + radius * math.sin(a)
        on.cut(solids.cylinder(*at, small, low, on.height + 1))


def wider_below(on: Blank) -> None:
    """A groove through the part that is wider at its floor."""
    wide = on.length(8, 18)
    x, _ = on.spot(wide, on.depth - 4)
    low = on.floor(0.3, 0.7)
    more = on.length(1, 5)
    high = low + on.length(0.2, 0.5) * (on.height - low)
    neck = solids.block((x, -1 - on.depth, low), (x + wide, 2 * on.depth + 1, on.height + 1))
    foot = solids.block((x - more, -1 - on.depth, low), (x + wide + more, 2 * on.depth + 1, high))
    _cut_turned(on, (x + wide / 2, on.depth / 2), solids.joined(neck, foot))


def cut_off(on: Blank) -> None:
    """A corner of the block taken down along a slanting line, or off altogether."""
    low = -1.0 if on.random.random() < 0.3 else on.floor(0.1, 0.7)
    wide, long = on.length(0.35, 0.6) * on.width, on.length(0.35, 0.6) * on.depth
    left, front = on.random.random(2) < 0.5
    corner = (0.0 if left else on.width, 0.0 if front else on.depth)
    sign = (1.0 if left else -1.0, 1.0 if front else -1.0)
    reach = on.width + on.depth
    outline: Sequence[Place] = [
        (corner[0] - sign[0] * reach, corner[1] - sign[1] * reach, low),
        (corner[0] + sign[0] * (wide + reach * wide / long), corner[1] - sign[1] * reach, low),
        (corner[0] - sign[0] * reach, corner[1] + sign[1] * (long + reach * long / wide), low),
    ]
    on.cut(solids.prism(outline, (0, 0, on.height + 1 - low)))


WORKSHOP = (
    slot, slot, rounded_floor, leaning, bent, bent, islands, curved, ribs, stepped_bore, small_holes, wider_below,
    cut_off,
)  # fmt: skip
