"""Whose card it is, where several could be: what tells them apart, and what nobody can say."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.card.identity import CardMarks, Recognition, WrittenMarks, recognise

SIZE = 32 * 10**9
ONE = CardMarks("", SIZE, "aa", "11", "head-1", {"a.conf": "x", "b.conf": "y"})
BOOTED = replace(ONE, head="head-9", files={"a.conf": "x"})


@pytest.mark.parametrize(("seen", "kind"), [
    (ONE, "same"),
    (replace(ONE, head="head-9"), "changed"),
    (replace(ONE, head=""), "changed"),
    (replace(ONE, files={"a.conf": "x"}), "changed"),
    (replace(ONE, files={"a.conf": "x", "b.conf": "z"}), "changed"),
    (replace(ONE, files={"a.conf": "x", "b.conf": "y", "c.conf": "new"}), "same"),
    (replace(ONE, files={}), "kin"),
    (replace(ONE, files={}, size_bytes=64 * 10**9), "unknown"),
    (replace(ONE, disk_id="bb"), "unknown"),
    (replace(ONE, disk_id=""), "unknown"),
    (replace(ONE, head="head-9", volume_id="22"), "unknown"),
    (replace(ONE, volume_id="22"), "same"),
    (replace(ONE, number="n1"), "same"),
    (CardMarks(), "unknown"),
])  # fmt: skip
def test_one_card_on_record(seen: CardMarks, kind: str) -> None:
    found = recognise(seen, [WrittenMarks(7, ONE)])
    assert found.kind == kind
    assert found.write_id == (7 if kind in ("same", "changed") else None)
    assert found.could_be == ((7,) if kind == "kin" else ())
    assert found.is_known == (kind in ("same", "changed"))


@pytest.mark.parametrize("seen", [ONE, BOOTED, replace(ONE, files={}), CardMarks()])
def test_an_old_table_at_the_end_is_passed_on_whatever_is_found(seen: CardMarks) -> None:
    for old in (False, True):
        assert recognise(replace(seen, old_table=old), [WrittenMarks(7, ONE)]).old_table is old


def test_a_file_whose_content_is_not_known_is_alike_to_nothing() -> None:
    then = replace(ONE, files={"a.conf": ""})
    assert recognise(replace(ONE, head="head-9", files={"a.conf": ""}), [WrittenMarks(7, then)]).kind == "kin"


def test_the_one_with_most_files_alike_is_it() -> None:
    seen = replace(ONE, head="head-9")
    fewer = WrittenMarks(1, replace(ONE, files={"a.conf": "x", "b.conf": "other"}), card_id=10)
    most = WrittenMarks(2, ONE, card_id=20)
    assert recognise(seen, [fewer, most]) == recognise(seen, [most, fewer]) == Recognition("changed", 2)


def test_two_with_as_many_alike_are_told_apart_by_nobody() -> None:
    twins = [WrittenMarks(1, ONE, card_id=10), WrittenMarks(2, ONE, card_id=20)]
    assert recognise(BOOTED, twins) == Recognition("kin", could_be=(1, 2))


def test_two_writes_to_one_card_are_that_card_by_the_newest() -> None:
    assert recognise(BOOTED, [WrittenMarks(2, ONE, card_id=10), WrittenMarks(1, ONE, card_id=10)]) == Recognition(
        "changed", 2
    )


@pytest.mark.parametrize("cards", [(None, None), (10, None), (None, 10)])
def test_where_a_write_is_on_no_card_on_record_it_could_be_another(cards: tuple[int | None, int | None]) -> None:
    first, second = cards
    twins = [WrittenMarks(1, ONE, card_id=first), WrittenMarks(2, ONE, card_id=second)]
    assert recognise(BOOTED, twins) == Recognition("kin", could_be=(1, 2))
    assert recognise(BOOTED, twins[:1]) == Recognition("changed", 1)


def test_what_somebody_said_later_decides_and_proves_nothing() -> None:
    """It held other files when somebody said whose it is: those are its marks from then on, and no proof comes back by them."""
    said = WrittenMarks(1, BOOTED, card_id=10, later=True)
    other = WrittenMarks(2, ONE, card_id=20)
    assert recognise(BOOTED, [other, said]) == recognise(BOOTED, [said, other]) == Recognition("changed", 1)
    assert recognise(ONE, [said, other]) == Recognition("same", 2)


def test_one_write_is_named_once_though_two_marks_speak_of_it() -> None:
    plain = replace(ONE, files={})
    assert recognise(plain, [WrittenMarks(3, ONE), WrittenMarks(3, BOOTED), WrittenMarks(1, ONE)]).could_be == (3, 1)


def test_a_number_of_its_own_outweighs_every_file() -> None:
    mine, twin = replace(BOOTED, number="n1", files={}), WrittenMarks(2, ONE, card_id=20)
    assert recognise(mine, [twin, WrittenMarks(1, replace(ONE, number="n1"), card_id=10)]) == Recognition("changed", 1)
