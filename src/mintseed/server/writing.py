"""Writes: begun and stopped. Rows only; the services decide, the bench's worker writes."""

from __future__ import annotations

from django.db import transaction

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.server.agent.bench_row import is_alive
from mintseed.server.agent.drives import DRIVE
from mintseed.server.bells import ring
from mintseed.server.jobs.leases import end_proofs, lock_lease, take_lease, writer_of
from mintseed.server.jobs.tasks import write_card_task
from mintseed.server.journal import record
from mintseed.server.judging import judged, reopen
from mintseed.server.models import Closing, Deployment, Job, ReportedDrive, Write
from mintseed.server.power import end_run
from mintseed.services import accept_write


def begin_write(pk: int, drive_id: int, *, path: str, serial: str, again: str, clear_end: bool = False) -> Write:
    """Hand the drive to a write of deployment `pk` and queue it where the card is. Raises RefusedError or MissingError.

    `path`, `serial` and `again` are the drive as the person picked it, twice; `clear_end` as in services.write_card.
    """
    row = ReportedDrive.objects.select_related("bench", "card").filter(pk=drive_id).first()
    if row is None:
        raise MissingError("the card is gone from its reader", where=path, next_step="Put it in and pick it again.")
    bench, now = row.bench, wiring.bench().clock.now()
    if row.path != path or row.drive.get("serial") != serial:
        raise RefusedError("another drive is there now", where=row.path, next_step="Look at the drives and pick again.")
    drive = DRIVE.validate_python(row.drive)
    with transaction.atomic():
        # Whoever asks for the same drive or the same deployment at this moment waits here, and then sees what was decided.
        lease = lock_lease(bench, drive.path)
        Deployment.objects.select_for_update().get(pk=pk)
        view = judged(pk)
        one = view.loaded
        use = accept_write.DriveUse(writer_of(lease, now), is_alive(bench, now), bench.name)
        order = accept_write.execute(one.walk, drive, serial=path, again=again, use=use)
        if one.closing is not None:
            end_run(one)
            Closing.objects.filter(pk=one.closing.pk).update(reopened_at=now)
            reopen(one.row)
        made = Write.objects.create(
            deployment=one.row,
            card=row.card,
            owned_card=one.row.owned_card,
            bench=bench,
            drive_path=drive.path,
            reader=" ".join(t for t in (drive.model, drive.serial) if t)[:160],
            drive_serial=drive.serial,
            drive_size_bytes=drive.size_bytes,
            image_name=order.image_name,
            fingerprint=order.fingerprint,
            key_mark=one.key_mark,
            begun_at=now,
            clears_end=clear_end,
        )
        take_lease(lease, made, now)
        # Whose card is in there is to be looked at anew afterwards, however quick the writing was.
        ReportedDrive.objects.filter(pk=row.pk).update(recognised=None, card=None)
        why = f"{one.row.name} was written on its card"
        end_proofs(row.card, made, now, why)
        # A card that never left the reader since it was proven is the same card, whatever its bytes say.
        stayed = Write.objects.filter(bench=bench, drive_path=drive.path, proven_at__gte=row.appeared_at, void_at=None)
        stayed.exclude(pk=made.pk).update(void_at=now, void_why=why[:200])
        job = Job.objects.create(kind=Job.Kind.WRITE_CARD, write=made, total_bytes=order.total_bytes)
        record(one.row, "card", "card.begun", order.log_text)
        write_card_task.using(queue_name=bench.write_queue).enqueue(job.pk)
        ring(bench.write_queue)
    return made


def stop_write(pk: int) -> None:
    """Stop the write of deployment `pk`: at once when it waits, as soon as it looks when it runs."""
    jobs = Job.objects.filter(write__deployment_id=pk, kind=Job.Kind.WRITE_CARD)
    jobs.filter(state=Job.State.RUNNING).update(stop_requested=True)
    with transaction.atomic():
        trouble = {"code": "stopped", "sentence": "Stopped by you before it began."}
        waiting = list(jobs.filter(state=Job.State.QUEUED).values_list("pk", flat=True))
        if jobs.filter(state=Job.State.QUEUED).update(state=Job.State.STOPPED, trouble=trouble):
            Write.objects.filter(job__in=waiting).update(outcome=Write.Outcome.STOPPED, trouble=trouble)
            record(Deployment.objects.get(pk=pk), "card", "card.stopped", "Stopped before it began")
