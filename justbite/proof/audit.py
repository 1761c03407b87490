"""The audit of a written program: what the replay found, per operation, against the job.

The map of the stock and the walls are made from the job alone.
"""

from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from justbite.model.job import Job, Operation
from justbite.model.moves import RAPID, Moves, sweep_angles
from justbite.model.shapes import free_space, job_space, region_shape
from justbite.model.stock import extent, fill_heights, heights
from justbite.proof import replay

AIR = -1e6


@dataclass(frozen=True, slots=True)
class ProofSettings:
    """Cell, step and window as shares of R, gouge in mm, chord in mm."""

    cell: float
    step: float
    window: float
    gouge: float
    chord: float


@dataclass(frozen=True, slots=True)
class Trace:
    """What the replay saw at each step; n rows."""

    block: NDArray[np.int32]
    position: NDArray[np.float32]
    """(n, 3)"""
    length: NDArray[np.float32]
    depth: NDArray[np.float32]
    """Effective radial depth in mm, averaged over the window; 0 where nothing is cut."""
    entry: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Audit:
    """Measured figures of one operation."""

    removed: float
    cut_length: float
    most_depth: float
    depth_999: float
    depth_99: float
    most_at: tuple[float, float, float]
    within: float
    """Share of the cutting length between 0.8 and 1.1 of the target."""
    gouge: float
    gouge_at: tuple[float, float, float]
    rapid: float
    rapid_at: tuple[float, float, float]
    drop: float
    """mm: the deepest that a rapid comes down beside stock nearer than the approach gap."""
    drop_at: tuple[float, float, float]
    left_over: float
    """Share of what the cutter can reach that still stands."""
    trace: Trace


class Stock:
    """The height map, carried from operation to operation."""

    def __init__(self, job: Job, cell: float, chord: float, most_cells: float = np.inf) -> None:
        """`cell` mm, made coarser where the map would have more than `most_cells`."""
        low, high = extent(job.stock, chord)
        radius = max(t.diameter for t in job.tools) / 2
        rim = 3.5 * radius
        xs = [low[0] - rim, high[0] + rim]
        ys = [low[1] - rim, high[1] + rim]
        for region in job.regions:
            outline = np.array([p[:2] for p in region.outline])
            xs += [outline[:, 0].min() - rim, outline[:, 0].max() + rim]
            ys += [outline[:, 1].min() - rim, outline[:, 1].max() + rim]
        cell = max(cell, float(np.sqrt((max(xs) - min(xs)) * (max(ys) - min(ys)) / most_cells)))
        self.cell = cell
        self.chord = chord
        # Off the round numbers of drawings, so that edges do not fall on rows of nodes.
        self.x0, self.y0 = min(xs) + 0.377 * cell, min(ys) + 0.291 * cell
        self.nx = int((max(xs) - self.x0) / cell) + 1
        self.ny = int((max(ys) - self.y0) / cell) + 1
        self.height = np.full((self.ny, self.nx), AIR, dtype=np.float32)
        for shape, top in fill_heights(job.stock, chord):
            self.height[self.mask(shape)] = top

    def mask(self, shape: shapely.Geometry) -> NDArray[np.bool_]:
        """Nodes inside a shape."""
        mask = np.zeros((self.ny, self.nx), dtype=bool)
        if shape.is_empty:
            return mask
        x1, y1, x2, y2 = shape.bounds
        i1 = max(0, int((x1 - self.x0) / self.cell))
        i2 = min(self.nx, int((x2 - self.x0) / self.cell) + 2)
        j1 = max(0, int((y1 - self.y0) / self.cell))
        j2 = min(self.ny, int((y2 - self.y0) / self.cell) + 2)
        if i1 >= i2 or j1 >= j2:
            return mask
        for polygon in shapely.get_parts(shape):
            for ring in (polygon.exterior, *polygon.interiors):
                _toggle(mask[j1:j2, i1:i2], np.asarray(ring.coords),
                        self.x0 + i1 * self.cell, self.y0 + j1 * self.cell, self.cell)  # fmt: skip
        return mask


