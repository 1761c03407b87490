"""Joining loose stretches into closed chains, and nesting the chains into areas."""

from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree
from shapely.geometry import Polygon

from justbite.model.drawing import Drawing, DrawnArea, Vertices
from justbite.model.findings import Finding
from justbite.model.shapes import ring_points

Path = list[tuple[float, float, float]]
"""Vertices of an open stretch; the last bulge is not used."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """One drawing entity as vertices: closed in itself, or with two ends."""

    layer: str
    path: Path
    closed: bool


def clean(path: Path) -> Path:
    """Without vertices that repeat the one before; the later one's bulge is what goes on."""
    kept: Path = []
    for vertex in path:
        if kept and np.hypot(vertex[0] - kept[-1][0], vertex[1] - kept[-1][1]) <= 1e-9:
            kept[-1] = vertex
        else:
            kept.append(vertex)
    return kept


def drawing_of(stretches: list[Stretch], findings: list[Finding], units: str, units_known: bool,
               tolerance: float, chord: float) -> Drawing:  # fmt: skip
    """The drawing that stretches make: joined within `tolerance` mm, nested, with all findings."""
    chains, gaps, loose = join(stretches, tolerance)
    areas, bad = nest(chains, chord)
    # Arcs reach beyond their ends.
    points = np.vstack([q for s in stretches for q in _flattened(s, chord)])
    low, high = points.min(axis=0), points.max(axis=0)
    bounds = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
    return Drawing(tuple(areas), (*gaps, *bad, *findings), units, units_known, bounds, tuple(loose))


def _flattened(stretch: Stretch, chord: float) -> list[np.ndarray]:
    edges = ring_points(list(stretch.path), chord)
    return edges if stretch.closed else [*edges[:-1], np.array([stretch.path[-1][:2]])]


def reversed_path(path: Path) -> Path:
    """The same stretch the other way round: order turned, bulges shifted and negated."""
    bulges = [*(-p[2] for p in path[-2::-1]), 0.0]
    return [(x, y, b) for (x, y, _), b in zip(path[::-1], bulges, strict=True)]


def join(stretches: list[Stretch], tolerance: float) -> tuple[list[tuple[str, Path]], list[Finding], list[Vertices]]:
    """Closed chains (layer, vertices) of all stretches, layer by layer; what stays open, said and as vertices."""
    chains: list[tuple[str, Path]] = []
    findings: list[Finding] = []
    loose: list[Vertices] = []
    by_layer: dict[str, list[Path]] = defaultdict(list)
    for stretch in stretches:
        ends_meet = np.hypot(*(np.array(stretch.path[0][:2]) - stretch.path[-1][:2])) <= tolerance
        if stretch.closed:
            chains.append((stretch.layer, stretch.path))
        elif ends_meet and len(stretch.path) > 2:
            chains.append((stretch.layer, stretch.path[:-1]))
        elif not ends_meet:
            by_layer[stretch.layer].append(stretch.path)
    for layer, paths in by_layer.items():
        closed, still_open = _join_layer(paths, tolerance)
        chains += [(layer, c) for c in closed]
        findings += _open_findings(layer, still_open)
        loose += [tuple(c) for c in still_open]
    return chains, findings, loose


