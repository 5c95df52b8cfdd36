"""Card: which drive is it, write it, prove it, or hand over the filled image as a file."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterator

from asgiref.sync import sync_to_async
from django.db import transaction
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile
from mintseed.core.units import decimal_size
from mintseed.server.api.shapes import DeploymentOut, DriveOut, JobOut, deployment_out, drives_out, job_out
from mintseed.server.jobs.state import is_active
from mintseed.server.jobs.tasks import write_card_task
from mintseed.server.journal import record
from mintseed.server.models import Deployment, Job
from mintseed.server.walk import Walk, load_walk
from mintseed.services import fill_image, write_card

router = Router(tags=["card"])


class CardOut(Schema):
    deployment: DeploymentOut
    drives: list[DriveOut]
    job: JobOut | None
    ready: bool
    not_ready_because: str
    image_text: str
    needed_bytes: int
    proven: bool
    current: bool
    digest: str
    card_serial: str
    in_board: bool


class WriteIn(Schema):
    """The drive as the person picked it: its path and serial, and the serial picked a second time."""

    path: str
    serial: str
    again: str


@router.get("/deployments/{pk}/card", response=CardOut)
def read_card(request: HttpRequest, pk: int) -> CardOut:
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/card/write", response=CardOut)
def write(request: HttpRequest, pk: int, payload: WriteIn) -> CardOut:
    walk = load_walk(pk)
    xray, _ = _ready(walk)
    if payload.again != payload.serial:
        raise RefusedError(
            "the second pick names another drive", expected=payload.serial, next_step="Pick the same one twice."
        )
    bench = wiring.bench()
    drive = write_card.pick_drive(bench.readers, payload.path, payload.serial)
    found: tuple[Finding, ...] = write_card.check(drive, xray)
    if verdict(found) is Severity.STOP:
        raise RefusedError(found[0].title, where=drive.path, next_step=found[0].fix)
    now = bench.clock.now()
    with transaction.atomic():
        Deployment.objects.select_for_update().get(pk=pk)
        busy = Job.objects.filter(kind=Job.Kind.WRITE_CARD, state__in=(Job.State.QUEUED, Job.State.RUNNING))
        if any(is_active(j, now) and (j.drive_path == drive.path or j.deployment_id == pk) for j in busy):
            raise RefusedError(
                "that card is being written already", where=drive.path, next_step="Wait for it, or stop it."
            )
        # From here on the old content counts as gone, whatever happens to the job.
        Deployment.objects.filter(pk=pk).update(
            card_fingerprint="", card_digest="", card_proven_at=None, powered_at=None, joined_after_s=None, was_late=False,
            known_before=[], candidates="", looked_at=None, address="", mac="", setup_findings={}, setup_ticked=[], kept_at=None,
        )  # fmt: skip
        Deployment.objects.exclude(pk=pk).filter(card_serial=drive.serial, powered_at=None).update(
            card_fingerprint="", card_digest="", card_proven_at=None
        )
        job = Job.objects.create(
            kind=Job.Kind.WRITE_CARD,
            deployment=walk.row,
            drive_path=drive.path,
            drive_serial=drive.serial,
            fingerprint=walk.fingerprint,
            total_bytes=xray.unpacked_bytes,
        )
        record(walk.row, "card", "card.begun", f"Writing {xray.file_name}, filled, to {drive.model} {drive.serial}")
        write_card_task.enqueue(job.pk)
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/card/stop", response=CardOut)
def stop(request: HttpRequest, pk: int) -> CardOut:
    Job.objects.filter(deployment_id=pk, kind=Job.Kind.WRITE_CARD, state=Job.State.RUNNING).update(stop_requested=True)
    with transaction.atomic():
        waiting = Job.objects.filter(deployment_id=pk, kind=Job.Kind.WRITE_CARD, state=Job.State.QUEUED)
        if waiting.update(state=Job.State.STOPPED, trouble={"sentence": "Stopped by you before it began."}):
            record(load_walk(pk).row, "card", "card.stopped", "Stopped before it began")
    return _out(load_walk(pk))


@router.get("/deployments/{pk}/card/filled-image")
def filled_image(request: HttpRequest, pk: int) -> StreamingHttpResponse:
    """Send the filled image as a plain .img file, for a card writer elsewhere."""
    walk = load_walk(pk)
    xray, filled = _ready(walk)
    name = f"{walk.row.host_name}-{xray.file_name.split('.img')[0]}.img"
    response = StreamingHttpResponse(_streamed(_pieces(xray, filled)), content_type="application/octet-stream")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    response.headers["Content-Length"] = str(xray.unpacked_bytes)
    record(walk.row, "card", "card.handed-over", f"Filled image handed over as {name}")
    return response


def _pieces(xray: XRay, filled: tuple[FilledFile, ...]) -> Iterator[bytes]:
    bench = wiring.bench()
    with fill_image.execute(xray, filled, library=bench.library, tools=bench.tools) as image:
        yield from image.pieces()


async def _streamed(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """Hand on `pieces` one at a time; a plain iterator would be gathered in memory under ASGI."""
    step = sync_to_async(lambda: next(pieces, None))
    while (piece := await step()) is not None:
        yield piece


def _ready(walk: Walk) -> tuple[XRay, tuple[FilledFile, ...]]:
    """Return image and filled files, or raise RefusedError saying what is missing."""
    if why := _not_ready(walk):
        raise RefusedError(why, next_step="Go back along the line.")
    assert walk.xray is not None
    return walk.xray, walk.filled


def _not_ready(walk: Walk) -> str:
    if walk.xray is None:
        return "No image was read yet"
    stops = [
        f for f in (*walk.plan_findings, *walk.image_findings, *walk.settings_findings) if f.severity is Severity.STOP
    ]
    if stops:
        return stops[0].title
    if not walk.row.settings_agreed:
        return "The settings were not looked over yet"
    return "" if walk.filled else "No settings file could be filled"


def _out(walk: Walk) -> CardOut:
    why, xray = _not_ready(walk), walk.xray
    return CardOut(
        deployment=deployment_out(walk),
        drives=drives_out(xray.unpacked_bytes if xray else 0),
        job=job_out(walk.job),
        ready=not why,
        not_ready_because=why,
        image_text=f"{xray.file_name}, {decimal_size(xray.unpacked_bytes)} unpacked" if xray else "",
        needed_bytes=xray.unpacked_bytes if xray else 0,
        proven=walk.row.card_proven_at is not None,
        current=walk.card_current,
        digest=walk.row.card_digest,
        card_serial=walk.row.card_serial,
        in_board=walk.row.powered_at is not None,
    )
