"""One operation planned: with the bite that promises the fewest minutes once its path is known."""

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from justbite.bite import solver
from justbite.bite.case import Case
from justbite.bite.conditions import at_depth, borne_chip, feed_law
from justbite.bite.known import KnownPath
from justbite.bite.slot import slot_depth, slot_removal
from justbite.choice import PathClock, Trial, known_path, path_seconds, promising
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Operation
from justbite.model.moves import LINK, POSITION, Moves
from justbite.path.blocks import MovesBuilder
from justbite.path.program import FeedLaw
from justbite.path.remembered import Remembered
from justbite.path.rough import Bears, Roughed, Ways, add_operation
from justbite.path.works import Limits, Swept, sections_cut
from justbite.way_back import BACK, promised, way_back_finding, worth
from justbite.yardstick import plain_seconds

Progress = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; may raise StoppedError."""
LEAVES = 0.005
"""What another bite's path may leave more of what the cutter can take, as a share, to be kept for its minutes: about as
exactly as a plan's own field tells it."""


@dataclass(frozen=True, slots=True)
class Step:
    """All that planning one operation takes."""

    out: MovesBuilder
    job: Job
    operation: Operation
    case: Case
    machine: Machine
    travel: float
    limits: Limits
    tick: Progress
    before: tuple[Swept, ...]
    finest_after: float
    """mm: the least bite of the operations that follow, as far as is known; inf where none does."""
    held: float = 1.0
    """Share of the bite that passes are held to."""
    choose: bool = True
    """Whether another bite may be chosen by minutes."""
    remembered: Remembered | None = None
    """What was planned before."""

    def add(self, bite: Bite, first: float, last: float, ways: Ways | None = None) -> Roughed:
        """Append the operation's moves with this bite; progress goes from share `first` to `last`.

        `ways`: by these ways in and those from outside, and no others.
        """
        case = self.case

        @lru_cache
        def shallow(deep: float) -> tuple[float, FeedLaw]:
            level = at_depth(case, bite, deep)
            return level.feed, feed_law(case, level)

        bears = Bears(
            feed_law(case, bite), borne_chip(case, bite), slot_depth(case, bite), slot_removal(case, bite), shallow
        )

        def tick(share: float, what: str) -> None:
            self.tick(first + (last - first) * share, what)

        clock = PathClock.of(self.machine, self.operation.tolerance)
        return add_operation(
            self.out, self.job, self.operation, bite, self.machine, self.case.material, self.travel, self.limits, tick,
            clock, bears, self.before, self.finest_after, self.held, ways, self.remembered,
        )  # fmt: skip

    def measured(self, mark: int) -> tuple[Moves, np.ndarray]:
        """The operation's moves so far, from row `mark`, and the seconds of each."""
        moves = self.out.build(mark)
        return moves, path_seconds(moves, self.machine, self.operation.tolerance)


def by_minutes(step: Step, bite: Bite) -> tuple[Bite, list[Finding], dict[str, Any], list[Swept]]:
    """Plan an operation; where another bite promises fewer minutes plan that too, and keep the quicker."""
    out, mark = step.out, len(step.out)
    points = out.points
    pinned = step.case.ae is not None and step.case.ap is not None
    made = step.add(bite, 0.0, 0.7 if pinned else 0.4)
    moves, seconds = step.measured(mark)
    known = known_path(moves, seconds, bite, step.case, sections_cut(made.works))
    points = out.points - points
    trials = [Trial(bite.ae, bite.steps, float(seconds.sum()))]
    if known is None:
        return bite, made.findings, _choice([], None, None, 0.0, 0, 0), made.swept
    chosen = False
    began = time.perf_counter()
    plain = plain_seconds(step.job, step.operation, step.case, bite, step.machine, step.travel, made.works)
    yardstick = time.perf_counter() - began
    others = _others(step, bite, known, made)
    share = 0.3 / max(1, len(others))
    for k, (other, ways, path) in enumerate(others):
        levels = replace(step.case, path=path).levels(other.ap)
        if ways is not None and path.seconds(other, step.case.machine.acceleration, levels) >= float(seconds.sum()):
            # From outside it promises no more than what is known by now.
            continue
        kept, before = out.taken_back(mark), out.points
        another = step.add(other, 0.4 + k * share, 0.4 + (k + 1) * share, ways)
        moves_then, again = step.measured(mark)
        trials.append(Trial(other.ae, other.steps, float(again.sum())))
        if again.sum() < seconds.sum() and another.left < made.left + LEAVES:
            bite, made, points, known, chosen = other, another, out.points - before, path, True
            moves, seconds = moves_then, again
        else:
            out.put_back(mark, kept)
    # One that was not chosen by what was cut is not told by it either.
    told = replace(known, choose=chosen, areas=known.areas if chosen else ())
    if not chosen:
        bite = solver.told(step.case, bite, told)
    found = made.findings + _way_back(step, bite, made, moves, seconds, mark)
    return bite, found, _choice(trials, told, plain, yardstick, points, len(out) - mark), made.swept


def _others(step: Step, bite: Bite, known: KnownPath, made: Roughed) -> list[tuple[Bite, Ways | None, KnownPath]]:
    """Other bites that promise fewer minutes, the ways in that each is to be planned by, and the path that tells so.

    From outside, where a ramp among islands was quicker with this bite, a wider one makes up for ways back.
    """
    if not step.choose:
        return []
    told: list[tuple[KnownPath, Ways | None]] = [(known, None)]
    if made.outside is not None:
        ways_back = known.link_seconds + known.entry_seconds + made.slower
        told.append((replace(known, link_seconds=ways_back, entry_seconds=0.0, slope_seconds=0.0), made.outside))
    found = [(promising(step.case, bite, path), ways, path) for path, ways in told]
    return [(other, ways, path) for other, ways, path in found if other is not None]


def _way_back(step: Step, bite: Bite, made: Roughed, moves: Moves, seconds: np.ndarray, mark: int) -> list[Finding]:
    """Whether the operation, whose `moves` from row `mark` on take so many `seconds`, would be done sooner if it cut on
    the way back too: planned so where that promises enough, and taken back."""
    whole = float(seconds.sum())
    if step.operation.conventional > 0.0 or promised(moves.part, seconds) < worth(whole):
        return []
    kept = step.out.taken_back(mark)
    own = step.operation.model_copy(update={"conventional": BACK})
    # In the job as well: what comes before it is told by its place there.
    operations = [own if other is step.operation else other for other in step.job.operations]
    both = replace(step, operation=own, job=step.job.model_copy(update={"operations": operations}))
    # By the ways in that were the quickest, or from outside, where ways back are: to weigh all of them anew, and holes,
    # took as long as the plan that is kept.
    another = both.add(bite, 0.7, 1.0, made.ways)
    _, again = both.measured(mark)
    step.out.put_back(mark, kept)
    if another.left >= made.left + LEAVES:
        return []
    ways = float(seconds[(moves.part == LINK) | (moves.part == POSITION)].sum())
    told = way_back_finding(step.operation.name, ways, whole, float(again.sum()))
    return [] if told is None else [told]


def _choice(trials: list[Trial], path: KnownPath | None, plain: float | None, yardstick: float, points: int,
            blocks: int) -> dict[str, Any]:  # fmt: skip
    """What the report tells of how a bite was chosen, and of the path besides its blocks."""
    return {
        "trials": [asdict(t) for t in trials],
        "path": asdict(path) if path is not None else None,
        "plain_seconds": plain,
        "yardstick_seconds": yardstick,
        "path_points": points,
        "path_blocks": blocks,
    }
