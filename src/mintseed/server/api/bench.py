"""The bench: every deployment as a line, what runs now, what is new, what is in the reader."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Status
from pydantic import Field

from mintseed import wiring
from mintseed.core.contained import broken_description
from mintseed.core.errors import InputError, MintSeedError
from mintseed.core.find.candidates import Newcomer, newcomers
from mintseed.core.findings import Finding
from mintseed.core.line import Mark
from mintseed.core.stations import Station
from mintseed.core.walk import Walk
from mintseed.server.api.shapes import (
    BenchRowOut,
    DeploymentOut,
    DriveOut,
    JobOut,
    PageOut,
    bench_rows,
    benches_of,
    deployment_out,
    drives_out,
    job_out,
    page_out,
)
from mintseed.server.api.wire import Wire
from mintseed.server.done import starting
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.off_bench import put_deployment_back, refuse_while_written, take_deployment_off
from mintseed.server.judged.changes import changed
from mintseed.server.judged.judging import Judged, judge, judged
from mintseed.server.judged.lists import bench_lists, count_up_to, page_of
from mintseed.server.judged.load import load_many, rows_to_load
from mintseed.server.judged.networks import zone_of
from mintseed.server.kept.models import BootRun, Deployment, Image, Judgement, Site
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import descriptions

router = Router(tags=["bench"])


class BandOut(Wire):
    """A running boot: seconds since power-on at `pace`, and the marks of its time band."""

    elapsed_s: float
    pace: float
    usual_from_s: float
    usual_to_s: float
    late_after_s: float
    hopeless_after_s: float
    assumed: bool
    """nobody said these times"""


class RunningOut(Wire):
    deployment_id: int
    name: str
    station: str
    text: str
    band: BandOut | None
    job: JobOut | None


class NewcomerOut(Wire):
    """An address new since a power-on, and which deployment it may be."""

    address: str
    host_name: str
    why: str
    deployment_id: int
    likely: str


class BenchOut(Wire):
    """The first pages of what is on the go and of what is in service, and what happens now."""

    open: PageOut
    service: PageOut
    needs_you: int
    running: list[RunningOut]
    newcomers: list[NewcomerOut]
    drives: list[DriveOut]
    benches: list[BenchRowOut]
    findings: list[Finding]


class PlaceOut(Wire):
    """What the shell needs to know: which bench this is, and the counts beside the places."""

    standin: bool
    kind: wiring.Kind
    pace: float
    not_simulated: list[str]
    site_id: int
    site_name: str
    time_zone: str
    bench_id: int
    deployments: int
    images: int
    demo: bool
    """whether deployments that the first start made are still on the bench"""
    examples_off: bool
    """whether somebody took the made-up examples off the lists"""


class ExamplesIn(Wire):
    off: bool


class NewDeploymentIn(Wire):
    recipe: str
    name: str = ""
    site_id: int | None = None
    board_unit_id: int | None = None
    """the board that lies in the drawer and shall be used"""
    fill: bool = False
    """whether the plan is filled with the best that fits from the shelf"""
    demo: bool | None = None
    """whether it is one of the made-up ones that a stand-in bench begins with; they go and come back together"""


@router.get("/place", response=PlaceOut)
def place(request: HttpRequest) -> PlaceOut:
    here, outside = own_bench(), wiring.bench()
    return PlaceOut(
        standin=wiring.config().is_standin,
        kind=wiring.config().bench,
        examples_off=descriptions.examples_are_off(),
        pace=outside.clock.boot_pace,
        not_simulated=list(wiring.not_simulated()) if wiring.config().plays_boards else [],
        site_id=here.site_id,
        site_name=here.site.name,
        time_zone=zone_of(here.site),
        bench_id=here.pk,
        deployments=count_up_to(Judgement.objects.exclude(place="gone")),
        images=count_up_to(Image.there.filter(present=True)),
        demo=Deployment.objects.filter(demo=True, removed_at=None).exists(),
    )


@router.get("/bench", response=BenchOut)
def bench(request: HttpRequest) -> BenchOut:
    lively, lists, benches = _lively(), bench_lists(SERVED_AT_FIRST), benches_of(None)
    return BenchOut(
        open=page_out(lists.open),
        service=page_out(lists.service),
        needs_you=lists.needs_you,
        running=[r for j in lively if (r := _running(j)) is not None],
        newcomers=[_newcomer(n) for n in _newcomers(lively)[:MOST_NEWCOMERS]],
        drives=drives_out(benches),
        benches=bench_rows(benches),
        findings=_broken_descriptions(),
    )


@router.put("/examples", response=PlaceOut)
def examples(request: HttpRequest, payload: ExamplesIn) -> PlaceOut:
    """Take what came with the program off the lists, or bring it back."""
    descriptions.take_examples_off(payload.off)
    changed("everything")
    return place(request)


@router.get("/deployments", response=PageOut)
def deployments(
    request: HttpRequest,
    place: Literal["open", "service"] = "open",
    only: Literal["", "needs-you", "running"] = "",
    search: Annotated[str, Field(max_length=80)] = "",
    before: int | None = None,
) -> PageOut:
    return page_out(page_of(place, only=only, search=search.strip(), before=before))


MOST_LIVELY = 20
"""deployments shown beside the list, of those where something runs."""

SERVED_AT_FIRST = 10
MOST_NEWCOMERS = 6
"""addresses shown that are new, the likely ones first."""


def _lively() -> list[Judged]:
    """Return what is written, read, booted or looked for now."""
    running = Judgement.objects.filter(place="open", running=True).order_by("-deployment_id")
    powered = BootRun.objects.filter(off_at=None, deployment__removed_at=None).order_by("-pk")
    ids = {
        *running.values_list("deployment_id", flat=True)[:MOST_LIVELY],
        *powered.values_list("deployment_id", flat=True)[:MOST_LIVELY],
    }
    return judge(load_many(rows_to_load().filter(pk__in=ids).order_by("-pk"))) if ids else []


def _broken_descriptions() -> list[Finding]:
    broken = descriptions.known().broken
    return [broken_description(name, error) for name, error in broken.items()]


def _running(view: Judged) -> RunningOut | None:
    one, row = view.loaded, view.loaded.row
    marks = {m.station: m.mark for m in view.line.marks}

    def running(station: str, text: str, *, band: BandOut | None = None, job: JobOut | None = None) -> RunningOut:
        return RunningOut(deployment_id=row.pk, name=row.name, station=station, text=text, band=band, job=job)

    if view.closed:
        return None
    try:
        if marks.get(Station.CARD) is Mark.RUNNING:
            return running("card", view.line.next_step, job=job_out(one.job))
        if one.run is not None and one.run.off_at is None and one.run.joined_after_s is None and one.walk.boot_finding:
            return running("boot", one.walk.boot_finding.title, band=band_out(one.walk))
        if Mark.RUNNING in marks.values():
            return running("image", view.line.next_step, job=job_out(one.image_job))
    except MintSeedError:
        return None  # what spoils it is its own finding already
    return None


def band_out(walk: Walk) -> BandOut | None:
    """Return the time band of the last boot of this card, or None when there is none."""
    band, run = walk.band, walk.inputs.run
    if band is None or run is None:
        return None
    return BandOut(
        elapsed_s=walk.clock.elapsed_s,
        pace=run.pace,
        usual_from_s=band.usual_from_s,
        usual_to_s=band.usual_to_s,
        late_after_s=band.late_after_s,
        hopeless_after_s=band.hopeless_after_s,
        assumed=band.assumed,
    )


def _newcomers(rows: list[Judged]) -> list[Newcomer]:
    looking = []
    for view in rows:
        run = view.loaded.run
        if run is None or run.off_at is not None or view.loaded.claim or view.closed or not run.candidates:
            continue
        try:
            facts = view.loaded.inputs.run
        except MintSeedError:
            continue
        if facts is not None:
            looking.append((view.loaded.row.pk, view.loaded.row.name, facts.candidates))
    return sorted(newcomers(looking), key=lambda n: not n.likely)


def _newcomer(n: Newcomer) -> NewcomerOut:
    return NewcomerOut(
        address=n.address, host_name=n.host_name, why=", ".join(n.why), deployment_id=n.deployment_id, likely=n.likely
    )


@router.post("/deployments", response=DeploymentOut)
def create(request: HttpRequest, payload: NewDeploymentIn) -> DeploymentOut:
    recipe = descriptions.recipes().get(payload.recipe)
    if recipe is None:
        raise InputError(f"no appliance is called {payload.recipe}", expected=", ".join(descriptions.recipes()))
    site = starting.place(payload.site_id)
    row = starting.start(
        recipe, site, name=payload.name, card_gb=card_in_reader(site), unit=payload.board_unit_id, fill=payload.fill,
        demo=bool(payload.demo) and wiring.config().is_standin,
    )  # fmt: skip
    return deployment_out(judged(row.pk))


def card_in_reader(site: Site) -> int | None:
    """Return the printed size of the one card in a reader, or None when there is none or more than one."""
    free = [d for d in drives_out(benches_of(site)) if not d.locked]
    return free[0].nominal_gb if len(free) == 1 else None


@router.get("/deployments/{pk}", response=DeploymentOut)
def read(request: HttpRequest, pk: int) -> DeploymentOut:
    return deployment_out(judged(pk))


class DemoOut(Wire):
    """How many deployments were taken off, or put back."""

    count: int


@router.post("/demo/clear", response=DemoOut)
def clear_demo(request: HttpRequest) -> DemoOut:
    """Take what the first start made off the bench, boards and all; the place, its shelf and its images stay. All of it, or nothing."""
    return DemoOut(count=_clear_demo())


@all_or_nothing
def _clear_demo() -> int:
    rows = Deployment.objects.select_for_update().filter(demo=True, removed_at=None).order_by("pk")
    keys = list(rows.values_list("pk", flat=True))
    for pk in keys:
        refuse_while_written(judged(pk))  # before the first board goes off
    for pk in keys:
        take_deployment_off(pk)
    return len(keys)


@router.post("/demo/restore", response=DemoOut)
def restore_demo(request: HttpRequest) -> DemoOut:
    """Put what the first start made back on the bench. Its boards stay off."""
    return DemoOut(count=_restore_demo())


@all_or_nothing
def _restore_demo() -> int:
    rows = Deployment.objects.select_for_update().filter(demo=True, removed_at__isnull=False).order_by("pk")
    keys = list(rows.values_list("pk", flat=True))
    for pk in keys:
        put_deployment_back(pk)
    return len(keys)


@router.delete("/deployments/{pk}", response={204: None})
def remove(request: HttpRequest, pk: int) -> Status[None]:
    take_deployment_off(pk)
    return Status(204, None)


@router.post("/deployments/{pk}/restore", response=DeploymentOut)
def restore(request: HttpRequest, pk: int) -> DeploymentOut:
    put_deployment_back(pk)
    return deployment_out(judged(pk))
