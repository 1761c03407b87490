"""What the proof measured of an operation, as findings."""

from justbite import tolerances
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Operation, Tool
from justbite.proof.against import CutInto
from justbite.proof.audit import Audit
from justbite.proof.holder import Room
from justbite.proof.remains import Remain

OVER_BITE = 1.10
"""Measured engagement over target above which the program must not be run."""


LEFT = 0.003
"""Share of what the cutter can reach from which on it is told as left."""
WIDE_HOLDER = 80.0
"""mm wider than its cutter: no holder of a cutter that is told here is as wide (common practice)."""
MOST, MOST_999 = 1.05, 1.02
"""The same from which on an operation is planned again, held to less: at one place, and in all but a thousandth of the
cut."""


def over_promise(audit: Audit, bite: Bite) -> float:
    """By how much an operation takes more than any should, as a share of its bite; 0 where it does not."""
    return max(0.0, audit.most_depth / bite.ae - MOST, audit.depth_999 / bite.ae - MOST_999)


def held_findings(operation: Operation, held: float) -> list[Finding]:
    """That an operation's passes are `held` to that share of its bite, and why."""
    if held >= 1.0:
        return []
    said = (
        f'The proof found more than the bite of "{operation.name}" at a place or two; it is planned again, with passes'
        f" held to {100 * held:g} % of the bite."
    )
    return [Finding("proof.held", said, operation.name)]


def too_thick(audit: Audit, borne: float) -> bool:
    """Whether a chip is thicker than the `borne` mm that a tooth bears."""
    return audit.chip > OVER_BITE * borne


def into_finding(name: str, cut: CutInto) -> Finding:
    """What it cuts into the part itself."""
    said = f'"{name}" cuts into the part: {cut.area:.1f} mm² seen from above, up to {cut.deep:.2f} mm deep.'
    return Finding("proof.into-part", said, name, "", *cut.at)


def remain_findings(left: list[Remain]) -> list[Finding]:
    """What stands on the part where no area goes down to it; told at the largest piece."""
    if not left:
        return []
    volume, where = sum(r.volume for r in left) / 1000.0, "here" if len(left) == 1 else f"in {len(left)} places, here"
    said = f"Stock stands where no area goes down to the part: {volume:.2f} cm³, {where} {left[0].high:.1f} mm high."
    return [Finding("part.stands", said, "", "", *left[0].at)]


def proof_findings(operation: Operation, bite: Bite, audit: Audit, borne: float, stuck: bool) -> list[Finding]:
    """What it takes beyond its bounds; `borne`: mm of chip that a tooth bears; `stuck`: it is told that nothing goes
    into a part of an area."""
    found = []
    name = operation.name
    if audit.most_depth > OVER_BITE * bite.ae:
        share = 100 * audit.most_depth / bite.ae
        found.append(
            Finding(
                "proof.over-bite", f'"{name}" takes {share:.0f} % of its bite at one place.', name, "", *audit.most_at
            )
        )
    rate = 1000.0 * bite.removal_rate
    if audit.entry_rate > OVER_BITE * rate:
        share = 100 * audit.entry_rate / rate
        found.append(
            Finding(
                "proof.entry-load", f'A way in of "{name}" takes {share:.0f} % of what the bite takes in a minute.',
                name, "", *audit.entry_at,
            )
        )  # fmt: skip
    if too_thick(audit, borne):
        found.append(
            Finding(
                "proof.thick-chip",
                f'A chip of "{name}" is {audit.chip:.3f} mm thick at one place; a tooth bears {borne:.3f} mm.',
                name, "", *audit.chip_at,
            )
        )  # fmt: skip
    if audit.gouge > 0:
        found.append(
            Finding(
                "proof.gouge", f'"{name}" cuts {audit.gouge:.3f} mm into what must stay.', name, "", *audit.gouge_at
            )
        )
    if audit.rapid > tolerances.GOUGE:
        found.append(
            Finding("proof.rapid-in-stock", f'A rapid of "{name}" runs {audit.rapid:.2f} mm deep through stock.',
                    name, "", *audit.rapid_at)
        )  # fmt: skip
    # Where nothing goes in, and that is told, it is not told once more as left.
    left = audit.left_over - (audit.untouched if stuck else 0.0)
    if left > LEFT:
        found.append(
            Finding("area.left-over", f'"{name}" leaves {100 * left:.2f} % of what the cutter can reach.', name)
        )
    return found


def holder_findings(operation: Operation, tool: Tool, room: Room | None) -> list[Finding]:
    """Whether what holds the cutter meets what stands; where its width is not known, how wide it may be."""
    if room is None:
        return []
    wide, name = 2.0 * room.radius, operation.name
    if tool.holder_diameter is None:
        if wide > WIDE_HOLDER + tool.diameter:
            return []
        said = (
            f'"{name}" goes deeper than its cutter is clamped out ({tool.stickout:g} mm): what holds the cutter may be'
            f" no wider than {wide:.1f} mm there, and how wide it is was not said."
        )
        return [Finding("proof.holder-room", said, name, "", *room.at)]
    if tool.holder_diameter <= wide:
        return []
    said = (
        f'The holder of "{name}", {tool.holder_diameter:g} mm wide, runs into what stands: {tool.stickout:g} mm above'
        f" the cutter's tip there is room for {wide:.1f} mm."
    )
    return [Finding("proof.holder", said, name, "", *room.at)]
