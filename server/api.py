"""The API: thin. Every fault of the input is answered with 422 and plain sentences."""

from collections.abc import Callable
from typing import Any, TypeVar

from asgiref.sync import sync_to_async
from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, NinjaAPI, Status, UploadedFile
from ninja.errors import ValidationError

from server import actions, core
from server.models import Job, PartFile, Plan, StoreEntry
from server.schemas import (
    AreaIn,
    BiteIn,
    BiteOut,
    ChainAreaIn,
    ChainIn,
    ChainOut,
    ChangedOut,
    ChartOut,
    Document,
    EntryIn,
    EntryOut,
    Fault,
    FeatureOut,
    JobLine,
    JobOut,
    LayoutOut,
    Limits,
    MergeIn,
    NearestOut,
    NewPartIn,
    OperationsOut,
    PartOut,
    Picture,
    PlacingIn,
    PlanOut,
    QuantityIn,
    QuantityOut,
    ReliefOut,
    SliceIn,
    SplitIn,
    Stores,
    Taken,
)

MOST_JOIN = 5.0
"""mm: the widest gap in a drawing that is bridged on request."""

api = NinjaAPI(title="Just Bite", version="1", docs_url=None)


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
    return core.stores(actions.own_entries())


@api.get("/nearest-material", response={200: NearestOut, 422: Fault})
def nearest_material(request: HttpRequest, group: str, hardness: float | None = None) -> NearestOut:
    """The material to begin with when none matches: same group of ISO 513, nearest hardness."""
    return NearestOut(id=core.nearest_material(group, hardness, actions.own_entries()))


@api.post("/stores/{kind}", response={201: EntryOut, 422: Fault})
def make_entry(request: HttpRequest, kind: str, body: EntryIn) -> Status[EntryOut]:
    """A new entry of the workshop's own."""
    return Status(201, EntryOut(id=actions.keep_entry(kind, body.data).pk))


@api.put("/stores/{kind}/{pk}", response={200: EntryOut, 422: Fault})
def change_entry(request: HttpRequest, kind: str, pk: int, body: EntryIn) -> EntryOut:
    return EntryOut(id=actions.keep_entry(kind, body.data, pk).pk)


@api.delete("/stores/{kind}/{pk}", response={204: None, 404: Fault})
def delete_entry(request: HttpRequest, kind: str, pk: int) -> Status[None]:
    get_object_or_404(StoreEntry, pk=pk, kind=kind).delete()
    return Status(204, None)


@api.post("/cutters", response={200: Taken, 422: Fault})
def import_cutters(request: HttpRequest, file: File[UploadedFile]) -> Taken:
    """Take a CSV or JSON list with ISO 13399 codes: all of it, or nothing."""
    return Taken(count=actions.import_tools(file.read()))


