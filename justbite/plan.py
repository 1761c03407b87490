"""The whole flow on one page: job in, plan out.

job -> bite per operation -> path -> motion -> NC text -> the text read back -> proof.
"""

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import lru_cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from justbite import __version__, rules, slower, tolerances
from justbite.bite import solver
from justbite.bite.case import Case
from justbite.bite.conditions import SLACK, at_depth, borne_chip, feed_law
from justbite.bite.known import KnownPath
from justbite.bite.slot import slot_depth, slot_removal
from justbite.choice import Trial, known_path, path_seconds, promising
from justbite.errors import JobError, NothingToCutError
from justbite.from_top import from_top_findings, in_order
from justbite.grouping import Shares, shares
from justbite.memory import give_back_large, give_back_small
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Operation
from justbite.model.moves import CUT, ENTRY, LINK, POSITION, RAPID, Moves
from justbite.model.stock import heights
from justbite.model.trace import PathTrace
from justbite.motion.clock import Drive, block_times
from justbite.nc.reader import read_program
from justbite.nc.writer import Heading, write_program
from justbite.part.beyond import with_standing
from justbite.path.blocks import MovesBuilder
from justbite.path.predrill import drilled_notes
from justbite.path.program import FeedLaw
from justbite.path.rough import Bears, add_operation
from justbite.path.together import Tick, side_by_side
from justbite.path.works import Limits, Swept, Work, sections_cut
from justbite.prepare import bite_of, case_for, check_job, depths_of
from justbite.proof.against import held_against
from justbite.proof.audit import Audit, renumbered
from justbite.proof.remains import remains
from justbite.proved import into_finding, proof_findings, remain_findings, with_stuck
from justbite.proving import Proved, prove
from justbite.yardstick import plain_seconds

WEIGHED, PLANNED, PROVED = 0.08, 0.7, 0.99
"""Shares of the progress at which bites are weighed, paths planned, and the program proved."""

