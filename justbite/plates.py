"""Large plates on the bench: what memory planning and proof take, and how planning grows with area over bite.

Each plate is planned in a process of its own, since a process tells only the most memory that it ever held.
"""

import json
import subprocess
import sys
from typing import Any

DIAMETER = 6.0
PLATES = ((300.0, 200.0, 0.2), (300.0, 200.0, 0.1), (600.0, 400.0, 0.2), (600.0, 400.0, 0.1), (600.0, 400.0, 0.05))
"""Width and depth, mm, and the bite over the diameter; the first is what the others are held against."""

_MEASURE_PLATE = """
import json, sys
from justbite.bench import on_machine
from justbite.memory import most_held
from justbite.plan import plan
from justbite.plates import plate
report = plan(on_machine(plate(*map(float, sys.argv[1:4])), 5000)).report
row = report["operations"][0]
told = {name: row[name] for name in ("compute_seconds", "proof_seconds", "levels", "cut_length", "left_over_share")}
told["most"] = row["max_over_target"]
told["ideal"] = report["seconds"] / report["ideal_seconds"]
told["mb"] = most_held()
print(json.dumps(told))
"""


def told_by(script: str, *given: str) -> Any:
    """What a script tells as JSON that runs in a process of its own."""
    return json.loads(subprocess.run([sys.executable, "-c", script, *given], capture_output=True, check=True).stdout)


def plate(width: float, depth: float, share: float) -> dict[str, Any]:
    """A job of one pocket, 8 mm deep, with the bite so large a share of the cutter, and as deep as it suits it."""
    tool = {"number": 1, "diameter": DIAMETER, "flutes": 3, "flute_length": 25, "stickout": 40}
    outline = [[0, 0], [width, 0], [width, depth], [0, depth]]
    return {
        "format": "justbite-job",
        "version": 1,
        "name": f"plate {width:g} x {depth:g}",
        "machine": "harbour-mill",
        "material": "aluminium-wrought",
        "tools": [tool],
        "stock": {"box": {"min": [-10, -10, -15], "max": [width + 10, depth + 10, 0]}},
        "regions": [{"name": "pocket", "outline": outline, "bottom": -8}],
        "operations": [
            {"name": "rough", "regions": ["pocket"], "tool": 1, "bite": {"ae": share * DIAMETER}, "tolerance": 0.01}
        ],
    }


def large_plates() -> None:
    """Print memory, and planning and proof over area and bite, as ratios to the first plate."""
    first: dict[str, Any] = {}
    for width, depth, share in PLATES:
        told = told_by(_MEASURE_PLATE, *map(str, (width, depth, share)))
        first = first or {**told, "size": width * depth / share}
        size = width * depth / share / first["size"]
        planning, proof = (told[k] / first[k] for k in ("compute_seconds", "proof_seconds"))
        print(
            f"plate of {width:g} x {depth:g} mm, {DIAMETER:g} mm cutter, {100 * share:g} % of it,"
            f" {len(told['levels'])} levels, {told['cut_length'] / 1000:.0f} m: memory at most {told['mb']:.0f} MB;"
            f" {size:.1f} x the area over the bite takes {planning:.1f} x the planning and {proof:.1f} x the proof;"
            f" {told['ideal']:.3f} of the ideal, largest {told['most']:.3f}",
            flush=True,
        )
