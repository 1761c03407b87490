"""Which way in leaves the shortest job: fronts that close round what an entry opened need no returns.

From a helix a spiral grows until it meets walls, and from there on every pass comes back idle. A long
ramp costs more to cut, but round it fronts close for longer. Which is quicker is estimated
from fronts at equal distances from what the entry opened, before anything is planned.
"""

from dataclasses import replace

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon

from justbite.model.borders import grown
from justbite.path.area import Area
from justbite.path.drawn import drawn_out
from justbite.path.entry import Entry, Wish, find_entry, is_narrow, is_snug, snug_plunge
from justbite.path.lines import length_of
from justbite.path.loss import Pace, loss
from justbite.path.network import ends_open, network
from justbite.path.spine import neck_lines, necks_of, round_islands, spines

Points = NDArray[np.float64]
SHARES = (0.95, 0.8, 0.6, 0.4, 0.25)
"""How wide it must be along a long ramp, over the widest place: the lines that are tried."""
NARROW_SHARES = (0.6, 0.3, 0.15, 0.05, 0.02)
"""The same in a slot hardly wider than the cutter, which is ramped through in any case: bends are wider than legs."""
IN_ROOM, OPENS = 0.6, 0.3
"""How wide it is where a ramp through rooms begins and ends, over the middle of the room there; and how fast it becomes
wider out of a corner, over the way."""
PASSES = 0.08
"""Mean half width that the centre has, R, from which on a slot that is ramped through is planned by passes too."""
NECK = 0.6
"""Half the width that the centre has in a neck that a ramp through is worth planning for, at most; R."""
AIR, WALLED = 1.05, 0.4
"""R from the material from which on the border of the locus is no wall; and share of it that are walls from which on a
ramp into a half-open area is worth planning for."""
NECK_SHARES = (0.04, 0.01, 0.003, 0.001, 0.0003)
"""The same of a line that may lead through necks: the first that does."""
LONGER = (0.0, 1.2, 2.4)
"""R: how much farther than the middle line ramps go at either end: fronts get on slower round an end."""
NEAR_WALL = 0.5
"""How much of the room that it has at its end a ramp keeps where it goes farther."""
NEAR_BEST, NEAR_PLAIN, NEAR_NET, LARGE = 0.03, 0.06, 0.14, 3000.0
"""How far behind the best estimate, over the whole cut, the other kind of way in is planned too; a network; one round
islands, whose ears are worth more than they seem; and R of cut from which on an area is planned only once."""
NEAR_ROUND = 0.1
"""How much more a ring round an island, or a network, may seem to lose than the way in from outside, over the whole
cut, to be planned too: on 24 plates with 2 to 7 islands such took 0.72 to 1.12 of the time."""
SLOW_DOWN = 8.0
"""R of stroke from which on the ramp angle holds ways down up so much that a piece of a ramp may be the better one."""
SLOW_HELIX = 0.08
"""How long the usual way in takes, over the whole cut, from which on one that is drawn out is weighed."""
MOST_TIP = 1.0
"""R: how much farther than a middle line a ramp goes to the end of a slot at most."""
SHORTEST, SHORT_ARM = 2.0, 1.0
"""R: a shorter line is no long ramp; and one into an arm beside what is cleared."""
FEW_FRONTS, IN_DOUBT = 6, 0.06
"""Fronts looked at first, and how far behind the best of its kind a way in may then be to be looked at again, over the
whole cut."""


