"""The keyfile dialect against NetworkManager's own reader."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import keyfile
from mintseed.core.settings.dialects.keyfile_fields import FIELDS, unescaped
from mintseed.core.settings.repair import look_at
from mintseed.core.settings.values import derived_key
from mintseed.standins.forge.sources import LINTEL_NETWORK
from tests.builders.readers import nmcli
from tests.core.settings.test_values import values

FILE = FileToFill(path="settings/wifi.nmconnection", dialect="keyfile", title="Wi-Fi")


def field(output: str, name: str) -> str:
    """Return the value of `name` in a keyfile that nmcli wrote."""
    return next(line.partition("=")[2] for line in output.splitlines() if line.startswith(f"{name}="))


def test_filled_file_is_read_as_meant() -> None:
    judged = nmcli(keyfile.apply(LINTEL_NETWORK, FILE, values()))
    assert judged.accepted, judged.output
    assert field(judged.output, "ssid") == "Quay House 2G"
    assert field(judged.output, "psk") == derived_key("spring tide at noon", "Quay House 2G")
    assert field(judged.output, "key-mgmt") == "wpa-psk"


def test_only_what_must_change_changes() -> None:
    after = keyfile.apply(LINTEL_NETWORK, FILE, values()).split("\n")
    before = LINTEL_NETWORK.split("\n")
    assert len(after) == len(before)
    assert [i for i, (a, b) in enumerate(zip(before, after, strict=True)) if a != b] == [
        before.index("ssid=CHANGE-ME"),
        before.index("psk=CHANGE-ME"),
    ]


def test_missing_sections_are_added_and_hidden_is_said() -> None:
    text = keyfile.apply(
        "[connection]\nid=house\nuuid=4b1f6c1e-7d0a-4f55-9a4b-0c0f5b5e9a21\n", FILE, values(hidden=True)
    )
    judged = nmcli(text)
    assert judged.accepted, judged.output
    assert field(judged.output, "hidden") == "true"
    assert field(judged.output, "type") == "wifi"


printable = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=32).filter(
    lambda s: 1 <= len(s.encode()) <= 32
)


def octets(shown: str) -> bytes:
    """Return the octets of an SSID as nmcli writes it: a list of numbers, or text with GLib's escapes."""
    if shown.endswith(";") and all(part.isdigit() for part in shown[:-1].split(";")):
        return bytes(int(part) for part in shown[:-1].split(";"))
    return shown.replace("\\s", " ").replace("\\\\", "\\").replace("\\;", ";").encode()


@settings(max_examples=25, deadline=None)
@given(ssid=printable)
def test_any_network_name_arrives_as_meant(ssid: str) -> None:
    judged = nmcli(keyfile.apply(LINTEL_NETWORK, FILE, values(ssid=ssid)))
    assert judged.accepted, judged.output
    assert octets(field(judged.output, "ssid")) == ssid.encode()


def test_quotes_become_part_of_the_name_and_are_a_stop() -> None:
    text = LINTEL_NETWORK.replace("ssid=CHANGE-ME", 'ssid="Quay"').replace("psk=CHANGE-ME", "psk=passphrase")
    assert '"Quay"' in nmcli(text).output
    assert verdict(keyfile.check(text, "f")) is Severity.STOP


def test_a_misspelt_section_is_dropped_silently_and_is_a_stop() -> None:
    text = LINTEL_NETWORK.replace("[wifi-security]", "[wifi_security]").replace("psk=CHANGE-ME", "psk=passphrase")
    judged = nmcli(text)
    assert judged.accepted
    assert "psk=" not in judged.output
    assert {f.code for f in keyfile.check(text, "f")} >= {"keyfile.section-unknown", "keyfile.no-security"}


def test_a_short_passphrase_is_taken_and_is_a_stop() -> None:
    text = LINTEL_NETWORK.replace("psk=CHANGE-ME", "psk=short")
    assert nmcli(text).accepted
    assert "wifi.passphrase-length" in {f.code for f in keyfile.check(text, "f")}


@pytest.mark.parametrize("line", ["no equals here", "ssid without section"])
def test_a_line_that_is_no_setting_is_a_stop(line: str) -> None:
    assert verdict(keyfile.check(f"{line}\n[connection]\nid=x\n", "f")) is Severity.STOP


GOOD = f"[connection]\nid=house\ntype=wifi\n\n[wifi]\nssid=home\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk={'a' * 64}\n"


def stopped(text: str) -> set[str]:
    return {f.code for f in keyfile.check(text, "f") if f.severity is Severity.STOP}


