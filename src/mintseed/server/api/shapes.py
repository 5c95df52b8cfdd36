"""Answers that several stations share."""

from __future__ import annotations

import time
from collections.abc import Iterable
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from mintseed import wiring
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.end_of_card import judge_end
from mintseed.core.card.identity import Recognition
from mintseed.core.findings import Finding
from mintseed.core.line import Line
from mintseed.core.units import binary_size, drive_size, nominal_gb
from mintseed.server.api.wire import Wire
from mintseed.server.done.agent.bench_row import is_alive
from mintseed.server.done.agent.drives import RECOGNITION, listed
from mintseed.server.judged.job_state import describe_trouble, is_active
from mintseed.server.judged.judging import Judged
from mintseed.server.judged.lists import Listed, Page
from mintseed.server.judged.networks import zone_of
from mintseed.server.kept.models import Bench, BootRun, CardQuestion, Job, LogEntry, ReportedDrive, Site, Write
from mintseed.server.kept.stored_types import stored


class DeploymentOut(Wire):
    """A deployment with its line. `closed`: in service, shown as it was when its record was closed."""

    id: int
    name: str
    recipe_id: str
    appliance: str
    kind: str
    release: str
    unit_name: str
    board_name: str
    card_text: str
    host_name: str
    way: str
    site_id: int
    created_at: datetime
    time_zone: str
    closed: bool
    closed_at: datetime | None
    line: Line


def deployment_out(judged: Judged | Listed) -> DeploymentOut:
    row = judged.loaded.row if isinstance(judged, Judged) else judged.row
    names = judged.loaded.names if isinstance(judged, Judged) else judged.names
    return DeploymentOut(
        id=row.pk,
        name=row.name,
        recipe_id=row.recipe,
        appliance=names.appliance,
        kind=names.kind,
        release=names.release,
        unit_name=names.unit,
        board_name=names.board,
        card_text=f"{row.card_gb} GB card" if row.card_gb else "",
        host_name=row.host_name,
        way=row.way,
        site_id=row.site_id,
        created_at=row.created_at,
        time_zone=names.time_zone,
        closed=judged.closed,
        closed_at=judged.closed_at,
        line=judged.line,
    )


class PageOut(Wire):
    """Some deployments, newest first. `total` is counted up to a thousand; `older_before` asks for the next page."""

    deployments: list[DeploymentOut]
    total: int
    older_before: int | None


def page_out(page: Page) -> PageOut:
    return PageOut(
        deployments=[deployment_out(one) for one in page.rows], total=page.total, older_before=page.older_before
    )


class DriveOut(Wire):
    """A drive with the findings about it; `locked` ones are never written to. `whose` says whose card is in it."""

    id: int
    bench_id: int
    bench_name: str
    path: str
    name: str
    model: str
    serial: str
    size_bytes: int
    size_text: str
    nominal_gb: int | None
    locked: bool
    whose: str
    whose_deployment_id: int | None
    question_id: int | None
    """what a person is asked about the card in it"""
    just_came: bool
    """it was put in within the last minutes, while others lay there"""
    findings: list[Finding]


def drive_out(
    row: ReportedDrive, drive: Drive, needed_bytes: int, owners: dict[int, Write], sector_bytes: int, first: datetime
) -> DriveOut:
    findings = list(judge_drive(drive, needed_bytes=needed_bytes, image_sector_bytes=sector_bytes))
    card = nominal_gb(drive.size_bytes)
    found: Recognition | None = stored(RECOGNITION, row.recognised, None) if row.recognised else None
    if found is not None and found.old_table:
        findings.append(judge_end(drive.path))
    owner = owners.get(found.write_id) if found and found.write_id else None
    return DriveOut(
        id=row.pk,
        bench_id=row.bench_id,
        bench_name=row.bench.name,
        path=drive.path,
        name=(f"{card} GB card" if card else "Card") if drive.is_card else drive.model or "Built-in drive",
        model=drive.model,
        serial=drive.serial,
        size_bytes=drive.size_bytes,
        size_text=f"shows as {binary_size(drive.size_bytes)}" if drive.is_card else drive_size(drive.size_bytes),
        nominal_gb=card,
        locked=any(f.severity == "stop" for f in findings),
        whose=whose_text(found, owner, zone_of(row.bench.site)),
        whose_deployment_id=owner.deployment_id if owner else None,
        question_id=row.question_id if row.question is not None and row.question.answered_at is None else None,
        just_came=just_came(row, first, wiring.bench().clock.now()),
        findings=findings,
    )


JUST_CAME_S = 120.0
"""seconds after it came in which a drive is pointed out: that is the one somebody has in mind"""


SAME_MOMENT_S = 5.0


def just_came(row: ReportedDrive, first: datetime, now: datetime) -> bool:
    """Return whether a drive came a moment ago, when others lay there already: the `first` of its bench came before."""
    return now - row.appeared_at < timedelta(seconds=JUST_CAME_S) and row.appeared_at - first > timedelta(
        seconds=SAME_MOMENT_S
    )


class CouldBeOut(Wire):
    """A card it could be: of which write, of which deployment, since when, and whether it was booted since."""

    write_id: int
    deployment_id: int
    deployment_name: str
    written_at: datetime
    reader: str
    booted: bool


class QuestionOut(Wire):
    """Whose card is it? Asked until a person says so. `there`: it lies in a reader still."""

    id: int
    bench_name: str
    drive_path: str
    there: bool
    asked_at: datetime
    could_be: list[CouldBeOut]