def find_openings(area: Area, part: Polygon, clearance: float, wish: Wish | None, target: float,
                  pace: Pace | None) -> list[Entry]:  # fmt: skip
    """The ways into `part` of the locus that are worth planning, the most promising first; empty where none fits.

    Without `pace` no long ramps are weighed; after a way in, or a place, of the user's only those that lead behind
    islands and necks. A slot or a neck hardly wider than the cutter is ramped through in any case.
    """
    usual = find_entry(area, part, clearance, wish) or next(iter(_narrow_ramps(part, area.radius)), None)
    usual = usual or snug_plunge(area, part, wish)
    wish = wish or Wish()
    if usual is None:
        return []
    if wish.place is not None and not part.contains(shapely.Point(wish.place)):
        # It is in another part, or in a wall.
        wish = replace(wish, place=None)
    if usual.hole is not None:
        # A slot may be cut sooner on a ramp that knows nothing of the hole.
        other = find_openings(area.solid(), part, clearance, wish, target, pace) if pace is not None else []
        return [*_from_outside(usual, area, part, wish, target, pace), *other]
    if usual.kind == "outside":
        return [usual] if wish.place is not None else _from_outside(usual, area, part, wish, target, pace)
    wished = usual.kind in ("helix", "plunge") and wish.kind == usual.kind
    if usual.kind not in ("helix", "ramp") and not wished:
        return [usual]
    if is_narrow(part, area.radius):
        plain = max([usual, *_narrow_ramps(part, area.radius)], key=lambda e: length_of(e.points))
        snug = is_snug(part, area.radius)
        along = [replace(_network(part, area.radius, tips=True) or plain, along=True)] if snug else []
        # Where it is wide enough for that, passes may be the quicker way all the same.
        passes: list[Entry] = []
        asked = wish.place is not None or wished
        if pace is not None and not asked and part.area > PASSES * area.radius * part.length:
            passes = _worth_planning(usual, area, part, target, pace)
        return [plain, *along, *(replace(e, by_passes=True) for e in passes)]
    if pace is None:
        return [usual]
    if wish.place is None and not wished:
        return _worth_planning(usual, area, part, target, pace)
    if not part.interiors and not neck_lines(part, area.radius, NECK):
        # All of it is before the cutter, and nobody looks for a second way in.
        return [usual]
    # Straight down no ramp is like it.
    kind = "helix" if wished else wish.kind
    free = find_entry(area, part, clearance, replace(wish, place=None, kind=kind)) or usual
    if free.kind == "outside":
        # It could come in from there, but is to go in inside; ramps from open edges do as well after that.
        known = _from_outside(free, area, part, wish, target, pace)
        ramps = [e.before for e in known if e.before and e.kind == "outside"]
        return [usual, *(replace(r[-1], before=(usual, *r[:-1])) for r in ramps)]
    more = [e for e in _worth_planning(free, area, part, target, pace) if e.kind == "ramp" and e is not free]
    place = shapely.Point(wish.place or usual.points[0])

    def after(e: Entry) -> Entry:
        closed = not wished and not e.before and np.allclose(e.points[0], e.points[-1])
        near = closed and LineString(e.points).distance(place) <= area.radius
        return e if near else replace(e, before=(usual, *e.before))

    # It goes in where and as the user says; what else is to be opened is opened after that.
    return [usual, *map(after, more)]


def _narrow_ramps(part: Polygon, radius: float) -> list[Entry]:
    """Ramps through a slot hardly wider than the cutter, to its ends, and round in it where it is a ring."""
    if not is_narrow(part, radius):
        return []
    long = [_to_tips(ramp.points, part, radius) for ramp in _ramps(part, radius, NARROW_SHARES)]
    return [_ramp(line) for line in (*long, *round_islands(part, radius))]


def middle_lines(part: Polygon, radius: float) -> tuple[Points, ...]:
    """The middle lines of a slot hardly wider than the cutter: the network of all, or the longest."""
    net = _network(part, radius)
    if net is not None:
        return tuple(ramp.points for ramp in (*net.before, net))
    return tuple(sorted((ramp.points for ramp in _narrow_ramps(part, radius)), key=length_of)[-1:])


def _to_tips(line: Points, part: Polygon, radius: float, kept: tuple[bool, bool] = (False, False)) -> Points:
    """The line straight on to the border at the ends that are not `kept`: what stands before it there is full width."""
    if np.allclose(line[0], line[-1]):
        return line
    for end in (0, 1):
        line = line[::-1]
        way = line[-1] - line[-2]
        far = line[-1] + MOST_TIP * radius * way / np.hypot(*way)
        on = shapely.get_parts(LineString([line[-1], far]).intersection(part))
        first = min(on, key=lambda piece: piece.distance(shapely.Point(line[-1])), default=None)
        if not kept[end] and first is not None and first.length > 0.0:
            line = np.vstack([line[:-1], shapely.get_coordinates(first)[-1]])
    return line


