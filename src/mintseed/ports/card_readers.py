"""Drives of this machine, and one of them opened for writing."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager
from typing import Protocol

from mintseed.core.card.drives import Drive


class BlockTarget(Protocol):
    """A drive opened for writing. Every method raises DriveError when the drive lets us down."""

    def write(self, data: bytes) -> None:
        """Write `data` after what was written before."""

    def flush(self) -> None:
        """Return only when everything written is on the medium."""

    def read_back(self, length_bytes: int) -> Iterator[bytes]:
        """Yield the first `length_bytes` from the medium itself, not from a cache."""


class CardReaders(Protocol):
    def drives(self) -> tuple[Drive, ...]:
        """Return every whole drive, the ones that must not be touched too."""

    def open(self, drive: Drive) -> AbstractContextManager[BlockTarget]:
        """Open `drive` for writing, alone. Raises DriveError when it is gone, busy or another one now."""

    def set_free(self, drive: Drive) -> None:
        """Make the drive safe to pull out."""
