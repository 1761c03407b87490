"""One level of one area in the plane: entries, cuts and links for each part of the locus."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from justbite.field.aside import bands, copied, let_go
from justbite.field.grid import Field
from justbite.field.nodes import Nodes
from justbite.model.borders import grown
from justbite.model.findings import Finding
from justbite.path.area import Area, comes_in, parts_of, reached
from justbite.path.arms import along_arm
from justbite.path.clearing import Clearing
from justbite.path.cores import cores
from justbite.path.descent import stations
from justbite.path.entry import Entry, Wish, is_narrow
from justbite.path.films import along_films, films_left, from_above
from justbite.path.fronts import Piece, Points
from justbite.path.ground import Ground, ground_of
from justbite.path.links import Speeds
from justbite.path.loss import Pace
from justbite.path.narrow import Middle, along_walls
from justbite.path.opening import find_openings, middle_lines
from justbite.path.plane import Plane
from justbite.path.remaining import next_entry
from justbite.path.swept import swept_by
from justbite.path.tight import tight_places

MOST_ENTRIES = 64
SPEEDS = Speeds()


@dataclass(frozen=True, slots=True)
class PartPath:
    """What is done in one part: how it is entered, and the pieces in order."""

    entry: Entry
    pieces: tuple[Piece, ...]


@dataclass(frozen=True, slots=True)
class PartPlan:
    """How one part of the locus is cleared."""

    paths: tuple[PartPath, ...]
    findings: tuple[Finding, ...]
    cleared: float
    """mm2 of the plane that is clear at the end."""
    stands: float
    """mm2 of what the cutter can take that stand at the end, films along walls aside, ..."""
    reach: float
    """... of so many."""
    swept: BaseGeometry
    """What is clear at the end, seen from above; empty unless asked for."""
    way: Entry | None = None
    """The way in, of those that were worth planning, that it was made from."""
    beside: Entry | None = None
    """Where that is a ramp, the way in from outside that was planned too, ..."""
    slower: float = 0.0
    """... and by how many seconds a level it is slower."""
    films: float = 0.0
    """mm2 that stand as films along walls, beyond the path's tolerance."""

    @property
    def left(self) -> float:
        """What stands at the end that the cutter can take, over all that is clear, though little may have stood."""
        return (self.stands + self.films) / max(self.cleared, 1e-9)


def ways_into(area: Area, clearance: float, wish: Wish | None, target: float,
              pace: Pace | None = None) -> list[tuple[Area, Polygon, list[Entry]]]:  # fmt: skip
    """For each part of the locus the area as its plans find it, the part, and the ways in that are worth planning.

    The most promising first; none where none fits. `pace`: what ways cost besides cutting, where long ramps are to
    be weighed.
    """
    own = [(area.of_part(part), part) for part in parts_of(area)]
    return [(a, part, find_openings(a, part, clearance, wish, target, pace)) for a, part in own]


