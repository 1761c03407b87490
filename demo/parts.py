"""Makes the six demo parts as STEP, STL, DXF and SVG, with a list of what was built.

Run from the project's folder: python demo/parts.py. The files are kept in demo/parts; the list,
demo/parts/built.json, is what the tests hold the found features against.
"""

import json
import math
import re
from pathlib import Path
from typing import Any

import ezdxf
import trimesh
from build import BAY, CHANNEL, TRAY, TROUGH, YOKE, circle, rounded, turned
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.GC import GC_MakeArcOfCircle
from OCP.gp import gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.StlAPI import StlAPI_Writer
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

HERE = Path(__file__).parent / "parts"
Ring = list[list[float]]


def wire(ring: Ring, z: float) -> Any:
    """A closed wire of lines and arcs from vertices with bulges."""
    made = BRepBuilderAPI_MakeWire()
    for a, b in zip(ring, [*ring[1:], ring[0]], strict=True):
        p, q = gp_Pnt(a[0], a[1], z), gp_Pnt(b[0], b[1], z)
        bulge = a[2] if len(a) > 2 else 0.0
        if math.dist(a[:2], b[:2]) < 1e-9:
            continue
        if abs(bulge) < 1e-12:
            made.Add(BRepBuilderAPI_MakeEdge(p, q).Edge())
            continue
        dx, dy = b[0] - a[0], b[1] - a[1]
        # The arc's middle lies a sagitta of bulge times half the chord to the right of it.
        middle = gp_Pnt((a[0] + b[0] + dy * bulge) / 2, (a[1] + b[1] - dx * bulge) / 2, z)
        made.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(p, middle, q).Value()).Edge())
    return made.Wire()


def prism(ring: Ring, bottom: float, top: float) -> Any:
    face = BRepBuilderAPI_MakeFace(wire(ring, bottom)).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, top - bottom)).Shape()


def cut(shape: Any, *tools: Any) -> Any:
    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def edges_at(shape: Any, test: Any) -> list[Any]:
    """Edges whose both ends and middle satisfy `test(x, y, z)`."""
    explorer = TopExp_Explorer(shape, TopAbs_EDGE)
    found = []
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        curve = BRepAdaptor_Curve(edge)
        first, last = curve.FirstParameter(), curve.LastParameter()
        points = [curve.Value(first + (last - first) * t) for t in (0.0, 0.5, 1.0)]
        if all(test(p.X(), p.Y(), p.Z()) for p in points) and not any(e.IsSame(edge) for e in found):
            found.append(edge)
        explorer.Next()
    return found


def hole(x: float, y: float, d: float, top: float, bottom: float, through: bool = False) -> dict[str, Any]:
    return {"kind": "hole", "diameter": d, "at": [x, y], "top": top, "bottom": bottom, "through": through,
            "outline": circle(x, y, d / 2), "islands": []}  # fmt: skip


def place(kind: str, outline: Ring, top: float, bottom: float, islands: list[Ring] | None = None,
          **more: Any) -> dict[str, Any]:  # fmt: skip
    return {"kind": kind, "outline": outline, "islands": islands or [], "top": top, "bottom": bottom, **more}


def block(x: float, y: float) -> Ring:
    return [[0, 0], [x, 0], [x, y], [0, y]]


def obround(x1: float, x2: float, y: float, r: float) -> Ring:
    return [[x1, y - r], [x2, y - r, 1.0], [x2, y + r], [x1, y + r, 1.0]]


def made(blank: Ring, thick: float, places: list[dict[str, Any]]) -> Any:
    """A blank with its top at Z 0, and each place cut out of it (islands stay)."""
    shape = prism(blank, -thick, 0)
    for p in places:
        tool = prism(p.get("cutter", p["outline"]), p["bottom"], p.get("cut_from", p["top"]))
        for island, height in zip(p["islands"], p.get("heights", [p["top"]] * len(p["islands"])), strict=True):
            tool = cut(tool, prism(island, p["bottom"] - 1, height))
        shape = cut(shape, tool)
    return shape


