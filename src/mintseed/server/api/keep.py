"""Keep: the label, the record, and the same again."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router
from pydantic import TypeAdapter

from mintseed.core.keep.label import Label, next_name
from mintseed.server.api.log import PAGE_LINES
from mintseed.server.api.shapes import DeploymentOut, LogLineOut, deployment_out, log_out
from mintseed.server.api.wire import Wire
from mintseed.server.done import planning
from mintseed.server.judged.frozen import NAMES, pack
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import Judged, held, judged
from mintseed.server.judged.load import host_names, load
from mintseed.server.judged.networks import scheme_name
from mintseed.server.kept.models import Closing, Deployment, LogEntry, Site
from mintseed.server.kept.stored_types import stored
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import close_record
from mintseed.services import same_again as again

router = Router(tags=["keep"])

LABEL = TypeAdapter(Label)


class KeepOut(Wire):
    deployment: DeploymentOut
    label: Label | None
    kept: bool
    next_host_name: str
    next_name: str
    log: list[LogLineOut]
    """the newest page, oldest line first; `older_before` is where the page before begins"""
    older_before: int | None


class SameAgainIn(Wire):
    name: str
    host_name: str


@router.get("/deployments/{pk}/keep", response=KeepOut)
def read_keep(request: HttpRequest, pk: int) -> KeepOut:
    return _out(judged(pk))


@router.post("/deployments/{pk}/keep/done", response=KeepOut)
def done(request: HttpRequest, pk: int) -> KeepOut:
    _close(pk)
    return _out(judged(pk))


@all_or_nothing
def _close(pk: int) -> None:
    """Close the record of one device, once whoever asks: of two who press at the same moment the second finds it closed."""
    view = held(pk)
    one = view.loaded
    if view.closed:
        return
    closed = close_record.execute(one.walk, name=one.row.name)
    Closing.objects.create(
        deployment=one.row, label=LABEL.dump_python(closed.label, mode="json"), at=one.now, frozen=pack(one.inputs),
        names=NAMES.dump_python(one.names, mode="json"),
    )  # fmt: skip
    record(one.row, "keep", "keep.in-service", closed.log_text)
    judged(pk)


@router.post("/deployments/{pk}/keep/same-again", response=DeploymentOut)
def same_again(request: HttpRequest, pk: int, payload: SameAgainIn) -> DeploymentOut:
    one = load(pk)
    row, name, host_name = one.row, " ".join(payload.name.split())[:80], payload.host_name.strip()[:80]
    chosen = {field: getattr(row, field) for field in again.COPIED}
    with transaction.atomic():
        Site.objects.select_for_update().get(pk=row.site_id)  # no two get one host name at this moment
        fields = again.execute(chosen, name=name, host_name=host_name, names_taken=host_names(row.site, host_name))
        fresh = Deployment.objects.create(**fields)
        planning.same_parts(fresh, [p.kind for p in one.parts])
        record(fresh, "plan", "deployment.started", f"Started: the same again as {row.name}")
        return deployment_out(judged(fresh.pk))


def _next_host_name(row: Deployment) -> str:
    """Return what the next one of a kind may be called: as the place's scheme says it, where that numbers, else by the next number."""
    taken = host_names(row.site, row.host_name)
    made = scheme_name(row.site, recipe=row.recipe, name=row.name, board="")
    return (
        made if made and made.lower() not in taken and "{n" in row.site.name_scheme else next_name(row.host_name, taken)
    )


def _out(view: Judged) -> KeepOut:
    one, row = view.loaded, view.loaded.row
    newest = list(LogEntry.objects.filter(deployment=row).order_by("-pk")[: PAGE_LINES + 1])
    log = newest[:PAGE_LINES]
    label = (
        stored(LABEL, one.closing.label, None)
        if one.closing
        else close_record.label_of(one.walk, name=row.name, made_at=one.now)
    )
    return KeepOut(
        deployment=deployment_out(view),
        label=label,
        kept=view.closed,
        next_host_name=_next_host_name(row),
        next_name=f"{row.name}, the next",
        log=[log_out(e) for e in reversed(log)],
        older_before=log[-1].pk if len(newest) > PAGE_LINES else None,
    )
