"""Changes of state, one function each: check, do, record. API, tasks and commands use these."""

import hashlib
import logging
import time
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from server import core
from server.models import Job, PartFile, Plan, Revision, StoreEntry

log = logging.getLogger(__name__)
SILENT_AFTER = timedelta(minutes=5)
"""A planner that has not been heard of for so long is taken for dead."""
TELL_EVERY = 0.25
"""Seconds between two reports of progress."""
READ_SECONDS = 120
READ_GIGABYTES = 6.0
"""What reading a part may take before it is given up."""
RUNNING = (Plan.State.WAITING, Plan.State.COMPUTING)


def make_job(document: Any) -> Job:
    """Keep a new job. Raises JobError; then nothing is kept."""
    document = core.kept(document)
    return Job.objects.create(name=document["name"], document=document)


def change_job(job: Job, document: Any) -> Job:
    """Replace a job's document; the earlier one goes into its history. Raises JobError."""
    document = core.kept(document)
    with transaction.atomic():
        current = Job.objects.select_for_update().get(pk=job.pk)
        if current.document == document:
            return current
        Revision.objects.create(job=current, number=current.revision, document=current.document)
        current.name, current.document, current.revision = document["name"], document, current.revision + 1
        current.save()
    return current


def take_part(name: str, content: bytes, units: str, join: float) -> PartFile:
    """Keep a part file and set it to be read. The same file, read the same way, is used again."""
    from server.tasks import run_reading

    digest = hashlib.sha256(content).hexdigest()
    same = PartFile.objects.filter(sha256=digest, name=name, units=units, join=join).exclude(
        state=PartFile.State.FAILED
    )
    found = same.order_by("-pk").first()
    if found is not None:
        return found
    kept = PartFile.objects.create(name=name, content=content, sha256=digest, units=units, join=join)
    run_reading.enqueue(kept.pk)
    kept.refresh_from_db()
    return kept


def read_file(pk: int) -> None:
    """Read a part, in the worker, in a process of its own with limits: a broken file stops nothing else."""
    if not PartFile.objects.filter(pk=pk, state=PartFile.State.WAITING).update(state=PartFile.State.READING):
        return
    kept = PartFile.objects.get(pk=pk)
    ended: dict[str, Any]
    try:
        ended = {"state": PartFile.State.DONE, "reading": core.read_apart(bytes(kept.content), kept.name,
                 kept.units or None, kept.join or None, READ_SECONDS, READ_GIGABYTES)}  # fmt: skip
    except core.JustBiteError as error:
        ended = {"state": PartFile.State.FAILED, "sentence": str(error)}
    except Exception:
        log.exception("reading %s failed", pk)
        ended = {"state": PartFile.State.FAILED, "sentence": "The file could not be read; please report it."}
    PartFile.objects.filter(pk=pk).update(**ended)


def change_part(job: Job, part: PartFile) -> tuple[Job, list[dict[str, Any]]]:
    """Give a job a new version of its part: areas follow it, operations stay. Returns what changed."""
    document, findings = core.parts.with_new_part(
        job.document, part.pk, part.name, part.sha256, bytes(part.reading), reading_of, document_of
    )
    return change_job(job, document), findings


def reading_of(pk: int) -> bytes:
    """The packed reading of a part. Raises PartError while it is not read."""
    part = PartFile.objects.filter(pk=pk).first()
    if part is None:
        raise core.PartError("That part is no longer here.", "Upload it again.")
    if part.state != PartFile.State.DONE:
        raise core.PartError(part.sentence or "The part is still being read.")
    return bytes(part.reading)


def document_of(pk: int) -> dict[str, Any]:
    """The document of a job. Raises JobError when it is gone."""
    job = Job.objects.filter(pk=pk).first()
    if job is None:
        raise core.JobError("The earlier job is no longer on the shelf.", "Choose another stock.")
    return dict(job.document)


def known_path(document: dict[str, Any], operation: int) -> dict[str, Any] | None:
    """What the path of an operation was like, when this very document was planned; else None."""
    done = Plan.objects.filter(document_hash=core.fingerprint(document), state=Plan.State.DONE)
    report = done.order_by("-pk").values_list("report", flat=True).first()
    rows = report["operations"] if report else []
    return rows[operation].get("path") if operation < len(rows) else None


