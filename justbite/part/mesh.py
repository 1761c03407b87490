"""Reading meshes: STL and 3MF. Facets that face inwards are turned, holes are said."""

import io
import zipfile

import numpy as np
import trimesh
from scipy import sparse
from scipy.sparse import csgraph

from justbite.errors import PartError
from justbite.model.findings import Finding
from justbite.model.part import Body, Face, Part
from justbite.part.merge import merged

MOST_BYTES = 150_000_000
MOST_TRIANGLES = 2_000_000
SMOOTH = np.cos(np.radians(25.0))
"""Facets that turn less than this from one to the next belong to one face."""
_GIVEN = {"mm": 1.0, "in": 25.4}
_LEAST_BODY = 4


def read_stl(data: bytes, units: str | None) -> Part:
    """The bodies of an STL file. It never says its units: mm are assumed and said, or `units` given."""
    text = data[:5] == b"solid" and b"facet" in data[:4000]
    if text and b"endsolid" not in data[-2000:]:
        raise PartError("The STL mesh is cut off: its end is missing.", "Export or copy it again.")
    if not text and (len(data) < 84 or len(data) != 84 + 50 * int.from_bytes(data[80:84], "little")):
        raise PartError(
            "The file is not an STL mesh, or it is cut off: its length does not fit its number of triangles.",
            "Export the part again.",
        )
    return _part(_loaded(data, "stl"), units or "mm", units is not None)


