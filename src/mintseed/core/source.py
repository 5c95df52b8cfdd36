"""Bounded, random-access bytes: what every parser in the core reads from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol


class Source(Protocol):
    """Bytes with a known length. A read past the end comes back short, never raises."""

    @property
    def size_bytes(self) -> int: ...

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes: ...


@dataclass(frozen=True, slots=True)
class BytesSource:
    """A source over bytes in memory. `claimed_size_bytes` lets a head stand for a longer disk."""

    data: bytes
    claimed_size_bytes: int | None = None

    @property
    def size_bytes(self) -> int:
        return len(self.data) if self.claimed_size_bytes is None else self.claimed_size_bytes

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        return self.data[offset_bytes : offset_bytes + length_bytes] if offset_bytes >= 0 else b""
