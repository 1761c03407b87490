"""Cutters as CSV or JSON with the property codes of ISO 13399: in and out.

DC cutting diameter, APMX depth of cut maximum, LPR protruding length, ZEFP peripheral effective
edges, FHA flute helix angle, RE corner radius, GAMF radial rake angle, SIG point angle, BMC body
material code. Lengths in mm, angles in degrees. `NAME` and `KIND` are words, not codes.
"""

import csv
import io
import json
from typing import Any

from pydantic import ValidationError

from justbite.errors import InputError
from justbite.model.job import Tool

CODES = {
    "DC": "diameter", "APMX": "flute_length", "LPR": "stickout", "ZEFP": "flutes", "FHA": "helix_angle",
    "RE": "corner_radius", "GAMF": "rake_angle", "SIG": "point_angle", "BMC": "substrate", "NAME": "name",
    "KIND": "kind",
}  # fmt: skip
NEEDED = ("DC", "APMX", "LPR", "ZEFP")
MOST_ROWS = 5000


class ExchangeError(InputError):
    """A list of cutters that cannot be taken; `faults` names each row."""

    def __init__(self, faults: tuple[str, ...]) -> None:
        super().__init__(faults[0])
        self.args = (faults,)
        self.all = faults

    @property
    def faults(self) -> list[str]:
        return list(self.all)


def to_rows(tools: list[Tool]) -> list[dict[str, Any]]:
    """Each cutter under its codes; what it has not is left out."""
    return [{c: v for c, k in CODES.items() if (v := getattr(t, k)) not in (None, "")} for t in tools]


def to_csv(tools: list[Tool]) -> str:
    out = io.StringIO()
    writer = csv.DictWriter(out, list(CODES), restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(to_rows(tools))
    return out.getvalue()


def to_json(tools: list[Tool]) -> str:
    return json.dumps({"standard": "ISO 13399", "units": "mm", "tools": to_rows(tools)}, indent=1)


def read_tools(data: bytes) -> list[Tool]:
    """The cutters of a CSV or JSON list. Raises ExchangeError; then none is taken."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ExchangeError(("The file is not text in UTF-8. Save it again as CSV or JSON.",)) from None
    if not text.strip():
        raise ExchangeError(("The file lists no cutters.",))
    rows = _json_rows(text) if text.lstrip()[:1] in ("{", "[") else _csv_rows(text)
    if not rows:
        raise ExchangeError(("The file lists no cutters.",))
    if len(rows) > MOST_ROWS:
        raise ExchangeError((f"The file lists {len(rows)} cutters; up to {MOST_ROWS} are taken at once.",))
    tools: list[Tool] = []
    faults: list[str] = []
    for number, row in enumerate(rows, 1):
        try:
            tools.append(_tool(row, number))
        except ExchangeError as error:
            faults += error.faults
    if faults:
        raise ExchangeError(tuple(faults))
    return tools


def _json_rows(text: str) -> list[Any]:
    try:
        plain = json.loads(text)
    except ValueError as error:
        raise ExchangeError((f"The file is not JSON: {error}.",)) from None
    rows = plain.get("tools") if isinstance(plain, dict) else plain
    if not isinstance(rows, list) or not all(isinstance(r, dict) for r in rows):
        raise ExchangeError(('The file has no list of cutters under "tools".',))
    return rows


def _csv_rows(text: str) -> list[dict[str, Any]]:
    separator = ";" if text.split("\n", 1)[0].count(";") > text.split("\n", 1)[0].count(",") else ","
    reader = csv.DictReader(io.StringIO(text), delimiter=separator)
    missing = [c for c in NEEDED if c not in (reader.fieldnames or [])]
    if missing:
        raise ExchangeError((f"The first line lacks the column {missing[0]}; needed are {', '.join(NEEDED)}.",))
    comma = separator == ";"
    return [
        {k: (v.replace(",", ".") if comma and k != "NAME" else v) for k, v in row.items() if k and v} for row in reader
    ]


def _tool(row: dict[str, Any], number: int) -> Tool:
    where = f"Cutter {number}{' (' + str(row['NAME']) + ')' if row.get('NAME') else ''}"
    missing = [c for c in NEEDED if row.get(c) in (None, "")]
    if missing:
        raise ExchangeError((f"{where}: {missing[0]} is missing.",))
    try:
        return Tool.model_validate(
            {"number": 1, **{k: row[c] for c, k in CODES.items() if row.get(c) not in (None, "")}}
        )
    except ValidationError as error:
        code = {k: c for c, k in CODES.items()}
        said = tuple(
            f"{where}: {code.get(str(e['loc'][0]), e['loc'][0]) if e['loc'] else 'the cutter'}"
            f" will not do, {e['msg'].removeprefix('Value error, ').lower()}."
            for e in error.errors()
        )
        raise ExchangeError(said) from None


def nearest_material(group: str, hardness: float | None, materials: dict[str, Any]) -> str | None:
    """The id of the material of the same group whose hardness is nearest; None when the group is not there."""
    same = {k: m for k, m in materials.items() if m.group == group}
    if not same:
        return None
    if hardness is None:
        return next(iter(same))
    return min(same, key=lambda k: abs((same[k].hardness or 1e9) - hardness))
