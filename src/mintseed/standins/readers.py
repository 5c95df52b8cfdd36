"""Simulated card readers. They list drives as lsblk prints them, the running system's own drive among them.

Not simulated: wear, readers that answer from a memory of their own. Faults in `drives.json`, per drive:
`rate_bytes_per_s` (slow), `gone_after_bytes` (pulled out while writing), `flips_byte_at` (stores another byte),
`full_after_bytes` (ends early), `wraps_at_bytes` (holds no more than that, and begins anew at its beginning),
`drops_beyond_bytes` (holds no more than that, and forgets the rest).
"""

from __future__ import annotations

import errno
import fcntl
import json
import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from mintseed.core.card.blank import stretches
from mintseed.core.card.drives import Drive, judge_drive, parse_lsblk
from mintseed.core.errors import DriveError, RefusedError
from mintseed.core.findings import Severity
from mintseed.ports.card_readers import Released
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.board.card_bytes import UnreadableError, volume_offsets

_READ_BYTES = 4 * 1024 * 1024


class StandinReaders:
    """Implements ports.CardReaders."""

    def __init__(self, folder: BenchFolder) -> None:
        self._folder = folder

    def _entries(self) -> list[dict[str, Any]]:
        in_boards = {state["card"] for state in self._folder.powered().values()}
        listed = self._folder.read(self._folder.drives_file) or []
        return [entry for entry in listed if entry["name"] not in in_boards]

    def drives(self) -> tuple[Drive, ...]:
        return parse_lsblk(json.dumps({"blockdevices": [self._listed(entry) for entry in self._entries()]}))

    def _listed(self, entry: dict[str, Any]) -> dict[str, Any]:
        """Return `entry` with the partitions that stand in the card's own bytes, unless it names some itself."""
        backing = self._folder.cards / f"{entry['name']}.img"
        offsets: list[int] = []
        with suppress(UnreadableError, OSError):
            offsets = volume_offsets(backing)
        parts = [{"name": f"{entry['name']}{n}", "type": "part"} for n in range(1, len(offsets) + 1)]
        return {"children": parts, **entry}

    def signature(self) -> object:
        return (_changed_at(self._folder.drives_file), _changed_at(self._folder.boards))

    def awaited(self) -> tuple[int, ...]:
        return ()

    def _backing(self, drive: Drive) -> tuple[Path, dict[str, Any]]:
        entry = next((e for e in self._entries() if e["path"] == drive.path), None)
        if entry is None or entry.get("serial") != drive.serial:
            raise DriveError("the drive is gone or another one now", expected=drive.serial, where=drive.path,
                             next_step="Look at the drives again and pick it again.")  # fmt: skip
        return self._folder.cards / f"{entry['name']}.img", entry.get("faults") or {}

    @contextmanager
    def look(self, drive: Drive) -> Iterator[LookedAtFile]:
        backing, faults = self._backing(drive)
        if not backing.exists():
            make_sparse(backing, drive.size_bytes)
        looked = LookedAtFile(backing, faults)
        try:
            yield looked
        finally:
            looked.close()

    @contextmanager
    def open(self, drive: Drive) -> Iterator[StandinCard]:
        backing, faults = self._backing(drive)
        # What an appliance kept on this card goes with the rest of its content.
        card = StandinCard(backing, drive, faults)
        backing.with_suffix(".kept.json").unlink(missing_ok=True)
        try:
            yield card
        finally:
            card.close()

    @contextmanager
    def held(self, path: str) -> Iterator[Callable[[], None]]:
        drive = next((d for d in self.drives() if d.path == path), None)
        if drive is None:
            raise DriveError("no whole drive is there", expected="a drive, not a part of one", where=path)
        if (stop := next((f for f in judge_drive(drive) if f.severity is Severity.STOP), None)) is not None:
            raise RefusedError(stop.title, where=path, next_step=stop.fix)
        backing, _ = self._backing(drive)
        if not backing.exists():
            make_sparse(backing, drive.size_bytes)
        descriptor = os.open(backing, os.O_RDONLY)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
            yield lambda: os.fsync(descriptor)
        except BlockingIOError as error:
            raise DriveError(
                "another writer still holds the drive", where=path, next_step="Wait until it has ended."
            ) from error
        finally:
            os.close(descriptor)

    def set_free(self, drive: Drive) -> Released:
        return Released(True, "flushed; a pretend card has no more to say")


def _changed_at(path: Path) -> int:
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


def make_sparse(path: Path, size_bytes: int) -> None:
    """Make the empty card `path`, taking no room."""
    descriptor = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    os.ftruncate(descriptor, size_bytes)
    os.close(descriptor)


def really(faults: dict[str, int], offset: int, length: int) -> Iterator[tuple[int | None, int, int]]:
    """Yield where a card with `faults` really puts what is addressed, stretch by stretch: its place, None for nowhere, and which
    bytes of the `length` lie there."""
    real, wraps = faults.get("wraps_at_bytes"), True
    if real is None:
        real, wraps = faults.get("drops_beyond_bytes"), False
    if real is None:
        yield offset, 0, length
        return
    begin = 0
    while begin < length:
        at = offset + begin
        end = min(length, begin + real - at % real)
        yield (at % real if wraps else at if at < real else None), begin, end
        begin = end


