"""Writes: begun and stopped. Rows only; the services decide, the bench's worker writes."""

from __future__ import annotations

import shutil
from datetime import datetime

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from mintseed import wiring
from mintseed.core.card.progress import CARDS_AT_ONCE, Phase
from mintseed.core.card.time_left import left_in_all_s, seconds_a_byte
from mintseed.core.errors import RefusedError
from mintseed.core.settings.fill import FINGERPRINT_VERSION
from mintseed.server.done.agent.bench_row import is_alive
from mintseed.server.done.copies import pause_jobs
from mintseed.server.done.jobs.leases import lock_lease, take_lease, writer_of
from mintseed.server.done.jobs.tasks import write_card_task
from mintseed.server.done.picked import picked_drive
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import judged
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import Bench, Deployment, Job, ReportedDrive, Write
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import accept_write


@all_or_nothing
def begin_write(
    pk: int, drive_id: int, *, path: str, serial: str, again: str, clear_end: bool = False, test_whole: bool = False,
    only_used: bool = False,
) -> Write:  # fmt: skip
    """Hand the drive to a write of deployment `pk` and queue it where the card is. Raises RefusedError or MissingError.

    `path`, `serial` and `again` are the drive as the person picked it, twice; `clear_end` and `test_whole` as in
    services.write_card; `only_used`: what of the image nothing uses is left out. It changes nothing yet: what was proven on the card, the boot of the board, a closed record end when the
    writing begins (first_byte.began). It may still be stopped, or found impossible, before the first byte.
    """
    # Whoever asks for the same drive or the same deployment at this moment waits here, and then sees what was decided.
    if Deployment.objects.select_for_update().get(pk=pk).removed_at is not None:
        raise RefusedError("it was taken off the bench meanwhile", next_step="Put it back, then write.")
    view = judged(pk)
    row, drive = picked_drive(drive_id, path, serial)
    bench, now = row.bench, wiring.bench().clock.now()
    lease = lock_lease(bench, drive.path)
    one = view.loaded.live  # what is written is what is chosen now, also for a device in service
    asked = row.question is not None and row.question.answered_at is None
    use = accept_write.DriveUse(
        writer_of(lease, now), is_alive(bench, now), bench.name, whose_is_asked=asked,
        room_bytes=_room(bench) if test_whole else None, busy_with=_busy_with(bench, now),
    )  # fmt: skip
    order = accept_write.execute(one.walk, drive, serial=path, again=again, use=use)
    made = Write.objects.create(
        deployment=one.row,
        owned_card=one.row.owned_card,
        card_name=one.row.owned_card.name if one.row.owned_card else "",
        bench=bench,
        drive_path=drive.path,
        reader=" ".join(t for t in (drive.model, drive.serial) if t)[:160],
        drive_serial=drive.serial,
        drive_size_bytes=drive.size_bytes,
        image_name=order.image_name,
        fingerprint=order.fingerprint,
        fingerprint_version=FINGERPRINT_VERSION,
        chosen_mark=one.chosen_mark,
        key_mark=one.key_mark,
        begun_at=now,
        clears_end=clear_end,
        tests_whole=test_whole,
        only_used=only_used,
    )
    take_lease(lease, made, now)
    # Whose card is in there is to be looked at anew afterwards, however quick the writing was.
    ReportedDrive.objects.filter(pk=row.pk).update(recognised=None, card=None)
    job = Job.objects.create(kind=Job.Kind.WRITE_CARD, write=made, total_bytes=order.total_bytes)
    record(one.row, "card", "card.begun", order.log_text)
    write_card_task.using(queue_name=bench.write_queue).enqueue(job.pk)
    ring(bench.write_queue)
    return made


def left_in_all(job: Job | None) -> float | None:
    """Return how many seconds a write is still at it, as the same card went before; None where it never did, or nothing is written."""
    write = job.write if job is not None else None
    # Whose card it is, is known once its first byte is about to go. A test of all its room is seldom made, and takes as long as the card is large.
    if job is None or write is None or job.state != Job.State.RUNNING or write.card_id is None or write.tests_whole:
        return None
    before = Write.objects.filter(card=write.card_id, outcome=Write.Outcome.PROVEN).exclude(pk=write.pk).order_by("-pk")
    taken = before.values_list("phases", flat=True).first()
    sizes = dict.fromkeys((Phase.WRITING, Phase.FLUSHING, Phase.READING_BACK), job.total_bytes)
    return left_in_all_s(job.phase, job.done_bytes, job.left_s, sizes, seconds_a_byte(taken or ()))


def _busy_with(bench: Bench, now: datetime) -> str:
    """Return whose cards `bench` is at, where it is at as many as it writes side by side; empty while it may begin another."""
    at_it = Job.objects.filter(
        Q(write__bench=bench) | Q(card_work__bench=bench), state__in=(Job.State.QUEUED, Job.State.RUNNING)
    ).select_related("write__deployment", "card_work")
    whose = [_card_of(j) for j in at_it if is_active(j, now)]
    return ", ".join(whose) if len(whose) >= CARDS_AT_ONCE else ""


def _card_of(job: Job) -> str:
    """Return which card `job` is at: whose it becomes, or the reader it lies in."""
    if job.write is not None:
        return job.write.deployment.name
    return (job.card_work.reader or job.card_work.drive_path) if job.card_work is not None else ""


def _room(bench: Bench) -> int | None:
    """Return how much a pretend card may grow on this disk, None for a real one: that has its own room."""
    return shutil.disk_usage(wiring.config().home).free if bench.kind != Bench.Kind.REAL else None


def pause_write(pk: int, *, paused: bool) -> None:
    """Have the write of deployment `pk` wait, or go on. Its drive stays its own meanwhile."""
    pause_jobs(Job.objects.filter(write__deployment_id=pk, kind=Job.Kind.WRITE_CARD), paused=paused)


def stop_write(pk: int) -> None:
    """Stop the write of deployment `pk`: at once when it waits, as soon as it looks when it runs."""
    jobs = Job.objects.filter(write__deployment_id=pk, kind=Job.Kind.WRITE_CARD)
    with transaction.atomic():
        if jobs.filter(state=Job.State.RUNNING).update(stop_requested=True):
            changed(deployment_topic(pk))
    _stop_waiting(pk)


@all_or_nothing
def _stop_waiting(pk: int) -> None:
    deployment = Deployment.objects.select_for_update().get(pk=pk)
    trouble = {"code": "stopped", "sentence": "Stopped by you before it began."}
    waiting = Job.objects.filter(write__deployment_id=pk, kind=Job.Kind.WRITE_CARD, state=Job.State.QUEUED)
    found = list(waiting.values_list("pk", "write_id"))
    # A write before its job, in the one order; each only if it still waits.
    for job, write in found:
        Write.objects.select_for_update().get(pk=write)
        if Job.objects.filter(pk=job, state=Job.State.QUEUED).update(state=Job.State.STOPPED, trouble=trouble):
            Write.objects.filter(pk=write).update(
                outcome=Write.Outcome.STOPPED, trouble=trouble, ended_at=timezone.now()
            )
            record(deployment, "card", "card.stopped", "Stopped before it began")
