"""The force over one turn of the cutter: teeth along the helix, Kienzle with rake.

Angles follow a climb cut: a tooth enters at pi - phi and leaves at pi, the chip is fz sin(theta).
The tangential force of a slice is kc(h) h dz, the radial one a share of it. Sources and ranges:
docs/methods/bite.md.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from justbite.bite.load import rake_factor
from justbite.model.job import Material, Tool

STEPS = 180
"""Angles in a turn at which the force is taken."""
SLICES = 120
LEAST_CHIP = 1e-4
"""mm: thinner chips count as this thick for kc, which would grow without bound."""


@dataclass(frozen=True, slots=True)
class Turn:
    """Torque and bending force over a turn."""

    angle: NDArray[np.float64]
    """(STEPS,) degrees of rotation."""
    torque: NDArray[np.float64]
    """Nm"""
    force: NDArray[np.float64]
    """N: the resultant in the plane, which bends the cutter."""

    @property
    def mean_torque(self) -> float:
        return float(self.torque.mean())

    @property
    def peak_torque(self) -> float:
        return float(self.torque.max())

    @property
    def ripple(self) -> float:
        """(most - least) over mean of the torque."""
        mean = self.mean_torque
        return float(np.ptp(self.torque)) / mean if mean > 0 else 0.0

    @property
    def peak_force(self) -> float:
        return float(self.force.max())


def over_a_turn(tool: Tool, material: Material, ap: float, angle: float, fz: float, radial: float) -> Turn:
    """Torque and force over a turn. `angle` is the engagement in radians, `radial` the radial force's share."""
    rotation = np.linspace(0.0, 2.0 * np.pi, STEPS, endpoint=False)
    z = (np.arange(SLICES) + 0.5) / SLICES * ap
    lag = 2.0 * z * math.tan(math.radians(tool.helix_angle)) / tool.diameter
    flute = np.arange(tool.flutes) * 2.0 * np.pi / tool.flutes
    theta = np.mod(rotation[:, None, None] + flute[None, :, None] - lag[None, None, :], 2.0 * np.pi)
    cutting = (theta >= np.pi - angle) & (theta <= np.pi)
    chip = np.where(cutting, fz * np.sin(theta), 0.0)
    kc = material.kc11 * rake_factor(material, tool.rake_angle) * np.maximum(chip, LEAST_CHIP) ** (-material.mc)
    tangential = np.where(cutting, kc * chip * ap / SLICES, 0.0)
    along = tangential * np.cos(theta) + radial * tangential * np.sin(theta)
    across = tangential * np.sin(theta) - radial * tangential * np.cos(theta)
    return Turn(
        angle=np.degrees(rotation),
        torque=tangential.sum(axis=(1, 2)) * tool.diameter / 2000.0,
        force=np.hypot(along.sum(axis=(1, 2)), across.sum(axis=(1, 2))),
    )
