"""Chatter: is a cut stable, and how deep may it be?

Semi-discretisation of the delay equation of milling over one tooth period (Insperger and Stépán,
Int. J. Numer. Meth. Engng 61, 2004): the delayed displacement is taken straight over each of many
short times, the state is carried exactly; stable when no eigenvalue of the period's map leaves the unit
circle. Two modes, along the feed and across it. As a cross-check the zero-order solution (Altintas
and Budak, CIRP Annals 44, 1995), good where much of the arc is cut.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.linalg import ArpackError, eigs

from justbite.model.job import Dynamics, Tool

STEPS, STEPS_A_WAVE, MOST_STEPS = 30, 8, 120
LEAST_ITERATED, ACCURACY = 30, 1e-8
"""Rows of a matrix from which on its largest eigenvalue alone is sought, in a quarter of the time of all; how well."""
DENSITY = {"carbide": 14_500.0, "hss": 8_100.0}
"""kg/m3, tables-book values, from memory."""
SPINDLE_STIFFNESS = 40e6
"""N/m of spindle and holder at the tool point, in series with the cutter (estimate, common practice)."""
SPINDLE_MASS = 0.03
"""kg that swings with the cutter's end (estimate)."""
DAMPING = 0.03
"""Share of critical (estimate; 0.02 to 0.05 is common)."""


@dataclass(frozen=True, slots=True)
class Cut:
    """A cut as chatter sees it: forces in N/m2, angles in radians from the full-slot entry."""

    teeth: int
    tangential: float
    radial: float
    start: float
    end: float


def estimated(tool: Tool, stiffness: float) -> Dynamics:
    """Tool-point dynamics from the cutter's geometry; `stiffness` N/m of its stick-out alone."""
    volume = math.pi / 4 * (tool.diameter / 1000) ** 2 * tool.stickout / 1000
    # A cantilever swings at its end like 0.24 of its mass (Rayleigh).
    mass = 0.24 * DENSITY[tool.substrate] * volume + SPINDLE_MASS
    k = 1.0 / (1.0 / stiffness + 1.0 / SPINDLE_STIFFNESS)
    return Dynamics(frequency=math.sqrt(k / mass) / (2 * math.pi), stiffness=k / 1e6, damping=DAMPING)


def climb(teeth: int, tangential: float, radial_share: float, angle: float) -> Cut:
    """The cut of a climb mill with engagement `angle` radians; `tangential` N/mm2."""
    return Cut(teeth, tangential * 1e6, tangential * 1e6 * radial_share, math.pi - angle, math.pi)


@np.errstate(over="ignore", invalid="ignore")
def growth(cut: Cut, modes: tuple[Dynamics, Dynamics], speed: float, depth: float, steps: int = STEPS) -> float:
    """Largest eigenvalue of one tooth period at `speed` rpm and axial `depth` mm: above 1 it chatters."""
    period = 60.0 / (speed * cut.teeth)
    # Some steps to a wave of the quicker mode, or the growth comes out too small.
    waves = period * max(m.frequency for m in modes)
    steps = min(MOST_STEPS, max(steps, math.ceil(STEPS_A_WAVE * waves)))
    dt = period / steps
    middles = np.asarray(dt * (np.arange(steps) + 0.5), dtype=np.float64)
    h = _directional(cut, middles, period) * depth / 1000.0
    a, b = _state(modes, h)
    p = _exponential(a * dt)
    # What a delayed displacement that goes straight from its value at the step's begin to that at its end does.
    held = np.linalg.solve(a, (p - np.eye(4)) @ b)
    ramp = np.linalg.solve(a, held - dt * b) / dt
    size = 4 + 2 * steps
    # Columns: what is known at the period's begin, the state and then the displacements before it, from the last back.
    before = [0, *range(4, size, 2)]
    now = np.zeros((4, size))
    now[:, :4] = np.eye(4)
    # Rows: the same at its end. All that is delayed was known at its begin.
    whole = np.empty((size, size))
    whole[size - 2 :] = now[:2]
    earlier = held - ramp
    for i in range(steps):
        now = p[i] @ now
        one, two = before[steps - i], before[steps - i - 1]
        now[:, one : one + 2] += earlier[i]
        now[:, two : two + 2] += ramp[i]
        row = size - 4 - 2 * i
        whole[row : row + 2] = now[:2]
    whole[:4] = now
    if not np.isfinite(whole).all():
        # So deep a cut with so weak a cutter grows beyond all numbers within a tooth period.
        return math.inf
    # Where no tooth cuts, where it was a period before does not matter: what nothing depends on has eigenvalue 0.
    while not (used := whole.any(axis=0)).all():
        whole = whole[np.ix_(used, used)]
    return largest(whole) if len(whole) else 0.0


def largest(matrix: NDArray[np.float64]) -> float:
    """The largest of the absolute values of the eigenvalues of a square matrix."""
    if len(matrix) >= LEAST_ITERATED:
        # Any start will do that is at right angles to nothing; the same each time, for the same answer each time.
        start = 1.1 + np.cos(1.7 * np.arange(len(matrix)))
        try:
            return float(np.abs(eigs(matrix, 2, v0=start, tol=ACCURACY, return_eigenvectors=False)).max())
        except ArpackError:
            # Not found so: all of them are.
            pass
    return float(np.abs(np.linalg.eigvals(matrix)).max())


