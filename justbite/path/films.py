"""Films along walls, too thin for any pass to feel: read at the walls themselves, gone along where they are too much.

A strip that is hardly wider than the bite is cut in one pass, and all along its wall there stands what it is wider.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
import shapely
from scipy import ndimage

from justbite.field.aside import bands
from justbite.field.grid import read_at
from justbite.path.area import Area
from justbite.path.clearing import MOST_GRAZED, Clearing
from justbite.path.fronts import SWEEPS, Flood, Points
from justbite.path.narrow import Middle
from justbite.path.rim import CLEAR_WIPE, WIPE_STEP, runs_of

AT_ONCE = 250
"""Places along a wall that are read at once."""
MOST_FILM = 0.0006
"""Share of what the cutter comes to that may stand as films along its walls."""
SURE = 0.0005
"""R: about as exactly as the field tells what stands at a wall."""
BEGINS = 6
"""Places along a film that a way to it is looked for."""
WORTH = 0.25
"""Share of a film that the cutter has to take to come down for it from above."""
RUN_UPS = (CLEAR_WIPE, 0.3, 0.5, 1.0)
"""R before a film that the way along it begins: the first to which a way leads, or where the cutter stands clear."""
INSIDE = 0.003
"""R before a wall that is looked at, to tell whether there is material."""


@dataclass(frozen=True, slots=True)
class _Film:
    """What stands along a stretch of a border of the locus."""

    ring: Points
    first: int
    end: int
    """Of the ring's points, the one after the last; may be more than it has."""
    size: float
    """mm2 beyond the path's tolerance."""


def along_films(work: Clearing, area: Area, reach: float, middle: Middle | None, x: float, y: float,
                tick: Callable[[float], None]) -> list[_Film]:  # fmt: skip
    """From (x, y) go along the walls beside which films stand, the nearest first; the smallest are left.

    Returns those that no way led to, if they are too much together: the largest first.

    `reach`: mm2 of the area that the cutter comes to, with what earlier operations took of it. `middle`: the lines that
    ramps were cut along: no flood gets into a neck hardly wider than the cutter.
    """
    most = MOST_FILM * reach
    films = sorted(_all_films(work, area), key=lambda film: film.size)
    rest = np.cumsum([film.size for film in films])
    few = int(np.searchsorted(rest, most, side="right"))
    little, films, left = films[:few], films[few:], list[_Film]()
    while films:
        films.sort(key=lambda film: -_away(film, x, y))
        film = films.pop()
        end = _cut(work, film, middle, x, y, tick)
        if end is None and (out := work.out_of_tip(x, y)) is not None:
            # From within another slot no flood leads anywhere.
            x, y = out
            end = _cut(work, film, middle, x, y, tick)
        x, y = end or (x, y)
        left += [] if end else [film]
    while work.pieces and work.pieces[-1].kind == "link":
        work.pieces.pop()
    left.sort(key=lambda film: -film.size)
    return left if sum(film.size for film in (*little, *left)) > most else []


def films_left(work: Clearing, area: Area) -> float:
    """mm2 that stand along all walls, beyond the path's tolerance."""
    return sum(film.size for film in _all_films(work, area))


def from_above(work: Clearing, films: list[_Film], tick: Callable[[float], None]) -> Points | None:
    """Go along the first of some films that there is clear floor to come down on for: where that is, (2,)."""
    for film in films:
        for run in _runs(work, film, *film.ring[film.first % len(film.ring)]):
            if not work.plane.all_clear(run[:1])[0] or not work.wipes.rim.free(run):
                continue
            if work.cut_along(None, run, WORTH * film.size / work.plane.radius**2, tick) is not None:
                return run[0]
    return None


def _all_films(work: Clearing, area: Area) -> list[_Film]:
    return [film for ring in work.wipes.rim.rings for film in _films(work, area, ring)]


