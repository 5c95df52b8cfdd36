"""The parts list: what is needed, what is optional, what lies on the shelf, what is to be bought, and what that costs."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.parts.model import Part, role_words
from mintseed.core.plan.needs import unmet
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import power_sum, wanted_text
from mintseed.core.plan.shelf import Shelf
from mintseed.core.price import Price, totals
from mintseed.core.words import an


@dataclass(frozen=True, slots=True)
class Item:
    """A line of the list. `state`: `have`, `any` (one of that size, had or bought), `buy` (planned, not there), `open` (needed, nothing
    planned) or `optional`."""

    what: str
    name: str
    state: str
    why: str = ""
    price: Price | None = None
    kind: str = ""
    owned: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PartsList:
    """`to_buy` sums what is planned and not there and what is still open; prices of different currencies stay apart."""

    items: tuple[Item, ...]
    to_buy: tuple[Price, ...]
    with_optional: tuple[Price, ...]
    unpriced: int
    """things to buy whose price nobody wrote down"""


def parts_list(
    plan: Plan, shelf: Shelf, *, board_name: str = "", supply_name: str = "", card_name: str = "", cable_name: str = ""
) -> PartsList:
    """Return the parts list of `plan`. The names are those of what one owns; empty for what is not chosen from the shelf."""
    board = plan.board
    items = [
        Item("board", board_name or (board.name if board else "a board it is made for"), "have" if board_name else "open" if board is None else "buy",
             price=board.price if board else None),
    ]  # fmt: skip
    if board is None or board.medium == "card":
        size = an(f"{plan.card.size_gb if plan.card else plan.recipe.card.advised_gb} GB card")
        items.append(Item("card", card_name or size, "have" if card_name else "any" if plan.card else "open"))
    if plan.feeder is None:
        need = board.supply if board else None
        # With the plan's own sum: one that is bought for the board alone is weak for what hangs on it.
        text = f"{need.voltage_v:g} V, {wanted_text(power_sum(plan))}, {need.connector}" if need else "a supply"
        items.append(Item("supply", supply_name or text, "have" if supply_name else "open"))
    if plan.supply is not None and plan.supply.has_socket:
        items.append(Item("cable", cable_name or "a power cable", "have" if cable_name else "open"))
    for planned in plan.parts:
        part = planned.part
        why = next((n.why for n in plan.recipe.needs if n.met_by(part)), "")
        items.append(
            Item(role_words(part.role), planned.name, "have" if planned.owned_name else "buy", why, part.price, part.id)
        )
    items += [_open(plan, shelf, n.role, n.options, n.why, "open") for n in unmet(plan)]
    items += [
        _open(plan, shelf, n.role, n.options, n.why, "optional")
        for n in plan.recipe.needs
        if n.need == "optional" and not any(n.met_by(p.part) for p in plan.parts)
    ]
    buying = [i for i in items if i.state in ("buy", "open")]
    optional = [i for i in items if i.state == "optional" and not i.owned]
    prices = [i.price for i in buying if i.price]
    return PartsList(
        tuple(items), totals(prices), totals([*prices, *(i.price for i in optional if i.price)]),
        sum(i.price is None for i in buying),
    )  # fmt: skip


def _open(plan: Plan, shelf: Shelf, role: str, options: tuple[str, ...], why: str, state: str) -> Item:
    def meets(part: Part) -> bool:
        board = plan.board
        return (
            part.role == role
            and (not options or part.id in options)
            and (board is None or not part.fits or board.id in part.fits)
        )

    kinds = [p for p in shelf.catalogue.values() if meets(p)]
    kinds.sort(key=lambda p: (options.index(p.id) if p.id in options else 0, p.price.amount if p.price else 1e6))
    owned = tuple(o.name for o in shelf.parts if meets(o.thing))
    usual = kinds[0] if kinds else None
    words = role_words(role)
    return Item(
        words,
        usual.name if usual else words,
        state,
        why,
        usual.price if usual else None,
        usual.id if usual else "",
        owned,
    )
