"""What only adds up is kept as long as the owner says: the log, ended jobs, judgements that were replaced."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib.sessions.models import Session
from django_tasks_db.models import DBTaskResult

from mintseed.core.errors import InputError
from mintseed.server.kept.models import Job, Keeping, LogEntry, StationRecord

LIMITS = {"log_days": (30, 36_500), "jobs_days": (1, 3_650), "copy_hours": (1, 168)}
"""Least and most of each rule: a log of a month at least, so that a device can be followed up; a key in a file a week at most."""

TASK_ROWS_DAYS = 2
"""Rows of the task library say nothing a job does not say; they are kept for looking into a fault of yesterday."""

MOST_AT_ONCE = 5000
"""rows removed in one turn, so that nobody waits for a clean-up."""


def keeping() -> Keeping:
    """Return the owner's rules; those of a fresh application until somebody changes them."""
    return Keeping.objects.order_by("pk").first() or Keeping()


def change_keeping(values: dict[str, int]) -> Keeping:
    """Set the owner's rules. Raises InputError for one beyond its limits."""
    row = keeping()
    for name, value in values.items():
        least, most = LIMITS[name]
        if not least <= value <= most:
            raise InputError(f"{value} is not possible", expected=f"{least} to {most}", where=name)
        setattr(row, name, value)
    row.save()
    return row


def let_go(now: datetime) -> dict[str, int]:
    """Remove what is older than the owner keeps it; return how many rows of each."""
    rules = keeping()
    jobs_since, log_since = now - timedelta(days=rules.jobs_days), now - timedelta(days=rules.log_days)
    ended = (Job.State.DONE, Job.State.FAILED, Job.State.STOPPED)
    # What was written to a card stands in its Write; its job only says how it went along.
    queries = {
        "log lines": LogEntry.objects.filter(at__lt=log_since),
        "jobs": Job.objects.filter(state__in=ended, created_at__lt=jobs_since),
        "judgements": StationRecord.objects.filter(current=False, at__lt=jobs_since),
        "tasks": DBTaskResult.objects.filter(finished_at__lt=now - timedelta(days=TASK_ROWS_DAYS)),
        "sessions": Session.objects.filter(expire_date__lt=now),
    }
    gone = {}
    for name, query in queries.items():
        keys = list(query.values_list("pk", flat=True)[:MOST_AT_ONCE])
        gone[name] = query.model._default_manager.filter(pk__in=keys).delete()[0] if keys else 0
    return gone
