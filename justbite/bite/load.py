"""Force, power, torque and bending of a cut.

Kienzle: kc = kc1.1 * h_m^(-mc). Power Pc = ae ap vf kc / (60e6) kW. The peak force sums the
teeth along the helix over a turn. Bending: Euler-Bernoulli cantilever in two parts, the
fluted one at 0.8 D. Sources: docs/methods/bite.md.
"""

import math
from functools import lru_cache

import numpy as np

from justbite.model.job import Machine, Material, Tool

RADIAL_SHARE = 0.4
"""Radial over tangential force of a helical end mill (common practice, no source)."""
CORE = 0.8
"""Diameter of the fluted part in bending, share of D (common practice)."""
YOUNG = {"carbide": 600_000.0, "hss": 210_000.0}
"""N/mm2; tables-book values, from memory."""
STRESS = {"carbide": 1200.0, "hss": 700.0}
"""Permissible bending stress, N/mm2: a third of the usual transverse rupture strength."""


RAKE_OF_TABLES = {"N": 6.0, "P": 6.0, "M": 6.0, "K": 2.0, "S": 6.0, "H": 6.0}
"""Degrees of rake at which the Kienzle tables were measured (König/Essel, from memory)."""
RAKE_STEP = 0.015
"""Share by which kc falls for each degree of rake above the tables' (tables-book rule, from memory)."""


def rake_factor(material: Material, rake: float) -> float:
    """What kc is multiplied by for a rake in degrees other than the tables'."""
    return 1.0 - RAKE_STEP * (rake - RAKE_OF_TABLES[material.group])


def specific_force(material: Material, mean_chip: float, rake: float | None = None) -> float:
    """kc in N/mm2 at a mean chip thickness in mm; with a `rake` in degrees corrected for it."""
    factor = 1.0 if rake is None else rake_factor(material, rake)
    return material.kc11 * factor * mean_chip ** (-material.mc)


def cutting_power(ae: float, ap: float, feed: float, kc: float) -> float:
    """Power at the cutter in kW."""
    return ae * ap * feed * kc / 60e6


def power_limit(machine: Machine, speed: float) -> float:
    """Power of the drive in kW at a speed: its curve, else its rated power."""
    return _on_curve(machine.power_points, speed, machine.power_kw)


def torque_limit(machine: Machine, speed: float) -> float:
    """Torque at the spindle in Nm: its curve, else constant below the base speed; never more than the power gives."""
    torque = _on_curve(machine.torque_points, speed, machine.torque_nm)
    return min(torque, power_limit(machine, speed) * machine.efficiency * 9549.3 / speed)


def _on_curve(points: list[tuple[float, float]], speed: float, flat: float) -> float:
    """A curve's value at a speed, straight between its points and level beyond them."""
    if not points:
        return flat
    return float(np.interp(speed, [p[0] for p in points], [p[1] for p in points]))


def peak_over_mean(tool: Tool, ap: float, angle: float) -> float:
    """Largest over mean tangential force in a turn: teeth summed along the helix.

    Climb cut: a tooth enters at pi - phi and leaves at pi; h is proportional to sin(theta).
    """
    lag = max(1e-3, 2.0 * ap * math.tan(math.radians(tool.helix_angle)) / tool.diameter)
    return _peak_over_mean(tool.flutes, lag, angle)


@lru_cache(maxsize=4096)
def _peak_over_mean(flutes: int, lag: float, angle: float) -> float:
    lead = _leads(flutes)
    # Each flute spans lead - lag .. lead; the integral of the sine over its part in the arc.
    turns = 2.0 * np.pi * np.arange(-int(lag // (2.0 * np.pi)) - 1, 1)[:, None]
    low = np.maximum(lead - lag, np.pi - angle + turns)
    high = np.minimum(lead, np.pi + turns)
    parts = np.cos(low) - np.cos(np.maximum(low, high))
    force = parts.sum(axis=0).reshape(-1, flutes).sum(axis=1)
    mean = (1.0 - math.cos(angle)) * lag * flutes / (2.0 * np.pi)
    return max(1.0, float(force.max()) / mean)


@lru_cache(maxsize=32)
def _leads(flutes: int) -> np.ndarray:
    """(36 * flutes,) where each flute's tip stands, for 36 places within one pitch."""
    pitch = 2.0 * np.pi / flutes
    return (np.arange(36)[:, None] / 36 * pitch + np.arange(flutes) * pitch).ravel()


def bending(tool: Tool, ap: float, force: float) -> tuple[float, float]:
    """(deflection at the tip in mm, stress at the holder in N/mm2) of a force at mid-depth."""
    length, arm = tool.stickout, tool.stickout - ap / 2
    shank = max(0.0, tool.stickout - tool.flute_length)
    young = YOUNG[tool.substrate]
    inertia = math.pi * tool.diameter**4 / 64.0

    def part(a: float, b: float, i: float) -> float:
        # Integral of M(x) (L - x) / (E I) with M = F (arm - x), x from the holder.
        def primitive(x: float) -> float:
            return arm * length * x - (arm + length) * x * x / 2 + x**3 / 3

        return (primitive(b) - primitive(a)) / (young * i)

    joint = min(shank, arm)
    deflection = force * (part(0.0, joint, inertia) + part(joint, arm, inertia * CORE**4))
    at_holder = 32.0 * force * arm / (math.pi * tool.diameter**3)
    at_flutes = 32.0 * force * max(0.0, arm - shank) / (math.pi * (CORE * tool.diameter) ** 3)
    return deflection, max(at_holder, at_flutes)
