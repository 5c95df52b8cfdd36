"""The bench: every deployment as a line, what runs now, what is new, what is in the reader."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema, Status

from mintseed import wiring
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.find.candidates import Candidate
from mintseed.core.keep.label import next_name
from mintseed.core.line import Mark
from mintseed.core.units import nominal_gb
from mintseed.server.api.shapes import DeploymentOut, DriveOut, JobOut, deployment_out, drives_out, job_out
from mintseed.server.journal import record
from mintseed.server.models import Deployment, LogEntry, Site
from mintseed.server.walk import Walk, host_names, load_walk, load_walks

router = Router(tags=["bench"])


class BandOut(Schema):
    """A running boot: seconds since power-on at `pace`, and the marks of its time band."""

    elapsed_s: float
    pace: float
    usual_from_s: float
    usual_to_s: float
    late_after_s: float
    hopeless_after_s: float


class RunningOut(Schema):
    deployment_id: int
    name: str
    station: str
    text: str
    band: BandOut | None
    job: JobOut | None


class NewcomerOut(Schema):
    """An address new since a power-on, and which deployment it may be."""

    address: str
    host_name: str
    why: str
    deployment_id: int
    likely: str


class BenchOut(Schema):
    deployments: list[DeploymentOut]
    running: list[RunningOut]
    newcomers: list[NewcomerOut]
    drives: list[DriveOut]


class PlaceOut(Schema):
    """What the shell needs to know: which bench this is, and the counts beside the places."""

    standin: bool
    pace: float
    site_name: str
    deployments: int
    images: int


class RecipeOut(Schema):
    id: str
    name: str
    kind: str
    summary: str
    releases: list[str]


class NewDeploymentIn(Schema):
    recipe: str
    name: str = ""


@router.get("/place", response=PlaceOut)
def place(request: HttpRequest) -> PlaceOut:
    site, _ = Site.objects.get_or_create(pk=1)
    bench = wiring.bench()
    return PlaceOut(
        standin=wiring.config().is_standin,
        pace=bench.clock.boot_pace,
        site_name=site.name,
        deployments=Deployment.objects.filter(removed_at=None).count(),
        images=len(bench.library.files()),
    )


@router.get("/bench", response=BenchOut)
def bench(request: HttpRequest) -> BenchOut:
    walks = load_walks()
    return BenchOut(
        deployments=[deployment_out(w) for w in walks],
        running=[r for w in walks if (r := _running(w)) is not None],
        newcomers=_newcomers(walks),
        drives=drives_out(),
    )


def _running(walk: Walk) -> RunningOut | None:
    marks = {m.station: m.mark for m in walk.line.marks}

    def running(station: str, text: str, *, band: BandOut | None = None, job: JobOut | None = None) -> RunningOut:
        return RunningOut(deployment_id=walk.row.pk, name=walk.row.name, station=station, text=text, band=band, job=job)

    if walk.card_facts.writing:
        return running("card", walk.line.next_step, job=job_out(walk.job))
    if walk.row.powered_at and walk.row.joined_after_s is None and walk.boot_finding:
        return running("boot", walk.boot_finding.title, band=band_out(walk))
    if Mark.RUNNING in marks.values():
        return running("image", walk.line.next_step, job=job_out(walk.image_job))
    return None


def band_out(walk: Walk) -> BandOut | None:
    """Return the time band of a powered board, or None when there is none."""
    band = walk.band
    if band is None or walk.row.powered_at is None:
        return None
    return BandOut(
        elapsed_s=walk.elapsed_s,
        pace=wiring.bench().clock.boot_pace,
        usual_from_s=band.usual_from_s,
        usual_to_s=band.usual_to_s,
        late_after_s=band.late_after_s,
        hopeless_after_s=band.hopeless_after_s,
    )


MOST_NEWCOMERS = 6


def _newcomers(walks: list[Walk]) -> list[NewcomerOut]:
    """Return each address that is new for a board not claimed yet, once, with the deployment it speaks for most."""
    best: dict[str, tuple[Candidate, Walk]] = {}
    for walk in walks:
        if walk.row.address or walk.row.powered_at is None:
            continue
        for candidate in walk.candidates:
            held = best.get(candidate.address)
            if candidate.points > 0 and (held is None or candidate.points > held[0].points):
                best[candidate.address] = (candidate, walk)
    ranked = sorted(best.values(), key=lambda pair: -pair[0].points)
    return [
        NewcomerOut(
            address=c.address,
            host_name=c.host_name,
            why=", ".join(e.text for e in c.evidence),
            deployment_id=walk.row.pk,
            likely=walk.row.name if c.is_it else "",
        )
        for c, walk in ranked[:MOST_NEWCOMERS]
    ]


@router.get("/recipes", response=list[RecipeOut])
def recipes(request: HttpRequest) -> list[RecipeOut]:
    return [
        RecipeOut(id=r.id, name=r.name, kind=r.kind, summary=r.summary, releases=[x.version for x in r.releases])
        for r in wiring.recipes().values()
    ]


@router.post("/deployments", response=DeploymentOut)
def create(request: HttpRequest, payload: NewDeploymentIn) -> DeploymentOut:
    recipe = wiring.recipes().get(payload.recipe)
    if recipe is None:
        raise InputError(f"no appliance is called {payload.recipe}", expected=", ".join(wiring.recipes()))
    name = " ".join(payload.name.split())[:80] or f"{recipe.name} {recipe.kind}"
    site, _ = Site.objects.get_or_create(pk=1)
    network = site.wifi.order_by("band_ghz", "pk").first()
    with transaction.atomic():
        row = Deployment.objects.create(
            name=name,
            recipe=recipe.id,
            host_name=_free_host_name(recipe.host_name),
            way=recipe.ways[0],
            network=network if recipe.ways[0] == "wifi" else None,
            card_gb=_card_in_reader(),
        )
        record(row, "plan", "deployment.started", f"Started: {recipe.name} as {name}")
    return deployment_out(load_walk(row.pk))


def _free_host_name(wanted: str) -> str:
    taken = host_names()
    return wanted if wanted.lower() not in taken else next_name(wanted, taken)


def _card_in_reader() -> int | None:
    """Return the printed size of the one card in the reader, or None when there is none or more than one."""
    free = [d for d in drives_out() if not d.locked]
    return nominal_gb(free[0].size_bytes) if len(free) == 1 else None


@router.get("/deployments/{pk}", response=DeploymentOut)
def read(request: HttpRequest, pk: int) -> DeploymentOut:
    return deployment_out(load_walk(pk))


@router.delete("/deployments/{pk}", response={204: None})
def remove(request: HttpRequest, pk: int) -> Status[None]:
    walk = load_walk(pk)
    if walk.card_facts.writing:
        raise RefusedError("its card is being written", next_step="Stop the writing first.")
    wiring.bench().power.power_off(unit_key(walk.row))
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(removed_at=wiring.bench().clock.now())
        record(walk.row, "plan", "deployment.removed", "Taken off the bench")
    return Status(204, None)


@router.post("/deployments/{pk}/restore", response=DeploymentOut)
def restore(request: HttpRequest, pk: int) -> DeploymentOut:
    row = Deployment.objects.get(pk=pk)
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(removed_at=None, powered_at=None)
        record(row, "plan", "deployment.restored", "Put back on the bench")
    return deployment_out(load_walk(pk))


def unit_key(row: Deployment) -> str:
    """Return the name under which the bench knows the board unit of `row`."""
    return f"unit-{row.board_unit_id or 0}"


class LogLineOut(Schema):
    id: int
    at: datetime
    deployment_id: int | None
    deployment_name: str
    station: str
    event: str
    text: str


def log_out(entry: LogEntry) -> LogLineOut:
    return LogLineOut(
        id=entry.pk,
        at=entry.at,
        deployment_id=entry.deployment_id,
        deployment_name=entry.deployment_name,
        station=entry.station,
        event=entry.event,
        text=entry.text,
    )
