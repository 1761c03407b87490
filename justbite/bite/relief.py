"""What would relieve a ceiling: found by trying the change, never told from memory."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from justbite.bite.case import Case
from justbite.bite.solver import solve
from justbite.model.bite import Bite

LEAST_GAIN = 0.01
"""Share of removal rate below which a change is not worth telling."""
Change = Callable[[Case], Case | None]


@dataclass(frozen=True, slots=True)
class Relief:
    """For one ceiling that binds or is broken, the change that was tried and gave the most."""

    ceiling: str
    change: str
    gain: float
    """Removal rate over that of the bite, less 1; of a broken ceiling 0 when the change mends it."""
    sentence: str


def reliefs(case: Case, bite: Bite) -> list[Relief]:
    """One for each ceiling that binds or is broken."""
    tried: dict[str, Bite | None] = {}

    def outcome(name: str) -> Bite | None:
        if name not in tried:
            changed = CHANGES[name](case)
            tried[name] = None if changed is None else solve(changed)
        return tried[name]

    found = []
    for c in bite.ceilings:
        if c.estimate or not (c.binds or c.share > 1.0001):
            continue
        names = HELPS.get(c.name, ())
        results = [(n, b) for n in names if (b := outcome(n)) is not None]
        found.append(_told(c.name, c.share > 1.0001, bite, results))
    return found


def _told(ceiling: str, broken: bool, bite: Bite, results: list[tuple[str, Bite]]) -> Relief:
    if broken:
        for name, other in results:
            if all(c.share <= 1.0001 for c in other.ceilings if c.name == ceiling):
                gain = other.removal_rate / bite.removal_rate - 1.0
                said = f"{name} would mend it, at {100 * (gain + 1):.0f} % of this removal."
                return Relief(ceiling, name, gain, said)
        return Relief(ceiling, "", 0.0, "None of the changes tried here mends it alone.")
    best = max(results, key=lambda r: r[1].removal_rate, default=None)
    gain = best[1].removal_rate / bite.removal_rate - 1.0 if best else 0.0
    if best is None or gain < LEAST_GAIN:
        return Relief(ceiling, "", 0.0, "No change tried here gives more: something else binds next to it.")
    return Relief(ceiling, best[0], gain, f"{best[0]} gives {100 * gain:.0f} % more.")


def _flutes(by: int) -> Change:
    def change(case: Case) -> Case | None:
        count = case.tool.flutes + by
        return replace(case, tool=case.tool.model_copy(update={"flutes": count})) if 1 <= count <= 12 else None

    return change


def _tool(**factors: float) -> Change:
    def change(case: Case) -> Case | None:
        tool = case.tool
        new = {k: getattr(tool, k) * f for k, f in factors.items()}
        # Flutes never reach beyond the stick-out.
        new["flute_length"] = min(new.get("flute_length", tool.flute_length), new.get("stickout", tool.stickout))
        if "diameter" in new or "stickout" in new:
            # Measured dynamics belong to the cutter that was measured.
            new["dynamics"] = None  # type: ignore[assignment]
        return replace(case, tool=tool.model_copy(update=new))

    return change


def _machine(**factors: float) -> Change:
    def change(case: Case) -> Case | None:
        m = case.machine
        new = {k: getattr(m, k) * f for k, f in factors.items()}
        curves = {"power_kw": "power_points", "torque_nm": "torque_points"}
        points = {c: [(n, v * factors[k]) for n, v in getattr(m, c)] for k, c in curves.items() if k in factors}
        return replace(case, machine=m.model_copy(update={**new, **points}))

    return change


def _material(**factors: float) -> Change:
    def change(case: Case) -> Case | None:
        m = case.material
        return replace(case, material=m.model_copy(update={k: getattr(m, k) * f for k, f in factors.items()}))

    return change


def _reserve(case: Case) -> Case | None:
    return replace(case, reserve=case.reserve - 0.1) if case.reserve >= 0.1 else None


def _unpinned(key: str) -> Change:
    def change(case: Case) -> Case | None:
        free: dict[str, Any] = {key: None}
        return replace(case, **free) if getattr(case, key) is not None else None

    return change


CHANGES: dict[str, Change] = {
    "One flute more": _flutes(1),
    "One flute less": _flutes(-1),
    "A stick-out 15 % shorter": _tool(stickout=0.85),
    "Flutes 25 % longer": _tool(flute_length=1.25),
    "A cutter 20 % thicker": _tool(diameter=1.2),
    "A spindle 25 % faster": _machine(max_rpm=1.25),
    "Axes 25 % faster": _machine(max_feed=1.25),
    "A drive with 25 % more power": _machine(power_kw=1.25),
    "A drive with 25 % more torque": _machine(torque_nm=1.25),
    "A coating for 20 % more cutting speed": _material(cutting_speed=1.2),
    "10 % less reserve": _reserve,
    "Leaving the bite to be worked out": _unpinned("ae"),
    "Leaving the step-down to be worked out": _unpinned("ap"),
    "Leaving the speed to be worked out": _unpinned("speed"),
    "Leaving the feed to be worked out": _unpinned("feed"),
}
_PINS = tuple(n for n in CHANGES if n.startswith("Leaving"))
_FORCE = ("A stick-out 15 % shorter", "A cutter 20 % thicker", "One flute less", "One flute more", "10 % less reserve")
HELPS: dict[str, tuple[str, ...]] = {
    "spindle speed": ("A spindle 25 % faster", "One flute more", "A cutter 20 % thicker", *_PINS),
    "spindle speed, least": ("A cutter 20 % thicker", *_PINS),
    "cutting speed": ("A coating for 20 % more cutting speed", "One flute more", *_PINS),
    "feed rate": ("Axes 25 % faster", "One flute less", "A cutter 20 % thicker", *_PINS),
    "chip, thickest": ("One flute more", "A cutter 20 % thicker", "10 % less reserve", *_PINS),
    "chip, least": ("One flute less", *_PINS),
    "power": ("A drive with 25 % more power", "One flute less", "10 % less reserve", *_PINS),
    "torque": ("A drive with 25 % more torque", "A drive with 25 % more power", "10 % less reserve", *_PINS),
    "cutter bending": (*_FORCE, *_PINS),
    "bending stress": (*_FORCE, *_PINS),
    "flute length": ("Flutes 25 % longer", *_PINS),
    "stick-out": ("A stick-out 15 % shorter", "A cutter 20 % thicker"),
    "step-down": ("A cutter 20 % thicker", *_PINS),
    "engagement": ("A cutter 20 % thicker", "Flutes 25 % longer", "One flute more", *_PINS),
    "chatter": ("A stick-out 15 % shorter", "A cutter 20 % thicker", "One flute less", "10 % less reserve", *_PINS),
    "torque ripple": ("One flute more", *_PINS),
}
"""Ceiling -> the changes that are tried for it."""
