"""Do appliance, board, card, supply and way onto the network go together?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from mintseed.core.boards.model import Board, Supply
from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.image.report import XRay
from mintseed.core.recipes.model import Recipe
from mintseed.core.site.model import WifiNetwork
from mintseed.core.units import GB, binary_size, decimal_size

Way = Literal["wifi", "cable"]

SUPPLY_MARGIN = 1.2
"""Current budget = board at load + margin of 20 % (common practice)."""

VOLTAGE_WINDOW_V = 0.3
"""Volts a supply may differ from the board's nominal voltage (from memory)."""


@dataclass(frozen=True, slots=True)
class Plan:
    """What shall go together. Whatever is None is not chosen yet."""

    recipe: Recipe
    board: Board | None = None
    supply: Supply | None = None
    card_gb: int | None = None
    way: Way | None = None
    network: WifiNetwork | None = None
    image: XRay | None = None


def check_plan(plan: Plan) -> tuple[Finding, ...]:
    """Return what stands for and against `plan`, in the order of the plan's fields."""
    return tuple(_board(plan)) + tuple(_way(plan)) + tuple(_card(plan)) + tuple(_supply(plan))


def _missing(field: str, title: str, fix: str) -> Finding:
    return Finding(f"plan.{field}-missing", Severity.YET, title, fix=fix, where=Where(part="plan", field=field))


def _board(plan: Plan) -> Iterator[Finding]:
    board = plan.board
    if board is None:
        yield _missing("board", "No board chosen yet", "Pick the board by the mark printed on it.")
        return
    if plan.image is None:
        yield Finding(
            "plan.image-unread",
            Severity.NOTE,
            "No image read yet",
            "Whether it starts on this board can only be told from the image itself.",
            "Choose the image; the rest of the plan stays as it is.",
            action=Action("Choose the image", "image"),
        )
        return
    yield from board_fit(board, plan.image)


def board_fit(board: Board, image: XRay) -> Iterator[Finding]:
    """Yield whether `image` starts on `board`: word size first, then its device trees."""
    where = Where(part="board", field=board.id)
    if image.bits == 64 and board.bits == 32:
        yield Finding(
            "plan.image-64-board-32",
            Severity.STOP,
            f"{board.name} is a 32-bit board, this image has a 64-bit kernel",
            "The processor cannot run it; the board stays at its test card.",
            "Take the 32-bit build of this appliance, or another board.",
            where,
            "kernel documentation, booting arm64 §4 (image header); ELF gABI e_machine",
            Action("Choose the 32-bit build", "image"),
        )
        return
    if not image.boards:
        yield Finding(
            "plan.board-cannot-be-told",
            Severity.CHECK,
            f"Whether it starts on {board.name} cannot be told",
            "No device tree lies on its boot volume, and that is where boards are named.",
            "Rely on the appliance's own list of boards.",
            where,
            "Devicetree Specification v0.4 §2.3.1",
        )
        return
    names = set(image.compatible)
    exact = board.compatible[0] in names
    if not exact:
        yield Finding(
            "plan.board-not-in-image",
            Severity.STOP,
            f"This image does not know {board.name}",
            f"None of its {image.device_tree_count} device trees names {board.compatible[0]}. "
            "The board would stop at its test card and do nothing else.",
            "Take a newer release, or a board the image lists.",
            where,
            "Devicetree Specification v0.4 §2.3.1",
            Action("See its boards", "image"),
        )
        return
    yield Finding(
        "plan.board-fits",
        Severity.OK,
        f"Starts on {board.name}",
        f"A device tree on its boot volume names {board.compatible[0]}.",
        where=where,
        source="Devicetree Specification v0.4 §2.3.1",
    )
    if image.bits == 32 and board.bits == 64:
        yield Finding(
            "plan.image-32-board-64",
            Severity.NOTE,
            "32-bit image on a 64-bit board",
            "It works; it cannot use more than about 3 GB of memory in one program.",
            "A 64-bit build, where there is one, uses the board better.",
            where,
        )


def _way(plan: Plan) -> Iterator[Finding]:
    if plan.way is None:
        yield _missing("way", "No way onto the network chosen yet", "Choose Wi-Fi or cable.")
        return
    if plan.way not in plan.recipe.ways:
        yield Finding(
            "plan.way-unknown-to-recipe",
            Severity.STOP,
            f"{plan.recipe.name} is not made for {'Wi-Fi' if plan.way == 'wifi' else 'cable'}",
            fix=f"Use {' or '.join(plan.recipe.ways)}.",
        )
    if plan.board is None:
        return
    yield from _cable(plan.board) if plan.way == "cable" else _wifi(plan.board, plan.network)


def _cable(board: Board) -> Iterator[Finding]:
    if board.ethernet:
        yield Finding("plan.cable-fits", Severity.OK, "Has an Ethernet socket", "A cable carries it from first boot.")
        return
    yield Finding(
        "plan.no-ethernet",
        Severity.STOP,
        f"{board.name} has no Ethernet socket",
        "The plan says cable, and there is nothing to plug it into.",
        "Use Wi-Fi, or a board with a socket.",
        Where(part="board", field=board.id),
        action=Action("Use Wi-Fi", "plan", "way", "wifi") if board.has_radio else None,
    )


