"""Cards in the readers, for no deployment: read one back, test all of its room, clear its tables."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from ninja import Router
from pydantic import Field

from mintseed import wiring
from mintseed.core.findings import Finding
from mintseed.core.units import decimal_size
from mintseed.server.api.card import PauseIn
from mintseed.server.api.handed_over import checksum_of, handed_over
from mintseed.server.api.shapes import DriveOut, JobOut, benches_of, drives_out, job_out
from mintseed.server.api.wire import Wire
from mintseed.server.done import card_orders
from mintseed.server.judged.job_state import is_active
from mintseed.server.kept.models import CardWork
from mintseed.server.kept.stored_types import FINDING, stored

MOST_SHOWN = 40

router = Router(tags=["card"])


class BackupOut(Wire):
    """A card as a file. `there`: it was not removed."""

    file_name: str
    size_text: str
    image_text: str
    """the length of the image in it, and how much of that is left out as unused"""
    sha256: str
    there: bool


class WorkOut(Wire):
    """What was done to a card, or is. `finding` is what came out of it."""

    id: int
    does: str
    bench_name: str
    drive_path: str
    reader: str
    whose: str
    asked_at: datetime
    done_at: datetime | None
    took_s: float
    job: JobOut | None
    finding: Finding | None
    backup: BackupOut | None


class ReaderOut(Wire):
    """A card in a reader, and what is being done to it."""

    drive: DriveOut
    readable: bool
    """whether it may be read back: one that is write-protected may"""
    work: WorkOut | None


class CardsOut(Wire):
    readers: list[ReaderOut]
    works: list[WorkOut]
    """what was done before, newest first"""


class WorkIn(Wire):
    """The drive as the person picked it: its row, path and serial; `again` is the path picked a second time, where what is on it goes."""

    does: Literal["back-up", "prove", "test", "clear"]
    drive_id: int
    path: str = Field(max_length=120)
    serial: str = Field(max_length=120)
    again: str = Field("", max_length=120)


@router.get("/cards", response=CardsOut)
def cards(request: HttpRequest) -> CardsOut:
    return _out()


@router.post("/cards/work", response=CardsOut)
def begin(request: HttpRequest, body: WorkIn) -> CardsOut:
    whose = next((d.whose for d in drives_out(benches_of(None)) if d.id == body.drive_id), "")
    card_orders.begin(
        CardWork.Does(body.does), body.drive_id, path=body.path, serial=body.serial, again=body.again, whose=whose
    )
    return _out()


@router.post("/cards/work/{pk}/stop", response=CardsOut)
def stop(request: HttpRequest, pk: int) -> CardsOut:
    card_orders.stop(pk)
    return _out()


@router.post("/cards/work/{pk}/pause", response=CardsOut)
def pause(request: HttpRequest, pk: int, body: PauseIn) -> CardsOut:
    card_orders.pause(pk, paused=body.paused)
    return _out()


@router.post("/cards/work/{pk}/remove", response=CardsOut)
def remove(request: HttpRequest, pk: int) -> CardsOut:
    """Remove the file of a backup for good."""
    card_orders.remove_backup(pk)
    return _out()


@router.get("/cards/work/{pk}/file", include_in_schema=False)
def send(request: HttpRequest, pk: int) -> StreamingHttpResponse:
    work, file = card_orders.open_backup(pk)
    return handed_over(file, work.file_name, work.size_bytes, work.sha256)


@router.get("/cards/work/{pk}/checksum", include_in_schema=False)
def send_checksum(request: HttpRequest, pk: int) -> HttpResponse:
    work = card_orders.backup(pk)
    return checksum_of(work.file_name, work.sha256)


def _out() -> CardsOut:
    now = wiring.bench().clock.now()
    rows = list(CardWork.objects.select_related("bench", "job").order_by("-pk")[:MOST_SHOWN])
    going = {}
    for row in rows:
        job = getattr(row, "job", None)
        if job is not None and is_active(job, now):
            going[row.bench_id, row.drive_path] = row
    return CardsOut(
        readers=[
            ReaderOut(drive=d, readable=_readable(d), work=_work_out(going.get((d.bench_id, d.path))))
            for d in drives_out(benches_of(None))
            if not d.locked or _readable(d)
        ],
        works=[w for r in rows if r not in going.values() and (w := _work_out(r)) is not None],
    )


def _readable(drive: DriveOut) -> bool:
    stops = {f.code for f in drive.findings if f.severity == "stop"}
    return stops <= set(card_orders.READABLE_ALL_THE_SAME)


def _work_out(row: CardWork | None) -> WorkOut | None:
    if row is None:
        return None
    return WorkOut(
        id=row.pk, does=row.does, bench_name=row.bench.name, drive_path=row.drive_path, reader=row.reader, whose=row.whose, asked_at=row.asked_at,
        done_at=row.done_at, took_s=row.took_s, job=job_out(getattr(row, "job", None)),
        finding=stored(FINDING, row.findings[0], None) if isinstance(row.findings, list) and row.findings else None,
        backup=_backup_out(row) if row.does == CardWork.Does.BACK_UP and row.done_at is not None else None,
    )  # fmt: skip


def _backup_out(row: CardWork) -> BackupOut:
    left_out = f", {decimal_size(row.left_out_bytes)} of it unused and left out" if row.left_out_bytes else ""
    return BackupOut(
        file_name=row.file_name, size_text=decimal_size(row.size_bytes), sha256=row.sha256, there=row.gone_at is None,
        image_text=f"an image of {decimal_size(row.image_bytes)}{left_out}",
    )  # fmt: skip
