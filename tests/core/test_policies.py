"""What ends a proof, what a look keeps, where a part goes, and whose a file is: decided without a database."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mintseed import wiring
from mintseed.core.card.identity import Recognition
from mintseed.core.card.proof import NOTHING, AfterLook, after_look
from mintseed.core.errors import RefusedError
from mintseed.core.find.candidates import Candidate
from mintseed.core.find.look import MOST_SEEN, kept_look, seen_key
from mintseed.core.plan.putting import MOST_PARTS, Held, Put, put_in
from mintseed.core.recipes.identity import NOBODYS, Identity, identity_of

SAME, CHANGED = Recognition("same", 3), Recognition("changed", 3)
KIN, UNKNOWN = Recognition("kin", None, could_be=(3, 4)), Recognition("unknown")


@pytest.mark.parametrize(
    ("found", "seen", "does"),
    [
        (SAME, {}, AfterLook(sure=3)),
        (SAME, {"stayed": [5], "booted": [3]}, AfterLook(sure=3)),
        (CHANGED, {}, AfterLook(ends=frozenset({3}))),
        (CHANGED, {"booted": [3]}, NOTHING),  # a first boot changes a card
        (UNKNOWN, {}, NOTHING),
        (UNKNOWN, {"stayed": [5]}, AfterLook(ends=frozenset({5}))),
        (UNKNOWN, {"stayed": [5, 6], "booted": [5]}, AfterLook(ends=frozenset({6}))),
        (UNKNOWN, {"stayed": [5], "booted": [5]}, NOTHING),
        (KIN, {}, AfterLook(could_be=(3, 4))),
        (KIN, {"stayed": [3]}, AfterLook(ends=frozenset({3}))),
        (KIN, {"readable": False}, NOTHING),
        (KIN, {"half_written": True}, NOTHING),
    ],
)
def test_what_a_look_does_to_proofs(found: Recognition, seen: dict[str, Any], does: AfterLook) -> None:
    usual: dict[str, Any] = {"stayed": [], "booted": [], "readable": True, "half_written": False}
    assert after_look(found, **(usual | seen)) == does


NOON = datetime(2026, 11, 29, 12, tzinfo=UTC)


def candidate(address: str, mac: str = "") -> Candidate:
    return Candidate(address, mac, "", "", (), page_answers=False, is_it=False)


def look(
    after_s: float, *there: Candidate, winner: Candidate | None = None, seen: Any = None, settled: bool = True
) -> Any:
    return kept_look(
        seen or {}, there, winner, NOON + timedelta(seconds=after_s), powered_at=NOON, pace=10, settled=settled
    )


def test_the_first_moment_counts_at_the_benchs_pace() -> None:
    board = candidate("192.168.77.30", "02:00:00:00:00:01")
    first = look(4, board)
    assert (first.counts, first.joined_after_s) == (True, None)
    later = look(9, board, winner=board, seen=first.seen)
    assert later.joined_after_s == 40
    assert later.seen == first.seen


def test_who_had_the_address_before_does_not_count_for_it() -> None:
    stranger, board = candidate("192.168.77.30", "02:00:00:00:00:09"), candidate("192.168.77.30", "02:00:00:00:00:01")
    assert look(50, board, winner=board, seen=look(4, stranger).seen).joined_after_s == 500
    assert seen_key(candidate("192.168.77.30")) == "192.168.77.30"
    assert len({seen_key(stranger), seen_key(board), seen_key(replace(board, address="192.168.77.31"))}) == 3


def test_a_look_that_only_just_began_and_saw_nothing_does_not_count() -> None:
    board = candidate("192.168.77.30")
    assert not look(1, settled=False).counts
    assert look(1, board, winner=board, settled=False).counts
    # Powered by a clock that was ahead: never before power-on.
    assert look(-3, board, winner=board).joined_after_s == 0


def test_of_a_crowd_only_so_many_are_kept_and_the_winner_counts_all_the_same() -> None:
    crowd = [candidate(f"10.0.{n // 250}.{n % 250}") for n in range(MOST_SEEN + 50)]
    kept = look(2, *crowd, winner=crowd[-1])
    assert (len(kept.seen), kept.joined_after_s) == (MOST_SEEN, 20)


def test_what_came_takes_the_place_of_what_was_to_be_bought() -> None:
    held = (Held("fan", 4), Held("camera", None), Held("camera", None))
    assert put_in(held, Held("camera", 7)) == Put(instead_of=1)
    assert put_in(held, Held("camera", None)) == Put()
    assert put_in(held, Held("fan", 4)) == Put(already=True)
    assert put_in(held, Held("fan", 5)) == Put()
    full = (*(Held("fan", n) for n in range(MOST_PARTS - 1)), Held("camera", None))
    assert put_in(full, Held("camera", 77)) == Put(instead_of=MOST_PARTS - 1)
    with pytest.raises(RefusedError, match="at most 20 parts") as refused:
        put_in(full, Held("fan", 99))
    assert refused.value.next_step == "Leave one out first."


def test_a_file_is_its_recipes_by_its_very_name() -> None:
    recipes = wiring.recipes().values()
    assert identity_of("platen-3.2-64.img.xz", recipes) == Identity("platen", "3.2", "64-bit")
    for name in ("platen-3.2-64 (1).img.xz", "PLATEN-3.2-64.img.xz", "platen-3.2-64.img", ""):
        assert identity_of(name, recipes) == NOBODYS


def test_in_an_archive_its_own_name_counts_or_its_archive_s() -> None:
    recipes, platen = wiring.recipes().values(), Identity("platen", "3.2", "64-bit")
    assert identity_of("pack.zip/deep/platen-3.2-64.img.xz", recipes) == platen, "one of several"
    assert identity_of("pack.zip", recipes, "deep/platen-3.2-64.img.xz") == platen, "the only one, once it was read"
    assert identity_of("platen-3.2-64.img.xz", recipes, "disk.img") == platen, (
        "a download that is an archive by its content"
    )
    assert identity_of("pack.zip/other.img", recipes) == identity_of("pack.zip", recipes) == NOBODYS
