"""What the steps of a replay tell: radial depth, which belong to a way in, removal rates, chips.

Steps are rows as `justbite.proof.replay` gives them: block, x, y, z, length, volume.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import RAPID, Moves

LEAST_WINDOW = 0.2
"""Share of the window that counts at least where a chip is told: single cells of the map make no chip."""
ON_LEVEL, FULL, FLAT_TURN, CUSPS = 1e-3, 0.9, 6.5, 0.01
"""mm above a level that still count as on it; share of the level's depth that a full cut takes; R of level way
that may follow any way in: a helix's last turn; R of radial depth that is not yet a cut."""


@dataclass(frozen=True, slots=True)
class Trace:
    """What the replay saw at each step; n rows."""

    block: NDArray[np.int32]
    position: NDArray[np.float32]
    """(n, 3)"""
    length: NDArray[np.float32]
    depth: NDArray[np.float32]
    """Effective radial depth in mm, averaged over the window; 0 where nothing is cut. In ways in: what they remove in
    a minute, as the radial depth that takes as much at the feed of the bite."""
    entry: NDArray[np.bool_]


def radial_ways(steps: NDArray[np.float64], lowered: NDArray[np.float32], axial: NDArray[np.float64],
            ap: float) -> NDArray[np.float64]:  # fmt: skip
    """(n,) mm2 of radial depth times way: the volume of each step over its axial depth.

    A film that a level above left stands as high as that level: no step takes more to the side than the area that it
    lowers. What stands higher than the bite is deep counts by its volume all the same.
    """
    return np.maximum(np.minimum(steps[:, 5] / axial, lowered), steps[:, 5] / ap)


def trace_of(steps: NDArray[np.float64], lowered: NDArray[np.float32], radial: NDArray[np.float64],
             light: NDArray[np.bool_], moves: Moves, axial: NDArray[np.float64], window: float, radius: float,
             least_descent: float) -> tuple[Trace, NDArray[np.bool_]]:  # fmt: skip
    """Radial depth per step: what `_radial` tells over length, over a window about the step; and ways in."""
    block = steps[:, 0].astype(np.int32)
    length, volume = steps[:, 4], steps[:, 5]
    feed = moves.kind[block] != RAPID
    along = np.concatenate([[0.0], np.cumsum(length)])
    taken = np.concatenate([[0.0], np.cumsum(np.where(feed, radial, 0.0))])
    middle = 0.5 * (along[:-1] + along[1:])
    # In place: a long program has millions of steps.
    depth = np.interp(middle + window / 2, along, taken)
    depth -= np.interp(middle - window / 2, along, taken)
    depth /= window
    depth[~feed] = 0.0
    del taken
    level = moves.z_level[block]
    descent = _descents(steps[:, 3], float(moves.start[2]), level, least_descent) & feed
    # Between discs a step apart a wall keeps cusps: on a second way along it they are no cut.
    idle = feed & (volume <= CUSPS * radius * length * axial)
    above = feed & ~idle & (steps[:, 3] > level + ON_LEVEL)
    # Cut on the level at less than its depth: what a way in left.
    shallow = feed & (volume < FULL * lowered * axial)
    pace = np.where(idle, 0.0, moves.feed[block])
    entry = ways_in(descent, above, shallow | idle, light & ~idle, pace, along[1:], FLAT_TURN * radius)
    entry &= descent | ~idle
    # The window's reach on either side of an entry belongs to it.
    near = entry.copy()
    share = entry.astype(np.float32)
    for shift in (window / 2, -window / 2) if len(middle) else ():
        near |= np.interp(middle + shift, middle, share) > 0
    trace = Trace(
        block=block,
        position=steps[:, 1:4].astype(np.float32),
        length=length.astype(np.float32),
        depth=depth.astype(np.float32),
        entry=near,
    )
    return trace, entry


