"""Write a filled image to a card, read it back and compare. Only then is it written."""

from __future__ import annotations

import random
import secrets
import time
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass

from blake3 import blake3

from mintseed.core.card.capacity import MARK_BYTES, CapacityProof, fill_bytes, mark_offsets, pieces_of
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.end_of_card import End, end_of_card, has_backup_table
from mintseed.core.card.identity import CardMarks
from mintseed.core.card.in_use import parted
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.card.samples import BlockDigests, BlockHasher
from mintseed.core.errors import DriveError, MissingError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.image.changes import ImageChanges
from mintseed.core.image.report import XRay
from mintseed.core.ranges import Range, without
from mintseed.core.units import decimal_size, drive_size
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
    """Proof of a write: length, BLAKE3 of what was written and read back alike, whole and block by block, seconds it took; bytes
    cleared at the end; what was found out about the room beyond it; bytes that nothing uses, left as they were."""

    drive: Drive
    written_bytes: int
    digest: str
    took_s: float
    phases: tuple[PhaseTaken, ...]
    marks: CardMarks
    released: Released
    blocks: BlockDigests
    capacity: CapacityProof
    changes: ImageChanges
    cleared_bytes: int = 0
    left_bytes: int = 0


def check(drive: Drive, xray: XRay) -> tuple[Finding, ...]:
    """Return what stands for and against writing the image to `drive`, worst first."""
    return worst_first(judge_drive(drive, needed_bytes=xray.unpacked_bytes, image_sector_bytes=xray.sector_bytes))


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
    test_whole: bool = False,
) -> WrittenCard:
    """Look whose card it is, unpack, hash, write, flush, read back, compare, and keep its new marks.

    `looked` is told the marks of what lies there now, once nobody else can write and before the first byte goes out:
    its proof is about to end. `paths` are settings files that tell cards apart. `clear_end`: the end of the card, which the
    image does not reach, is cleared too, and read back. `test_whole`: all of the room beyond the image is written and read
    back, not marks in it alone; see core.card.capacity. What `image` leaves out, since nothing uses it, is neither written nor read back.
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
        # Cleared first: what is flushed after the image is then all of it. And what lies beyond the image goes out before it, so
        # that a card which is smaller than it says puts the image over it.
        target.write_at(end.offset_bytes, bytes(end.length_bytes))
        room_ends = end.offset_bytes if end.length_bytes else _room_ends(readers, drive, xray.unpacked_bytes)
        capacity = _mark_room(target, xray.unpacked_bytes, room_ends, whole=test_whole, tell=phases.tell)
        digest, blocks = _write(xray, image, target, phases.tell)
        _prove(target, xray.unpacked_bytes, image.left, digest, drive, phases.tell)
        _prove_room(target, capacity, xray.unpacked_bytes, room_ends, drive, phases.tell)
        _prove_cleared(target, end, drive)
        marks = recognise_card.execute(drive, paths, readers=readers, tools=tools)
    released = readers.set_free(drive)
    took_s = time.monotonic() - started
    return WrittenCard(
        drive, xray.unpacked_bytes, digest, took_s, phases.taken(), marks, released, blocks, capacity, image.changes, end.length_bytes,
        _size(image.left),
    )  # fmt: skip


def _room_ends(readers: CardReaders, drive: Drive, image_bytes: int) -> int:
    """Return where the room for marks ends: an old table at the end of the card stays, where nobody asked to clear it."""
    with readers.look(drive) as disk:
        return end_of_card(drive.size_bytes, image_bytes).offset_bytes if has_backup_table(disk) else drive.size_bytes


def _mark_room(target: BlockTarget, begins: int, ends: int, *, whole: bool, tell: Tell) -> CapacityProof:
    """Write what nobody can guess into the room from `begins` to `ends`: marks, or all of it."""
    seed = secrets.token_hex(16)
    if not whole:
        marks = CapacityProof(seed, mark_offsets(begins, ends, random.SystemRandom()))
        for offset in marks.offsets:
            target.write_at(offset, fill_bytes(seed, offset, MARK_BYTES))
        return marks
    done, started = 0, time.monotonic()
    for offset, length in pieces_of(begins, ends):
        target.write_at(offset, fill_bytes(seed, offset, length))
        done += length
        tell(Progress(Phase.FILLING_ROOM, done, max(0, ends - begins), time.monotonic() - started))
    return CapacityProof(seed, mark_offsets(begins, ends, random.SystemRandom()), whole=True)


def _prove_room(target: BlockTarget, proof: CapacityProof, begins: int, ends: int, drive: Drive, tell: Tell) -> None:
    """Read the room beyond the image back. Raises DriveError when it holds something else: the card is smaller than it says."""
    done, started = 0, time.monotonic()
    for offset, length in pieces_of(begins, ends) if proof.whole else ((o, MARK_BYTES) for o in proof.offsets):
        if b"".join(target.read_back(length, offset)) != fill_bytes(proof.seed, offset, length):
            raise DriveError(
                f"the card holds less than it says: what was written at {decimal_size(offset)} of it is gone",
                expected=f"a card of {drive_size(drive.size_bytes)}", where=drive.path,
                next_step="Throw it away or give it back: it would lose data once the system grows. Take another card.",
            )  # fmt: skip
        done += length
        if proof.whole:
            tell(Progress(Phase.READING_ROOM, done, max(0, ends - begins), time.monotonic() - started))


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


def _size(ranges: Iterable[Range]) -> int:
    return sum(length for _, length in ranges)


def _write(xray: XRay, image: FilledImage, target: BlockTarget, tell: Tell) -> tuple[str, BlockDigests]:
    """Write the filled image, but for what it leaves out, and return the BLAKE3 of what was written, whole and block by block."""
    digest, blocks, started = blake3(), BlockHasher(xray.unpacked_bytes), time.monotonic()
    written, passed, wanted = 0, 0, xray.unpacked_bytes - _size(image.left)
    for piece, keep in parted(image.pieces(), image.left):
        passed += len(piece)
        if keep:
            target.write(piece)
            digest.update(piece)
            blocks.update(piece)
            written += len(piece)
        else:
            target.pass_over(len(piece))
            blocks.pass_over(len(piece))
        tell(Progress(Phase.WRITING, written, wanted, time.monotonic() - started))
    image.refuse_other_than(xray, passed)
    flushing = time.monotonic()
    tell(Progress(Phase.FLUSHING, 0, written, 0))
    target.flush()
    tell(Progress(Phase.FLUSHING, written, written, time.monotonic() - flushing))
    return digest.hexdigest(), blocks.blocks()


def _prove(
    target: BlockTarget, length_bytes: int, left: Sequence[Range], wanted: str, drive: Drive, tell: Tell
) -> None:
    """Read back what was written and compare. Raises DriveError when the card holds other bytes."""
    digest, read, started = blake3(), 0, time.monotonic()
    kept = tuple(without([(0, length_bytes)], left))
    whole = _size(kept)
    with run_ahead(_read_back(target, kept), READ_AHEAD_PIECES) as pieces:
        for piece in pieces:
            digest.update(piece)
            read += len(piece)
            tell(Progress(Phase.READING_BACK, read, whole, time.monotonic() - started))
    if digest.hexdigest() != wanted:
        raise DriveError(
            "the card gave back other bytes than were written", expected=f"BLAKE3 {wanted}", where=drive.path,
            next_step="The card or the reader is failing. Take another card.",
        )  # fmt: skip


def _read_back(target: BlockTarget, kept: Iterable[Range]) -> Iterator[bytes]:
    for offset, length in kept:
        yield from target.read_back(length, offset)


def _prove_cleared(target: BlockTarget, end: End, drive: Drive) -> None:
    """Read the cleared end back. Raises DriveError when something still stands there."""
    if any(any(piece) for piece in target.read_back(end.length_bytes, end.offset_bytes)):
        raise DriveError(
            "the end of the card was cleared and still holds something", expected="zeros", where=drive.path,
            next_step="The card or the reader is failing. Take another card.",
        )  # fmt: skip