def _directional(cut: Cut, t: NDArray[np.float64], period: float) -> NDArray[np.float64]:
    """(n, 2, 2) force per depth and displacement, N/m2, at times in the tooth period."""
    pitch = 2 * math.pi / cut.teeth
    phi = np.mod(pitch * t[:, None] / period + pitch * np.arange(cut.teeth), 2 * math.pi)
    inside = (phi >= cut.start) & (phi <= cut.end)
    s, c = np.sin(phi), np.cos(phi)
    xx = s * (cut.tangential * c + cut.radial * s)
    xy = c * (cut.tangential * c + cut.radial * s)
    yx = s * (-cut.tangential * s + cut.radial * c)
    yy = c * (-cut.tangential * s + cut.radial * c)
    rows = [np.where(inside, v, 0.0).sum(axis=1) for v in (xx, xy, yx, yy)]
    return np.stack(rows, axis=1).reshape(-1, 2, 2)


def _state(modes: tuple[Dynamics, Dynamics], h: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A (n, 4, 4) and B (n, 4, 2) of y' = A y + B x(t - period), y = (x, y, x', y')."""
    omega = np.array([2 * math.pi * m.frequency for m in modes])
    mass = np.array([m.stiffness * 1e6 for m in modes]) / omega**2
    damping = np.array([m.damping for m in modes])
    a = np.zeros((len(h), 4, 4))
    a[:, 0, 2] = a[:, 1, 3] = 1.0
    a[:, 2, 0], a[:, 3, 1] = -(omega**2)
    a[:, 2, 2], a[:, 3, 3] = -2 * damping * omega
    a[:, 2:, :2] -= h / mass[None, :, None]
    b = np.zeros((len(h), 4, 2))
    b[:, 2:, :] = h / mass[None, :, None]
    return a, b


def _exponential(a: NDArray[np.float64]) -> NDArray[np.float64]:
    """Matrix exponentials of (n, 4, 4): Taylor, scaled and squared."""
    # Balanced: displacement and speed differ by the frequency, which would cost squarings.
    scale = np.sqrt(np.abs(a[:, 2:, :2]).max() / max(1e-30, np.abs(a[:, :2, 2:]).max()))
    d = np.array([1.0, 1.0, scale, scale])
    balanced = a * d[None, None, :] / d[None, :, None]
    squarings = max(0, math.ceil(math.log2(max(1e-9, np.abs(balanced).sum(axis=2).max()) / 0.25)))
    x = balanced / 2.0**squarings
    term = out = np.broadcast_to(np.eye(4), a.shape)
    for k in range(1, 9):
        term = term @ x / k
        out = out + term
    for _ in range(squarings):
        out = out @ out
    return np.asarray(out * d[None, :, None] / d[None, None, :])


def deepest(cut: Cut, modes: tuple[Dynamics, Dynamics], speed: float, most: float, steps: int = STEPS) -> float:
    """The largest stable axial depth up to `most` mm at a speed; 0 when none is."""
    if growth(cut, modes, speed, most, steps) <= 1.0:
        return most
    low, high = 0.0, most
    for _ in range(9):
        middle = (low + high) / 2
        if growth(cut, modes, speed, middle, steps) <= 1.0:
            low = middle
        else:
            high = middle
    return low


def zero_order(cut: Cut, modes: tuple[Dynamics, Dynamics], frequencies: NDArray[np.float64],
               lobes: int) -> NDArray[np.float64]:  # fmt: skip
    """Zero-order lobes: rows (speed rpm, depth mm) for chatter frequencies in Hz and lobe numbers 0 to `lobes`."""
    s1, s2 = math.sin(2 * cut.start), math.sin(2 * cut.end)
    c1, c2 = math.cos(2 * cut.start), math.cos(2 * cut.end)
    kr = cut.radial / cut.tangential
    span = cut.end - cut.start
    axx = 0.5 * ((c2 - c1) - 2 * kr * span + kr * (s2 - s1))
    axy = 0.5 * (-(s2 - s1) - 2 * span + kr * (c2 - c1))
    ayx = 0.5 * (-(s2 - s1) + 2 * span + kr * (c2 - c1))
    ayy = 0.5 * (-(c2 - c1) - 2 * kr * span - kr * (s2 - s1))
    rows = []
    for f in frequencies:
        gx, gy = (_response(m, f) for m in modes)
        a0 = gx * gy * (axx * ayy - axy * ayx)
        a1 = axx * gx + ayy * gy
        if abs(a0) < 1e-60:
            roots = np.array([-1.0 / a1]) if abs(a1) > 1e-60 else np.array([])
        else:
            roots = np.roots([a0, a1, 1.0])
        for root in roots:
            if root.real >= 0:
                continue
            kappa = root.imag / root.real
            depth = -2 * math.pi * root.real / (cut.teeth * cut.tangential) * (1 + kappa**2)
            shift = math.pi - 2 * math.atan(kappa)
            for k in range(lobes + 1):
                period = (shift + 2 * k * math.pi) / (2 * math.pi * f)
                if period > 0 and depth > 0:
                    rows.append((60.0 / (cut.teeth * period), depth * 1000.0))
    return np.array(rows).reshape(-1, 2)


def _response(mode: Dynamics, f: float) -> complex:
    """Displacement per force, m/N, at f Hz."""
    r = f / mode.frequency
    return 1.0 / (mode.stiffness * 1e6 * complex(1 - r * r, 2 * mode.damping * r))
