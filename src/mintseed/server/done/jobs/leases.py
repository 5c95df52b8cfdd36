"""One writer a drive. A lease has a number that only rises; whoever holds an old one writes and proves nothing."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import IntegrityError, transaction
from django.db.models import Q

from mintseed.server.judged.job_state import DEAD_AFTER_S, STARTS_WITHIN_S, harm_of, is_active, worker_died
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import job_moved
from mintseed.server.kept.models import Bench, CardWork, DriveLease, Job, Write
from mintseed.server.kept.transactions import all_or_nothing


def lock_lease(bench: Bench, path: str) -> DriveLease:
    """Return the lease of a drive, locked until the transaction ends. There is one row a drive, whoever comes first."""
    try:
        with transaction.atomic():
            DriveLease.objects.get_or_create(bench=bench, path=path)
    except IntegrityError:
        pass  # another request made it at this moment
    return (
        DriveLease.objects.select_for_update()
        .select_related("write__job", "write__deployment", "card_work__job")
        .get(bench=bench, path=path)
    )


Holder = Write | CardWork
"""What may hold a drive."""

CALLED = {
    CardWork.Does.BACK_UP: "its backup",
    CardWork.Does.PROVE: "its proof",
    CardWork.Does.TEST: "the test of its room",
    CardWork.Does.CLEAR: "its clearing",
}


def _job_of(lease: DriveLease) -> Job | None:
    return getattr(lease.write or lease.card_work, "job", None)


def writer_of(lease: DriveLease, now: datetime) -> str:
    """Return for what the drive is in use now: the name of a deployment, or what is done to the card; or nothing."""
    job = _job_of(lease)
    if job is None or not is_active(job, now):
        return ""
    return (
        lease.write.deployment.name
        if lease.write
        else CALLED[CardWork.Does(lease.card_work.does)]
        if lease.card_work
        else ""
    )


def take_lease(lease: DriveLease, holder: Holder, now: datetime) -> None:
    """Hand the drive to `holder`. A job that held it and is not alive any more is buried first."""
    held = _job_of(lease)
    if held is not None and held.state in (Job.State.QUEUED, Job.State.RUNNING):
        bury(held, now, f"Given up: the drive was handed to other work{harm_of(held)}")
    lease.number += 1
    lease.write = holder if isinstance(holder, Write) else None
    lease.card_work = holder if isinstance(holder, CardWork) else None
    lease.save()
    holder.lease_number = lease.number
    holder.save(update_fields=["lease_number"])


def holds_lease(holder: Holder) -> bool:
    """Return whether `holder` still holds its drive."""
    subject = {"write_id" if isinstance(holder, Write) else "card_work_id": holder.pk}
    return DriveLease.objects.filter(
        bench_id=holder.bench_id, path=holder.drive_path, number=holder.lease_number, **subject
    ).exists()


def bury(job: Job, now: datetime, why: str = "") -> bool:
    """Call a job dead, for good: whatever its worker does afterwards finds it failed. Returns whether it was this call."""
    buried = _bury(job, now, why or worker_died(job))
    if buried:
        job_moved(job)
    return buried


@all_or_nothing
def _bury(job: Job, now: datetime, why: str) -> bool:
    if job.write_id:
        Write.objects.select_for_update().get(pk=job.write_id)  # before its job, in the one order
    still = Job.objects.filter(pk=job.pk, state=job.state, heartbeat_at=job.heartbeat_at)
    if not still.update(state=Job.State.FAILED, trouble={"code": "outside", "sentence": why}, finished_at=now):
        return False
    if job.write_id:
        Write.objects.filter(pk=job.write_id, outcome="").update(
            outcome=Write.Outcome.FAILED, trouble={"sentence": why}, ended_at=now
        )
        record(job.write.deployment if job.write else None, "card", "card.failed", f"Card not written: {why}")
    return True


def bury_the_dead(now: datetime) -> int:
    """Bury every job whose worker has fallen silent or never came. Returns how many."""
    silent, late = now - timedelta(seconds=DEAD_AFTER_S), now - timedelta(seconds=STARTS_WITHIN_S)
    dead = Job.objects.filter(
        Q(state=Job.State.RUNNING, heartbeat_at__lt=silent) | Q(state=Job.State.QUEUED, created_at__lt=late)
    ).select_related("write__deployment", "copy", "card_work", "errand")
    return sum(bury(job, now, "" if job.state == Job.State.RUNNING else "No worker took it up in time") for job in dead)
