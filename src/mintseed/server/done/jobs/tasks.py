"""What a bench's workers run. A task's outcome is written in one transaction; without it nothing counts as done."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import asdict
from datetime import timedelta

from django.db import DatabaseError, transaction
from django.utils import timezone
from django_tasks import task

from mintseed import wiring
from mintseed.core.card.drives import Drive
from mintseed.core.card.identity import CardMarks
from mintseed.core.errors import ImageError, MintSeedError, OutsideError, RefusedError, StoppedError
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.packing import Packing
from mintseed.core.units import binary_size, decimal_size, drive_size, duration
from mintseed.core.visible import one_line
from mintseed.server.done import card_files, card_work
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.cards import card_of, settings_paths
from mintseed.server.done.first_byte import began
from mintseed.server.done.jobs.heartbeat import Heartbeat
from mintseed.server.done.jobs.leases import holds_lease, lock_lease
from mintseed.server.done.proofs import end_on_card, half_written
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import ASK_AGAIN_AFTER_S, harm_of, trouble_of
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import job_moved
from mintseed.server.judged.load import load
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import Deployment, FilledCopy, Image, Job, ReportedDrive, Write, WrittenBlocks
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import demo_images, descriptions
from mintseed.server.owned.library import UNREAD, keep_xray, sync_library
from mintseed.services import fill_image, inspect_image, save_filled, write_card

log = logging.getLogger("mintseed.jobs")


@task()
def write_card_task(job_pk: int) -> None:
    """Fill, write, prove one card."""
    _run(job_pk, _write_card)


@task()
def read_image_task(job_pk: int) -> None:
    """X-ray one image of the library."""
    _run(job_pk, _read_image)


@task()
def fill_image_task(job_pk: int) -> None:
    """Make one filled image as a file."""
    _run(job_pk, _fill_image)


@task()
def build_images_task(job_pk: int) -> None:
    """Build the made-up images that are not there yet, and read each."""
    _run(job_pk, _build_images)


@task()
def card_files_task(job_pk: int) -> None:
    """Read, mend or fill the settings files of a card that is written already."""
    _run(job_pk, _card_files)


@task()
def card_work_task(job_pk: int) -> None:
    """Read a card back, test it or clear it."""
    _run(job_pk, _card_work)


def _run(job_pk: int, work: Callable[[Job, Heartbeat], None]) -> None:
    now = timezone.now()
    waiting = Job.objects.filter(pk=job_pk, state=Job.State.QUEUED)
    # One statement: a stop that comes at this very moment either keeps it from starting or is seen by the heartbeat.
    if not waiting.update(state=Job.State.RUNNING, started_at=now, heartbeat_at=now):
        return
    job = Job.objects.select_related(
        "write__deployment", "write__bench", "image", "copy__deployment", "errand__bench", "card_work__bench"
    ).get(pk=job_pk)
    job_moved(job)
    try:
        with Heartbeat(job) as heartbeat:
            work(job, heartbeat)
        job_moved(job)
    except MintSeedError as error:
        _end(job, error)
    except Exception as error:
        # A programming mistake ends the job like any other failure, with its trace in the worker's output.
        log.exception("%s job %s", job.kind, job.pk)
        _end(job, OutsideError(f"an unforeseen {type(error).__name__} ended the work", next_step="Try it again; the application's output has the details."))  # fmt: skip
    except BaseException:
        _end(job, StoppedError(f"the worker was stopped{harm_of(job)}", next_step="Have it done again."))
        raise


def _end(job: Job, error: MintSeedError) -> None:
    try:
        _failed(job, error)
        job_moved(job)
    except DatabaseError:
        # Nothing can be stored now. The heartbeat has stopped, so the job is seen as dead when the database is back.
        log.error("%s job %s ended and the database does not answer: %s", job.kind, job.pk, error.sentence())


def _failed(job: Job, error: MintSeedError) -> None:
    log.warning("%s job %s: %s", job.kind, job.pk, error.code)
    stopped, trouble = isinstance(error, StoppedError), trouble_of(error)
    _store_end(job, error, trouble, stopped=stopped)


@all_or_nothing
def _store_end(job: Job, error: MintSeedError, trouble: dict[str, object], *, stopped: bool) -> None:
    now = timezone.now()
    if job.write_id is not None:
        Write.objects.select_for_update().get(pk=job.write_id)  # before its job, in the one order
    state = Job.State.STOPPED if stopped else Job.State.FAILED
    if not Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(state=state, trouble=trouble, finished_at=now):
        return  # it was called dead before; that stays said
    if job.write is not None:
        outcome = Write.Outcome.STOPPED if stopped else Write.Outcome.FAILED
        Write.objects.filter(pk=job.write.pk).update(outcome=outcome, trouble=trouble, ended_at=now)
        event = "card.stopped" if stopped else "card.failed"
        record(job.write.deployment, "card", event, f"Card not written: {error.sentence()}")
    elif job.card_work is not None:
        does = "stopped" if stopped else "not done"
        record(
            None,
            "card",
            f"card.{job.card_work.does}-failed",
            f"Work on the card in {job.card_work.reader or job.card_work.drive_path} {does}: {error.sentence()}",
        )
    elif job.copy is not None and not stopped:
        record(job.copy.deployment, "card", "card.copy-failed", f"Filled image not made: {error.sentence()}")
    elif job.image and not stopped:
        Image.objects.filter(pk=job.image.pk).update(**{**UNREAD, "trouble": trouble})
        record(None, "image", "image.unreadable", f"{job.image.file_name}: {error.sentence()}")


def _write_card(job: Job, heartbeat: Heartbeat) -> None:
    write = job.write
    if write is None:
        raise RefusedError("nothing says what is to be written")
    _refuse_late(job)
    try:
        loaded, bench = load(write.deployment_id).live, wiring.bench()
    except Deployment.DoesNotExist as error:
        raise RefusedError(
            "it was taken off the bench meanwhile", next_step="Put it back, then write again."
        ) from error
    walk = loaded.walk
    if walk.inputs.xray is None or walk.fingerprint != write.fingerprint:
        raise RefusedError(
            "image or settings changed before writing began", next_step="Look at Settings, then write again."
        )
    if not holds_lease(write):
        raise RefusedError("the drive was handed to another write", next_step="Look at the drives and write again.")
    drive = write_card.pick_drive(bench.readers, write.drive_path, write.drive_serial)
    if drive.size_bytes != write.drive_size_bytes:
        raise RefusedError("another card is in the reader now", expected=drive_size(write.drive_size_bytes),
                           next_step="Look at the drives and pick again.")  # fmt: skip

    def looked(marks: CardMarks) -> None:
        """The drive is ours alone now: what was proven on this card is about to go."""
        row = ReportedDrive.objects.filter(bench=write.bench, path=write.drive_path).first()
        card, _ = card_of(marks, half_written(row, write) if row else None)
        began(write, card, timezone.now())

    with fill_image.execute(
        walk.inputs.xray, walk.filled, library=bench.library, tools=bench.tools, only_used=write.only_used
    ) as image:
        written = write_card.execute(
            walk.inputs.xray, image, drive, readers=bench.readers, tools=bench.tools, tell=heartbeat.tell,
            paths=settings_paths({f.path for f in walk.filled if not f.on_root}), looked=looked, clear_end=write.clears_end,
            test_whole=write.tests_whole,
        )  # fmt: skip
    _proven(job, write, drive, written)


def _proven(job: Job, write: Write, drive: Drive, written: write_card.WrittenCard) -> None:
    """The one place where a card becomes proven: only while the job is alive and holds its drive."""
    if write.card is not None:
        end_on_card(write.card, write, timezone.now())
    _store_proof(job, write, drive, written)


@all_or_nothing
def _store_proof(job: Job, write: Write, drive: Drive, written: write_card.WrittenCard) -> None:
    now = timezone.now()
    lock_lease(write.bench, write.drive_path)
    Write.objects.select_for_update().get(pk=write.pk)
    alive = Job.objects.select_for_update().filter(pk=job.pk, state=Job.State.RUNNING)
    if not alive.exists() or not holds_lease(write):
        raise OutsideError("this work was called dead meanwhile, so it proves nothing",
                           next_step="Look at the drives, then write the card again.")  # fmt: skip
    blocks = {"block_bytes": written.blocks.block_bytes, "digests": written.blocks.digests}
    WrittenBlocks.objects.update_or_create(write=write, defaults=blocks)
    Write.objects.filter(pk=write.pk).update(
        digest=written.digest,
        written_bytes=written.written_bytes,
        left_bytes=written.left_bytes,
        phases=[asdict(p) for p in written.phases],
        marks=asdict(written.marks),
        capacity=asdict(written.capacity),
        changes=asdict(written.changes),
        outcome=Write.Outcome.PROVEN,
        ended_at=now,
        proven_at=now,
        released=written.released.safe,
        released_text=written.released.text,
    )
    alive.update(state=Job.State.DONE, phase="proven", done_bytes=written.written_bytes, finished_at=now)
    record(write.deployment, "card", "card.proven", _proof_text(drive, written))


def _proof_text(drive: Drive, written: write_card.WrittenCard) -> str:
    size = decimal_size(written.written_bytes - written.left_bytes)
    left = f" ({decimal_size(written.left_bytes)} that nothing uses left as they were)" if written.left_bytes else ""
    cleared = f", its last {binary_size(written.cleared_bytes)} cleared" if written.cleared_bytes else ""
    count = len(written.capacity.offsets)
    room = ", all of its room beyond too" if written.capacity.whole else f", {count} marks beyond too" if count else ""
    return f"Card proven: {size} written and read back alike{left} in {duration(written.took_s)}{room}, {drive_size(drive.size_bytes)}{cleared}"


def _fill_image(job: Job, heartbeat: Heartbeat) -> None:
    copy = job.copy
    if copy is None:
        raise RefusedError("nothing says what is to be filled")
    loaded, bench = load(copy.deployment_id), wiring.bench()
    walk = loaded.walk
    if walk.inputs.xray is None or walk.fingerprint != copy.fingerprint:
        raise RefusedError(
            "image or settings changed before it began", next_step="Look at Settings, then have it made again."
        )
    saved = save_filled.execute(
        walk.inputs.xray, walk.filled, f"{copy.pk}.img", Packing(copy.packing or Packing.RAW), library=bench.library, tools=bench.tools,
        copies=wiring.filled_copies(), tell=heartbeat.tell,
    )  # fmt: skip
    now = timezone.now()
    with transaction.atomic():
        if not Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(
            state=Job.State.DONE, done_bytes=saved.size_bytes, finished_at=now
        ):
            raise OutsideError("this work was called dead meanwhile, so what it made is not offered")
        FilledCopy.objects.filter(pk=copy.pk).update(size_bytes=saved.size_bytes, sha256=saved.sha256, made_at=now)
        record(
            copy.deployment,
            "card",
            "card.copy-made",
            f"Filled image made as {copy.file_name}: {decimal_size(saved.size_bytes)}. {saved.changes.words}",
        )


def _refuse_late(job: Job) -> None:
    """What waited long was asked of a card that may be out of its reader by now."""
    if job.started_at and job.started_at - job.created_at > timedelta(seconds=ASK_AGAIN_AFTER_S):
        waited = duration((job.started_at - job.created_at).total_seconds())
        raise RefusedError(f"it waited {waited} for the worker, and another card may be in the reader by now",
                           next_step="Look at the drive, then ask again.")  # fmt: skip


def _card_work(job: Job, heartbeat: Heartbeat) -> None:
    if job.card_work is None:
        raise RefusedError("nothing says what is to be done with the card")
    _refuse_late(job)
    came_to = card_work.run(job.card_work, heartbeat.tell)
    if not card_work.store(job, job.card_work, came_to):
        raise OutsideError("this work was called dead meanwhile, so it counts for nothing",
                           next_step="Look at the drives, then ask again.")  # fmt: skip


def _card_files(job: Job, heartbeat: Heartbeat) -> None:
    if job.errand is None:
        raise RefusedError("nothing says what is to be done with the card")
    _refuse_late(job)
    card_files.run(job.errand)
    with transaction.atomic():
        Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(state=Job.State.DONE, finished_at=timezone.now())
        changed(f"card-files/{job.errand.pk}")


def _build_images(job: Job, heartbeat: Heartbeat) -> None:
    """Build one image and read it; the next one waits in the queue like anybody else's work."""
    config = wiring.config()
    if not config.plays_boards:
        raise RefusedError(
            "only a bench that plays its boards builds images", next_step="Put your own into the library."
        )
    name = next(iter(demo_images.missing(config)), None)
    if name is not None:
        try:
            demo_images.build(name, config)
        except (OSError, RuntimeError) as error:
            raise OutsideError(
                f"{name} could not be built: {one_line(str(error))[:200]}",
                next_step="Have them built again under Images.",
            ) from error
        for image in sync_library().filter(file_name=name, xray=""):
            read_image(image, heartbeat.tell_bytes)
    with transaction.atomic():
        Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(state=Job.State.DONE, finished_at=timezone.now())
        changed("images")
        if demo_images.missing(config):
            queue_building()


def queue_building() -> None:
    """Have the worker build the next image."""
    queue = own_bench().read_queue
    with transaction.atomic():
        job = Job.objects.create(kind=Job.Kind.BUILD_IMAGES)
        build_images_task.using(queue_name=queue).enqueue(job.pk)
        ring(queue)
        changed("images")


def _read_image(job: Job, heartbeat: Heartbeat) -> None:
    image = job.image
    if image is None:
        raise ImageError("the image is gone from the library")
    read_image(image, heartbeat.tell_bytes)
    Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(state=Job.State.DONE, finished_at=timezone.now())


def read_image(image: Image, tell: inspect_image.Tell = lambda done, total: None) -> None:
    """X-ray `image` and store what it said. Raises MintSeedError when it cannot be read; nothing is stored then."""
    bench = wiring.bench()
    xray = inspect_image.execute(
        image.file_name, library=bench.library, tools=bench.tools, recipes=descriptions.recipes().values(), tell=tell
    )
    with transaction.atomic():
        keep_xray(image, xray, timezone.now())
        word = {Severity.OK: "sound", Severity.NOTE: "sound"}.get(verdict(xray.findings), "with findings")
        record(None, "image", "image.read", f"{image.file_name} read: {word}")