Progress = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; may raise StoppedError."""


@dataclass(frozen=True, slots=True)
class Plan:
    """What planning hands back: the NC text, the report, and the path as measured by the proof."""

    program: str
    report: dict[str, Any]
    trace: PathTrace


def plan(job: Job, progress: Progress = lambda share, what: None, part: NDArray[np.float64] | None = None) -> Plan:
    """Plan a job (in millimetres). Raises InputError or StoppedError; nothing is half done.

    `part`: (m, 3, 3) corners of the part's triangles in the job's coordinates; the program is held against it.
    """
    give_back_large()
    machine, _ = check_job(job)
    asked, job = job, in_order(job)
    findings = from_top_findings(asked, job)
    if part is not None:
        job, told = with_standing(job, part, tolerances.CHORD)
        findings += told
    travel = job.travel_height
    highest = max([heights(job.stock)[1], *(k.top for k in job.keep_outs)])
    if travel is None:
        travel = highest + tolerances.TRAVEL_ABOVE
    if travel < highest + job.approach_gap:
        raise JobError(f"The travel height {travel:g} is not above the stock and the keep-outs.", "Raise it.")
    bites, by_depth = _weighed(job, progress)
    findings += rules.tool_findings(job)
    out = MovesBuilder(start=np.array([0.0, 0.0, travel]))
    limits = Limits(
        tolerances.CHORD, tolerances.WALL_SNAP, tolerances.WALL_SNAP_TOLERANCE, tolerances.FIT_SHARE,
        tolerances.FIT_BITE_SHARE, tolerances.UNREACHED_AREA, tolerances.ENTRY_CLEAR,
        tolerances.CHORD_FILM, tolerances.REST_FILM, tolerances.REST_FILM_BITE, tolerances.FIT_MOST,
    )  # fmt: skip
    compute, choices = [], []
    before: list[Swept] = []
    count = len(job.operations)
    for index, operation in enumerate(job.operations):
        began = time.perf_counter()
        out.operation = index

        def tick(share: float, what: str, index: int = index) -> None:
            progress(WEIGHED + (PLANNED - WEIGHED) * (index + share) / count, what)

        case = case_for(job, operation)
        step = _Step(out, job, operation, case, machine, travel, limits, tick, tuple(before), index < count - 1)
        bites[index], found, choice, swept = _by_minutes(step, bites[index])
        before += swept
        findings += _bite_findings(operation, bites[index]) + found
        findings += rules.order_findings(job, operation, bites[index], machine, case.wanted_speed)
        choices.append(choice)
        # The yardstick is held beside the path; it is no part of planning it.
        compute.append(time.perf_counter() - began - choice["yardstick_seconds"])
        findings += rules.depth_findings(operation, by_depth[index], depths_of(job, operation))
    moves = out.build()
    if not np.isin(moves.part, (CUT, ENTRY)).any():
        reasons = " ".join(f.sentence for f in findings if f.code.startswith("area."))
        raise NothingToCutError(f"There is nothing to cut. {reasons}".strip())
    progress(PLANNED, "Writing the program")
    headings = [
        Heading(i + 1, o.name, o.tool, b.speed, drilled_notes(o.name, findings))
        for i, (o, b) in enumerate(zip(job.operations, bites, strict=True))
    ]
    give_back_small()
    program, moves, proved, slowed_blocks = _written(job, bites, moves, headings, travel, progress)
    report, trace, found = _report(job, bites, machine, moves, proved, compute, part)
    findings += found
    report["slowed_blocks"] = slowed_blocks
    if slowed_blocks:
        findings.append(
            Finding(
                "proof.slowed",
                f"{slowed_blocks} blocks go slower than planned: the proof met chips there thicker than a tooth bears.",
            )
        )
    for row, choice in zip(report["operations"], choices, strict=True):
        row.update(choice)
    report["warnings"] = [f.as_dict() for f in with_stuck(findings)]
    progress(1.0, "Done")
    return Plan(program, report, trace)


def _weighed(job: Job, progress: Progress) -> tuple[list[Bite], list[Shares]]:
    """The bite of each operation, and how its areas would best be shared out by depth."""
    # Here, not in forks: the shapes that bites are weighed by are asked for again by the path.
    bites = [bite_of(job, o) for o in job.operations]

    def shared(operation: Operation, _tick: Tick) -> Shares:
        return shares(job, operation)

    def tick(k: int, share: float) -> None:
        progress(WEIGHED * share, f"Weighing bites of {job.operations[k].name}")

    return bites, side_by_side([partial(shared, o) for o in job.operations], tick)


@dataclass(frozen=True, slots=True)
class _Step:
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
    later: bool
    """Whether another operation follows."""

    def add(self, bite: Bite, first: float, last: float) -> tuple[list[Finding], list[Swept], list[Work]]:
        """Append the operation's moves with this bite; progress goes from share `first` to `last`."""
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

        def clock(moves: Moves) -> float:
            return float(path_seconds(moves, self.machine, self.operation.tolerance).sum())

        return add_operation(
            self.out, self.job, self.operation, bite, self.machine, self.case.material, self.travel, self.limits, tick,
            clock, bears, self.before, self.later,
        )  # fmt: skip

    def measured(self, mark: int) -> tuple[Moves, np.ndarray]:
        """The operation's moves so far, from row `mark`, and the seconds of each."""
        moves = self.out.build(mark)
        return moves, path_seconds(moves, self.machine, self.operation.tolerance)


def _by_minutes(step: _Step, bite: Bite) -> tuple[Bite, list[Finding], dict[str, Any], list[Swept]]:
    """Plan an operation; where another bite promises fewer minutes plan that too, and keep the quicker."""
    out, mark = step.out, len(step.out)
    points = out.points
    pinned = step.case.ae is not None and step.case.ap is not None
    findings, swept, works = step.add(bite, 0.0, 1.0 if pinned else 0.5)
    moves, seconds = step.measured(mark)
    known = known_path(moves, seconds, bite, step.case, sections_cut(works))
    points = out.points - points
    trials = [Trial(bite.ae, bite.steps, float(seconds.sum()))]
    if known is None:
        return bite, findings, _choice([], None, None, 0.0, 0, 0), swept
    other = promising(step.case, bite, known)
    chosen = False
    began = time.perf_counter()
    plain = plain_seconds(step.job, step.operation, step.case, bite, step.machine, step.travel, works)
    yardstick = time.perf_counter() - began
    if other is not None:
        kept, before = out.taken_back(mark), out.points
        found, taken, _ = step.add(other, 0.5, 1.0)
        _, again = step.measured(mark)
        trials.append(Trial(other.ae, other.steps, float(again.sum())))
        chosen = trials[1].seconds < trials[0].seconds
        if chosen:
            bite, findings, points, swept = other, found, out.points - before, taken
        else:
            out.put_back(mark, kept)
    # One that was not chosen by what was cut is not told by it either.
    told = replace(known, choose=chosen, areas=known.areas if chosen else ())
    if not chosen:
        bite = solver.told(step.case, bite, told)
    return bite, findings, _choice(trials, told, plain, yardstick, points, len(out) - mark), swept


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


