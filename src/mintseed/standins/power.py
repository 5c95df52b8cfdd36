"""Moving a simulated card into a simulated board and switching the power.

Not simulated: brown-outs, boards that are hot, cards put in upside down.
"""

from __future__ import annotations

import time

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive
from mintseed.core.errors import RefusedError
from mintseed.standins.bench_folder import BenchFolder

MOST_HEAR_GHZ = (2.4, 5.0)
MOST_SAID_BYTES = 1024 * 1024
"""of a console, from its start on"""


class StandinPower:
    """Implements ports.BoardPower, for pretend boards and for virtual machines. The bench process sees the file it leaves and behaves."""

    def __init__(self, folder: BenchFolder) -> None:
        self._folder = folder

    def power_on(self, unit: str, board: Board, card: Drive, *, cable: bool) -> None:
        powered = self._folder.powered()
        if unit in powered:
            raise RefusedError("that board is powered already", next_step="Power it off first.")
        if any(state["card"] == card.name for state in powered.values()):
            raise RefusedError("that card is in another board", next_step="Power that board off first.")
        self._folder.write(
            self._folder.boards / f"{unit}.json",
            {
                "card": card.name,
                "compatible": board.device_tree_name,
                # Of what nobody said, a pretend board has what most have.
                "bits": board.bits or 64,
                "radio_ghz": list(MOST_HEAR_GHZ if board.radio_ghz is None else board.radio_ghz),
                "ethernet": board.ethernet is not False,
                "speed": board.speed,
                "cable": cable,
                "powered_at": time.time(),
            },
        )

    def power_off(self, unit: str) -> None:
        (self._folder.boards / f"{unit}.json").unlink(missing_ok=True)

    def console(self, unit: str) -> str:
        try:
            with self._folder.console_file(unit).open("rb") as file:
                return file.read(MOST_SAID_BYTES).decode("utf-8", "replace")
        except OSError:
            return ""

    def powered_since_s(self) -> dict[str, float]:
        return {unit: float(state["powered_at"]) for unit, state in self._folder.powered().items()}
