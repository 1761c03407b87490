"""Time of each block on a machine with limited acceleration and block rate.

Speeds at the joints of blocks: a corner is taken as if rounded within the path tolerance,
an arc at no more than v = sqrt(a r). A backward and a forward pass keep every change of
speed within the acceleration; each block then takes its trapezoid. Source: closed-form
kinematics; the rounding r = t cos(d/2) / (1 - cos(d/2)) is the geometry of a fillet that
stays within t of a corner turning by d.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from justbite.model.moves import CLOCKWISE, COUNTERCLOCKWISE, RAPID, Moves, lengths, sweep_angles


@dataclass(frozen=True, slots=True)
class Drive:
    """What the machine can do: mm/min, mm/s2, blocks per second."""

    rapid_feed: float
    max_feed: float
    acceleration: float
    block_rate: float


def block_times(moves: Moves, drive: Drive, tolerance: float) -> NDArray[np.float64]:
    """(n,) seconds of each block, starting and ending at rest."""
    if len(moves) == 0:
        return np.zeros(0)
    length = lengths(moves)
    wished = np.where(moves.kind == RAPID, drive.rapid_feed, np.minimum(moves.feed, drive.max_feed))
    speed = wished / 60.0
    starts = moves.starts()
    arc = moves.kind >= CLOCKWISE
    radius = np.hypot(*(starts[:, :2] - moves.centre).T)
    with np.errstate(invalid="ignore"):
        held = np.sqrt(drive.acceleration * radius)
    speed = np.where(arc, np.minimum(speed, np.where(arc, held, np.inf)), speed)
    with np.errstate(divide="ignore"):
        speed = np.minimum(speed, np.where(length > 0, length * drive.block_rate, np.inf))
    first, last = tangents(moves)
    dot = np.clip((last[:-1] * first[1:]).sum(axis=1), -1.0, 1.0)
    half = np.sqrt((1.0 + dot) / 2.0)
    with np.errstate(divide="ignore"):
        rounding = np.where(half < 1.0 - 1e-12, tolerance * half / (1.0 - half), np.inf)
    corner = np.sqrt(drive.acceleration * rounding)
    joint = np.zeros(len(moves) + 1)
    joint[1:-1] = np.minimum(corner, np.minimum(speed[:-1], speed[1:]))
    # Rapids and feeds are separate motions: the machine stops between them.
    change = (moves.kind[:-1] == RAPID) != (moves.kind[1:] == RAPID)
    joint[1:-1][change] = 0.0
    return _times(length, speed, joint, drive.acceleration)


def tangents(moves: Moves) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Unit tangents (n, 3) at the start and at the end of each block."""
    starts = moves.starts()
    delta = moves.end - starts
    first = delta.copy()
    last = delta.copy()
    arc = moves.kind >= CLOCKWISE
    turn = np.where(moves.kind == COUNTERCLOCKWISE, 1.0, -1.0)[:, None]
    sweep = np.abs(sweep_angles(moves))[:, None]
    for tangent, points in ((first, starts), (last, moves.end)):
        out = points[:, :2] - moves.centre
        round_ = turn * np.column_stack([-out[:, 1], out[:, 0]]) * sweep
        tangent[arc, :2] = round_[arc]
    for tangent in (first, last):
        size = np.linalg.norm(tangent, axis=1, keepdims=True)
        np.divide(tangent, size, out=tangent, where=size > 0)
    return first, last


@njit(cache=True)
def _times(length, speed, joint, acceleration):  # type: ignore[no-untyped-def]
    n = length.size
    for k in range(n - 1, -1, -1):
        joint[k] = min(joint[k], np.sqrt(joint[k + 1] ** 2 + 2.0 * acceleration * length[k]))
    seconds = np.zeros(n)
    for k in range(n):
        joint[k + 1] = min(joint[k + 1], np.sqrt(joint[k] ** 2 + 2.0 * acceleration * length[k]))
        if length[k] <= 0.0:
            continue
        a, b, top = joint[k], joint[k + 1], speed[k]
        peak = np.sqrt(acceleration * length[k] + 0.5 * (a * a + b * b))
        if peak <= top:
            seconds[k] = (2.0 * peak - a - b) / acceleration
        else:
            ramps = (2.0 * top * top - a * a - b * b) / (2.0 * acceleration)
            seconds[k] = (2.0 * top - a - b) / acceleration + (length[k] - ramps) / top
    return seconds
