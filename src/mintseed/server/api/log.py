"""Log: what happened, newest first."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Schema

from mintseed.server.api.shapes import LogLineOut, log_out
from mintseed.server.models import LogEntry

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
