"""A part that was read from a solid or mesh model: bodies of triangles that know their faces.

Solids and meshes are handed on in one form, so that everything after reading is the same for
both. Lengths in mm. `Part.packed` and `Part.unpacked` take a part through a file or a database.
"""

import io
import json
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from justbite.model.findings import Finding

Vector = tuple[float, float, float]
Surface = Literal["plane", "cylinder", "cone", "sphere", "torus", "other"]


@dataclass(frozen=True, slots=True)
class Face:
    """One face of a body. `axis` is a plane's outward normal, else the axis of the surface."""

    kind: Surface
    origin: Vector = (0.0, 0.0, 0.0)
    axis: Vector = (0.0, 0.0, 1.0)
    radius: float = 0.0
    """Of a cylinder or sphere; of a torus the small one; of a cone where it meets `origin`."""
    inward: bool = False
    """Whether the material lies outside, as round a hole."""


@dataclass(frozen=True)
class Body:
    """One closed body."""

    name: str
    vertices: NDArray[np.float64]
    """(n, 3)"""
    triangles: NDArray[np.int32]
    """(m, 3), counterclockwise seen from outside."""
    face_of: NDArray[np.int32]
    """(m,) index into `faces`."""
    faces: tuple[Face, ...]
    volume: float
    """mm3, as the reading library gives it."""
    surface: float
    """mm2"""

    @cached_property
    def normals(self) -> NDArray[np.float64]:
        """(m, 3) outward unit normals; zero for triangles without area."""
        a, b, c = (self.vertices[self.triangles[:, k]] for k in range(3))
        across = np.cross(b - a, c - a)
        length = np.linalg.norm(across, axis=1, keepdims=True)
        return np.asarray(across / np.where(length > 1e-12, length, np.inf))

    def edges(self) -> list[NDArray[np.float64]]:
        """Polylines (k, 3) along which two faces meet: what is drawn as the part's edges."""
        return _edge_chains(self)


@dataclass(frozen=True, slots=True)
class Part:
    """All bodies of a file."""

    source: Literal["solid", "mesh"]
    bodies: tuple[Body, ...]
    units: str
    """"mm" or "in": what the file's numbers were taken to be."""
    units_known: bool
    findings: tuple[Finding, ...] = ()

    def packed(self) -> bytes:
        """As one compressed block of bytes."""
        arrays: dict[str, NDArray[np.generic]] = {}
        for k, b in enumerate(self.bodies):
            arrays |= {f"vertices{k}": b.vertices, f"triangles{k}": b.triangles, f"face_of{k}": b.face_of}
        head = {
            "source": self.source,
            "units": self.units,
            "units_known": self.units_known,
            "findings": [asdict(f) for f in self.findings],
            "bodies": [
                {"name": b.name, "volume": b.volume, "surface": b.surface, "faces": [asdict(f) for f in b.faces]}
                for b in self.bodies
            ],
        }
        arrays["head"] = np.frombuffer(json.dumps(head).encode(), dtype=np.uint8)
        out = io.BytesIO()
        np.savez_compressed(out, **arrays)  # type: ignore[arg-type]
        return out.getvalue()

    @staticmethod
    def unpacked(data: bytes) -> "Part":
        with np.load(io.BytesIO(data), allow_pickle=False) as arrays:
            head = json.loads(arrays["head"].tobytes())
            bodies = tuple(
                Body(
                    b["name"], arrays[f"vertices{k}"], arrays[f"triangles{k}"], arrays[f"face_of{k}"],
                    tuple(_face(f) for f in b["faces"]), b["volume"], b["surface"],
                )
                for k, b in enumerate(head["bodies"])
            )  # fmt: skip
        return Part(
            head["source"], bodies, head["units"], head["units_known"], tuple(Finding(**f) for f in head["findings"])
        )


def _face(plain: dict[str, object]) -> Face:
    turned = {k: tuple(v) if isinstance(v, list) else v for k, v in plain.items()}
    return Face(**turned)  # type: ignore[arg-type]


def _edge_chains(body: Body) -> list[NDArray[np.float64]]:
    """Mesh edges between two faces, joined where exactly two of the same pair of faces meet."""
    t = body.triangles
    sides = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    owner = np.tile(body.face_of, 3)
    order = np.lexsort((owner, sides[:, 1], sides[:, 0]))
    sides, owner = sides[order], owner[order]
    first = np.ones(len(sides), dtype=bool)
    first[1:] = (sides[1:] != sides[:-1]).any(axis=1)
    group = np.cumsum(first) - 1
    low, high = np.full(group[-1] + 1, np.iinfo(np.int32).max), np.full(group[-1] + 1, -1)
    np.minimum.at(low, group, owner)
    np.maximum.at(high, group, owner)
    kept = low != high
    pairs: dict[tuple[int, int], dict[int, list[int]]] = {}
    for (a, b), lo, hi in zip(sides[first][kept].tolist(), low[kept].tolist(), high[kept].tolist(), strict=True):
        beside = pairs.setdefault((lo, hi), {})
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    return [body.vertices[chain] for beside in pairs.values() for chain in _chains(beside)]


def _chains(beside: dict[int, list[int]]) -> list[list[int]]:
    """Walks that use every link of a graph once; from ends first, then round the rings."""
    chains = []
    for start in sorted(beside, key=lambda n: len(beside[n]) == 2):
        while beside[start]:
            chain = [start]
            while beside[chain[-1]]:
                here = chain[-1]
                there = beside[here].pop()
                beside[there].remove(here)
                chain.append(there)
                if len(beside[there]) != 1:
                    break
            chains.append(chain)
    return chains
