"""Every appliance on every board: what could this old board still do, and which board for this?

Judged by the rules that know no more than recipe and board, so that forty thousand pairs take less than a second.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity
from mintseed.core.parts.model import Part, role_words
from mintseed.core.plan.header import header
from mintseed.core.plan.needs import fits_board
from mintseed.core.plan.network import WAY_WORDS
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.plan.sockets import camera, display, usb
from mintseed.core.plan.starts import Builds, Reason, no_such_language, not_listed
from mintseed.core.recipes.model import PartNeed, Recipe


@dataclass(frozen=True, slots=True)
class Suits:
    """How an appliance does on a board. `reason` is one short sentence; `code` the finding's it comes from, if one does."""

    recipe: str
    board: str
    verdict: Severity
    reason: str
    code: str = ""


class Fits:
    """Which builds run on a board, and which part stands against a need on a kind of board: asked once for each need and each build
    of header and sockets. What is said of it is said for the board that asks."""

    def __init__(self, parts: Mapping[str, Part]) -> None:
        self._parts = parts
        self._known: dict[tuple[object, ...], Part | None] = {}
        self._builds: dict[tuple[object, ...], Builds] = {}
        self._named = {b for part in parts.values() for b in part.fits}

    def builds(self, recipe: Recipe, board: Board) -> Builds:
        """Return the builds of `recipe` that can run on a board like `board`."""
        key = (recipe.id, board.architecture, board.medium, board.bits)
        if key not in self._builds:
            self._builds[key] = recipe.builds_for(board)
        return self._builds[key]

    def against(self, recipe: Recipe, need: PartNeed, board: Board) -> Finding | None:
        """Return what stops every part that meets `need` on `board`; None when one of them goes on."""
        key = (
            recipe.id, need.role, need.options, board.header, board.camera_contacts, board.display, board.usb, board.described,
            board.id if board.id in self._named else "",
        )  # fmt: skip
        if key not in self._known:
            self._known[key] = self._ask(recipe, need, board)
        blocked = self._known[key]
        return _stop(recipe, board, blocked) if blocked else None

    def _ask(self, recipe: Recipe, need: PartNeed, board: Board) -> Part | None:
        first: Part | None = None
        for part in (*self._parts.values(), *recipe.add_ons):
            if not need.met_by(part):
                continue
            if _stop(recipe, board, part) is None:
                return None
            first = first or part
        return first


CURED_BY_A_HUB = "plan.usb-sockets"


def _stop(recipe: Recipe, board: Board, part: Part) -> Finding | None:
    """Return what stops `part` by itself on `board`. An adapter or a hub may go between, so a USB plug is stopped only where there is
    no socket at all."""
    plan = Plan(recipe, board, parts=(PlannedPart(part),))
    found = (*fits_board(plan), *header(plan), *camera(plan), *display(plan), *usb(plan))
    stops = [f for f in found if f.severity is Severity.STOP and (f.code != CURED_BY_A_HUB or not board.usb)]
    return next((f for f in stops if f.code != "plan.socket-adapter"), None)


def suits(recipe: Recipe, board: Board, fits: Fits) -> Suits:
    """Return how `recipe` does on `board`, before anything else is chosen."""
    builds = fits.builds(recipe, board)
    known = next((r.version for r, b in builds if board.device_tree_name in b.boards), "")
    told = all(b.boards for _, b in builds)
    # In short only: composing forty thousand details and cures takes longer than judging.
    stop = no_such_language(recipe, board) if not builds else None
    if stop is None and told and not known and board.compatible:
        stop = not_listed(recipe, board, builds)
    stop = stop or _no_way(recipe, board)
    if stop is not None:
        return Suits(recipe.id, board.id, Severity.STOP, stop.title, stop.code)
    for need in recipe.needs:
        if need.need == "needed" and (against := fits.against(recipe, need, board)) is not None:
            curable = against.code == "plan.camera-width"
            severity = Severity.CHECK if curable else Severity.STOP
            return Suits(recipe.id, board.id, severity, against.title, against.code)
    if board.may_have_more and (unknown := _not_told(recipe, board, listed=told)) is not None:
        return unknown
    return _good(recipe, board, told=told, older=bool(known) and known != builds[0][0].version)


def _no_way(recipe: Recipe, board: Board) -> Reason | None:
    if (
        board.medium == "serial"
        or ("cable" in recipe.ways and board.ethernet is not False)
        or ("wifi" in recipe.ways and board.radio_ghz != ())
    ):
        return None
    if not board.usb and not board.may_have_more:
        code = "plan.no-radio" if "wifi" in recipe.ways else "plan.no-ethernet"
        ways = " or ".join(WAY_WORDS[way] for way in recipe.ways)
        return Reason(code, f"{board.name} comes onto no network by {ways}")
    return None


def _not_told(recipe: Recipe, board: Board, *, listed: bool) -> Suits | None:
    """Return what keeps anybody from saying how `recipe` does on a board that is known in part; None where enough is known."""
    if listed and not board.compatible:
        return Suits(
            recipe.id,
            board.id,
            Severity.NOTE,
            "Nobody said which board this is to an image",
            "plan.board-tree-not-told",
        )
    if not (board.has_radio and "wifi" in recipe.ways) and not (board.ethernet and "cable" in recipe.ways):
        return Suits(
            recipe.id, board.id, Severity.NOTE, "Nobody said how it comes onto the network", "plan.radio-not-told"
        )
    if board.supply is None:
        return Suits(recipe.id, board.id, Severity.NOTE, "Nobody said what it draws", "plan.supply-not-told")
    return None


def _good(recipe: Recipe, board: Board, *, told: bool, older: bool) -> Suits:
    notes = []
    verdict = Severity.OK
    if board.medium == "card" and not (
        (board.has_radio and "wifi" in recipe.ways) or (board.ethernet and "cable" in recipe.ways)
    ):
        verdict = Severity.CHECK
        notes.append("with an adapter to come onto the network")
    elif "wifi" in recipe.ways and not board.has_radio and board.medium == "card":
        notes.append("by cable only")
    elif "cable" in recipe.ways and not board.ethernet and board.medium == "card":
        notes.append("by Wi-Fi only")
    if not told:
        verdict = Severity.CHECK
        notes.append("nobody lists this board")
    elif older:
        notes.append("with an older release")
    if board.speed == "slow":
        notes.append("slowly")
    needed = [role_words(n.role) for n in recipe.needs if n.need == "needed"]
    if needed:
        notes.append(f"with {' and '.join(needed)}")
    code = "plan.release-lists-board" if told else ""
    return Suits(
        recipe.id, board.id, verdict, ("Starts " + ", ".join(notes)) if notes else "Starts, nothing else needed", code
    )


def matrix(
    recipes: Iterable[Recipe], boards: Iterable[Board], parts: Mapping[str, Part]
) -> dict[tuple[str, str], Suits]:
    """Return how each of `recipes` does on each of `boards`, by their ids."""
    fits, kinds = Fits(parts), list(boards)
    return {(r.id, b.id): suits(r, b, fits) for r in recipes for b in kinds}