def _from_outside(usual: Entry, area: Area, part: Polygon, wish: Wish, target: float, pace: Pace | None
                  ) -> list[Entry]:  # fmt: skip
    """From outside at once; after ramps through all necks and arms that loops are slow in; and after one along it all.

    Fronts from an open edge end at walls on both sides, those round a ramp close. And by ramps among islands.
    """
    radius = area.radius
    found = [usual]
    narrow = is_narrow(part, radius)
    if narrow and usual.hole is None and not any(_cuts(ramp, area) for ramp in _narrow_ramps(part, radius)):
        # An earlier cutter went through it, and passes may get hold of nothing of what it left: along its walls.
        found.append(replace(usual, along=True))
    through = [_opened(_ramp(n), area) for n in neck_lines(part, radius, NECK, whole=True)]
    through = [ramp for ramp in through if _cuts(ramp, area, SHORT_ARM)]
    if through:
        found.append(replace(usual, before=tuple(through)))
    grooves = _all_through(part, part, area) if narrow else []
    grooves = grooves or [ramp for neck in necks_of(part, radius, NECK) for ramp in _all_through(neck, part, area)]
    if not grooves and len(through) > 1:
        # Where arms meet, one ramp goes through from one to another: what each takes alone is cut only once.
        net = _network(part, radius) or _network(part, radius, tight=False)
        if net is not None:
            net = _opened_with(net, area)
            found.append(replace(usual, before=(*net.before, net)))
    if grooves:
        found.append(replace(usual, before=tuple(grooves), along=True))
    walled = part.exterior.intersection(grown(area.material, AIR * radius)).length > WALLED * part.exterior.length
    small = part.buffer(radius).area / target < LARGE * radius
    if narrow or (walled and small):
        shares, longer = (NARROW_SHARES, (0.0,)) if narrow else (SHARES, LONGER)
        ramps = [ramp for r in _ramps(part, radius, shares, longer) if _cuts(ramp := _opened(r, area), area)]
        if len(ramps) > 1 and pace is not None:
            ramps.sort(key=lambda ramp: loss(ramp, part, target, radius, pace, FEW_FRONTS, area.material))
        found += [replace(usual, before=(ramp,)) for ramp in ramps[:1]]
        # Along its walls after that, with no way round outside.
        found += [replace(ramp, along=is_snug(part, radius)) for ramp in ramps[:1] if narrow]
    if part.interiors and pace is not None and usual.hole is None:
        found += _round_from_outside(usual, area, part, target, pace)
    return found


def _round_from_outside(usual: Entry, area: Area, part: Polygon, target: float, pace: Pace) -> list[Entry]:
    """Ramps round islands, and along all middle lines, where those are better ways into an open area than from outside.

    Passes from outside break off at every island, and their ways back are as long as they are.
    """
    radius = area.radius

    def lost(entry: Entry) -> float:
        return loss(entry, part, target, radius, pace, material=area.material)

    near = NEAR_ROUND * grown(part, radius).intersection(area.material).area / target
    several = len(part.interiors) > 1
    rings = [(lost(ring), ring) for line in round_islands(part, radius) for ring in [_opened(_ramp(line), area)]]
    nets = [(lost(own), own) for net in _networks(part, radius) for own in [_opened_with(net, area)]]
    most = lost(usual)
    # Round a single island passes from outside close as well.
    found = sorted(rings, key=lambda w: w[0])[:1] if several else [w for w in rings if w[0] < most][:1]
    found = sorted([w for w in (*found, *nets) if w[0] < most + near], key=lambda w: w[0])
    small = part.buffer(radius).area / target < LARGE * radius
    return [entry for _, entry in (found if small else found[:1])]


def _all_through(neck: Polygon, part: Polygon, area: Area) -> list[Entry]:
    """Ramps along all middle lines of a groove that opens into wider places of `part`; none where it is but one."""
    lines = network(neck, area.radius) if is_narrow(neck, area.radius) else []
    found: list[Entry] = []
    for line in lines:
        known = [ramp.points for ramp in found]
        on = [bool(known) and ends_open(way, known, area.radius) for way in (line[::-1], line)]
        ramp = _opened(_ramp(_to_tips(line, part, area.radius, (on[0], on[1]))), area)
        found.append(replace(ramp, open_ends=(on[0] or ramp.open_ends[0], on[1] or ramp.open_ends[1])))
    return found


