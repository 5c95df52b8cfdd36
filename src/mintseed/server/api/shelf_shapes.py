"""What the shelf's answers look like, and what is sent to change it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, field_validator

from mintseed.core.boards.model import Drawing, Gauge, Plug, Socket
from mintseed.core.findings import Finding
from mintseed.core.plan.cards import CLASSES
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.server.api.wire import Wire

Name = Annotated[str, Field(min_length=1, max_length=80)]
Note = Annotated[str, Field(max_length=300)]
Awg = Gauge


class BoardKindOut(Wire):
    """A model of board one may own, told apart by its printed mark."""

    id: str
    name: str
    maker: str
    printed_mark: str
    mark_place: str
    telling_apart: str
    text: str
    supply_text: str
    twin: str
    drawing: Drawing | None
    example: bool
    """whether it is one of the made-up ones that came with the program, on a bench of real ones"""


class PartKindOut(Wire):
    id: str
    name: str
    role: str
    seen: str
    example: bool


class ShelfUnitOut(Wire):
    id: int
    name: str
    board: str
    board_name: str
    in_part: bool
    """whether its kind is described in part: more can be said of it"""
    printed_mark: str
    macs: list[str]
    note: str
    used_by: list[str]
    findings: list[Finding]


class ShelfSupplyOut(Wire):
    id: int
    name: str
    voltage_v: float
    current_a: float
    connector: str
    length_m: float | None
    awg: int | None
    battery_mah: float | None
    cell_v: float
    efficiency: float
    note: str
    used_by: list[str]


class ShelfCableOut(Wire):
    id: int
    name: str
    plug_to_supply: str
    plug_to_board: str
    length_m: float
    awg: int | None
    note: str
    used_by: list[str]


class CardWriteOut(Wire):
    """One attempt at a card: for whom, and how it ended."""

    at: datetime
    deployment: str
    outcome: str


class ShelfCardOut(Wire):
    """`writes`: how often it was written; `history`: the last of those, newest first."""

    id: int
    name: str
    size_gb: int
    classes: list[str]
    endurance: bool | None
    note: str
    used_by: list[str]
    writes: int
    history: list[CardWriteOut]


class ShelfPartOut(Wire):
    id: int
    name: str
    kind: str
    kind_name: str
    role: str
    note: str
    used_by: list[str]
    findings: list[Finding]


class ShelfOut(Wire):
    """`units` is a page; `units_after` asks for the next one."""

    site_id: int
    units: list[ShelfUnitOut]
    units_after: int | None
    supplies: list[ShelfSupplyOut]
    cables: list[ShelfCableOut]
    cards: list[ShelfCardOut]
    parts: list[ShelfPartOut]
    kinds: list[BoardKindOut]
    part_kinds: list[PartKindOut]
    connectors: list[str]
    plugs: list[str]
    gauges: list[int]
    classes: list[str]
    card_sizes: list[int]


class UnitIn(Wire):
    """`macs`: its hardware addresses, with blanks between."""

    name: Name
    board: str
    macs: Annotated[str, Field(max_length=200)] = ""
    note: Note = ""


class SupplyIn(Wire):
    name: Name
    voltage_v: float = Field(gt=0, le=60)
    current_a: float = Field(gt=0, le=30)
    connector: Plug | Socket
    length_m: Annotated[float | None, Field(gt=0, le=20)] = None
    awg: Awg | None = None
    battery_mah: Annotated[float | None, Field(gt=0, le=1_000_000)] = None
    cell_v: Annotated[float, Field(gt=0, le=5)] = 3.7
    efficiency: Annotated[float, Field(gt=0, le=1)] = 0.85
    note: Note = ""


class CableIn(Wire):
    name: Name
    plug_to_supply: Literal["USB-A", "USB-C"]
    plug_to_board: Plug
    length_m: float = Field(gt=0, le=20)
    awg: Awg | None = None
    note: Note = ""


class CardIn(Wire):
    name: Name
    size_gb: int
    classes: Annotated[list[str], Field(default_factory=list, max_length=8)]
    endurance: bool | None = None
    note: Note = ""

    @field_validator("size_gb")
    @classmethod
    def _is_sold(cls, size_gb: int) -> int:
        if size_gb not in NOMINAL_CARD_GB:
            raise ValueError(f"no card is printed {size_gb} GB")
        return size_gb

    @field_validator("classes")
    @classmethod
    def _are_marks(cls, classes: list[str]) -> list[str]:
        if strange := [c for c in classes if c not in CLASSES]:
            raise ValueError(f"{strange[0]} is no mark on cards; known are {', '.join(CLASSES)}")
        return classes


class PartIn(Wire):
    name: Name
    kind: str
    note: Note = ""
