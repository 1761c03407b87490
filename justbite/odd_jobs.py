"""Odd whole jobs for `justbite bench --odd-jobs`: all that a job file may ask for, mixed at random from seeds.

One to three areas, made or odd, side by side and in each other, some open; every material and machine of the
catalogue; allowances, floors in between, keep-outs, stock of all kinds, wishes for bite, entry, order and direction;
holes drilled before; for every third job a second operation with a smaller cutter, or two to four operations of which
each has areas, a cutter and wishes of its own, or a finer one for each. Each alone is tested; here they meet.
"""

from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
import shapely
import shapely.affinity
from numpy.typing import NDArray

from justbite import catalogue
from justbite.bench import KINDS as MADE
from justbite.bench import drawn
from justbite.errors import JustBiteError
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.odd import KINDS as ODD
from justbite.plan import plan

CUTTERS = (3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0)
DRILLED_FROM = 400
"""Seed from which on holes are drilled in areas: those before stay as they were when they were recorded."""
MIXED_FROM = 800
"""Seed from which on every other job has operations that each have areas, a cutter and wishes of their own."""
FINER_FROM = 3000
"""Seed from which on a second operation takes a much smaller cutter nearer to the walls, with a bite to suit that."""
Random = np.random.Generator
Whole = tuple[Job, NDArray[np.float64] | None]
"""A job, and the corners of its part's triangles if it has a part."""
COLUMNS = ("max", "99.9%", "left %", "way in", "chip x", "gouge", "ideal x", "ways", "seconds")
NAME = 44
BOUNDS = {"max": 1.05, "99.9%": 1.02, "left %": 0.1, "way in": 1.1, "chip x": 1.1, "gouge": 0.0}
"""What no operation may pass; marked in the table where one does."""


def odd_jobs(seeds: range) -> Iterator[dict[str, Any]]:
    """Job documents, one a seed."""
    for seed in seeds:
        random = np.random.default_rng(seed + 90000)
        diameter = float(random.choice(CUTTERS))
        tools = [_cutter(random, diameter)]
        regions, shapes = _areas(random, diameter)
        first = {"name": "rough", "regions": [r["name"] for r in regions], "tool": 1, **wishes(random, tools[0])}
        operations = [first]
        if random.random() < 0.3:
            small = round(diameter * float(random.choice([0.5, 0.6, 0.75])), 3)
            corner = min(tools[0].get("corner_radius", 0.0), 0.2 * small)
            tools.append({**tools[0], "number": 2, "diameter": small, "corner_radius": corner})
            same = {key: first[key] for key in ("regions", "allowance", "tolerance")}
            operations.append({"name": "rest", "tool": 2, **same})
        made = {
            "format": "justbite-job", "version": 1, "name": f"odd job {seed}", "tools": tools, "regions": regions,
            "machine": str(random.choice(list(catalogue.machines()))),
            "material": str(random.choice(list(catalogue.materials()))),
            "stock": _stock(random, shapes, min(r["bottom"] for r in regions) - 5.0, diameter),
            "operations": operations,
        }  # fmt: skip
        if random.random() < 0.15:
            low, high = np.array(shapes[0].bounds).reshape(2, 2)
            x, y = (low + (high - low) * random.random(2)).round(3).tolist()
            corners = [[x, y], [x + diameter, y], [x + diameter, y + diameter], [x, y + diameter]]
            made["keep_outs"] = [{"name": "clamp", "outline": corners, "top": 10}]
        if random.random() < 0.15:
            made["approach_gap"] = float(random.choice([0.3, 2.0, 3.0]))
        if seed >= MIXED_FROM and random.random() < 0.5:
            made["tools"], made["operations"] = _mixed(random, tools[0], regions)
        if seed >= FINER_FROM:
            made["tools"], made["operations"] = _finer(random, tools[0], first)
        if seed >= DRILLED_FROM:
            for region in regions:
                region["drilled"] = holes(random, region, diameter)
        yield made


