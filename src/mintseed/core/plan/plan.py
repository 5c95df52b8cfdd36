"""The plan: what shall go together. A value; the rules beside it judge it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from mintseed.core.boards.model import Battery, Board, Cable, Supply
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe, WayIn
from mintseed.core.site.model import WifiNetwork
from mintseed.core.units import GB

if TYPE_CHECKING:
    from mintseed.core.image.report import XRay

Way = Literal["wifi", "cable"]

HALF = 0.5
"""Share of the time at load that is assumed of a device nobody measured."""


@dataclass(frozen=True, slots=True)
class Card:
    """A card, as printed on it. `classes` are its marks, such as C10, U1, V30, A1; empty where nobody read them."""

    size_gb: int
    classes: tuple[str, ...] = ()
    endurance: bool | None = None
    name: str = ""

    @property
    def size_bytes(self) -> int:
        return self.size_gb * GB


@dataclass(frozen=True, slots=True)
class PlannedPart:
    """A part of the plan. `owned_name` is what the one on the shelf is called; empty for one that is to be bought."""

    part: Part
    owned_name: str = ""

    @property
    def name(self) -> str:
        return self.owned_name or self.part.name


@dataclass(frozen=True, slots=True)
class Plan:
    """What shall go together. Whatever is None or empty is not chosen yet.

    `release` is the release that is wanted while no image was read; `load_share` is the share of the time at load, 0 to 1.
    """

    recipe: Recipe
    board: Board | None = None
    supply: Supply | None = None
    cable: Cable | None = None
    card: Card | None = None
    way: Way | None = None
    network: WifiNetwork | None = None
    image: XRay | None = None
    release: str = ""
    parts: tuple[PlannedPart, ...] = ()
    way_in: WayIn | None = None
    load_share: float = HALF

    @property
    def radio_ghz(self) -> tuple[float, ...]:
        """The bands of the board and of its Wi-Fi adapters."""
        board = (self.board.radio_ghz or ()) if self.board else ()
        return tuple(sorted({*board, *(ghz for p in self.parts for ghz in p.part.radio_ghz)}))

    @property
    def ethernet(self) -> bool:
        return bool(self.board and self.board.ethernet) or any(p.part.ethernet for p in self.parts)

    @property
    def battery(self) -> Battery | None:
        return self.supply.battery if self.supply else None

    @property
    def feeder(self) -> PlannedPart | None:
        """The add-on that powers the board, if one does. What pushes current back through a USB plug is no supply to rely on."""
        return next((p for p in self.parts if p.part.feeds_board and p.part.header), None)

    @property
    def own_way_in(self) -> WayIn:
        """How the settings get in: as chosen, else filled before writing where the recipe allows that, else its usual way."""
        return self.way_in or self.recipe.usual_way_in
