"""Odd parts for `justbite bench --odd-parts`: solids drawn from seeds, taken the whole way from the file to the proof.

A block or a round, with pockets, holes, shoulders, grooves and bosses on it, deeper pockets in pockets, and of every
kind of slope some: chamfers, roundings, ramps, cones, hollows. Each is written and read as STEP, laid in stock that is
larger all round, roughed with one cutter, by depth, and two thirds of them once more with a smaller one. The program
is held against the part itself.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np

from justbite import catalogue, solids, tolerances
from justbite.errors import JobError
from justbite.grouping import all_by_depth
from justbite.layout import corners_in, lay_out, region_of
from justbite.model.parse import parse_job
from justbite.model.part import Part
from justbite.model.placing import Margins, Placing
from justbite.odd_asked import asked_on
from justbite.odd_blank import LESS, Blank, Random
from justbite.odd_features import WORKSHOP
from justbite.odd_jobs import Whole
from justbite.part.read import read_part
from justbite.solids import Solid

MATERIALS = ("aluminium-wrought", "aluminium-6082", "brass", "structural-steel", "alloy-steel", "stainless", "titanium")
MACHINES = ("harbour-mill", "fast-centre", "high-torque")


def _pocket(on: Blank) -> None:
    """With round corners; every third has a deeper one in it."""
    wide, long, low = on.length(14, 45), on.length(14, 45), on.floor()
    x, y = on.spot(wide, long)
    corner = on.length(1.0, min(wide, long) / 2 - 0.5)
    on.cut(solids.rounded_block((x, y, low), (x + wide, y + long, on.height + 1), corner))
    if on.random.random() < 0.35 and low > 4.0:
        inner, less = on.length(0.5, 0.8), on.length(0.5, 0.8)
        x, y = x + 0.1 * wide, y + 0.1 * long
        ends = x + inner * wide, y + less * long, low + 1
        corner = min(corner, 0.45 * min(inner * wide, less * long))
        on.cut(solids.rounded_block((x, y, round(0.4 * low, 1)), ends, corner))


def _hole(on: Blank) -> None:
    """Through or not; every third with a wider cone on top."""
    radius = on.length(3, 16)
    x, y = (v + radius for v in on.spot(2 * radius, 2 * radius))
    low = -1.0 if on.random.random() < 0.4 else on.floor()
    on.cut(solids.cylinder(x, y, radius, low, on.height + 1))
    if on.random.random() < 0.3:
        wide = on.length(1, 6)
        on.cut(solids.cone(x, y, (radius, radius + wide), on.height - wide * on.length(0.4, 1.2), on.height))


def _shoulder(on: Blank) -> None:
    """A step along a side."""
    wide, low = on.length(4, 0.35 * on.width), on.floor(0.1, 0.7)
    low_x, high_x = (-1.0, wide) if on.random.random() < 0.5 else (on.width - wide, on.width + 1)
    on.cut(solids.block((low_x, -1, low), (high_x, on.depth + 1, on.height + 1)))


def _groove(on: Blank) -> None:
    """From side to side or ending in the part; square, or a round trough."""
    wide = on.length(7, 22)
    x, _ = on.spot(wide, on.depth - 4)
    end = on.depth + 1 if on.random.random() < 0.6 else on.length(0.4, 0.8) * on.depth
    if on.random.random() < 0.3:
        on.cut(solids.lying(x + wide / 2, on.height + on.length(-0.2, 0.2) * wide, wide / 2 + 1, -1, end))
        return
    on.cut(solids.block((x, -1, on.floor()), (x + wide, end, on.height + 1)))


def _boss(on: Blank) -> None:
    """The stock about a boss is taken down; the boss is round, square, or a cone."""
    low, middle = on.floor(0.15, 0.5), (on.width / 2, on.depth / 2)
    size = on.length(0.12, 0.3) * min(on.width, on.depth)
    kind = on.random.random()
    if kind < 0.4:
        boss = solids.cylinder(*middle, size, low, on.height)
    elif kind < 0.7:
        x, y = middle
        boss = solids.block((x - size, y - 0.8 * size, low), (x + size, y + 0.8 * size, on.height))
    else:
        boss = solids.cone(*middle, (size, on.length(0.4, 0.9) * size), low, on.height)
    around = solids.block((-1, -1, low), (on.width + 1, on.depth + 1, on.height + 1))
    on.cut(solids.cut(around, boss))


def _ramp(on: Blank) -> None:
    """A slope off one end, or a pocket whose floor rises."""
    low = on.floor(0.2, 0.7)
    if on.random.random() < 0.5:
        wide = on.length(0.15, 0.5) * on.width
        on.cut(solids.prism(
            [(-1, -1, low), (wide, -1, on.height + 1), (-1, -1, on.height + 1)], (0, on.depth + 2, 0)
        ))  # fmt: skip
        return
    wide, long = on.length(18, 40), on.length(14, 30)
    x, y = on.spot(wide, long)
    high = on.height + 1
    on.cut(solids.prism([(x, y, low), (x + wide, y, on.height - 1), (x + wide, y, high), (x, y, high)], (0, long, 0)))


def _hollow(on: Blank) -> None:
    """A part of a ball's inside, or a funnel."""
    radius = on.length(8, 22)
    x, y = (v + 0.8 * radius for v in on.spot(1.6 * radius, 1.6 * radius))
    if on.random.random() < 0.6:
        on.cut(solids.sphere(x, y, on.height + on.length(0.2, 0.7) * radius, radius))
        return
    on.cut(solids.cone(x, y, (on.length(0.3, 0.7) * radius, radius), on.floor(), on.height + LESS))