def _opened(ramp: Entry, area: Area) -> Entry:
    """A ramp that knows at which of its ends the cutter stands in the clear, all the way down."""
    discs = shapely.buffer(shapely.points(ramp.points[[0, -1]]), area.radius)
    first, last = (shapely.area(shapely.intersection(discs, area.at_floor)) < 1e-6 * area.radius**2).tolist()
    return replace(ramp, chosen=True, open_ends=(first, last))


def _opened_with(ramp: Entry, area: Area) -> Entry:
    """A ramp, and those before it: at an end that lies on another one the cutter stands in the clear as well."""
    own = _opened(ramp, area)
    ends = (own.open_ends[0] or ramp.open_ends[0], own.open_ends[1] or ramp.open_ends[1])
    return replace(own, open_ends=ends, before=tuple(_opened_with(other, area) for other in ramp.before))


def _cuts(ramp: Entry, area: Area, least: float = SHORTEST) -> bool:
    """Whether a ramp leads through at least so many R of material, enough to be worth it."""
    return bool(LineString(ramp.points).intersection(area.material).length > least * area.radius)


def _worth_planning(usual: Entry, area: Area, part: Polygon, target: float, pace: Pace) -> list[Entry]:
    """Of all long ramps, and the usual way in, those that may be the quickest; the one that seems so first."""
    radius = area.radius
    whole = part.buffer(radius).area / target
    known: list[tuple[Entry, float]] = []

    def way_in(entry: Entry) -> float:
        # Each is asked for twice.
        for other, cost in known:
            if other is entry:
                return cost
        known.append((entry, pace.entry(entry)))
        return known[-1][1]

    told = replace(pace, entry=way_in)

    def weighed(entries: list[Entry]) -> list[tuple[float, Entry]]:
        first = [loss(e, part, target, radius, told, FEW_FRONTS) / whole for e in entries]
        doubt = min(first, default=0.0) + IN_DOUBT
        left = [e for lost, e in zip(first, entries, strict=True) if lost <= doubt]
        return sorted(((loss(e, part, target, radius, told) / whole, e) for e in left), key=lambda w: w[0])

    def marked(entry: Entry) -> Entry:
        return replace(entry, chosen=usual.kind == "helix", before=tuple(marked(e) for e in entry.before))

    def ramps(entries: list[Entry]) -> list[tuple[float, Entry]]:
        return weighed([marked(e) for e in entries])

    long = _ramps(part, radius, SHARES, LONGER)
    if pace.stroke > SLOW_DOWN * radius:
        long += _middles(long, pace.stroke, radius)
    plain = sorted([*weighed([usual]), *ramps(long)], key=lambda w: w[0])
    slow = told.entry(usual) > SLOW_HELIX * whole
    drawn = ramps(drawn_out(usual, part, radius, pace.stroke)) if slow else []
    rings = ramps([_ramp(line) for line in round_islands(part, radius)])
    nets = ramps(_networks(part, radius))
    # What loops in a neck cost, the estimate does not know. A ring leads through those beside islands.
    through = [] if part.interiors else [marked(e) for e in _through_neck(part, radius)]
    necks = [(loss(e, part, target, radius, told) / whole, e) for e in through]
    least, best = min([*plain, *drawn, *rings, *nets, *necks], key=lambda w: w[0])
    # Of the other kinds too, where they are hardly worse: the estimate does not know how the passes fall.
    near = NEAR_NET if part.interiors else NEAR_PLAIN
    if whole > LARGE * radius:
        # Between many islands passes from one ramp are short, and their ways long.
        return [best, *(e for lost, e in nets if part.interiors and e is not best and lost <= least + near)]
    others = [(lost, e) for lost, e in plain if e.kind != best.kind][:1]
    picked = [best, *(e for _, e in (*necks, *rings[:1]))]
    picked += [e for lost, e in nets if lost <= least + near]
    picked += [e for lost, e in (*others, *drawn[:1]) if lost <= least + NEAR_BEST]
    return [e for k, e in enumerate(picked) if not any(e is p for p in picked[:k])]


def _ramps(part: Polygon, radius: float, shares: tuple[float, ...], longer: tuple[float, ...] = (0.0,)) -> list[Entry]:
    """Ramps along the middle of `part`, each also so much longer at either end."""
    found: list[Points] = []
    for line in spines(part, radius, shares):
        for by in longer:
            whole = _extended(_extended(line, part, by * radius)[::-1], part, by * radius)
            known = (o for o in found if len(o) == len(whole))
            if length_of(whole) > SHORTEST * radius and not any(
                np.allclose(o, whole, atol=0.1 * radius) for o in known
            ):
                found.append(whole)
    return [_ramp(line) for line in found]


