"""Engagement angle and chip thickness. Lengths mm, angles radians unless named degrees.

Formulas: geometry of the milling cut, docs/methods/bite.md.
"""

import math

from justbite.model.job import BiteWish


def angle_of(ae: float, diameter: float) -> float:
    """Engagement angle phi = arccos(1 - 2 ae / D), radians."""
    return math.acos(max(-1.0, min(1.0, 1.0 - 2.0 * ae / diameter)))


def depth_of(angle: float, diameter: float) -> float:
    """Radial depth ae for an engagement angle in radians."""
    return 0.5 * diameter * (1.0 - math.cos(angle))


def wished_depth(wish: BiteWish, diameter: float) -> float:
    """Radial depth of a bite given as ae, share of D or angle in degrees."""
    if wish.ae is not None:
        return wish.ae
    if wish.share is not None:
        return wish.share * diameter
    return depth_of(math.radians(wish.angle or 0.0), diameter)


def mean_chip(fz: float, angle: float) -> float:
    """Mean chip thickness h_m = fz (1 - cos phi) / phi."""
    return fz * (1.0 - math.cos(angle)) / angle


def most_chip(fz: float, angle: float) -> float:
    """Thickest chip: fz sin phi below a quarter turn, else fz."""
    return fz * math.sin(angle) if angle < math.pi / 2 else fz


def feed_per_tooth(mean: float, angle: float) -> float:
    """Feed per tooth that gives the mean chip thickness `mean` (chip thinning undone)."""
    return mean * angle / (1.0 - math.cos(angle))
