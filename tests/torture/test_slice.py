"""A short slice of `make torture`: damaged images and settings files under limits of memory and time."""

from __future__ import annotations

import random

from torture.homes import EARLIER
from torture.mutants import SLICE, put_in_faults
from torture.update_kills import updates_killed

from torture import cards, files


def test_damaged_images_do_no_harm() -> None:
    outcome = files.images(4, seed=6)
    assert outcome.tried == 4
    assert not outcome.harm


def test_damaged_settings_files_do_no_harm() -> None:
    outcome = files.settings(10, seed=6)
    assert outcome.tried == 10
    assert not outcome.harm


def test_the_limits_themselves_work() -> None:
    def hungry() -> str:
        return str(len(bytearray(4 * 1024**3)))

    def endless() -> str:
        while True:
            pass

    assert "MemoryError" in files.under_limits(hungry, (), 20)
    assert "it hung" in files.under_limits(endless, (), 1)
    whole = bytes(4096)
    assert any(files.mutated(whole, random.Random(n), [(0, 512)]) != whole for n in range(5))


def test_cards_that_hold_less_than_they_say_and_cards_that_were_changed_are_found() -> None:
    for outcome in (cards.false_capacities(5, seed=13), cards.changed_cards(5, seed=13)):
        assert outcome.tried == 5
        assert not outcome.harm


def test_an_update_killed_between_two_steps_loses_nothing() -> None:
    outcome = updates_killed(1, seed=13, dumps=EARLIER[-1:])
    assert outcome.tried == 1
    assert not outcome.harm


def test_a_fault_in_a_rule_is_noticed() -> None:
    """A slice of the rules, each changed a little in every way: some test of theirs fails."""
    noticed = put_in_faults(SLICE, most_s=300)
    assert noticed.killed > 60
    assert noticed.survived == ()
