"""What is said of boards that few have and of shelves that lack something, word for word: tests/data/odd_boards.txt (builders/told.py)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from typing import Any

from mintseed.core.boards.model import Board, Cable
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.header import header_map
from mintseed.core.plan.matrix import matrix
from mintseed.core.plan.options import best_plan, board_options, part_options
from mintseed.core.plan.plan import Card, Plan
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.site.model import WifiNetwork
from tests.builders import told
from tests.core.plan.test_known_in_part import NAME_ALONE
from tests.core.plan.test_said_of_plans import SOCKET
from tests.core.plan.things import BOARDS, MICRO, PARTS, RECIPES, plan, shelf

ODD: dict[str, tuple[str, dict[str, Any]]] = {
    "without a radio": ("larkspur-r", {"radio_ghz": ()}),
    "without a radio and Ethernet": ("larkspur-r", {"radio_ghz": (), "ethernet": False}),
    "without a radio, Ethernet and USB": ("larkspur-r", {"radio_ghz": (), "ethernet": False, "usb": ()}),
    "without Ethernet": ("larkspur-r", {"ethernet": False}),
    "that hears 5 GHz alone": ("larkspur-r", {"radio_ghz": (5.0,)}),
    "that is slow": ("larkspur-r", {"speed": "slow"}),
    "with another device tree": ("larkspur-r", {"compatible": ("another,board",)}),
    "whose device tree nobody named": ("larkspur-r", {"compatible": ()}),
    "with bare holes": ("larkspur-r", {"header": BOARDS["sprig"].header}),
    "without a header": ("larkspur-r", {"header": None}),
    "with 26 pins": ("larkspur-r", {"header": BOARDS["larkspur-r"].header.model_copy(update={"pins": 26})}),  # type: ignore[union-attr]
    "with two small camera sockets": ("larkspur-r", {"camera_contacts": (22, 22)}),
    "without a camera socket": ("larkspur-r", {"camera_contacts": ()}),
    "without a display socket": ("larkspur-r", {"display": ()}),
    "with USB that gives power alone": ("larkspur-r", {"usb": tuple(one.model_copy(update={"power_only": True}) for one in BOARDS["larkspur-r"].usb)}),
    "with one USB socket": ("larkspur-r", {"usb": BOARDS["larkspur-r"].usb[:1] and (BOARDS["larkspur-r"].usb[0].model_copy(update={"count": 1}),)}),
    "with little current for USB": ("larkspur-r", {"usb_current_a": 0.2}),
    "of another processor": ("larkspur-r", {"architecture": "riscv"}),
    "of a processor nobody named": ("larkspur-r", {"architecture": None}),
    "of 32 bits": ("larkspur-r", {"bits": 32}),
    "that bears two supplies": ("larkspur-r", {"two_supplies": True}),
    "with an old boot loader": ("larkspur-r", {"boot_loader_since": "2022-05"}),
    "with storage of its own": ("larkspur-r", {"storage_gb": 8.0}),
    "with a reader for 16 GB": ("larkspur-r", {"card_most_gb": 16}),
    "with little memory": ("larkspur-r", {"memory_mb": 64}),
    "that is fed by its header": ("larkspur-r", {"supply": BOARDS["larkspur-r"].supply.model_copy(update={"connector": "header pins"})}),  # type: ignore[union-attr]
    "of which a name is known": ("mine", {}),
    "of which its tree is known too": ("mine", {"compatible": ("fernworks,larkspur-r",)}),
    "of which its radio is known too": ("mine", {"radio_ghz": (2.4,)}),
    "of which its Ethernet is known too": ("mine", {"ethernet": True}),
    "of which all but its supply is known": ("mine", {"compatible": ("fernworks,larkspur-r",), "radio_ghz": (2.4,), "ethernet": True, "bits": 64, "architecture": "arm"}),
}  # fmt: skip
KINDS: dict[str, Board] = {**BOARDS, "mine": NAME_ALONE}


def odd(name: str) -> Board:
    of, changes = ODD[name]
    return KINDS[of].model_copy(update={"id": "odd", "name": "Odd one", **changes})


def in_the_matrix(name: str) -> Iterator[str]:
    for (recipe, _), one in matrix(RECIPES.values(), [odd(name)], PARTS).items():
        yield f"{recipe}: {one.board} {one.verdict} {one.code} | {one.reason}"


def in_a_plan(name: str, recipe: str, *parts: str) -> Iterator[str]:
    """Yield what is said of a plan with it that is not said of it on the board it was made of, and what its header is used for."""
    of = ODD[name][0]
    for way in RECIPES[recipe].ways:
        with_it, usual = (
            replace(plan(recipe, "larkspur-r", *parts, way=way), board=b) for b in (odd(name), BOARDS.get(of))
        )
        said = set(map(told.finding, check_plan(usual)))
        yield from (f"{way}: {line}" for one in check_plan(with_it) if (line := told.finding(one)) not in said)
    mapped = header_map(with_it)
    yield f"header: {mapped.pin_1} | {mapped.one_row_off} | {len(mapped.pins)}" if mapped else "no header"


ALL = tuple(PARTS)
TAKEN = shelf(*ALL)
SHELVES: dict[str, Shelf] = {
    "with one of each": shelf(*ALL),
    "with boards alone": replace(shelf(), catalogue={}),
    "with small boards": shelf(boards=("sprig", "tansy")),
    "with small boards and all parts": shelf(*ALL, boards=("sprig", "tansy")),
    "with nothing": Shelf(),
    "with nothing, where everything is to be had": Shelf(catalogue=PARTS, shop_boards=BOARDS, generic=True),
    "of which all is taken": replace(
        TAKEN, **{kind: tuple(replace(o, used_by=("Hall press",)) for o in getattr(TAKEN, kind)) for kind in ("boards", "cards", "supplies", "parts")}
    ),
    "with a lead and cards": replace(
        shelf("finch", "quad-hub"), supplies=(Owned(1, "the socket", SOCKET), Owned(2, "Black one", MICRO, ("Hall press",))),
        cables=(Owned(1, "long", Cable(name="long", plug_to_supply="USB-A", plug_to_board="micro-USB", length_m=3, awg=28)),
                Owned(2, "short", Cable(name="short", plug_to_supply="USB-A", plug_to_board="micro-USB", length_m=0.5, awg=20))),
        cards=tuple(Owned(n, f"{gb} GB", Card(gb)) for n, gb in enumerate((2, 4, 16, 256), 1)),
    ),
    "of a place with WPA3 and 5 GHz": replace(
        shelf(), networks=(Owned(1, "new", WifiNetwork(ssid="new", wpa3_only=True)), Owned(2, "wide", WifiNetwork(ssid="wide", band_ghz=5)), Owned(3, "old", WifiNetwork(ssid="old")))
    ),
    "of a place without a network": replace(shelf(), networks=()),
}  # fmt: skip


def best_of(name: str) -> Iterator[str]:
    for recipe in sorted(RECIPES):
        chosen, filled = best_plan(RECIPES[recipe], SHELVES[name])
        things = (filled.board, filled.supply, filled.cable, filled.card, filled.network)
        yield f"{recipe}: {chosen}"
        yield f"  {[getattr(t, 'name', None) or getattr(t, 'ssid', None) for t in things]} {[p.name for p in filled.parts]}"
        yield f"  {sorted({f'{f.severity} {f.code}' for f in check_plan(filled)})}"


def offered(name: str) -> Iterator[str]:
    """Yield the boards and parts of a shelf in their order for every appliance, with nothing else chosen."""
    for recipe in sorted(RECIPES):
        one = Plan(RECIPES[recipe])
        yield f"{recipe}: {[(o.key, o.verdict.value, o.reason) for o in board_options(one, SHELVES[name])]}"
        with_board = replace(one, board=BOARDS["sprig"])
        for need in RECIPES[recipe].needs:
            options = part_options(with_board, SHELVES[name], need)
            yield f"  {need.role}: {[(o.key, o.name, o.verdict.value, o.reason) for o in options]}"


CASES: told.Cases = {
    **{f"one {name}": partial(in_the_matrix, name) for name in ODD},
    **{f"Tinplay on one {name}": partial(in_a_plan, name, "tinplay") for name in ODD},
    **{f"Farsight and a camera on one {name}": partial(in_a_plan, name, "farsight", "gull-camera", "finch", "drift-drive") for name in ODD},
    **{f"a shelf {name}": partial(best_of, name) for name in SHELVES},
    **{f"offered by a shelf {name}": partial(offered, name) for name in ("with one of each", "with small boards", "of which all is taken")},
}  # fmt: skip
test_it_is_said_so, test_each_is_a_case = told.tests_of("odd_boards.txt", CASES)