def _toggle(mask: NDArray[np.bool_], ring: NDArray[np.float64], x0: float, y0: float, cell: float) -> None:
    """Even-odd filling by rows: flip what lies right of each crossing."""
    rows = y0 + cell * np.arange(mask.shape[0])
    for (ax, ay), (bx, by) in zip(ring[:-1, :2], ring[1:, :2], strict=True):
        if ay == by:
            continue
        low, high = min(ay, by), max(ay, by)
        hit = np.nonzero((rows >= low) & (rows < high))[0]
        x = ax + (rows[hit] - ay) / (by - ay) * (bx - ax)
        first = np.clip(np.ceil((x - x0) / cell), 0, mask.shape[1]).astype(int)
        for j, i in zip(hit, first, strict=True):
            mask[j, i:] ^= True


def audit_operation(stock: Stock, job: Job, operation: Operation, moves: Moves, target: float,
                    ap: float, settings: ProofSettings) -> Audit:  # fmt: skip
    """Run the moves of one operation over `stock` and measure. `target` and `ap` in mm."""
    tool = job.tool(operation.tool)
    radius = tool.diameter / 2
    _open_air(stock, job, operation, radius)
    steps, rapids, drops = replay.run(
        stock.height, stock.x0, stock.y0, stock.cell, moves.start, moves.kind, moves.end,
        np.nan_to_num(moves.centre), sweep_angles(moves), radius, settings.step * radius,
        job.approach_gap,
    )  # fmt: skip
    axial = _axial(job, operation, steps, moves, ap, stock.chord, radius)
    trace = _measure(steps, moves, axial, settings.window * radius, radius)
    cutting = (trace.depth > 0.02 * target) & ~trace.entry
    depth, length = trace.depth[cutting], trace.length[cutting]
    worst = int(np.argmax(np.where(cutting, trace.depth, 0.0))) if len(trace.depth) else 0
    gouge, gouge_at = _gouge(stock, job, operation, radius, steps, settings.gouge)
    k = int(np.argmax(rapids)) if len(rapids) else 0
    d = int(np.argmax(drops)) if len(drops) else 0
    return Audit(
        removed=float(steps[:, 5].sum()),
        cut_length=float(length.sum()),
        most_depth=float(depth.max()) if len(depth) else 0.0,
        depth_999=_quantile(depth, length, 0.999),
        depth_99=_quantile(depth, length, 0.99),
        most_at=_place(trace.position[worst]) if len(trace.depth) else (0.0, 0.0, 0.0),
        within=float(length[(depth >= 0.8 * target) & (depth <= 1.1 * target)].sum() / max(length.sum(), 1e-9)),
        gouge=gouge,
        gouge_at=gouge_at,
        rapid=float(rapids[k]) if len(rapids) else 0.0,
        rapid_at=_place(moves.end[k]) if len(rapids) else (0.0, 0.0, 0.0),
        drop=float(drops[d]) if len(drops) else 0.0,
        drop_at=_place(moves.end[d]) if len(drops) else (0.0, 0.0, 0.0),
        left_over=_left_over(stock, job, operation, radius, settings),
        trace=trace,
    )  # fmt: skip


def _place(p: NDArray[np.floating]) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def _quantile(values: NDArray[np.float32], weights: NDArray[np.float32], share: float) -> float:
    """The value under which `share` of the weight (cutting length) lies."""
    if len(values) == 0:
        return 0.0
    order = np.argsort(values)
    below = np.cumsum(weights[order])
    return float(values[order][min(len(order) - 1, int(np.searchsorted(below, share * below[-1])))])


