"""The machine's clock."""

from __future__ import annotations

from datetime import UTC, datetime


class SystemClock:
    """Implements ports.Clock. `boot_pace` above 1 is for stand-in benches only."""

    def __init__(self, boot_pace: float = 1.0) -> None:
        self._pace = boot_pace

    def now(self) -> datetime:
        return datetime.now(UTC)

    @property
    def boot_pace(self) -> float:
        return self._pace
