"""Reading STEP files (ISO 10303-21): solids become triangles that know their surfaces.

The kernel's bindings take a second or more to load and may take the process down on a broken
file: they are imported here only, when asked, and the server reads in a process of its own.
"""

import io
import re
from typing import Any

import numpy as np

from justbite.errors import PartError
from justbite.model.findings import Finding
from justbite.model.part import Body, Face, Part, Surface, Vector
from justbite.part.merge import merged

MOST_BYTES = 60_000_000
MOST_FACES = 20_000
CHORD, ANGLE = 0.01, 0.2
"""mm and radians: how far the triangles may be from the surface, and turn from one to the next."""
THINNEST = 1e-6
"""Volume over surface times size below which a body has no thickness."""


def read_step(data: bytes) -> Part:
    """The solids of a STEP file in mm. Raises PartError when there are none or it cannot be read."""
    if not data.lstrip().startswith(b"ISO-10303-21"):
        raise PartError(
            "The file is not a STEP model: it does not begin with ISO-10303-21.", "Export the part as STEP again."
        )
    if b"END-ISO-10303-21" not in data[-2000:]:
        raise PartError("The STEP file ends too early; part of it is missing.", "Export or copy it again.")
    if re.search(rb"#\d+\s*=", data) is None:
        # The kernel would take the process down on it.
        raise PartError("The STEP file is empty: it describes nothing.", "Export the part again.")
    shape, units = _shape(data)
    solids = _explored(shape, "SOLID")
    if not solids:
        faces = _explored(shape, "FACE")
        what = f"{len(faces)} loose surfaces, but no solid" if faces else "no solid"
        raise PartError(f"The STEP file holds {what}.", "Sew the surfaces into a solid before the export.")
    findings: list[Finding] = []
    bodies = []
    for number, solid in enumerate(solids, 1):
        body = _body(solid, f"body {number}", findings)
        if body is not None:
            bodies.append(body)
    if not bodies:
        raise PartError("No body of the STEP file has any thickness.", "Check the part where it was drawn.")
    return Part("solid", tuple(bodies), units, True, tuple(findings))


def _shape(data: bytes) -> tuple[Any, str]:
    """The one shape of all roots, and the units that the file names."""
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.STEPControl import STEPControl_Reader

    reader = STEPControl_Reader()
    try:
        status = reader.ReadStream("part.step", io.BytesIO(data))
        if status != IFSelect_RetDone or reader.TransferRoots() == 0:
            raise PartError("The STEP file is broken: its content cannot be read.", "Export the part again.")
        shape = reader.OneShape()
    except (RuntimeError, ValueError, TypeError) as error:
        raise PartError(
            "The STEP file is broken: its content cannot be read.", "Export the part again.", str(error)[:200]
        ) from None
    inch = re.search(rb"CONVERSION_BASED_UNIT\s*\(\s*'INCH'", data, re.IGNORECASE) is not None
    return shape, "in" if inch else "mm"


def _explored(shape: Any, what: str) -> list[Any]:
    """The sub-shapes of a kind ("SOLID", "FACE"), cast."""
    from OCP import TopAbs
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    if shape is None or shape.IsNull():
        return []
    cast = {"SOLID": TopoDS.Solid, "FACE": TopoDS.Face}[what]
    explorer = TopExp_Explorer(shape, getattr(TopAbs, f"TopAbs_{what}"))
    found = []
    while explorer.More():
        found.append(cast(explorer.Current()))
        explorer.Next()
    return found


