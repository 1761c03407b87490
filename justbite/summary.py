"""What a plan comes to, in lines for the command line."""

from collections import Counter
from collections.abc import Iterator
from typing import Any

GRAVE = ("error", "warning", "note")
"""The gravest first."""


def lines(report: dict[str, Any]) -> Iterator[str]:
    """What a report tells of each operation, of the whole job, and what was found, each finding once."""
    for row in report["operations"]:
        yield from _operation(row)
    blocks = f"{report['blocks']} blocks"
    yield f"{minutes(report['seconds'])} in all, physical limit {minutes(report['limit_seconds'])}; {blocks}"
    said = Counter((w["severity"], w["sentence"], w["hint"]) for w in report["warnings"])
    for severity in GRAVE:
        for (own, sentence, hint), count in said.items():
            if own == severity:
                yield f"{severity}: {sentence}{f' ({count} places)' if count > 1 else ''} {hint}"


def _operation(row: dict[str, Any]) -> Iterator[str]:
    spent = ", ".join(
        f"{what} {minutes(row[key])}"
        for what, key in (("cuts", "cut_seconds"), ("ways in", "entry_seconds"), ("links", "link_seconds"))
    )
    plain = f"; plain path {minutes(row['plain_seconds'])}" if row["plain_seconds"] else ""
    yield f"{row['name']}: {minutes(row['seconds'])} ({spent}){plain}"
    if row["ideal_seconds"] <= 0.0:
        yield "  nothing is cut"
        return
    bite = row["bite"]
    yield (
        f"  bite {bite['ae']:.3g} mm, {bite['ap']:.3g} mm deep, {bite['feed']:.0f} mm/min:"
        f" {row['seconds'] / row['ideal_seconds']:.3f} of the time at full bite"
    )
    yield (
        f"  measured over the bite: most {row['max_over_target']:.3f}, 99.9 % of the cut under"
        f" {row['p999_over_target']:.3f}, {100 * row['within_share']:.0f} % of it within 0.8 to 1.1; ways in"
        f" {row['entry_over_bite']:.2f}; chips {row['chip_over_borne']:.2f} of what a tooth bears"
    )
    yield (
        f"  left over {100 * row['left_over_share']:.3f} %; planned in {row['compute_seconds']:.1f} s, proved in"
        f" {row['proof_seconds']:.1f} s"
    )


def minutes(seconds: float) -> str:
    """Minutes and seconds, as 1:05."""
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"
