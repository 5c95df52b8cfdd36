"""Putting a card into a stand-in board and powering it. On a real bench a person does both, and says so."""

from __future__ import annotations

from typing import Protocol

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive


class BoardPower(Protocol):
    def power_on(self, unit: str, board: Board, card: Drive, *, cable: bool) -> None:
        """Move the card into the board called `unit` and power it. Raises RefusedError when it cannot be."""

    def power_off(self, unit: str) -> None:
        """Power the board off and put its card back into the reader. Nothing happens when it is off."""

    def console(self, unit: str) -> str:
        """Return what the board said on its serial line since it was powered; nothing where none is heard. Never waits."""

    def powered_since_s(self) -> dict[str, float]:
        """Return the boards that are powered, and since when (Unix time in seconds)."""