def _mixed(random: Random, first: dict[str, Any], regions: list[dict[str, Any]]
           ) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:  # fmt: skip
    """Two or three cutters, and two to four operations with some of the areas each; none before the area above it."""
    tools = [first]
    for number in range(2, int(random.integers(3, 5))):
        diameter = round(first["diameter"] * float(random.choice([0.4, 0.5, 0.6, 0.75, 1.0, 1.3])), 3)
        tools.append({**_cutter(random, diameter), "number": number})
    operations: list[dict[str, Any]] = []
    cut: set[str] = set()
    for number in range(1, int(random.integers(3, 6))):
        names: list[str] = []
        for region in regions:
            if random.random() < 0.7 and set(region.get("after", [])) <= cut | set(names):
                names.append(region["name"])
        names = names or [regions[0]["name"]]
        cut |= set(names)
        tool = tools[0 if number == 1 else int(random.integers(len(tools)))]
        own = wishes(random, tool)
        operations.append({"name": f"operation {number}", "regions": names, "tool": tool["number"], **own})
    return tools, operations


def _finer(random: Random, tool: dict[str, Any], first: dict[str, Any]
           ) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:  # fmt: skip
    """Two cutters, and two operations on the same areas, of which the second leaves less on the walls."""
    small = _cutter(random, round(tool["diameter"] * float(random.choice([0.2, 0.3, 0.4, 0.6])), 3))
    wall = float(random.choice([0.1, 0.2, 0.3, 0.5]))
    first = {**first, "allowance": {**first["allowance"], "wall": wall}}
    second = {
        "name": "finer", "tool": 2, "regions": first["regions"], "tolerance": first["tolerance"],
        "allowance": {"wall": round(wall * float(random.choice([0.0, 0.3, 0.6])), 3), "floor": 0.0},
    }  # fmt: skip
    if random.random() < 0.5:
        second["bite"] = {"ae": round(max(0.02 * small["diameter"], wall * random.uniform(0.8, 2.0)), 3)}
    return [tool, {**small, "number": 2}], [first, second]


def holes(random: Random, region: dict[str, Any], diameter: float) -> list[dict[str, Any]]:
    """In every third area one or two holes, some too tight, some that end above the floor, some near a wall."""
    if random.random() > 0.33:
        return []
    shape = shapely.Polygon(region["outline"], region["islands"])
    widest = shapely.maximum_inscribed_circle(shape, tolerance=0.01 * diameter).coords[0]
    x1, y1, x2, y2 = shape.bounds
    places = [widest, (random.uniform(x1, x2), random.uniform(y1, y2))][: int(random.integers(1, 3))]
    top, found = region.get("top", 0.0), []
    for x, y in places:
        wide, deep = diameter * random.uniform(1.0, 2.2), top + (region["bottom"] - top) * random.uniform(0.3, 1.0)
        bottom = round(deep, 2) if random.random() < 0.6 else None
        found.append({"at": [round(x, 2), round(y, 2)], "diameter": round(wide, 1), "bottom": bottom})
    return found


def _cutter(random: Random, diameter: float) -> dict[str, Any]:
    length = round(diameter * random.uniform(1.5, 3.5), 2)
    tool: dict[str, Any] = {
        "number": 1, "diameter": diameter, "flutes": int(random.integers(2, 7)), "flute_length": length,
        "stickout": round(length + diameter * random.uniform(0.2, 2.0), 2),
        "centre_cutting": bool(random.random() < 0.4), "helix_angle": float(random.choice([30, 35, 40, 45])),
    }  # fmt: skip
    if random.random() < 0.25:
        tool.update(kind="bull_nose_end_mill", corner_radius=round(diameter * random.uniform(0.05, 0.2), 2))
    return tool


