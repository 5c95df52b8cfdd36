"""What the worker runs. A task's outcome is written in one transaction; without it nothing counts as done."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.db import DatabaseError, transaction
from django.utils import timezone
from django_tasks import task

from mintseed import wiring
from mintseed.core.card.drives import Drive
from mintseed.core.errors import ImageError, MintSeedError, RefusedError, StoppedError
from mintseed.core.findings import Severity, verdict
from mintseed.core.units import decimal_size, drive_size, duration
from mintseed.server.jobs.heartbeat import Heartbeat
from mintseed.server.jobs.state import trouble_of
from mintseed.server.journal import record
from mintseed.server.models import Deployment, Image, Job
from mintseed.server.walk import XRAY, load_walk
from mintseed.services import fill_image, inspect_image, write_card

log = logging.getLogger("mintseed.jobs")


@task()
def write_card_task(job_pk: int) -> None:
    """Fill, write, prove one card."""
    _run(job_pk, _write_card)


@task()
def read_image_task(job_pk: int) -> None:
    """X-ray one image of the library."""
    _run(job_pk, _read_image)


def _run(job_pk: int, work: Callable[[Job, Heartbeat], None]) -> None:
    now = timezone.now()
    waiting = Job.objects.filter(pk=job_pk, state=Job.State.QUEUED)
    # One statement: a stop that comes at this very moment either keeps it from starting or is seen by the heartbeat.
    if not waiting.update(state=Job.State.RUNNING, started_at=now, heartbeat_at=now):
        return
    job = Job.objects.get(pk=job_pk)
    try:
        with Heartbeat(job) as heartbeat:
            work(job, heartbeat)
    except MintSeedError as error:
        try:
            _failed(job, error)
        except DatabaseError:
            # Nothing can be stored now. The heartbeat has stopped, so the job is seen as dead when the database is back.
            log.error("%s job %s ended and the database does not answer: %s", job.kind, job.pk, error.sentence())


def _failed(job: Job, error: MintSeedError) -> None:
    log.warning("%s job %s: %s", job.kind, job.pk, error.code)
    stopped = isinstance(error, StoppedError)
    with transaction.atomic():
        Job.objects.filter(pk=job.pk).update(
            state=Job.State.STOPPED if stopped else Job.State.FAILED,
            trouble=trouble_of(error),
            finished_at=timezone.now(),
        )
        if job.kind == Job.Kind.WRITE_CARD:
            event = "card.stopped" if stopped else "card.failed"
            record(job.deployment, "card", event, f"Card not written: {error.sentence()}")
        elif job.image:
            Image.objects.filter(pk=job.image.pk).update(trouble=trouble_of(error), xray="")
            record(None, "image", "image.unreadable", f"{job.image.file_name}: {error.sentence()}")


def _write_card(job: Job, heartbeat: Heartbeat) -> None:
    walk, bench = load_walk(job.deployment_id or 0), wiring.bench()
    if walk.xray is None or walk.fingerprint != job.fingerprint:
        raise RefusedError(
            "image or settings changed before writing began", next_step="Look at Settings, then write again."
        )
    drive = write_card.pick_drive(bench.readers, job.drive_path, job.drive_serial)
    with fill_image.execute(walk.xray, walk.filled, library=bench.library, tools=bench.tools) as image:
        written = write_card.execute(walk.xray, image, drive, readers=bench.readers, tell=heartbeat.tell)
    with transaction.atomic():
        Deployment.objects.filter(pk=walk.row.pk).update(
            card_path=drive.path,
            card_serial=drive.serial,
            card_size_bytes=drive.size_bytes,
            card_fingerprint=job.fingerprint,
            card_digest=written.digest,
            card_proven_at=timezone.now(),
        )
        Job.objects.filter(pk=job.pk).update(
            state=Job.State.DONE, phase="proven", done_bytes=written.written_bytes, finished_at=timezone.now()
        )
        record(job.deployment, "card", "card.proven", _proof_text(drive, written))


def _proof_text(drive: Drive, written: write_card.WrittenCard) -> str:
    size = decimal_size(written.written_bytes)
    return (
        f"Card proven: {size} written and read back alike in {duration(written.took_s)}, {drive_size(drive.size_bytes)}"
    )


def _read_image(job: Job, heartbeat: Heartbeat) -> None:
    image = job.image
    if image is None:
        raise ImageError("the image is gone from the library")
    read_image(image, heartbeat.tell_bytes)
    Job.objects.filter(pk=job.pk).update(state=Job.State.DONE, finished_at=timezone.now())


def read_image(image: Image, tell: inspect_image.Tell = lambda done, total: None) -> None:
    """X-ray `image` and store what it said. Raises MintSeedError when it cannot be read; nothing is stored then."""
    bench = wiring.bench()
    xray = inspect_image.execute(
        image.file_name, library=bench.library, tools=bench.tools, recipes=wiring.recipes().values(), tell=tell
    )
    image.sha256, image.recipe, image.release, image.build = xray.sha256, xray.recipe_id, xray.release, xray.build
    image.xray, image.trouble, image.read_at = XRAY.dump_json(xray).decode(), None, timezone.now()
    with transaction.atomic():
        image.save()
        word = {Severity.OK: "sound", Severity.NOTE: "sound"}.get(verdict(xray.findings), "with findings")
        record(None, "image", "image.read", f"{image.file_name} read: {word}")