def plan_part(area: Area, part: Polygon, entry: Entry | None, target: float, operation: str,
              tick: Callable[[float], None], wish: Wish | None = None, conventional: float = 0.0,
              ground: Ground | None = None, speeds: Speeds = SPEEDS, outlined: bool = False) -> PartPlan:  # fmt: skip
    """Paths that clear one part of the locus at one level with radial depth `target`, entered by `entry`.

    `conventional`: radial depth of cuts in the other direction over the target; 0 where there are to be none.
    `ground`: from `ground_of`, where several plans share it. `speeds`: what links are shaped for. `outlined`: tell
    what is clear at the end.

    `tick` is called with the share of the part done, 0 to 1, and may raise to stop.
    """
    if area.holes and (entry is None or entry.hole is None):
        area, ground = area.solid(), None
    paths: list[PartPath] = []
    findings: list[Finding] = []
    own = ground is None
    ground = ground or ground_of(area, part, target)
    plane = Plane(
        ground.grid, ground.cleared if own else copied(ground.cleared), ground.room, area.radius, ground.least, target,
        conventional, speeds, area.has_air,
    )  # fmt: skip
    # Loops take several times as long in a narrow slot as ramps, which leave only thin walls beside them.
    narrow = is_narrow(part, area.radius) and not (entry is not None and entry.by_passes)
    work = Clearing(plane, ground.rims, ground.corners, () if narrow else tight_places(part, area.radius))

    def share(removed: float) -> None:
        let_go()
        tick(min(0.999, removed / ground.whole))

    if entry is None:
        findings.append(_no_entry(area, part, operation))
    elif wish is not None:
        findings += _wish_findings(area, part, (*entry.before, entry)[0], wish, operation)
    way, tried = entry, list[BaseGeometry]()
    for _ in range(MOST_ENTRIES):
        if entry is None:
            break
        if entry.kind == "ramp" and narrow:
            entry = _ramp_through(work, area, part, entry, wish, share, paths, ground.reach, tried)
            continue
        paths += _ramps_before(work, area, entry)
        if entry.before and entry.along:
            # From outside passes would loop in a groove: it is gone along first, from where the last ramp ends.
            paths[-1] = _gone_along(work, area, entry.before, paths[-1].entry, share)
        paths.append(_clear_from(work, area, part, entry, share, narrow))
        if narrow and entry.before and not entry.along and not paths[-1].pieces:
            # No pass got hold of anything: films along the walls are taken from where the last ramp ends.
            paths[-2:] = [_gone_along(work, area, entry.before, paths[-2].entry, share), paths[-1]]
        # A neck may have stopped it: what is left behind one gets an entry of its own.
        entry = next_entry(work, area, part, ground.reach, wish, tried, narrow)
        if entry is None and any(place.stands(plane) for place in work.tight):
            # No ramp leads into it.
            work.tight = ()
            paths[-1] = _gone_on(work, paths[-1], share)
            entry = next_entry(work, area, part, ground.reach, wish, tried, narrow)
    if paths:
        paths[-1:] = _with_films(work, area, part, paths, share)
        paths[-1] = _with_cores(work, area, paths, share)
    # Where the cutter came down in the clear for nothing it need not come down.
    paths = [path for path in paths if path.pieces or path.entry.kind != "outside" or path.entry.hole] or paths
    # Once for each, however many parts there are.
    for path in paths:
        if path.entry.kind == "ramp" and not path.entry.chosen and (wish is None or wish.kind != "ramp"):
            findings.append(_ramp_finding(area, path.entry, operation))
    clear, stands = _counted(work.plane.cleared, ground.takes)
    swept: BaseGeometry = Polygon()
    if outlined and paths:
        ways = _cut_along(paths)
        swept = swept_by(
            work.plane.cleared, ground.grid, area.material, reached(area), area.radius, ways, area.unseen
        )  # fmt: skip
    films, node = films_left(work, area), ground.grid.cell**2
    return PartPlan(
        tuple(paths), tuple(findings), clear * node, stands * node, ground.takes.count * node, swept, way, films=films
    )


def _counted(cleared: Field, takes: Nodes) -> tuple[int, int]:
    """How many nodes are clear, and how many of some stand."""
    clear, stands = 0, 0
    for band in bands(len(cleared)):
        gone = cleared[band] < 0.0
        clear += int(np.count_nonzero(gone))
        stands += int(np.count_nonzero(takes.rows(band) & ~gone))
    return clear, stands


def reach_findings(area: Area, operation: str, in_one: bool = False) -> list[Finding]:
    """Where the cutter is too wide; `in_one`: all such places in one sentence, at the widest."""
    if not comes_in(area):
        spot = area.shape.representative_point()
        width = 2.0 * area.shape.boundary.distance(spot)
        return [
            Finding(
                "area.no-entry",
                f'Area "{area.name}" is too narrow for the {2 * area.radius:g} mm cutter and is not cut.',
                operation, area.name, spot.x, spot.y, size=width,
            )
        ]  # fmt: skip
    places = [(x, y, size, f"a place {size:.2f} mm wide") for x, y, size in area.unreached]
    if in_one and len(places) > 1:
        x, y, size, _ = max(places, key=lambda p: p[2])
        places = [(x, y, size, f"{len(places)} places up to {size:.2f} mm wide")]
    return [
        Finding(
            "area.unreached", f'The {2 * area.radius:g} mm cutter does not reach {said} in "{area.name}".',
            operation, area.name, x, y, size=size,
        )
        for x, y, size, said in places
    ]  # fmt: skip


