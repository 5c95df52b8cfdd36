"""The parts list: what is there, what is to be bought, what it costs, and what one could leave out."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.boards.model import SOCKETS
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.plan.shopping import Item, PartsList, parts_list
from mintseed.core.price import Price
from tests.core.plan.things import BOARDS, MICRO, PARTS, RECIPES, plan, shelf, with_parts


def eur(amount: float) -> tuple[Price, ...]:
    return (Price(amount=amount, currency="EUR"),)


def of(listed: PartsList, what: str) -> Item:
    return next(i for i in listed.items if i.what == what)


def test_of_nothing_chosen_all_is_open() -> None:
    listed = parts_list(Plan(RECIPES["platen"]), shelf())
    assert [(i.what, i.name, i.state) for i in listed.items[:3]] == [
        ("board", "a board it is made for", "open"),
        ("card", "an 8 GB card", "open"),
        ("supply", "a supply", "open"),
    ]
    assert listed.unpriced >= 3
    assert listed.to_buy == ()


def test_what_one_has_costs_nothing_more() -> None:
    listed = parts_list(
        plan("platen", "larkspur-r"), shelf(), board_name="my board", supply_name="Black one", card_name="my card"
    )
    assert [(i.what, i.name, i.state) for i in listed.items[:3]] == [
        ("board", "my board", "have"), ("card", "my card", "have"), ("supply", "Black one", "have"),
    ]  # fmt: skip
    assert listed.to_buy == ()
    assert listed.unpriced == 0


def test_what_is_planned_and_not_there_is_bought() -> None:
    listed = parts_list(plan("platen", "larkspur-r"), shelf(), supply_name="Black one")
    assert (of(listed, "board").name, of(listed, "board").state) == (BOARDS["larkspur-r"].name, "buy")
    assert (of(listed, "card").name, of(listed, "card").state) == ("a 32 GB card", "any")
    assert listed.to_buy == eur(45)


def test_a_supply_is_one_for_the_whole_plan() -> None:
    one = replace(plan("platen", "larkspur-r"), supply=None)
    need = BOARDS["larkspur-r"].supply
    assert need is not None
    alone = of(parts_list(one, shelf()), "supply")
    assert alone.state == "open"
    assert alone.name.startswith(f"{need.voltage_v:g} V, ")
    assert alone.name.endswith(f" A, {need.connector}")
    hungry = of(parts_list(with_parts(one, "drift-drive"), shelf()), "supply")
    assert float(hungry.name.split(", ")[1].removesuffix(" A")) > float(alone.name.split(", ")[1].removesuffix(" A"))


def test_a_supply_with_a_socket_wants_a_cable() -> None:
    one = plan("platen", "larkspur-r")
    assert "cable" not in {i.what for i in parts_list(one, shelf()).items}
    socket = replace(one, supply=MICRO.model_copy(update={"connector": SOCKETS[0]}))
    assert (of(parts_list(socket, shelf()), "cable").name, of(parts_list(socket, shelf()), "cable").state) == (
        "a power cable",
        "open",
    )
    named = of(parts_list(socket, shelf(), cable_name="my cable"), "cable")
    assert (named.name, named.state) == ("my cable", "have")


def test_a_board_without_a_card_needs_none() -> None:
    serial = next(b for b in BOARDS.values() if b.medium == "serial")
    assert "card" not in {
        i.what for i in parts_list(replace(plan("platen", "larkspur-r"), board=serial), shelf()).items
    }


def test_what_is_needed_says_why_and_is_proposed() -> None:
    one = plan("farsight", "larkspur-r")
    listed = parts_list(one, shelf())
    need = next(n for n in one.recipe.needs if n.role == "receiver-stick")
    stick = next(i for i in listed.items if i.kind == "skimmer")
    assert (stick.state, stick.why, stick.owned, stick.price) == ("open", need.why, (), PARTS["skimmer"].price)
    optional = [i for i in listed.items if i.state == "optional"]
    assert [i.why for i in optional] == ["it may stand in a loft"]
    # The cheapest that fits this board.
    cases = [p for p in PARTS.values() if p.role == "case" and (not p.fits or "larkspur-r" in p.fits)]
    assert optional[0].kind == min(cases, key=lambda p: p.price.amount if p.price else 1e6).id


def test_what_lies_on_the_shelf_is_named_and_not_summed() -> None:
    one = plan("farsight", "larkspur-r")
    bare = parts_list(one, shelf(), board_name="my board", supply_name="Black one", card_name="my card")
    needed = [PARTS["skimmer"].price, PARTS["mast-1090"].price]
    assert bare.to_buy == eur(sum(p.amount for p in needed if p))
    case = next(i for i in bare.items if i.state == "optional")
    assert case.price is not None
    assert bare.with_optional == eur(bare.to_buy[0].amount + case.price.amount)
    owning = parts_list(
        one, shelf("larkspur-case"), board_name="my board", supply_name="Black one", card_name="my card"
    )
    assert next(i for i in owning.items if i.state == "optional").owned == ("my larkspur-case",)
    assert owning.with_optional == owning.to_buy == bare.to_buy


@pytest.mark.parametrize("owned", ["", "own skimmer"])
def test_a_planned_part_is_had_or_bought(owned: str) -> None:
    one = replace(
        plan("farsight", "larkspur-r"),
        parts=(PlannedPart(PARTS["skimmer"], owned), PlannedPart(PARTS["mast-1090"], "own mast")),
    )
    listed = parts_list(one, shelf(), board_name="my board", supply_name="Black one", card_name="my card")
    stick = next(i for i in listed.items if i.kind == "skimmer")
    assert stick.state == ("have" if owned else "buy")
    assert stick.why == "it hears the aircraft"
    price = PARTS["skimmer"].price
    assert price is not None
    assert listed.to_buy == (() if owned else eur(price.amount))
    assert not [i for i in listed.items if i.state == "open"]


def test_without_an_optional_part_it_is_offered_and_with_it_is_not() -> None:
    one = plan("farsight", "larkspur-r", "skimmer", "mast-1090", "larkspur-case")
    assert [i.state for i in parts_list(one, shelf(), board_name="x", supply_name="y", card_name="z").items] == [
        "have"
    ] * 6


def test_currencies_are_not_added_up() -> None:
    cheap = PARTS["skimmer"].model_copy(update={"price": Price(amount=20, currency="NZD")})
    one = replace(plan("farsight", "larkspur-r"), parts=(PlannedPart(cheap, ""), PlannedPart(PARTS["mast-1090"], "")))
    assert parts_list(one, shelf(), board_name="x").to_buy == (*eur(18), Price(amount=20, currency="NZD"))
