"""What one owns, as the plan sees it: each thing with the key of its row and who plans with it now."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Generic, TypeVar

from mintseed.core.boards.model import Board, Cable, Supply
from mintseed.core.parts.model import Part
from mintseed.core.plan.plan import Card
from mintseed.core.site.model import WifiNetwork

if TYPE_CHECKING:
    from mintseed.core.image.report import XRay

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Owned(Generic[T]):
    """One thing on the shelf. `used_by`: deployments that plan with it; a thing in use is proposed last."""

    key: int
    name: str
    thing: T
    used_by: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Shelf:
    """Everything a plan may take. `images` are those of the appliance that were read; `catalogue` holds every described part,
    also those one would have to buy."""

    boards: tuple[Owned[Board], ...] = ()
    cards: tuple[Owned[Card], ...] = ()
    supplies: tuple[Owned[Supply], ...] = ()
    cables: tuple[Owned[Cable], ...] = ()
    parts: tuple[Owned[Part], ...] = ()
    networks: tuple[Owned[WifiNetwork], ...] = ()
    images: tuple[Owned[XRay], ...] = ()
    catalogue: Mapping[str, Part] = field(default_factory=dict)
    shop_boards: Mapping[str, Board] = field(default_factory=dict)
    """boards that may be bought"""
    generic: bool = False
    """whether supplies and cables of any usual kind may be bought too"""
    more_boards: bool = False
    """whether more boards lie there than `boards` lists"""
