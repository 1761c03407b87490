"""Findings of one operation that say the same of many areas, told once: a slope has a dozen steps, a plate its holes.

Where each has a place of its own all of them stay, in the same words: screens show one, with all of its places.
"""

from collections.abc import Sequence
from dataclasses import replace

from justbite.model.findings import Finding
from justbite.model.job import Job, Operation

NAMED = 4
"""So many areas are called by their names; of more the others are counted."""


def gathered(job: Job, operation: Operation, findings: Sequence[Finding]) -> list[Finding]:
    """The findings, what is said of many areas in one, or in the same words."""
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
    return _in_same_words(_unreached(told, job, operation))


def _unreached(findings: list[Finding], job: Job, operation: Operation) -> list[Finding]:
    """Places that the cutter is too wide for, but those of steps: of each area in one sentence, or of many areas."""
    own = [f for f in findings if f.code == "area.unreached" and job.region(f.area).over_slope <= 0]
    areas = list(dict.fromkeys(f.area for f in own))
    cutter = f"The {job.tool(operation.tool).diameter:g} mm cutter does not reach"

    def said(some: list[Finding], where: str) -> str:
        return f"{cutter} {len(some)} places up to {max(f.size or 0.0 for f in some):.2f} mm wide in {where}."

    told: dict[str, str] = {}
    if len(areas) > NAMED:
        told = dict.fromkeys(areas, said(own, f"{len(areas)} areas: {_named(areas)}"))
    for area in areas if not told else ():
        some = [f for f in own if f.area == area]
        if len({f.sentence for f in some}) > 1:
            told[area] = said(some, f'"{area}"')
    return [replace(f, sentence=told[f.area]) if f in own and f.area in told else f for f in findings]


def _in_same_words(findings: list[Finding]) -> list[Finding]:
    """What is said of many areas in words that differ by their names alone, in those of the first of them."""
    alike: dict[tuple[str, str], list[Finding]] = {}
    for f in findings:
        alike.setdefault((f.code, f.sentence.replace(f'"{f.area}"', "")), []).append(f)
    told = []
    for f in findings:
        same = alike[f.code, f.sentence.replace(f'"{f.area}"', "")]
        areas = list(dict.fromkeys(other.area for other in same))
        # Where the words are the same already, all areas are named in them.
        if len(areas) > NAMED and same[0].sentence != same[-1].sentence:
            more = f"So it is with {len(areas) - 1} more areas: {_named(areas[1:])}."
            if f.x is not None or f is same[0]:
                told.append(replace(f, sentence=f"{same[0].sentence} {more}"))
        else:
            told.append(f)
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
