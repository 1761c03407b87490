"""`justbite bench`: the engine's figures on areas made here, or on a file of jobs; ratios, one run.

Areas: blobs, rounded and sharp polygons, slots, necks, pins, islands, open edges, made from seeds that are
printed. The machine has no limits of acceleration, links run at four times the cutting feed,
so that `over ideal` is the pure geometry; the ratio on a machine of 5 m/s2 stands beside it.
"""

import math
import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely
import shapely.affinity

from justbite import catalogue, tolerances
from justbite.bite import solver
from justbite.bite.case import Case
from justbite.bite.conditions import MOST_AXIAL, wanted
from justbite.errors import InputError
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.plan import plan
from justbite.plates import large_plates, told_by
from justbite.proof import replay
from justbite.proof.standing import free_standing, pass_ends
from justbite.proof.stockmap import Stock, laid_on_map

CUT_FEED = 3000.0
COLUMNS = (("max", 7), ("99.9%", 7), ("within", 8), ("left %", 8), ("way in", 8), ("chip x", 8), ("ideal x", 9),
           ("5 m/s2 x", 9), ("blocks", 8), ("links", 7), ("points x", 9), ("plain x", 8), ("thin", 6),
           ("errors", 8), ("plan/proof", 11), ("plan/run", 9))  # fmt: skip
NAME = 26
REPLAYS = 3
"""Times that a replay is timed."""
HEADER = f"{'area':{NAME}}" + "".join(f"{name:>{width}}" for name, width in COLUMNS)


KINDS = ("blob", "rounded", "sharp", "slot", "neck", "pins", "island", "open")
BITES = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4)
CUTTERS = (3.0, 6.0, 8.0, 10.0, 12.0, 16.0, 25.0)


