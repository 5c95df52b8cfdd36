"""Keyboard layouts against Debian's own list (package xkb-data, rules/base.lst, section layout)."""

from __future__ import annotations

from pathlib import Path

import pytest

from mintseed.core.findings import Severity
from mintseed.core.settings.values import check_keyboard
from mintseed.core.site.keyboards import KEYBOARDS, MISTAKEN

LISTED = Path("/usr/share/X11/xkb/rules/base.lst")


def layouts_listed() -> dict[str, str]:
    found, inside = {}, False
    for line in LISTED.read_text().splitlines():
        if line.startswith("!"):
            inside = line.startswith("! layout")
        elif inside and line.strip():
            code, name = line.split(None, 1)
            found[code] = name.strip()
    return found


def test_every_layout_of_xkeyboard_config_is_taken_and_no_other() -> None:
    listed = layouts_listed()
    del listed["custom"]  # a placeholder for a file of one's own, which no image has
    assert listed == KEYBOARDS


@pytest.mark.parametrize("layout", ["gb", "us", "de", "latam"])
def test_a_layout_that_exists_passes(layout: str) -> None:
    assert list(check_keyboard(layout)) == []


@pytest.mark.parametrize(("layout", "meant"), [("uk", "gb"), ("GB", "gb"), ("en", "us"), ("sv", "se")])
def test_a_mistaken_code_is_stopped_and_the_one_it_means_is_offered(layout: str, meant: str) -> None:
    (finding,) = check_keyboard(layout)
    assert finding.severity is Severity.STOP
    assert finding.action is not None
    assert finding.action.value == meant


@pytest.mark.parametrize("layout", ["", "qwerty", "gb us", "gb\n", "xx"])
def test_what_is_no_layout_is_stopped(layout: str) -> None:
    (finding,) = check_keyboard(layout)
    assert (finding.severity, finding.action) == (Severity.STOP, None)


def test_mistaken_codes_are_none_themselves_and_mean_real_ones() -> None:
    assert not set(MISTAKEN) & set(KEYBOARDS)
    assert set(MISTAKEN.values()) <= set(KEYBOARDS)
