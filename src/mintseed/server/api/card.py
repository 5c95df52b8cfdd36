"""Card: which drive is it, write it, prove it, or hand over the filled image as a file."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from ninja import Router

from mintseed import wiring
from mintseed.core.card.in_use import LEAST_LEFT_BYTES, in_use
from mintseed.core.findings import Finding
from mintseed.core.image.packing import Packing
from mintseed.core.image.report import XRay
from mintseed.core.stations import Station
from mintseed.core.units import binary_size, decimal_size
from mintseed.server.api.handed_over import checksum_of, handed_over
from mintseed.server.api.shapes import (
    DeploymentOut,
    DriveOut,
    JobOut,
    QuestionOut,
    benches_of,
    deployment_out,
    drives_out,
    job_out,
    questions_out,
)
from mintseed.server.api.wire import Wire
from mintseed.server.done.cards import CAPACITY, CHANGES
from mintseed.server.done.copies import begin_copy, job_of, kept_until, last_copy, made_copy, open_copy, stop_copy
from mintseed.server.done.proofs import answer
from mintseed.server.done.writing import begin_write, left_in_all, pause_write, stop_write
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.kept.models import Write
from mintseed.server.kept.stored_types import stored
from mintseed.server.owned.library import sync_library

router = Router(tags=["card"])


class WriteOut(Wire):
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
    clears_end: bool
    tests_whole: bool
    left_bytes: int
    """of `written_bytes`, what nothing uses and was left as it was"""
    card_name: str
    """what its card was called on the shelf then"""
    room_text: str
    """what was found out about the room beyond the image; empty where nothing was looked at"""


class CopyOut(Wire):
    """The filled image as a file: being made, there until `kept_until`, or why not. `current`: made of the settings as they are."""

    id: int
    file_name: str
    packing: str
    size_text: str
    sha256: str
    made_at: datetime | None
    kept_until: datetime | None
    current: bool
    job: JobOut | None


class InUseOut(Wire):
    """What may be written instead of everything. `proposed`: every volume tells what it uses; `untold`: those that do not, which are written whole."""

    text: str
    rest_text: str
    whole_text: str
    proposed: bool
    untold: str


class CardOut(Wire):
    deployment: DeploymentOut
    drives: list[DriveOut]
    job: JobOut | None
    left_in_all_s: float | None
    """how long the write is still at it, as the same card went before; nothing where it did not"""
    wanted: bool
    """whether a card is written at all"""
    ready: bool
    not_ready_because: str
    image_text: str
    needed_bytes: int
    in_use: InUseOut | None
    """how much of the image is in use; nothing where all of it is, or none of it tells"""
    proven: bool
    proven_text: str
    """of how much its proof speaks"""
    current: bool
    digest: str
    reader: str
    released: bool
    released_text: str
    void_why: str
    in_board: bool
    by_hand: bool
    copy_of_image: CopyOut | None
    volumes_text: str
    """the file systems on the proven card, as its image has them; empty where none is proven"""
    changes_text: str
    """in what the proven card differs from the download; empty where nobody compared"""
    writes: list[WriteOut]
    findings: list[Finding]
    unsure: bool
    """whether its proof does not count just now: see `questions`"""
    questions: list[QuestionOut]


class WriteIn(Wire):
    """The drive as the person picked it: its row, path and serial, and the path picked a second time. `clear_end`: what an
    earlier system left at the end of the card goes too. `test_whole`: all of the room beyond the image is written and read back. `only_used`: what of
    the image nothing uses is neither written nor read back."""

    drive_id: int
    path: str
    serial: str
    again: str
    clear_end: bool = False
    test_whole: bool = False
    only_used: bool = False


class AnswerIn(Wire):
    """Whose card it is: that of a write it could be, none of those (`write_id` null), or that nobody knows."""

    write_id: int | None = None
    nobody_knows: bool = False


class CopyIn(Wire):
    """How the filled image is to be packed; `raw` is a plain image."""

    packing: Literal["raw", "gzip", "xz", "zstd"] = "raw"


@router.get("/deployments/{pk}/card", response=CardOut)
def read_card(request: HttpRequest, pk: int) -> CardOut:
    sync_library()  # a file that left meanwhile is not there to be written
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/write", response=CardOut)
def write(request: HttpRequest, pk: int, payload: WriteIn) -> CardOut:
    begin_write(
        pk, payload.drive_id, path=payload.path, serial=payload.serial, again=payload.again, clear_end=payload.clear_end,
        test_whole=payload.test_whole, only_used=payload.only_used,
    )  # fmt: skip
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/questions/{question_pk}", response=CardOut)
def say_whose(request: HttpRequest, pk: int, question_pk: int, payload: AnswerIn) -> CardOut:
    """Keep what a person said of a card that could be one of several."""
    answer(question_pk, payload.write_id, wiring.bench().clock.now(), nobody_knows=payload.nobody_knows)
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/stop", response=CardOut)
def stop(request: HttpRequest, pk: int) -> CardOut:
    stop_write(pk)
    return _out(judged(pk))


class PauseIn(Wire):
    paused: bool


@router.post("/deployments/{pk}/card/pause", response=CardOut)
def pause(request: HttpRequest, pk: int, payload: PauseIn) -> CardOut:
    pause_write(pk, paused=payload.paused)
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/copies", response=CardOut)
def make_copy(request: HttpRequest, pk: int, payload: CopyIn) -> CardOut:
    """Have the filled image made as a file, for a card writer elsewhere."""
    begin_copy(pk, Packing(payload.packing))
    return _out(judged(pk))


@router.post("/deployments/{pk}/card/copies/stop", response=CardOut)
def stop_making(request: HttpRequest, pk: int) -> CardOut:
    stop_copy(pk)
    return _out(judged(pk))


@router.get("/deployments/{pk}/card/copies/{copy_pk}/file", include_in_schema=False)
def send_copy(request: HttpRequest, pk: int, copy_pk: int) -> StreamingHttpResponse:
    copy, file = open_copy(pk, copy_pk)
    return handed_over(file, copy.file_name, copy.size_bytes, copy.sha256)


@router.get("/deployments/{pk}/card/copies/{copy_pk}/checksum", include_in_schema=False)
def send_checksum(request: HttpRequest, pk: int, copy_pk: int) -> HttpResponse:
    copy = made_copy(pk, copy_pk)
    return checksum_of(copy.file_name, copy.sha256)


def _copy_out(view: Judged) -> CopyOut | None:
    copy = last_copy(view.loaded.row.pk)
    if copy is None or copy.gone_at is not None or (copy.made_at is None and job_of(copy) is None):
        return None
    return CopyOut(
        id=copy.pk, file_name=copy.file_name, packing=copy.packing or Packing.RAW, size_text=decimal_size(copy.size_bytes) if copy.made_at else "",
        sha256=copy.sha256, made_at=copy.made_at, kept_until=kept_until(copy),
        current=copy.fingerprint == view.loaded.walk.fingerprint, job=job_out(job_of(copy)),
    )  # fmt: skip


def _out(view: Judged) -> CardOut:
    one, walk = view.loaded, view.loaded.walk
    why, xray, last = walk.not_ready_to_write(), walk.inputs.xray, one.write
    run = walk.inputs.run
    return CardOut(
        deployment=deployment_out(view),
        drives=drives_out(benches_of(one.site), xray.unpacked_bytes if xray else 0, xray.sector_bytes if xray else 0),
        job=job_out(one.job),
        left_in_all_s=left_in_all(one.job),
        wanted=walk.writes_card,
        ready=not why,
        not_ready_because=why,
        image_text=f"{xray.file_name}, {decimal_size(xray.unpacked_bytes)} unpacked" if xray else "",
        needed_bytes=xray.unpacked_bytes if xray else 0,
        in_use=_in_use(xray) if xray is not None else None,
        proven=last is not None and last.holds,
        proven_text=_proven_text(last) if last is not None else "",
        current=walk.card_current,
        digest=last.digest if last else "",
        reader=(last.reader or last.drive_path) if last else "",
        released=bool(last and last.holds and last.released and run is None),
        released_text=last.released_text if last else "",
        void_why=last.void_why if last and last.void_at else "",
        in_board=run is not None and run.powered,
        by_hand=bool(last and last.bench.kind == "real"),
        copy_of_image=_copy_out(view),
        volumes_text=_volumes_text(xray)
        if xray is not None and last is not None and last.holds and walk.card_current
        else "",
        changes_text=_changes_text(last) if last is not None and last.holds else "",
        writes=[
            _write_out(w)
            for w in Write.objects.filter(deployment=one.row)
            .select_related("bench")
            .defer("marks")
            .order_by("-pk")[:20]
        ],
        findings=view.of(Station.CARD),
        unsure=last is not None and last.unsure_at is not None and last.void_at is None,
        questions=questions_out(one.site, one.row.pk),
    )


def _in_use(xray: XRay) -> InUseOut | None:
    found = in_use(xray)
    rest = xray.unpacked_bytes - found.bytes
    if rest < LEAST_LEFT_BYTES:
        return None
    return InUseOut(
        text=decimal_size(found.bytes), rest_text=decimal_size(rest), whole_text=decimal_size(xray.unpacked_bytes), proposed=found.whole, untold=", ".join(found.untold),
    )  # fmt: skip


def _proven_text(w: Write) -> str:
    if not w.left_bytes:
        return f"All {decimal_size(w.written_bytes)} of it were read back and compared"
    return f"{decimal_size(w.written_bytes - w.left_bytes)} in use, read back and compared; {decimal_size(w.left_bytes)} that nothing uses, left as they were{' when it was written' if w.put_mark else ''}"


def _volumes_text(xray: XRay) -> str:
    """Return the volumes of an image as a list in words. A card that was proven to hold it holds these."""
    return ", ".join(
        f"{v.file_system}{f' {v.label!r}' if v.label else ''} of {binary_size(v.size_bytes)}" for v in xray.volumes[:8]
    )


def _changes_text(w: Write) -> str:
    found = stored(CHANGES, w.changes, None)
    # What was put on the card in its place afterwards differs too, and nobody compared that with the download.
    return found.words if found is not None and not w.put_mark else ""


def _room_text(w: Write) -> str:
    found = stored(CAPACITY, w.capacity, None)
    if found is None or not found.offsets:
        return ""
    if found.whole:
        return "all of the room beyond the image was written and read back"
    return f"{len(found.offsets)} marks all over the room beyond the image were read back"


def _write_out(w: Write) -> WriteOut:
    return WriteOut(
        id=w.pk, begun_at=w.begun_at, ended_at=w.ended_at, bench_name=w.bench.name, reader=w.reader, drive_path=w.drive_path,
        image_name=w.image_name, outcome=w.outcome, trouble=str((w.trouble or {}).get("sentence", "")), digest=w.digest,
        written_bytes=w.written_bytes, phases=list(w.phases), void_at=w.void_at, void_why=w.void_why,
        clears_end=w.clears_end, tests_whole=w.tests_whole, left_bytes=w.left_bytes, room_text=_room_text(w), card_name=w.card_name,
    )  # fmt: skip
