"""Where characters sit, against libxkbcommon and xkeyboard-config; layouts everybody knows as common practice."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.settings.accounts import check_typed_blind
from mintseed.core.site import key_places
from mintseed.core.site.key_places import PRINTABLE, moved
from mintseed.core.site.keyboards import KEYBOARDS
from tests.builders import xkb


@pytest.mark.skipif(shutil.which("xkbcli") is None, reason="xkbcli of libxkbcommon-tools is not here")
def test_the_table_is_what_the_library_lays_out() -> None:
    assert Path(key_places.__file__).with_name("key_places.txt").read_text() == xkb.table()


def told(one: str, other: str) -> str:
    return "".join(PRINTABLE[n - 1] for n in moved(PRINTABLE, one, other))


def test_what_sits_elsewhere() -> None:
    assert told("us", "gb") == '"#@\\|~'  # common practice: quote and at are exchanged, pound takes the hash's key
    assert {"y", "z", "Y", "Z"} <= set(told("us", "de"))
    assert {"a", "q", "z", "w", "m"} <= set(told("us", "fr"))
    assert set("abc") <= set(told("us", "ru")), "letters that are not there at all"
    assert told("us", "us") == told("us", "nowhere") == ""
    assert moved("zebra", "us", "de") == (1,)
    assert moved("é", "us", "fr") == (), "what nobody can say anything of"
    assert all(moved(PRINTABLE, layout, layout) == () for layout in KEYBOARDS)


def test_a_password_typed_on_the_images_own_layout_is_told_without_being_shown() -> None:
    [found] = check_typed_blind("zebra #1 quay", "us", "gb")
    assert (found.code, found.severity) == ("settings.admin-password-moves", Severity.CHECK)
    assert "7" in found.title + found.detail
    assert "#" not in found.title + found.detail + found.fix
    assert list(check_typed_blind("zebra quay", "us", "gb")) == []
    assert list(check_typed_blind("zebra #1 quay", "gb", "gb")) == []
    assert list(check_typed_blind("zebra #1 quay", "", "gb")) == [], "the image does not say which layout it has"


@pytest.mark.parametrize(("password", "title"), [
    ("quay #", "Character 6 of the password sits elsewhere on its console"),
    ("#a#", "Characters 1 and 3 of the password sit elsewhere on its console"),
    ("##a#", "Characters 1, 2 and 4 of the password sit elsewhere on its console"),
])  # fmt: skip
def test_where_in_a_password_the_signs_are_that_move(password: str, title: str) -> None:
    assert list(check_typed_blind(password, "us", "gb")) == [
        Finding("settings.admin-password-moves", Severity.CHECK, title,
                "The image has the layout us, and yours is gb; what is filled here does not change that. Over the network nothing moves.",
                "Choose a password of letters that stay where they are, or set the keyboard of the device first.", Where(field="admin_password"),
                "xkeyboard-config"),
    ]  # fmt: skip
