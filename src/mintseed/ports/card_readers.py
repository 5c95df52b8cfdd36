"""Drives of this machine, and one of them opened for looking or for writing."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from mintseed.core.card.drives import Drive


@dataclass(frozen=True, slots=True)
class Released:
    """Whether a written card may be pulled out, and why not yet."""

    safe: bool
    text: str


class BlockTarget(Protocol):
    """A drive opened for writing. Every method raises DriveError when the drive lets us down."""

    def write(self, data: bytes) -> None:
        """Write `data` after what was written before; zeros only where the medium does not hold zeros already."""

    def pass_over(self, length_bytes: int) -> None:
        """Leave what lies there as it is: what is written next comes after it."""

    def flush(self) -> None:
        """Return only when everything written is on the medium."""

    def write_at(self, offset_bytes: int, data: bytes) -> None:
        """Write `data` there. The place where `write` goes on stays as it was."""

    def forget(self) -> None:
        """Tell the medium that nothing on it is needed any more, where it takes that: it is faster to write to then, and may hold anything."""

    def read_back(self, length_bytes: int, offset_bytes: int = 0) -> Iterator[bytes]:
        """Yield `length_bytes` from `offset_bytes` (a multiple of 4096) on, from the medium itself, not from a cache."""


class ReadableDrive(Protocol):
    """A drive opened for looking: a Source for the core's parsers, and a path for tools."""

    @property
    def path(self) -> Path: ...

    @property
    def size_bytes(self) -> int: ...

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes: ...


class CardReaders(Protocol):
    def drives(self) -> tuple[Drive, ...]:
        """Return every whole drive, the ones that must not be touched too."""

    def signature(self) -> object:
        """Return something that is cheap to ask for and differs once drives, mounts or swap changed."""

    def awaited(self) -> tuple[int, ...]:
        """Return descriptors that can be read once drives may have changed, until `signature` is asked for; none where nobody tells."""

    def look(self, drive: Drive) -> AbstractContextManager[ReadableDrive]:
        """Open `drive` for reading. Raises DriveError when it is gone or may not be read."""

    def open(self, drive: Drive) -> AbstractContextManager[BlockTarget]:
        """Open `drive` for writing, alone: two writers never hold one drive, whatever they believe.

        Raises DriveError when it is gone, busy, another one now, or when reading back would not be allowed.
        """

    def held(self, path: str) -> AbstractContextManager[Callable[[], None]]:
        """Keep the card at `path` for oneself while a tool changes files on it; what is handed over brings them onto the medium and forgets what
        memory holds. Raises DriveError where it is gone or in use, RefusedError for a drive that is never written to."""

    def set_free(self, drive: Drive) -> Released:
        """Tell whether the drive may be pulled out: nothing of it is unwritten or in use."""