def _edges(on: Blank) -> None:
    """A chamfer or a rounding on all edges of the top."""
    from OCP.Standard import Standard_Failure
    from OCP.StdFail import StdFail_NotDone

    size, top = on.length(0.5, 3.0), on.height
    rounded = bool(on.random.random() < 0.5)
    try:
        made = solids.with_edges(on.solid, size, lambda _x, _y, z: abs(z - top) < 1e-6, rounded)
    except (Standard_Failure, StdFail_NotDone):
        # There is no room for one, or no edge left up there: the part stays as it was.
        return
    if solids.is_sound(made):
        on.solid = made


LEVEL = (_pocket, _pocket, _hole, _shoulder, _groove, _boss)
SLOPED = (_ramp, _hollow, _edges, _ramp)


WORKSHOP_FROM = 1000
"""Seed from which on parts have features as workshops draw them, are laid at any angle, and some are meshes."""

ASKED_FROM = 2000
"""Seed from which on all that a job may ask for is asked for on them."""


def solid_of(seed: int) -> Solid:
    """The solid of a seed: two to five features, slopes on every second."""
    random = np.random.default_rng(seed + 170000)
    on = Blank(random)
    if seed >= WORKSHOP_FROM:
        drawn = WORKSHOP + LEVEL if seed % 2 else WORKSHOP
        for _ in range(int(random.integers(2, 6))):
            drawn[int(random.integers(len(drawn)))](on)
        return on.solid
    kinds = [LEVEL[int(k)] for k in random.integers(len(LEVEL), size=int(random.integers(2, 6)))]
    if seed % 2:
        kinds += [SLOPED[int(k)] for k in random.integers(len(SLOPED), size=int(random.integers(1, 3)))]
    for put_on in sorted(kinds, key=lambda kind: (kind is _edges, kind is not _boss)):
        put_on(on)
    return on.solid


def odd_parts(seeds: range) -> Iterator[tuple[str, Whole | JobError]]:
    """For each seed what its job is called, and the job on its part; or why there is none."""
    for seed in seeds:
        name = f"odd part {seed}"
        try:
            job, corners = job_on(name, solid_of(seed), np.random.default_rng(seed + 180000), seed >= WORKSHOP_FROM)
            if seed >= ASKED_FROM and corners is not None:
                job = asked_on(job, corners, np.random.default_rng(seed + 700000))
            yield name, (job, corners)
        except JobError as error:
            yield name, error