def gauge_base() -> tuple[Any, list[dict[str, Any]]]:
    boss = circle(86, 84, 8)
    post = circle(38, 60, 12)
    places = [
        place("pocket", TRAY, 0, -18, [post, turned(80, 34, 26, 16, -8), boss], heights=[0, 0, -5]),
        place("boss top", boss, 0, -5, open="all", cut_from=-5, bottom_only=True),
        place("pocket", BAY, 0, -12),
        place("half-open pocket", TROUGH, 0, -10, open=1),
        place("slot", CHANNEL, 0, -8),
        hole(38, 60, 11, 0, -6), hole(38, 60, 6.6, -6, -25, True),
        hole(150, 60, 5, 0, -25, True), hole(117, 100, 4.2, 0, -12), hole(117, 20, 4.2, 0, -12),
    ]  # fmt: skip
    shape = made(block(170, 120), 25, [p for p in places if not p.get("bottom_only")])
    chamfer = BRepFilletAPI_MakeChamfer(shape)
    for edge in edges_at(shape, lambda x, y, z: abs(x) < 1e-6 and abs(z) < 1e-6):
        chamfer.Add(1.0, edge)
    return chamfer.Shape(), places


def float_yoke() -> tuple[Any, list[dict[str, Any]]]:
    places = [hole(33, 36, 10, 0, -20, True), hole(57, 36, 10, 0, -20, True)]
    return made(YOKE, 20, places), places


def anchor_shoe() -> tuple[Any, list[dict[str, Any]]]:
    """A pocket with sloped walls, and a ledge with a fillet at the foot of its wall."""
    shape = prism(block(120, 80), -35, 0)
    sloped = BRepOffsetAPI_ThruSections(True, True)
    sloped.AddWire(wire([[30, 28], [90, 28], [90, 52], [30, 52]], -20))
    sloped.AddWire(wire([[20, 18], [100, 18], [100, 62], [20, 62]], 0))
    shape = cut(shape, sloped.Shape(), prism([[-1, -1], [121, -1], [121, 12], [-1, 12]], -12, 1))
    fillet = BRepFilletAPI_MakeFillet(shape)
    for edge in edges_at(shape, lambda x, y, z: abs(y - 12) < 1e-6 and abs(z + 12) < 1e-6):
        fillet.Add(3.0, edge)
    return fillet.Shape(), [
        place("pocket", [[30, 28], [90, 28], [90, 52], [30, 52]], 0, -20),
        place("half-open pocket", [[0, 0], [120, 0], [120, 9], [0, 9]], 0, -12, open=3),
        # Steps on the pocket's walls, which lean by half their height, and over the fillet.
        *(
            place(
                "terrace step",
                [[30 - x, 28 - x], [90 + x, 28 - x], [90 + x, 52 + x], [30 - x, 52 + x]],
                0,
                -20 + 2 * x,
                bottom_only=True,
            )
            for x in (1.57, 3.14, 4.71, 6.28, 7.85, 9.42)
        ),
        *(
            place("terrace step", [[0, 0], [120, 0], [120, y], [0, y]], 0, z, open=3, bottom_only=True)
            for z, y in ((-10, 9 + math.sqrt(3**2 - 1)), (-9, 12))
        ),
    ]


def lens_bezel() -> tuple[Any, list[dict[str, Any]]]:
    places = [
        place("half-open pocket", circle(0, 0, 45), 0, -4, [circle(0, 0, 40)], open="all", cutter=circle(0, 0, 46)),
        hole(0, 0, 60, 0, -5), hole(0, 0, 50, -5, -14, True),
    ]  # fmt: skip
    for k in range(6):
        angle = math.pi * k / 3
        places.append(hole(round(35 * math.cos(angle), 6), round(35 * math.sin(angle), 6), 4.5, 0, -14, True))
    return made(circle(0, 0, 45), 14, places), places


def buoy_plate() -> tuple[Any, list[dict[str, Any]]]:
    places = [
        place("through pocket", rounded(90, 75, 210, 145, 10), 0, -20, through=True),
        place("slot", obround(60, 106, 30, 7), 0, -20, through=True),
        place("slot", obround(194, 240, 30, 7), 0, -20, through=True),
        hole(55, 110, 50, 0, -8),
        hole(245, 110, 50, 0, -8),
    ]
    places += [hole(15 + 30 * k, y, 12, 0, -20, True) for k in range(10) for y in (12, 208)]
    places += [hole(x, y, 12, 0, -20, True) for x in (12, 288) for y in (60, 160)]
    return made(block(300, 220), 20, places), places


def sinker() -> tuple[Any, list[dict[str, Any]]]:
    places = [place("pocket", rounded(6, 6, 44, 34, 5), 0, -6, [circle(25, 20, 5)])]
    return made(block(50, 40), 15, places), places


PARTS = {
    "gauge-base": (gauge_base, block(170, 120)), "float-yoke": (float_yoke, YOKE),
    "anchor-shoe": (anchor_shoe, block(120, 80)), "lens-bezel": (lens_bezel, circle(0, 0, 45)),
    "buoy-plate": (buoy_plate, block(300, 220)), "sinker": (sinker, block(50, 40)),
}  # fmt: skip


