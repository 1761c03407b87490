"""Solids built for tests: blocks and cylinders, cut and joined, read back through STEP or STL."""

import contextlib
import io
import tempfile
from pathlib import Path
from typing import Any

from justbite.layout import Layout, lay_out
from justbite.model.part import Part
from justbite.model.placing import Margins, Placing
from justbite.part.read import read_part


def block(low: tuple[float, float, float], high: tuple[float, float, float]) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()


def cylinder(x: float, y: float, radius: float, low: float, high: float) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, low), gp_Dir(0, 0, 1)), radius, high - low).Shape()


def lying(x: float, z: float, radius: float, low: float, high: float) -> Any:
    """A cylinder along Y."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, low, z), gp_Dir(0, 1, 0)), radius, high - low).Shape()


def sphere(x: float, y: float, z: float, radius: float) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeSphere(gp_Pnt(x, y, z), radius).Shape()


def cone(x: float, y: float, radii: tuple[float, float], low: float, high: float) -> Any:
    """Its lower and its upper radius."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(x, y, low), gp_Dir(0, 0, 1)), *radii, high - low).Shape()


def cut(shape: Any, *tools: Any) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def joined(shape: Any, *others: Any) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    for other in others:
        shape = BRepAlgoAPI_Fuse(shape, other).Shape()
    return shape


def with_edges(shape: Any, size: float, test: Any, rounded: bool = False) -> Any:
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


def step_of(shape: Any) -> bytes:
    """The shape as a STEP file."""
    from OCP.Message import Message
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    Message.DefaultMessenger_s().ChangePrinters().Clear()
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()):
        writer.Write(str(Path(folder) / "solid.step"))
        return (Path(folder) / "solid.step").read_bytes()


def stl_of(shape: Any, sagitta: float = 0.02, turn: float = 0.3) -> bytes:
    """The shape as a binary STL file; chords within `sagitta` mm and `turn` radians."""
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.StlAPI import StlAPI_Writer

    BRepMesh_IncrementalMesh(shape, sagitta, False, turn, False)
    writer = StlAPI_Writer()
    writer.ASCIIMode = False
    with tempfile.TemporaryDirectory() as folder:
        writer.Write(shape, str(Path(folder) / "solid.stl"))
        return (Path(folder) / "solid.stl").read_bytes()


def laid(shape: Any, margin: float = 0.0, stl: bool = False, stock_above: float = 0.0) -> Layout:
    """The shape read from a file and laid in stock that is larger by `margin` mm all round."""
    return read_and_laid(shape, margin, stl, stock_above)[1]


def read_and_laid(shape: Any, margin: float = 0.0, stl: bool = False, stock_above: float = 0.0
                  ) -> tuple[Part, Layout]:  # fmt: skip
    """The same, with the part that was read."""
    data, name = (stl_of(shape), "solid.stl") if stl else (step_of(shape), "solid.step")
    part = read_part(data, name, "mm" if stl else None, 0.02, 0.002)
    stock = Margins(x=(margin, margin), y=(margin, margin), z=(0.0, stock_above))
    assert isinstance(part, Part)
    return part, lay_out(part, Placing(stock=stock))