def read_3mf(data: bytes, units: str | None) -> Part:
    """The bodies of a 3MF file; the file says its units."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as folder:
            large = sum(i.file_size for i in folder.infolist())
            models = [n for n in folder.namelist() if n.lower().endswith(".model")]
            head = folder.open(models[0]).read(4000) if models else b""
    except (zipfile.BadZipFile, OSError, EOFError):
        raise PartError("The 3MF file is broken: it cannot be unpacked.", "Export the part again.") from None
    if not models:
        raise PartError("The file is a folder of something else: it holds no 3MF model.", "Export it as 3MF.")
    if large > 5 * MOST_BYTES:
        raise PartError(f"Unpacked, the 3MF file takes {large / 1e6:.0f} MB; that is too much to read.")
    named = {b"millimeter": ("mm", 1.0), b"inch": ("in", 25.4), b"centimeter": ("mm", 10.0), b"meter": ("mm", 1000.0),
             b"micron": ("mm", 0.001), b"foot": ("in", 304.8)}  # fmt: skip
    name, scale = next((v for k, v in named.items() if b'unit="' + k + b'"' in head), ("mm", 1.0))
    mesh = _loaded(data, "3mf")
    if units is None and scale != _GIVEN[name]:
        mesh.apply_scale(scale / _GIVEN[name])
    return _part(mesh, units or name, True)


def _loaded(data: bytes, kind: str) -> trimesh.Trimesh:
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=kind, process=False)
        mesh = loaded.to_geometry() if isinstance(loaded, trimesh.Scene) else loaded
    except Exception as error:
        # The loaders raise whatever their parsers raise; to the user all of it means one thing.
        raise PartError(
            f"The {kind.upper()} file is broken: its triangles cannot be read.", "Export it again.", str(error)[:200]
        ) from None
    if not isinstance(mesh, trimesh.Trimesh) or len(mesh.faces) == 0:
        raise PartError(f"The {kind.upper()} file holds no triangles.", "Export the part again.")
    if len(mesh.faces) > MOST_TRIANGLES:
        raise PartError(
            f"The mesh has {len(mesh.faces)} triangles; up to {MOST_TRIANGLES} are read.", "Export it coarser."
        )
    return mesh


def _part(mesh: trimesh.Trimesh, units: str, known: bool) -> Part:
    findings: list[Finding] = []
    if not np.isfinite(mesh.vertices).all():
        raise PartError("The mesh has corners that are no numbers.", "Export the part again.")
    points, triangles = merged(np.asarray(mesh.vertices, dtype=float) * _GIVEN[units], np.asarray(mesh.faces))
    triangles = triangles[(np.diff(np.sort(triangles, axis=1), axis=1) > 0).all(axis=1)]
    if len(triangles) < _LEAST_BODY:
        raise PartError("The mesh encloses nothing: its triangles have no size.", "Check the part and its units.")
    size = np.ptp(points, axis=0)
    if size.min() < 1e-4:
        raise PartError("The mesh is flat: it has no thickness.", "Export a closed body.")
    whole = trimesh.Trimesh(points, triangles, process=False)
    pieces = csgraph.connected_components(_linked(whole), directed=False)[1]
    bodies: list[Body] = []
    for piece in range(pieces.max() + 1):
        own = triangles[pieces == piece]
        if len(own) >= _LEAST_BODY:
            bodies.append(_body(points, own, f"body {len(bodies) + 1}", findings))
    if not bodies:
        raise PartError("The mesh holds only loose triangles, no body.", "Mend it where it was made.")
    if not known:
        findings.append(
            Finding("part.units-unknown", f"A mesh does not say its units; taken as {units}, it is"
                    f" {size[0]:.2f} × {size[1]:.2f} × {size[2]:.2f} mm.")
        )  # fmt: skip
    bodies.sort(key=lambda b: -abs(b.volume))
    return Part("mesh", tuple(bodies), units, known, tuple(findings))


def _linked(mesh: trimesh.Trimesh) -> sparse.coo_matrix:
    pairs = mesh.face_adjacency
    count = len(mesh.faces)
    return sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))


def _body(points: np.ndarray, triangles: np.ndarray, name: str, findings: list[Finding]) -> Body:
    used, index = np.unique(triangles, return_inverse=True)
    mesh = trimesh.Trimesh(points[used], index.reshape(-1, 3), process=False)
    if not mesh.is_winding_consistent or mesh.volume < 0:
        before = mesh.faces.copy()
        trimesh.repair.fix_normals(mesh)
        turned = int((before != mesh.faces).any(axis=1).sum())
        findings.append(Finding("part.turned-facets", f"{turned} facets of {name} faced inwards."))
    if not mesh.is_watertight:
        sides = np.sort(mesh.edges, axis=1)
        _, counts = np.unique(sides, axis=0, return_counts=True)
        findings.append(
            Finding("part.not-closed", f"{name} is not closed: {int((counts == 1).sum())} edges have one facet only.")
        )
    groups = _smooth_groups(mesh)
    normals = mesh.face_normals
    faces = [Face("other")] * int(groups.max() + 1)
    first = np.unique(groups, return_index=True)[1]
    low = np.ones(len(faces))
    np.minimum.at(low, groups, (normals * normals[first][groups]).sum(axis=1))
    flat = low > 1 - 1e-6
    for k in np.nonzero(flat)[0]:
        at, out = mesh.triangles[first[k]][0], normals[first[k]]
        faces[k] = Face("plane", (float(at[0]), float(at[1]), float(at[2])),
                        (float(out[0]), float(out[1]), float(out[2])))  # fmt: skip
    return Body(
        name, np.asarray(mesh.vertices), np.asarray(mesh.faces, dtype=np.int32), groups.astype(np.int32),
        tuple(faces), float(abs(mesh.volume)), float(mesh.area),
    )  # fmt: skip


def _smooth_groups(mesh: trimesh.Trimesh) -> np.ndarray:
    """Group number of each facet: neighbours that turn little share one."""
    pairs = mesh.face_adjacency
    normals = mesh.face_normals
    near = (normals[pairs[:, 0]] * normals[pairs[:, 1]]).sum(axis=1) > SMOOTH
    count = len(mesh.faces)
    links = sparse.coo_matrix((np.ones(int(near.sum())), (pairs[near, 0], pairs[near, 1])), shape=(count, count))
    return np.asarray(csgraph.connected_components(links, directed=False)[1])