def _wifi(board: Board, network: WifiNetwork | None) -> Iterator[Finding]:
    if not board.has_radio:
        twin = (
            f" Its twin has one; they differ only in the printed mark, here {board.printed_mark}." if board.twin else ""
        )
        yield Finding(
            "plan.no-radio",
            Severity.STOP,
            f"{board.name} has no radio, and the plan says Wi-Fi",
            f"It would start and never join.{twin}",
            "Two cures: run a cable to it, or take the board with the radio. "
            "Another board may need another image file, so look at Image again afterwards.",
            Where(part="board", field=board.id),
            action=Action("Use the cable", "plan", "way", "cable") if board.ethernet else None,
        )
        return
    if network is None:
        yield _missing(
            "network", "No Wi-Fi network chosen yet", "Pick one of the site's networks, or add one under Site."
        )
        return
    if network.band_ghz not in board.radio_ghz:
        yield Finding(
            "plan.band-unheard",
            Severity.STOP,
            f"{board.name} cannot hear {network.ssid}",
            f"That network is on {network.band_ghz:g} GHz; this board hears "
            f"{' and '.join(f'{g:g}' for g in board.radio_ghz)} GHz.",
            "Pick a 2.4 GHz network.",
            Where(part="network", field=network.ssid),
        )
        return
    yield Finding(
        "plan.network-heard",
        Severity.OK,
        f"Can hear {network.ssid}",
        f"The network is on {network.band_ghz:g} GHz, and the board has that band.",
    )


def _card(plan: Plan) -> Iterator[Finding]:
    need, where = plan.recipe.card, Where(part="card")
    if plan.card_gb is None:
        yield _missing("card", "No card size chosen yet", f"Take a card of {need.advised_gb} GB or more.")
        return
    size_bytes = plan.card_gb * GB
    if plan.image is not None and plan.image.unpacked_bytes > size_bytes:
        yield Finding(
            "plan.card-too-small-for-image",
            Severity.STOP,
            f"A {plan.card_gb} GB card cannot hold this image",
            f"Unpacked it is {decimal_size(plan.image.unpacked_bytes)}.",
            f"Take a card of {need.advised_gb} GB or more.",
            where,
            "IEC 80000-13",
        )
    elif plan.card_gb < need.least_gb:
        yield Finding(
            "plan.card-below-least",
            Severity.STOP,
            f"A {plan.card_gb} GB card is too small for {plan.recipe.name}",
            f"It asks for {need.least_gb} GB at least, to grow into at first boot.",
            f"Take a card of {need.advised_gb} GB or more.",
            where,
        )
    elif plan.card_gb < need.advised_gb:
        yield Finding(
            "plan.card-below-advised",
            Severity.NOTE,
            f"A {plan.card_gb} GB card will do, {need.advised_gb} GB is advised",
            "It starts, and has less room for content and updates.",
            where=where,
        )
    else:
        yield Finding(
            "plan.card-fits",
            Severity.OK,
            f"A {plan.card_gb} GB card has room",
            f"It shows as {binary_size(size_bytes)} on most systems.",
            where=where,
            source="IEC 80000-13",
        )


def _supply(plan: Plan) -> Iterator[Finding]:
    board, supply = plan.board, plan.supply
    if board is None:
        return
    need, where = board.supply, Where(part="supply")
    if supply is None:
        yield Finding(
            "plan.supply-missing",
            Severity.YET,
            "No supply chosen yet",
            f"{board.name} wants {need.voltage_v:g} V and {need.least_current_a:g} A on {need.connector}.",
            "Pick the supply you will use. A weak one shows as random faults later.",
            where,
        )
        return
    if supply.connector != need.connector:
        yield Finding(
            "plan.supply-connector",
            Severity.STOP,
            f"{supply.name} does not plug in",
            f"It ends in {supply.connector}; {board.name} takes {need.connector}.",
            "Pick another supply.",
            where,
        )
    elif abs(supply.voltage_v - need.voltage_v) > VOLTAGE_WINDOW_V:
        yield Finding(
            "plan.supply-voltage",
            Severity.STOP,
            f"{supply.name} gives {supply.voltage_v:g} V; {board.name} takes {need.voltage_v:g} V",
            "A wrong voltage can destroy the board.",
            "Do not connect it. Pick another supply.",
            where,
        )
    elif supply.current_a < need.least_current_a:
        yield Finding(
            "plan.supply-weak",
            Severity.CHECK,
            f"{supply.name} is weak for {board.name}",
            f"It gives {supply.current_a:g} A; the board draws up to {need.least_current_a:g} A at load. "
            "Too little shows as random faults, radio loss and spoilt cards.",
            f"Use one of {need.least_current_a * SUPPLY_MARGIN:.1f} A or more.",
            where,
        )
    elif supply.current_a < need.least_current_a * SUPPLY_MARGIN:
        yield Finding(
            "plan.supply-tight",
            Severity.NOTE,
            f"{supply.name} carries the board with nothing to spare",
            f"{supply.current_a:g} A against {need.least_current_a:g} A at load: plug nothing hungry into it.",
            where=where,
        )
    else:
        yield Finding(
            "plan.supply-fits",
            Severity.OK,
            f"{supply.name} carries it",
            f"{supply.current_a:g} A against {need.least_current_a:g} A at load.",
            where=where,
        )
