"""What the steps of a replay tell: radial depth, which belong to a way in, removal rates, chips."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import RAPID, Moves
from justbite.proof.steps import Steps, chunks

LEAST_WINDOW = 0.2
"""Share of the window that counts at least where a chip is told: single cells of the map make no chip."""
ON_LEVEL, FULL, FLAT_TURN, CUSPS, APART = 1e-3, 0.9, 6.5, 0.01, 1.0
"""mm above a level that still count as on it; share of the level's depth that a full cut takes; R of level way
that may follow any way in: a helix's last turn; R of radial depth that is not yet a cut; R of way without a cut that
ends a way in at full depth."""


@dataclass(frozen=True, slots=True)
class Trace:
    """What the replay saw at each step; n rows."""

    block: NDArray[np.int32]
    position: NDArray[np.float32]
    """(n, 3)"""
    length: NDArray[np.float32]
    depth: NDArray[np.float32]
    """Effective radial depth in mm, averaged over the window; 0 where nothing is cut. In ways in: what they remove in
    a minute, as the radial depth that takes as much at the bite's depth and feed."""
    entry: NDArray[np.bool_]


def thinned(trace: Trace, spacing: float) -> Trace:
    """The trace for drawing: the last step of each block and of every `spacing` mm, with the most that its own and
    those left out before it show; all of it where that is 0."""
    count = len(trace.block)
    if not count or spacing <= 0.0:
        return trace
    keep = np.append(trace.block[1:] != trace.block[:-1], True)
    every = np.floor(np.cumsum(trace.length, dtype=np.float64) / spacing).astype(np.int32)
    keep[:-1] |= every[1:] != every[:-1]
    del every
    last = np.nonzero(keep)[0]
    first = np.append(0, last[:-1] + 1)
    return Trace(
        block=trace.block[last],
        position=trace.position[last],
        length=np.add.reduceat(trace.length, first),
        depth=np.maximum.reduceat(trace.depth, first),
        entry=np.logical_or.reduceat(trace.entry, first),
    )


def joined(traces: list[Trace], blocks: list[int]) -> Trace:
    """Traces of stretches in a row as one; `blocks`: how many there are before each."""
    block = [trace.block + np.int32(before) for trace, before in zip(traces, blocks, strict=True)]
    names = ("position", "length", "depth", "entry")
    return Trace(np.concatenate(block), *(np.concatenate([getattr(t, n) for t in traces]) for n in names))


def radial_ways(steps: Steps, axial: NDArray[np.float32], ap: float) -> NDArray[np.float32]:
    """(n,) mm2 of radial depth times way: the volume of each step over its axial depth.

    A film that a level above left stands as high as that level: no step takes more to the side than the area that it
    lowers. What stands higher than the bite is deep counts by its volume all the same.
    """
    found = np.empty(len(steps), dtype=np.float32)
    for rows in chunks(len(steps)):
        volume = steps.volume[rows]
        found[rows] = np.maximum(np.minimum(volume / axial[rows], steps.lowered[rows]), volume / ap)
    return found


def trace_of(steps: Steps, radial: NDArray[np.float32], light: NDArray[np.bool_], moves: Moves,
             axial: NDArray[np.float32], window: float, radius: float, least_descent: float,
             bite_feed: float) -> tuple[Trace, NDArray[np.bool_]]:  # fmt: skip
    """Radial depth per step: what `radial_ways` tells over length, over a window about the step; and ways in.

    Only a descent no faster than `bite_feed` is a way in where it takes nothing yet; 0 where the feed is not known.
    """
    block, volume, lowered = steps.block, steps.volume, steps.lowered
    feed = moves.kind[block] != RAPID
    along = _sums(len(steps), steps.length)
    level = moves.z_level.astype(np.float32)[block]
    descent = _descents(steps.place[:, 2], float(moves.start[2]), level, least_descent) & feed
    idle, above, shallow = feed.copy(), feed.copy(), feed.copy()
    for rows in chunks(len(steps)):
        # Between discs a step apart a wall keeps cusps: on a second way along it they are no cut.
        idle[rows] &= volume[rows] <= CUSPS * radius * steps.length(rows) * axial[rows]
        above[rows] &= ~idle[rows] & (steps.place[rows, 2] > level[rows] + ON_LEVEL)
        # Cut on the level at less than its depth: what a way in left.
        shallow[rows] &= volume[rows] < FULL * lowered[rows] * axial[rows]
    del level
    pace = moves.feed.astype(np.float32)[block]
    slow = pace <= bite_feed
    if bite_feed > 0.0:
        # What comes down through air faster than the bite is cut is a link, which cuts beside where it lands if at all.
        descent &= ~idle | slow
    np.negative(pace, out=pace, where=idle & ~(descent & slow))
    entry = ways_in(descent, above, shallow | idle, light & ~idle, pace, along[1:], FLAT_TURN * radius, APART * radius)
    entry &= descent | ~idle
    del pace, slow, descent, idle, above, shallow
    # The window's reach on either side of an entry belongs to it.
    near = entry.copy()
    for rows in chunks(len(steps)):
        for shift in (window / 2, -window / 2):
            spots = _middles(along, rows) + shift
            about = slice(
                max(0, int(np.searchsorted(along, spots[0])) - 2),
                min(len(steps), int(np.searchsorted(along, spots[-1])) + 2),
            )
            near[rows] |= np.interp(spots, _middles(along, about), entry[about].astype(np.float32)) > 0
    depth = np.empty(len(steps), dtype=np.float32)
    for rows in chunks(len(steps)):
        middle = _middles(along, rows)
        over = _between(
            along, middle - window / 2, middle + window / 2, lambda own: np.where(feed[own], radial[own], 0.0)
        )
        depth[rows] = np.where(feed[rows], over / window, 0.0)
    del along
    trace = Trace(
        block=block,
        position=steps.place.astype(np.float32, copy=False),
        length=steps.piece.astype(np.float32)[block],
        depth=depth,
        entry=near,
    )
    return trace, entry