def _open_air(stock: Stock, job: Job, operation: Operation, radius: float) -> None:
    """Beyond an open edge the stock ends, or was cut before: that is what open means.

    What the job itself cuts is left to the replay. What no operation cuts, but is said to come
    before an area of this one, was there before: a drilled hole, an earlier setup's pocket.
    """
    cut = {n for o in job.operations for n in o.regions}
    for region in (job.region(n) for n in operation.regions):
        free = free_space(region, 3.4 * radius + operation.allowance.wall, stock.chord)
        own = [region_shape(job.region(n), stock.chord) for n in cut if n != region.name]
        air = stock.mask(free.difference(region_shape(region, stock.chord)).difference(shapely.union_all(own)))
        stock.height[air] = np.minimum(stock.height[air], region.bottom - 1.0)
        for before in (job.region(n) for n in region.after if n not in cut):
            gone = stock.mask(region_shape(before, stock.chord))
            stock.height[gone] = np.minimum(stock.height[gone], before.bottom)


def _axial(job: Job, operation: Operation, steps: NDArray[np.float64], moves: Moves, ap: float,
           chord: float, radius: float) -> NDArray[np.float64]:  # fmt: skip
    """Axial depth of the level that each step belongs to: from the level above, or the area's top."""
    axial = np.full(len(steps), ap)
    level = moves.z_level[steps[:, 0].astype(int)]
    for name in operation.regions:
        region = job.region(name)
        floor = region.bottom + operation.allowance.floor
        free = job_space(job, region, 3.4 * radius + operation.allowance.wall, chord)
        own = shapely.contains_xy(free, steps[:, 1], steps[:, 2])
        cut = own & (steps[:, 5] > 0) & (level >= floor - 1e-4)
        levels = np.unique(np.round(level[cut], 4))
        if len(levels):
            above = np.append(levels[1:], region.top)
            at = np.clip(np.searchsorted(levels, level[own] - 1e-3), 0, len(levels) - 1)
            axial[own] = above[at] - levels[at]
    return axial


def _measure(steps: NDArray[np.float64], moves: Moves, axial: NDArray[np.float64], window: float,
             radius: float) -> Trace:  # fmt: skip
    """Radial depth per step: volume over length and axial depth, over a window about the step."""
    block = steps[:, 0].astype(np.int32)
    length, volume = steps[:, 4], steps[:, 5]
    feed = moves.kind[block] != RAPID
    along = np.concatenate([[0.0], np.cumsum(length)])
    taken = np.concatenate([[0.0], np.cumsum(np.where(feed, volume, 0.0))])
    middle = 0.5 * (along[:-1] + along[1:])
    low, high = middle - window / 2, middle + window / 2
    depth = (np.interp(high, along, taken) - np.interp(low, along, taken)) / (window * axial)
    entry = _descents(steps[:, 3], float(moves.start[2]), moves.z_level[block]) & feed
    entry = _with_flat_turn(entry, moves.feed[block], along[1:], 6.5 * radius)
    # The window's reach on either side of an entry belongs to it.
    near = np.interp(middle, middle, entry.astype(float))
    for shift in (window / 2, -window / 2):
        near = np.maximum(near, np.interp(middle + shift, middle, entry.astype(float)))
    return Trace(
        block=block,
        position=steps[:, 1:4].astype(np.float32),
        length=length.astype(np.float32),
        depth=np.where(feed, depth, 0.0).astype(np.float32),
        entry=near > 0,
    )


