"""Find: which address is it, which page."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Literal

from django.db import transaction
from django.http import HttpRequest
from ninja import Router

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.find.candidates import OWN_ADDRESS_TEXT, Candidate, page_url
from mintseed.core.findings import Finding
from mintseed.core.keep.label import qr_code
from mintseed.core.stations import Station
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.looking import Watched, look_at
from mintseed.server.done.agent.naming import Question, asked
from mintseed.server.done.asking import LOOK_WITHIN_S, has_looked
from mintseed.server.done.open_record import held_open, opened
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.bells import AGENT, ring
from mintseed.server.kept.models import BoardUnit, BootRun, Claim
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import claim as claiming

router = Router(tags=["find"])


class SeenOut(Wire):
    """An address and when it was first seen in this boot."""

    address: str
    first_seen_at: datetime


class FindOut(Wire):
    deployment: DeploymentOut
    powered: bool
    scanning: bool
    scanned_at: datetime | None
    networks: list[str]
    looked_at: datetime | None
    joined_after_s: float | None
    before_known: bool
    candidates: list[Candidate]
    seen: list[SeenOut]
    winner: Candidate | None
    claimed: str
    url: str
    name_url: str
    """the page under its name; empty until it was heard to answer to it"""
    host_name: str
    asks_way: bool
    """whether it could have joined by cable though the plan says Wi-Fi, and nobody said so yet or otherwise"""
    by: str
    ours: dict[str, str]
    """addresses of other devices that are known here, with their names"""
    qr_path: str
    qr_size: int
    findings: list[Finding]


class ClaimIn(Wire):
    address: str


class WayIn(Wire):
    """By which way a claimed device joined, where a person says so."""

    by: Literal["", "wifi", "cable"]


class ScanIn(Wire):
    """Whether the site's own ranges are scanned while the board is looked for."""

    on: bool


@router.get("/deployments/{pk}/find", response=FindOut)
def read_find(request: HttpRequest, pk: int) -> FindOut:
    return _out(judged(pk))


@router.post("/deployments/{pk}/find/look", response=FindOut)
def look(request: HttpRequest, pk: int) -> FindOut:
    one = judged(pk).loaded.live
    run = one.run
    if run is None or run.off_at is not None:
        raise RefusedError("the board is not powered", next_step="Power it under First boot.")
    if run.bench_id == own_bench().pk:
        look_at([Watched(one, run, None if run.known_before is None else frozenset(run.known_before))])
    else:
        _have_looked(run)
    return _out(judged(pk))


def _have_looked(run: BootRun) -> None:
    """Have the bench where the board is look for it now, and wait until it did. Raises RefusedError when it does not."""

    def done(asked: datetime) -> bool:
        looked = BootRun.objects.filter(pk=run.pk).values_list("looked_at", flat=True).first()
        return looked is not None and looked >= asked

    if not has_looked(run.bench_id, done):
        raise RefusedError(
            f"the worker of {run.bench.name} did not look within {LOOK_WITHIN_S:g} s",
            where=run.bench.name,
            next_step="See under Site whether it answers.",
        )


@router.post("/deployments/{pk}/find/scan", response=FindOut)
def scan(request: HttpRequest, pk: int, payload: ScanIn) -> FindOut:
    run = judged(pk).loaded.run
    if run is None or run.off_at is not None:
        raise RefusedError("the board is not powered", next_step="Power it under First boot.")
    with transaction.atomic():
        BootRun.objects.filter(pk=run.pk).update(scanning=payload.on)
        changed(deployment_topic(pk))
        ring(AGENT)
    return _out(judged(pk))


@router.post("/deployments/{pk}/find/claim", response=FindOut)
def claim(request: HttpRequest, pk: int, payload: ClaimIn) -> FindOut:
    one = opened(judged(pk)).live
    claiming.execute(one.walk, payload.address)  # refused before anybody is asked for a name
    _ask_name(one, payload.address)
    _claim(pk, payload.address)
    return _out(judged(pk))


@all_or_nothing
def _claim(pk: int, address: str) -> None:
    """Keep that `address` is the device; of two who claim at the same moment the later one stands."""
    one = held_open(pk).live
    made = claiming.execute(one.walk, address)
    assert one.run is not None
    Claim.objects.filter(boot_run=one.run, taken_back_at=None).update(taken_back_at=one.now)
    Claim.objects.create(
        deployment=one.row, boot_run=one.run, address=made.address, mac=made.mac, evidence=list(made.evidence), at=one.now
    )  # fmt: skip
    _learn(one.row.board_unit_id, made.mac)
    record(one.row, "find", "find.claimed", made.log_text)


