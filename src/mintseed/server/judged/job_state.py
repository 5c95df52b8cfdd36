"""Is a job alive? Told by its heartbeat, so that a killed worker never leaves work that looks like going on."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

from mintseed.core.errors import MintSeedError
from mintseed.core.image.refusals import SeveralImagesError, UnreadableImageError
from mintseed.server.judged.changes import deployment_topic
from mintseed.server.kept.models import Job

HEARTBEAT_S = 1.0
DEAD_AFTER_S = 6.0
"""seconds without a heartbeat after which a running job counts as dead, for good."""

STARTS_WITHIN_S = 600.0
"""seconds a queued job may wait for a worker that is busy with another one."""

ASK_AGAIN_AFTER_S = 90.0
"""seconds after which a write that waited is not begun unasked: by then another card may be in the reader."""


def is_dead(job: Job, now: datetime) -> bool:
    """Return whether `job` says it runs and its worker has fallen silent."""
    silent_since = job.heartbeat_at or job.started_at or job.created_at
    return job.state == Job.State.RUNNING and now - silent_since > timedelta(seconds=DEAD_AFTER_S)


def is_active(job: Job, now: datetime) -> bool:
    """Return whether `job` waits or really runs."""
    if job.state == Job.State.QUEUED:
        return now - job.created_at < timedelta(seconds=STARTS_WITHIN_S)
    return job.state == Job.State.RUNNING and not is_dead(job, now)


def harm_of(job: Job) -> str:
    """Return how a sentence about a job that was cut off ends: what it leaves behind."""
    if job.errand is not None and job.errand.does != "read":
        return "; what it put there may be there in part"
    if (work := job.card_work) is not None:
        return "; what was on the card is gone" if work.does in ("test", "clear") and work.began_at is not None else ""
    begun = job.write is not None and job.write.started_at is not None
    return "; the card is not usable" if begun else ""


def worker_died(job: Job) -> str:
    """Return the sentence for a job whose worker fell silent."""
    return f"The worker died while it was at it{harm_of(job)}"


def describe_trouble(job: Job) -> str:
    """Return in one sentence how `job` ended when it did not end well; empty when it did."""
    if job.state == Job.State.DONE:
        return ""
    if job.state == Job.State.RUNNING:
        return worker_died(job)
    if job.state == Job.State.QUEUED:
        return "No worker took it up; start the application again"
    return str((job.trouble or {}).get("sentence") or f"It stopped before the end{harm_of(job)}")


def topic_of(job: Job) -> str:
    """Return what changes on the screens when `job` goes on."""
    work = job.write or job.copy
    if job.errand_id is not None:
        return f"card-files/{job.errand_id}"
    if job.card_work_id is not None:
        return "drives"
    return deployment_topic(work.deployment_id) if work else "images"


def trouble_of(error: MintSeedError) -> dict[str, Any]:
    """Return `error` as it is stored with a job."""
    more: dict[str, Any] = {"finding": asdict(error.finding)} if isinstance(error, UnreadableImageError) else {}
    if isinstance(error, SeveralImagesError):
        more["inside"] = [list(one) for one in error.inside]
    return {
        **more,
        "code": error.code,
        "sentence": error.sentence(),
        "found": error.found,
        "expected": error.expected,
        "where": error.where,
        "next_step": error.next_step,
    }