def removal_rates(steps: NDArray[np.float64], moves: Moves, counted: NDArray[np.bool_], where: NDArray[np.intp],
           window: float) -> NDArray[np.float64]:  # fmt: skip
    """mm3/min removed about the steps `where`, over a window of travel, of which only `counted` steps count."""
    pace = np.nan_to_num(moves.feed[steps[:, 0].astype(np.int32)], nan=np.inf)
    along = np.concatenate([[0.0], np.cumsum(steps[:, 4])])
    middle = 0.5 * (along[where] + along[where + 1])
    volume = np.concatenate([[0.0], np.cumsum(np.where(counted, steps[:, 5], 0.0))])
    minutes = np.concatenate([[0.0], np.cumsum(np.where(counted, steps[:, 4] / pace, 0.0))])
    taken, spent = (
        np.interp(middle + window / 2, along, sums) - np.interp(middle - window / 2, along, sums)
        for sums in (volume, minutes)
    )
    return np.where(spent > 0.0, taken / np.maximum(spent, 1e-12), 0.0)


def chips(steps: NDArray[np.float64], moves: Moves, radial: NDArray[np.float64], way_in: NDArray[np.bool_],
           window: float, radius: float, teeth_a_minute: float) -> NDArray[np.float64]:  # fmt: skip
    """(n,) mm of the thickest chip about each step, 0 in ways in and rapids.

    The depth is that over half the `window`, of steps at one feed alone: a link begins where a slow cut ended. A chip
    is fz sin(phi), and no thicker than the depth itself.
    """
    block = steps[:, 0].astype(np.int32)
    own = ~way_in & (moves.kind[block] != RAPID)
    pace = np.where(own, moves.feed[block], 0.0)
    first = np.concatenate([[True], np.diff(pace) != 0.0])[: len(pace)]
    run = np.cumsum(first) - 1
    along = np.concatenate([[0.0], np.cumsum(steps[:, 4])])
    taken = np.concatenate([[0.0], np.cumsum(radial)])
    begins = along[:-1][first]
    ends = np.append(begins[1:], along[-1])
    middle = 0.5 * (along[:-1] + along[1:])
    a, b = np.maximum(middle - window / 4, begins[run]), np.minimum(middle + window / 4, ends[run])
    depth = (np.interp(b, along, taken) - np.interp(a, along, taken)) / np.maximum(b - a, LEAST_WINDOW * window)
    over = 1.0 - np.clip(depth, 0.0, radius) / radius
    thick: NDArray[np.float64] = np.minimum(pace / teeth_a_minute * np.sqrt(np.maximum(0.0, 1.0 - over**2)), depth)
    return np.where(own, thick, 0.0)


def _descents(z: NDArray[np.float64], start: float, level: NDArray[np.float64],
              least: float) -> NDArray[np.bool_]:  # fmt: skip
    """Steps that belong to a way down into the material: from more than `least` mm above the level."""
    before = np.concatenate([[start], z[:-1]])
    down = z < before - 1e-9
    first = down & ~np.concatenate([[False], down[:-1]])
    run = np.cumsum(first)
    high = np.concatenate([[0.0], before[first] - level[first]])
    return np.asarray(down & (high[run] > least))


def ways_in(descent: NDArray[np.bool_], above: NDArray[np.bool_], shallow: NDArray[np.bool_],
             light: NDArray[np.bool_], feed: NDArray[np.float64], along: NDArray[np.float64],
             least: float) -> NDArray[np.bool_]:  # fmt: skip
    """Ways in: from a descent on, as long as it is cut above the level, not at full depth, or no faster than so far.

    On the level at most as long again as it came down, or `least` mm: where the stock stands lower than the job
    says all would be shallow. But a level so thin that all of the width is `light` is entered for as long as it is cut
    no faster. `feed` is 0 where nothing is taken.
    """
    entry = descent.copy()
    last = -1
    for begin in np.nonzero(descent & ~np.concatenate([[False], descent[:-1]]))[0]:
        if begin <= last:
            continue
        down = last = int(begin)
        fastest = float(feed[begin])
        for k in range(begin + 1, len(entry)):
            if descent[k] or above[k]:
                down = k
                fastest = max(fastest, float(feed[k]))
            elif light[k] and feed[k] <= fastest:
                pass
            elif not (shallow[k] or feed[k] <= fastest) or along[k] - along[down] > max(
                least, along[down] - along[begin]
            ):
                break
            last = k
        entry[begin : last + 1] = True
    return entry
