"""Time."""

from __future__ import annotations

from datetime import datetime
from typing import Protocol


class Clock(Protocol):
    def now(self) -> datetime:
        """Return the time, with its zone."""

    @property
    def boot_pace(self) -> float:
        """How many seconds of a boot pass in one second: 1 on a real bench, more on a stand-in bench."""