def _ask_name(one: Loaded, address: str) -> None:
    """Ask once whether what is claimed answers to its name, where this process stands on its network; else its bench will."""
    run = one.run
    if run is None or run.bench_id != own_bench().pk or one.walk.name_answers:
        return
    facts = asked(Question(run.pk, one.row.pk, one.row.host_name, tuple(one.networks), (address,)))
    if facts.answers_at:
        BootRun.objects.filter(pk=run.pk).update(naming=asdict(facts))


MOST_MACS = 8
"""hardware addresses kept of one board: it has one or two of its own, and an adapter brings another"""


def _learn(unit_pk: int | None, mac: str) -> None:
    """Keep the hardware address of what was claimed with its board: the next time it is told by it."""
    unit = BoardUnit.objects.select_for_update().filter(pk__in=[unit_pk]).first()
    if unit is not None and mac and mac not in unit.macs and len(unit.macs) < MOST_MACS:
        unit.macs = [*unit.macs, mac]
        unit.save(update_fields=["macs"])


def _unlearn(unit_pk: int | None, claim: Claim) -> None:
    """Forget a hardware address that a claim brought which was none; one that spoke for it beforehand was known already."""
    unit = BoardUnit.objects.select_for_update().filter(pk__in=[unit_pk]).first()
    if unit is not None and claim.mac in unit.macs and OWN_ADDRESS_TEXT not in claim.evidence:
        unit.macs = [mac for mac in unit.macs if mac != claim.mac]
        unit.save(update_fields=["macs"])


@router.post("/deployments/{pk}/find/way", response=FindOut)
def say_way(request: HttpRequest, pk: int, payload: WayIn) -> FindOut:
    """Say by which way the claimed device joined."""
    _say_way(pk, payload)
    return _out(judged(pk))


@all_or_nothing
def _say_way(pk: int, payload: WayIn) -> None:
    claim = held_open(pk).claim
    if claim is None:
        raise RefusedError("nothing is claimed yet", next_step="Say first which address is it.")
    Claim.objects.filter(pk=claim.pk, taken_back_at=None).update(by=payload.by)
    changed(deployment_topic(pk))


@router.post("/deployments/{pk}/find/let-go", response=FindOut)
def let_go(request: HttpRequest, pk: int) -> FindOut:
    _let_go(pk)
    return _out(judged(pk))


@all_or_nothing
def _let_go(pk: int) -> None:
    one = held_open(pk)
    if one.claim is not None:
        Claim.objects.filter(pk=one.claim.pk).update(taken_back_at=wiring.bench().clock.now())
        _unlearn(one.row.board_unit_id, one.claim)
        record(one.row, "find", "find.let-go", f"{one.claim.address} was not it")


def _out(view: Judged) -> FindOut:
    one, walk = view.loaded, view.loaded.walk
    row, page, run = one.row, one.recipe.page, walk.inputs.run
    claimed = walk.inputs.claimed
    address = claimed or (walk.winner.address if walk.winner else "")
    url = page_url(page, address) if address else ""
    path, size = qr_code(url) if url else ("", 0)
    seen = one.run.seen if one.run else {}
    return FindOut(
        deployment=deployment_out(view),
        powered=run is not None and run.powered,
        scanning=bool(one.run and one.run.scanning),
        scanned_at=_scanned(one),
        networks=list(one.networks),
        looked_at=run.looked_at if run else None,
        joined_after_s=run.joined_after_s if run else None,
        before_known=bool(one.run and one.run.known_before is not None),
        candidates=list(run.candidates) if run else [],
        seen=[SeenOut(address=a.split("=", 1)[0], first_seen_at=datetime.fromisoformat(at)) for a, at in seen.items()],
        winner=walk.winner,
        claimed=claimed,
        url=url,
        name_url=page_url(page, f"{row.host_name}.local") if _name_known(view) else "",
        host_name=f"{row.host_name}.local",
        asks_way=bool(claimed) and row.way == "wifi" and walk.plan.ethernet and not view.closed,
        by=one.claim.by if one.claim else "",
        ours={c.address: c.ours for c in run.candidates if c.ours} if run else {},
        qr_path=path,
        qr_size=size,
        findings=view.of(Station.FIND) if view.closed else list(walk.find_findings),
    )


def _name_known(view: Judged) -> bool:
    """Return whether it was heard to answer to its name; of one in service, whether it was when its label was made."""
    closing = view.loaded.closing
    if view.closed and closing is not None:
        return bool(dict(closing.label or {}).get("host_name"))
    return view.loaded.walk.name_answers


def _scanned(one: Loaded) -> datetime | None:
    """Return when every address was last asked in this boot, None before the first time."""
    run = one.run
    scanned_at = run.bench.scanned_at if run else None
    return scanned_at if run and scanned_at and scanned_at >= run.powered_at else None
