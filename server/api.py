"""The API: thin. Every fault of the input is answered with 422 and plain sentences."""

from typing import Any

from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, NinjaAPI, Schema, Status, UploadedFile
from ninja.errors import ValidationError

from server import actions, core
from server.models import Job, Plan

api = NinjaAPI(title="Just Bite", version="1", docs_url=None)


class Fault(Schema):
    """What is wrong, as sentences."""

    faults: list[str]


class PlanOut(Schema):
    id: int
    state: str
    progress: float
    doing: str
    sentence: str
    fresh: bool
    """Whether it belongs to the job as it now stands."""
    report: dict[str, Any] | None


class JobLine(Schema):
    id: int
    name: str
    updated: str
    seconds: float | None
    state: str
    findings: int
    picture: dict[str, Any]


class JobOut(Schema):
    id: int
    revision: int
    document: dict[str, Any]
    picture: dict[str, Any]
    plan: PlanOut | None


class Document(Schema):
    document: dict[str, Any]


class BiteIn(Schema):
    document: dict[str, Any]
    operation: int


class BiteOut(Schema):
    bite: dict[str, Any]


class QuantityIn(Schema):
    text: str
    kind: str
    units: str = "mm"


class QuantityOut(Schema):
    value: float
    metric: str
    inch: str


class Picture(Schema):
    picture: dict[str, Any]


class DrawingOut(Schema):
    areas: list[dict[str, Any]]
    findings: list[dict[str, Any]]
    units: str
    units_known: bool
    bounds: tuple[float, float, float, float]


class Stores(Schema):
    materials: list[dict[str, Any]]
    tools: list[dict[str, Any]]
    machines: list[dict[str, Any]]


@api.exception_handler(core.InputError)
def _input_error(request: HttpRequest, error: core.InputError) -> HttpResponse:
    return api.create_response(request, {"faults": error.faults}, status=422)


@api.exception_handler(ValidationError)
def _validation_error(request: HttpRequest, error: ValidationError) -> HttpResponse:
    faults = [f"{'.'.join(str(p) for p in e['loc'][1:])}: {e['msg']}." for e in error.errors]
    return api.create_response(request, {"faults": faults}, status=422)


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return api.create_response(request, {"faults": ["That is no longer here."]}, status=404)


def _plan_out(plan: Plan, job: Job) -> PlanOut:
    return PlanOut(
        id=plan.pk, state=plan.state, progress=plan.progress, doing=plan.doing, sentence=plan.sentence,
        fresh=plan.document_hash == core.fingerprint(job.document), report=plan.report,
    )  # fmt: skip


def _plans() -> QuerySet[Plan]:
    return Plan.objects.defer("trace", "program", "document")


def _latest(job: Job) -> PlanOut | None:
    """The plan to show: the running one, else the last that was done, else the last."""
    actions.bury_silent_plans()
    own = _plans().filter(job=job).order_by("-pk")
    plan = own.first()
    if plan is not None and plan.state == Plan.State.STOPPED:
        plan = own.filter(state=Plan.State.DONE).first() or plan
    return _plan_out(plan, job) if plan else None


def _job_out(job: Job) -> JobOut:
    return JobOut(
        id=job.pk, revision=job.revision, document=job.document, picture=core.picture(job.document), plan=_latest(job)
    )


@api.get("/stores", response=Stores)
def stores(request: HttpRequest) -> dict[str, Any]:
    return core.stores()


@api.get("/jobs", response=list[JobLine])
def jobs(request: HttpRequest) -> list[JobLine]:
    lines = []
    for job in Job.objects.order_by("-updated"):
        plan = _latest(job)
        report = plan.report if plan and plan.report else None
        state = "not planned yet"
        if plan is not None:
            state = plan.state if plan.state != Plan.State.DONE else ("planned" if plan.fresh else "out of date")
        lines.append(
            JobLine(
                id=job.pk, name=job.name, updated=job.updated.isoformat(), state=state,
                seconds=report["seconds"] if report else None,
                findings=len(report["warnings"]) if report else 0, picture=core.picture(job.document),
            )
        )  # fmt: skip
    return lines


