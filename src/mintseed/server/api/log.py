"""Log: what happened, newest first."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Annotated
from zoneinfo import ZoneInfo

from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed.core.errors import InputError
from mintseed.core.keep.story import folded
from mintseed.core.stations import ORDER
from mintseed.server.api.shapes import LogLineOut, log_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.judged.journal import record
from mintseed.server.judged.keeping import change_keeping, keeping
from mintseed.server.judged.networks import zone_of
from mintseed.server.kept.models import Keeping, LogEntry

router = Router(tags=["log"])

PAGE_LINES = 100


class ToldOut(Wire):
    """A line of the log, and below it those of its kind that are told with it, newest first."""

    line: LogLineOut
    more: list[LogLineOut]


class DeviceOut(Wire):
    id: int
    name: str


class LogOut(Wire):
    lines: list[LogLineOut]
    """the page, line by line"""
    told: list[ToldOut]
    """the same page as a story: routine in a row is one line"""
    older_before: int | None
    devices: list[DeviceOut]
    """those on this page, to choose one; any other is found by a word of its name"""
    stations: list[str]


@router.get("/log", response=LogOut)
def read_log(
    request: HttpRequest,
    deployment: int | None = None,
    station: Annotated[str, Field(max_length=10)] = "",
    words: Annotated[str, Field(max_length=80)] = "",
    day: date | None = None,
    before: int | None = None,
) -> LogOut:
    """Return a page of the log, newest first. `words`: part of a line or of a device's name; `day`: as the place of this bench has it."""
    rows = LogEntry.objects.order_by("-pk")
    if deployment is not None:
        rows = rows.filter(deployment_id=deployment)
    if station:
        rows = rows.filter(station=station)
    if text := words.strip():
        rows = rows.filter(Q(text__icontains=text) | Q(deployment_name__icontains=text))
    if day is not None:
        rows = rows.filter(at__range=_bounds(day))
    if before is not None:
        rows = rows.filter(pk__lt=before)
    lines = list(rows[: PAGE_LINES + 1])
    page, more = lines[:PAGE_LINES], len(lines) > PAGE_LINES
    told = folded(page, lambda e: e.event if e.deployment_id is None and not e.deployment_name else None)
    devices = {e.deployment_id: e.deployment_name for e in page if e.deployment_id is not None}
    return LogOut(
        lines=[log_out(e) for e in page],
        told=[ToldOut(line=log_out(t.lines[0]), more=[log_out(e) for e in t.lines[1:]]) for t in told],
        older_before=lines[PAGE_LINES - 1].pk if more else None,
        devices=[DeviceOut(id=pk, name=name) for pk, name in sorted(devices.items(), key=lambda d: d[1])],
        stations=[str(s) for s in ORDER],
    )


def _bounds(day: date) -> tuple[datetime, datetime]:
    """Return when a day begins and ends at the place of this bench."""
    zone = ZoneInfo(zone_of(own_bench().site))
    try:
        return datetime.combine(day, time.min, zone), datetime.combine(day, time.max, zone)
    except OverflowError as error:
        raise InputError(f"{day} is no day of this log", where="day") from error


class KeepingOut(Wire):
    """How long is kept what only adds up."""

    log_days: int
    jobs_days: int
    copy_hours: int


class KeepingIn(Wire):
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
