"""First boot: put it together, power it, watch the clock; what is wrong if it is late."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router

from mintseed.core.boot.assembly import AssemblyStep, assembly_steps
from mintseed.core.boot.causes import Cause
from mintseed.core.contained import unreadable_deployment
from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity
from mintseed.core.plan.power import power_sum, wanted_text
from mintseed.core.stations import Station
from mintseed.server.api.bench import BandOut, band_out
from mintseed.server.api.shapes import DeploymentOut, LogLineOut, deployment_out, log_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.power import begin_run, end_run, facts
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Bench, BootRun, LogEntry
from mintseed.services import power_on as powering

router = Router(tags=["boot"])

MOST_RUNS, MOST_EVENTS = 20, 50
"""the last ones shown; all stand in the log."""


class RunOut(Wire):
    """A boot run as it was."""

    number: int
    powered_at: datetime
    off_at: datetime | None
    ended: str
    lasted_s: float | None
    joined_after_s: float | None
    by_hand: bool
    board: str
    """which board it was, as it was called and marked then"""


class BootOut(Wire):
    deployment: DeploymentOut
    steps: list[AssemblyStep]
    by_hand: bool
    ready: bool
    not_ready_because: str
    not_ready_fix: str
    not_ready_station: str
    """where that is put right"""
    powered: bool
    powered_at: datetime | None
    late_at: datetime | None
    joined_after_s: float | None
    band: BandOut | None
    before_looked_at: datetime | None
    finding: Finding | None
    causes: list[Cause]
    runs: list[RunOut]
    events: list[LogLineOut]


class PowerOnIn(Wire):
    """`ago_s`: seconds since a person plugged it in; 0 for now. Only where it is done by hand."""

    ago_s: float = 0


@router.get("/deployments/{pk}/boot", response=BootOut)
def read_boot(request: HttpRequest, pk: int) -> BootOut:
    return _out(judged(pk))


@router.post("/deployments/{pk}/boot/power-on", response=BootOut)
def power_on(request: HttpRequest, pk: int, payload: PowerOnIn) -> BootOut:
    begin_run(pk, ago_s=payload.ago_s)
    return _out(judged(pk))


@router.post("/deployments/{pk}/boot/power-off", response=BootOut)
def power_off(request: HttpRequest, pk: int) -> BootOut:
    end_run(judged(pk).loaded)
    return _out(judged(pk))


def _out(view: Judged) -> BootOut:
    one, walk = view.loaded, view.loaded.walk
    row, run = one.row, walk.inputs.run
    by_hand = one.write.bench.kind == Bench.Kind.REAL if one.write else not _plays_here(view) or not walk.writes_card
    # A device in service is shown as it was; whether its board has power, and may have it, is as it is now.
    powered = one.run is not None and one.run.off_at is None
    # Of the card that is proven: once its proof has ended, another write may be going on in the reader.
    released = one.write is not None and one.write.released and walk.inputs.write.proven_at is not None
    stop = None if powered else _against(one.live)
    seen = ("candidates", "seen", "causes", "known_before")
    runs = list(BootRun.objects.filter(deployment=row).defer(*seen).order_by("-pk")[:MOST_RUNS])
    # What was noted since the run was: somebody may have said later when they powered it.
    newest = list(LogEntry.objects.filter(deployment=row).order_by("-pk")[:MOST_EVENTS])
    events = [e for e in reversed(newest) if one.run and e.at >= one.run.noted_at]
    return BootOut(
        deployment=deployment_out(view),
        steps=list(assembly_steps(walk.inputs.board, walk.inputs.supply, row.way, released=released,
                                  parts=walk.inputs.parts, cable=walk.inputs.cable, wanted=wanted_text(power_sum(walk.plan)), transmits="transmit" in walk.inputs.recipe.hazards))
        if walk.inputs.board
        else [],
        by_hand=by_hand,
        ready=stop is None and not powered,
        not_ready_because=stop.title if stop else "",
        not_ready_fix=stop.fix if stop else "",
        not_ready_station=stop.action.station if stop and stop.action else "",
        powered=powered,
        powered_at=run.powered_at if run else None,
        late_at=walk.clock.at(walk.band.late_after_s) if walk.band else None,
        joined_after_s=run.joined_after_s if run else None,
        band=band_out(walk),
        before_looked_at=_looked_before(view),
        finding=next(iter(view.of(Station.BOOT)), None) if view.closed else walk.boot_finding,
        causes=list(walk.causes),
        runs=[
            RunOut(
                number=number, powered_at=r.powered_at, off_at=r.off_at, ended=r.ended, lasted_s=r.lasted_s,
                joined_after_s=r.joined_after_s, by_hand=r.by_hand, board=_board_text(r),
            )
            for number, r in zip(range(one.run_number, 0, -1), runs, strict=False)
        ][::-1],
        events=[log_out(e) for e in events],
    )  # fmt: skip


def _against(one: Loaded) -> Finding | None:
    """Return what stands against powering it now; what cannot be judged any more stands against it itself."""
    try:
        found = powering.check(one.walk, facts(one))
    except MintSeedError as error:
        return unreadable_deployment(error)
    return next((f for f in found if f.severity is Severity.STOP), None)


def _board_text(run: BootRun) -> str:
    return ", ".join(text for text in (run.board_name, run.board_mark) if text)


def _looked_before(view: Judged) -> datetime | None:
    """Return when every address was last asked since this card was proven, so that what comes afterwards is new."""
    write = view.loaded.write
    scanned_at = write.bench.scanned_at if write else None
    proven_at = write.proven_at if write else None
    return scanned_at if scanned_at and proven_at and scanned_at >= proven_at else None


def _plays_here(view: Judged) -> bool:
    return Bench.objects.filter(site=view.loaded.site).exclude(kind=Bench.Kind.REAL).exists()