@api.get("/cutters.{form}")
def export_cutters(request: HttpRequest, form: str) -> HttpResponse:
    """All cutters of the stores, as csv or json with ISO 13399 codes."""
    text = core.write_tools(core.stores(actions.own_entries())["tools"], form)
    kind = "application/json" if form == "json" else "text/csv"
    answer = HttpResponse(text, content_type=f"{kind}; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="cutters.{"json" if form == "json" else "csv"}"'
    return answer


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
    return BiteOut(bite=core.bite(body.document, body.operation, actions.known_path(body.document, body.operation)))


@api.post("/bite/by-depth", response={200: OperationsOut, 422: Fault})
def by_depth(request: HttpRequest, body: BiteIn) -> OperationsOut:
    """A document's operations, the areas of one shared out over several by depth; nothing is kept."""
    return OperationsOut(operations=core.by_depth(body.document, body.operation))


@api.post("/bite/relief", response={200: list[ReliefOut], 422: Fault})
def relief(request: HttpRequest, body: BiteIn) -> list[dict[str, Any]]:
    """What would relieve the ceilings that bind, found by trying it."""
    return core.reliefs(body.document, body.operation, actions.known_path(body.document, body.operation))


@api.post("/bite/chart", response={200: ChartOut, 422: Fault})
def chart(request: HttpRequest, body: BiteIn) -> dict[str, Any]:
    """The map of ae and ap: removal rate, ceilings, step-downs, chatter."""
    return core.chart(body.document, body.operation, actions.known_path(body.document, body.operation))


@api.post("/quantity", response={200: QuantityOut, 422: Fault})
def quantity(request: HttpRequest, body: QuantityIn) -> dict[str, Any]:
    """Read a typed value: units, fractions and sums."""
    return core.quantity(body.text, body.kind, body.units)


@api.post("/picture", response={200: Picture, 422: Fault})
def picture(request: HttpRequest, body: Document) -> Picture:
    """The drawing of a document that is not kept yet."""
    return Picture(picture=core.picture(body.document))


@api.post("/parts", response={201: PartOut, 422: Fault})
def take_part(
    request: HttpRequest, file: File[UploadedFile], units: Form[str] = "", join: Form[float] = 0.0
) -> Status[PartOut]:
    """Keep a part file and have it read in the worker."""
    size = file.size or 0
    if size > core.MOST_BYTES:
        raise core.PartError(
            f"The file is {size / 1e6:.0f} MB large; up to {core.MOST_BYTES / 1e6:.0f} MB are read.",
            "Export it coarser, or only what is cut.",
        )
    if not 0 <= join <= MOST_JOIN:
        raise core.PartError(f"A gap of {join:g} mm is not bridged; up to {MOST_JOIN:g} mm are.")
    units = units if units in ("mm", "in") else ""
    return Status(201, _part_out(actions.take_part(file.name or "part", file.read(), units, join)))


@api.get("/parts/{pk}", response={200: PartOut, 404: Fault})
def part(request: HttpRequest, pk: int) -> PartOut:
    return _part_out(get_object_or_404(PartFile.objects.defer("content"), pk=pk))


def _part_out(part: PartFile) -> PartOut:
    done = part.state == PartFile.State.DONE
    found = core.parts.summary(bytes(part.reading)) if done else core.parts.NOT_READ
    return PartOut(id=part.pk, name=part.name, state=part.state, sentence=part.sentence, **found)


@api.get("/parts/{pk}/mesh")
def part_mesh(request: HttpRequest, pk: int, body: int = 0) -> HttpResponse:
    """A body as one binary block; see server.core.parts.mesh."""
    data = core.parts.mesh(actions.reading_of(pk), body)
    return HttpResponse(data, content_type="application/octet-stream")


T = TypeVar("T")


async def _with_layout(pk: int, body: PlacingIn, use: Callable[[Any], T]) -> T:
    """`use` of the part's layout, in a thread of its own: a large mesh holds up nobody else."""

    asked = await sync_to_async(lambda: core.parts.gather(
        actions.reading_of(pk), body.placing, actions.reading_of, actions.document_of))()  # fmt: skip
    return await sync_to_async(lambda: use(core.parts.layout_of(asked)), thread_sensitive=False)()


@api.post("/parts/{pk}/layout", response={200: LayoutOut, 422: Fault})
async def layout(request: HttpRequest, pk: int, body: PlacingIn) -> dict[str, Any]:
    """The part placed, in its stock, with its features."""
    return await _with_layout(pk, body, core.parts.picture)


@api.post("/parts/{pk}/slice", response={200: list[FeatureOut], 422: Fault})
async def slice_part(request: HttpRequest, pk: int, body: SliceIn) -> list[dict[str, Any]]:
    """What is free of the part at a height."""
    return await _with_layout(pk, body, lambda laid: core.parts.sliced(laid, body.z))


@api.post("/parts/{pk}/chain", response={200: ChainOut, 422: Fault})
async def chain(request: HttpRequest, pk: int, body: ChainIn) -> dict[str, Any]:
    """The chain of edges nearest to a place."""
    pick = body.pick
    return await _with_layout(pk, body, lambda laid: core.parts.chain(laid, pick.x, pick.y, pick.follow, pick.within))


@api.post("/parts/{pk}/chain-area", response={200: FeatureOut, 422: Fault})
async def chain_area(request: HttpRequest, pk: int, body: ChainAreaIn) -> dict[str, Any]:
    """The area inside a picked chain, or the strip beside it."""
    pick = body.pick.model_dump()
    return await _with_layout(
        pk, body,
        lambda laid: core.parts.chain_area(laid, pick, body.bridge, body.bottom, body.width, body.right),
    )  # fmt: skip


@api.post("/areas", response={200: FeatureOut, 422: Fault})
def drawn_area(request: HttpRequest, body: AreaIn) -> dict[str, Any]:
    """The figures of an area drawn by hand."""
    return core.parts.drawn_area(body.model_dump())


@api.post("/areas/merge", response={200: FeatureOut, 422: Fault})
def merge_areas(request: HttpRequest, body: MergeIn) -> dict[str, Any]:
    """One area of several with the same floor."""
    return core.parts.merged([a.model_dump() for a in body.areas])


@api.post("/areas/split", response={200: list[FeatureOut], 422: Fault})
def split_area(request: HttpRequest, body: SplitIn) -> list[dict[str, Any]]:
    """The pieces of an area along a line."""
    return core.parts.split_area(body.area.model_dump(), body.a, body.b)


@api.post("/jobs/{pk}/part", response={200: ChangedOut, 422: Fault})
def change_part(request: HttpRequest, pk: int, body: NewPartIn) -> ChangedOut:
    """Give a job a new version of its part; operations stay, areas follow."""
    actions.reading_of(body.part)
    job, findings = actions.change_part(get_object_or_404(Job, pk=pk), get_object_or_404(PartFile, pk=body.part))
    return ChangedOut(job=_job_out(job), findings=findings)


@api.post("/limits", response={200: Limits, 422: Fault})
def centre_limits(request: HttpRequest, body: BiteIn) -> Limits:
    """Where the cutter's centre may go in an operation of a document."""
    return Limits.model_validate({"areas": core.limits(body.document, body.operation)})


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
