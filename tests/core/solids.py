"""Solids read back through STEP or STL and laid in stock."""

from typing import Any

from justbite.layout import Layout, lay_out
from justbite.model.part import Part
from justbite.model.placing import Margins, Placing
from justbite.part.read import read_part
from justbite.solids import step_of, stl_of


def laid(shape: Any, margin: float = 0.0, stl: bool = False, stock_above: float = 0.0) -> Layout:
    """The shape read from a file and laid in stock that is larger by `margin` mm all round."""
    return read_and_laid(shape, margin, stl, stock_above)[1]


def read_and_laid(shape: Any, margin: float = 0.0, stl: bool = False, stock_above: float = 0.0
                  ) -> tuple[Part, Layout]:  # fmt: skip
    """The same, with the part that was read."""
    data, name = (stl_of(shape), "solid.stl") if stl else (step_of(shape), "solid.step")
    part = read_part(data, name, "mm" if stl else None, 0.02, 0.002)
    stock = Margins(x=(margin, margin), y=(margin, margin), z=(0.0, stock_above))
    assert isinstance(part, Part)
    return part, lay_out(part, Placing(stock=stock))
