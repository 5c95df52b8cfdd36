"""How long the whole job takes: each part by what was measured, else by what is usual, and it says which."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.plan.job_time import ENOUGH, HANDS_S, USUAL_RATE_MB_S, Span, job_time
from mintseed.core.plan.plan import Card, Plan
from tests.core.plan.test_fit import xray
from tests.core.plan.things import RECIPES, plan

IMAGE = xray("maker,larkspur-r", unpacked_bytes=3_000_000_000)


def spans(one: Plan, *rates: float, hands: tuple[float, ...] = ()) -> dict[str, Span]:
    found = job_time(one, rates, hands)
    assert found is not None
    assert found.from_s == pytest.approx(sum(s.from_s for s in found.spans))
    assert found.to_s == pytest.approx(sum(s.to_s for s in found.spans))
    return {s.what: s for s in found.spans}


def test_without_a_board_nobody_can_say() -> None:
    assert job_time(Plan(RECIPES["platen"])) is None


def test_a_card_is_written_and_read_back_by_the_rates_that_were_measured() -> None:
    one = replace(plan("platen", "larkspur-r"), image=IMAGE)
    written = spans(one, 30.0, 20.0, 60.0)["write the card and read it back"]
    assert (written.from_s, written.to_s) == (100.0, 300.0)
    assert written.rests_on == "3 writes measured here"


def test_else_by_what_the_card_promises_and_by_what_is_usual() -> None:
    one = replace(plan("platen", "larkspur-r"), image=IMAGE, card=None)
    slow, quick = USUAL_RATE_MB_S
    written = spans(one)["write the card and read it back"]
    assert (written.from_s, written.to_s) == (pytest.approx(6000 / quick), pytest.approx(6000 / slow))
    assert "common practice" in written.rests_on
    marked = spans(replace(one, card=Card(32, ("C10", "U3"))))["write the card and read it back"]
    # U3 writes 30 MB/s without a pause (SD Association, speed classes).
    assert marked.to_s == pytest.approx(6000 / 30)
    weak = spans(replace(one, card=Card(32, ("C4",))))["write the card and read it back"]
    assert weak.to_s == pytest.approx(6000 / slow), "what is promised is the least, and cards do more"


def test_a_board_without_a_card_has_none_to_write() -> None:
    from mintseed import wiring

    serial = next(b for b in wiring.boards().values() if b.medium == "serial")
    assert "write the card and read it back" not in spans(replace(plan("platen", "larkspur-r"), board=serial))


@pytest.mark.parametrize(("board", "factor"), [("sprig", 1.6), ("larkspur-r", 1.0)])
def test_its_boot_takes_what_the_recipe_says_of_such_a_board(board: str, factor: float) -> None:
    boot = spans(plan("platen", board))["first boot until its page is there"]
    assert (boot.from_s, boot.to_s) == (35 * factor + 15, 120 * factor + 15)
    assert boot.rests_on.startswith("recipe platen, on a ")


def test_what_nobody_said_is_called_assumed() -> None:
    one = plan("platen", "larkspur-r")
    assumed = replace(
        one, recipe=one.recipe.model_copy(update={"boot": one.recipe.boot.model_copy(update={"assumed": True})})
    )
    assert spans(assumed)["first boot until its page is there"].rests_on == "assumed, nobody said it"


def test_preparing_and_a_first_update_come_on_top_where_the_recipe_knows_of_them() -> None:
    one = plan("platen", "sprig")
    assert set(spans(one)) == {
        "write the card and read it back",
        "first boot until its page is there",
        "with your hands",
    }
    boot = one.recipe.boot.model_copy(update={"prepares_from_s": 60, "prepares_to_s": 200, "first_update_s": 900})
    longer = spans(replace(one, recipe=one.recipe.model_copy(update={"boot": boot})))
    assert (longer["while it prepares itself"].from_s, longer["while it prepares itself"].to_s) == (96, 320)
    assert (longer["its first update"].from_s, longer["its first update"].to_s) == (900, 900)
    assert {longer[k].rests_on for k in ("while it prepares itself", "its first update")} == {"recipe platen"}


def test_ones_own_hands_count_once_there_are_enough_jobs() -> None:
    one = plan("platen", "larkspur-r")
    few = spans(one, hands=(600.0,) * (ENOUGH - 1))["with your hands"]
    assert (few.from_s, few.to_s, few.rests_on) == (*HANDS_S, "common practice")
    own = spans(one, hands=(1500.0, 700.0, 900.0))["with your hands"]
    assert (own.from_s, own.to_s, own.rests_on) == (700, 1500, "your last 3 jobs")