@pytest.mark.parametrize(
    "more",
    [
        "[match]\ninterface-name=wlan0\n",
        "[ethtool]\nfeature-gro=true\n",
        "# psk-flags=1\n",
        "",
    ],
)
def test_what_the_reader_takes_and_means_is_no_stop(more: str) -> None:
    assert nmcli(GOOD + more).accepted
    assert stopped(GOOD + more) == set()


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("", "keyfile.empty"),
        ("[connection]\n", "keyfile.empty"),
        (GOOD.replace("ssid=home\n", "mode=infrastructure\n"), "wifi.ssid-missing"),
        (GOOD + "abc\n", "keyfile.line"),
        (GOOD.replace("wpa-psk", "WPA2"), "keyfile.key-management"),
        (GOOD + "[ipv4]\nmethod=auto # by the router\n", "keyfile.comment-behind"),
    ],
)
def test_what_the_reader_refuses_is_a_stop(text: str, code: str) -> None:
    assert not nmcli(text).accepted
    assert code in stopped(text)


@pytest.mark.parametrize(
    ("text", "code"),
    [
        (GOOD + "psk-flags=1\n", "wifi.key-missing"),
        (GOOD.replace(f"psk={'a' * 64}\n", ""), "wifi.key-missing"),
        (GOOD.replace("a" * 64, "a" * 64 + " # mine"), "keyfile.comment-behind"),
        (GOOD.replace("wpa-psk", "none"), "wifi.key-management-other"),
        (GOOD.replace("type=wifi", "type=wifi\nautoconnect=false"), "wifi.disabled"),
        (GOOD.replace("[wifi-security]", "[wifi_security]"), "keyfile.no-security"),
    ],
)
def test_what_it_takes_and_never_joins_with_is_a_stop(text: str, code: str) -> None:
    assert nmcli(text).accepted
    assert code in stopped(text)


def test_the_long_names_of_sections_are_the_short_ones() -> None:
    text = GOOD.replace("[wifi]", "[802-11-wireless]").replace("[wifi-security]", "[802-11-wireless-security]")
    after = keyfile.apply(text, FILE, values())
    assert after.count("ssid=") == 1
    assert "[802-11-wireless]\nssid=Quay House 2G" in after
    assert nmcli(after).accepted
    assert stopped(after) == set()


def test_what_forbids_joining_goes_and_nothing_else() -> None:
    text = (
        GOOD.replace("type=wifi", "type=wifi\nautoconnect=no").replace(
            "ssid=home", "ssid=home\nbssid=02:00:00:00:00:01"
        )
        + "psk-flags=1\n"
    )
    after = keyfile.apply(text, FILE, values())
    gone = {"autoconnect=no", "bssid=02:00:00:00:00:01", "psk-flags=1", "ssid=home", f"psk={'a' * 64}"}
    assert set(text.split("\n")) - set(after.split("\n")) == gone


@pytest.mark.parametrize("name", ["bogus", "key_mgmt", "passphrase"])
def test_a_misspelt_key_is_named(name: str) -> None:
    found = {f.code: f.severity for f in keyfile.check(GOOD + f"{name}=1\n", "f")}
    assert found == {"keyfile.key-unknown": Severity.CHECK}
    assert f"{name}=" not in nmcli(GOOD + f"{name}=1\n").output


def with_value(section: str, key: str, value: str) -> str:
    """Return GOOD with one value in it, in its section."""
    kept = [line for line in GOOD.split("\n") if not line.startswith(f"{key}=")]
    if f"[{section}]" not in kept:
        kept += [f"[{section}]"]
    kept.insert(kept.index(f"[{section}]") + 1, f"{key}={value}")
    return "\n".join(kept) + "\n"


def named(text: str) -> dict[str, Severity]:
    return {f.code: f.severity for f in keyfile.check(text, "f")}


@pytest.mark.parametrize(("section", "key"), FIELDS)
def test_the_table_says_what_the_reader_does(section: str, key: str) -> None:
    """Every row is asked of nmcli(1), both ways."""
    row = FIELDS[section, key]
    right, wrong = nmcli(with_value(section, key, row.right)), nmcli(with_value(section, key, row.wrong))
    assert row.taken(row.right) == "meant"
    assert right.accepted, right.output
    kept = [line for line in right.output.split("\n") if line.startswith(f"{key}=")]
    assert kept or row.right in ("true", "infrastructure"), "a default is not written"
    taken = row.taken(row.wrong)
    assert taken == ("dropped" if wrong.accepted else "refused"), wrong.output
    if taken == "dropped":
        assert f"{key}={row.wrong}" not in wrong.output
        assert named(with_value(section, key, row.wrong))["keyfile.value-dropped"] is Severity.CHECK
    else:
        assert "keyfile.value-refused" in stopped(with_value(section, key, row.wrong))


