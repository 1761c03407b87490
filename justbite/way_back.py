"""Cutting on the way back too: what it would save where ways back between passes are long.

Climb milling cuts in one direction: where fronts do not close, round the corners of a block or in a notch, the cutter
goes back the length of each pass. A machine that goes back no more than twice as fast as it cuts spends a fifth of the
operation so. A cut on the way back is conventional, which not every machine and work bears; so it is told, not done.
"""

import numpy as np
from numpy.typing import NDArray

from justbite.model.findings import Finding
from justbite.model.moves import CUT, ENTRY

BACK = 0.6
"""Bite of cuts on the way back over the bite that is told: conventional cuts load the cutter more where they end
(common practice, no source)."""
GAIN, GAIN_SHARE = 2.0, 0.03
"""What it must save to be worth telling: seconds, and share of the operation's."""

COMES_TRUE = 0.4
"""What comes true of what ways promise, at best: of 20 operations (odd jobs from 1300 on) that promised 1.03 to 21.7
times what is worth telling, and were planned, three saved 0.40, 0.33 and 0.24 of that, and eleven nothing."""


def worth(seconds: float) -> float:
    """Seconds that an operation of so many must be done sooner for it to be told."""
    return max(GAIN, GAIN_SHARE * seconds)


def promised(part: NDArray[np.uint8], seconds: NDArray[np.float64], back: float = BACK) -> float:
    """Seconds that cutting on ways back would save at most; `part` (n,) and `seconds` (n,) of the operation's blocks.

    Two passes of T seconds, a way back of L after each, take 2 (T + L). With every other one on the way back at a
    share c of the bite, as much is taken in 2 T 2 / (1 + c): a pass spares L - T (1 - c) / (1 + c), where that is more
    than 0. Of that COMES_TRUE: passes do not pair off so well.
    """
    slower = (1.0 - back) / (1.0 + back)
    # 0 cuts, 1 ways between them; ways in and before them belong to neither.
    kind = np.where(part == CUT, 0, np.where(part == ENTRY, 2, 1))
    first = np.concatenate([[0], np.nonzero(np.diff(kind))[0] + 1]) if len(kind) else np.empty(0, dtype=np.int64)
    kinds, spent = kind[first], np.add.reduceat(seconds, first) if len(first) else seconds
    between = (kinds[1:-1] == 1) & (kinds[:-2] == 0) & (kinds[2:] == 0)
    return COMES_TRUE * float(np.maximum(0.0, spent[1:-1] - slower * spent[:-2])[between].sum())


def way_back_finding(name: str, ways: float, seconds: float, then: float) -> Finding | None:
    """What is told of an operation of `seconds` with `ways` between its cuts, planned to take `then` when it cuts on
    the way back too; None where that is not worth it."""
    gain = seconds - then
    if gain < worth(seconds):
        return None
    said = (
        f'Ways back between cuts take {ways:.0f} s of the {seconds:.0f} of "{name}". If it cut on the way back too,'
        f" conventional with {100 * BACK:.0f} % of the bite, it would be done about {gain:.0f} s sooner."
    )
    return Finding("rule.way-back", said, name, size=BACK)
