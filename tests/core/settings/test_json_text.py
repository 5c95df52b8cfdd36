"""JSON edited in place: what any reader of RFC 8259 reads is the old text with one value changed, and every other letter stays."""

from __future__ import annotations

import copy
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import SettingsFileError
from mintseed.core.settings.json_text import at, pairs, read, set_value

KEYS = st.sampled_from(["wifi", "ssid", "a/b", "ä", '"', ""])
SCALARS = st.none() | st.booleans() | st.integers() | st.text(max_size=5)
OBJECTS = st.recursive(
    SCALARS | st.lists(SCALARS, max_size=3), lambda inner: st.dictionaries(KEYS, inner, max_size=3), max_leaves=8
)


def wanted(value: Any, path: tuple[str, ...], new: object) -> Any:
    """Return what a program would do to the value that was read; None where something else than one value or an object is in the way."""
    if not path:
        return new if not isinstance(value, dict | list) else None
    if not isinstance(value, dict):
        return None
    inner = value.get(path[0], {} if len(path) > 1 else 0)
    changed = wanted(inner, path[1:], new)
    return None if changed is None else {**value, path[0]: changed}


@given(
    st.dictionaries(KEYS, OBJECTS, max_size=3),
    st.lists(KEYS, min_size=1, max_size=3),
    st.text(max_size=5),
    st.sampled_from([None, 1, 4, "\t"]),
)
def test_a_reader_sees_one_value_changed(held: dict[str, Any], path: list[str], new: str, indent: Any) -> None:
    text = json.dumps(held, indent=indent, ensure_ascii=False)
    expected = wanted(copy.deepcopy(held), tuple(path), new)
    try:
        edited = set_value(text, tuple(path), new, place="settings.json")
    except SettingsFileError:
        edited = ""
        assert expected is None
    # A list is passed through by number; such a path is tried below.
    if expected is not None:
        assert json.loads(edited) == expected


@pytest.mark.parametrize(("text", "path", "edited"), [
    ("", ("wifi", "ssid"), '{\n  "wifi": {\n    "ssid": "x"\n  }\n}\n'),
    (" \n", ("ssid",), '{\n  "ssid": "x"\n}\n'),
    ("{}", ("ssid",), '{"ssid": "x"}'),
    ("{ \n }\n", ("ssid",), '{"ssid": "x"}\n'),
    ('{"a": 1}', ("ssid",), '{"a": 1, "ssid": "x"}'),
    ('{ "a": 1 }', ("ssid",), '{ "a": 1, "ssid": "x" }'),
    ('{\n\t"a": 1\n}\n', ("ssid",), '{\n\t"a": 1,\n\t"ssid": "x"\n}\n'),
    ('{\n  "a": {\n    "b": 1\n  }\n}', ("a", "c", "d"), '{\n  "a": {\n    "b": 1,\n    "c": {"d": "x"}\n  }\n}'),
    ('{"a":  "old" , "b": [1, {"c": 2}]}', ("a",), '{"a":  "x" , "b": [1, {"c": 2}]}'),
    ('{"b": [1, {"c": 2}]}', ("b", "1", "c"), '{"b": [1, {"c": "x"}]}'),
    ('{"a": -1.5e+3}', ("a",), '{"a": "x"}'),
    ('"old"', (), '"x"'),
])  # fmt: skip
def test_every_other_letter_stays(text: str, path: tuple[str, ...], edited: str) -> None:
    assert set_value(text, path, "x", place="") == edited


@pytest.mark.parametrize(("text", "path", "found", "expected"), [
    ('{"a": {"b": 1}}', ("a",), "holds more than one value where one belongs", "one value"),
    ('{"a": [1]}', ("a",), "holds more than one value where one belongs", "one value"),
    ('{"a": 1}', ("a", "b"), "holds no keys where b belongs", "an object"),
    ('{"a": [1]}', ("a", "7"), "holds no keys where 7 belongs", "an object"),
])  # fmt: skip
def test_where_one_value_has_no_place(text: str, path: tuple[str, ...], found: str, expected: str) -> None:
    with pytest.raises(SettingsFileError) as raised:
        set_value(text, path, "x", place="settings.json")
    assert (raised.value.found, raised.value.expected, raised.value.where) == (found, expected, "settings.json")


@pytest.mark.parametrize(("text", "where", "expected"), [
    ('{"a": 1} x', "line 1, column 10", "more behind its end"),
    ('{\n  "a": 1,\n}', "line 3, column 1", "no comma behind the last"),
    ("[1,\n]", "line 2, column 1", "no comma behind the last"),
    ('{"a" 1}', "line 1, column 6", "a colon behind the key"),
    ('{a: 1}', "line 1, column 2", "a key in straight quotes, and no comma behind the last"),
    ('{"a": 1 "b": 2}', "line 1, column 9", "a comma, or the closing brace"),
    ("[1 2]", "line 1, column 4", "a comma, or the closing bracket"),
    ('{"a": “x”}', "line 1, column 7", "a value: text in straight quotes, a number, true, false or null"),
    ('{"a": "x', "line 1, column 7", "text that ends in a straight quote"),
    ("[" * 62 + "]" * 62, "line 1, column 62", "at most 60 levels"),
])  # fmt: skip
def test_where_it_is_no_json(text: str, where: str, expected: str) -> None:
    with pytest.raises(SettingsFileError) as raised:
        read(text)
    assert (raised.value.where, raised.value.expected) == (where, expected)


@given(OBJECTS)
def test_all_that_is_json_is_read(value: Any) -> None:
    text = json.dumps(value)
    node = read(f" {text}\n")
    assert (node.start, node.end) == (1, 1 + len(text))


def test_sixty_levels_are_read() -> None:
    assert read("[" * 61 + "]" * 61).items is not None


def test_what_stands_where() -> None:
    node = read('{"a": {"b": [10, "x"], "c": true}, "a": {"b": [20], "c": null}, "d": "text", "e": 1.5}')
    assert [key for key, _ in node.doubled] == ["a"]
    found = at(node, ("a", "b", "0"))
    assert found is not None
    assert found.value == 20
    assert [at(node, p) for p in (("x",), ("a", "b", "1"), ("a", "b", "x"), ("d", "y"), ("x", "y"))] == [None] * 5
    assert at(None, ()) is None
    assert list(pairs(node)) == [("a/c", "null"), ("d", "text"), ("e", "1.5")]