@pytest.mark.parametrize(
    ("section", "key", "value"),
    [
        ("wifi", "ssid", "a" * 33), ("wifi", "ssid", "é" * 17), ("wifi", "band", "5"), ("wifi", "band", "a "), ("wifi", "mode", "foo"),
        ("wifi", "channel", "6"), ("wifi-security", "pairwise", "aes"), ("wifi-security", "pmf", "9"), ("wifi-security", "proto", "wpa2"),
        ("wifi-security", "auth-alg", "xyz"), ("wifi-security", "auth-alg", "shared"), ("wifi-security", "key-mgmt", "wpa-psk "),
        ("wifi-security", "key-mgmt", "wpa-psk;sae"), ("ipv4", "method", "dhcp"), ("connection", "interface-name", "averyverylongname"),
        ("connection", "permissions", "ann"), ("connection", "uuid", "1"),
    ],
)  # fmt: skip
def test_a_value_the_reader_refuses_is_a_stop(section: str, key: str, value: str) -> None:
    text = with_value(section, key, value)
    assert not nmcli(text).accepted
    assert stopped(text)


@pytest.mark.parametrize(
    ("section", "key", "value"),
    [
        ("wifi-security", "psk", "ab\\cdefgh"),  # dropped: the file has no key then
        ("wifi", "mode", "ap"), ("wifi", "mode", "adhoc"), ("connection", "permissions", "user:ann:;"),
    ],
)  # fmt: skip
def test_a_value_it_takes_and_never_joins_with_is_a_stop(section: str, key: str, value: str) -> None:
    text = with_value(section, key, value)
    assert nmcli(text).accepted
    assert stopped(text)


def test_a_new_kind_of_key_needs_its_key_too() -> None:
    text = GOOD.replace("wpa-psk", "sae").replace(f"psk={'a' * 64}\n", "")
    assert nmcli(text).accepted
    assert "wifi.key-missing" in stopped(text)


@pytest.mark.parametrize(
    ("section", "key", "value", "means"),
    [
        ("connection", "autoconnect", "no", "autoconnect"), ("wifi", "hidden", "yes", "hidden"), ("wifi", "hidden", "TRUE", "hidden"),
    ],
)  # fmt: skip
def test_a_word_that_says_nothing_to_it_is_told_and_stops_nothing(
    section: str, key: str, value: str, means: str
) -> None:
    text = with_value(section, key, value)
    assert f"{means}=" not in nmcli(text).output
    assert named(text) == {"keyfile.value-dropped": Severity.CHECK}


@pytest.mark.parametrize(
    ("section", "key", "value"),
    [
        ("connection", "id", '"house"'), ("wifi-security", "key-mgmt", "WPA-PSK"), ("wifi-security", "psk", "a\\sblank here"),
        ("wifi", "channel", "0"), ("connection", "autoconnect", "1"), ("wifi-security", "pairwise", "ccmp;"), ("wifi-security", "pmf", "2"),
    ],
)  # fmt: skip
def test_what_it_takes_and_means_is_no_stop(section: str, key: str, value: str) -> None:
    text = with_value(section, key, value)
    assert nmcli(text).accepted
    assert named(text) == {}


AWAY = "[connection]\nid=house\ntype=wifi\npermissions=user:ann:;\ninterface-name=wlan9\n\n[wifi]\nssid=home\nmode=ap\nband=a\nchannel=36\nmac-address=02:00:00:00:00:01\n\n[wifi-security]\nkey-mgmt=wpa-psk\npmf=3\nproto=wpa;\npairwise=tkip;\n"


def test_whatever_keeps_the_board_away_goes_when_it_is_filled() -> None:
    after = keyfile.apply(AWAY, FILE, values())
    assert nmcli(after).accepted
    assert named(after) == {}
    for key in ("permissions", "interface-name", "mode", "band", "channel", "mac-address", "pmf", "proto", "pairwise"):
        assert f"{key}=" not in after


@given(st.text(st.characters(exclude_categories=("Cs",)), max_size=40))
def test_escapes_are_read_to_their_end(text: str) -> None:
    told = unescaped(text)
    assert told is None or len(told) <= len(text)
    assert unescaped(text.replace("\\", "\\\\")) == text, "what is escaped comes back"


@pytest.mark.parametrize("head", ["[connection]\nid=home\n", "", "# said\n\n[connection]\nid=home\nautoconnect=true\n"])
def test_that_it_is_for_wifi_is_said_where_it_belongs(head: str) -> None:
    """A file that does not say what it connects: its reader refuses it; mended it has one section of that name, and says so there."""
    spoiled = f"{head}\n[ipv4]\nmethod=auto\n"
    looked = look_at(spoiled.encode(), "wifi.nmconnection", "keyfile", FILE)
    assert "keyfile.no-type" in {f.code for f in looked.findings}
    mended = next(r.content for r in looked.repairs if r.does == "Say that it is for Wi-Fi").decode()
    assert mended.count("[connection]") == 1
    section = mended.partition("[connection]")[2].partition("[ipv4]")[0]
    assert "type=wifi" in section.split("\n")
    assert all(line in mended.split("\n") for line in spoiled.split("\n"))
