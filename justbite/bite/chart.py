"""The map of ae and ap: removal rate, and where each ceiling begins to hold the feed back."""

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from justbite.bite import chatter, solver
from justbite.bite.case import Case
from justbite.bite.conditions import held, wanted

ACROSS, UP = 28, 24
CHATTER_COLUMNS = 12
MOST_AE = 0.6
"""Right edge of the map, share of D."""
HARD = ("flute length", "step-down", "engagement")
"""Ceilings that no feed relieves: beyond them is forbidden, not slower."""


@dataclass(frozen=True, slots=True)
class Chart:
    ae: NDArray[np.float64]
    ap: NDArray[np.float64]
    removal: NDArray[np.float64]
    """(UP, ACROSS) cm3/min with the feed held inside every ceiling."""
    borders: tuple[tuple[str, NDArray[np.float64], bool], ...]
    """Name, polyline (n, 2) of ae and ap, and whether beyond it is forbidden."""
    rows: tuple[tuple[int, float], ...]
    """Number of equal step-downs, ap."""
    contact: tuple[tuple[int, float], ...]
    """Whole axial contact numbers, ap."""
    chatter: NDArray[np.float64]
    """Polyline (n, 2): the deepest stable step at the bite's speed."""
    chatter_estimated: bool
    best: tuple[float, float]
    """ae and ap of the best removal rate inside every ceiling, whole step-downs."""
    lobes: NDArray[np.float64]
    """(n, 2) speed in rpm and the deepest stable step at the bite's ae."""

    def as_dict(self) -> dict[str, Any]:
        return {
            "ae": self.ae.tolist(),
            "ap": self.ap.tolist(),
            "removal": np.round(self.removal, 3).tolist(),
            "borders": [{"name": n, "points": np.round(p, 4).tolist(), "hard": h} for n, p, h in self.borders],
            "rows": [{"steps": n, "ap": a} for n, a in self.rows],
            "contact": [{"number": n, "ap": a} for n, a in self.contact],
            "chatter": np.round(self.chatter, 4).tolist(),
            "chatter_estimated": self.chatter_estimated,
            "best": list(self.best),
            "lobes": np.round(self.lobes, 3).tolist(),
        }


def chart(case: Case) -> Chart:
    """The map for a case; its pins of ae and ap are the point on it, not its limits."""
    free = replace(case, ae=None, ap=None)
    tool = case.tool
    top = min(1.15 * max(tool.flute_length, case.ap or 0.0), 3.3 * tool.diameter, 1.15 * max(case.depth, tool.diameter))
    right = max(MOST_AE * tool.diameter, 1.05 * (case.ae or 0.0), 1.05 * case.most_bite)
    ae = np.linspace(0.02 * tool.diameter, min(right, tool.diameter), ACROSS)
    ap = np.linspace(top / UP, top, UP)
    removal = np.zeros((UP, ACROSS))
    shares: dict[str, NDArray[np.float64]] = {}
    for i, a in enumerate(ae):
        for j, p in enumerate(ap):
            quick = wanted(free, float(a), float(p), 1)
            removal[j, i] = held(free, quick).removal_rate
            for c in quick.ceilings:
                shares.setdefault(c.name, np.zeros((UP, ACROSS)))[j, i] = c.share
    borders = [(n, _border(ae, ap, s), n in HARD) for n, s in shares.items() if n not in ("cutting speed", "feed rate")]
    bite, best = solver.solve(case), solver.solve(free)
    return Chart(
        ae, ap, removal, tuple(b for b in borders if len(b[1]) > 1),
        _step_lines(case, top),
        _contact_lines(case, top), _chatter_border(case, bite.speed, ae, top), tool.dynamics is None,
        (best.ae, best.ap), _lobes(case, bite.ae, bite.speed, top),
    )  # fmt: skip


def _step_lines(case: Case, top: float) -> tuple[tuple[int, float], ...]:
    """How many levels there are at the step-downs that are worth having, and those, mm."""
    lines = {case.steps(ap): ap for ap in sorted(case.step(case.depth / n) for n in range(1, 9)) if ap <= top}
    return tuple(sorted(lines.items()))


def _border(ae: NDArray[np.float64], ap: NDArray[np.float64], share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where a share crosses 1: up the columns, and along the rows for borders that stand upright."""
    points = []
    for i in range(len(ae)):
        for j in range(len(ap) - 1):
            low, high = share[j, i] - 1.0, share[j + 1, i] - 1.0
            if low * high < 0:
                points.append((ae[i], ap[j] + low / (low - high) * (ap[j + 1] - ap[j])))
    for j in range(len(ap)):
        for i in range(len(ae) - 1):
            low, high = share[j, i] - 1.0, share[j, i + 1] - 1.0
            if low * high < 0:
                points.append((ae[i] + low / (low - high) * (ae[i + 1] - ae[i]), ap[j]))
    if not points:
        return np.zeros((0, 2))
    spots = np.array(points)
    # Shares rise with ae and with ap: the border falls from upper left to lower right.
    return np.asarray(spots[np.lexsort((-spots[:, 1], spots[:, 0] / ae[-1] - spots[:, 1] / ap[-1]))])


def _contact_lines(case: Case, top: float) -> tuple[tuple[int, float], ...]:
    slope = math.tan(math.radians(case.tool.helix_angle))
    if slope < 1e-6:
        return ()
    one = math.pi * case.tool.diameter / (case.tool.flutes * slope)
    return tuple((k, k * one) for k in range(1, int(top / one) + 1))


def _chatter_border(case: Case, speed: float, ae: NDArray[np.float64], top: float) -> NDArray[np.float64]:
    rows = []
    for a in np.linspace(ae[0], ae[-1], CHATTER_COLUMNS):
        bite = wanted(replace(case, ae=float(a), ap=None, speed=speed), float(a), 1.0, 1)
        cut = solver.chatter_cut(case, bite)
        rows.append((float(a), chatter.deepest(cut, solver.modes_of(case.tool), speed, top)))
    return np.array(rows)


def _lobes(case: Case, ae: float, speed: float, top: float) -> NDArray[np.float64]:
    """The deepest stable step over spindle speeds about the bite's, at its radial depth."""
    most = min(case.machine.max_rpm, 1.25 * speed)
    rows = []
    for n in np.linspace(max(case.machine.min_rpm, 0.5 * speed, 1.0), most, 32):
        bite = wanted(replace(case, ae=ae, ap=None, speed=float(n), feed=None), ae, 1.0, 1)
        cut = solver.chatter_cut(case, bite)
        rows.append((float(n), chatter.deepest(cut, solver.modes_of(case.tool), float(n), top)))
    return np.array(rows)
