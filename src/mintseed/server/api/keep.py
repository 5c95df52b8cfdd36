"""Keep: the label, the record, and the same again."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.find.candidates import page_url
from mintseed.core.keep.label import Label, make_label, next_name
from mintseed.server.api.bench import LogLineOut, log_out
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.journal import record
from mintseed.server.models import Deployment, LogEntry
from mintseed.server.walk import Walk, host_names, load_walk

router = Router(tags=["keep"])


class KeepOut(Schema):
    deployment: DeploymentOut
    label: Label | None
    kept: bool
    next_host_name: str
    next_name: str
    log: list[LogLineOut]


class SameAgainIn(Schema):
    name: str
    host_name: str


@router.get("/deployments/{pk}/keep", response=KeepOut)
def read_keep(request: HttpRequest, pk: int) -> KeepOut:
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/keep/done", response=KeepOut)
def done(request: HttpRequest, pk: int) -> KeepOut:
    walk = load_walk(pk)
    if not walk.row.address:
        raise RefusedError("it has no address yet", next_step="Find it first.")
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(kept_at=wiring.bench().clock.now())
        record(walk.row, "keep", "keep.in-service", f"In service at {walk.row.address}, label taken")
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/keep/same-again", response=DeploymentOut)
def same_again(request: HttpRequest, pk: int, payload: SameAgainIn) -> DeploymentOut:
    walk, row = load_walk(pk), load_walk(pk).row
    name = " ".join(payload.name.split())[:80]
    host_name = payload.host_name.strip()[:80]
    if not name or not host_name:
        raise InputError("the next one needs a name and a host name")
    if host_name.lower() in host_names():
        raise InputError(f"{host_name} is taken", next_step=f"{_out(walk).next_host_name} is free.", where="host_name")
    with transaction.atomic():
        fresh = Deployment.objects.create(
            name=name, recipe=row.recipe, host_name=host_name, supply=row.supply, card_gb=row.card_gb, way=row.way,
            network=row.network, image=row.image, country=row.country, time_zone=row.time_zone, keyboard=row.keyboard,
            admin_name=row.admin_name, admin_hash=row.admin_hash, passphrase=row.passphrase,
        )  # fmt: skip
        record(fresh, "plan", "deployment.started", f"Started: the same again as {row.name}")
    return deployment_out(load_walk(fresh.pk))


def _out(walk: Walk) -> KeepOut:
    row = walk.row
    taken = host_names()
    log = LogEntry.objects.filter(deployment=row).order_by("at", "pk")
    return KeepOut(
        deployment=deployment_out(walk),
        label=_label(walk),
        kept=row.kept_at is not None,
        next_host_name=next_name(row.host_name, taken),
        next_name=f"{row.name}, the next",
        log=[log_out(e) for e in log],
    )


def _label(walk: Walk) -> Label | None:
    row = walk.row
    if not row.address or walk.xray is None:
        return None
    made_of = (
        f"{walk.recipe.name} {walk.xray.release}, {walk.xray.build}, on {walk.board.name if walk.board else 'a board'}"
    )
    return make_label(
        name=row.name,
        host_name=f"{row.host_name}.local",
        address=row.address,
        url=page_url(walk.recipe.page, row.address),
        made_of=made_of,
        made_on=(row.kept_at or walk.now).date(),
    )
