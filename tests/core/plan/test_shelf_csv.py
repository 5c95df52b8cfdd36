"""The shelf as a table: out and in again, other people's spreadsheets, and lines that spoil themselves alone."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.boards.model import SOCKETS
from mintseed.core.hardware_address import hardware_address
from mintseed.core.plan.copper import MILLIOHM_PER_M
from mintseed.core.plan.shelf_csv import COLUMNS, ShelfRow, read_shelf, write_shelf
from tests.core.plan.things import BOARDS, PARTS

LETTERS = st.one_of(st.characters(exclude_categories=("Cs", "Cc", "Zl", "Zp")), st.sampled_from("'=+-@"))
NAMES = st.text(LETTERS, min_size=1, max_size=40).map(lambda t: " ".join(t.split())).filter(bool)
ROWS = st.one_of(
    st.builds(lambda n, b: ShelfRow("board", n, {"note": "", "board": b, "macs": ["02:51:48:00:00:0a"]}), NAMES, st.sampled_from(sorted(BOARDS))),
    st.builds(lambda n, p: ShelfRow("part", n, {"note": "", "kind": p}), NAMES, st.sampled_from(sorted(PARTS))),
    st.builds(lambda n, g, e: ShelfRow("card", n, {"note": "", "size_gb": g, "classes": ["C10", "V30"], "endurance": e}), NAMES,
              st.sampled_from([8, 32, 256]), st.sampled_from([True, False, None])),
)  # fmt: skip


@given(st.lists(ROWS, max_size=8))
def test_what_goes_out_comes_in_again(rows: list[ShelfRow]) -> None:
    assert read_shelf(write_shelf(rows), BOARDS, PARTS) == (tuple(rows), ())


@given(st.text(max_size=300))
def test_anything_is_read_or_told(text: str) -> None:
    rows, problems = read_shelf("what,name\n" + text, BOARDS, PARTS)
    assert all(p.line >= 1 and p.message for p in problems)
    assert all(r.name for r in rows)


def test_a_wrong_line_spoils_itself_alone() -> None:
    text = "what,name,kind,size_gb,classes\nboard,,LARKSPUR R,,\nboard,odd,NO SUCH MARK,,\ncard,,,32,C10 u1\ncard,odd,,33,\nhammer,mine,,,\n"
    rows, problems = read_shelf(text, BOARDS, PARTS)
    assert [(r.what, r.name) for r in rows] == [("board", "Larkspur R"), ("card", "32 GB card")]
    assert rows[1].values["classes"] == ["C10", "U1"]
    assert [p.line for p in problems] == [3, 5, 6]
    assert "known marks are" in problems[0].message
    assert "no card is printed 33 GB" in problems[1].message


@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_spreadsheets_of_other_places(separator: str) -> None:
    """A byte-order mark, CR LF, semicolons, and a comma as the decimal sign."""
    row = ["supply", "Grey", "5,1", "3", "USB-C"]
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\r\n")
    writer.writerows([["what", "name", "voltage_v", "current_a", "connector"], row])
    rows, problems = read_shelf("\ufeff" + out.getvalue(), BOARDS, PARTS)
    assert problems == ()
    assert rows[0].values["voltage_v"] == 5.1


def test_nothing_in_a_table_is_run_by_a_spreadsheet() -> None:
    text = write_shelf([ShelfRow("part", '=HYPERLINK("x")', {"kind": "finch", "note": "@now"})])
    cells = list(csv.reader(io.StringIO(text)))[1]
    assert not any(c[:1] in ("=", "+", "-", "@") for c in cells)
    rows, _ = read_shelf(text, BOARDS, PARTS)
    assert (rows[0].name, rows[0].values["note"]) == ('=HYPERLINK("x")', "@now")


@pytest.mark.parametrize("name", ["'", "''", "'tis", "'=1", "''=1", "'''@a", "-", "'-"])
def test_a_quote_of_ones_own_stays(name: str) -> None:
    row = ShelfRow("part", name, {"note": name, "kind": sorted(PARTS)[0]})
    assert read_shelf(write_shelf([row]), BOARDS, PARTS) == ((row,), ())


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("card,Blue,32,in the drawer, the upper one", "more cells than the heading: the upper one"),
        (f"card,{'n' * 81},32,", "name: 81 characters; 80 at most"),
        (f"card,Blue,32,{'n' * 301}", "note: 301 characters; 300 at most"),
        ("card,Blue,3_2,", "size_gb: 3_2 is no number"),
        ("card,Blue,nan,", "size_gb: nan is not between 1 and 2048"),
    ],
)
def test_nothing_is_left_out_in_silence(line: str, said: str) -> None:
    rows, problems = read_shelf(f"what,name,size_gb,note\n{line}\ncard,Green,16,,,\n", BOARDS, PARTS)
    assert [r.name for r in rows] == ["Green"], "more cells with nothing in them are a spreadsheet's way"
    assert [(p.line, p.message) for p in problems] == [(2, said)]


def test_a_column_that_stands_twice_is_told() -> None:
    rows, problems = read_shelf("what,name,note,Note\ncard,Blue,one,other\n", BOARDS, PARTS)
    assert rows == ()
    assert problems[0].message == "the heading has note twice"


def test_a_heading_nobody_knows_is_told() -> None:
    rows, problems = read_shelf("what,name,colour\nboard,x,red\n", BOARDS, PARTS)
    assert (rows, problems[0].line) == ((), 1)
    assert "colour" in problems[0].message
    assert set(COLUMNS) >= {"what", "name", "macs", "battery_mah"}


@pytest.mark.parametrize("said", ["02:51:48:00:00:0A", "02-51-48-00-00-0a", "0251.4800.000a", "02514800000a"])
def test_hardware_addresses_in_every_spelling(said: str) -> None:
    assert hardware_address(said) == "02:51:48:00:00:0a"


@pytest.mark.parametrize("said", ["02:51:48:00:00", "02:51:48:00:00:0g", "", "01:51:48:00:00:0a", "ff:ff:ff:ff:ff:ff"])
def test_what_is_no_hardware_address(said: str) -> None:
    with pytest.raises(ValueError):
        hardware_address(said)


@pytest.mark.parametrize(
    ("said", "read"), [("10000", 10000.0), ("1,5", 1.5), ("0.5", 0.5), ("10,000", None), ("1.000", None)]
)
def test_a_number_that_could_be_a_thousand_or_a_fraction_is_asked_about(said: str, read: float | None) -> None:
    text = f'what;name;voltage_v;current_a;connector;battery_mah\nsupply;Cells;5;2;micro-USB;"{said}"\n'
    rows, problems = read_shelf(text, {}, {})
    if read is None or read < 1:
        assert not rows
        assert ("a thousand or a fraction" if read is None else "not between") in problems[0].message
    else:
        assert rows[0].values["battery_mah"] == read


def test_a_battery_comes_back_as_it_went_out() -> None:
    values = {"voltage_v": 5.0, "current_a": 2.4, "connector": "USB-A socket", "length_m": None, "awg": None,
              "battery_mah": 10050.5, "cell_v": 3.625, "efficiency": 0.8125, "note": ""}  # fmt: skip
    rows, problems = read_shelf(write_shelf([ShelfRow("supply", "Cells", values)]), {}, {})
    assert problems == ()
    assert rows[0].values == values
    long = {**values, "battery_mah": 123456.789}
    assert read_shelf(write_shelf([ShelfRow("supply", "Cells", long)]), {}, {})[0][0].values == long
    usual = "what,name,voltage_v,current_a,connector,battery_mah\nsupply,Cells,5,2,micro-USB,5000\n"
    assert not {"cell_v", "efficiency"} & set(read_shelf(usual, {}, {})[0][0].values), (
        "what is left out is what it usually is"
    )


def one_line_of(**cells: str) -> tuple[dict[str, Any], str]:
    """Return what is read of a table of one line, and what is said against it."""
    rows, problems = read_shelf(f"{','.join(cells)}\n{','.join(cells.values())}\n", BOARDS, PARTS)
    return (dict(rows[0].values), "") if rows else ({}, problems[0].message)


SUPPLY = {"what": "supply", "name": "Grey", "voltage_v": "5.1", "current_a": "2.5", "connector": "micro-usb"}
CABLE = {"what": "cable", "name": "Thick", "plug_to_supply": "usb-a", "plug_to_board": "usb-c", "length_m": "0.5"}


def test_a_supply_has_a_cable_of_its_own_unless_it_has_sockets() -> None:
    own = {"length_m": "1.5", "awg": "22", "battery_mah": "10000"}
    assert one_line_of(**SUPPLY, **own)[0] == {
        "note": "", "voltage_v": 5.1, "current_a": 2.5, "connector": "micro-USB", "length_m": 1.5, "awg": 22, "battery_mah": 10000,
    }  # fmt: skip
    assert one_line_of(**SUPPLY)[0] == {
        "note": "", "voltage_v": 5.1, "current_a": 2.5, "connector": "micro-USB", "length_m": None, "awg": None, "battery_mah": None,
    }  # fmt: skip
    socket = one_line_of(**{**SUPPLY, "connector": SOCKETS[0].lower(), **own})[0]
    assert (socket["connector"], socket["length_m"], socket["awg"]) == (SOCKETS[0], None, None)


def test_a_cable_has_two_plugs_a_length_and_perhaps_a_gauge() -> None:
    assert one_line_of(**CABLE, awg="20")[0] == {
        "note": "", "plug_to_supply": "USB-A", "plug_to_board": "USB-C", "length_m": 0.5, "awg": 20,
    }  # fmt: skip
    assert one_line_of(**CABLE)[0]["awg"] is None


@pytest.mark.parametrize(("thing", "column", "least", "most", "below", "above"), [
    (SUPPLY, "voltage_v", "0.5", "60", "0.4", "60.5"), (SUPPLY, "current_a", "0.01", "30", "0.009", "30.5"),
    (SUPPLY, "length_m", "0.01", "20", "0.009", "20.5"), (SUPPLY, "battery_mah", "1", "1000000", "0.5", "1000001"),
    (SUPPLY, "cell_v", "0.1", "5", "0.09", "5.5"), (SUPPLY, "efficiency", "0.01", "1", "0.009", "1.5"), (CABLE, "length_m", "0.01", "20", "0.009", "20.5"),
])  # fmt: skip
def test_what_nobody_has_is_told_with_what_there_is(
    thing: dict[str, str], column: str, least: str, most: str, below: str, above: str
) -> None:
    for said in (least, most):
        assert one_line_of(**{**thing, column: said})[0][column] == float(said)
    for said in (below, above):
        assert one_line_of(**{**thing, column: said})[1] == (
            f"{column}: {float(said):g} is not between {float(least):g} and {float(most):g}"
        )
    assert one_line_of(**{**thing, column: "much"})[1] == f"{column}: much is no number"


def test_a_gauge_and_a_plug_are_of_those_there_are() -> None:
    """AWG as in ASTM B258; those that power cables are made of stand in the table of copper."""
    for gauge in (min(MILLIOHM_PER_M), max(MILLIOHM_PER_M)):
        assert one_line_of(**CABLE, awg=str(gauge))[0]["awg"] == gauge
    gauges = ", ".join(map(str, MILLIOHM_PER_M))
    assert one_line_of(**CABLE, awg="11")[1] == f"awg: 11 is none of {gauges}"
    assert one_line_of(**CABLE, awg="10.5")[1] == f"awg: 10.5 is none of {gauges}"
    assert one_line_of(**CABLE, awg="9")[1] == "awg: 9 is not between 10 and 40"
    assert one_line_of(**CABLE, awg="41")[1] == "awg: 41 is not between 10 and 40"
    assert one_line_of(**{**CABLE, "plug_to_supply": ""})[1] == "plug_to_supply: nothing is none of USB-A, USB-C"
    assert one_line_of(**{**CABLE, "plug_to_supply": "schuko"})[1] == "plug_to_supply: schuko is none of USB-A, USB-C"
    without = {column: cell for column, cell in CABLE.items() if column != "plug_to_supply"}
    assert one_line_of(**without)[1] == "plug_to_supply: nothing is none of USB-A, USB-C"