def job_on(name: str, solid: Solid, random: Random, workshop: bool = False) -> Whole:
    """A job that roughs all that is found on a solid. Raises JobError where nothing can be cut.

    `workshop`: every fourth is a mesh, and they are laid at any angle, in stock of any kind.
    """
    mesh = workshop and random.random() < 0.25
    file, units = ("solid.stl", "mm") if mesh else ("solid.step", None)
    data = solids.stl_of(solid) if mesh else solids.step_of(solid)
    part = read_part(data, file, units, tolerances.JOIN, tolerances.CHORD)
    assert isinstance(part, Part)
    margin, above = round(float(random.uniform(0, 3)), 1), round(float(random.uniform(0, 2)), 1)
    placing = Placing(stock=Margins(x=(margin, margin), y=(margin, margin), z=(0.0, above)))
    if workshop:
        placing = _laid(random, part, above)
    layout = lay_out(part, placing)
    tool = _cutter(random, layout.features.features)
    regions = [region_of(f).model_dump(mode="json") for f in layout.features.features if f.depth]
    allowance = {"wall": float(random.choice([0.1, 0.3])), "floor": float(random.choice([0.0, 0.2]))}
    asked: dict[str, Any] = {"regions": [r["name"] for r in regions], "allowance": allowance, "tolerance": 0.02}
    operations = [{"name": "rough", "tool": 1, **asked}]
    tools = [{**tool, "number": 1}]
    if random.random() < 0.66:
        small = max(3.0, round(tool["diameter"] * float(random.choice([0.4, 0.5, 0.6])), 1))
        length = min(tool["flute_length"], 3.0 * small)
        tools.append({**tool, "number": 2, "diameter": small, "flute_length": length, "stickout": length + 2 * small})
        operations.append({"name": "rest", "tool": 2, **asked})
    job = parse_job({
        "format": "justbite-job", "version": 1, "name": name, "tools": tools, "regions": regions,
        "machine": str(random.choice(MACHINES)), "material": str(random.choice(MATERIALS)),
        "stock": layout.stock.model_dump(mode="json", exclude_none=True),
        "part": {"name": file, "placing": placing.model_dump(mode="json"), "matrix": layout.matrix.tolist()},
        "operations": operations,
    })  # fmt: skip
    return all_by_depth(job), corners_in(job, part)


def _laid(random: Random, part: Part, above: float) -> Placing:
    """Lying as drawn, turned, or on another side; in stock with an uneven border, of a size, or round."""
    up = (0, 0, 1) if random.random() < 0.8 else ((0, 0, -1), (1, 0, 0), (0, -1, 0))[int(random.integers(3))]
    turn = float(random.choice([0.0, 90.0, round(float(random.uniform(0, 180)), 1)]))
    asked: dict[str, Any] = {"up": up, "turn": turn, "datum": {"x": "middle", "y": "high"}}
    kind = random.random()
    if kind < 0.6:
        x, y = (tuple(random.uniform(0, 6, 2).round(1).tolist()) for _ in range(2))
        return Placing.model_validate({**asked, "stock": {"kind": "margins", "x": x, "y": y, "z": (0.0, above)}})
    corners = np.concatenate([body.vertices for body in part.bodies])
    across = float(np.linalg.norm(np.ptp(corners, axis=0)))
    if kind < 0.8:
        return Placing.model_validate({**asked, "stock": {"kind": "round", "diameter": round(across, 1) + 2.0}})
    size = (round(across), round(across), round(float(np.ptp(corners[:, 2])) + above, 1))
    return Placing.model_validate({**asked, "up": (0, 0, 1), "stock": {"kind": "size", "size": size, "off_top": above}})


def _cutter(random: Random, features: Any) -> dict[str, Any]:
    """A flat end mill: about as wide as most of the features let in."""
    widths = sorted(f.largest_cutter for f in features if f.largest_cutter)
    fits = widths[len(widths) // 3] if widths else 16.0
    wide = [d for d in (6.0, 8.0, 10.0, 12.0, 16.0) if d <= max(0.95 * fits, 6.0)]
    diameter = float(random.choice(wide[-2:]))
    deepest = max((f.depth for f in features if f.depth), default=1.0)
    length = round(max(2.0 * diameter, min(deepest + 2.0, 4.0 * diameter)), 1)
    made = catalogue.tools()["flat-10"].model_dump(mode="json")
    flutes = int(random.integers(3, 6))
    return made | {
        "diameter": diameter, "flutes": flutes, "flute_length": length, "stickout": length + 0.5 * diameter,
        "centre_cutting": bool(random.random() < 0.3),
    }  # fmt: skip
