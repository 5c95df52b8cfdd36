"""Log: what happened, newest first."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed.server.api.shapes import LogLineOut, log_out
from mintseed.server.journal import record
from mintseed.server.keeping import change_keeping, keeping
from mintseed.server.models import Keeping, LogEntry

router = Router(tags=["log"])

PAGE_LINES = 100


class LogOut(Schema):
    lines: list[LogLineOut]
    older_before: int | None


@router.get("/log", response=LogOut)
def read_log(request: HttpRequest, deployment: int | None = None, before: int | None = None) -> LogOut:
    rows = LogEntry.objects.order_by("-pk")
    if deployment is not None:
        rows = rows.filter(deployment_id=deployment)
    if before is not None:
        rows = rows.filter(pk__lt=before)
    lines = list(rows[: PAGE_LINES + 1])
    more = len(lines) > PAGE_LINES
    return LogOut(
        lines=[log_out(e) for e in lines[:PAGE_LINES]], older_before=lines[PAGE_LINES - 1].pk if more else None
    )


class KeepingOut(Schema):
    """How long is kept what only adds up."""

    log_days: int
    jobs_days: int
    copy_hours: int


class KeepingIn(Schema):
    log_days: int
    jobs_days: int
    copy_hours: int


@router.get("/keeping", response=KeepingOut)
def read_keeping(request: HttpRequest) -> KeepingOut:
    return _keeping_out(keeping())


@router.put("/keeping", response=KeepingOut)
def put_keeping(request: HttpRequest, payload: KeepingIn) -> KeepingOut:
    with transaction.atomic():
        row = change_keeping(payload.model_dump())
        record(None, "", "keeping.changed", f"Kept from now on: log {row.log_days} days, jobs {row.jobs_days} days, filled images {row.copy_hours} hours")  # fmt: skip
    return _keeping_out(row)


def _keeping_out(row: Keeping) -> KeepingOut:
    return KeepingOut(log_days=row.log_days, jobs_days=row.jobs_days, copy_hours=row.copy_hours)
