"""Reading an ISO 6983 program back into moves. Knows nothing of the planner.

Understands G0 to G3 (I J relative), G17, G20/G21, G90, G94, F, S, T, M; comments
`(OP n name)` and `(LEVEL z)` set the operation and level of the moves that follow. Anything
else that would move the machine is refused.
"""

import re
from array import array

import numpy as np

from justbite.errors import ProgramError
from justbite.model.moves import CUT, POSITION, RAPID, Moves

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_COMMENT = re.compile(r"\(([^)]*)\)")
_SILENT = {17, 21, 40, 49, 54, 54.1, 55, 56, 57, 58, 59, 80, 90, 94}


def read_program(text: str) -> Moves:
    """The moves of an NC text. Raises ProgramError with the line where it cannot go on."""
    at = {"X": 0.0, "Y": 0.0, "Z": None}
    mode, feed, scale = 0, float("nan"), 1.0
    operation, level = 0, 0.0
    # Ten numbers to a block: as objects those of a long program take four times as much memory.
    rows = array("d")
    start: list[float] | None = None
    for number, raw in enumerate(text.splitlines(), 1):
        for comment in _COMMENT.findall(raw):
            words = comment.split()
            if words[:1] == ["OP"] and len(words) > 1:
                operation = int(words[1]) - 1
            elif words[:1] == ["LEVEL"] and len(words) > 1:
                level = float(words[1])
        code = _COMMENT.sub("", raw).split(";")[0].strip().upper()
        if not code or code == "%":
            continue
        words_here: dict[str, float] = {}
        for letter, value in _WORD.findall(code):
            if letter == "G":
                g = float(value)
                if g in (0, 1, 2, 3):
                    mode = int(g)
                elif g == 20:
                    scale = 25.4
                elif g not in _SILENT:
                    raise ProgramError(f"Line {number}: G{value} is not known to the proof.")
            else:
                words_here[letter] = float(value)
        if "F" in words_here:
            feed = words_here["F"] * scale
        target = {a: words_here[a] * scale for a in "XYZ" if a in words_here}
        if not target and not (mode > 1 and {"I", "J"} & words_here.keys()):
            continue
        if start is None:
            start = [0.0, 0.0, target.get("Z", 0.0)]
            at["Z"] = start[2]
            if set(target) == {"Z"}:
                continue
        cx = cy = float("nan")
        if mode > 1:
            cx = at["X"] + words_here.get("I", 0.0) * scale  # type: ignore[operator]
            cy = at["Y"] + words_here.get("J", 0.0) * scale  # type: ignore[operator]
        at.update(target)
        if mode > 0 and not feed > 0:
            raise ProgramError(f"Line {number}: a feed move without a feed.")
        here = float("nan") if mode == RAPID else feed
        rows.extend((mode, at["X"], at["Y"], at["Z"], cx, cy, here, operation, level, number))  # type: ignore[arg-type]
    table = np.frombuffer(rows, dtype=float).reshape(-1, 10)
    kind = table[:, 0].astype(np.uint8)
    return Moves(
        start=np.array(start or [0.0, 0.0, 0.0]),
        kind=kind,
        end=table[:, 1:4].copy(),
        centre=table[:, 4:6].copy(),
        feed=table[:, 6].copy(),
        part=np.where(kind == RAPID, POSITION, CUT).astype(np.uint8),
        operation=table[:, 7].astype(np.int16),
        z_level=table[:, 8].copy(),
        depth=np.zeros(len(table), dtype=np.float32),
        line=table[:, 9].astype(np.int32),
    )
