"""Work on a card that no image goes to: test all of its room, or clear the tables at both of its ends. Both take what is on it."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager

from mintseed.core.card.capacity import PIECE_BYTES, fill_bytes
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.end_of_card import END_BYTES, end_of_card
from mintseed.core.card.identity import CardMarks
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.card.room import RoomTest
from mintseed.core.errors import DriveError
from mintseed.core.findings import Finding, Severity
from mintseed.ports.card_readers import BlockTarget, CardReaders
from mintseed.ports.volume import VolumeTools
from mintseed.services import recognise_card
from mintseed.services.refuse import refuse_stops

Tell = Callable[[Progress], None]
Looked = Callable[[CardMarks], None]
"""Told what lies on the card, once nobody else can write to it and before its first byte goes."""


def check(drive: Drive) -> tuple[Finding, ...]:
    """Return what stands against taking all that is on `drive`."""
    return tuple(f for f in judge_drive(drive) if f.severity is Severity.STOP)


def measure_room(
    drive: Drive, paths: Collection[str], *, readers: CardReaders, tools: VolumeTools, tell: Tell, looked: Looked
) -> RoomTest:
    """Write all of the card with what nobody can guess, read it back, count what came back right, and leave it without a table.

    `paths` are settings files that tell cards apart. Raises RefusedError when a safety rule stands against the drive, DriveError when it lets us
    down, StoppedError when `tell` says so.
    """
    with _alone(drive, paths, readers, tools, looked) as target:
        seed, size = secrets.token_hex(16), drive.size_bytes
        began = time.monotonic()
        for offset, length in _pieces(size):
            target.write(fill_bytes(seed, offset, length))
            tell(Progress(Phase.FILLING_ROOM, offset + length, size, time.monotonic() - began))
        tell(Progress(Phase.FLUSHING, 0, size, 0))
        target.flush()
        wrote_s, right, began = time.monotonic() - began, 0, time.monotonic()
        for offset, length in _pieces(size):
            right += length * (b"".join(target.read_back(length, offset)) == fill_bytes(seed, offset, length))
            tell(Progress(Phase.READING_ROOM, offset + length, size, time.monotonic() - began))
        read_s = time.monotonic() - began
        target.forget()
        _clear(target, drive)
    readers.set_free(drive)
    return RoomTest(size, right, wrote_s, read_s)


def clear(
    drive: Drive, paths: Collection[str], *, readers: CardReaders, tools: VolumeTools, tell: Tell, looked: Looked
) -> Finding:
    """Put zeros over the first and the last MiB of the card, where partition tables lie, and read them back. Raises as `measure_room` does."""
    with _alone(drive, paths, readers, tools, looked) as target:
        tell(Progress(Phase.WRITING, 0, 2 * END_BYTES, 0))
        _clear(target, drive)
    readers.set_free(drive)
    return Finding(
        "card.cleared", Severity.OK, "No partition table is left on it", "Its first and its last MiB hold zeros, read back from the card. What lies between was not touched and can be recovered.",
        source="UEFI 2.10 §5.3: tables lie at both ends",
    )  # fmt: skip


@contextmanager
def _alone(
    drive: Drive, paths: Collection[str], readers: CardReaders, tools: VolumeTools, looked: Looked
) -> Iterator[BlockTarget]:
    refuse_stops(check(drive))
    with readers.open(drive) as target:
        looked(recognise_card.execute(drive, paths, readers=readers, tools=tools))
        yield target


def _pieces(size_bytes: int) -> Iterator[tuple[int, int]]:
    for offset in range(0, size_bytes, PIECE_BYTES):
        yield offset, min(PIECE_BYTES, size_bytes - offset)


def _clear(target: BlockTarget, drive: Drive) -> None:
    """Clear both ends. Raises DriveError where one holds something afterwards."""
    end = end_of_card(drive.size_bytes, 0)
    ends = ((0, min(END_BYTES, drive.size_bytes)), (end.offset_bytes, end.length_bytes))
    for offset, length in ends:
        target.write_at(offset, bytes(length))
    target.flush()
    for offset, length in ends:
        if any(any(piece) for piece in target.read_back(length, offset)):
            raise DriveError(
                "an end of the card was cleared and still holds something", expected="zeros", where=drive.path,
                next_step="The card or the reader is failing. Take another card.",
            )  # fmt: skip
