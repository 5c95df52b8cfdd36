"""Filled images as files: asked for, looked up, and removed after a while."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import BinaryIO

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.image.naming import own_name
from mintseed.core.image.pack import ENDINGS
from mintseed.core.image.packing import Packing
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.jobs.tasks import fill_image_task
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.job_state import is_active, topic_of
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import job_moved, judged
from mintseed.server.judged.keeping import keeping
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import Deployment, FilledCopy, Job


def begin_copy(pk: int, packing: Packing = Packing.RAW) -> FilledCopy:
    """Have the filled image of deployment `pk` made as a file, packed as `packing`. Raises RefusedError when it is not ready, or is made now."""
    with transaction.atomic():
        Deployment.objects.select_for_update().get(pk=pk)
        one = judged(pk).loaded
        if why := one.walk.not_ready_to_write():
            raise RefusedError(why, next_step="Go back along the line.")
        last = last_copy(pk)
        if last is not None and is_made_now(last, one.now):
            raise RefusedError("it is being made already", next_step="Wait for it, or stop it.")
        xray = one.walk.inputs.xray
        stem = own_name(xray.inside or xray.file_name).split(".img")[0] if xray else "image"
        plain = "".join(c if c.isalnum() or c in "-._" else "-" for c in stem)
        copy = FilledCopy.objects.create(
            deployment=one.row,
            file_name=f"{one.row.host_name}-{plain}"[:190] + ENDINGS[packing],
            packing=packing,
            fingerprint=one.walk.fingerprint,
        )
        job = Job.objects.create(kind=Job.Kind.FILL_IMAGE, copy=copy, total_bytes=xray.unpacked_bytes if xray else 0)
        fill_image_task.using(queue_name=own_bench().read_queue).enqueue(job.pk)
        ring(own_bench().read_queue)
        changed(deployment_topic(pk))
    return copy


def stop_copy(pk: int) -> None:
    """Stop the making of the copy of deployment `pk`."""
    stop_jobs(Job.objects.filter(copy__deployment_id=pk))


def pause_jobs(jobs: QuerySet[Job], *, paused: bool) -> None:
    """Have work that runs wait as soon as it looks, or go on; whoever shows it is told."""
    for running in jobs.filter(state=Job.State.RUNNING).select_related("copy", "write"):
        with transaction.atomic():
            Job.objects.filter(pk=running.pk).update(pause_requested=paused)
            changed(topic_of(running))


def stop_jobs(jobs: QuerySet[Job]) -> None:
    """Stop work that runs, as soon as it looks, and work that waits, at once; whoever shows it is told."""
    for running in jobs.filter(state=Job.State.RUNNING).select_related("copy", "write"):
        with transaction.atomic():
            Job.objects.filter(pk=running.pk).update(stop_requested=True)
            changed(topic_of(running))
    trouble = {"code": "stopped", "sentence": "Stopped by you before it began."}
    for job in jobs.filter(state=Job.State.QUEUED).select_related("copy", "image"):
        if Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(
            state=Job.State.STOPPED, trouble=trouble, finished_at=timezone.now()
        ):
            job_moved(job)


def last_copy(pk: int) -> FilledCopy | None:
    """Return the copy of deployment `pk` that was asked for last."""
    return FilledCopy.objects.select_related("job").filter(deployment_id=pk).order_by("-pk").first()


def job_of(copy: FilledCopy) -> Job | None:
    """Return the job that makes a copy; None once the owner's rules let it go."""
    return getattr(copy, "job", None)


def is_made_now(copy: FilledCopy, now: datetime) -> bool:
    """Return whether a worker is at it, or it waits for one."""
    job = job_of(copy)
    return job is not None and is_active(job, now)


def stored_as(copy: FilledCopy) -> str:
    """Return the name under which a copy lies in its folder."""
    return f"{copy.pk}.img"


def kept_until(copy: FilledCopy) -> datetime | None:
    """Return when a copy is removed, None when it was not made or is gone."""
    if copy.made_at is None or copy.gone_at is not None:
        return None
    return copy.made_at + timedelta(hours=keeping().copy_hours)


def open_copy(pk: int, copy_pk: int) -> tuple[FilledCopy, BinaryIO]:
    """Return a whole copy and its file. Raises MissingError when it is not there."""
    copy = made_copy(pk, copy_pk)
    file = wiring.filled_copies().open(stored_as(copy))
    record(copy.deployment, "card", "card.handed-over", f"Filled image handed over as {copy.file_name}")
    return copy, file


def made_copy(pk: int, copy_pk: int) -> FilledCopy:
    """Return a whole copy. Raises MissingError when it is not there."""
    copy = FilledCopy.objects.select_related("deployment").get(pk=copy_pk, deployment_id=pk)
    if copy.made_at is None or copy.gone_at is not None:
        raise MissingError("this copy is not there", next_step="Have it made again under Card.")
    return copy


def remove_old_copies(now: datetime) -> int:
    """Remove the copies whose time is over, and files nobody knows. Returns how many went."""
    until = now - timedelta(hours=keeping().copy_hours)
    old = FilledCopy.objects.filter(made_at__lt=until, gone_at=None)
    kept = FilledCopy.objects.filter(gone_at=None).exclude(pk__in=old.values("pk")).select_related("job")
    # What a worker left that was called dead meanwhile was never made, whatever it put there when it woke.
    known = {stored_as(c) for c in kept if c.made_at is not None or is_made_now(c, now)}
    stray = wiring.filled_copies().names() - known
    for name in stray:
        wiring.filled_copies().remove(name)
    FilledCopy.objects.filter(pk__in=[c.pk for c in old]).update(gone_at=now)
    return len(stray)
