"""Quantities as people write them: sums, fractions and units, read and shown.

Grammar: a sum of products of numbers, each with an optional unit (`1/8in + 0.4`, `20 thou`,
`(3 + 1/2) * 2`). A bare number in a sum has the field's own unit. Never guesses: a text that
does not parse is refused with a sentence. Factors: 1 in = 25.4 mm exactly (ISO 31-1).
"""

import re
from dataclasses import dataclass

from justbite.errors import InputError

LENGTHS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, '"': 25.4, "inch": 25.4, "thou": 0.0254,
           "mil": 0.0254, "um": 0.001, "µm": 0.001}  # fmt: skip
FEEDS = {"mm/min": 1.0, "m/min": 1000.0, "in/min": 25.4, "mm/s": 60.0}
SPEEDS = {"rpm": 1.0, "1/min": 1.0}
ANGLES = {"deg": 1.0, "°": 1.0}
SHARES = {"%": 1.0}
KINDS = {"length": LENGTHS, "feed": FEEDS, "speed": SPEEDS, "angle": ANGLES, "share": SHARES}
SHOWN = {"length": ("mm", "in"), "feed": ("mm/min", "in/min"), "speed": ("rpm", "rpm"),
         "angle": ("°", "°"), "share": ("%", "%")}  # fmt: skip
_TOKEN = re.compile(r"\s*(?:(\d+(?:[.,]\d+)?|[.,]\d+)|([a-zµ°\"%]+(?:/(?:min|s))?|1/min)|([-+*/()]))")


@dataclass(frozen=True, slots=True)
class Quantity:
    """A value in the kind's base unit (mm, mm/min, rpm, degrees, per cent) and its two showings."""

    value: float
    metric: str
    inch: str


@dataclass
class _Value:
    number: float
    has_unit: bool


class _Reader:
    """Recursive descent over the tokens of one text."""

    def __init__(self, text: str, kind: str, bare: float) -> None:
        self.text, self.units, self.bare = text, KINDS[kind], bare
        self.tokens: list[tuple[str, str]] = []
        at = 0
        while at < len(text.rstrip()):
            found = _TOKEN.match(text, at)
            if not found:
                raise self.fault(f'"{text[at:].strip()}" is not understood')
            number, unit, sign = found.groups()
            self.tokens.append(("number", number) if number else ("unit", unit) if unit else ("sign", sign))
            at = found.end()
        self.at = 0

    def fault(self, why: str) -> InputError:
        known = ", ".join(self.units)
        return InputError(f'"{self.text}" is not a value: {why}.', f"Units here: {known}.")

    def peek(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self) -> tuple[str, str]:
        token = self.peek()
        self.at += 1
        return token

    def whole(self) -> float:
        value = self.sum()
        if self.peek()[0] != "end":
            raise self.fault(f'"{self.peek()[1]}" comes unexpectedly')
        return self.based(value)

    def based(self, value: _Value) -> float:
        return value.number if value.has_unit else value.number * self.bare

    def sum(self) -> _Value:
        total = self.product()
        while self.peek() in (("sign", "+"), ("sign", "-")):
            sign = 1.0 if self.take()[1] == "+" else -1.0
            total = _Value(self.based(total) + sign * self.based(self.product()), True)
        return total

    def product(self) -> _Value:
        left = self.factor()
        while self.peek() in (("sign", "*"), ("sign", "/")):
            divide = self.take()[1] == "/"
            right = self.factor()
            if left.has_unit and right.has_unit and not divide:
                raise self.fault("two lengths cannot be multiplied")
            if divide and right.number == 0:
                raise self.fault("it divides by zero")
            if divide and right.has_unit and not left.has_unit:
                # A fraction with its unit behind it: 1/8in.
                left = _Value(left.number / (right.number / self.last_unit) * self.last_unit, True)
            elif divide:
                left = _Value(left.number / right.number, left.has_unit and not right.has_unit)
            else:
                left = _Value(left.number * right.number, left.has_unit or right.has_unit)
        return left

    def factor(self) -> _Value:
        kind, text = self.take()
        if (kind, text) == ("sign", "-"):
            inner = self.factor()
            return _Value(-inner.number, inner.has_unit)
        if (kind, text) == ("sign", "("):
            value = self.sum()
            if self.take() != ("sign", ")"):
                raise self.fault("a bracket is not closed")
        elif kind == "number":
            value = _Value(float(text.replace(",", ".")), False)
        else:
            raise self.fault(f'a number is missing before "{text}"' if text else "a number is missing at the end")
        if self.peek()[0] == "unit":
            unit = self.take()[1]
            if unit not in self.units:
                raise self.fault(f'the unit "{unit}" does not fit here')
            self.last_unit = self.units[unit]
            value = _Value(value.number * self.last_unit, True)
        return value


def read_quantity(text: str, kind: str, units: str = "mm") -> Quantity:
    """Read a text as a quantity of a kind (see KINDS); bare numbers are in `units` ("mm", "in").

    Raises InputError with a sentence.
    """
    if kind not in KINDS:
        raise InputError(f'"{kind}" is not a kind of quantity.')
    bare = 25.4 if units == "in" and kind in ("length", "feed") else 1.0
    if not text.strip():
        raise InputError("A value is missing.", "Type a number.")
    value = _Reader(text.lower(), kind, bare).whole()
    return Quantity(value, *show_quantity(value, kind))


def show_quantity(value: float, kind: str) -> tuple[str, str]:
    """A base value as text in metric and in inch units."""
    metric, inch = SHOWN[kind]
    digits = 3 if kind == "length" else 1
    other = value / 25.4 if kind in ("length", "feed") else value
    return f"{_short(value, digits)} {metric}", f"{_short(other, digits + 1)} {inch}"


def _short(value: float, digits: int) -> str:
    text = f"{value:.{digits}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