def removal_rates(steps: Steps, moves: Moves, counted: NDArray[np.bool_], where: NDArray[np.intp],
           window: float) -> NDArray[np.float64]:  # fmt: skip
    """mm3/min removed about the steps `where`, over a window of travel, of which only `counted` steps count."""
    pace = np.nan_to_num(moves.feed, nan=np.inf)
    along = _sums(len(steps), steps.length)
    found = np.zeros(len(where))
    for some in chunks(len(where)):
        middle = 0.5 * (along[where[some]] + along[where[some] + 1])
        begin, end = middle - window / 2, middle + window / 2
        taken = _between(along, begin, end, lambda own: np.where(counted[own], steps.volume[own], 0.0))
        spent = _between(
            along, begin, end, lambda own: np.where(counted[own], steps.length(own) / pace[steps.block[own]], 0.0)
        )
        found[some] = np.where(spent > 0.0, taken / np.maximum(spent, 1e-12), 0.0)
    return found


def chips(trace: Trace, moves: Moves, radial: NDArray[np.float32], window: float, radius: float,
           teeth_a_minute: float, borne: float) -> tuple[float, int, NDArray[np.float64]]:  # fmt: skip
    """mm of the thickest chip, 0 in ways in and rapids, and the step about which it is; for each block a feed, mm/min.

    It is the feed at which no chip of the block would be thicker than `borne` mm; infinite where none is.

    The depth is that over half the `window`, of steps at one feed alone: a link begins where a slow cut ended. A chip
    is fz sin(phi), and no thicker than the depth itself.
    """
    block, count = trace.block, len(trace.block)
    own = ~trace.entry & (moves.kind[block] != RAPID)

    def pace(rows: slice) -> NDArray[np.float64]:
        return np.where(own[rows], moves.feed[block[rows]], 0.0)

    first = np.ones(count, dtype=bool)
    for rows in chunks(count - 1):
        first[rows.start + 1 : rows.stop + 1] = pace(slice(rows.start + 1, rows.stop + 1)) != pace(rows)
    run = np.cumsum(first, dtype=np.int32) - 1
    along = _sums(count, lambda rows: trace.length[rows])
    begins = along[:-1][first]
    ends = np.append(begins[1:], along[-1])
    del first
    most, most_at = 0.0, 0
    bearable = np.full(len(moves.kind), np.inf)
    for rows in chunks(count):
        middle = _middles(along, rows)
        a = np.maximum(middle - window / 4, begins[run[rows]])
        b = np.minimum(middle + window / 4, ends[run[rows]])
        depth = _between(along, a, b, lambda own: radial[own]) / np.maximum(b - a, LEAST_WINDOW * window)
        over = 1.0 - np.clip(depth, 0.0, radius) / radius
        sine = np.sqrt(np.maximum(0.0, 1.0 - over**2))
        chip = np.where(own[rows], np.minimum(pace(rows) / teeth_a_minute * sine, depth), 0.0)
        if chip.max() > most:
            most, most_at = float(chip.max()), rows.start + int(np.argmax(chip))
        beyond = chip > borne
        np.minimum.at(bearable, block[rows][beyond], borne * teeth_a_minute / sine[beyond])
    return most, most_at, bearable


