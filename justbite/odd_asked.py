"""Wishes on odd parts: what `odd_jobs` asks for on areas drawn in the plane, asked for on solids.

Every operation has wishes of its own. About every third job has a bull nose, every third clamps over the part's
borders, every third holes drilled in areas; two of five an operation more with a finer cutter and other allowances.
Not every wish makes sense on every part: what cannot be cut must be told, and the rest cut well.
"""

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.model.shapes import region_shape
from justbite.odd_blank import Random
from justbite.odd_jobs import holes, wishes

CHORD = 0.05
"""mm: how closely outlines are told to place holes in them."""


def asked_on(job: Job, corners: NDArray[np.float64], random: Random) -> Job:
    """The job with wishes. Raises JobError where they do not go together. `corners` (m, 3, 3): of its part."""
    data = job.model_dump(mode="json", exclude_none=True)
    tools, operations = data["tools"], data["operations"]
    if random.random() < 0.3:
        corner = round(tools[0]["diameter"] * random.uniform(0.05, 0.2), 2)
        tools[0].update(kind="bull_nose_end_mill", corner_radius=corner)
    if random.random() < 0.4:
        _finer(random, tools, operations)
    numbered = {tool["number"]: tool for tool in tools}
    for operation in operations:
        own = wishes(random, numbered[operation["tool"]])
        del own["allowance"]
        for key in ("tolerance", "bite"):
            if random.random() < 0.5:
                own.pop(key, None)
        operation.update(own)
    if random.random() < 0.35:
        data["keep_outs"] = _clamps(random, corners.reshape(-1, 3))
    if random.random() < 0.3:
        for region in data["regions"]:
            shape = max(shapely.get_parts(region_shape(job.region(region["name"]), CHORD)), key=lambda part: part.area)
            rings = {"outline": list(shape.exterior.coords), "islands": [list(i.coords) for i in shape.interiors]}
            region["drilled"] = holes(random, {**region, **rings}, numbered[operations[0]["tool"]]["diameter"])
    return parse_job(data)


def _finer(random: Random, tools: list[dict[str, Any]], operations: list[dict[str, Any]]) -> None:
    """One more cutter, half as wide as the last operation's, and what that cuts once more with it."""
    last = operations[-1]
    tool = next(t for t in tools if t["number"] == last["tool"])
    diameter, number = round(max(2.0, 0.5 * tool["diameter"]), 1), 1 + max(t["number"] for t in tools)
    length = min(tool["flute_length"], 3.5 * diameter)
    tools.append({
        **tool, "number": number, "diameter": diameter, "kind": "flat_end_mill", "corner_radius": 0.0,
        "flute_length": round(length, 1), "stickout": round(length + 2 * diameter, 1),
    })  # fmt: skip
    allowance = {"wall": float(random.choice([0.0, 0.05, 0.1])), "floor": float(random.choice([0, 0.1]))}
    operations.append({**last, "name": "finer", "tool": number, "allowance": allowance, "tolerance": 0.01})


def _clamps(random: Random, corners: NDArray[np.float64]) -> list[dict[str, Any]]:
    """One or two that stand 5 mm over a border of the part, and reach far above it."""
    (left, front, _), (right, back, high) = corners.min(axis=0), corners.max(axis=0)
    found = []
    for number in range(1, 1 + int(random.integers(1, 3))):
        wide, long = random.uniform(8, 25, 2)
        side, along = int(random.integers(4)), random.random()
        x = (left - 5, right - wide + 5, *2 * (left + along * (right - left - wide),))[side]
        y = (*2 * (front + along * (back - front - long),), front - 5, back - long + 5)[side]
        outline = [[x, y], [x + wide, y], [x + wide, y + long], [x, y + long]]
        found.append({"name": f"clamp {number}", "outline": outline, "top": float(high + 15)})
    return found