def _ramps_before(work: Clearing, area: Area, entry: Entry) -> list[PartPath]:
    """The ramps that are made before a way in, with nothing cut from them."""
    return [PartPath(_made(work, area, before), ()) for before in entry.before]


def _made(work: Clearing, area: Area, entry: Entry) -> Entry:
    """A way in that is made now: what stands before it is told, and what it takes is gone.

    What stands below a drilled hole is gone from the fields from the beginning, but not on a ramp's way.
    """
    if entry.kind == "ramp" and all(hole.bottom == -np.inf for hole in area.holes):
        entry = replace(entry, stands=work.plane.standing_before(stations(entry.points, work.plane.radius)[1]))
    work.stamp_path(entry.points)
    return entry


def _gone_along(work: Clearing, area: Area, ramps: tuple[Entry, ...], last: Entry,
                share: Callable[[float], None]) -> PartPath:  # fmt: skip
    """The last of some ramps as it is made, and along the walls beside all of them from where it ends."""
    work.pieces = []
    x, y = (float(v) for v in ramps[-1].points[-1])
    along_walls(work, x, y, Middle.of(ramps, area.radius), share)
    return PartPath(last, tuple(work.pieces))


def _ramp_through(work: Clearing, area: Area, part: Polygon, entry: Entry, wish: Wish | None,
                  share: Callable[[float], None], paths: list[PartPath],
                  reach: Nodes, tried: list[BaseGeometry]) -> Entry | None:  # fmt: skip
    """A ramp along a narrow slot, then to and fro along its walls. Returns the next way in, None when all is done.

    Only after the last ramp through it, what such a ramp does not take is looked for.
    """
    work.pieces = []
    paths += _ramps_before(work, area, entry)
    entry = _made(work, area, entry)
    middle = Middle.of((entry, *entry.before), area.radius)
    x, y = (float(v) for v in entry.points[-1])
    if entry.along:
        x, y = along_walls(work, x, y, middle, share, at_last=False)
    if not work.pieces:
        x, y = work.to_and_fro(x, y, entry.heading or 0.0, middle.film(), share)
    if entry.along:
        work.run(x, y, None, share)
        x, y = work.here() if work.pieces else (x, y)
    x, y = along_walls(work, x, y, middle, share)
    after = next_entry(work, area, part, reach, wish, tried, narrow=True, arms=False)
    if after is None or after.kind != "ramp":
        work.run(x, y, None, share)
        after = next_entry(work, area, part, reach, wish, tried, narrow=True)
    paths.append(PartPath(entry, tuple(work.pieces)))
    return after


def _clear_from(work: Clearing, area: Area, part: Polygon, entry: Entry, share: Callable[[float], None],
                narrow: bool) -> PartPath:  # fmt: skip
    """Enter and clear all that can be reached from there; `narrow`: along the walls beside the ramps before it."""
    work.pieces = []
    if entry.kind != "outside":
        entry = _made(work, area, entry)
    if entry.kind == "ramp" and not entry.chosen and entry.open_ends == (True, False):
        end = along_arm(work, entry.points, share)
        if end is not None:
            work.run(*end, None, share)
            return PartPath(entry, tuple(work.pieces))
    x, y = (float(v) for v in entry.points[-1])
    if entry.kind == "ramp" and not entry.chosen and all(entry.open_ends) and entry.along:
        # Between two rooms that are clear the same holds as in an arm.
        x, y = along_walls(work, x, y, Middle.of((entry,), area.radius), share, at_last=False)
    # Through a slot that an earlier cutter went along, so does this one.
    by_walls = entry.kind == "outside" and entry.along and not entry.before
    lines = middle_lines(part, area.radius) if by_walls else ()
    middle = Middle(lines, area.radius) if lines else None
    if middle is not None:
        x, y = along_walls(work, x, y, middle, share, at_last=False)
    other_end = None
    if entry.kind == "ramp" and not entry.before and not np.allclose(entry.points[0], entry.points[-1]):
        way = entry.points[1] - entry.points[0]
        other_end = (float(entry.points[0, 0]), float(entry.points[0, 1]), float(np.arctan2(way[1], way[0])))
    work.run(x, y, entry.heading, share, other_end)
    if narrow and entry.before and work.pieces:
        along_walls(work, *work.here(), Middle.of(entry.before, area.radius), share)
    elif middle is not None:
        along_walls(work, *(work.here() if work.pieces else (x, y)), middle, share)
    return PartPath(entry, tuple(work.pieces))


