"""KEY=value files, against sh(1) where the recipe says the shell reads them."""

from __future__ import annotations

import subprocess

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import key_value
from mintseed.core.settings.dialects.key_value import shell_word
from mintseed.core.settings.fill import check_file
from mintseed.standins.forge.sources import LINTEL_DEVICE, PLATEN_DEVICE
from tests.builders.readers import shell_value
from tests.core.settings.test_values import values

PLAIN = FileToFill(
    path="device.conf", dialect="key-value", title="",
    values={"HOST_NAME": "{host_name}", "TIME_ZONE": "{time_zone}", "KEYBOARD": "{keyboard}", "COUNTRY": "{country}"},
)  # fmt: skip
SHELL = FileToFill(
    path="device.conf", dialect="key-value", title="", quoting="shell",
    values={"NAME": "{host_name}", "ACCOUNT": "{admin_name}", "ACCOUNT_HASH": "{admin_hash}"},
)  # fmt: skip


def test_active_commented_and_missing_keys() -> None:
    after = key_value.apply(PLATEN_DEVICE, PLAIN, values())
    assert after == (
        "# Platen: this device. No quotes, no blanks around the equals sign.\nHOST_NAME=press\n# as in Europe/London\n"
        "TIME_ZONE=Europe/London\nKEYBOARD=gb\nPAPER=A4\nCOUNTRY=GB\n"
    )


def test_shell_file_is_read_by_the_shell_as_meant() -> None:
    hashed = "$6$abc$de/f.g"
    after = key_value.apply(LINTEL_DEVICE, SHELL, values(host_name="tide-hub", admin_name="keeper", admin_hash=hashed))
    assert shell_value(after, "NAME") == "tide-hub"
    assert shell_value(after, "ACCOUNT_HASH") == hashed
    assert shell_value(after, "ZONE") == "UTC"


def test_an_empty_account_leaves_the_lines_as_they_were() -> None:
    after = key_value.apply(LINTEL_DEVICE, SHELL, values())
    assert "#ACCOUNT=''" in after


@settings(max_examples=40, deadline=None)
@given(st.text(st.characters(min_codepoint=32, max_codepoint=0x2FF, exclude_categories=("Cc",)), max_size=30))
def test_any_text_survives_shell_quoting(text: str) -> None:
    file = FileToFill(path="f", dialect="key-value", title="", quoting="shell", values={"X": "{admin_hash}"})
    after = key_value.apply("", file, values(admin_hash=text))
    assert shell_value(after, "X") == text


@pytest.mark.parametrize("name", ["with # sign", " blank", "blank "])
def test_what_a_file_without_quotes_cannot_carry_is_refused(name: str) -> None:
    with pytest.raises(SettingsFileError):
        key_value.apply(PLATEN_DEVICE, PLAIN, values(host_name=name))


def test_line_ends_cannot_be_smuggled_in() -> None:
    with pytest.raises(SettingsFileError):
        key_value.apply(LINTEL_DEVICE, SHELL, values(host_name="a\nB=c"))


def test_a_line_that_is_no_setting_is_a_stop_and_a_trailing_blank_a_check() -> None:
    assert verdict(key_value.check("HOST NAME press\n", "f")) is Severity.STOP
    assert verdict(key_value.check("HOST=press \n", "f")) is Severity.CHECK
    assert verdict(key_value.check("# note\n\nHOST=press\n", "f")) is Severity.OK


def by_shell(line: str) -> set[str]:
    return {f.code for f in key_value.check(line + "\n", "f", SHELL) if f.severity is Severity.STOP}


@pytest.mark.parametrize(
    ("line", "code"),
    [
        ("KEY=a#b c", "key-value.words"),  # a # within a word is no comment
        ("KEY=\"it's $HOME isn't\"", "key-value.shell-sign"),
        ("foo.bar=1", "key-value.line"),
        ("KEY=~/x", "key-value.shell-sign"),
        ("KEY=a;b", "key-value.shell-sign"),
        ("KEY='a", "key-value.quote-open"),
        ("KEY=a\\", "key-value.quote-open"),
    ],
)
def test_what_the_shell_takes_otherwise_is_a_stop(line: str, code: str) -> None:
    assert code in by_shell(line)


@pytest.mark.parametrize(
    ("line", "value"),
    [
        ("export KEY=1", "1"), ("KEY=a#b", "a#b"), ("KEY='it costs $5'", "it costs $5"), ("KEY=a # why", "a"), ('KEY="it\'s"', "it's"), ("KEY=5$", "5$"),
        ('KEY="a\\"b"', 'a"b'), ("KEY=", ""), ("KEY='a:~b'", "a:~b"), ("KEY=a~b", "a~b"),
    ],
)  # fmt: skip
def test_what_the_shell_takes_and_means_is_no_stop(line: str, value: str) -> None:
    assert shell_value(line, "KEY") == value  # sh(1)
    assert by_shell(line) == set()


@settings(max_examples=150, deadline=None)
@given(st.text(alphabet="ab \"'#$`\\;~=(&:", max_size=9))
def test_the_shell_is_judged_as_it_judges(value: str) -> None:
    """sh(1), with no program to be found, says whether a line is one assignment and what it assigns."""
    line = f"KEY={value}"
    script = f'{line}\nprintf "%s" "$KEY"'
    done = subprocess.run(
        ["/bin/sh", "-c", script],
        capture_output=True,
        text=True,
        check=False,
        env={"PATH": "/nowhere", "HOME": "/home/x"},
    )
    told = by_shell(line)
    if not told:
        assert (done.returncode, done.stderr, done.stdout) == (0, "", shell_word(value).text)
    if done.returncode or done.stderr:
        assert told, (line, done.stderr)


def test_what_is_read_as_a_shells_is_judged_as_one_though_no_recipe_says_so() -> None:
    found = check_file(b"NAME = 'press'\nON=yes;no\n", "vars", "shell-vars")
    assert [(f.code, f.severity, f.where.line) for f in found] == [
        ("key-value.blank-at-equals", Severity.STOP, 1),
        ("key-value.shell-sign", Severity.STOP, 2),
    ]
    assert check_file(b"NAME = 'press'\nON=yes;no\n", "vars", "key-value") == ()
