"""Powering a board that is a virtual machine: as of a pretend one, where this computer has the memory for it."""

from __future__ import annotations

import os

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive
from mintseed.core.errors import RefusedError
from mintseed.standins.machine import needs
from mintseed.standins.power import StandinPower


class MachinePower(StandinPower):
    """Implements ports.BoardPower."""

    def power_on(self, unit: str, board: Board, card: Drive, *, cable: bool) -> None:
        free_mb, powered = needs.free_memory_mb(), self.powered_since_s()
        if not needs.at_once(free_mb, 1):
            raise RefusedError(
                f"{free_mb} MB of memory are free", expected=f"{needs.MACHINE_MEMORY_MB} MB for one machine more",
                next_step="Power another board off, or end something else on this computer.",
            )  # fmt: skip
        if len(powered) >= (most := os.cpu_count() or 1):
            raise RefusedError(
                f"{len(powered)} machines run already", expected=f"at most {most}, one a processor",
                next_step="Power another board off first.",
            )  # fmt: skip
        super().power_on(unit, board, card, cable=cable)
