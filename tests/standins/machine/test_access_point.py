"""The access point's settings, asked of hostapd's own rules where they can be without a radio: wpa_passphrase for the key, its manual for the rest."""

from __future__ import annotations

import pytest

from mintseed.standins.machine.access_point import hostapd_conf


def said(**network: object) -> dict[str, str]:
    text = hostapd_conf({"ssid": "Glasshouse 2G", "passphrase": "kettle on the hob", "band_ghz": 2.4, **network})
    pairs = [line.partition("=") for line in text.splitlines()]
    assert len({key for key, _, _ in pairs}) == len(pairs)
    return {key: value for key, _, value in pairs}


def test_a_name_goes_in_by_its_octets() -> None:
    assert bytes.fromhex(said(ssid='Gewächshaus "2G" \\')["ssid2"]).decode() == 'Gewächshaus "2G" \\'


def test_a_passphrase_stands_as_it_is() -> None:
    assert said(passphrase=" !\"#$%&'()*+,-./0")["wpa_passphrase"] == " !\"#$%&'()*+,-./0"
    assert said(passphrase="a" * 64)["wpa_psk"] == "a" * 64


@pytest.mark.parametrize(
    ("network", "key", "value"),
    [
        ({"hidden": True}, "ignore_broadcast_ssid", "1"),
        ({}, "ignore_broadcast_ssid", "0"),
        ({"wpa3_only": True}, "wpa_key_mgmt", "SAE"),
        ({"wpa3_only": True}, "ieee80211w", "2"),
        ({}, "wpa_key_mgmt", "WPA-PSK"),
        ({"open": True}, "wpa", "0"),
        ({"band_ghz": 5.0}, "hw_mode", "a"),
        ({"channel": 13}, "channel", "13"),
    ],
)
def test_what_is_on_the_air(network: dict[str, object], key: str, value: str) -> None:
    assert said(**network)[key] == value


def test_an_open_one_has_no_word() -> None:
    assert not {"wpa_passphrase", "wpa_psk", "sae_password"} & set(said(open=True))
