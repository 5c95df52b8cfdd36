"""Texts from outside are shown, never obeyed; any bytes are a name that can be shown and turned back."""

from __future__ import annotations

import unicodedata

from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import MissingError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.settings.diff import MarkedLine, hide
from mintseed.core.visible import name_bytes, one_line, spell_name, visible

NASTY = "a\x1b]0;owned\x07b\u202ec\u200bd\x9be\ud800f\rg"
"""Sets a terminal's title (ECMA-48 OSC), turns the reading direction (UAX #9), hides, starts a C1 sequence."""


def obeyed(text: str) -> bool:
    """Whether anything in `text` would be obeyed: by the categories of the Unicode Character Database."""
    return any(unicodedata.category(c) in ("Cc", "Cs") or unicodedata.bidirectional(c) in ("LRE", "RLE", "LRO", "RLO", "PDF", "LRI", "RLI", "FSI", "PDI")
               for c in text)  # fmt: skip


def test_what_a_terminal_would_obey_is_written_out() -> None:
    assert visible(NASTY) == r"a\x1b]0;owned\x07b\u202ec\u200bd\x9be\ud800f\x0dg"
    assert visible("two\nlines\tand ü, 漢, 🌊") == "two\nlines\tand ü, 漢, 🌊"
    assert one_line("two\nlines\t") == r"two\x0alines\x09"


@given(st.text())
def test_nothing_obeyed_is_left(text: str) -> None:
    assert not obeyed(one_line(text))
    one_line(text).encode()


def test_findings_errors_and_lines_of_files_are_fit_to_be_shown() -> None:
    finding = Finding("x.y", Severity.NOTE, NASTY, NASTY, NASTY, Where(file=NASTY, part=NASTY))
    for text in (finding.title, finding.detail, finding.fix, finding.where.file, finding.where.part):
        assert not obeyed(text)
    assert not obeyed(MissingError(NASTY, expected=NASTY, where=NASTY, next_step=NASTY).sentence())
    assert not obeyed(hide([MarkedLine("same", 1, NASTY)], ["secret"])[0].text)


@given(st.binary(max_size=60))
def test_any_name_is_spelled_so_that_it_can_be_shown_and_turned_back(name: bytes) -> None:
    spelled = spell_name(name)
    assert name_bytes(spelled) == name
    assert not obeyed(spelled)
    spelled.encode()


def test_ordinary_names_are_spelled_as_they_are() -> None:
    for name in ("read me (1).txt", "a&b.txt", "für.txt", "board#2.dtb", "漢.img"):
        assert spell_name(name.encode()) == name
    assert spell_name(b"a\xff.img") == r"a\xff.img" != spell_name(rb"a\xff.img")


def test_a_finding_is_of_bounded_length_whatever_it_quotes() -> None:
    found = Finding("x.y", Severity.NOTE, "t" * 300, "d" * 4001, "\x1b" * 3999)
    assert found.title == "t" * 300
    assert found.detail == "d" * 3999 + "…"
    assert len(found.fix) == 4000
    assert found.fix.endswith("…")