def _bite_findings(operation: Operation, bite: Bite) -> list[Finding]:
    found = []
    for c in bite.ceilings:
        if c.share > 1.0 + SLACK and not c.estimate:
            code = "bite.rubs" if c.name == "chip, least" else "bite.over-ceiling"
            found.append(
                Finding(
                    code,
                    f'"{operation.name}": {c.name} is {c.value:.4g} of {c.ceiling:.4g} {c.unit}'
                    f" ({100 * c.share:.0f} % of what is allowed).",
                    operation.name,
                )
            )
    return found


def _written(job: Job, bites: list[Bite], moves: Moves, headings: list[Heading], travel: float, progress: Progress
             ) -> tuple[str, Moves, Proved, int]:  # fmt: skip
    """The program, its blocks, what the proof of it found, and how many blocks had to go slower than planned.

    The text that is handed out is the one that was read back: feeds brought down are written, and read again.
    """

    def tick(name: str, share: float) -> None:
        progress(PLANNED + (PROVED - PLANNED) * share, f"Proving {name}")

    program, moves = write_program(job.name, moves, headings, travel, job.setup.work_offset)
    read = read_program(program)
    proved = prove(job, bites, read, tick)
    if proved.stands_for(read):
        return program, moves, proved, 0
    quick = proved.moves.feed < read.feed
    slow = slower.on_lines(moves, read.line[quick], proved.moves.feed[quick])
    slowed_blocks = int((slow.feed < moves.feed).sum())
    program, moves = write_program(job.name, slow, headings, travel, job.setup.work_offset)
    read = read_program(program)
    # Should it not go the same way it is proved anew, as it stands.
    same = proved.stands_for(read)
    proved = replace(proved, moves=read) if same else prove(job, bites, read, tick, 0)
    return program, moves, proved, slowed_blocks


def _report(job: Job, bites: list[Bite], machine: Machine, planned: Moves, proved: Proved, compute: list[float],
            corners: NDArray[np.float64] | None
            ) -> tuple[dict[str, Any], PathTrace, list[Finding]]:  # fmt: skip
    """What the proof found, with the times that the machine takes, put together; and against the part's triangles."""
    read = proved.moves
    drive = Drive(machine.rapid_feed, machine.max_feed, machine.acceleration, machine.block_rate)
    path_tolerance = min(o.tolerance for o in job.operations)
    seconds = block_times(read, drive, path_tolerance)
    part = _parts_by_line(read, planned)
    cutting = np.array([b.feed for b in bites])[np.clip(read.operation, 0, len(bites) - 1)]
    # Without following, what goes slower than the bite's feed would do so too: wipes, tight arcs.
    even = replace(read, feed=np.where(part == CUT, np.minimum(read.feed, cutting), read.feed))
    steady = block_times(even, drive, path_tolerance)
    rows, pieces, findings = [], [], []
    for index, (operation, bite) in enumerate(zip(job.operations, bites, strict=True)):
        own, at = renumbered(read, index)
        audit, borne, proving = proved.audits[index], proved.borne[index], proved.seconds[index]
        planner = planned.depth[planned.operation == index]
        row = _row(job, operation, bite, audit, own, seconds[at], part[at], planner, compute[index], proving)
        row["follow_saved_seconds"] = float(steady[at].sum() - seconds[at].sum()) if operation.follow_bite else 0.0
        rows.append(row)
        row["chip_mm"], row["chip_over_borne"] = audit.chip, audit.chip / borne
        findings += proof_findings(operation, bite, audit, borne)
        findings += rules.drop_findings(job, operation, audit.drop, audit.drop_at)
        findings += rules.curve_findings(operation, bite, machine, replace(own, part=part[at]))
        pieces.append(PathTrace.of(audit.trace, own, seconds, at, part[at], bite.ae))
    into, stands = None, None
    if corners is not None:
        cutters = [(t.diameter / 2, t.corner_radius) for t in (job.tool(o.tool) for o in job.operations)]
        held = held_against(corners, read, cutters)
        cuts, left = held.cuts, remains(held, job, tolerances.CHORD)
        findings += [into_finding(job.operations[c.operation].name, c) for c in cuts]
        findings += remain_findings(left)
        into = {"deep_mm": max((c.deep for c in cuts), default=0.0), "area_mm2": sum(c.area for c in cuts)}
        stands = sum(r.volume for r in left)
    total = float(seconds.sum())
    report = {
        "name": job.name,
        "core_version": __version__,
        "seconds": total,
        "ideal_seconds": sum(r["ideal_seconds"] for r in rows),
        "limit_seconds": sum(r["limit_seconds"] for r in rows),
        "blocks": len(read),
        "into_part": into,
        "stands_mm3": stands,
        "operations": rows,
    }
    return report, PathTrace.joined(pieces), findings


