"""Progress of a write: phases, bytes, rate, time left."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

CARDS_AT_ONCE = 4
"""cards a bench writes side by side, each in a reader of its own: more than readers share one bus well"""


class Phase(StrEnum):
    """What is being done to the card. Only `PROVEN` means it may go into a board."""

    FILLING = "filling"
    FILLING_ROOM = "filling-room"
    WRITING = "writing"
    FLUSHING = "flushing"
    READING_BACK = "reading-back"
    READING_ROOM = "reading-room"
    COMPARING = "comparing"
    PROVEN = "proven"


@dataclass(frozen=True, slots=True)
class Progress:
    """`done_bytes` of `total_bytes` in this phase after `elapsed_s` seconds of it."""

    phase: Phase
    done_bytes: int
    total_bytes: int
    elapsed_s: float

    @property
    def rate_bytes_per_s(self) -> float:
        return self.done_bytes / self.elapsed_s if self.elapsed_s > 0 else 0.0

    @property
    def left_s(self) -> float | None:
        """Seconds left in this phase, or None while nothing can be said."""
        rate = self.rate_bytes_per_s
        return (self.total_bytes - self.done_bytes) / rate if rate > 0 and self.total_bytes else None
