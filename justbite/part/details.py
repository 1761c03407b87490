"""Details of a solid that roughing leaves as they are: chamfers, fillets, rounded edges, inside corners."""

import math

import numpy as np
from numpy.typing import NDArray

from justbite.model.feature import Detail
from justbite.model.part import Body, Face


def details_of(body: Body, rotation: NDArray[np.float64]) -> list[Detail]:
    """Chamfers, fillets and rounded edges of a solid, counted by size. `rotation` (3, 3) places it."""
    counts: dict[tuple[str, float], int] = {}
    for number, face in enumerate(body.faces):
        found = _detail(body, number, face, rotation)
        if found is not None:
            counts[found] = counts.get(found, 0) + 1
    return [Detail(kind, size, count) for (kind, size), count in sorted(counts.items())]  # type: ignore[arg-type]


def _detail(body: Body, number: int, face: Face, rotation: NDArray[np.float64]) -> tuple[str, float] | None:
    up = abs(float((rotation @ np.array(face.axis))[2]))
    if face.kind == "plane":
        if not 0.05 < up < 0.98:
            return None
        own = body.vertices[body.triangles[body.face_of == number]].reshape(-1, 3) @ rotation.T
        height = float(np.ptp(own[:, 2]))
        across = height * up / math.sqrt(1 - up * up)
        longest = float(np.ptp(own[:, :2], axis=0).max())
        return ("chamfer", round(across, 3)) if across < 0.25 * longest or across < 3.0 else None
    if face.kind == "cone" and up > 0.05:
        own = body.vertices[body.triangles[body.face_of == number]].reshape(-1, 3) @ rotation.T
        centre = rotation @ np.array(face.origin)
        far = np.hypot(*(own[:, :2] - centre[:2]).T)
        return "chamfer", round(float(np.ptp(far)), 3)
    if face.kind == "cylinder" and up > 0.999:
        own = body.vertices[body.triangles[body.face_of == number]].reshape(-1, 3)
        return ("inside corner", round(face.radius, 3)) if face.inward and not _whole_turn(own, face) else None
    if face.kind in ("cylinder", "torus") and (up < 0.02 or face.kind == "torus"):
        return ("fillet" if face.inward else "rounded edge"), round(face.radius, 3)
    return None


def _whole_turn(points: NDArray[np.float64], face: Face) -> bool:
    """Whether a cylinder's face goes all the way round: a hole, not a corner."""
    axis = np.array(face.axis)
    away = points - np.array(face.origin)
    away = away - np.outer(away @ axis, axis)
    first = away[0] / np.linalg.norm(away[0])
    second = np.cross(axis, first)
    angles = np.sort(np.arctan2(away @ second, away @ first))
    return bool(np.diff(np.concatenate([angles, angles[:1] + 2 * np.pi])).max() < 1.0)