def _lies(faults: dict[str, int]) -> bool:
    """Return whether a card with `faults` holds less than it says."""
    return faults.get("wraps_at_bytes") is not None or faults.get("drops_beyond_bytes") is not None


def _never_written(descriptor: int, offset: int, length: int) -> bool:
    """Return whether nothing was ever put there, so that it reads as zeros (lseek(2), SEEK_DATA)."""
    try:
        return os.lseek(descriptor, offset, os.SEEK_DATA) >= offset + length
    except OSError as error:
        return error.errno == errno.ENXIO  # no data from there to the end


def stored(descriptor: int, faults: dict[str, int], offset: int, length: int) -> bytes:
    """Return what a card with `faults` gives back for that place."""
    if not _lies(faults):
        return os.pread(descriptor, length, offset)
    return b"".join(
        os.pread(descriptor, end - begin, place) if place is not None else bytes(end - begin)
        for place, begin, end in really(faults, offset, length)
    )


class LookedAtFile:
    """Implements ports.ReadableDrive."""

    def __init__(self, path: Path, faults: dict[str, int]) -> None:
        self._path, self._faults = path, faults
        self._descriptor = os.open(path, os.O_RDONLY)

    @property
    def path(self) -> Path:
        return self._path

    @property
    def size_bytes(self) -> int:
        return os.fstat(self._descriptor).st_size

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        return stored(self._descriptor, self._faults, offset_bytes, length_bytes) if offset_bytes >= 0 else b""

    def close(self) -> None:
        os.close(self._descriptor)


class StandinCard:
    """Implements ports.BlockTarget over a sparse file."""

    def __init__(self, backing: Path, drive: Drive, faults: dict[str, int]) -> None:
        self._path, self._faults, self._written = drive.path, faults, 0
        self._descriptor = os.open(backing, os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(self._descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._descriptor)
            raise DriveError("another writer still holds the drive", where=drive.path,
                             next_step="Wait until it has ended, then write again.") from error  # fmt: skip
        os.ftruncate(self._descriptor, drive.size_bytes)

    def write(self, data: bytes) -> None:
        self._fail_at("gone_after_bytes", "the drive is gone", len(data))
        self._fail_at("full_after_bytes", "the drive is full", len(data))
        flip = self._faults.get("flips_byte_at", -1) - self._written
        if 0 <= flip < len(data):
            data = data[:flip] + bytes([data[flip] ^ 1]) + data[flip + 1 :]
        self._pace(len(data))
        for begin, end, blank in stretches(data):
            if not (blank and self._is_blank(self._written + begin, end - begin)):
                self._store(self._written + begin, data[begin:end])
        self._written += len(data)

    def pass_over(self, length_bytes: int) -> None:
        self._written += length_bytes

    def _store(self, offset: int, data: bytes) -> None:
        """Put `data` where this card really puts it."""
        for place, begin, end in really(self._faults, offset, len(data)):
            if place is not None:
                os.pwrite(self._descriptor, data[begin:end], place)

    def _is_blank(self, offset: int, length: int) -> bool:
        if not _lies(self._faults) and _never_written(self._descriptor, offset, length):
            return True
        return stored(self._descriptor, self._faults, offset, length) == bytes(length)

    def _fail_at(self, fault: str, found: str, coming_bytes: int) -> None:
        limit = self._faults.get(fault)
        if limit is not None and self._written + coming_bytes > limit:
            raise DriveError(
                found, where=self._path, next_step="Put the card in again, look at the drives, and write it again."
            )

    def _pace(self, length_bytes: int) -> None:
        """Take as long as a card of this rate takes."""
        rate = self._faults.get("rate_bytes_per_s")
        if rate:
            time.sleep(length_bytes / rate)

    def write_at(self, offset_bytes: int, data: bytes) -> None:
        self._pace(len(data))
        self._store(offset_bytes, data)

    def flush(self) -> None:
        os.fsync(self._descriptor)

    def forget(self) -> None:
        size = os.fstat(self._descriptor).st_size
        os.ftruncate(self._descriptor, 0)
        os.ftruncate(self._descriptor, size)

    def read_back(self, length_bytes: int, offset_bytes: int = 0) -> Iterator[bytes]:
        os.posix_fadvise(self._descriptor, 0, 0, os.POSIX_FADV_DONTNEED)
        offset, end = offset_bytes, offset_bytes + length_bytes
        while offset < end:
            piece = stored(self._descriptor, self._faults, offset, min(_READ_BYTES, end - offset))
            if not piece:
                raise DriveError(f"it ends after {offset} bytes", expected=f"{end} bytes", where=self._path)
            self._pace(len(piece) // 2)
            yield piece
            offset += len(piece)

    def close(self) -> None:
        os.close(self._descriptor)
