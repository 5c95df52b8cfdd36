"""What is told as one line, and what never is."""

from __future__ import annotations

from mintseed.core.keep.story import folded


def told(text: str) -> list[str]:
    """Lines as letters: capitals are of a device and stand alone."""
    return ["".join(t.lines) for t in folded(text, lambda c: None if c.isupper() else c)]


def test_a_row_of_one_kind_is_one_line_and_keeps_its_order() -> None:
    assert told("aaab") == ["aaa", "b"]
    assert told("aabb") == ["a", "a", "b", "b"]
    assert told("") == []


def test_what_is_a_devices_is_never_folded_and_parts_what_is_around_it() -> None:
    assert told("AAAA") == ["A"] * 4
    assert told("aaAaa") == ["a", "a", "A", "a", "a"]
    assert told("aaaaAaaa") == ["aaaa", "A", "aaa"]