def _parts_by_line(read: Moves, planned: Moves) -> np.ndarray:
    """What each block that was read is for: asked of the planner's block on the same NC line."""
    lines, first = np.unique(planned.line, return_index=True)
    where = np.clip(np.searchsorted(lines, read.line), 0, len(lines) - 1)
    known = lines[where] == read.line
    part = np.where(known, planned.part[first[where]], POSITION).astype(np.uint8)
    return np.where(read.kind == RAPID, POSITION, part).astype(np.uint8)


def _row(job: Job, operation: Operation, bite: Bite, audit: Audit, moves: Moves, seconds: np.ndarray,
         part: np.ndarray, planner: np.ndarray, compute: float, proving: float) -> dict[str, Any]:  # fmt: skip
    """One operation's part of the report."""
    radius = job.tool(operation.tool).diameter / 2

    def degrees(depth: float) -> float:
        return float(np.degrees(np.arccos(np.clip(1.0 - depth / radius, -1.0, 1.0))))

    return {
        "name": operation.name,
        "seconds": float(seconds.sum()),
        "cut_seconds": float(seconds[part == CUT].sum()),
        "link_seconds": float(seconds[(part == LINK) | (part == POSITION)].sum()),
        "entry_seconds": float(seconds[part == ENTRY].sum()),
        "removed_mm3": audit.removed,
        "cut_length": audit.cut_length,
        "target_engagement_deg": bite.angle,
        "max_engagement_deg": degrees(audit.most_depth),
        "p99_engagement_deg": degrees(audit.depth_99),
        "p999_engagement_deg": degrees(audit.depth_999),
        "max_over_target": audit.most_depth / bite.ae,
        "p999_over_target": audit.depth_999 / bite.ae,
        "planner_max_over_target": float(planner.max()) if len(planner) else 0.0,
        "within_share": audit.within,
        "entry_over_bite": audit.entry_rate / (1000.0 * bite.removal_rate),
        "max_at": audit.most_at,
        "left_over_share": audit.left_over,
        "gouge_mm": audit.gouge,
        "rapid_in_stock_mm": audit.rapid,
        "compute_seconds": compute,
        "proof_seconds": proving,
        "blocks": len(moves),
        "levels": [
            float(z) for z in sorted(set(np.round(moves.z_level[np.isin(part, (CUT, ENTRY))], 6)), reverse=True)
        ],
        "ideal_seconds": 60.0 * audit.removed / (1000.0 * bite.removal_rate),
        "limit_seconds": 60.0 * audit.removed / (1000.0 * bite.best_removal_rate),
        "bite": {k: v for k, v in bite.as_dict().items() if k != "ceilings"},
        "limits": [c.as_dict() for c in bite.ceilings],
    }
