"""A filled file differs from the image's own in the lines that had to change and in no other byte."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.limits import MAX_SETTINGS_LINES
from mintseed.core.settings.dialects import key_value
from mintseed.core.settings.fill import FilledFile, fill_files
from mintseed.core.settings.text import split, with_text
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

RECIPE = wiring.recipes()["platen"]
NETWORK = b'country=ZZ\nnetwork={\n    ssid="x"\n    psk="old passphrase"\n}\n'


def filled(device: bytes, recipe: str = "platen", **changes: object) -> FilledFile:
    wanted = wiring.recipes()[recipe]
    files = fill_files(
        wanted, values(**changes), holding({f.path: device for f in wanted.files if f.dialect == "key-value"})
    )
    return next(f for f in files if f.dialect == "key-value")


def test_line_ends_and_encoding_stay_as_they_came() -> None:
    # "Gerät" in Latin-1, CR LF, no line end at the last line.
    before = "# Ger\xe4t im Flur\r\nHOST_NAME=platen\r\nPAPER=A4\nLAST=1".encode("latin-1")
    after = filled(before, host_name="press").content
    wanted = before.replace(b"HOST_NAME=platen\r\n", b"HOST_NAME=press\r\n")
    kept = after[: len(wanted)]
    assert kept == wanted
    assert after[len(wanted) :].startswith((b"\r\n", b"\n"))
    assert "utf-8" not in {f.detail for f in filled(before).findings}


def test_a_file_that_says_it_already_comes_back_byte_for_byte() -> None:
    v = values()
    before = f"HOST_NAME={v.host_name}\r\nTIME_ZONE={v.time_zone}\nKEYBOARD={v.keyboard}\r\n".encode()
    one = filled(before)
    assert one.content == before
    assert one.changed_lines == 0


def test_what_a_shell_reads_gets_unix_ends(tmp_path: Path) -> None:
    one = filled(b"NAME='lintel'\r\nZONE='UTC'\r\n", "lintel", host_name="hub")
    assert b"\r" not in one.content
    path = tmp_path / "device.conf"
    path.write_bytes(one.content)
    # sh(1) itself, with one more sign behind the value so that a carriage return would show.
    said = subprocess.run(
        ["/bin/sh", "-c", f'. {path}; printf "%s|" "$NAME"'], capture_output=True, text=True, check=True
    ).stdout
    assert said == "hub|"


@given(st.binary(max_size=300))
def test_any_bytes_come_back_unless_no_reader_takes_them(data: bytes) -> None:
    read = split(data)
    back = with_text(read, read.text, unix_ends=False).encoded()
    if not data.startswith((b"\xff\xfe", b"\xfe\xff", b"\xef\xbb\xbf")) and b"\r" not in data.replace(b"\r\n", b""):
        assert back == data


SHELL = next(f for f in wiring.recipes()["lintel"].files if f.quoting == "shell")
PLAIN = next(f for f in RECIPE.files if f.dialect == "key-value")


@pytest.mark.parametrize(
    "value",
    [
        "plain",
        "'two words'",
        "two words",
        "'open",
        '"$HOME"',
        "'$HOME'",
        "a;b",
        "`id`",
        "'it'\\''s'",
        "a#b",
        "a #b",
        '"x"',
        "",
    ],
)
def test_shell_values_are_judged_as_the_shell_reads_them(value: str) -> None:
    text = f"NAME={value}\n"
    stop = any(f.severity == "stop" for f in key_value.check(text, "f", SHELL))
    # Source: sh(1) itself; meant is what a reader that unquotes and does nothing else would take.
    done = subprocess.run(
        ["/bin/sh", "-uc", f'{text}printf "%s" "$NAME"'],
        capture_output=True,
        text=True,
        check=False,
        env={"HOME": "/h", "PATH": ""},
    )
    plain = {
        "plain": "plain",
        "'two words'": "two words",
        "'$HOME'": "$HOME",
        "'it'\\''s'": "it's",
        "a#b": "a#b",
        "a #b": "a",
        '"x"': "x",
        "": "",
    }
    meant = done.returncode == 0 and not done.stderr and done.stdout == plain.get(value)
    assert stop is not meant, (value, done)


def test_the_same_quotes_are_letters_where_the_recipe_says_so() -> None:
    assert [f.code for f in key_value.check("A='x'\n", "f", PLAIN)] == ["key-value.quotes"]
    assert list(key_value.check("A='x'\n", "f", SHELL)) == []
    assert list(key_value.check("A='x'\n", "f")) == []


@pytest.mark.parametrize("line", [b"A=1", b"# a remark", b""])
def test_a_huge_file_of_one_line_over_and_over_is_filled_at_its_two_places(line: bytes) -> None:
    # As long as a settings file may be: comparing like lines takes a walk along both, not the square of them.
    half = (line + b"\r\n") * (MAX_SETTINGS_LINES // 2 - 2)
    before = b"HOST_NAME=platen\n" + half + b"TIME_ZONE=UTC\r\n" + half
    one, v = filled(before, host_name="press"), values()
    said = f"TIME_ZONE={v.time_zone}\r\n".encode(), f"KEYBOARD={v.keyboard}\r\n".encode()
    assert one.content == b"HOST_NAME=press\n" + half + said[0] + half + said[1]
    assert one.changed_lines == 3


@given(st.lists(st.sampled_from("abc"), max_size=12), st.lists(st.sampled_from("abc"), max_size=12))
def test_a_walk_along_two_texts_tells_how_one_becomes_the_other(old: list[str], new: list[str]) -> None:
    from mintseed.core.settings.text import _walked

    made: list[str] = []
    at = 0
    for tag, i1, i2, j1, j2 in _walked(old, new):
        assert (i1, j1) == (at, len(made))
        assert tag != "equal" or old[i1:i2] == new[j1:j2]
        at, made = i2, made + new[j1:j2]
    assert (at, made) == (len(old), new)