def questions_out(site: Site, deployment_pk: int) -> list[QuestionOut]:
    """Return what is asked about cards in the readers of `site`, and about cards that could be the one of a deployment."""
    open_ones = list(CardQuestion.objects.filter(answered_at=None).select_related("bench").order_by("pk"))
    there = set(
        ReportedDrive.objects.filter(question__in=open_ones, bench__site=site).values_list("question_id", flat=True)
    )
    keys = {pk for q in open_ones for pk in q.candidates}
    writes = {w.pk: w for w in Write.objects.filter(pk__in=keys, void_at=None).select_related("deployment")}
    booted = set(BootRun.objects.filter(write__in=writes).values_list("write_id", flat=True))
    found = []
    for question in open_ones:
        could_be = [writes[pk] for pk in question.candidates if pk in writes]
        mine = any(w.deployment_id == deployment_pk for w in could_be)
        if could_be and (question.pk in there or mine):
            found.append(QuestionOut(
                id=question.pk, bench_name=question.bench.name, drive_path=question.path, there=question.pk in there, asked_at=question.asked_at,
                could_be=[CouldBeOut(
                    write_id=w.pk, deployment_id=w.deployment_id, deployment_name=w.deployment.name, written_at=w.begun_at,
                    reader=w.reader or w.drive_path, booted=w.pk in booted,
                ) for w in could_be],
            ))  # fmt: skip
    return found


def whose_text(found: Recognition | None, owner: Write | None, zone: str) -> str:
    """Return in one sentence whose card it is, empty when nothing is known."""
    if found is None or found.kind == "unknown":
        return ""
    if found.kind == "kin" or owner is None:
        return "A card of an image written here; which one, its bytes do not tell"
    of = f"Card of {owner.deployment.name}, written {owner.begun_at.astimezone(ZoneInfo(zone)):%Y-%m-%d}"
    if found.kind == "changed":
        return f"{of}, changed since"
    if owner.holds:
        return of
    return f"{of}; not sure any more" if owner.unsure_at and not owner.void_at else f"{of}; its proof no longer stands"


def benches_of(site: Site | None) -> list[Bench]:
    """Return the benches of `site`, or of all places, with their place."""
    there = Bench.there.select_related("site").order_by("pk")
    return list(there if site is None else there.filter(site=site))


def drives_out(benches: Iterable[Bench], needed_bytes: int = 0, sector_bytes: int = 0) -> list[DriveOut]:
    """Return every drive that `benches` reported, but of places that were taken off; the ones that may be written to first."""
    now = wiring.bench().clock.now()
    rows = listed(*(b for b in benches if b.site.removed_at is None and is_alive(b, now)))
    wanted = [r.recognised.get("write_id") for r, _ in rows if r.recognised]
    owners = {w.pk: w for w in Write.objects.filter(pk__in=[w for w in wanted if w]).select_related("deployment")}
    first: dict[int, datetime] = {}
    for row, _ in rows:
        first[row.bench_id] = min(row.appeared_at, first.get(row.bench_id, row.appeared_at))
    out = [drive_out(row, drive, needed_bytes, owners, sector_bytes, first[row.bench_id]) for row, drive in rows]
    return sorted(out, key=lambda d: (d.locked, d.bench_id, d.path))


_BEGAN_S = time.monotonic()
COMES_UP_WITHIN_S = 45.0
"""seconds after the start of this process within which the worker beside it may still be on its way"""


class BenchRowOut(Wire):
    """A bench: where cards are written. `alive`: its worker gave a sign within seconds."""

    id: int
    name: str
    site_id: int
    kind: Bench.Kind
    alive: bool
    coming_up: bool
    """whether its worker is only being started"""
    seen_at: datetime | None
    trouble: str


def bench_rows(benches: Iterable[Bench]) -> list[BenchRowOut]:
    now = wiring.bench().clock.now()
    return [
        BenchRowOut(
            id=b.pk, name=b.name, site_id=b.site_id, kind=Bench.Kind(b.kind), alive=is_alive(b, now), seen_at=b.seen_at,
            coming_up=not is_alive(b, now) and b.name == wiring.config().bench_name and time.monotonic() - _BEGAN_S < COMES_UP_WITHIN_S,
            trouble=b.trouble,
        )
        for b in benches
    ]  # fmt: skip


class JobOut(Wire):
    """A job as it stands now. `trouble` is empty unless it ended badly or died."""

    id: int
    kind: str
    state: str
    active: bool
    paused: bool
    phase: str
    done_bytes: int
    total_bytes: int
    rate_bytes_per_s: float
    left_s: float | None
    trouble: str
    drive_path: str
    started_at: datetime | None
    finished_at: datetime | None


def job_out(job: Job | None) -> JobOut | None:
    if job is None:
        return None
    now = wiring.bench().clock.now()
    active = is_active(job, now)
    return JobOut(
        id=job.pk,
        kind=job.kind,
        state=job.state,
        active=active,
        paused=active and job.pause_requested,
        phase=job.phase,
        done_bytes=job.done_bytes,
        total_bytes=job.total_bytes,
        rate_bytes_per_s=job.rate_bytes_per_s,
        left_s=job.left_s,
        trouble="" if active else describe_trouble(job),
        drive_path=job.write.drive_path if job.write else "",
        started_at=job.started_at,
        finished_at=job.finished_at,
    )


class LogLineOut(Wire):
    id: int
    at: datetime
    deployment_id: int | None
    deployment_name: str
    station: str
    event: str
    text: str
    who: str
    """the account it was done by; empty for the program itself"""


def log_out(entry: LogEntry) -> LogLineOut:
    return LogLineOut(
        id=entry.pk,
        at=entry.at,
        deployment_id=entry.deployment_id,
        deployment_name=entry.deployment_name,
        station=entry.station,
        event=entry.event,
        text=entry.text,
        who=entry.who,
    )
