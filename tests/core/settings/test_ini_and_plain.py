"""Files of sections, read by Python's own configparser after they are filled, and files of one value."""

from __future__ import annotations

from configparser import ConfigParser

import pytest

from mintseed.core.errors import SettingsFileError
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import ini, plain
from tests.core.settings.test_values import values


def file(dialect: str, **given: str) -> FileToFill:
    return FileToFill.model_validate({"path": "d.conf", "dialect": dialect, "title": "d", "values": given})


def filled(text: str, **given: str) -> str:
    """`given`: place → what is to stand there, as an answer of that person's."""
    answers = {f"a{number}": value for number, value in enumerate(given.values())}
    places = {place: f"{{a{number}}}" for number, place in enumerate(given)}
    return ini.apply(text, file("ini", **places), values(answers=answers))


def read(text: str) -> dict[str, dict[str, str]]:
    parser = ConfigParser(interpolation=None)
    parser.read_string(text)
    return {section: dict(parser[section]) for section in parser.sections()}


def test_every_key_gets_its_value_in_its_section_and_an_empty_one_stops_none() -> None:
    text = filled(
        "[net]\nname=x\n[net.radio]\nname=y\n",
        **{"net/name": "reed", "net/none": "", "net.radio/name": "fen", "late/key": "z"},
    )
    assert read(text) == {"net": {"name": "reed"}, "net.radio": {"name": "fen"}, "late": {"key": "z"}}
    # What stands behind a new line, or behind one that was there, is set as well.
    text = filled("[a]\n", **{"a/one": "1", "a/two": "2", "a/three": "3"})
    assert read(text) == {"a": {"one": "1", "two": "2", "three": "3"}}


def test_a_section_may_have_a_stroke_in_its_name() -> None:
    assert read(filled("[a/b]\nc=1\n", **{"a/b/c": "2"})) == {"a/b": {"c": "2"}}


@pytest.mark.parametrize(("before", "after"), [
    ("[a]\nx = 1\ny = 2\nz=3\n", "[a]\nx = 1\ny = 2\nz=3\nnew = n\n"),
    ("[a]\nx = 1\ny=2\n", "[a]\nx = 1\ny=2\nnew=n\n"),
    ("[a]\nx=1\n# this = that\n# and = those\n", "[a]\nx=1\n# this = that\n# and = those\nnew=n\n"),
    ("[a]\nx = 1\ny=2\nz=3\n", "[a]\nx = 1\ny=2\nz=3\nnew=n\n"),
    ("[a]\n", "[a]\nnew=n\n"),
])  # fmt: skip
def test_a_new_line_is_written_as_most_lines_of_the_file_are(before: str, after: str) -> None:
    assert filled(before, **{"a/new": "n"}) == after


@pytest.mark.parametrize(("before", "after"), [
    ("[a]\nx  :  1\n", "[a]\nx  :  n\n"),
    ("[a]\n x=1\n", "[a]\n x=n\n"),
    ("[a]\nx=1\n  and more\ny=2\n", "[a]\nx=n\ny=2\n"),
    ("[a]\nX=1\nx=2\n", "[a]\nX=n\n"),
])  # fmt: skip
def test_a_line_that_is_there_keeps_its_way(before: str, after: str) -> None:
    assert filled(before, **{"a/x": "n"}) == after


@pytest.mark.parametrize("wrong", ["two\nlines", "two\rlines", " before", "behind "])
def test_what_no_line_can_carry_is_refused(wrong: str) -> None:
    with pytest.raises(SettingsFileError) as refused:
        filled("[a]\n", **{"a/x": wrong})
    said = refused.value
    assert (said.found, said.expected, said.where, said.next_step) == (
        "a value holds a line end or a blank at its end",
        "one line",
        "d.conf",
        "Choose another value.",
    )


def test_a_file_of_one_value_gets_it_and_keeps_its_remarks() -> None:
    one = file("plain", value="{host_name}")
    assert plain.apply("# who\nold\n  # am I\nolder\n", one, values(host_name="reed")) == "# who\n  # am I\nreed\n"
    assert plain.apply("old\n", file("plain", value="{pin}"), values(answers={"pin": ""})) == "old\n"


@pytest.mark.parametrize("wrong", ["two\nlines", "two\rlines"])
def test_one_value_is_one_line(wrong: str) -> None:
    with pytest.raises(SettingsFileError) as refused:
        plain.apply("", file("plain", value="{pin}"), values(answers={"pin": wrong}))
    said = refused.value
    assert (said.found, said.expected, said.where) == ("a value holds a line end", "one line", "d.conf")
    with pytest.raises(SettingsFileError) as refused:
        plain.apply("", file("plain"), values())
    said = refused.value
    assert (said.found, said.expected, said.where) == ("its recipe names no value", "values: {value: ...}", "d.conf")
