"""Recommended values of a cutter for a material in place of the catalogue's figures.

A recommended feed per tooth is meant for one radial depth; what carries over to other depths is the
mean chip it makes there (chip thinning, see engagement).
"""

from justbite.bite import engagement
from justbite.model.job import CutValues, Material, Tool


def preferred(tool: Tool, material: Material, material_id: str = "") -> tuple[Material, str]:
    """The material with the speed, chip and ramp angle recommended for `tool`, and who says so.

    The very material counts before its group; with none, the material itself and "catalogue".
    """
    names = {material.name.casefold(), material_id.casefold()} - {""}
    fits = [v for v in tool.values if v.material.casefold() in names]
    fits += [v for v in tool.values if v.material == material.group]
    if not fits:
        return material, "catalogue"
    return _with(tool, material, fits[0]), fits[0].source or "values entered for this cutter"


def _with(tool: Tool, material: Material, values: CutValues) -> Material:
    phi = engagement.angle_of(values.at_share * tool.diameter, tool.diameter)
    mean = engagement.mean_chip(values.feed_per_tooth, phi)
    most = engagement.most_chip(values.feed_per_tooth, phi)
    return material.model_copy(
        update={
            "cutting_speed": values.cutting_speed,
            "chip_share": mean / tool.diameter,
            # What is recommended is borne; a chip that the catalogue allows stays allowed.
            "most_chip_share": max(material.most_chip_share, most / tool.diameter),
            "ramp_angle": values.ramp_angle or material.ramp_angle,
        }
    )