def write_step(shape: Any, path: Path, name: str) -> None:
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    writer.Write(str(path))
    text = path.read_text()
    head = f"FILE_NAME('{name}','2026-01-01T00:00:00',('harbour workshop'),(''),'demo','demo','');"
    text = re.sub(r"FILE_NAME\(.*?\);", head, text, flags=re.DOTALL)
    text = re.sub(r"PRODUCT\('.*?','.*?'", f"PRODUCT('{name}','{name}'", text, flags=re.DOTALL)
    path.write_text(text)


def write_stl(shape: Any, path: Path) -> None:
    """As binary STL: a fifth of the size."""
    StlAPI_Writer().Write(shape, str(path))
    mesh = trimesh.load(path, process=False)
    path.write_bytes(mesh.export(file_type="stl"))


def rings_by_layer(outline: Ring, places: list[dict[str, Any]]) -> list[tuple[str, Ring]]:
    """Outline and places as a draughtsman would draw them: a layer for each depth."""
    rings = [("OUTLINE", outline)]
    for p in places:
        layer = f"{p['kind'].upper().replace(' ', '-')}-{-p['bottom']:g}"
        rings += [(layer, ring) for ring in [p["outline"], *p["islands"]]]
    return rings


def write_dxf(rings: list[tuple[str, Ring]], path: Path) -> None:
    drawing = ezdxf.new(units=4)
    space = drawing.modelspace()
    for layer, ring in rings:
        points = [(p[0], p[1], 0, 0, p[2] if len(p) > 2 else 0) for p in ring]
        space.add_lwpolyline(points, close=True, dxfattribs={"layer": layer})
    drawing.header["$TDCREATE"] = drawing.header["$TDUPDATE"] = 2460000.0
    drawing.saveas(path)


def write_svg(rings: list[tuple[str, Ring]], path: Path, low: list[float], high: list[float]) -> None:
    width, height = high[0] - low[0], high[1] - low[1]
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{height:g}mm" '
        f'viewBox="0 0 {width:g} {height:g}">'
    ]
    for layer in dict.fromkeys(name for name, _ in rings):
        lines.append(f'<g id="{layer}" fill="none" stroke="black" stroke-width="0.2">')
        for name, ring in rings:
            if name == layer:
                lines.append(f'<path d="{svg_path(ring, low, high)}"/>')
        lines.append("</g>")
    path.write_text("\n".join([*lines, "</svg>", ""]))


def svg_path(ring: Ring, low: list[float], high: list[float]) -> str:
    """A ring as path data, Y turned down, arcs as arcs."""
    words = [f"M{ring[0][0] - low[0]:.6g},{high[1] - ring[0][1]:.6g}"]
    for a, b in zip(ring, [*ring[1:], ring[0]], strict=True):
        x, y = b[0] - low[0], high[1] - b[1]
        bulge = a[2] if len(a) > 2 else 0.0
        if abs(bulge) < 1e-12:
            words.append(f"L{x:.6g},{y:.6g}")
            continue
        r = math.dist(a[:2], b[:2]) * (1 + bulge * bulge) / (4 * abs(bulge))
        words.append(f"A{r:.8g},{r:.8g} 0 {int(abs(bulge) > 1)} {int(bulge < 0)} {x:.6g},{y:.6g}")
    return " ".join([*words, "Z"])


def main() -> None:
    HERE.mkdir(exist_ok=True)
    built = {}
    for name, (build, outline) in PARTS.items():
        shape, places = build()
        write_step(shape, HERE / f"{name}.step", name)
        BRepMesh_IncrementalMesh(shape, 0.02, False, 0.3, False)
        write_stl(shape, HERE / f"{name}.stl")
        flat = [p for p in places if not p.get("bottom_only")]
        rings = rings_by_layer(outline, flat)
        write_dxf(rings, HERE / f"{name}.dxf")
        spots = [[v[0] for v in outline], [v[1] for v in outline]]
        low, high = [min(s) for s in spots], [max(s) for s in spots]
        if name == "lens-bezel":
            low, high = [-45, -45], [45, 45]
        write_svg(rings, HERE / f"{name}.svg", low, high)
        keep = ("kind", "outline", "islands", "top", "bottom", "through", "diameter", "at", "open")
        built[name] = {"low": low, "places": [{k: p[k] for k in keep if k in p} for p in places]}
    (HERE / "built.json").write_text(json.dumps(built, indent=1) + "\n")


if __name__ == "__main__":
    main()
