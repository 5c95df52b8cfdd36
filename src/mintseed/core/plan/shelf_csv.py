"""The shelf as a table: one line a thing, in and out. Lines that cannot be read are told and spoil themselves alone.

Comma-separated as in RFC 4180; semicolons and tabs are taken too, since spreadsheets write them. UTF-8.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from mintseed.core.boards.model import PLUGS, SOCKETS, Board
from mintseed.core.hardware_address import hardware_address
from mintseed.core.parts.model import Part
from mintseed.core.plan.cards import CLASSES
from mintseed.core.plan.copper import MILLIOHM_PER_M
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.core.visible import one_line

COLUMNS = (
    "what", "name", "kind", "size_gb", "classes", "endurance", "voltage_v", "current_a", "connector", "plug_to_supply", "plug_to_board",
    "length_m", "awg", "battery_mah", "cell_v", "efficiency", "macs", "note",
)  # fmt: skip
WHAT = ("board", "card", "supply", "cable", "part")
MOST_ROWS = 2000
"""lines read of one table; nobody's shelf holds more."""

MOST_NAME, MOST_NOTE = 80, 300


@dataclass(frozen=True, slots=True)
class ShelfRow:
    """One thing. `values` are the columns its kind has, as numbers and lists where they are."""

    what: str
    name: str
    values: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RowProblem:
    """A line that was not taken. `line` counts from 1, the heading included."""

    line: int
    message: str


class _WrongError(Exception):
    pass


def read_shelf(
    text: str, boards: Mapping[str, Board], parts: Mapping[str, Part]
) -> tuple[tuple[ShelfRow, ...], tuple[RowProblem, ...]]:
    """Return the things a table names, and the lines that could not be taken with the reason."""
    text = text.removeprefix("\ufeff")
    heading = text.split("\n", 1)[0]
    separator = max(",;\t", key=heading.count)
    rows: list[ShelfRow] = []
    problems: list[RowProblem] = []
    try:
        reader = csv.DictReader(io.StringIO(text), delimiter=separator, strict=True)
        names = [(n or "").strip().lower() for n in reader.fieldnames or ()]
        reader.fieldnames = names
        if strange := [n for n in names if n not in COLUMNS] or (
            [] if {"what", "name"} <= set(names) else ["nothing called what and name"]
        ):
            return (), (
                RowProblem(1, f"the heading has {one_line(strange[0])}; known columns are {', '.join(COLUMNS)}"),
            )
        if twice := [n for n in names if names.count(n) > 1]:
            return (), (RowProblem(1, f"the heading has {twice[0]} twice"),)
        for held in reader:
            if reader.line_num > MOST_ROWS:
                problems.append(RowProblem(reader.line_num, f"more than {MOST_ROWS} lines; the rest was not read"))
                break
            cells = {k: plain(v) for k, v in held.items() if k and isinstance(v, str) and v.strip()}
            beyond = [cell.strip() for cell in held.get(None, ()) if cell.strip()]
            if not cells and not beyond:
                continue
            try:
                if beyond:
                    raise _WrongError(f"more cells than the heading: {one_line(beyond[0])}")
                rows.append(_row(cells, boards, parts))
            except _WrongError as wrong:
                problems.append(RowProblem(reader.line_num, str(wrong)))
    except csv.Error as error:
        problems.append(RowProblem(1, f"not a table: {error}"))
    return tuple(rows), tuple(problems)


_RUNS = re.compile(r"'*[=+\-@\t\r\n]")
"""A spreadsheet runs, or passes on and then runs, what begins so; a quote before it keeps it from that. Source: OWASP, "CSV
Injection". What has a quote there already gets one more, so that it comes back as it was."""


def plain(cell: str) -> str:
    """Return a cell without the quote that keeps a spreadsheet from running it."""
    cell = cell.strip(" ")
    return (cell[1:] if cell[:1] == "'" and _RUNS.match(cell) else cell).strip()


def _row(cells: Mapping[str, str], boards: Mapping[str, Board], parts: Mapping[str, Part]) -> ShelfRow:
    what, name = cells.get("what", "").lower(), " ".join(cells.get("name", "").split())
    if what not in WHAT:
        raise _WrongError(f"{one_line(what) or 'nothing'} is no kind of thing; known are {', '.join(WHAT)}")
    for column, said, most in (("name", name, MOST_NAME), ("note", cells.get("note", ""), MOST_NOTE)):
        if len(said) > most:
            raise _WrongError(f"{column}: {len(said)} characters; {most} at most")
    values: dict[str, Any] = {"note": cells.get("note", "")}
    if what == "board":
        board = board_called(cells.get("kind", ""), boards)
        values |= {"board": board.id, "macs": _macs(cells)}
        name = name or board.name
    elif what == "part":
        part = part_called(cells.get("kind", ""), parts)
        values |= {"kind": part.id}
        name = name or part.name
    elif what == "card":
        values |= _card(cells)
        name = name or f"{values['size_gb']} GB card"
    elif what == "supply":
        values |= _supply(cells)
    else:
        values |= _cable(cells)
    if not name:
        raise _WrongError("it has no name")
    return ShelfRow(what, name, values)


def _macs(cells: Mapping[str, str]) -> list[str]:
    try:
        return [hardware_address(m) for m in cells.get("macs", "").split()]
    except ValueError as error:
        raise _WrongError(f"macs: {error}") from None


