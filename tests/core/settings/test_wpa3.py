"""Networks that take WPA3 alone: the passphrase goes into files whose reader takes it, as it was typed; others say so.

Judges: wpa_supplicant 2.10, nmcli --offline; iwd's escapes by iwd.network(5). IEEE 802.11-2020 §12.4: SAE works from the passphrase.
"""

from __future__ import annotations

import configparser
import re
from pathlib import Path

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import WIFI_DIALECTS, FileToFill
from mintseed.core.settings.dialects import iwd, keyfile, netplan, wpa_supplicant
from mintseed.core.settings.dialects.keyfile_fields import escaped, unescaped
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import fill_files
from mintseed.core.settings.values import check_values
from tests.builders import readers
from tests.builders.judges import JUDGES
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

ODD = (
    "spring tide at noon",
    'he said "tide"',
    "a#b c#d e",
    "back\\slash\\",
    " led by a blank",
    "ends in one ",
    "semi;colon,s",
    "[brackets] = x",
)
PRINTABLE = st.text(st.characters(min_codepoint=32, max_codepoint=126), min_size=8, max_size=63)


def a_file(dialect: str, **more: object) -> FileToFill:
    return FileToFill.model_validate({"path": "f", "dialect": dialect, "title": "", "when": "wifi", **more})


@pytest.mark.parametrize(
    "before",
    [
        "",
        'network={\n  ssid="x"\n  psk="an old one of it"\n  key_mgmt=WPA-PSK\n  ieee80211w=1\n}\n',
        '#network={\n#  ssid=""\n#  psk=""\n#}\n',
    ],
)
@pytest.mark.parametrize("phrase", ODD)
def test_the_supplicant_joins_with_it(before: str, phrase: str, tmp_path: Path) -> None:
    after = wpa_supplicant.apply(before, a_file("wpa-supplicant"), values(wpa3_only=True, passphrase=phrase))
    assert JUDGES["wpa-supplicant"].takes(after.encode(), tmp_path), after
    (tmp_path / "f").write_text(after)
    said = readers.wpa_supplicant(tmp_path / "f", shown=True).output
    dump = said.split("sae_password - hexdump_ascii", 1)[1].split("Priority group")[0].split("\n")[1:]
    rows = [re.match(r"     ((?:[0-9a-f]{2} ){1,16})", line) for line in dump]
    assert bytes.fromhex("".join(row[1] for row in rows if row)) == phrase.encode()
    assert "\n  psk=" not in after
    assert verdict(wpa_supplicant.check(after, "f")) in (Severity.OK, Severity.NOTE)
    assert "with its passphrase" in wpa_supplicant.means(after, "f").sentence()
    assert wpa_supplicant.apply(after, a_file("wpa-supplicant"), values(wpa3_only=True, passphrase=phrase)) == after


@pytest.mark.parametrize("phrase", ODD)
def test_the_network_manager_joins_with_it(phrase: str, tmp_path: Path) -> None:
    before = "[connection]\ntype=wifi\nid=x\n\n[wifi]\nssid=x\n\n[wifi-security]\nkey-mgmt=wpa-psk\npmf=1\npsk=an old one of it\n"
    after = keyfile.apply(before, a_file("keyfile"), values(wpa3_only=True, passphrase=phrase))
    assert JUDGES["keyfile"].takes(after.encode(), tmp_path), after
    said = readers.nmcli(after).output
    read = configparser.RawConfigParser(delimiters=("=",), strict=False, comment_prefixes=("#",))
    read.read_string(said)
    assert (read["wifi-security"]["key-mgmt"], "pmf" in read["wifi-security"]) == ("sae", False)
    assert f"\npsk={escaped(phrase)}\n" in said, "it reads it and writes it the same"
    assert verdict(keyfile.check(after, "f")) is not Severity.STOP


@given(PRINTABLE)
@settings(max_examples=60)
def test_what_is_escaped_is_read_as_it_was_typed(phrase: str) -> None:
    assert unescaped(escaped(phrase).lstrip(" ")) == phrase
    after = iwd.apply("", a_file("iwd", path="={wifi_name_hex}.psk"), values(wpa3_only=True, passphrase=phrase))
    assert after == f"[Security]\nPassphrase={escaped(phrase)}\n"


