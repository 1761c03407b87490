"""A part that changed: which areas of a job are as they were, moved, vanished, and what is new."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from shapely.geometry import Polygon

from justbite.model.feature import Feature
from justbite.model.findings import Finding
from justbite.model.job import Region
from justbite.model.shapes import ring_points

SAME = 0.01
"""mm: how far an outline may be off and still be the same."""
LIKE = 0.4
"""Share of the common area from which an outline is taken for the same place, changed."""


@dataclass(frozen=True, slots=True)
class Change:
    """What became of one area, or a new feature."""

    what: Literal["same", "moved", "vanished", "new"]
    region: str | None
    feature: Feature | None
    finding: Finding | None


def compare(regions: list[Region], features: list[Feature]) -> list[Change]:
    """One change for each region made from a feature, then one for each feature that none matches."""
    shapes = [_shape(f.outline) for f in features]
    left = set(range(len(features)))
    changes: list[Change] = []
    own = [r for r in regions if r.feature is not None]
    for region in own:
        shape = _shape(tuple((*p, 0.0) if len(p) == 2 else p for p in region.outline))  # type: ignore[misc]
        best = max(left, key=lambda k: _likeness(shape, region, shapes[k], features[k]), default=None)
        if best is None or _likeness(shape, region, shapes[best], features[best]) < LIKE:
            said = f'Area "{region.name}" is no longer on the part; it was kept as it was.'
            spot = shape.representative_point()
            changes.append(
                Change("vanished", region.name, None,
                       Finding("area.vanished", said, area=region.name, x=spot.x, y=spot.y, z=region.bottom))
            )  # fmt: skip
            continue
        left.discard(best)
        changes.append(_change(region, shape, features[best], shapes[best]))
    accepted = {str(r.feature.get("key")) for r in own if r.feature}
    refused = {str(k) for r in own if r.feature for k in r.feature.get("refused", [])}
    for k in sorted(left):
        f = features[k]
        if f.key not in accepted | refused:
            spot = shapes[k].representative_point()
            said = f"A {f.kind} of {f.area:.0f} mm², {f.depth:.4g} mm deep, is on the part and not in the job."
            changes.append(Change("new", None, f, Finding("area.new", said, x=spot.x, y=spot.y, z=f.bottom)))
    return changes


def _change(region: Region, shape: Polygon, feature: Feature, new: Polygon) -> Change:
    off = float(shapely.hausdorff_distance(shape.exterior, new.exterior, densify=0.1))
    deeper = region.bottom - feature.bottom
    islands = len(region.islands) != len(feature.islands)
    if off <= SAME and abs(deeper) <= SAME and abs(region.top - feature.top) <= SAME and not islands:
        return Change("same", region.name, feature, None)
    said = []
    if off > SAME:
        said.append(f"its outline is up to {off:.2f} mm off")
    if abs(deeper) > SAME:
        said.append(f"its floor is {abs(deeper):.2f} mm {'deeper' if deeper > 0 else 'higher'}")
    if abs(region.top - feature.top) > SAME:
        said.append(f"its top is now at Z {feature.top:.2f}")
    if islands:
        said.append(f"it has {len(feature.islands)} islands instead of {len(region.islands)}")
    spot = new.representative_point()
    sentence = f'Area "{region.name}" changed: {", ".join(said)}.'
    finding = Finding("area.moved", sentence, area=region.name, x=spot.x, y=spot.y, z=feature.bottom)
    return Change("moved", region.name, feature, finding)


def _shape(ring: tuple[tuple[float, ...], ...]) -> Polygon:
    return Polygon(np.vstack(ring_points(list(ring), 0.005)))


def _likeness(shape: Polygon, region: Region, new: Polygon, feature: Feature) -> float:
    """Common share of two outlines, less for another kind or depth."""
    whole = shape.union(new).area
    if whole <= 0:
        return 0.0
    common = shape.intersection(new).area / whole
    kind = region.feature.get("kind") if region.feature else None
    depth = abs(region.bottom - feature.bottom) / max(1.0, region.top - region.bottom)
    return float(common - (0.1 if kind != feature.kind else 0.0) - 0.05 * min(1.0, depth))