def _sums(count: int, values: Callable[[slice], NDArray[np.floating]]) -> NDArray[np.float64]:
    """(count + 1,) sums of all values before each row, and of all."""
    found = np.zeros(count + 1)
    for rows in chunks(count):
        found[rows.start + 1 : rows.stop + 1] = values(rows)
    return np.cumsum(found, out=found)


def _between(along: NDArray[np.float64], begin: NDArray[np.float64], end: NDArray[np.float64],
             values: Callable[[slice], NDArray[np.floating]]) -> NDArray[np.float64]:  # fmt: skip
    """Sums of `values` of steps over stretches of the way (m,), of a step a part where one ends in it.

    Only of the steps about them: of all of a long program the sums would be as many numbers again.
    """
    first = max(0, int(np.searchsorted(along, begin.min(initial=np.inf))) - 1)
    last = min(len(along) - 1, int(np.searchsorted(along, end.max(initial=0.0))) + 1)
    own = slice(first, max(first, last))
    sums = np.append(0.0, np.cumsum(values(own), dtype=np.float64))
    way = along[own.start : own.stop + 1]
    found: NDArray[np.float64] = np.interp(end, way, sums) - np.interp(begin, way, sums)
    return found


def _middles(along: NDArray[np.float64], rows: slice) -> NDArray[np.float64]:
    """Way to the middles of some steps, from the way to the beginning of each step."""
    return 0.5 * (along[rows] + along[rows.start + 1 : rows.stop + 1])


def _descents(z: NDArray[np.floating], start: float, level: NDArray[np.float32],
              least: float) -> NDArray[np.bool_]:  # fmt: skip
    """Steps that belong to a way down into the material: from more than `least` mm above the level."""
    down = np.empty(len(z), dtype=bool)
    # As it is held for the steps: a height may be rounded down.
    down[:1] = z[:1] < z.dtype.type(start) - 1e-9
    for rows in chunks(len(z) - 1):
        down[rows.start + 1 : rows.stop + 1] = z[rows.start + 1 : rows.stop + 1] < z[rows] - 1e-9
    first = np.nonzero(down & ~np.append(False, down[:-1])[: len(down)])[0]
    high = np.where(first > 0, z[first - 1], start) - level[first]
    own = np.nonzero(down)[0]
    down[own] = high[np.searchsorted(first, own, side="right") - 1] > least + ON_LEVEL
    return down


def ways_in(descent: NDArray[np.bool_], above: NDArray[np.bool_], shallow: NDArray[np.bool_],
             light: NDArray[np.bool_], feed: NDArray[np.float32], along: NDArray[np.float64],
             least: float, apart: float) -> NDArray[np.bool_]:  # fmt: skip
    """Ways in: from a descent on, as long as it is cut above the level; and on it where two of three speak for it.

    These are: that it follows at once, not after a way on which nothing is taken; that it is cut at less than full
    depth; and that it is cut no faster than so far.

    On the level at most as long again as it came down, or `least` mm, ways back not counted: where the stock stands
    lower than the job says all would be shallow. But what is `light` even at full width, since the level is thin or
    the feed low, belongs to it for as long as it is cut no faster; and so does a way after it on which nothing is taken
    (over a hole), gone no faster. `feed` is below zero where nothing is taken; `apart`: mm of such way.
    """
    entry = descent.copy()
    last = -1
    for begin in np.nonzero(descent & ~np.concatenate([[False], descent[:-1]]))[0]:
        if begin <= last:
            continue
        last = busy = int(begin)
        fastest = float(feed[begin])
        # mm of way since it was last above the level on which something is taken, and mm that it came down.
        cut, down = 0.0, 0.0
        for k in range(begin + 1, len(entry)):
            cut += float(along[k] - along[k - 1]) if feed[k] > 0.0 else 0.0
            if descent[k] or above[k]:
                cut, down = 0.0, float(along[k] - along[begin])
                fastest = max(fastest, float(feed[k]))
            elif (light[k] and feed[k] <= fastest) or (feed[k] <= 0.0 and light[busy] and -feed[k] <= fastest):
                pass
            else:
                at_once = feed[k] <= 0.0 or along[k] - along[busy] <= apart
                follows = int(at_once) + int(shallow[k]) + int(feed[k] <= fastest) > 1
                if not follows or cut > max(least, down):
                    break
            if feed[k] > 0.0:
                busy = k
            last = k
        entry[begin : last + 1] = True
    return entry
