"""The whole flow on one page: job in, plan out.

job -> bite per operation -> path -> motion -> NC text -> the text read back -> proof.
"""

import math
import time
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from justbite import __version__, rules, slower, tolerances
from justbite.by_minutes import Progress, Step, by_minutes
from justbite.errors import JobError, NothingToCutError
from justbite.from_top import from_top_findings, in_order
from justbite.grouping import Shares, shares
from justbite.memory import give_back_large, give_back_small
from justbite.model.bite import Bite
from justbite.model.findings import Finding
from justbite.model.job import Job, Machine, Operation, Tool
from justbite.model.moves import CUT, ENTRY, LINK, POSITION, RAPID, Moves
from justbite.model.stock import heights
from justbite.model.trace import PathTrace
from justbite.motion.clock import Drive, block_times
from justbite.nc.reader import read_program
from justbite.nc.writer import Heading, write_program
from justbite.part.beyond import with_standing
from justbite.path.blocks import MovesBuilder
from justbite.path.predrill import drilled_notes
from justbite.path.remembered import Remembered
from justbite.path.together import Tick, side_by_side
from justbite.path.works import Limits, Swept
from justbite.prepare import bite_of, case_for, check_job, depths_of
from justbite.proof.against import held_against
from justbite.proof.audit import Audit, renumbered
from justbite.proof.holder import holder_rooms
from justbite.proof.remains import remains
from justbite.proved import (
    held_findings,
    holder_findings,
    into_finding,
    over_promise,
    proof_findings,
    remain_findings,
)
from justbite.proving import Proved, prove
from justbite.rounds import ROUNDS, Asked

WEIGHED, PLANNED, PROVED = 0.08, 0.7, 0.99
"""Shares of the progress at which bites are weighed, paths planned, and the program proved."""

