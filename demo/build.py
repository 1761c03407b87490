"""Makes the demo jobs and the demo drawing: the harbour workshop's tide-gauge parts.

Run from the project's folder: python demo/build.py. The files it writes are kept beside it.
"""

import json
import math
from pathlib import Path

import ezdxf

HERE = Path(__file__).parent
QUARTER = math.tan(math.pi / 8)


def rounded(x1: float, y1: float, x2: float, y2: float, r: float) -> list[list[float]]:
    """A rectangle with corner radius r, counterclockwise, as vertices with bulges."""
    return [
        [x1 + r, y1], [x2 - r, y1, QUARTER], [x2, y1 + r], [x2, y2 - r, QUARTER],
        [x2 - r, y2], [x1 + r, y2, QUARTER], [x1, y2 - r], [x1, y1 + r, QUARTER],
    ]  # fmt: skip


def circle(x: float, y: float, r: float) -> list[list[float]]:
    return [[x - r, y, 1.0], [x + r, y, 1.0]]


def turned(x: float, y: float, width: float, height: float, degrees: float) -> list[list[float]]:
    """A rectangle about (x, y), turned."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    corners = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
    return [
        [round(x + c * u * width / 2 - s * v * height / 2, 4), round(y + s * u * width / 2 + c * v * height / 2, 4)]
        for u, v in corners
    ]


def tool(number: int, d: float, flutes: int, edge: float, stickout: float, helix: float) -> dict[str, object]:
    return {
        "number": number, "name": f"{d:g} mm flat, {flutes} flutes", "kind": "flat_end_mill", "diameter": d,
        "flutes": flutes, "flute_length": edge, "stickout": stickout, "helix_angle": helix,
        "corner_radius": 0, "substrate": "carbide",
    }  # fmt: skip


TRAY = rounded(10, 10, 112, 110, 8)
TRAY_ISLANDS = [circle(38, 60, 12), turned(80, 34, 26, 16, -8), circle(86, 84, 8)]
BAY = rounded(122, 66, 160, 110, 6)
TROUGH = [[170, 36], [170, 54], [128, 54, QUARTER], [122, 48], [122, 42, QUARTER], [128, 36]]
CHANNEL = rounded(122, 12, 160, 21, 4.5)

GAUGE_BASE = {
    "format": "justbite-job", "version": 1, "name": "Gauge base", "units": "mm",
    "machine": "harbour-mill", "material": "aluminium-wrought",
    "tools": [tool(4, 10, 3, 25, 40, 40), tool(7, 6, 3, 16, 28, 38)],
    "stock": {"box": {"min": [0, 0, -25], "max": [170, 120, 0]}},
    "regions": [
        {"name": "tray", "outline": TRAY, "islands": TRAY_ISLANDS, "open_edges": [], "top": 0, "bottom": -18},
        {"name": "battery bay", "outline": BAY, "islands": [], "open_edges": [], "top": 0, "bottom": -12},
        {"name": "cable trough", "outline": TROUGH, "islands": [], "open_edges": [0], "top": 0, "bottom": -10},
        {"name": "channel", "outline": CHANNEL, "islands": [], "open_edges": [], "top": 0, "bottom": -8},
    ],
    "operations": [
        {"name": "Rough the pockets", "kind": "rough", "regions": ["tray", "battery bay", "cable trough"], "tool": 4,
         "reserve": 0.15, "allowance": {"wall": 0.3, "floor": 0.1}, "tolerance": 0.02},
        {"name": "Rough the channel", "kind": "rough", "regions": ["channel"], "tool": 7,
         "reserve": 0.15, "allowance": {"wall": 0.2, "floor": 0.1}, "tolerance": 0.02},
    ],
}  # fmt: skip

YOKE = [
    [22, 18], [68, 18, QUARTER], [76, 26], [76, 34, -QUARTER], [70, 40], [70, 44, QUARTER], [60, 54],
    [30, 54, QUARTER], [20, 44], [20, 40, -QUARTER], [14, 34], [14, 26, QUARTER],
]  # fmt: skip

FLOAT_YOKE = {
    "format": "justbite-job", "version": 1, "name": "Float yoke", "units": "mm",
    "machine": "slow-giant", "material": "alloy-steel",
    "tools": [tool(2, 12, 4, 30, 48, 40)],
    "stock": {"box": {"min": [0, 0, -30], "max": [92, 72, 0]}},
    "regions": [{"name": "round the yoke", "outline": [[0, 0], [92, 0], [92, 72], [0, 72]], "islands": [YOKE],
                 "open_edges": "all", "top": 0, "bottom": -20}],
    "operations": [{"name": "Rough round the yoke", "kind": "rough", "regions": ["round the yoke"], "tool": 2,
                    "reserve": 0.2, "allowance": {"wall": 0.3, "floor": 0.0}, "tolerance": 0.02}],
}  # fmt: skip

SINKER = {
    "format": "justbite-job", "version": 1, "name": "Sinker", "units": "mm",
    "machine": "quick-spindle", "material": "hardened-steel",
    "tools": [tool(11, 5, 3, 13, 25, 38)],
    "stock": {"box": {"min": [0, 0, -15], "max": [50, 40, 0]}},
    "regions": [{"name": "line bed", "outline": rounded(6, 6, 44, 34, 5), "islands": [circle(25, 20, 5)],
                 "open_edges": [], "top": 0, "bottom": -6}],
    "operations": [{"name": "Rough the line bed", "kind": "rough", "regions": ["line bed"], "tool": 11,
                    "bite": {"share": 0.08},
                    "reserve": 0.2, "allowance": {"wall": 0.15, "floor": 0.05}, "tolerance": 0.02}],
}  # fmt: skip


SIGHT_GLASS = {
    "format": "justbite-job", "version": 1, "name": "Sight glass frame", "units": "mm",
    "machine": "harbour-mill", "material": "aluminium-cast",
    "tools": [tool(5, 16, 3, 36, 55, 40), tool(7, 6, 3, 16, 28, 38)],
    "stock": {"box": {"min": [0, 0, -22], "max": [130, 96, 0]}},
    "regions": [{"name": "glass seat", "outline": rounded(14, 14, 116, 82, 3.6),
                 "islands": [rounded(44, 38, 58, 58, 2), rounded(74, 38, 88, 58, 2)],
                 "open_edges": [], "top": 0, "bottom": -14}],
    "operations": [
        {"name": "Rough the seat", "kind": "rough", "regions": ["glass seat"], "tool": 5,
         "reserve": 0.15, "allowance": {"wall": 0.3, "floor": 0.1}, "tolerance": 0.02},
        {"name": "Rest in the corners", "kind": "rough", "regions": ["glass seat"], "tool": 7,
         "reserve": 0.15, "allowance": {"wall": 0.3, "floor": 0.1}, "tolerance": 0.02},
    ],
}  # fmt: skip


def main() -> None:
    for job in (GAUGE_BASE, FLOAT_YOKE, SINKER, SIGHT_GLASS):
        name = str(job["name"]).lower().replace(" ", "-")
        (HERE / f"{name}.json").write_text(json.dumps(job, indent=1) + "\n")
    drawing = ezdxf.new(units=4)
    space = drawing.modelspace()
    for layer, rings in (("TRAY", [TRAY, *TRAY_ISLANDS]), ("BAY", [BAY]), ("TROUGH", [TROUGH]), ("CHANNEL", [CHANNEL])):
        for ring in rings:
            points = [(p[0], p[1], 0, 0, p[2] if len(p) > 2 else 0) for p in ring]
            space.add_lwpolyline(points, close=True, dxfattribs={"layer": layer})
    drawing.header["$TDCREATE"] = drawing.header["$TDUPDATE"] = 2460000.0
    drawing.saveas(HERE / "gauge-base.dxf")


if __name__ == "__main__":
    main()