def test_a_key_that_is_one_of_wpa2_is_no_passphrase() -> None:
    def told(**what: object) -> set[str]:
        return {f.code for f in check_values(values(**what), default_host_name="platen", names_taken=frozenset())}

    assert "wifi.wpa3-key" in told(wpa3_only=True, passphrase="ab" * 32)
    assert "wifi.wpa3-key" not in told(passphrase="ab" * 32)
    assert not [c for c in told(wpa3_only=True) if "wpa3" in c]


@pytest.mark.parametrize("dialect", WIFI_DIALECTS)
def test_a_file_that_cannot_say_it_stops_with_its_reason_and_the_others_say_what_stands_in_clear(dialect: str) -> None:
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (a_file(dialect, path="f", absent="make"),)})
    [filled] = fill_files(recipe, values(wpa3_only=True), holding({}))
    told = {f.code: f.severity for f in filled.findings}
    if WIFI_DIALECTS[dialect]:  # type: ignore[index]
        assert told["settings.passphrase-in-clear"] is Severity.NOTE
        assert Severity.STOP not in told.values()
        assert "spring tide" not in "".join(line.text for line in filled.lines)
        assert b"spring tide at noon" in filled.content
    else:
        assert told == {"wifi.wpa3-only": Severity.STOP}
        assert b"spring tide" not in filled.content
    assert dialect in DIALECTS


def test_templates_with_a_derived_key_stop_and_those_with_the_passphrase_do_not() -> None:
    def told(template: str) -> set[str]:
        file = a_file("key-value", values={"K": template}, absent="make")
        recipe = wiring.recipes()["platen"].model_copy(update={"files": (file,)})
        return {f.code for f in fill_files(recipe, values(wpa3_only=True), holding({}))[0].findings}

    assert "wifi.wpa3-only" in told("{wifi_key}")
    assert told("{wifi_passphrase}") >= {"settings.passphrase-in-clear"}
    assert "wifi.wpa3-only" not in told("{wifi_passphrase}") | told("{host_name}")


def test_protected_frames_are_asked_about_where_the_kind_of_key_does_not_demand_them() -> None:
    text = 'country=GB\nnetwork={\n  ssid="x"\n  ieee80211w=2\n  key_mgmt=%s\n  psk="spring tide"\n}\n'
    assert "wifi.frames-protected" in {f.code for f in wpa_supplicant.check(text % "WPA-PSK", "f")}
    assert "wifi.frames-protected" in {f.code for f in wpa_supplicant.check(text % "WPA-PSK SAE", "f")}
    assert "wifi.frames-protected" not in {f.code for f in wpa_supplicant.check(text % "SAE", "f")}
    keys = "[connection]\nid=x\ntype=wifi\n[wifi]\nssid=x\n[wifi-security]\npmf=3\nkey-mgmt=%s\npsk=spring tide\n"
    assert "keyfile.frames-protected" in {f.code for f in keyfile.check(keys % "wpa-psk", "f")}
    assert "keyfile.frames-protected" not in {f.code for f in keyfile.check(keys % "sae", "f")}


@pytest.mark.parametrize("phrase", ODD)
@pytest.mark.parametrize(
    "before",
    [
        "",
        "network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      access-points:\n        other:\n          password: an old one of it\n",
        "network:\n  version: 2\n  wifis:\n    wlan0:\n      access-points:\n        \"Quay House 2G\":\n          auth:\n            key-management: psk\n            password: old words\n",
    ],
)  # fmt: skip
def test_netplan_is_told_in_its_own_words(before: str, phrase: str) -> None:
    """Form: netplan-yaml(5), access-points, auth: key-management sae and password. Releases before 0.107 refuse it, and a check says so."""
    file, wanted = a_file("netplan"), values(wpa3_only=True, passphrase=phrase)
    after = netplan.apply(before, file, wanted)
    point = yaml.safe_load(after)["network"]["wifis"]["wlan0"]["access-points"]
    assert point == {"Quay House 2G": {"auth": {"key-management": "sae", "password": phrase}}}
    assert [(f.code, f.severity) for f in netplan.check(after, "f")] == [("netplan.value", Severity.CHECK)]
    assert netplan.apply(after, file, wanted) == after
    back = yaml.safe_load(netplan.apply(after, file, values()))["network"]["wifis"]["wlan0"]["access-points"]
    assert back == {"Quay House 2G": {"password": values().key}}