def _body(solid: Any, name: str, findings: list[Finding]) -> Body | None:
    """One solid tessellated; None, with a finding, when it has no thickness."""
    from OCP.BRepGProp import BRepGProp
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.GProp import GProp_GProps

    faces = _explored(solid, "FACE")
    if len(faces) > MOST_FACES:
        raise PartError(f"A solid has {len(faces)} faces; up to {MOST_FACES} are read.", "Leave out threads and text.")
    volume, surface = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(solid, volume)
    BRepGProp.SurfaceProperties_s(solid, surface)
    BRepMesh_IncrementalMesh(solid, CHORD, False, ANGLE, False)
    pieces = [p for p in (_face_triangles(f) for f in faces) if p is not None]
    if not pieces:
        findings.append(Finding("part.no-thickness", f"{name} has no surface and was left out."))
        return None
    counts = np.cumsum([0, *(len(p[0]) for p in pieces)])
    points = np.vstack([p[0] for p in pieces])
    triangles = np.vstack([p[1] + start for p, start in zip(pieces, counts[:-1], strict=True)])
    face_of = np.concatenate([np.full(len(p[1]), k, dtype=np.int32) for k, p in enumerate(pieces)])
    vertices, triangles = merged(points, triangles)
    size = float(np.linalg.norm(np.ptp(vertices, axis=0)))
    if abs(volume.Mass()) < THINNEST * surface.Mass() * size:
        findings.append(Finding("part.no-thickness", f"{name} has no thickness and was left out."))
        return None
    sound = (np.diff(np.sort(triangles, axis=1), axis=1) > 0).all(axis=1)
    return Body(
        name, vertices, triangles[sound].astype(np.int32), face_of[sound],
        tuple(p[2] for p in pieces), float(abs(volume.Mass())), float(surface.Mass()),
    )  # fmt: skip


def _face_triangles(face: Any) -> tuple[np.ndarray, np.ndarray, Face] | None:
    from OCP.BRep import BRep_Tool
    from OCP.TopAbs import TopAbs_REVERSED
    from OCP.TopLoc import TopLoc_Location

    place = TopLoc_Location()
    mesh = BRep_Tool.Triangulation_s(face, place)
    if mesh is None or mesh.NbTriangles() == 0:
        return None
    move = place.Transformation()
    points = np.array(
        [(p.X(), p.Y(), p.Z()) for p in (mesh.Node(i).Transformed(move) for i in range(1, mesh.NbNodes() + 1))]
    )
    triangles = np.array([mesh.Triangle(i).Get() for i in range(1, mesh.NbTriangles() + 1)]) - 1
    if face.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, ::-1]
    return points, triangles, _surface(face, points, triangles)


_KINDS: tuple[tuple[str, Surface, str], ...] = (
    ("GeomAbs_Plane", "plane", "Plane"),
    ("GeomAbs_Cylinder", "cylinder", "Cylinder"),
    ("GeomAbs_Cone", "cone", "Cone"),
    ("GeomAbs_Sphere", "sphere", "Sphere"),
    ("GeomAbs_Torus", "torus", "Torus"),
)


def _surface(face: Any, points: np.ndarray, triangles: np.ndarray) -> Face:
    """What surface a face lies on; which side is the material's is asked of its triangles."""
    from OCP import GeomAbs
    from OCP.BRepAdaptor import BRepAdaptor_Surface

    adaptor = BRepAdaptor_Surface(face)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    for constant, name, getter in _KINDS:
        if adaptor.GetType() != getattr(GeomAbs, constant):
            continue
        surface = getattr(adaptor, getter)()
        frame = surface.Position()
        origin, axis = _vector(frame.Location()), _vector(frame.Direction())
        if name == "plane":
            out = across.sum(axis=0) / np.linalg.norm(across.sum(axis=0))
            return Face("plane", origin, (float(out[0]), float(out[1]), float(out[2])))
        radius = {"cylinder": "Radius", "sphere": "Radius", "cone": "RefRadius", "torus": "MinorRadius"}[name]
        away = (a + b + c) / 3 - origin
        away -= np.outer(away @ np.array(axis), axis)
        inward = bool((away * across).sum() < 0)
        return Face(name, origin, axis, float(getattr(surface, radius)()), inward)
    return Face("other")


def _vector(p: Any) -> Vector:
    return float(p.X()), float(p.Y()), float(p.Z())
