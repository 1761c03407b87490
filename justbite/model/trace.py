"""The path as the proof measured it, thinned for drawing: arrays for the load strip and lenses."""

from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from justbite.model.moves import Moves, lengths

SPACING, MOST_POINTS = 0.4, 1_000_000
"""mm between drawn points, at most; more where there would be more points than that."""


def spacing(moves: Moves) -> float:
    """mm between the drawn points of a program."""
    return max(SPACING, float(lengths(moves).sum()) / MOST_POINTS)


@dataclass(frozen=True, slots=True)
class PathTrace:
    """n points along the program; point k ends a drawn segment that began at point k - 1."""

    position: NDArray[np.float32]
    """(n, 3) mm"""
    seconds: NDArray[np.float32]
    """(n,) time since the program's start"""
    share: NDArray[np.float32]
    """(n,) measured radial depth over the target"""
    feed: NDArray[np.float32]
    """(n,) mm/min held on average in the block; 0 for rapids"""
    line: NDArray[np.int32]
    part: NDArray[np.uint8]
    """CUT, LINK, ENTRY, POSITION"""
    operation: NDArray[np.uint8]
    level: NDArray[np.float32]

    @staticmethod
    def of(trace: Any, moves: Moves, seconds: NDArray[np.float64], rows: NDArray[np.int64],
           part: NDArray[np.uint8], target: float) -> "PathTrace":  # fmt: skip
        """From what the proof tells of one operation, thinned, whose blocks are `rows` of the program."""
        before = np.concatenate([[0.0], np.cumsum(seconds)])
        block = trace.block
        along = np.cumsum(trace.length, dtype=np.float64)
        ends = np.nonzero(np.append(block[1:] != block[:-1], True)[: len(block)])[0]
        first = np.append(0, ends[:-1] + 1)[: len(ends)]
        # Of each block that is walked: where it begins, and its length.
        begin = along[first] - trace.length[first]
        whole = along[ends] - begin
        run = np.repeat(np.arange(len(ends)), np.diff(ends, prepend=-1))
        ratio = (along - begin[run]) / np.maximum(whole[run], 1e-12)
        at = rows[block]
        time = before[at] + seconds[at] * ratio
        feed = np.where(moves.kind[block] == 0, 0.0, 60.0 * whole[run] / np.maximum(seconds[at], 1e-9))
        return PathTrace(
            position=trace.position,
            seconds=time.astype(np.float32),
            share=(trace.depth / target).astype(np.float32),
            feed=feed.astype(np.float32),
            line=moves.line[block],
            part=part[block],
            operation=moves.operation[block].astype(np.uint8),
            level=moves.z_level[block].astype(np.float32),
        )

    @staticmethod
    def joined(pieces: list["PathTrace"]) -> "PathTrace":
        """Traces of operations in a row as one."""
        if len(pieces) == 1:
            return pieces[0]
        return PathTrace(*(np.concatenate([getattr(p, f.name) for p in pieces]) for f in fields(PathTrace)))

    def packed(self) -> bytes:
        """One binary block for the browser: n as uint32, then the arrays in order, little-endian."""
        order = ("position", "seconds", "share", "feed", "level", "line", "part", "operation")
        head = np.array([len(self.seconds)], dtype="<u4").tobytes()
        return head + b"".join(np.ascontiguousarray(getattr(self, n)).tobytes() for n in order)