def _join_layer(paths: list[Path], tolerance: float) -> tuple[list[Path], list[Path]]:
    """Walk from stretch to stretch where exactly one other goes on; closed chains, open ones."""
    ends = np.array([p[k][:2] for p in paths for k in (0, -1)])
    node = _cluster(ends, tolerance)
    seen: set[tuple[object, ...]] = set()
    at_node: dict[int, list[int]] = defaultdict(list)
    for i, path in enumerate(paths):
        key = _twin_key(path, int(node[2 * i]), int(node[2 * i + 1]), tolerance)
        if key in seen:
            continue
        seen.add(key)
        at_node[int(node[2 * i])].append(2 * i)
        at_node[int(node[2 * i + 1])].append(2 * i + 1)
    unused = {e // 2 for es in at_node.values() for e in es}
    closed: list[Path] = []
    loose: list[Path] = []
    # From ends that cannot go on or that branch first, then the rings that are left.
    order = sorted(unused, key=lambda i: min(len(at_node[int(node[2 * i + k])]) == 2 for k in (0, 1)))
    for first in order:
        if first not in unused:
            continue
        start = 2 * first
        if len(at_node[int(node[start])]) == 2 and len(at_node[int(node[start + 1])]) != 2:
            start += 1
        chain: Path = []
        end = start
        home = int(node[start])
        while True:
            i = end // 2
            unused.discard(i)
            piece = paths[i] if end % 2 == 0 else reversed_path(paths[i])
            chain = [*chain[:-1], *piece]
            there = int(node[end ^ 1])
            if there == home:
                closed.append(chain[:-1])
                break
            going_on = [e for e in at_node[there] if e // 2 in unused]
            if len(going_on) != 1:
                loose.append(chain)
                break
            end = going_on[0]
    return closed, loose


def _cluster(points: np.ndarray, tolerance: float) -> np.ndarray:
    """Group number of each point; points within `tolerance` share one."""
    group = np.arange(len(points))
    for a, b in cKDTree(points).query_pairs(tolerance):
        ga, gb = group[a], group[b]
        if ga != gb:
            group[group == gb] = ga
    return group


def _twin_key(path: Path, a: int, b: int, tolerance: float) -> tuple[object, ...]:
    """Equal for a stretch that was drawn twice, either way round."""
    middle = np.mean([p[:2] for p in path], axis=0)
    bulge = sum(p[2] for p in path[:-1])
    turn = bulge if a < b else -bulge
    grid = 4 * tolerance
    return (min(a, b), max(a, b), round(middle[0] / grid), round(middle[1] / grid), round(turn, 3))


def _open_findings(layer: str, chains: list[Path]) -> list[Finding]:
    """One finding per open chain: where its gap is, and how wide."""
    ends = np.array([c[k][:2] for c in chains for k in (0, -1)])
    found = []
    for i in range(len(chains)):
        best: tuple[float, int, int] = (np.inf, 2 * i, 2 * i + 1)
        for mine in (2 * i, 2 * i + 1):
            for other in range(len(ends)):
                if other != mine:
                    gap = float(np.hypot(*(ends[mine] - ends[other])))
                    if gap < best[0]:
                        best = (gap, mine, other)
        gap, mine, other = best
        x, y = (ends[mine] + ends[other]) / 2
        found.append(
            Finding(
                "part.open-chain",
                f'An outline on layer "{layer}" is open: a gap of {gap:.3f} mm at X {x:.2f} Y {y:.2f}.',
                x=float(x), y=float(y), size=gap,
            )
        )  # fmt: skip
    return found


def nest(chains: list[tuple[str, Path]], chord: float) -> tuple[list[DrawnArea], list[Finding]]:
    """Areas and islands, layer by layer: what lies in an odd number of outlines is an island."""
    findings: list[Finding] = []
    sound: list[tuple[str, Path, Polygon]] = []
    for layer, path in chains:
        points = np.vstack(ring_points(list(path), chord))
        polygon = Polygon(points) if len(points) >= 3 else Polygon()
        if not polygon.is_valid or polygon.area < 1e-6:
            x, y = points.mean(axis=0)
            findings.append(
                Finding(
                    "part.self-crossing",
                    f'An outline on layer "{layer}" near X {x:.2f} Y {y:.2f} crosses itself or encloses nothing.',
                    x=float(x), y=float(y),
                )
            )  # fmt: skip
            continue
        sound.append((layer, path, polygon))
    areas = []
    for layer in dict.fromkeys(layer for layer, _, _ in sound):
        own = [(p, g) for at, p, g in sound if at == layer]
        inside = [
            [
                j
                for j, (_, g) in enumerate(own)
                if j != i and g.area > mine.area and g.contains(mine.representative_point())
            ]
            for i, (_, mine) in enumerate(own)
        ]
        for i, (path, polygon) in enumerate(own):
            if len(inside[i]) % 2:
                continue
            children = [k for k in range(len(own)) if i in inside[k] and len(inside[k]) == len(inside[i]) + 1]
            islands: tuple[Vertices, ...] = tuple(tuple(own[k][0]) for k in children)
            left = polygon.area - sum(own[k][1].area for k in children)
            areas.append(DrawnArea("", layer, tuple(path), islands, float(left)))
    areas.sort(key=lambda a: -a.area)
    return [_named(a, n) for n, a in enumerate(areas, 1)], findings


def _named(area: DrawnArea, number: int) -> DrawnArea:
    layer = "" if area.layer in ("", "0") else f"{area.layer.lower()} "
    return DrawnArea(f"{layer}{number}", area.layer, area.outline, area.islands, area.area)