def _films(work: Clearing, area: Area, ring: Points) -> list[_Film]:
    """What stands along a border of the locus: rows of points with the wall on the right."""
    plane = work.plane
    along = np.roll(ring, -1, axis=0) - np.roll(ring, 1, axis=0)
    size = np.maximum(np.hypot(*along.T), 1e-12)
    to_wall = np.column_stack([along[:, 1], -along[:, 0]]) / size[:, None]
    wall = ring + plane.radius * to_wall
    read = [read_at(plane.cleared, *plane.frame, wall[some]) for some in bands(len(wall), AT_ONCE)]
    thick = np.concatenate(read) - area.slack
    stands = thick > SURE * plane.radius
    before = ring + (1.0 - INSIDE) * plane.radius * to_wall
    stands[stands] = shapely.contains_xy(area.material, before[stands])
    if not stands.any():
        return []
    # By the wall's own length: in a bore it is a good deal longer than the way of the centre.
    area_of = np.where(stands, thick * 0.5 * np.hypot(*(np.roll(wall, -1, axis=0) - np.roll(wall, 1, axis=0)).T), 0.0)
    if stands.all():
        return [_Film(ring, 0, len(ring), float(area_of.sum()))]
    more = round(CLEAR_WIPE / WIPE_STEP)
    begin = int(np.argmin(stands))
    turned = np.roll(stands, -begin)
    joined = ndimage.binary_closing(np.pad(turned, 4 * more), iterations=3 * more)[4 * more : -4 * more]
    return [
        _Film(ring, begin + first, begin + end, float(np.roll(area_of, -begin)[first:end].sum()))
        for first, end in runs_of(joined)
    ]


def _away(film: _Film, x: float, y: float) -> float:
    """mm from (x, y) to where the way along a film begins."""
    if _is_whole(film):
        return float(np.hypot(*(film.ring - (x, y)).T).min())
    return float(np.hypot(*(film.ring[film.first % len(film.ring)] - (x, y))))


def _is_whole(film: _Film) -> bool:
    return film.end - film.first >= len(film.ring)


def _cut(work: Clearing, film: _Film, middle: Middle | None, x: float, y: float, tick: Callable[[float], None]
         ) -> tuple[float, float] | None:  # fmt: skip
    """Go along a film, from clear to clear; None where no way leads there or it takes more than it may."""
    sweep = SWEEPS[-1]
    flood: Flood | None = None
    here = np.array([x, y])
    # Where no way leads to its beginning some lead to it farther on.
    for run in _runs(work, film, x, y):
        lines = [np.array([here, run[0]]), *([] if middle is None else [middle.way(here, run[0])])]
        # Along a wall the field reads too little room for a link that is known to be free by the border itself.
        free = (work.ways.link_along(line, MOST_GRAZED) for line in lines if work.wipes.rim.free(line))
        link = next((link for link in free if link is not None), None)
        if link is None:
            flood = flood or work.ways.flood(x, y, sweep, np.inf)
            end = work.wipe_run(x, y, run, flood, sweep, tick, 0.0)
        else:
            end = work.cut_along(link, run, 0.0, tick)
        if end is not None:
            return end
    return None


def _runs(work: Clearing, film: _Film, x: float, y: float) -> Iterator[Points]:
    """Ways along a film: from before its beginning, or where it goes all round from the place nearest to (x, y).

    Then from later on. Beside the mouth of a slot the cutter meets the film before it is there.
    """
    more = round(CLEAR_WIPE / WIPE_STEP)
    if _is_whole(film):
        begins = [int(np.argmin(np.hypot(*(film.ring - (x, y)).T)))]
        last = begins[0] + len(film.ring)
    else:
        begins = [film.first - round(before / WIPE_STEP) for before in RUN_UPS]
        last = film.end + more
    later = range(begins[0], last - more, max(1, (last - begins[0]) // BEGINS))
    for begin in (*begins, *later[1:]):
        yield work.wipes.rim.eased(film.ring, begin, last, 0.0)