AGAIN = 0.5
"""Share of the progress that a round begins at that plans again."""
LIMITS = Limits(
    tolerances.CHORD, tolerances.WALL_SNAP, tolerances.WALL_SNAP_TOLERANCE, tolerances.FIT_SHARE,
    tolerances.FIT_BITE_SHARE, tolerances.UNREACHED_AREA, tolerances.ENTRY_CLEAR,
    tolerances.CHORD_FILM, tolerances.REST_FILM, tolerances.REST_FILM_BITE, tolerances.FIT_MOST,
    tolerances.FIT_NEXT_SHARE,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Plan:
    """What planning hands back: the NC text, the report, and the path as measured by the proof."""

    program: str
    report: dict[str, Any]
    trace: PathTrace


def plan(job: Job, progress: Progress = lambda share, what: None, part: NDArray[np.float64] | None = None,
         remembered: Remembered | None = None) -> Plan:  # fmt: skip
    """Plan a job (in millimetres). Raises InputError or StoppedError; nothing is half done.

    `part`: (m, 3, 3) corners of the part's triangles in the job's coordinates; the program is held against it.
    `remembered`: what earlier plans have in common with this one is taken from there and not planned again; what this
    one makes is added, even where it is stopped.
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
    task = _Task(job, machine, travel, bites, MovesBuilder(start=np.array([0.0, 0.0, travel])), remembered)
    latest = best = _round(task, [Asked()] * len(bites), [], findings, progress)
    for _ in range(ROUNDS):
        over = [k for k, excess in enumerate(latest.excess) if excess > 0.0]
        asked_for = [
            own.asked.more_careful(own.bite, bites[k]) if k in over else own.asked
            for k, own in enumerate(latest.planned)
        ]
        over = [k for k in over if asked_for[k] != latest.planned[k].asked]
        if not over:
            break

        def again(done: float, what: str) -> None:
            progress(AGAIN + (1.0 - AGAIN) * done, f"Again, with a little less: {what}")

        latest = _round(task, asked_for, latest.planned[: over[0]], findings, again)
        best = min(best, latest, key=lambda one: sum(one.excess))
    # What is reported is told by what was read.
    task.out.clear()
    for own, shared, operation in zip(best.planned, by_depth, job.operations, strict=True):
        findings += own.findings + rules.depth_findings(operation, shared, depths_of(job, operation))
        findings += held_findings(operation, own.asked.held)
    report, trace, found = _report(job, machine, best, part, progress)
    findings += found
    if best.slowed_blocks:
        findings.append(
            Finding(
                "proof.slowed",
                f"{best.slowed_blocks} blocks go slower than planned: the proof met chips there thicker than a tooth"
                " bears.",
            )
        )
    report["warnings"] = [f.as_dict() for f in findings]
    progress(1.0, "Done")
    return Plan(best.program, report, trace)


@dataclass(frozen=True, slots=True)
class _Task:
    """What all rounds have in common."""

    job: Job
    machine: Machine
    travel: float
    bites: list[Bite]
    """As they were weighed, before any path was known."""
    out: MovesBuilder
    remembered: Remembered | None


@dataclass(frozen=True, slots=True)
class _Planned:
    """One operation as it is planned."""

    bite: Bite
    asked: Asked
    findings: list[Finding]
    choice: dict[str, Any]
    swept: list[Swept]
    seconds: float
    """How long planning took."""
    end: int
    """How many moves there are when it is planned."""


@dataclass(frozen=True, slots=True)
class _Round:
    """All operations planned, written and proved."""

    planned: list[_Planned]
    program: str
    moves: Moves
    proved: Proved
    slowed_blocks: int

    @property
    def bites(self) -> list[Bite]:
        return [own.bite for own in self.planned]

    @property
    def excess(self) -> list[float]:
        """By how much each operation takes more than any should, as a share of its bite."""
        return [over_promise(audit, own.bite) for audit, own in zip(self.proved.audits, self.planned, strict=True)]


def _round(task: _Task, asked: list[Asked], known: list[_Planned], findings: list[Finding], progress: Progress
           ) -> _Round:  # fmt: skip
    """Plan as is `asked` for each operation, write and prove; the first operations are `known` already."""
    job = task.job
    planned = _operations(task, asked, known, progress)
    moves = task.out.build()
    own = [f for one in planned for f in one.findings]
    if not np.isin(moves.part, (CUT, ENTRY)).any():
        reasons = " ".join(f.sentence for f in (*findings, *own) if f.code.startswith("area."))
        raise NothingToCutError(f"There is nothing to cut. {reasons}".strip())
    progress(PLANNED, "Writing the program")
    bites = [one.bite for one in planned]
    headings = [
        Heading(i + 1, o.name, o.tool, b.speed, (_clamped(job.tool(o.tool)), *drilled_notes(o.name, own)))
        for i, (o, b) in enumerate(zip(job.operations, bites, strict=True))
    ]
    give_back_small()
    return _Round(planned, *_written(job, bites, moves, headings, task.travel, progress))


def _clamped(tool: Tool) -> str:
    """The cutter as the proof took it: with another stick-out, or another holder, the program is not the one proved."""
    holder = "" if tool.holder_diameter is None else f" {tool.holder_diameter:g} mm wide"
    return f"Cutter {tool.diameter:g} mm, {tool.flutes} flutes, {tool.stickout:g} mm out of its holder{holder}"


def _operations(task: _Task, asked: list[Asked], known: list[_Planned], progress: Progress) -> list[_Planned]:
    """All operations planned, those after the `known` ones anew."""
    job, out, count = task.job, task.out, len(task.bites)
    planned = list(known)
    out.taken_back(known[-1].end if known else 0)
    for index, operation in list(enumerate(job.operations))[len(known) :]:
        began = time.perf_counter()
        out.operation = index

        def tick(share: float, what: str, index: int = index) -> None:
            progress(WEIGHED + (PLANNED - WEIGHED) * (index + share) / count, what)

        case = case_for(job, operation)
        before = tuple(swept for one in planned for swept in one.swept)
        step = Step(
            out, job, operation, case, task.machine, task.travel, LIMITS, tick, before,
            min((b.ae for b in task.bites[index + 1 :]), default=math.inf),
            asked[index].held, asked[index].choose, task.remembered,
        )  # fmt: skip
        bite, found, choice, swept = by_minutes(step, task.bites[index])
        told = rules.bite_findings(operation, bite) + found
        told += rules.order_findings(job, operation, bite, task.machine, case.wanted_speed)
        # The yardstick is held beside the path; it is no part of planning it.
        seconds = time.perf_counter() - began - choice["yardstick_seconds"]
        planned.append(_Planned(bite, asked[index], told, choice, swept, seconds, len(out)))
    return planned


def _weighed(job: Job, progress: Progress) -> tuple[list[Bite], list[Shares]]:
    """The bite of each operation, and how its areas would best be shared out by depth."""
    # Here, not in forks: the shapes that bites are weighed by are asked for again by the path.
    bites = [bite_of(job, o) for o in job.operations]

    def shared(operation: Operation, _tick: Tick) -> Shares:
        return shares(job, operation)

    def tick(k: int, share: float) -> None:
        progress(WEIGHED * share, f"Weighing bites of {job.operations[k].name}")

    return bites, side_by_side([partial(shared, o) for o in job.operations], tick)


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


def _report(job: Job, machine: Machine, made: _Round, corners: NDArray[np.float64] | None, progress: Progress
            ) -> tuple[dict[str, Any], PathTrace, list[Finding]]:  # fmt: skip
    """What the proof found, with the times that the machine takes, put together; and against the part's triangles."""
    planned, proved, bites = made.moves, made.proved, made.bites
    read = proved.moves
    drive = Drive(machine.rapid_feed, machine.max_feed, machine.acceleration, machine.block_rate)
    path_tolerance = min(o.tolerance for o in job.operations)
    seconds = block_times(read, drive, path_tolerance)
    part = _parts_by_line(read, planned)
    of = np.clip(read.operation, 0, len(bites) - 1)
    cutting = np.array([b.feed for b in bites])[of]
    linking = np.array([o.return_feed or machine.max_feed for o in job.operations])[of]
    # Without following, what goes slower than the bite's feed would do so too: wipes, tight arcs; and what goes as
    # links do where nothing stands.
    follows = (part == CUT) & (read.feed < np.round(linking))
    even = replace(read, feed=np.where(follows, np.minimum(read.feed, cutting), read.feed))
    steady = block_times(even, drive, path_tolerance)
    rooms = holder_rooms(job, read, tolerances.CHORD, lambda: progress(PROVED, "Looking at the room of holders"))
    rows, pieces, findings = [], [], []
    for index, (operation, bite) in enumerate(zip(job.operations, bites, strict=True)):
        own, at = renumbered(read, index)
        audit, borne, proving = proved.audits[index], proved.borne[index], proved.seconds[index]
        planner = planned.depth[planned.operation == index]
        row = _row(job, operation, made.planned[index], audit, own, seconds[at], part[at], planner, proving)
        row["follow_saved_seconds"] = float(steady[at].sum() - seconds[at].sum()) if operation.follow_bite else 0.0
        rows.append(row)
        row["chip_mm"], row["chip_over_borne"] = audit.chip, audit.chip / borne
        stuck = any(f.code in ("area.no-entry", "area.put-off") for f in made.planned[index].findings)
        findings += proof_findings(operation, bite, audit, borne, stuck)
        row["holder_room_mm"] = 2.0 * room.radius if (room := rooms[index]) else None
        findings += holder_findings(operation, job.tool(operation.tool), room)
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
        "slowed_blocks": made.slowed_blocks,
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


def _row(job: Job, operation: Operation, own: _Planned, audit: Audit, moves: Moves, seconds: np.ndarray,
         part: np.ndarray, planner: np.ndarray, proving: float) -> dict[str, Any]:  # fmt: skip
    """One operation's part of the report."""
    radius, bite = job.tool(operation.tool).diameter / 2, own.bite

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
        "untouched_share": audit.untouched,
        "gouge_mm": audit.gouge,
        "rapid_in_stock_mm": audit.rapid,
        "compute_seconds": own.seconds,
        "proof_seconds": proving,
        "blocks": len(moves),
        "levels": [
            float(z) for z in sorted(set(np.round(moves.z_level[np.isin(part, (CUT, ENTRY))], 6)), reverse=True)
        ],
        "ideal_seconds": 60.0 * audit.removed / (1000.0 * bite.removal_rate),
        "limit_seconds": 60.0 * audit.removed / (1000.0 * bite.best_removal_rate),
        "bite": {k: v for k, v in bite.as_dict().items() if k != "ceilings"},
        "limits": [c.as_dict() for c in bite.ceilings],
        "held_to": own.asked.held,
        **own.choice,
    }
