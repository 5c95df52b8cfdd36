"""Card: which drive is it, write it, prove it, or hand over the filled image as a file."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterator
from datetime import datetime
from typing import Any

from asgiref.sync import sync_to_async
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile
from mintseed.core.stations import Station
from mintseed.core.units import decimal_size
from mintseed.core.walk import Walk
from mintseed.server.api.shapes import DeploymentOut, DriveOut, JobOut, deployment_out, drives_out, job_out
from mintseed.server.journal import record
from mintseed.server.judging import Judged, judged
from mintseed.server.models import Write
from mintseed.server.writing import begin_write, stop_write
from mintseed.services import fill_image

router = Router(tags=["card"])


class WriteOut(Schema):
    """One attempt at a card, as it was."""

    id: int
    begun_at: datetime
    ended_at: datetime | None
    bench_name: str
    reader: str
    drive_path: str
    image_name: str
    outcome: str
    trouble: str
    digest: str
    written_bytes: int
    phases: list[dict[str, Any]]
    void_at: datetime | None
    void_why: str


class CardOut(Schema):
    deployment: DeploymentOut
    drives: list[DriveOut]
    job: JobOut | None
    ready: bool
    not_ready_because: str
    image_text: str
    needed_bytes: int
    proven: bool
    current: bool
    digest: str
    reader: str
    released: bool
    released_text: str
    void_why: str
    in_board: bool
    by_hand: bool
    writes: list[WriteOut]
    findings: list[Finding]


class WriteIn(Schema):
    """The drive as the person picked it: its row, path and serial, and the path picked a second time."""

    drive_id: int
    path: str
    serial: str
    again: str


@router.get("/deployments/{pk}/card", response=CardOut)
def read_card(request: HttpRequest, pk: int) -> CardOut:
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/write", response=CardOut)
def write(request: HttpRequest, pk: int, payload: WriteIn) -> CardOut:
    begin_write(pk, payload.drive_id, path=payload.path, serial=payload.serial, again=payload.again)
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/stop", response=CardOut)
def stop(request: HttpRequest, pk: int) -> CardOut:
    stop_write(pk)
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/filled-image")
def filled_image(request: HttpRequest, pk: int) -> StreamingHttpResponse:
    """Send the filled image as a plain .img file, for a card writer elsewhere."""
    one = judged(pk).loaded
    xray, filled = _ready(one.walk)
    name = f"{one.row.host_name}-{xray.file_name.split('.img')[0]}.img"
    response = StreamingHttpResponse(_streamed(_pieces(xray, filled)), content_type="application/octet-stream")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    response.headers["Content-Length"] = str(xray.unpacked_bytes)
    record(one.row, "card", "card.handed-over", f"Filled image handed over as {name}")
    return response


def _pieces(xray: XRay, filled: tuple[FilledFile, ...]) -> Iterator[bytes]:
    bench = wiring.bench()
    with fill_image.execute(xray, filled, library=bench.library, tools=bench.tools) as image:
        yield from image.pieces()


async def _streamed(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """Hand on `pieces` one at a time; a plain iterator would be gathered in memory under ASGI."""
    step = sync_to_async(lambda: next(pieces, None))
    while (piece := await step()) is not None:
        yield piece


def _ready(walk: Walk) -> tuple[XRay, tuple[FilledFile, ...]]:
    """Return image and filled files, or raise RefusedError saying what is missing."""
    if why := walk.not_ready_to_write():
        raise RefusedError(why, next_step="Go back along the line.")
    assert walk.inputs.xray is not None
    return walk.inputs.xray, walk.filled


def _out(view: Judged) -> CardOut:
    one, walk = view.loaded, view.loaded.walk
    why, xray, last = walk.not_ready_to_write(), walk.inputs.xray, one.write
    run = walk.inputs.run
    return CardOut(
        deployment=deployment_out(view),
        drives=drives_out(one.site, xray.unpacked_bytes if xray else 0),
        job=job_out(one.job),
        ready=not why,
        not_ready_because=why,
        image_text=f"{xray.file_name}, {decimal_size(xray.unpacked_bytes)} unpacked" if xray else "",
        needed_bytes=xray.unpacked_bytes if xray else 0,
        proven=last is not None and last.holds,
        current=walk.card_current,
        digest=last.digest if last else "",
        reader=(last.reader or last.drive_path) if last else "",
        released=bool(last and last.holds and last.released and run is None),
        released_text=last.released_text if last else "",
        void_why=last.void_why if last and last.void_at else "",
        in_board=run is not None and run.powered,
        by_hand=bool(last and last.bench.kind == "real"),
        writes=[
            _write_out(w) for w in Write.objects.filter(deployment=one.row).select_related("bench").order_by("-pk")[:20]
        ],
        findings=view.of(Station.CARD),
    )


def _write_out(w: Write) -> WriteOut:
    return WriteOut(
        id=w.pk, begun_at=w.begun_at, ended_at=w.ended_at, bench_name=w.bench.name, reader=w.reader, drive_path=w.drive_path,
        image_name=w.image_name, outcome=w.outcome, trouble=str((w.trouble or {}).get("sentence", "")), digest=w.digest,
        written_bytes=w.written_bytes, phases=list(w.phases), void_at=w.void_at, void_why=w.void_why,
    )  # fmt: skip
