"""Solids built from blocks, cylinders, cones and prisms, cut and joined: for the bench's odd parts, and for tests.

The kernel of solids is imported where it is used: it takes a second to load. Lengths in mm.
"""

import contextlib
import io
import math
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

Solid = Any
"""A shape of the kernel, which has no types."""
Place = tuple[float, float, float]


def block(low: Place, high: Place) -> Solid:
    """A box along the axes between two of its corners."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()


def rounded_block(low: Place, high: Place, radius: float) -> Solid:
    """A box whose upright edges are rounded."""
    middle = (low[2] + high[2]) / 2
    return with_edges(block(low, high), radius, lambda _x, _y, z: abs(z - middle) < 1e-6, rounded=True)


def prism(outline: Sequence[Place], way: Place) -> Solid:
    """A flat outline of corners, drawn out by `way`."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Pnt, gp_Vec

    wire = BRepBuilderAPI_MakePolygon()
    for corner in outline:
        wire.Add(gp_Pnt(*corner))
    wire.Close()
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(*way)).Shape()


def cylinder(x: float, y: float, radius: float, low: float, high: float) -> Solid:
    """A cylinder along Z."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, low), gp_Dir(0, 0, 1)), radius, high - low).Shape()


def lying(x: float, z: float, radius: float, low: float, high: float) -> Solid:
    """A cylinder along Y."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, low, z), gp_Dir(0, 1, 0)), radius, high - low).Shape()


def sphere(x: float, y: float, z: float, radius: float) -> Solid:
    """A ball."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeSphere(gp_Pnt(x, y, z), radius).Shape()


def cone(x: float, y: float, radii: tuple[float, float], low: float, high: float) -> Solid:
    """A cone along Z: its lower and its upper radius."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(x, y, low), gp_Dir(0, 0, 1)), *radii, high - low).Shape()


def cut(shape: Solid, *tools: Solid) -> Solid:
    """The shape without the others."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def joined(shape: Solid, *others: Solid) -> Solid:
    """The shape with the others."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    for other in others:
        shape = BRepAlgoAPI_Fuse(shape, other).Shape()
    return shape


def drawn_curve(places: Sequence[Place], way: Place) -> Solid:
    """A closed smooth curve through flat places, drawn out by `way`."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.collections import HArray1_gp_Pnt
    from OCP.GeomAPI import GeomAPI_Interpolate
    from OCP.gp import gp_Pnt, gp_Vec

    through = HArray1_gp_Pnt(1, len(places))
    for number, place in enumerate(places, 1):
        through.SetValue(number, gp_Pnt(*place))
    curve = GeomAPI_Interpolate(through, True, 1e-6)
    curve.Perform()
    wire = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(curve.Curve()).Edge()).Wire()
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire).Face(), gp_Vec(*way)).Shape()


def between(low: Sequence[Place], high: Sequence[Place]) -> Solid:
    """The solid with straight sides between two flat outlines of as many corners: walls that lean."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakePolygon
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
    from OCP.gp import gp_Pnt

    made = BRepOffsetAPI_ThruSections(True, True)
    for outline in (low, high):
        wire = BRepBuilderAPI_MakePolygon()
        for corner in outline:
            wire.Add(gp_Pnt(*corner))
        wire.Close()
        made.AddWire(wire.Wire())
    return made.Shape()


def turned(shape: Solid, x: float, y: float, degrees: float) -> Solid:
    """The shape turned about the line along Z through a place, counterclockwise."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Trsf

    turn = gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(x, y, 0), gp_Dir(0, 0, 1)), math.radians(degrees))
    return BRepBuilderAPI_Transform(shape, turn, True).Shape()


def with_edges(shape: Solid, size: float, test: Callable[[float, float, float], bool], rounded: bool = False) -> Solid:
    """The shape with a chamfer, or a rounding, on the edges whose middle satisfies `test(x, y, z)`."""
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
    from OCP.TopAbs import TopAbs_EDGE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    made = BRepFilletAPI_MakeFillet(shape) if rounded else BRepFilletAPI_MakeChamfer(shape)
    explorer = TopExp_Explorer(shape, TopAbs_EDGE)
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        curve = BRepAdaptor_Curve(edge)
        middle = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
        if test(middle.X(), middle.Y(), middle.Z()):
            made.Add(size, edge)
        explorer.Next()
    return made.Shape()


def is_sound(shape: Solid) -> bool:
    """Whether the kernel finds nothing wrong with it: a rounding that overlaps another has made many a broken one."""
    from OCP.BRepCheck import BRepCheck_Analyzer

    return bool(BRepCheck_Analyzer(shape).IsValid())


def step_of(shape: Solid) -> bytes:
    """The shape as a STEP file."""
    from OCP.Message import Message
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    Message.DefaultMessenger_s().ChangePrinters().Clear()
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()):
        writer.Write(str(Path(folder) / "solid.step"))
        return (Path(folder) / "solid.step").read_bytes()


def stl_of(shape: Solid, sagitta: float = 0.02, turn: float = 0.3) -> bytes:
    """The shape as a binary STL file; chords within `sagitta` mm and `turn` radians."""
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.StlAPI import StlAPI_Writer

    BRepMesh_IncrementalMesh(shape, sagitta, False, turn, False)
    writer = StlAPI_Writer()
    writer.ASCIIMode = False
    with tempfile.TemporaryDirectory() as folder:
        writer.Write(shape, str(Path(folder) / "solid.stl"))
        return (Path(folder) / "solid.stl").read_bytes()