@api.post("/jobs", response={201: JobOut, 422: Fault})
def make_job(request: HttpRequest, body: Document) -> Status[JobOut]:
    return Status(201, _job_out(actions.make_job(body.document)))


@api.get("/jobs/{pk}", response={200: JobOut, 404: Fault})
def job(request: HttpRequest, pk: int) -> JobOut:
    return _job_out(get_object_or_404(Job, pk=pk))


@api.put("/jobs/{pk}", response={200: JobOut, 422: Fault})
def change_job(request: HttpRequest, pk: int, body: Document) -> JobOut:
    return _job_out(actions.change_job(get_object_or_404(Job, pk=pk), body.document))


@api.delete("/jobs/{pk}", response={204: None})
def delete_job(request: HttpRequest, pk: int) -> Status[None]:
    get_object_or_404(Job, pk=pk).delete()
    return Status(204, None)


@api.post("/bite", response={200: BiteOut, 422: Fault})
def bite(request: HttpRequest, body: BiteIn) -> BiteOut:
    """The bite of an operation while it is being typed; nothing is kept."""
    return BiteOut(bite=core.bite(body.document, body.operation))


@api.post("/quantity", response={200: QuantityOut, 422: Fault})
def quantity(request: HttpRequest, body: QuantityIn) -> dict[str, Any]:
    """Read a typed value: units, fractions and sums."""
    return core.quantity(body.text, body.kind, body.units)


@api.post("/picture", response={200: Picture, 422: Fault})
def picture(request: HttpRequest, body: Document) -> Picture:
    """The drawing of a document that is not kept yet."""
    return Picture(picture=core.picture(body.document))


@api.post("/drawings", response={200: DrawingOut, 422: Fault})
def read_drawing(request: HttpRequest, file: File[UploadedFile], units: Form[str] = "") -> dict[str, Any]:
    """Read a DXF file; nothing is kept."""
    size = file.size or 0
    if size > core.MOST_BYTES:
        raise core.PartError(
            f"The drawing is {size / 1e6:.0f} MB large; up to {core.MOST_BYTES / 1e6:.0f} MB are read.",
            "Save only the outlines that are to be cut.",
        )
    return core.drawing(file.read(), units if units in ("mm", "in") else None)


@api.post("/jobs/{pk}/plan", response={200: PlanOut, 422: Fault})
def start_plan(request: HttpRequest, pk: int) -> PlanOut:
    job = get_object_or_404(Job, pk=pk)
    return _plan_out(actions.start_plan(job), job)


@api.get("/plans/{pk}", response={200: PlanOut, 404: Fault})
def plan(request: HttpRequest, pk: int) -> PlanOut:
    actions.bury_silent_plans()
    found = get_object_or_404(_plans(), pk=pk)
    return _plan_out(found, found.job)


@api.post("/plans/{pk}/stop", response={200: PlanOut, 404: Fault})
def stop_plan(request: HttpRequest, pk: int) -> PlanOut:
    found = actions.stop_plan(get_object_or_404(Plan, pk=pk))
    return _plan_out(found, found.job)


@api.get("/plans/{pk}/trace")
def trace(request: HttpRequest, pk: int) -> HttpResponse:
    """The measured path as one binary block; see justbite.model.trace.PathTrace.packed."""
    found = get_object_or_404(Plan, pk=pk, state=Plan.State.DONE)
    return HttpResponse(bytes(found.trace), content_type="application/octet-stream")


@api.get("/plans/{pk}/program.nc")
def program(request: HttpRequest, pk: int) -> HttpResponse:
    """The NC program to take away."""
    found = get_object_or_404(Plan, pk=pk, state=Plan.State.DONE)
    name = "".join(c if c.isalnum() else "-" for c in found.job.name.lower()).strip("-") or "program"
    answer = HttpResponse(found.program, content_type="text/plain; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}.nc"'
    return answer
