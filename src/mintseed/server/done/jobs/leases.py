"""One writer a drive. A lease has a number that only rises; whoever holds an old one writes and proves nothing."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import IntegrityError, transaction
from django.db.models import Q

from mintseed.server.judged.job_state import DEAD_AFTER_S, STARTS_WITHIN_S, is_active, worker_died
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import job_moved
from mintseed.server.kept.models import Bench, DriveLease, Job, Write
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
        .select_related("write__job", "write__deployment")
        .get(bench=bench, path=path)
    )


def writer_of(lease: DriveLease, now: datetime) -> str:
    """Return the name of the deployment that is being written to the drive now, or nothing."""
    job = getattr(lease.write, "job", None) if lease.write else None
    return lease.write.deployment.name if lease.write and job is not None and is_active(job, now) else ""


def take_lease(lease: DriveLease, write: Write, now: datetime) -> None:
    """Hand the drive to `write`. A job that held it and is not alive any more is buried first."""
    held = getattr(lease.write, "job", None) if lease.write else None
    if held is not None and held.state in (Job.State.QUEUED, Job.State.RUNNING):
        bury(held, now, "Given up: the drive was handed to another write; the card is not usable")
    lease.number += 1
    lease.write = write
    lease.save()
    write.lease_number = lease.number
    write.save(update_fields=["lease_number"])


def holds_lease(write: Write) -> bool:
    """Return whether `write` still holds its drive."""
    return DriveLease.objects.filter(
        bench_id=write.bench_id, path=write.drive_path, number=write.lease_number, write_id=write.pk
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
    ).select_related("write__deployment", "copy")
    return sum(bury(job, now, "" if job.state == Job.State.RUNNING else "No worker took it up in time") for job in dead)
