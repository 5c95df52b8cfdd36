"""Write a filled image to a card, read it back and compare. Only then is it written."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass

from blake3 import blake3

from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.end_of_card import End, end_of_card
from mintseed.core.card.identity import CardMarks
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import DriveError, MissingError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.image.report import XRay
from mintseed.ports.card_readers import BlockTarget, CardReaders, Released
from mintseed.ports.volume import VolumeTools
from mintseed.services import recognise_card
from mintseed.services.fill_image import FilledImage
from mintseed.services.run_ahead import run_ahead

READ_AHEAD_PIECES = 2
"""pieces read from the card while the one before is compared."""

Tell = Callable[[Progress], None]
"""Called often with how far it is; may raise StoppedError to stop."""


@dataclass(frozen=True, slots=True)
class PhaseTaken:
    """One phase of a write as it was: its bytes and seconds."""

    phase: Phase
    bytes_done: int
    took_s: float


@dataclass(frozen=True, slots=True)
class WrittenCard:
    """Proof of a write: length, BLAKE3 of what was written and read back alike, seconds it took; bytes cleared at the end."""

    drive: Drive
    written_bytes: int
    digest: str
    took_s: float
    phases: tuple[PhaseTaken, ...]
    marks: CardMarks
    released: Released
    cleared_bytes: int = 0


def check(drive: Drive, xray: XRay) -> tuple[Finding, ...]:
    """Return what stands for and against writing the image to `drive`, worst first."""
    return worst_first(judge_drive(drive, needed_bytes=xray.unpacked_bytes))


def pick_drive(readers: CardReaders, path: str, expect_serial: str) -> Drive:
    """Return the drive at `path` as it is now. Raises MissingError when it is gone, RefusedError when it is another one."""
    return pick_listed(readers.drives(), path, expect_serial)


def pick_listed(drives: Iterable[Drive], path: str, expect_serial: str) -> Drive:
    """Return the one of `drives` at `path`. Raises as `pick_drive` does."""
    drive = next((d for d in drives if d.path == path), None)
    if drive is None:
        raise MissingError("no drive there now", where=path, next_step="Put the card in and look at the drives again.")
    if drive.serial != expect_serial:
        raise RefusedError(f"another drive is there now ({drive.serial or 'without a serial'})", expected=expect_serial,
                           where=path, next_step="Look at the drives and pick again.")  # fmt: skip
    return drive


def execute(
    xray: XRay,
    image: FilledImage,
    drive: Drive,
    *,
    readers: CardReaders,
    tools: VolumeTools,
    tell: Tell,
    paths: Collection[str] = (),
    looked: Callable[[CardMarks], None] = lambda marks: None,
    clear_end: bool = False,
) -> WrittenCard:
    """Look whose card it is, unpack, hash, write, flush, read back, compare, and keep its new marks.

    `looked` is told the marks of what lies there now, once nobody else can write and before the first byte goes out:
    its proof is about to end. `paths` are settings files that tell cards apart. `clear_end`: the end of the card, which the
    image does not reach, is cleared too, and read back.
    Raises RefusedError when a safety rule stands against the drive, ImageError when the download is not the file that
    was X-rayed, DriveError when the card lets us down or gives back other bytes, StoppedError when `tell` says so.
    """
    found = check(drive, xray)
    if verdict(found) is Severity.STOP:
        raise RefusedError(found[0].title, where=drive.path, next_step=found[0].fix)
    end = end_of_card(drive.size_bytes, xray.unpacked_bytes) if clear_end else End(0, 0)
    started, phases = time.monotonic(), _Phases(tell)
    with readers.open(drive) as target:
        looked(recognise_card.execute(drive, paths, readers=readers, tools=tools))
        # Cleared first: what is flushed after the image is then all of it.
        target.clear(end.offset_bytes, end.length_bytes)
        digest = _write(xray, image, target, phases.tell)
        _prove(target, xray.unpacked_bytes, digest, drive, phases.tell)
        _prove_cleared(target, end, drive)
        marks = recognise_card.execute(drive, paths, readers=readers, tools=tools)
    released = readers.set_free(drive)
    took_s = time.monotonic() - started
    return WrittenCard(
        drive, xray.unpacked_bytes, digest, took_s, phases.taken(), marks, released, end.length_bytes
    )  # fmt: skip


class _Phases:
    """Passes progress on and keeps what each phase came to."""

    def __init__(self, tell: Tell) -> None:
        self._tell = tell
        self._last: dict[Phase, Progress] = {}

    def tell(self, progress: Progress) -> None:
        self._last[progress.phase] = progress
        self._tell(progress)

    def taken(self) -> tuple[PhaseTaken, ...]:
        return tuple(PhaseTaken(p.phase, p.done_bytes, round(p.elapsed_s, 2)) for p in self._last.values())


def _write(xray: XRay, image: FilledImage, target: BlockTarget, tell: Tell) -> str:
    """Write the filled image and return the BLAKE3 of what was written."""
    digest, written, started = blake3(), 0, time.monotonic()
    for piece in image.pieces():
        target.write(piece)
        digest.update(piece)
        written += len(piece)
        tell(Progress(Phase.WRITING, written, xray.unpacked_bytes, time.monotonic() - started))
    image.refuse_other_than(xray, written)
    flushing = time.monotonic()
    tell(Progress(Phase.FLUSHING, 0, written, 0))
    target.flush()
    tell(Progress(Phase.FLUSHING, written, written, time.monotonic() - flushing))
    return digest.hexdigest()


def _prove(target: BlockTarget, length_bytes: int, wanted: str, drive: Drive, tell: Tell) -> None:
    """Read the card back and compare. Raises DriveError when it holds other bytes."""
    digest, read, started = blake3(), 0, time.monotonic()
    with run_ahead(target.read_back(length_bytes), READ_AHEAD_PIECES) as pieces:
        for piece in pieces:
            digest.update(piece)
            read += len(piece)
            tell(Progress(Phase.READING_BACK, read, length_bytes, time.monotonic() - started))
    if digest.hexdigest() != wanted:
        raise DriveError(
            "the card gave back other bytes than were written", expected=f"BLAKE3 {wanted}", where=drive.path,
            next_step="The card or the reader is failing. Take another card.",
        )  # fmt: skip


def _prove_cleared(target: BlockTarget, end: End, drive: Drive) -> None:
    """Read the cleared end back. Raises DriveError when something still stands there."""
    if any(any(piece) for piece in target.read_back(end.length_bytes, end.offset_bytes)):
        raise DriveError(
            "the end of the card was cleared and still holds something", expected="zeros", where=drive.path,
            next_step="The card or the reader is failing. Take another card.",
        )  # fmt: skip
