"""Findings of one operation that say the same of many areas, told once: a slope has a dozen steps."""

from collections.abc import Sequence
from dataclasses import replace

from justbite.model.findings import Finding
from justbite.model.job import Job, Operation

NAMED = 4
"""So many areas are called by their names; of more the others are counted."""


def gathered(job: Job, operation: Operation, findings: Sequence[Finding]) -> list[Finding]:
    """The findings, those on areas of which nothing is left in one, and those on what steps of slopes leave out."""
    idle = [f for f in findings if f.code == "area.no-rest"]
    steps = [f for f in findings if f.code == "area.unreached" and job.region(f.area).over_slope > 0]
    told = list(findings)
    if len(idle) > 1:
        said = (
            f'Operations before "{operation.name}" leave nothing of {len(idle)} areas that its cutter would take:'
            f" {_named([f.area for f in idle])}."
        )
        told = _in_place_of(told, idle, replace(idle[0], sentence=said))
    if len(areas := dict.fromkeys(f.area for f in steps)) > 1:
        widest = max(steps, key=lambda f: f.size or 0.0)
        said = (
            f"The {job.tool(operation.tool).diameter:g} mm cutter does not reach places up to {widest.size:.2f} mm wide"
            f" in {len(areas)} steps of slopes: {_named(list(areas))}."
        )
        told = _in_place_of(told, steps, replace(widest, sentence=said))
    return told


def _in_place_of(findings: list[Finding], several: list[Finding], one: Finding) -> list[Finding]:
    """One finding where the first of several stood."""
    at = findings.index(several[0])
    return [f for f in findings[:at] if f not in several] + [one] + [f for f in findings[at:] if f not in several]


def _named(areas: list[str]) -> str:
    """Areas by name, as many as are read."""
    shown = [f'"{name}"' for name in areas[:NAMED]]
    more = len(areas) - len(shown)
    if more > 0:
        return f"{', '.join(shown)} and {more} more"
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)
