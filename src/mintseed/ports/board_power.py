"""Putting a card into a board and powering it. On a real bench a person does both."""

from __future__ import annotations

from typing import Protocol

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive


class BoardPower(Protocol):
    @property
    def by_hand(self) -> bool:
        """Whether a person does it and the program only takes note."""

    def power_on(self, unit: str, board: Board, card: Drive, *, cable: bool) -> None:
        """Move the card into the board called `unit` and power it. Raises RefusedError when it cannot be."""

    def power_off(self, unit: str) -> None:
        """Power the board off and put its card back into the reader. Nothing happens when it is off."""
