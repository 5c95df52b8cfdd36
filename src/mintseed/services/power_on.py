"""Start the clock of a first boot: by switching a stand-in board on, or because a person says they did."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from mintseed.core.boards.model import Board
from mintseed.core.card.identity import Recognition
from mintseed.core.errors import InputError
from mintseed.core.find.before import Itself, Seen, known_before
from mintseed.core.findings import Action, Finding, Severity, worst_first
from mintseed.core.site.ranges import is_address
from mintseed.core.walk import Walk
from mintseed.core.words import sentence
from mintseed.services.refuse import refuse_stops

LONGEST_AGO_S = 3600.0
"""seconds a person may look back when saying when they powered a board: longer, and the clock tells nothing."""


@dataclass(frozen=True, slots=True)
class PowerFacts:
    """`write_id`: the proven write; `board_runs`: what runs on that board unit now; `in_readers`: whose cards are in the
    readers of the bench; `ran_before`: the card was booted since it was proven, so its bytes may have changed; `bench_silent`:
    the name of its bench when that was asked to look at the cards in its readers and did not answer."""

    write_id: int | None
    by_hand: bool
    board_runs: str = ""
    in_readers: tuple[Recognition, ...] = ()
    drive_looked_at: Recognition | None = None
    ran_before: bool = False
    bench_silent: str = ""


@dataclass(frozen=True, slots=True)
class PoweredOn:
    board: Board
    powered_at: datetime
    known_before: tuple[str, ...] | None
    log_text: str


def check(walk: Walk, facts: PowerFacts) -> tuple[Finding, ...]:
    """Return what stands against powering the board now, worst first; nothing when it may be."""
    i, found = walk.inputs, list[Finding]()
    if i.board is None:
        found.append(_stop("boot.no-board", "No board is chosen", "Choose it under Plan.", "plan"))
    if walk.writes_card:  # else a blank card goes in, and what boots comes over the network
        found += _proof(walk)
    if i.run is not None and i.run.powered:
        found.append(_stop("boot.powered", "It is powered already", "Watch the clock.", "boot"))
    if facts.board_runs:
        found.append(_stop("boot.board-busy", f"That board runs {facts.board_runs} now",
                           "Power that one off first, or choose another board.", "plan"))  # fmt: skip
    if not found:
        found += _card_itself(facts)
    return worst_first(found)


def _proof(walk: Walk) -> Iterator[Finding]:
    write = walk.inputs.write
    if write.proven_at is None:
        ended = write.unsure_why or write.void_why
        yield (_stop("boot.no-proof", "Its card's proof no longer stands", "See under Card why, and what to do.", "card", sentence(ended))
               if ended else _stop("boot.no-proof", "No proven card yet", "Write the card first.", "card"))  # fmt: skip
    elif not walk.card_current:
        yield _stop("boot.card-old", "The card is older than the settings", "Write it again.", "card")


def _card_itself(facts: PowerFacts) -> list[Finding]:
    """A proof is of a card: is the one at hand still that card?"""
    ours = [r for r in facts.in_readers if r.write_id == facts.write_id and r.kind == "same"]
    if facts.by_hand:
        if facts.bench_silent:
            return [_stop("boot.bench-silent", f"The worker of {facts.bench_silent} does not answer",
                          "Nobody could look whether its card still lies in the reader. Start it there, then say it again.", "card")]  # fmt: skip
        if ours:
            return [
                _stop(
                    "boot.card-in-reader",
                    "Its card is still in the reader",
                    "Take it out and put it into the board.",
                    "card",
                )
            ]
        return []
    here = facts.drive_looked_at
    if here is None:
        return [_stop("boot.card-gone", "Its card is not in the reader", "Put it back, or write another one.", "card")]
    is_ours = here.write_id == facts.write_id
    if (here.kind == "same" and is_ours) or (here.kind == "changed" and is_ours and facts.ran_before):
        return []
    return [
        _stop("boot.card-changed", "The card in the reader is no longer the one that was proven",
              "Something else was written to it. Write it again.", "card")
    ]  # fmt: skip


def _stop(code: str, title: str, fix: str, station: str, detail: str = "") -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, action=Action("Go there", station))


def execute(
    walk: Walk,
    facts: PowerFacts,
    *,
    now: datetime,
    ago_s: float,
    seen: Mapping[str, Seen],
    watching_since: datetime | None,
    itself: Itself,
    scanned_at: datetime | None = None,
) -> PoweredOn:
    """Return the run that begins. `ago_s`: seconds since a person plugged it in; `seen`: what the bench
    remembers of the network since `watching_since`. `itself`: what is known of the board.

    What was on the network before is known only if somebody looked before. Raises RefusedError or InputError.
    """
    if not 0 <= ago_s <= LONGEST_AGO_S:
        raise InputError("that is too long ago to say anything", expected="at most an hour", where="ago_s")
    refuse_stops(check(walk, facts))
    board = walk.inputs.board
    assert board is not None
    powered_at = now - timedelta(seconds=ago_s)
    before: tuple[str, ...] | None = None
    if watching_since is not None and watching_since <= powered_at:
        before = tuple(sorted(known_before(seen, powered_at, itself, scanned_at=scanned_at)))
    known = (
        f"{sum(is_address(k) for k in before)} addresses were on the network before"
        if before is not None
        else "nobody looked at the network before"
    )
    how = "Powered by hand" if facts.by_hand else "Powered on"
    return PoweredOn(board, powered_at, before, f"{how}: {board.name}; {known}")
