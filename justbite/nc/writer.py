"""Writing moves as an ISO 6983 program: millimetres, absolute, feed per minute.

G17 G21 G90 G94; G0, G1, G2 and G3 with I J relative to the arc's start; a Z on an arc
makes it a helix. Words that do not change are left out.
"""

from dataclasses import dataclass, replace

import numpy as np

from justbite.model.moves import RAPID, Moves, lengths


@dataclass(frozen=True, slots=True)
class Heading:
    """What stands before an operation: number and name, tool number, spindle speed in rpm, and notes."""

    number: int
    name: str
    tool: int
    speed: float
    notes: tuple[str, ...] = ()
    """What must be so before it is run."""


def written_feed(feed: float) -> float:
    """mm/min as a program has it: in whole ones."""
    return float(f"{feed:.0f}")


def _word(letter: str, value: float) -> str:
    text = f"{value:.4f}".rstrip("0").rstrip(".")
    return letter + ("0" if text in ("-0", "") else text)


def _plain(name: str) -> str:
    """A name fit for a comment: no brackets, no control characters, no line breaks."""
    return "".join(c for c in name if c.isprintable() and c not in "()%;")


def write_program(name: str, moves: Moves, headings: list[Heading], travel: float,
                  work_offset: str = "G54") -> tuple[str, Moves]:  # fmt: skip
    """The NC text, and the moves with their line numbers. `travel` is the travel height, mm."""
    out = ["%", f"({_plain(name)})", "G17 G21 G40 G49 G80 G90 G94", work_offset]
    line = np.zeros(len(moves), dtype=np.int32)
    starts = moves.starts()
    size = lengths(moves)
    operation = -1
    level: float | None = None
    for k in range(len(moves)):
        if moves.operation[k] != operation:
            operation = int(moves.operation[k])
            head = headings[operation]
            out += [
                f"(OP {head.number} {_plain(head.name)})",
                *(f"({_plain(note)})" for note in head.notes),
                f"T{head.tool} M6",
                f"S{head.speed:.0f} M3",
                f"G0 Z{travel:.4f}".rstrip("0").rstrip("."),
            ]
            level, feed, mode = None, -1.0, ""
            x = y = z = np.nan
        if moves.z_level[k] != level:
            level = float(moves.z_level[k])
            out.append(f"(LEVEL {_word('', level)})")
        if size[k] < 5e-5:
            line[k] = len(out)
            continue
        words = []
        kind = int(moves.kind[k])
        code = f"G{kind}"
        if code != mode:
            words.append(code)
            mode = code
        ex, ey, ez = (round(float(v), 4) for v in moves.end[k])
        arc = kind > 1
        if ex != x or arc:
            words.append(_word("X", ex))
        if ey != y or arc:
            words.append(_word("Y", ey))
        if ez != z:
            words.append(_word("Z", ez))
        if arc:
            words.append(_word("I", float(moves.centre[k, 0] - starts[k, 0])))
            words.append(_word("J", float(moves.centre[k, 1] - starts[k, 1])))
        if kind != RAPID and moves.feed[k] != feed:
            feed = float(moves.feed[k])
            words.append(f"F{written_feed(feed):.0f}")
        x, y, z = ex, ey, ez
        if len(words) > (code in words):
            out.append(" ".join(words))
        line[k] = len(out)
    out += [f"G0 Z{travel:.4f}".rstrip("0").rstrip("."), "M5", "M30", "%"]
    return "\n".join(out) + "\n", replace(moves, line=line)