def _gone_on(work: Clearing, path: PartPath, share: Callable[[float], None]) -> PartPath:
    """A path, and passes from where it ends."""
    work.pieces = list(path.pieces)
    x, y = work.here() if work.pieces else (float(v) for v in path.entry.points[-1])
    work.run(x, y, None, share)
    return replace(path, pieces=tuple(work.pieces))


def _with_films(work: Clearing, area: Area, part: Polygon, paths: list[PartPath], share: Callable[[float], None]
                ) -> list[PartPath]:  # fmt: skip
    """The last path, and along the walls from where it ends, where films stand that are too much together.

    Then others for those that no way leads to: the cutter comes down beside them.
    """
    reach = grown(part, area.radius).intersection(area.shape).area
    ramps = [path.entry for path in paths if path.entry.kind == "ramp"]
    middle = Middle.of(ramps, area.radius) if ramps else None
    entry, made = paths[-1].entry, list[PartPath]()
    work.pieces = list(paths[-1].pieces)
    while True:
        x, y = work.here() if work.pieces else (float(v) for v in entry.points[-1])
        left = along_films(work, area, reach, middle, x, y, share)
        made.append(PartPath(entry, tuple(work.pieces)))
        work.pieces = []
        spot = from_above(work, left, share)
        if spot is None:
            return made
        entry = Entry("outside", spot[None], None, beside=True)


def _with_cores(work: Clearing, area: Area, paths: list[PartPath], share: Callable[[float], None]) -> PartPath:
    """The last path, and over what stands free where no node of the field sees it."""
    last = paths[-1]
    left = cores(work.plane, area.material.intersection(area.shape), _cut_along(paths))
    if not left:
        return last
    work.pieces = list(last.pieces)
    x, y = work.here() if work.pieces else (float(v) for v in last.entry.points[-1])
    work.run_over_specks(x, y, left, share)
    return replace(last, pieces=tuple(work.pieces))


def _cut_along(paths: list[PartPath]) -> list[Points]:
    """All that the cutter's middle goes along in the material."""
    ways = [path.entry.points for path in paths if path.entry.kind != "outside"]
    return ways + [piece.points for path in paths for piece in path.pieces if piece.kind == "cut"]


def _wish_findings(area: Area, part: Polygon, entry: Entry, wish: Wish, operation: str) -> list[Finding]:
    """What was not done as wished."""
    x, y = (float(v) for v in (entry.centre or entry.points[0]))
    said = []
    if entry.hole is not None:
        return []
    if wish.kind not in ("auto", entry.kind) and entry.kind != "outside":
        why = " The cutter does not cut at its middle." if wish.kind == "plunge" and not wish.plunge else ""
        said.append(f'No {wish.kind} fits where area "{area.name}" is entered: {entry.kind} instead.{why}')
    if wish.place is not None and not area.locus.contains(shapely.Point(wish.place)):
        said.append(
            f'The start of area "{area.name}" at X{wish.place[0]:g} Y{wish.place[1]:g} lies too near to a wall or'
            " outside; the cutter goes in where it is quickest."
        )
    return [Finding("entry.wish", s, operation, area.name, x, y) for s in said]


def _ramp_finding(area: Area, entry: Entry, operation: str) -> Finding:
    x, y = entry.points.mean(axis=0)
    return Finding("entry.ramp", f'Area "{area.name}" is entered by a ramp.', operation, area.name, float(x), float(y))


def _no_entry(area: Area, part: Polygon, operation: str) -> Finding:
    spot = part.representative_point()
    return Finding(
        "area.no-entry",
        f'Neither a helix nor a ramp fits into a part of area "{area.name}"; it is not cut.',
        operation, area.name, spot.x, spot.y, size=2.0 * part.boundary.distance(spot),
    )  # fmt: skip
