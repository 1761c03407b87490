"""Changes of state, one function each: check, do, record. API, tasks and commands use these."""

import logging
import time
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from server import core
from server.models import Job, Plan, Revision

log = logging.getLogger(__name__)
SILENT_AFTER = timedelta(minutes=5)
"""A planner that has not been heard of for so long is taken for dead."""
TELL_EVERY = 0.25
"""Seconds between two reports of progress."""
RUNNING = (Plan.State.WAITING, Plan.State.COMPUTING)


def make_job(document: Any) -> Job:
    """Keep a new job. Raises JobError; then nothing is kept."""
    core.check(document)
    return Job.objects.create(name=document["name"], document=document)


def change_job(job: Job, document: Any) -> Job:
    """Replace a job's document; the earlier one goes into its history. Raises JobError."""
    core.check(document)
    with transaction.atomic():
        current = Job.objects.select_for_update().get(pk=job.pk)
        if current.document == document:
            return current
        Revision.objects.create(job=current, number=current.revision, document=current.document)
        current.name, current.document, current.revision = document["name"], document, current.revision + 1
        current.save()
    return current


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
    begun = Plan.objects.filter(pk=pk, state=Plan.State.WAITING, cancel_requested=False).update(
        state=Plan.State.COMPUTING, started=now, heartbeat=now
    )
    if not begun:
        return
    plan = Plan.objects.get(pk=pk)
    told = 0.0

    def progress(share: float, what: str) -> None:
        nonlocal told
        if time.monotonic() - told < TELL_EVERY:
            return
        told = time.monotonic()
        alive = Plan.objects.filter(pk=pk, cancel_requested=False).update(
            progress=share, doing=what, heartbeat=timezone.now()
        )
        if not alive:
            raise core.StoppedError("Planning was stopped.")

    ended: dict[str, Any]
    try:
        program, report, trace = core.plan(plan.document, progress)
        ended = {
            "state": Plan.State.DONE, "progress": 1.0, "report": report, "program": program, "trace": trace,
        }  # fmt: skip
    except core.StoppedError as error:
        ended = {"state": Plan.State.STOPPED, "sentence": str(error)}
    except core.JustBiteError as error:
        ended = {"state": Plan.State.FAILED, "sentence": str(error)}
    except Exception:
        log.exception("planning %s failed", pk)
        ended = {
            "state": Plan.State.FAILED,
            "sentence": "The planner failed on this job. The job is safe; please keep it as it is and report it.",
        }
    Plan.objects.filter(pk=pk).update(finished=timezone.now(), doing="", **ended)


def bury_silent_plans() -> int:
    """Mark plans whose worker died. Returns how many."""
    limit = timezone.now() - SILENT_AFTER
    return Plan.objects.filter(state=Plan.State.COMPUTING, heartbeat__lt=limit).update(
        state=Plan.State.FAILED,
        finished=timezone.now(),
        sentence="The planner stopped answering. Start planning again.",
    )
