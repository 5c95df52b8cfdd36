"""A board of one's own is an ordinary text, whatever was said of it and whatever was not."""

from __future__ import annotations

from dataclasses import replace

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.boards.model import PLUGS, Board
from mintseed.core.boards.own import OwnBoard, board_text, changed_text, own_of
from mintseed.core.described import Around, read_or_tell


def read(own: OwnBoard) -> Board:
    board, mistakes = read_or_tell(Board, board_text(own), Around(boards={}))
    assert board is not None, (mistakes, board_text(own))
    return board


def test_a_name_is_enough() -> None:
    board = read(OwnBoard("Grandmother's board", taken={"grandmother-s-board"}))
    assert (board.id, board.name, board.may_have_more) == ("grandmother-s-board-2", "Grandmother's board", True)
    assert (board.supply, board.radio_ghz, board.ethernet, board.bits, board.compatible) == (None, None, None, None, ())


def test_what_was_said_stands_in_it() -> None:
    board = read(OwnBoard("A", "MARK 1", ("some,board",), 64, False, (), "USB-C", None, 2.5, 40, 1024))
    assert board.supply is not None
    assert (board.supply.voltage_v, board.supply.least_current_a, board.supply.connector) == (5.0, 2.5, "USB-C")
    assert (board.radio_ghz, board.ethernet, board.memory_mb) == ((), False, 1024)
    assert board.header is not None
    assert board.header.pins == 40
    assert board.device_tree_name == "some,board"


def test_half_a_supply_is_none() -> None:
    assert read(OwnBoard("A", plug="USB-C")).supply is None
    assert read(OwnBoard("A", current_a=2.0, voltage_v=5.0)).supply is None
    assert read(OwnBoard("A", plug="barrel plug", current_a=2.0)).supply is None, "its volts are anybody's guess"


@given(
    st.text(min_size=1, max_size=80).filter(lambda s: s.strip()), st.text(max_size=60), st.sampled_from([None, *PLUGS]),
    st.one_of(st.none(), st.floats(0.1, 60)), st.one_of(st.none(), st.floats(0.1, 30)),
)  # fmt: skip
def test_every_answer_reads(name: str, mark: str, plug: object, volts: float | None, amps: float | None) -> None:
    read(OwnBoard(name, mark, plug=plug, voltage_v=volts, current_a=amps))  # type: ignore[arg-type]


@pytest.mark.parametrize("pins", [26, 40])
def test_its_header_is_named(pins: int) -> None:
    header = read(OwnBoard("A", header_pins=pins)).header  # type: ignore[arg-type]
    assert header is not None
    assert header.pins == pins


BY_HAND = """board: 1
id: old-one
name: Old one
described: part
memory_mb: 512
supply: {voltage_v: 5.1, least_current_a: 2.5, connector: micro-USB, idle_current_a: 0.6}
header: {pins: 8, pin_1: by the notch}
maker: Nobody in particular
"""


def test_saying_more_changes_nothing_else() -> None:
    before, mistakes = read_or_tell(Board, BY_HAND, Around(boards={}))
    assert before is not None, mistakes
    own = replace(own_of(before), name="Old one, blue", current_a=3.0, ethernet=True)
    text = changed_text(BY_HAND, own)
    after, mistakes = read_or_tell(Board, text, Around(boards={}))
    assert after is not None, mistakes
    assert (after.id, after.name, after.ethernet, after.memory_mb) == ("old-one", "Old one, blue", True, 512)
    # What nobody is asked for stays: a row of 8 pins, and what it draws when idle.
    assert yaml.safe_load(text) == {
        **yaml.safe_load(BY_HAND), "name": "Old one, blue", "ethernet": True,
        "supply": {"voltage_v": 5.1, "least_current_a": 3.0, "connector": "micro-USB", "idle_current_a": 0.6},
    }  # fmt: skip
    # Taken back, it is not known again.
    assert "supply" not in yaml.safe_load(changed_text(text, replace(own, plug=None)))


def test_what_is_asked_anew_is_what_was_answered() -> None:
    said = OwnBoard("A", "MARK 1", ("some,board",), 64, False, (2.4, 5.0), "barrel plug", 12.0, 2.5, 40, 1024, "riscv")
    assert own_of(read(said)) == said
    nothing = OwnBoard("A")
    assert own_of(read(nothing)) == nothing