def made_areas(seeds: range) -> Iterator[dict[str, Any]]:
    """Jobs on areas drawn from seeds: every kind in turn; cutters of 3 to 25 mm, bites of 5 to 40 % of D.

    Sizes go with the cutter, so that every kind meets every cutter at like proportions.
    """
    for seed in seeds:
        random = np.random.default_rng(seed)
        kind = KINDS[seed % len(KINDS)]
        diameter, share = float(random.choice(CUTTERS)), float(random.choice(BITES))
        shape = drawn(kind, random).buffer(0)
        rings = [np.array(r.coords)[:-1] * diameter for r in (shape.exterior, *shape.interiors)]
        outline, *islands = [r.round(4).tolist() for r in rings]
        open_edges: Any = []
        if kind == "open":
            # One side of the outline, or all of it.
            open_edges = "all" if random.random() < 0.3 else list(range(len(outline) // 4))
        yield job_of(f"{seed} {kind} D{diameter:g} {100 * share:.0f}%", outline, islands, open_edges, diameter, share)


def drawn(kind: str, random: np.random.Generator) -> shapely.Polygon:
    """The shape of a kind, in cutter diameters; corners rounded to a little more than the cutter unless sharp."""
    wide, high = random.uniform(4, 9), random.uniform(3, 6)
    plate = shapely.box(0, 0, wide, high)
    if kind == "slot":
        width = random.uniform(1.05, 2.5)
        bent = shapely.LineString([(0, 0), (wide, 0), (wide + random.uniform(-2, 2), high)])
        return _rounded(bent.buffer(width / 2), 0.05)
    if kind == "neck":
        neck = random.uniform(1.1, 2.0)
        ends = shapely.box(0, 0, 3, high), shapely.box(wide, 0, wide + 3, high)
        return _rounded(shapely.union_all([*ends, shapely.box(2, high / 2 - neck / 2, wide + 1, high / 2 + neck / 2)]))
    if kind == "pins":
        spots = shapely.MultiPoint(
            [(x, y) for x in np.arange(1.5, wide - 1, 2.1) for y in np.arange(1.5, high - 1, 2.1)]
        )
        return _largest(_rounded(plate).difference(spots.buffer(random.uniform(0.2, 0.4))))
    if kind == "island":
        island = shapely.affinity.rotate(shapely.box(0, 0, 0.3 * wide, 0.3 * high), random.uniform(0, 90))
        island = shapely.affinity.translate(island, random.uniform(0.3, 0.5) * wide, random.uniform(0.3, 0.5) * high)
        return _largest(_rounded(plate).difference(island.intersection(plate.buffer(-1.2))))
    if kind in ("rounded", "sharp"):
        bite = shapely.box(0, 0, random.uniform(0.3, 0.6) * wide, random.uniform(0.3, 0.6) * high)
        whole = shapely.affinity.skew(plate.difference(bite), xs=random.uniform(-15, 15), origin=(0, 0))
        return whole if kind == "sharp" else _rounded(whole)
    angles = np.linspace(0.0, 2.0 * np.pi, 120, endpoint=False)
    radius = np.full(angles.shape, random.uniform(2.2, 4.5))
    for harmonic in range(2, 6):
        radius += random.uniform(-0.14, 0.14) * radius[0] * np.cos(harmonic * angles + random.uniform(0, 6.28))
    return shapely.Polygon(np.column_stack([radius * np.cos(angles), radius * np.sin(angles)]))


def _largest(shape: shapely.Geometry) -> shapely.Polygon:
    return max(shapely.get_parts(shape), key=lambda p: p.area)


def _rounded(shape: shapely.Geometry, radius: float = 0.55) -> shapely.Polygon:
    """Inner corners rounded to `radius`, outer ones as they are."""
    return _largest(shape.buffer(-radius, quad_segs=12).buffer(radius, quad_segs=12))


def job_of(name: str, outline: Any, islands: Any, open_edges: Any, diameter: float, share: float) -> dict[str, Any]:
    """A job of one area, 10 mm deep, in stock 10 mm larger (or just as large, where all is open)."""
    points = np.array(outline)
    rim = 0.0 if open_edges == "all" else 10.0
    low, high = (points.min(axis=0) - rim).tolist(), (points.max(axis=0) + rim).tolist()
    tool = {"number": 1, "diameter": diameter, "flutes": 3, "flute_length": 2.5 * diameter, "stickout": 4 * diameter}
    return {
        "format": "justbite-job", "version": 1, "name": name,
        "machine": "harbour-mill", "material": "aluminium-wrought", "tools": [tool],
        "stock": {"box": {"min": [*low, -15], "max": [*high, 0]}},
        "regions": [{"name": "area", "outline": outline, "islands": islands, "open_edges": open_edges, "bottom": -10}],
        "operations": [{"name": "rough", "regions": ["area"], "tool": 1, "bite": {"share": share}, "step_down": 10,
                        "tolerance": 0.01}],
    }  # fmt: skip


def large_mesh(count: int) -> bytes:
    """A binary STL of a plate with a wavy round pocket, made of many small triangles.

    `count` points to a side give 2 (count - 1)^2 triangles on top, and some round the sides.
    """
    line = np.linspace(0.0, 200.0, count)
    x, y = np.meshgrid(line, line, indexing="ij")
    z = np.where(np.hypot(x - 100, y - 100) < 80, -20 + 3 * np.sin(x / 7) * np.cos(y / 9), 0.0)
    top = np.column_stack([x.ravel(), y.ravel(), z.ravel()])
    at = np.arange(count * count).reshape(count, count)
    a, b, c, d = at[:-1, :-1].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel(), at[:-1, 1:].ravel()
    rim = np.concatenate([at[:, 0], at[-1, 1:], at[-2::-1, -1], at[0, -2:0:-1]])
    after, low, middle = np.roll(rim, -1), count * count, 2 * count * count
    triangles = np.concatenate(
        [
            np.column_stack([a, b, c]), np.column_stack([a, c, d]),
            np.column_stack([rim + low, after + low, after]), np.column_stack([rim + low, after, rim]),
            np.column_stack([after + low, rim + low, np.full(len(rim), middle)]),
        ]
    )  # fmt: skip
    points = np.vstack([top, np.column_stack([top[:, :2], np.full(len(top), -40.0)]), [[100, 100, -40]]])
    record = np.zeros(len(triangles), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
    record["corners"] = points[triangles]
    return bytes(80) + len(triangles).to_bytes(4, "little") + record.tobytes()


def read_large_mesh() -> None:
    """Reading and laying out a mesh of a million triangles, as ratios to one of a hundred thousand."""
    rows = []
    for count in (225, 720):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mesh.stl"
            path.write_bytes(large_mesh(count))
            rows.append(told_by(_MEASURE_READING, str(path)))
    small, large = rows
    times = {k: large[k] / small[k] for k in ("read", "lay")}
    print(
        f"\nmesh of {large['triangles']} triangles: reading {times['read']:.1f} x, laying out {times['lay']:.1f} x a"
        f" mesh of {small['triangles']}; memory at most {large['mb']:.0f} MB and {small['mb']:.0f} MB; reading it takes"
        f" {large['read'] / large['lay']:.1f} x laying it out"
    )


def solver_speed() -> None:
    """Solver calls a second over many cases, and one call against a brute-force grid of the same reach."""
    materials, tools = catalogue.materials(), catalogue.tools()
    cutters = [t for t in tools.values() if t.kind == "flat_end_mill"]
    cases = [Case(t, m, machine, 2.0 * t.diameter) for t in cutters[::4] for m in list(materials.values())[::8]
             for machine in catalogue.machines().values()]  # fmt: skip
    solver.solve(cases[0])
    began = time.perf_counter()
    for case in cases:
        solver.solve(case)
    call = (time.perf_counter() - began) / len(cases)
    began = time.perf_counter()
    some = cases[:: max(1, len(cases) // 6)]
    best = [brute_force(case) for case in some]
    grid = (time.perf_counter() - began) / len(some)
    shares = [b / solver.value_of(c, solver.solve(c)) for b, c in zip(best, some, strict=True)]
    print(
        f"\nsolver: {1 / call:.0f} calls a second over {len(cases)} cases; a grid of {' x '.join(map(str, GRID))} takes"
        f" {grid / call:.0f} x one call and finds at most {max(shares):.4f} of what its bite is worth"
    )


GRID = (60, 6, 40)
"""Radial depths, step-downs and feeds of the brute-force grid."""


def brute_force(case: Case) -> float:
    """What the best of a plain grid over ae, equal step-downs and feed is worth to the solver."""
    tool = case.tool
    best = 0.0
    most = case.material.most_bite_share * tool.diameter
    first = max(1, math.ceil(case.depth / min(tool.flute_length, MOST_AXIAL * tool.diameter) - 1e-9))
    for ae in np.linspace(solver.LEAST_BITE * tool.diameter, most, GRID[0]):
        for steps in range(first, first + GRID[1]):
            pinned = replace(case, ae=float(ae), ap=case.depth / steps)
            quick = wanted(pinned, float(ae), case.depth / steps, steps)
            for feed in np.linspace(0.05, 1.0, GRID[2]) * quick.feed:
                bite = wanted(replace(pinned, speed=quick.speed, feed=float(feed)), float(ae), quick.ap, steps)
                worth = solver.value_of(case, bite)
                if worth > best and all(c.share <= 1.0 + 1e-6 for c in bite.ceilings):
                    best = worth
    return best


_MEASURE_READING = """
import json, sys, time
from justbite.layout import lay_out
from justbite.memory import most_held
from justbite.model.placing import Placing
from justbite.part.read import read_part
data = open(sys.argv[1], "rb").read()
begin = time.perf_counter()
part = read_part(data, "mesh.stl", "mm", 0.02, 0.002)
read = time.perf_counter() - begin
begin = time.perf_counter()
lay_out(part, Placing())
lay = time.perf_counter() - begin
told = {"triangles": len(part.bodies[0].triangles), "read": read, "lay": lay, "mb": most_held()}
print(json.dumps(told))
"""


def on_machine(data: dict[str, Any], acceleration: float) -> Job:
    """A job at CUT_FEED on a machine of the given acceleration (mm/s2)."""
    rate = 1e9 if acceleration > 1e6 else 1000
    machine = {"name": "bench", "max_rpm": 15000, "max_feed": 4 * CUT_FEED, "rapid_feed": 24000, "power_kw": 50,
               "torque_nm": 200, "acceleration": acceleration, "block_rate": rate}  # fmt: skip
    operations = [{**o, "feed": CUT_FEED} for o in data["operations"]]
    return parse_job({**data, "machine": machine, "operations": operations})


def measured(data: dict[str, Any], acceleration: float) -> dict[str, Any]:
    """The report of a job at CUT_FEED on a machine of the given acceleration (mm/s2)."""
    return plan(on_machine(data, acceleration)).report


def thin_pieces(job: Job, program: str) -> int:
    """How many thin pieces stand free when a pass is over, and are left to a later one."""
    moves, operation = read_program(program), job.operations[0]
    ends = pass_ends(job, operation, moves, tolerances.CHORD)
    return len(free_standing(job, operation, moves, ends, tolerances.CHORD))


def run_seconds(job: Job, program: str) -> float:
    """Seconds that the proof's replay alone takes for a program, at a cell of R/60 and steps of R/20.

    The middle of three: it is a tenth of a second, and a machine's clock goes up and down by half.
    """
    radius = job.tools[0].diameter / 2
    moves = read_program(program)
    laid = laid_on_map(moves)
    spent = np.zeros(REPLAYS)
    for k in range(REPLAYS):
        for tile in Stock(job, radius / 60, tolerances.CHORD).tiles():
            began = time.perf_counter()
            replay.run(tile.packed(), *laid, radius, radius / 20, job.approach_gap)
            spent[k] += time.perf_counter() - began
    return float(np.median(spent))


def run(data: list[dict[str, Any]], what: str, whole: bool) -> None:
    """Print the table of these jobs; `whole`: and what else is measured."""
    began = time.perf_counter()
    measured(data[0], 1e9)  # The kernels are compiled before anything is timed.
    print(f"kernels ready after {time.perf_counter() - began:.0f} s; {what}")
    print(HEADER)
    rows, lengths = [], []
    for one in data:
        try:
            job = on_machine(one, 1e9)
            made = plan(job)
            free, held = made.report, measured(one, 5000)
        except InputError as error:
            print(f"{one['name']}: {error}", flush=True)
            continue
        row = free["operations"][0]
        ideal = row["ideal_seconds"]
        effort = row["compute_seconds"] / max(row["proof_seconds"], 1e-9)
        rows.append((row["max_over_target"], row["p999_over_target"], row["within_share"], 100 * row["left_over_share"],
                     row["entry_over_bite"], row["chip_mm"] / row["bite"]["chip_most"],
                     free["seconds"] / ideal, held["seconds"] / ideal, row["blocks"],
                     row["link_seconds"] / row["seconds"], row["path_points"] / (row["path_blocks"] or np.nan),
                     (row["plain_seconds"] or np.nan) / row["seconds"],
                     thin_pieces(job, made.program),
                     sum(w["code"].startswith("proof.") and w["severity"] == "error" for w in free["warnings"]),
                     effort, row["compute_seconds"] / run_seconds(job, made.program)))  # fmt: skip
        lengths.append(row["cut_length"])
        print(_line(one["name"], rows[-1]), flush=True)
    table = np.array(rows)
    print(_line("mean", np.nanmean(table, axis=0)))
    high = np.nanmax(table, axis=0)
    low = np.nanmin(table, axis=0)
    print(_line("worst", [*high[:2], low[2], *high[3:10], *low[10:12], *high[12:]]))
    # Where ways in take all there is no cutting length.
    inside = float(table[:, 2] @ lengths) / max(sum(lengths), 1e-9)
    print(f"within 0.8 to 1.1 of the target: {inside:.3f} of all cutting length")
    if whole:
        solver_speed()
        read_large_mesh()
        large_plates()


def _line(name: str, row: Any) -> str:
    places = (3, 3, 3, 3, 2, 2, 3, 3, 0, 2, 1, 2, 1, 0, 1, 1)
    told = "".join(f"{float(v):{width}.{p}f}" for v, (_, width), p in zip(row, COLUMNS, places, strict=True))
    return f"{name[:NAME]:{NAME}}{told}"
