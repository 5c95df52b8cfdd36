"""What is proposed for a place, and what a join code says."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import InputError
from mintseed.core.site.join_code import JoinCode, join_code, read_join_code
from mintseed.core.site.proposal import MachineFacts, WifiHere, proposals

FRESH = {"country": "", "time_zone": "UTC", "keyboard": "us"}
FACTS = MachineFacts(
    "Europe/London",
    "gb",
    "en_GB.UTF-8",
    ("127.0.0.1/8", "192.168.4.17/24", "203.0.113.5/24", "10.1.2.3/8"),
    WifiHere("Home 5", 5.0),
)


def told(
    facts: MachineFacts = FACTS, networks: tuple[str, ...] = (), wifi: tuple[str, ...] = (), **chosen: str
) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for p in proposals(facts, networks=networks, wifi=wifi, **{**FRESH, **chosen}):
        found.setdefault(p.field, []).append(p.value)
    return found


def test_a_fresh_place_is_proposed_what_the_machine_has() -> None:
    assert told() == {
        "country": ["GB"], "time_zone": ["Europe/London"], "keyboard": ["gb"], "locale": ["en_GB.UTF-8"],
        "networks": ["192.168.4.0/24", "10.1.2.0/24"], "wifi": ["Home 5"],
    }  # fmt: skip


def test_what_somebody_chose_is_left_alone() -> None:
    assert (
        told(
            country="DE",
            time_zone="Europe/Berlin",
            keyboard="de",
            locale="de_DE.UTF-8",
            networks=("10.0.0.0/24",),
            wifi=("Mine",),
        )
        == {}
    )


def test_what_nobody_can_use_is_not_proposed() -> None:
    odd = MachineFacts(
        "No/Where", "zz", "C.UTF-8", ("not an address", "8.8.8.8/24", "192.168.0.1/32"), WifiHere("", 2.4)
    )
    assert told(odd) == {}
    assert told(MachineFacts()) == {}
    assert told(MachineFacts(time_zone="UTC", keyboard="us")) == {}, "that is what a place has anyway"


# Source: "Wi-Fi Network config" in the open description of barcode contents; WPA3 specification §7.
@pytest.mark.parametrize(
    ("code", "said"),
    [
        ("WIFI:T:WPA;S:mynetwork;P:mypass12;;", JoinCode("mynetwork", "mypass12")),
        (
            'WIFI:S:Quay House 2G;T:WPA;P:a\\;b\\:c\\\\d\\,e\\"f;H:true;;',
            JoinCode("Quay House 2G", 'a;b:c\\d,e"f', True),
        ),
        ("wifi:S:open;T:nopass;;", JoinCode("open")),
        ("WIFI:T:WPA;R:1;S:new;P:word word;;", JoinCode("new", "word word", wpa3_only=True)),
        ('WIFI:S:"ABCD";T:WPA;P:"12345678";;', JoinCode("ABCD", "12345678")),
        (" WIFI:P:12345678;S:Caf\u00e9;;\n", JoinCode("Caf\u00e9", "12345678")),
    ],
)
def test_a_join_code_says_what_the_phone_would_join(code: str, said: JoinCode) -> None:
    assert read_join_code(code) == said


@pytest.mark.parametrize(
    "code",
    [
        "",
        "WIFI:",
        "WIFI:T:WPA;P:x;;",
        "http://example.org",
        "WIFI:S:x;T:WEP;P:12345;;",
        "WIFI:T:WPA2-EAP;S:x;E:PEAP;I:me;P:y;;",
    ],
)
def test_what_is_no_join_code_or_of_no_use_is_refused(code: str) -> None:
    with pytest.raises(InputError):
        read_join_code(code)


def escaped(text: str) -> str:
    return "".join(f"\\{c}" if c in '\\;,:"' else c for c in text)


@given(
    st.text(min_size=1, max_size=32).filter(lambda s: s[:1] != '"'),
    st.text(min_size=8, max_size=63).filter(lambda s: s[:1] != '"'),
)
def test_every_name_and_passphrase_survives(ssid: str, word: str) -> None:
    if "\n" in ssid + word or ssid != ssid.strip():
        return
    assert read_join_code(f"WIFI:T:WPA;S:{escaped(ssid)};P:{escaped(word)};;") == JoinCode(ssid, word)


@given(
    st.text(st.characters(min_codepoint=32, max_codepoint=0x2FF), min_size=1, max_size=32),
    st.text(st.characters(min_codepoint=32, max_codepoint=126), min_size=8, max_size=63),
    st.booleans(),
    st.booleans(),
)
def test_a_code_for_guests_is_read_as_what_it_was_made_of(ssid: str, word: str, hidden: bool, wpa3: bool) -> None:
    made = JoinCode(ssid, word, hidden, wpa3)
    assert read_join_code(join_code(made)) == made


def test_a_code_for_guests_is_written_as_the_description_has_it() -> None:
    assert join_code(JoinCode("mynetwork", "mypass12")) == "WIFI:S:mynetwork;T:WPA;P:mypass12;;"
    assert join_code(JoinCode("ABCD", 'a;b"c\\d12', True)) == 'WIFI:S:"ABCD";T:WPA;P:a\\;b\\"c\\\\d12;H:true;;'
    assert join_code(JoinCode('"mine"', "mypass12", wpa3_only=True)) == 'WIFI:S:\\"mine\\";T:WPA;P:mypass12;R:1;;'