def _areas(random: Random, diameter: float) -> tuple[list[dict[str, Any]], list[shapely.Polygon]]:
    """Areas beside each other, some with another below them; and their shapes, those below left out."""
    regions: list[dict[str, Any]] = []
    shapes: list[shapely.Polygon] = []
    x = 0.0
    for number in range(1, int(random.integers(1, 4)) + 1):
        shape = _shape(random, diameter)
        left, low, right, _ = shape.bounds
        shape = shapely.affinity.translate(shape, x - left, -low)
        shapes.append(shape)
        x += right - left + diameter * random.uniform(0.3, 1.0)
        depth = round(diameter * random.uniform(0.2, 4.0), 2)
        region = {"name": f"area {number}", **_rings(shape), "bottom": -depth, "open_edges": _open(random, shape)}
        if random.random() < 0.2:
            region["floors"] = [-round(depth * random.uniform(0.2, 0.8), 2)]
        if random.random() < 0.1:
            spot = shape.representative_point()
            region["start"] = [round(spot.x, 2), round(spot.y, 2)]
        regions.append(region)
        if random.random() < 0.2:
            inner = _largest(shape.buffer(-diameter * random.uniform(0.3, 1.0)))
            if inner is not None and inner.area > 2.0 * diameter**2:
                bottom = round(-depth - diameter * random.uniform(0.2, 2.0), 2)
                below = {"name": f"area {number} below", "top": -depth, "bottom": bottom, "after": [region["name"]]}
                regions.append({**below, **_rings(inner)})
    return regions, shapes


def _shape(random: Random, diameter: float) -> shapely.Polygon:
    odd = random.random() < 0.5
    raw = ODD[int(random.integers(len(ODD)))](random) if odd else drawn(MADE[int(random.integers(len(MADE)))], random)
    shape = _largest(raw.buffer(0))
    assert shape is not None
    left, low, right, high = shape.bounds
    size = diameter * (0.7 if max(right - left, high - low) > 14.0 else 1.0)
    return shapely.affinity.scale(shape, size, size, origin=(0, 0))


def _largest(shape: shapely.Geometry) -> shapely.Polygon | None:
    return None if shape.is_empty else max(shapely.get_parts(shape), key=lambda part: part.area)


def _rings(shape: shapely.Polygon) -> dict[str, Any]:
    outline, *islands = [
        np.asarray(r.coords)[:-1].round(3).tolist() for r in (shape.exterior, *shape.interiors)
    ]  # fmt: skip
    return {"outline": outline, "islands": islands}


