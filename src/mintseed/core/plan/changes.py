"""Small changes of a plan: each says what it changes, what it costs and what it takes to do it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Any, Literal, TypeVar, cast

from typing_extensions import TypedDict  # pydantic reads it from there before Python 3.12

from mintseed.core.boards.model import Board, Cable, Supply
from mintseed.core.parts.model import Part
from mintseed.core.plan.plan import Card, Plan, PlannedPart, Way
from mintseed.core.plan.power import power_sum
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.price import Price, totals
from mintseed.core.recipes.model import WAYS_IN, WayIn
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.core.words import an

T = TypeVar("T", Board, Card, Supply, Cable)


class Effort(IntEnum):
    """What a change takes, from least to most."""

    CHOICE = 0
    FETCH = 1
    SHELF = 2
    IN_USE = 3
    BUY = 4


EFFORT_WORDS = {
    Effort.CHOICE: "nothing to fetch",
    Effort.SHELF: "from the shelf",
    Effort.FETCH: "a file to fetch",
    Effort.IN_USE: "from the shelf, but planned elsewhere",
    Effort.BUY: "to buy",
}


class Sets(TypedDict, total=False):
    """What a change of a plan sets. `…_id` are keys of things at the plan's place; the lists name what is added, on the shelf or to buy;
    `drop_part` is a place in the plan. `board`, `supply` and `cable` are to be bought, as the command line takes them."""

    way: Way
    way_in: WayIn
    network_id: int
    board_unit_id: int
    supply_id: int | None
    cable_id: int
    owned_card_id: int
    card_gb: int
    image_id: int
    release: str
    add_parts: list[int]
    add_kinds: list[str]
    drop_part: int
    board: str
    supply: str
    cable: str


PlanField = Literal[
    "way", "way_in", "network_id", "board_unit_id", "supply_id", "cable_id", "owned_card_id", "card_gb", "image_id", "release",
    "add_part", "add_kind", "drop_part", "board", "supply", "cable",
]  # fmt: skip

Step = tuple[PlanField, int | str | None]
"""one field and what it becomes; of parts that are added there is a step each"""


def as_sets(steps: Iterable[Step]) -> Sets:
    """Return the steps of a change as one request."""
    found: dict[str, Any] = {}
    for field, value in steps:
        if field in ("add_part", "add_kind"):
            found.setdefault(f"{field}s", []).append(value)
        else:
            found[field] = value
    return cast(Sets, found)


@dataclass(frozen=True, slots=True)
class Change:
    """One change: `plan` is what there is after the `steps`."""

    title: str
    steps: tuple[Step, ...]
    plan: Plan
    effort: Effort
    price: Price | None = None
    unpriced: bool = False
    """whether something of it is to be bought whose price nobody wrote down; it is not free"""
    other_prices: tuple[Price, ...] = ()
    """what else of it costs in other currencies: nothing here knows a rate of exchange"""

    @property
    def cost_text(self) -> str:
        """What it costs in words: each currency by itself, or that it is not known; empty where nothing is bought."""
        if self.unpriced:
            return "price not known"
        return " and ".join(str(p) for p in ((self.price,) if self.price else ()) + self.other_prices)

    @property
    def fields(self) -> frozenset[PlanField]:
        return frozenset(name for name, _ in self.steps)


def small_changes(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    """Yield every change of one thing in `plan` that the shelf, the recipe and the shops allow."""
    yield from _ways(plan, shelf)
    yield from _ways_in(plan)
    yield from _things(plan, "board", "board_unit_id", _unlike(shelf.boards, plan.board), "Use")
    for board in shelf.shop_boards.values():
        if plan.board is None or board.id != plan.board.id:
            yield Change(
                f"Take {an(board.name)}",
                (("board", board.id),),
                replace(plan, board=board),
                Effort.BUY,
                board.price,
                board.price is None,
            )
    yield from _images(plan, shelf)
    yield from _releases(plan, shelf)
    yield from _generic(plan) if shelf.generic else ()
    yield from _things(plan, "supply", "supply_id", _unlike(shelf.supplies, plan.supply), "Use")
    yield from _things(plan, "cable", "cable_id", _unlike(shelf.cables, plan.cable), "Use")
    yield from _cards(plan, shelf)
    yield from _networks(plan, shelf)
    yield from _parts(plan, shelf)


def _effort(owned: Owned[Any]) -> Effort:
    return Effort.IN_USE if owned.used_by else Effort.SHELF


def _kind(thing: Board | Card | Supply | Cable) -> object:
    """Return what makes two things alike for a plan: all but their names."""
    if isinstance(thing, Board):
        return thing.id
    if isinstance(thing, Card):
        return replace(thing, name="")
    return thing.model_copy(update={"name": ""})


def _unlike(things: Iterable[Owned[T]], now: T | None) -> list[Owned[T]]:
    """Return one of each kind of `things` that is not what the plan has already, those not in use first."""
    seen = [_kind(now)] if now is not None else []
    kept = []
    for owned in sorted(things, key=lambda o: bool(o.used_by)):
        if (kind := _kind(owned.thing)) not in seen:
            seen.append(kind)
            kept.append(owned)
    return kept


def _things(plan: Plan, name: str, field: PlanField, things: list[Owned[Any]], verb: str) -> Iterator[Change]:
    for owned in things:
        yield Change(
            f"{verb} {owned.name}", ((field, owned.key),), replace(plan, **{name: owned.thing}), _effort(owned)
        )


def _ways(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    for way in plan.recipe.ways:
        if way == plan.way:
            continue
        heard = [n for n in shelf.networks if n.thing.band_ghz in plan.radio_ghz] or list(shelf.networks)
        chosen = plan.network or (heard[0].thing if heard and way == "wifi" else None)
        title = "Run a cable to it" if way == "cable" else "Use Wi-Fi"
        steps: tuple[Step, ...] = (("way", way),)
        if way == "wifi" and plan.network is None and heard:
            steps = (*steps, ("network_id", heard[0].key))
        yield Change(
            title, steps, replace(plan, way=way, network=chosen if way == "wifi" else plan.network), Effort.CHOICE
        )


def _ways_in(plan: Plan) -> Iterator[Change]:
    for way_in in plan.recipe.ways_in:
        if way_in != plan.own_way_in:
            yield Change(
                f"Settings: {WAYS_IN[way_in]}", (("way_in", way_in),), replace(plan, way_in=way_in), Effort.CHOICE
            )


def _images(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    for owned in shelf.images:
        xray = owned.thing
        if plan.image is None or xray.file_name != plan.image.file_name:
            name = f"{plan.recipe.name} {xray.release}, {xray.build}" if xray.release else owned.name
            yield Change(f"Take {name}", (("image_id", owned.key),), replace(plan, image=xray), Effort.CHOICE)


def _releases(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    """Yield the releases whose maker lists this board: the newest, and where the file of one lies in the library that is a change of
    its own."""
    board = plan.board
    if board is None:
        return
    now = plan.image.release if plan.image else plan.release
    there = {owned.thing.release for owned in shelf.images}
    for release, build in plan.recipe.builds_for(board):
        if board.device_tree_name in build.boards and release.version not in there and release.version != now:
            other = replace(plan, image=None, release=release.version)
            yield Change(
                f"Take {plan.recipe.name} {release.version}, {build.id}: fetch {build.file}", (("release", release.version),), other,
                Effort.FETCH,
            )  # fmt: skip
            return


SOLD_A = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
"""Amperes that supplies are sold with (common practice)."""

BOUGHT_M, BOUGHT_AWG = 0.5, 20
"""Length and gauge of a cable that is bought for this: short and thick, the gauge printed on it."""


def _generic(plan: Plan) -> Iterator[Change]:
    """Yield a short thick cable for the supply there is, and a supply with a plug of its own that carries the plan."""
    need = plan.board.supply if plan.board else None
    if need is None or need.connector == "header pins":
        return
    if plan.supply is not None and plan.supply.has_socket:
        socket: Any = plan.supply.connector.split()[0]
        cable = Cable(
            name="the new cable", plug_to_supply=socket, plug_to_board=need.connector, length_m=BOUGHT_M, awg=BOUGHT_AWG
        )  # fmt: skip
        spec = f"{BOUGHT_M:g}m,{socket},{need.connector},AWG{BOUGHT_AWG}"
        yield Change(
            f"Buy a cable: {BOUGHT_M:g} m, {socket} to {need.connector}, AWG {BOUGHT_AWG} or thicker", (("cable", spec),),
            replace(plan, cable=cable), Effort.BUY, unpriced=True,
        )  # fmt: skip
    wanted_a = power_sum(plan).wanted_a
    current_a = next((a for a in SOLD_A if a >= round(wanted_a, 3)), None)
    if current_a is not None:
        spec = f"{need.voltage_v:g}V,{current_a:g}A,{need.connector},1m,AWG18"
        supply = Supply(
            name="the new supply", voltage_v=need.voltage_v, current_a=current_a, connector=need.connector,
            length_m=1.0, awg=18,
        )  # fmt: skip
        words = f"Buy a supply: {need.voltage_v:g} V, {current_a:g} A, {need.connector}, its cable short and thick"
        yield Change(words, (("supply", spec),), replace(plan, supply=supply, cable=None), Effort.BUY, unpriced=True)


def _cards(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    for owned in _unlike(shelf.cards, plan.card):
        yield Change(
            f"Take {owned.name}", (("owned_card_id", owned.key),), replace(plan, card=owned.thing), _effort(owned)
        )
    for size_gb in NOMINAL_CARD_GB:
        if 4 <= size_gb <= 256 and (plan.card is None or size_gb != plan.card.size_gb):
            yield Change(
                f"Take {an(f'{size_gb} GB card')}",
                (("card_gb", size_gb),),
                replace(plan, card=Card(size_gb)),
                Effort.BUY,
                unpriced=True,
            )


def _networks(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    for owned in shelf.networks if plan.way == "wifi" else ():
        if plan.network is None or owned.thing.ssid != plan.network.ssid:
            yield Change(
                f"Join {owned.name}",
                (("network_id", owned.key),),
                replace(plan, network=owned.thing),
                Effort.CHOICE,
            )


def _may_help(plan: Plan, part: Part) -> bool:
    """Return whether adding `part` could cure anything: what the recipe asks for, and what brings a network, a socket or a fit."""
    brings = part.adapter is not None or bool(part.radio_ghz) or part.ethernet or bool(part.gives_usb)
    return brings or any(need.met_by(part) for need in plan.recipe.needs)


def _parts(plan: Plan, shelf: Shelf) -> Iterator[Change]:
    kept = {p.owned_name for p in plan.parts}
    owned_kinds = set()
    for owned in sorted(shelf.parts, key=lambda o: bool(o.used_by)):
        if owned.name not in kept and owned.thing.id not in owned_kinds and _may_help(plan, owned.thing):
            owned_kinds.add(owned.thing.id)
            more = (*plan.parts, PlannedPart(owned.thing, owned.name))
            yield Change(f"Add {owned.name}", (("add_part", owned.key),), replace(plan, parts=more), _effort(owned))
    for kind in shelf.catalogue.values():
        if kind.id not in owned_kinds and _may_help(plan, kind):
            more = (*plan.parts, PlannedPart(kind))
            yield Change(
                f"Buy {an(kind.name)}",
                (("add_kind", kind.id),),
                replace(plan, parts=more),
                Effort.BUY,
                kind.price,
                kind.price is None,
            )
    for place, planned in enumerate(plan.parts):
        fewer = (*plan.parts[:place], *plan.parts[place + 1 :])
        yield Change(f"Leave out {planned.name}", (("drop_part", place),), replace(plan, parts=fewer), Effort.CHOICE)
    if plan.feeder is not None and plan.supply is not None:
        yield Change(f"Leave out {plan.supply.name}", (("supply_id", None),), replace(plan, supply=None), Effort.CHOICE)


def both(first: Change, second: Change, together: Plan) -> Change:
    """Return two changes as one."""
    each = totals(p for one in (first, second) for p in ((one.price,) if one.price else ()) + one.other_prices)
    return Change(
        f"{first.title} and {second.title[:1].lower()}{second.title[1:]}", (*first.steps, *second.steps), together,
        max(first.effort, second.effort), each[0] if each else None, first.unpriced or second.unpriced, each[1:],
    )  # fmt: skip