def board_called(said: str, boards: Mapping[str, Board]) -> Board:
    """Return the board whose id, printed mark or name is `said`, however it is written."""
    wanted = " ".join(said.lower().split())
    for board in boards.values():
        if wanted in (board.id, board.printed_mark.lower(), board.name.lower()):
            return board
    marks = ", ".join(b.printed_mark for b in boards.values())
    raise _WrongError(f"no board is marked {one_line(said) or 'so'}; known marks are {marks}")


def part_called(said: str, parts: Mapping[str, Part]) -> Part:
    wanted = " ".join(said.lower().split())
    for part in parts.values():
        if wanted in (part.id, part.name.lower()):
            return part
    raise _WrongError(f"no part is called {one_line(said) or 'so'}")


_GROUPED = re.compile(r"[1-9][0-9]{0,2}([,.][0-9]{3})+")
"""10,000 is ten thousand to one writer and ten to another; a spreadsheet may have written either."""


def _number(cells: Mapping[str, str], name: str, least: float, most: float, *, needed: bool = True) -> float | None:
    said = cells.get(name, "")
    if not said and not needed:
        return None
    if _GROUPED.fullmatch(said):
        raise _WrongError(f"{name}: is {one_line(said)} a thousand or a fraction? Write it without groups of three")
    try:
        value = float(said.replace(",", ".") if "_" not in said else "")
    except ValueError:
        raise _WrongError(f"{name}: {one_line(said) or 'nothing'} is no number") from None
    if not least <= value <= most:
        raise _WrongError(f"{name}: {value:g} is not between {least:g} and {most:g}")
    return value


def _of(cells: Mapping[str, str], name: str, known: Iterable[str]) -> str:
    said = cells.get(name, "")
    found = next((k for k in known if k.lower() == said.lower()), None)
    if found is None:
        raise _WrongError(f"{name}: {one_line(said) or 'nothing'} is none of {', '.join(known)}")
    return found


def _awg(cells: Mapping[str, str]) -> int | None:
    awg = _number(cells, "awg", 10, 40, needed=False)
    if awg is not None and awg not in MILLIOHM_PER_M:
        raise _WrongError(f"awg: {awg:g} is none of {', '.join(map(str, MILLIOHM_PER_M))}")
    return None if awg is None else int(awg)


def _card(cells: Mapping[str, str]) -> dict[str, Any]:
    size = _number(cells, "size_gb", 1, 2048)
    if size not in NOMINAL_CARD_GB:
        raise _WrongError(f"size_gb: no card is printed {size:g} GB")
    classes = [c.upper() for c in re.split(r"[\s/+]+", cells.get("classes", "")) if c]
    if strange := [c for c in classes if c not in CLASSES]:
        raise _WrongError(f"classes: {one_line(strange[0])} is none of {', '.join(CLASSES)}")
    said = cells.get("endurance", "").lower()
    if said not in ("", "yes", "no"):
        raise _WrongError("endurance: yes, no or nothing")
    return {"size_gb": int(size), "classes": classes, "endurance": {"yes": True, "no": False}.get(said)}


def _supply(cells: Mapping[str, str]) -> dict[str, Any]:
    connector = _of(cells, "connector", (*PLUGS, *SOCKETS))
    own = connector not in SOCKETS
    return {
        "voltage_v": _number(cells, "voltage_v", 0.5, 60), "current_a": _number(cells, "current_a", 0.01, 30), "connector": connector,
        "length_m": _number(cells, "length_m", 0.01, 20, needed=False) if own else None, "awg": _awg(cells) if own else None,
        "battery_mah": _number(cells, "battery_mah", 1, 1_000_000, needed=False), **_cells(cells),
    }  # fmt: skip


def _cells(cells: Mapping[str, str]) -> dict[str, float]:
    """Return what is said of the cells of a battery; what is left out stays what it usually is."""
    said = {
        "cell_v": _number(cells, "cell_v", 0.1, 5, needed=False),
        "efficiency": _number(cells, "efficiency", 0.01, 1, needed=False),
    }
    return {name: value for name, value in said.items() if value is not None}


def _cable(cells: Mapping[str, str]) -> dict[str, Any]:
    return {
        "plug_to_supply": _of(cells, "plug_to_supply", ("USB-A", "USB-C")), "plug_to_board": _of(cells, "plug_to_board", PLUGS),
        "length_m": _number(cells, "length_m", 0.01, 20), "awg": _awg(cells),
    }  # fmt: skip


def write_shelf(rows: Iterable[ShelfRow]) -> str:
    """Return the table of `rows`, in the form `read_shelf` reads."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in rows:
        cells = {**row.values, "what": row.what, "name": row.name}
        if row.what == "board":
            cells["kind"] = cells.pop("board")
        writer.writerow([_cell(cells.get(c)) for c in COLUMNS])
    return out.getvalue()


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (list, tuple)):
        return " ".join(map(str, value))
    # As short as it can be said, and no digit lost.
    text = f"{value:g}" if isinstance(value, float) and float(f"{value:g}") == value else str(value)
    if isinstance(value, float) and _GROUPED.fullmatch(text):
        text += "0"  # three digits behind a point could be a thousand: see _GROUPED
    return f"'{text}" if _RUNS.match(text) else text