def keep_entry(kind: str, data: dict[str, Any], pk: int | None = None) -> StoreEntry:
    """Keep an own entry of the stores, new or changed. Raises JobError; then nothing is kept."""
    sound = core.store_entry(kind, data)
    if pk is None:
        return StoreEntry.objects.create(kind=kind, data=sound)
    entry = StoreEntry.objects.filter(pk=pk, kind=kind).first()
    if entry is None:
        raise core.JobError("That entry is no longer in the stores.", "Make it anew.")
    entry.data = sound
    entry.save()
    return entry


def import_tools(data: bytes) -> int:
    """Take a list of cutters into the stores: all of them, or none. Returns how many."""
    tools = core.read_tools(data)
    StoreEntry.objects.bulk_create(StoreEntry(kind=StoreEntry.Kind.TOOL, data=t) for t in tools)
    return len(tools)


def own_entries() -> list[tuple[int, str, dict[str, Any]]]:
    """Key, kind and data of all own entries, in the order they were made."""
    return [(e.pk, e.kind, e.data) for e in StoreEntry.objects.order_by("pk")]


def start_plan(job: Job) -> Plan:
    """Set a job to be planned. A plan of the same document, running or done, is used again."""
    from server.tasks import run_plan

    core.check(job.document)
    found = core.fingerprint(job.document)
    with transaction.atomic():
        same = job.plans.filter(document_hash=found, state__in=[*RUNNING, Plan.State.DONE]).order_by("-pk").first()
        if same is not None and not same.cancel_requested:
            return same
        job.plans.filter(state__in=RUNNING).update(cancel_requested=True)
        plan = Plan.objects.create(job=job, document=job.document, document_hash=found)
    run_plan.enqueue(plan.pk)
    plan.refresh_from_db()
    return plan


def stop_plan(plan: Plan) -> Plan:
    """Ask a running plan to stop; one that waits is stopped at once."""
    Plan.objects.filter(pk=plan.pk, state=Plan.State.WAITING).update(
        state=Plan.State.STOPPED, finished=timezone.now(), cancel_requested=True
    )
    Plan.objects.filter(pk=plan.pk, state=Plan.State.COMPUTING).update(cancel_requested=True)
    plan.refresh_from_db()
    return plan


def compute_plan(pk: int) -> None:
    """Plan, in the worker. Whatever happens, the row says how it ended."""
    now = timezone.now()
    taken = Plan.objects.filter(pk=pk, state=Plan.State.WAITING, cancel_requested=False).update(
        state=Plan.State.COMPUTING, started=now, heartbeat=now
    )
    if not taken:
        return
    plan = Plan.objects.get(pk=pk)
    told, begun = 0.0, set[str]()

    def progress(share: float, what: str) -> None:
        nonlocal told
        # What is begun may take long without another word; of two that go on side by side, each is heard in turn.
        if what in begun and time.monotonic() - told < TELL_EVERY:
            return
        told = time.monotonic()
        begun.add(what)
        alive = Plan.objects.filter(pk=pk, cancel_requested=False).update(
            progress=share, doing=what, heartbeat=timezone.now()
        )
        if not alive:
            raise core.StoppedError("Planning was stopped.")

    ended: dict[str, Any]
    try:
        program, report, trace = core.plan(plan.document, progress, _part_of(plan.document))
        ended = {
            "state": Plan.State.DONE, "progress": 1.0, "report": report, "program": program, "trace": trace,
        }  # fmt: skip
    except core.StoppedError as error:
        ended = {"state": Plan.State.STOPPED, "sentence": str(error)}
    except core.JustBiteError as error:
        if isinstance(error, core.PlannerError):
            log.exception("planning %s failed", pk)
        ended = {"state": Plan.State.FAILED, "sentence": str(error)}
    except Exception:
        log.exception("planning %s failed", pk)
        ended = {
            "state": Plan.State.FAILED,
            "sentence": "The planner failed on this job. The job is safe; please keep it as it is and report it.",
        }
    Plan.objects.filter(pk=pk).update(finished=timezone.now(), doing="", **ended)


def _part_of(document: dict[str, Any]) -> bytes | None:
    """The packed reading of the part that a document was made from; None where there is none, or it is gone."""
    pk = (document.get("part") or {}).get("id")
    part = PartFile.objects.filter(pk=pk, state=PartFile.State.DONE).first() if pk is not None else None
    return bytes(part.reading) if part is not None else None


def bury_silent_plans() -> int:
    """Mark plans whose worker died. Returns how many."""
    limit = timezone.now() - SILENT_AFTER
    return Plan.objects.filter(state=Plan.State.COMPUTING, heartbeat__lt=limit).update(
        state=Plan.State.FAILED,
        finished=timezone.now(),
        sentence="The planner stopped answering. Start planning again.",
    )
