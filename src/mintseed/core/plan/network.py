"""How the device comes onto the network, and how its settings get in."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.boards.model import Board
from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.plan.choosing import not_chosen, not_told
from mintseed.core.plan.plan import Plan
from mintseed.core.recipes.model import WAYS_IN, FileToFill, Recipe
from mintseed.core.site.model import WifiNetwork

WAY_WORDS = {"wifi": "Wi-Fi", "cable": "cable"}


def network(plan: Plan) -> Iterator[Finding]:
    """Yield whether the board can come onto the network in the way the plan says."""
    if plan.way is None:
        yield not_chosen("plan.way-missing", "way", "No way onto the network chosen yet", "Choose Wi-Fi or cable.")
        return
    if plan.way not in plan.recipe.ways:
        yield Finding(
            "plan.way-unknown-to-recipe",
            Severity.STOP,
            f"{plan.recipe.name} is not made for {WAY_WORDS[plan.way]}",
            fix=f"Use {' or '.join(WAY_WORDS[w] for w in plan.recipe.ways)}.",
            where=Where(part="plan", field="way"),
        )
    if plan.board is None or plan.board.medium == "serial":
        return
    yield from _cable(plan, plan.board) if plan.way == "cable" else _wifi(plan, plan.board)


def _cable(plan: Plan, board: Board) -> Iterator[Finding]:
    if plan.ethernet:
        yield Finding("plan.cable-fits", Severity.OK, "Has a network socket", "A cable carries it from first boot.")
        return
    if board.ethernet is None:
        yield not_told(
            "plan.ethernet-not-told", f"Whether {board.name} has a network socket nobody said", "The plan says cable.",
            "Look at the board, and write it down on the Shelf.", Where(part="board", field=board.id),
        )  # fmt: skip
        return
    yield Finding(
        "plan.no-ethernet",
        Severity.STOP,
        f"{board.name} has no network socket",
        "The plan says cable, and there is nothing to plug it into.",
        "Use Wi-Fi, a network socket on USB, or a board with a socket.",
        Where(part="board", field=board.id),
        action=Action("Use Wi-Fi", "plan", "way", "wifi") if plan.radio_ghz and "wifi" in plan.recipe.ways else None,
    )


def _wifi(plan: Plan, board: Board) -> Iterator[Finding]:
    heard = plan.radio_ghz
    if board.radio_ghz is None and not heard:
        yield not_told(
            "plan.radio-not-told", f"Whether {board.name} has a radio, and on which bands, nobody said", "The plan says Wi-Fi.",
            "Look at its papers, and write it down on the Shelf.", Where(part="board", field=board.id),
        )  # fmt: skip
    elif not heard:
        yield no_radio(plan.recipe, board)
        return
    wanted = plan.network
    if wanted is None:
        yield not_chosen(
            "plan.network-missing",
            "network",
            "No Wi-Fi network chosen yet",
            "Pick one of the site's networks, or add one under Site.",
        )
        return
    if heard and wanted.band_ghz not in heard and (board.radio_ghz is not None):
        yield Finding(
            "plan.band-unheard",
            Severity.STOP,
            f"{board.name} cannot hear {wanted.ssid}",
            f"That network is on {wanted.band_ghz:g} GHz; this board hears "
            f"{' and '.join(f'{g:g}' for g in plan.radio_ghz)} GHz.",
            f"Pick a network on {' or '.join(f'{g:g}' for g in plan.radio_ghz)} GHz.",
            Where(part="network", field=wanted.ssid),
        )
        return
    if wanted.band_ghz in heard:
        yield _heard(board, wanted)
    if wanted.wpa3_only and (files := _files_with_a_key(plan)):
        yield _wpa3(plan, board, wanted, files)


WPA3 = "IEEE 802.11-2020 §12.4 (SAE)"


def _files_with_a_key(plan: Plan) -> tuple[FileToFill, ...]:
    """Return the files of this plan that are filled with the network."""
    if plan.own_way_in not in ("fill-before", "fill-after"):
        return ()
    return tuple(f for f in plan.recipe.files if f.takes_wifi and plan.recipe.reads(f, plan.release))


def _wpa3(plan: Plan, board: Board, wanted: WifiNetwork, files: tuple[FileToFill, ...]) -> Finding:
    where = Where(part="network", field=wanted.ssid)
    refuses = next((f for f in files if f.refuses_wpa3), None)
    if refuses is not None:
        return Finding(
            "plan.network-wpa3-only", Severity.STOP, f"{wanted.ssid} takes WPA3 alone, and {plan.recipe.name} cannot be told so",
            f"What reads {refuses.place} takes a key of WPA2 alone.",
            "Let the router offer WPA2 beside WPA3, use another network, or the cable.", where, WPA3,
        )  # fmt: skip
    return Finding(
        "plan.network-wpa3-radio", Severity.CHECK, f"Whether the radio of {board.name} joins {wanted.ssid} nobody said",
        "That network takes WPA3 alone, and the radios of many small boards do WPA2 only (common practice).",
        "Look at its papers; or let the router offer WPA2 beside WPA3.", where, WPA3,
    )  # fmt: skip


def _heard(board: Board, wanted: WifiNetwork) -> Finding:
    by = "the board has that band" if wanted.band_ghz in (board.radio_ghz or ()) else "its Wi-Fi adapter has that band"
    return Finding(
        "plan.network-heard",
        Severity.OK,
        f"Can hear {wanted.ssid}",
        f"The network is on {wanted.band_ghz:g} GHz, and {by}.",
    )


def no_radio(recipe: Recipe, board: Board) -> Finding:
    """Return the finding about a board without a radio on a Wi-Fi plan (common practice: an afternoon is lost with it)."""
    twin = f" Its twin has one; they differ only in the printed mark, here {board.printed_mark}." if board.twin else ""
    cable = "cable" in recipe.ways and board.ethernet
    return Finding(
        "plan.no-radio",
        Severity.STOP,
        f"{board.name} has no radio, and the plan says Wi-Fi",
        f"It would start and never join.{twin}",
        f"{'Run a cable to it, plug in' if cable else 'Plug in'} a Wi-Fi adapter, or take the board with the radio. "
        "Another board may need another image file, so look at Image again afterwards.",
        Where(part="board", field=board.id),
        action=Action("Use the cable", "plan", "way", "cable") if cable else None,
    )


def way_in(plan: Plan) -> Iterator[Finding]:
    """Yield whether the recipe allows the way in which the settings shall get in."""
    chosen, allowed = plan.own_way_in, plan.recipe.ways_in
    where = Where(part="plan", field="way_in")
    others = "; ".join(WAYS_IN[w] for w in allowed)
    if chosen not in allowed:
        yield Finding(
            "plan.way-in-not-allowed",
            Severity.STOP,
            f"{plan.recipe.name} does not take its settings so",
            f"Meant is: {WAYS_IN[chosen]}. Its recipe allows: {others}. "
            "Some images break when their settings come in another way.",
            "Choose a way its recipe allows.",
            where,
            action=Action("Take its usual way", "plan", "way_in", allowed[0]),
        )
    elif chosen != "fill-before":
        yield Finding(
            "plan.way-in-by-hand",
            Severity.NOTE,
            f"Its settings come in by hand: {WAYS_IN[chosen]}",
            "What is written to the card is the image as it came." if plan.board is None or plan.board.medium == "card" else "",
            "Do it as its maker says, once it runs.",
            where,
        )  # fmt: skip
