"""What a place's scheme calls its devices, and which channels its country lets them hear. Judges: RFC 1123, and the wireless regulatory database."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import InputError
from mintseed.core.findings import Severity
from mintseed.core.site import channels
from mintseed.core.site.channels import CHANNELS, channels_of, check_channel
from mintseed.core.site.names import check_scheme, host_name_of, name_by_scheme, scheme_finding
from tests.builders import regdb
from tests.builders.debian import fetched, tools


def named(scheme: str, *taken: str, **words: str) -> str:
    said = {"place": "Quay House", "appliance": "platen", "name": "Print corner", "board": "tern-2"} | words
    return name_by_scheme(scheme, **said, taken=frozenset(taken))


def test_the_scheme_names_and_numbers() -> None:
    assert named("{place}-{name}-{n}") == "quay-house-print-corner-1"
    assert named("{appliance}{nn}", "platen01", "platen02") == "platen03"
    assert named("{appliance}-{n}", "platen-1", "platen-3") == "platen-2", "the lowest that nobody has"
    assert named("{appliance}", "platen") == "platen", "whoever asks puts a number behind it"
    assert named("{board}-{n}", board="") == "1"
    assert named("{board}-{n}") == "tern-2-1"
    assert named("{nowhere}{name}") == "print-corner", "a word of a later version"
    assert named("{n}", name="") == "1"
    assert named("-{n}-", "1", "2") == "3"
    assert named("{name}", name="Café Größe, 2nd floor") == "cafe-groe-2nd-floor"
    assert named("{name}", name="лодка") == ""


@given(st.text(max_size=80))
def test_every_name_it_makes_is_one(text: str) -> None:
    """Source: RFC 1123 §2.1, RFC 1035 §2.3.4."""
    made = host_name_of(text)
    assert made == "" or re.fullmatch(r"(?!-)[a-z0-9-]{1,63}(?<!-)", made)


def test_a_scheme_is_kept_as_it_works_or_refused_by_its_word() -> None:
    assert check_scheme("  {Place}-{N} ") == "{place}-{n}"
    assert check_scheme("") == ""
    for wrong, word in (("{street}", "street"), ("{place}_{n}", "'_'"), ("{name}.{n}", "'.'"), ("x" * 61, "61")):
        with pytest.raises(InputError, match=re.escape(word)):
            check_scheme(wrong)
    assert [f.severity for f in scheme_finding("{place}")] == [Severity.NOTE]
    assert not list(scheme_finding("{place}-{n}"))
    assert not list(scheme_finding(""))


def test_the_table_of_channels_is_what_the_regulatory_database_says() -> None:
    """To the letter for the release it was made from; Debian brings newer ones, which change a country or two at a time."""
    (package,) = fetched(("wireless-regdb",))
    data = (tools("wireless-regdb", ("wireless-regdb",)) / "lib/firmware/regulatory.db-debian").read_bytes()
    made, kept = regdb.table(data), Path(channels.__file__).with_name("channels.txt").read_text()
    how = "made anew: python -m tests.builders.regdb"
    if channels.SOURCE.split()[1] == package.name.split("_")[1].split("-")[0]:
        assert made == kept, how
    changed = set(made.splitlines()) ^ set(kept.splitlines())
    assert len(changed) <= len(kept.splitlines()) // 20, how


@pytest.mark.parametrize(
    ("country", "hears", "never"),
    [("GB", {1, 12, 13, 36, 100}, {14}), ("US", {1, 11, 36, 149}, {12, 13, 14}), ("JP", {13, 14, 36}, {149})],
)  # fmt: skip
def test_channels_everybody_knows(country: str, hears: set[int], never: set[int]) -> None:
    """Common practice: 12 and 13 are not heard in the US, 14 in Japan alone."""
    allowed = channels_of(country)
    assert allowed is not None
    assert hears <= allowed
    assert not never & allowed


@pytest.mark.parametrize(
    ("channel", "band", "country", "code"),
    [
        (6, 2.4, "US", ""), (13, 2.4, "GB", ""), (13, 2.4, "US", "wifi.channel-country"), (13, 2.4, "", ""), (13, 2.4, "XX", ""), (36, 5, "GB", ""),
        (36, 2.4, "GB", "wifi.channel-band"), (6, 5, "GB", "wifi.channel-band"), (37, 5, "GB", "wifi.channel-band"), (14, 2.4, "JP", ""), (165, 5, "JP", "wifi.channel-country"),
    ],
)  # fmt: skip
def test_a_channel_that_would_never_be_heard_is_told(channel: int, band: float, country: str, code: str) -> None:
    assert [f.code for f in check_channel(channel, band, country)] == ([code] if code else [])


def test_the_middles_of_channels() -> None:
    """Source: IEEE 802.11-2020 Annex E, table of the 20 MHz channels."""
    assert (CHANNELS[1], CHANNELS[6], CHANNELS[13], CHANNELS[14], CHANNELS[36], CHANNELS[165]) == (
        2412,
        2437,
        2472,
        2484,
        5180,
        5825,
    )
