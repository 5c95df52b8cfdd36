"""Image files that come piece by piece, and may go on where they stopped."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True, slots=True)
class Upload:
    """`name`: what the file will be called in the library; `received_bytes` of `size_bytes` are there."""

    ident: str
    name: str
    size_bytes: int
    received_bytes: int


class Uploads(Protocol):
    def begin(self, name: str, size_bytes: int) -> Upload:
        """Make room for a file. Raises InputError for a name no image has, OutsideError where the disk has too little room."""

    def find(self, ident: str) -> Upload | None:
        """Return an upload that was begun and is not over, or None."""

    def append(self, ident: str, offset_bytes: int, data: bytes) -> Upload:
        """Add `data` at `offset_bytes`; with the last of it the file is in the library. Raises MissingError when it is not there,
        RefusedError when that is not where it stopped, or it would become longer than was said."""

    def abandon(self, ident: str) -> None:
        """Let go of what came of it. Raises MissingError when it is not there."""
