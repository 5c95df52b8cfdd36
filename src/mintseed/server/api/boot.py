"""First boot: put it together, power it, watch the clock; what is wrong if it is late."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.boot.assembly import AssemblyStep, assembly_steps
from mintseed.core.boot.causes import Cause
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding
from mintseed.server.api.bench import BandOut, LogLineOut, band_out, log_out, unit_key
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.journal import record
from mintseed.server.models import Deployment, LogEntry
from mintseed.server.walk import Walk, load_walk
from mintseed.services.find_device import known_addresses, sightings_now
from mintseed.services.write_card import pick_drive

router = Router(tags=["boot"])


class BootOut(Schema):
    deployment: DeploymentOut
    steps: list[AssemblyStep]
    by_hand: bool
    ready: bool
    not_ready_because: str
    powered_at: datetime | None
    late_at: datetime | None
    joined_after_s: float | None
    band: BandOut | None
    finding: Finding | None
    causes: list[Cause]
    events: list[LogLineOut]


@router.get("/deployments/{pk}/boot", response=BootOut)
def read_boot(request: HttpRequest, pk: int) -> BootOut:
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/boot/power-on", response=BootOut)
def power_on(request: HttpRequest, pk: int) -> BootOut:
    walk, bench = load_walk(pk), wiring.bench()
    if why := _not_ready(walk):
        raise RefusedError(why, next_step="Go back to Card.")
    board, row = walk.board, walk.row
    assert board is not None
    others = Deployment.objects.filter(
        removed_at=None, board_unit=row.board_unit, powered_at__isnull=False, kept_at=None
    )
    if other := others.exclude(pk=pk).first():
        raise RefusedError(
            f"that board runs {other.name} now", next_step="Power that one off first, or choose another board."
        )
    before = sightings_now(bench.view, wiring.announcements(), walk.networks)
    card = pick_drive(bench.readers, row.card_path, row.card_serial)
    bench.power.power_on(unit_key(row), board, card, cable=row.way == "cable")
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(
            powered_at=bench.clock.now(), known_before=sorted(known_addresses(before)), joined_after_s=None, was_late=False,
            candidates="", looked_at=None, address="", mac="",
        )  # fmt: skip
        record(
            row,
            "boot",
            "boot.powered-on",
            f"Powered on: {board.name}, {len({s.address for s in before})} devices were on the network before",
        )
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/boot/power-off", response=BootOut)
def power_off(request: HttpRequest, pk: int) -> BootOut:
    walk = load_walk(pk)
    wiring.bench().power.power_off(unit_key(walk.row))
    if walk.row.powered_at is not None:
        with transaction.atomic():
            Deployment.objects.filter(pk=pk).update(
                powered_at=None, joined_after_s=None, candidates="", looked_at=None, address="", mac=""
            )
            record(walk.row, "boot", "boot.powered-off", "Powered off, card back in the reader")
    return _out(load_walk(pk))


def _not_ready(walk: Walk) -> str:
    if walk.board is None:
        return "No board is chosen"
    if not walk.row.card_proven_at:
        return "No proven card yet"
    if not walk.card_current:
        return "The card is older than the settings"
    return "It is powered already" if walk.row.powered_at else ""


def _out(walk: Walk) -> BootOut:
    row = walk.row
    why = _not_ready(walk)
    events = LogEntry.objects.filter(deployment=row, at__gte=row.powered_at).order_by("at") if row.powered_at else []
    return BootOut(
        deployment=deployment_out(walk),
        steps=list(assembly_steps(walk.board, walk.supply, row.way)) if walk.board else [],
        by_hand=wiring.bench().power.by_hand,
        ready=not why,
        not_ready_because=why,
        powered_at=row.powered_at,
        late_at=walk.at(walk.band.late_after_s) if walk.band else None,
        joined_after_s=row.joined_after_s,
        band=band_out(walk),
        finding=walk.boot_finding,
        causes=list(walk.causes),
        events=[log_out(e) for e in events],
    )