def _descents(z: NDArray[np.float64], start: float, level: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Steps that belong to a way down into the material: from more than 1 mm above the level."""
    before = np.concatenate([[start], z[:-1]])
    down = z < before - 1e-9
    first = down & ~np.concatenate([[False], down[:-1]])
    run = np.cumsum(first)
    high = np.concatenate([[0.0], before[first] - level[first]])
    return np.asarray(down & (high[run] > 1.0))


def _with_flat_turn(entry: NDArray[np.bool_], feed: NDArray[np.float64], along: NDArray[np.float64],
                    most: float) -> NDArray[np.bool_]:  # fmt: skip
    """The entry goes on, level, at its own feed: at most `most` mm, or as far as it came down."""
    longer = entry.copy()
    for last in np.nonzero(entry[:-1] & ~entry[1:])[0]:
        above = np.nonzero(~entry[:last])[0]
        came = along[last] - (along[above[-1]] if len(above) else 0.0)
        k = last + 1
        while k < len(entry) and feed[k] == feed[last] and along[k] - along[last] <= max(most, came):
            longer[k] = True
            k += 1
    return longer


def _gouge(stock: Stock, job: Job, operation: Operation, radius: float, steps: NDArray[np.float64],
           least: float) -> tuple[float, tuple[float, float, float]]:  # fmt: skip
    """Deepest cut into walls, islands or floors, in mm, exact from the job's geometry; and where.

    A centre nearer to a wall than the radius and allowance is in the wall by the difference. A
    position that is in no area of the operation and takes material is in the part altogether.
    """
    wall = radius + operation.allowance.wall
    worst = np.full(len(steps), np.inf)
    below = steps[:, 3] < heights(job.stock)[1] - 1e-6
    for region in (job.region(n) for n in operation.regions):
        free = job_space(job, region, 3.4 * radius + operation.allowance.wall, stock.chord)
        own = np.nonzero(below & shapely.contains_xy(free, steps[:, 1], steps[:, 2]))[0]
        border = shapely.get_parts(shapely.get_parts(shapely.boundary(free)))
        rings = [np.asarray(g.coords) for g in border]
        pieces = np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings])
        tree = shapely.STRtree(shapely.linestrings(pieces))
        spots = shapely.points(steps[own, 1], steps[own, 2])
        pairs, distance = tree.query_nearest(spots, return_distance=True, all_matches=False)
        gap = np.zeros(len(own))
        gap[pairs[0]] = distance
        floor = region.bottom + operation.allowance.floor - steps[own, 3]
        worst[own] = np.minimum(worst[own], np.maximum(wall - gap, floor))
    outside = below & np.isinf(worst)
    worst[outside & (steps[:, 5] > 0)] = radius
    worst[np.isinf(worst)] = 0.0
    if len(worst) == 0 or worst.max() <= least:
        return 0.0, (0.0, 0.0, 0.0)
    k = int(np.argmax(worst))
    return float(worst[k]), _place(steps[k, 1:4])


def _left_over(stock: Stock, job: Job, operation: Operation, radius: float, settings: ProofSettings) -> float:
    """Share of the reachable area whose floor was not reached."""
    reachable = standing = 0
    # What lies within the path's own tolerance of a wall is not left over.
    wall = radius + operation.allowance.wall + operation.tolerance
    for name in operation.regions:
        region = job.region(name)
        free = job_space(job, region, 3.4 * radius + operation.allowance.wall, stock.chord)
        reach = free.buffer(-wall).buffer(radius).intersection(region_shape(region, stock.chord))
        inside = stock.mask(reach)
        floor = region.bottom + operation.allowance.floor + settings.gouge
        reachable += int(inside.sum())
        standing += int((stock.height[inside] > floor).sum())
    return standing / reachable if reachable else 0.0


def renumbered(moves: Moves, operation: int) -> tuple[Moves, NDArray[np.int64]]:
    """The moves of one operation, starting where the one before ended, and their rows."""
    rows = np.nonzero(moves.operation == operation)[0]
    first = int(rows[0]) if len(rows) else 0
    start = moves.end[first - 1] if first > 0 else moves.start
    return (
        replace(
            moves, start=start, kind=moves.kind[rows], end=moves.end[rows], centre=moves.centre[rows],
            feed=moves.feed[rows], part=moves.part[rows], operation=moves.operation[rows],
            z_level=moves.z_level[rows], depth=moves.depth[rows], line=moves.line[rows],
        ),
        rows,
    )  # fmt: skip
