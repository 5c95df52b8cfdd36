"""On a real bench a person moves the card and plugs in the supply; the program only takes note."""

from __future__ import annotations

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive


class HandPower:
    """Implements ports.BoardPower."""

    @property
    def by_hand(self) -> bool:
        return True

    def power_on(self, unit: str, board: Board, card: Drive, *, cable: bool) -> None:
        pass

    def power_off(self, unit: str) -> None:
        pass
