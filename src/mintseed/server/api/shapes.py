"""Answers that several stations share."""

from __future__ import annotations

from datetime import datetime

from ninja import Schema

from mintseed import wiring
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.findings import Finding
from mintseed.core.line import Line
from mintseed.core.units import binary_size, drive_size, nominal_gb
from mintseed.server.jobs.state import describe_trouble, is_active
from mintseed.server.models import Job
from mintseed.server.walk import Walk


class DeploymentOut(Schema):
    """A deployment with its line."""

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
    created_at: datetime
    line: Line


def deployment_out(walk: Walk) -> DeploymentOut:
    row = walk.row
    return DeploymentOut(
        id=row.pk,
        name=row.name,
        recipe_id=row.recipe,
        appliance=walk.recipe.name,
        kind=walk.recipe.kind,
        release=walk.xray.release if walk.xray else "",
        unit_name=row.board_unit.name if row.board_unit else "",
        board_name=walk.board.name if walk.board else "",
        card_text=f"{row.card_gb} GB card" if row.card_gb else "",
        host_name=row.host_name,
        way=row.way,
        created_at=row.created_at,
        line=walk.line,
    )


class DriveOut(Schema):
    """A drive with the findings about it; `locked` ones are never written to."""

    path: str
    name: str
    model: str
    serial: str
    size_bytes: int
    size_text: str
    nominal_gb: int | None
    locked: bool
    findings: list[Finding]


def drive_out(drive: Drive, needed_bytes: int = 0) -> DriveOut:
    findings = list(judge_drive(drive, needed_bytes=needed_bytes))
    card = nominal_gb(drive.size_bytes)
    removable = drive.removable or drive.bus in ("usb", "mmc")
    return DriveOut(
        path=drive.path,
        name=(f"{card} GB card" if card else "Card") if removable else drive.model or "Built-in drive",
        model=drive.model,
        serial=drive.serial,
        size_bytes=drive.size_bytes,
        size_text=drive_size(drive.size_bytes) if not removable else f"shows as {binary_size(drive.size_bytes)}",
        nominal_gb=card,
        locked=any(f.severity == "stop" for f in findings),
        findings=findings,
    )


def drives_out(needed_bytes: int = 0) -> list[DriveOut]:
    """Return every drive, the ones that may be written to first."""
    listed = [drive_out(d, needed_bytes) for d in wiring.bench().readers.drives()]
    return sorted(listed, key=lambda d: (d.locked, d.path))


class JobOut(Schema):
    """A job as it stands now. `trouble` is empty unless it ended badly or died."""

    id: int
    kind: str
    state: str
    active: bool
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
        phase=job.phase,
        done_bytes=job.done_bytes,
        total_bytes=job.total_bytes,
        rate_bytes_per_s=job.rate_bytes_per_s,
        left_s=job.left_s,
        trouble="" if active else describe_trouble(job, now),
        drive_path=job.drive_path,
        started_at=job.started_at,
        finished_at=job.finished_at,
    )
