"""Boards and supplies, as described in `boards/`."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mintseed.core.described import Described


class SupplyNeed(Described):
    """What the board draws. `least_current_a` covers the board alone at load, without anything plugged in."""

    voltage_v: float = Field(gt=0)
    least_current_a: float = Field(gt=0)
    connector: str


class Board(Described):
    """One model of board. It is told apart by its printed mark, not by its family name (common practice)."""

    board: Literal[1]
    id: str
    name: str
    maker: str
    printed_mark: str
    compatible: tuple[str, ...] = Field(min_length=1, description="device-tree names, most exact first")
    bits: Literal[32, 64]
    radio_ghz: tuple[float, ...] = ()
    ethernet: bool
    tiny: bool = False
    supply: SupplyNeed
    since: str
    twin: str | None = Field(default=None, description="id of the board that differs only in its radio")
    card_slot: str
    remarks: str = ""

    @property
    def has_radio(self) -> bool:
        return bool(self.radio_ghz)


class Supply(Described):
    """A power supply one owns."""

    name: str
    voltage_v: float = Field(gt=0)
    current_a: float = Field(gt=0)
    connector: str
