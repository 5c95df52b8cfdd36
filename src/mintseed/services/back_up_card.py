"""Read a card back into a packed image file: what its file systems do not use is left out, and the file is read again and compared."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass

from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError, PartitionTableError, RefusedError
from mintseed.core.findings import Finding, Severity
from mintseed.core.image.packing import PIECE_BYTES, Packing
from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.ranges import Range, joined
from mintseed.ports.card_readers import CardReaders, ReadableDrive
from mintseed.ports.filled_copies import FilledCopies
from mintseed.ports.volume import VolumeTools
from mintseed.services import packed_file

READABLE_ALL_THE_SAME = ("card.read-only",)
"""stops for writing that do not keep a card from being read"""


@dataclass(frozen=True, slots=True)
class BackedUp:
    """`image_bytes`: its length unpacked; `left_out_bytes`: how much of that its file systems do not use; `digest`: BLAKE3 of it; `sha256`: of the
    packed file."""

    image_bytes: int
    left_out_bytes: int
    packed_bytes: int
    digest: str
    sha256: str
    took_s: float


def check(drive: Drive) -> tuple[Finding, ...]:
    """Return what stands against reading the card as a whole: it must not change meanwhile."""
    return tuple(f for f in judge_drive(drive) if f.severity is Severity.STOP and f.code not in READABLE_ALL_THE_SAME)


def execute(
    drive: Drive, name: str, *, readers: CardReaders, tools: VolumeTools, copies: FilledCopies, tell: Callable[[Progress], None] = lambda progress: None
) -> BackedUp:  # fmt: skip
    """Read `drive` into the zstd file called `name`, which appears only once it was compared with what was read.

    An MBR card is read up to the end of its last partition, any other whole. Raises RefusedError where the card is in use, PartitionTableError where
    nothing is on it, DriveError, OutsideError.
    """
    if found := check(drive):
        raise RefusedError(found[0].title, where=drive.path, next_step=found[0].fix)
    started = time.monotonic()
    # Nobody writes to it meanwhile; to one that cannot be written to nobody does anyway.
    alone: AbstractContextManager[object] = nullcontext() if drive.read_only else readers.held(drive.path)
    with alone, readers.look(drive) as disk:
        try:
            table = read_partition_table(disk)
        except PartitionTableError as error:
            raise PartitionTableError("no partition table lies on it", expected="a card that was written", where=drive.path,
                                      next_step="Look whether this is the card that is meant.") from error  # fmt: skip
        ends = end_of(table, disk.size_bytes)
        unused = unused_of(table, disk, tools, ends)
        with copies.new(name, 0) as file:
            made = packed_file.write(file, _pieces(disk, ends, unused, tell), Packing.ZSTD, tell=tell)
    left_out = sum(length for _, length in unused)
    return BackedUp(ends, left_out, made.size_bytes, made.digest, made.sha256, time.monotonic() - started)


def end_of(table: PartitionTable, size_bytes: int) -> int:
    """Return where the image of a card with `table` ends: a GPT has its second half at the card's end."""
    if table.scheme != "mbr":
        return size_bytes
    return min(size_bytes, max((p.end_bytes for p in table.partitions), default=size_bytes))


def unused_of(table: PartitionTable, disk: ReadableDrive, tools: VolumeTools, ends: int) -> tuple[Range, ...]:
    """Return what the volumes of `disk` do not use, as ranges from its start, none beyond `ends`."""
    found = sorted(
        (partition.offset_bytes + offset, length)
        for partition in table.partitions
        if partition.end_bytes <= ends
        for offset, length in tools.unused(disk.path, disk, partition.offset_bytes, partition.size_bytes)
    )
    return joined(found)


def _pieces(
    disk: ReadableDrive, ends: int, unused: tuple[Range, ...], tell: Callable[[Progress], None]
) -> Iterator[bytes]:
    """Yield the image of a card: what it holds, and zeros for what is not used, which is not read where a whole piece of it is not."""
    started, waiting = time.monotonic(), list(reversed(unused))
    for at in range(0, ends, PIECE_BYTES):
        length = min(PIECE_BYTES, ends - at)
        holes = []
        while waiting and waiting[-1][0] < at + length:
            offset, size = waiting.pop()
            holes.append((max(offset, at) - at, min(offset + size, at + length) - at))
            if offset + size > at + length:
                waiting.append((at + length, offset + size - at - length))
        if holes == [(0, length)]:
            piece = bytes(length)
        else:
            read = bytearray(disk.read_at(at, length))
            if len(read) != length:
                raise OutsideError(
                    "the card ends before its size",
                    where=str(disk.path),
                    next_step="Take it out, put it back, and try again.",
                )
            for begins, stops in holes:
                read[begins:stops] = bytes(stops - begins)
            piece = bytes(read)
        yield piece
        tell(Progress(Phase.READING_BACK, at + length, ends, time.monotonic() - started))
