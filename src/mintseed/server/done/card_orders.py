"""Work on a card for no deployment: asked for, stopped, and what it left handed over. The bench's worker does it (card_work)."""

from __future__ import annotations

import shutil
from datetime import datetime
from typing import BinaryIO

from django.db import transaction

from mintseed import wiring
from mintseed.core.card.drives import Drive
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.units import decimal_size, drive_size
from mintseed.server.done.agent.bench_row import is_alive
from mintseed.server.done.card_work import stored_as
from mintseed.server.done.copies import pause_jobs, stop_jobs
from mintseed.server.done.jobs.leases import lock_lease, take_lease, writer_of
from mintseed.server.done.jobs.tasks import card_work_task
from mintseed.server.done.picked import picked_drive
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.journal import record
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import Bench, CardWork, Job
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import back_up_card, empty_card
from mintseed.services.refuse import refuse_stops


@all_or_nothing
def begin(does: CardWork.Does, drive_id: int, *, path: str, serial: str, again: str, whose: str = "") -> CardWork:
    """Hand the drive to work of its own and queue it where the card is. Raises RefusedError or MissingError.

    `path`, `serial` and `again` are the drive as the person picked it, twice where what is on it goes; `whose` is what was said of the card then.
    """
    row, drive = picked_drive(drive_id, path, serial)
    bench, now = row.bench, wiring.bench().clock.now()
    takes_all = does in (CardWork.Does.TEST, CardWork.Does.CLEAR)
    if takes_all and again != drive.path:
        raise RefusedError(
            "the second pick names another drive", where=drive.path, next_step="Pick the same one twice."
        )
    if not is_alive(bench, now):
        raise RefusedError(f"the worker of {bench.name} does not answer", next_step="Start it, then try again.")
    lease = lock_lease(bench, drive.path)
    if busy := writer_of(lease, now):
        raise RefusedError(f"it is in use for {busy}", where=drive.path, next_step="Wait until it has ended.")
    if takes_all and row.question is not None and row.question.answered_at is None:
        raise RefusedError("nobody said yet whose card this is", where=drive.path, next_step="Say it under Card of one it could be of, then ask again.")  # fmt: skip
    refuse_stops(empty_card.check(drive) if takes_all else back_up_card.check(drive))
    if does == CardWork.Does.TEST:
        _refuse_to_pretend(bench, drive)
    made = CardWork.objects.create(
        does=does, bench=bench, drive_path=drive.path, drive_serial=drive.serial, drive_size_bytes=drive.size_bytes,
        reader=" ".join(t for t in (drive.model, drive.serial) if t)[:160], whose=whose[:200], asked_at=now,
        file_name=_file_name(drive, now) if does == CardWork.Does.BACK_UP else "",
    )  # fmt: skip
    take_lease(lease, made, now)
    job = Job.objects.create(kind=Job.Kind.CARD_WORK, card_work=made)
    card_work_task.using(queue_name=bench.write_queue).enqueue(job.pk)
    ring(bench.write_queue)
    changed("drives")
    return made


def _file_name(drive: Drive, now: datetime) -> str:
    name = "".join(c if c.isalnum() or c in "-._" else "-" for c in drive.serial or drive.name)
    return f"card-{name}-{now:%Y%m%d-%H%M}"[:190] + ".img.zst"


def free_bytes() -> int:
    """Return how much room this home's disk has."""
    return shutil.disk_usage(wiring.config().home).free


def _refuse_to_pretend(bench: Bench, drive: Drive) -> None:
    """A pretend card is a file, which grows to its full size."""
    free = free_bytes()
    if bench.kind != Bench.Kind.REAL and free < drive.size_bytes:
        raise RefusedError(
            f"a pretend card is a file here, and {decimal_size(free)} are left on this disk", expected=drive_size(drive.size_bytes), where=drive.path,
            next_step="Test a smaller one, or make room on this disk.",
        )  # fmt: skip


READABLE_ALL_THE_SAME = back_up_card.READABLE_ALL_THE_SAME


def pause(pk: int, *, paused: bool) -> None:
    """Have work on a card wait, or go on."""
    pause_jobs(Job.objects.filter(card_work_id=pk), paused=paused)


def stop(pk: int) -> None:
    """Stop work on a card: at once when it waits, as soon as it looks when it runs."""
    stop_jobs(Job.objects.filter(card_work_id=pk))


def open_backup(pk: int) -> tuple[CardWork, BinaryIO]:
    """Return a whole backup and its file. Raises MissingError when it is not there."""
    work = backup(pk)
    try:
        file = wiring.backups().open(stored_as(work))
    except MissingError as error:
        raise MissingError(
            "the file is not in this home", where=work.file_name,
            next_step=f"It lies where the reader is, on the machine of {work.bench.name}; or it was removed by hand.",
        ) from error  # fmt: skip
    record(None, "card", "card.backup-handed-over", f"Backup of a card handed over as {work.file_name}")
    return work, file


def backup(pk: int) -> CardWork:
    """Return a whole backup. Raises MissingError when it was not made, or is gone."""
    work = CardWork.objects.select_related("bench").get(pk=pk)
    if work.does != CardWork.Does.BACK_UP or work.done_at is None or work.gone_at is not None:
        raise MissingError("this backup is not there", next_step="Read the card again.")
    return work


def remove_stray_backups(now: datetime) -> int:
    """Remove the files of backups that were never done: a worker that died once its file had a name left it, with all that was on the card.
    Returns how many went."""
    rows = CardWork.objects.filter(does=CardWork.Does.BACK_UP, gone_at=None).select_related("job")
    known = {stored_as(w) for w in rows if w.done_at is not None or _is_under_way(w, now)}
    strays = wiring.backups().names() - known
    for name in strays:
        wiring.backups().remove(name)
    return len(strays)


def _is_under_way(work: CardWork, now: datetime) -> bool:
    job = getattr(work, "job", None)
    return job is not None and is_active(job, now)


def remove_backup(pk: int) -> None:
    """Remove the file of a backup for good."""
    work = backup(pk)
    wiring.backups().remove(stored_as(work))
    with transaction.atomic():
        CardWork.objects.filter(pk=work.pk).update(gone_at=wiring.bench().clock.now())
        record(None, "card", "card.backup-removed", f"Backup {work.file_name} removed")
        changed("drives")