def _open(random: Random, shape: shapely.Polygon) -> Any:
    chance, count = random.random(), len(shape.exterior.coords) - 1
    if chance < 0.1:
        return "all"
    first = int(random.integers(count))
    return sorted({(first + k) % count for k in range(max(1, count // 5))}) if chance < 0.3 else []


def _stock(random: Random, shapes: list[shapely.Polygon], low: float, diameter: float) -> dict[str, Any]:
    """A box, a bar, an outline, or a step half-way along."""
    left, front, right, back = shapely.union_all(shapes).bounds
    rim = diameter * random.uniform(0.3, 1.5)
    left, front, right, back = left - rim, front - rim, right + rim, back + rim
    corners = [[left, front], [right, front], [right, back], [left, back]]
    kind = random.random()
    if kind < 0.7:
        return {"box": {"min": [left, front, low], "max": [right, back, 0]}}
    if kind < 0.8:
        across = float(np.hypot(right - left, back - front))
        middle = [(left + right) / 2, (front + back) / 2]
        return {"cylinder": {"axis": "z", "centre": middle, "diameter": across, "low": low, "high": 0}}
    if kind < 0.9:
        return {"outline": {"outline": corners, "bottom": low, "top": 0}}
    half = (left + right) / 2
    step = {"outline": corners, "bottom": low, "top": -0.1 * diameter}
    high = {"outline": [corners[0], [half, front], [half, back], corners[3]], "bottom": low, "top": 0}
    return {"terraces": [step, high]}


def wishes(random: Random, tool: dict[str, Any]) -> dict[str, Any]:
    """What the user asks of the operation: always allowances and a tolerance, of the rest what falls."""
    asked: dict[str, Any] = {
        "allowance": {"wall": float(random.choice([0, 0, 0.1, 0.5])), "floor": float(random.choice([0, 0.1, 0.2]))},
        "tolerance": float(random.choice([0.005, 0.01, 0.02, 0.05])),
    }
    depth = round(min(tool["flute_length"], tool["diameter"] * random.uniform(0.3, 2.0)), 2)
    for key, chance, value in (
        ("bite", 0.4, {"share": float(random.choice([0.04, 0.08, 0.12, 0.2, 0.3]))}),
        ("step_down", 0.2, depth),
        ("conventional", 0.2, float(random.choice([0.5, 0.8, 1.0]))),
        ("entry", 0.3, str(random.choice(["helix", "ramp", "plunge"]))),
        ("order", 0.4, "levels"),
        ("follow_bite", 0.2, False),
        ("hover", 0.2, float(random.choice([0.1, 0.5, 1.0]))),
        ("reserve", 0.2, float(random.choice([0.1, 0.3]))),
        ("return_feed", 0.1, float(random.choice([1000, 5000]))),
    ):
        if random.random() < chance:
            asked[key] = value
    return asked


def whole_jobs(seeds: range) -> Iterator[tuple[str, Whole | JustBiteError]]:
    """The same as `run` takes them."""
    for data in odd_jobs(seeds):
        yield data["name"], (parse_job(data), None)


def run(jobs: Iterable[tuple[str, Whole | JustBiteError]], what: str) -> None:
    """Plan the jobs and print a line for each operation; `!` where a bound is passed or the proof finds an error."""
    print(what)
    print(f"  {'operation':{NAME}}" + "".join(f"{name:>9}" for name in COLUMNS) + "  findings of the proof")
    passed = count = 0
    seconds = 0.0
    for name, made in jobs:
        try:
            if isinstance(made, JustBiteError):
                raise made
            job, part = made
            report = plan(job, part=part).report
        except JustBiteError as error:
            print(f"  {name}: {error}", flush=True)
            continue
        # Pieces that nothing goes into are told; what the path itself leaves is no less a fault for that.
        stuck = {w["operation"] for w in report["warnings"] if w["code"] in ("area.no-entry", "area.put-off")}
        errors = [w for w in report["warnings"] if w["severity"] == "error" and w["code"].startswith("proof.")]
        for row, asked in zip(report["operations"], job.operations, strict=True):
            found = figures(row, row["name"] in stuck)
            wrong = sorted(w["code"] for w in errors if w["operation"] == row["name"])
            over = [n for n, most in BOUNDS.items() if found[n] > most]
            passed += bool(over or wrong)
            count += 1
            said = f"{name} {row['name']}, {job.material}, D{job.tool(asked.tool).diameter:g}"
            told = "".join(f"{found[n]:9.3f}" for n in COLUMNS)
            print(f"{'! ' if over or wrong else '  '}{said[:NAME]:{NAME}}{told}  {' '.join(wrong)}", flush=True)
        seconds += report["seconds"]
    print(f"{count} operations, {passed} of them over a bound or with an error of the proof; {seconds:.1f} s in all")


def figures(row: dict[str, Any], stuck: bool) -> dict[str, float]:
    """What the table shows of an operation's report; `stuck`: without what stands where the cutter never came in."""
    ideal, left = row["ideal_seconds"], row["left_over_share"] - (row["untouched_share"] if stuck else 0.0)
    values = (row["max_over_target"], row["p999_over_target"], 100 * left, row["entry_over_bite"],
              row["chip_over_borne"], row["gouge_mm"], row["seconds"] / ideal if ideal > 0 else 0.0,
              1.0 - row["cut_seconds"] / max(row["seconds"], 1e-9), row["seconds"])  # fmt: skip
    return dict(zip(COLUMNS, values, strict=True))
