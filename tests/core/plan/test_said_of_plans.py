"""What is said of plans, word for word: tests/data/plans.txt (builders/told.py). Whether it is right is asked in the tests beside this one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import astuple, replace
from functools import cache, partial
from typing import Any

from mintseed.core.boards.model import Battery, Cable, Supply
from mintseed.core.plan.changes import as_sets, small_changes
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.job_time import job_time
from mintseed.core.plan.matrix import Suits, matrix
from mintseed.core.plan.options import (
    best_plan,
    board_options,
    cable_options,
    card_options,
    part_options,
    supply_options,
)
from mintseed.core.plan.plan import Card, Plan
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.plan.shopping import parts_list
from mintseed.core.plan.way_out import ways_out
from mintseed.core.site.model import WifiNetwork
from tests.builders import told
from tests.core.plan.things import BOARDS, MICRO, PARTS, RECIPES, plan, shelf, with_parts

PLANS = "plans.txt"


@cache
def table() -> Mapping[tuple[str, str], Suits]:
    return matrix(RECIPES.values(), BOARDS.values(), PARTS)


def of_pair(recipe: str, board: str) -> Iterator[str]:
    """Yield how the pair stands in the matrix; what is said of it whole for one board, of the others what is otherwise there."""
    found = table()[recipe, board]
    yield f"{found.verdict} {found.code} | {found.reason}"
    one = plan(recipe, "larkspur-r")
    yield from map(told.finding, check_plan(one)) if board == "larkspur-r" else added(one, board=BOARDS[board])


def added(base: Plan, **changes: Any) -> Iterator[str]:
    """Yield what a change adds to what is said, and what it takes away."""
    before, after = (list(map(told.finding, check_plan(one))) for one in (base, replace(base, **changes)))
    yield from (line for line in after if line not in before)
    yield from (f"no more: {line.split(' |')[0]}" for line in before if line not in after)


def supply(current_a: float, connector: Any = "micro-USB", voltage_v: float = 5.1, **more: Any) -> Supply:
    return Supply(name="His", voltage_v=voltage_v, current_a=current_a, connector=connector, **more)


def cable(length_m: float = 1.0, awg: Any = None, plug: Any = "micro-USB", of: Any = "USB-A") -> Cable:
    return Cable(name="the lead", plug_to_supply=of, plug_to_board=plug, length_m=length_m, awg=awg)


def net(**more: Any) -> WifiNetwork:
    return WifiNetwork(ssid="Quay House", **more)


SOCKET = supply(3, "USB-A socket")
VARIANTS: dict[str, dict[str, Any]] = {
    **{f"a supply of {a:g} A": {"supply": supply(a)} for a in (0.5, 1, 2, 2.4, 2.5, 3)},
    **{f"a supply of {v:g} V": {"supply": supply(3, voltage_v=v)} for v in (4.7, 5, 5.25, 5.6, 9, 12)},
    **{f"a supply with {plug}": {"supply": supply(3, plug)} for plug in ("USB-C", "USB-A socket", "USB-C socket", "barrel plug")},
    **{f"a lead of {m:g} m and {awg or 'unknown'} gauge": {"supply": SOCKET, "cable": cable(m, awg)} for m in (0.3, 1, 2, 3) for awg in (20, 24, 28, None)},
    "a lead that does not plug in": {"supply": SOCKET, "cable": cable(plug="USB-C")},
    "a lead for another socket": {"supply": SOCKET, "cable": cable(of="USB-C")},
    "a long thin one of its own": {"supply": supply(2.5, length_m=2.5, awg=28)},
    "a battery": {"supply": supply(2.5, battery=Battery(capacity_mah=10_000))},
    "a small battery, always at load": {"supply": supply(2.5, battery=Battery(capacity_mah=800, cell_v=3.6, efficiency=0.7)), "load_share": 1.0},
    **{f"a card of {gb} GB": {"card": Card(gb)} for gb in (1, 2, 4, 8, 64, 256, 1024, 4096)},
    **{f"a card marked {' '.join(marks)}": {"card": Card(32, marks, endurance)} for marks, endurance in ((("C4",), None), (("C10",), False), (("U3", "A2"), True), (("V30",), False), (("A1",), True))},
    "by cable": {"way": "cable", "network": None},
    "no way": {"way": None, "network": None},
    "no network": {"network": None},
    "at 5 GHz": {"network": net(band_ghz=5)},
    "hidden": {"network": net(hidden=True)},
    "WPA3 alone": {"network": net(wpa3_only=True)},
    "open": {"network": net(open=True)},
    "channel 13": {"network": net(channel=13)},
    "channel 120": {"network": net(band_ghz=5, channel=120)},
    **{f"put in by {way}": {"way_in": way} for way in ("fill-before", "fill-after", "cable-first", "own-access-point", "screen", "network-install")},
    "nothing chosen": {"board": None, "supply": None, "card": None, "way": None, "network": None},
    "an older release": {"release": "3.0"},
    "a release nobody knows": {"release": "9.9"},
}  # fmt: skip
FIRST = "Platen on Larkspur R"
BASES = {
    FIRST: plan("platen", "larkspur-r"),
    "Lintel on Larkspur C": plan("lintel", "larkspur-c"),
    "Farsight on Sprig": plan("farsight", "sprig"),
}

FULL = replace(
    shelf("quad-hub", "otg-tail", "finch"),
    cables=(Owned(1, "the lead", cable(1, 24)), Owned(2, "the long lead", cable(3, 28)), Owned(3, "the other", cable(plug="USB-C"))),
    supplies=(Owned(1, "Black one", MICRO, ("Hall press",)), Owned(2, "the weak one", supply(1)), Owned(3, "the socket", SOCKET), Owned(4, "12 V", supply(2, "barrel plug", 12))),
    cards=(Owned(1, "small", Card(4)), Owned(2, "good", Card(64, ("U3", "A2"), True)), Owned(3, "plain", Card(32, ("C10",), False), ("Hall press",))),
)  # fmt: skip


def offered(recipe: str, board: str, owned: Shelf = FULL) -> Iterator[str]:
    one = plan(recipe, board)
    bare = replace(one, supply=SOCKET)
    of = {
        "boards": board_options(one, owned),
        "cards": card_options(one, owned),
        "supplies": supply_options(one, owned),
        "cables": cable_options(bare, owned),
    }
    yield from (
        f"{what}: {' | '.join(map(str, astuple(option)))}" for what, options in of.items() for option in options
    )
    for need in one.recipe.needs:
        yield from (
            f"{need.role}: {' | '.join(map(str, astuple(option)))}" for option in part_options(one, owned, need)
        )
    chosen, _ = best_plan(one.recipe, owned)
    yield f"best of it: {chosen}"
    yield from (
        f"to change: {change.title} | {as_sets(change.steps)} | {change.effort.name} | {change.cost_text}"
        for change in small_changes(one, owned)
    )
    weak = replace(one, supply=supply(0.5), network=net(wpa3_only=True))
    yield from (
        f"cures {p.cures}: {p.title} | {as_sets(p.steps)} | {p.effort_text} | {p.price_text} | {p.verdict} | {p.stops_fewer}"
        for p in ways_out(weak, owned)
    )
    listed = parts_list(one, owned, board_name="my own", card_name="plain")
    yield from (f"to have: {' | '.join(map(str, astuple(item)))}" for item in listed.items)
    time = job_time(one)
    yield from (f"takes: {' | '.join(map(str, astuple(span)))}" for span in (time.spans if time else ()))


CASES: told.Cases = {
    **{f"{recipe} on {board}": partial(of_pair, recipe, board) for recipe in sorted(RECIPES) for board in sorted(BOARDS)},
    **{f"{base}: {name}": partial(added, one, **changes) for base, one in BASES.items() for name, changes in VARIANTS.items() if base == FIRST or "lead" not in name},
    **{f"{base}: with {part}": partial(added, one, parts=with_parts(one, part).parts) for base, one in BASES.items() for part in sorted(PARTS)},
    **{f"{base}: with two of {part}": partial(added, one, parts=with_parts(one, part, part).parts) for base, one in BASES.items() for part in ("finch", "kiln-probes", "quad-hub", "gull-camera", "chorus", "drift-drive")},
    **{f"to choose from for {recipe}": partial(offered, recipe, board) for recipe, board in zip(sorted(RECIPES), ("larkspur-r", "tansy") * 6, strict=False)},
}  # fmt: skip
test_it_is_said_so, test_each_is_a_case = told.tests_of(PLANS, CASES)