def _middles(ramps: list[Entry], stroke: float, radius: float) -> list[Entry]:
    """The middles of ramps, one stroke long or two."""
    found: list[Entry] = []
    for ramp in ramps:
        line = LineString(ramp.points)
        for long in (stroke, 2.0 * stroke):
            if SHORTEST * radius < long < 0.9 * line.length:
                middle = 0.5 * line.length
                own = np.asarray(shapely.ops.substring(line, middle - 0.5 * long, middle + 0.5 * long).coords)
                if not any(len(o.points) == len(own) and np.allclose(o.points, own, atol=0.1 * radius) for o in found):
                    found.append(_ramp(own))
    return found


def _through_neck(part: Polygon, radius: float) -> list[Entry]:
    """Ramps through the longest neck of `part`: no farther than into the rooms at its ends, and all through them."""
    necks = neck_lines(part, radius, NECK)
    if not necks:
        return []
    middle = LineString(necks[0]).interpolate(0.5, normalized=True)
    for share in NECK_SHARES:
        whole = [e for e in _ramps(part, radius, (share,)) if LineString(e.points).distance(middle) < 0.5 * radius]
        if whole:
            break
    whole += [_ramp(line) for e in whole if (line := _out_of_corners(e.points, part, radius)) is not None]
    return [_ramp(necks[0]), *whole]


def _out_of_corners(line: Points, part: Polygon, radius: float) -> Points | None:
    """The line without what of it leads from the middle of a room into a corner; None where nothing does."""
    spots = shapely.get_coordinates(shapely.segmentize(LineString(line), 0.1 * radius))
    room = shapely.distance(part.boundary, shapely.points(spots))
    rises = np.diff(room) / np.hypot(*np.diff(spots, axis=0).T)
    ends = []
    for row, rise in ((room, rises), (room[::-1], -rises[::-1])):
        flat = np.nonzero(rise < OPENS)[0]
        top = int(flat[0]) if len(flat) else len(row) - 1
        ends.append(int(np.argmax(row >= IN_ROOM * row[top])))
    first, last = ends[0], len(spots) - ends[1]
    if (ends[0] == 0 and ends[1] == 0) or last - first < 2:
        return None
    return shapely.get_coordinates(LineString(spots[first:last]).simplify(1e-6 * radius))


def _networks(part: Polygon, radius: float) -> list[Entry]:
    """The network of `part`; and the one without ways hardly wider than the cutter: they may be left to ramps later."""
    nets = [_network(part, radius, tight=tight) for tight in (True, False)]
    found = [net for net in nets if net is not None]
    same = len(found) > 1 and len(found[0].before) == len(found[1].before)
    return found[:1] if same else found


def _network(part: Polygon, radius: float, tips: bool = False, tight: bool = True) -> Entry | None:
    """Ramps along all middle lines of `part`, as the last of them with those before it; None if there is but one.

    `tips`: those that end in an arm go on to its end. `tight`: see `network`.
    """
    lines = network(part, radius, tight)
    entries = []
    for k, line in enumerate(lines):
        ends = (k > 0 and ends_open(line[::-1], lines[:k], radius), k > 0 and ends_open(line, lines[:k], radius))
        entries.append(replace(_ramp(_to_tips(line, part, radius, ends) if tips else line), open_ends=ends))
    return replace(entries[-1], before=tuple(entries[:-1])) if entries else None


def _ramp(line: Points) -> Entry:
    return Entry("ramp", line, float(np.arctan2(*(line[-2] - line[-1])[::-1])))


def _extended(line: Points, part: Polygon, by: float) -> Points:
    """The line with its last end moved straight on by `by` mm, or less where walls are near."""
    if by <= 0.0:
        return line
    way = line[-1] - line[-2]
    end = line[-1] + by * way / np.hypot(*way)
    border = part.boundary
    room = NEAR_WALL * border.distance(shapely.Point(line[-1]))
    for _ in range(4):
        if part.contains(shapely.Point(end)) and border.distance(shapely.Point(end)) > room:
            return np.vstack([line[:-1], end])
        end = 0.5 * (end + line[-1])
    return line
