"""The networks of netplan, cloud-init, ifupdown, systemd, iwd and connman: filled files are read by their readers and mean what was meant."""

from __future__ import annotations

import configparser
import re
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import WIFI_DIALECTS, FileToFill
from mintseed.core.settings.dialects.netplan_keys import ACCESS_POINT, DEVICE
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import check_file
from tests.builders import readers
from tests.builders.judges import JUDGES
from tests.core.settings.test_values import values

NAMES = (
    "Quay House 2G",
    "café",
    'a"b',
    "a\\b",
    " x ",
    "NO",
    "123",
    "a#b: c",
    "{x}",
    "'q'",
    "😀",
    '"q"',
    "x" * 32,
    "~",
    "- a",
    "null",
    "&a",
    "*a",
    "%x",
    "@x",
)
"""names that readers take for something else where they are not quoted"""

WIFI = list(WIFI_DIALECTS)


def file(dialect: str, **more: object) -> FileToFill:
    return FileToFill.model_validate(
        {"path": "settings.conf", "dialect": dialect, "title": "Wi-Fi", "when": "wifi", **more}
    )


def hex_in(octets: bytes) -> str:
    return " ".join(f"{b:02x}" for b in octets[:16])


@pytest.mark.parametrize("ssid", NAMES)
def test_netplan_hands_the_supplicant_the_network_that_was_meant(ssid: str, tmp_path: Path) -> None:
    """Source: netplan's generator, and wpa_supplicant(8) on what it wrote."""
    filled = DIALECTS["netplan"].apply("", file("netplan"), values(ssid=ssid, hidden=True))
    assert readers.netplan(filled.encode(), tmp_path).accepted
    read = readers.wpa_supplicant(readers.netplan_supplicant(tmp_path))
    assert read.accepted, read.output
    assert hex_in(ssid.encode()) in read.output[read.output.index("ssid - hexdump_ascii") :][:400]
    said = readers.netplan_supplicant(tmp_path).read_text()
    assert "scan_ssid=1" in said
    assert f"psk={values(ssid=ssid).key}" in said
    assert "country=GB" in said


@pytest.mark.parametrize("ssid", NAMES)
def test_ifupdown_hands_its_scripts_the_network_that_was_meant(ssid: str, tmp_path: Path) -> None:
    """Source: ifquery(8), and wpasupplicant's functions.sh, which takes one pair of quotes off."""
    try:
        filled = DIALECTS["interfaces"].apply("", file("interfaces"), values(ssid=ssid))
    except SettingsFileError:
        assert "\\" in ssid
        return
    said = readers.ifquery(filled.encode(), tmp_path)
    assert said.accepted, said.output
    name = next(line.partition(": ")[2] for line in said.output.split("\n") if line.startswith("wpa-ssid: "))
    bare = name[1:-1] if name.startswith('"') and name.endswith('"') and len(name) > 1 else name
    assert bare == ssid
    assert f"wpa-psk: {values(ssid=ssid).key}" in said.output
    assert "wlan0" in said.output.split("\nup: ")[1]


@pytest.mark.parametrize("ssid", NAMES)
@pytest.mark.parametrize("dialect", ["iwd", "connman"])
def test_what_has_no_reader_here_is_read_as_its_manual_says(dialect: str, ssid: str) -> None:
    """GLib's key files are read by configparser alike, for what is written here. iwd.network(5), connman-service.config(5)."""
    filled = DIALECTS[dialect].apply("", file(dialect), values(ssid=ssid))
    read = configparser.RawConfigParser(delimiters=("=",))
    read.read_string(filled)
    if dialect == "iwd":
        assert read["Security"]["PreSharedKey"] == values(ssid=ssid).key
    else:
        service = read["service_wifi"]
        assert (service["Type"], service["Security"], service["Passphrase"]) == ("wifi", "psk", values(ssid=ssid).key)
        named = service.get("Name") or bytes.fromhex(service["SSID"]).decode()
        assert named == ssid


@pytest.mark.parametrize("dialect", WIFI)
@given(ssid=st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=10), hidden=st.booleans())
@example(ssid="''", hidden=False)
@example(ssid="'Quay'", hidden=True)
@settings(max_examples=40)
def test_made_read_back_and_judged(dialect: str, ssid: str, hidden: bool) -> None:
    one = DIALECTS[dialect]
    wanted = values(ssid=ssid, hidden=hidden)
    # iwd.network(5): as it is with letters, digits, spaces, underscores and minus signs alone
    called = ssid if re.fullmatch("[a-zA-Z0-9 _-]+", ssid) else f"={ssid.encode().hex()}"
    path = f"/var/lib/iwd/{called}.psk" if dialect == "iwd" else "settings.conf"
    try:
        made = one.apply("", file(dialect), wanted)
    except SettingsFileError:
        return
    assert one.apply(made, file(dialect), wanted) == made, "filling twice is filling once"
    assert (
        verdict(check_file(made.encode(), path, dialect, file(dialect))) in (Severity.OK, Severity.NOTE)
        or ssid != ssid.strip()
        or not ssid.isprintable()
        or "\u00a0" in ssid
    )
    joins = one.means(made, path, file(dialect)).joins
    assert [(j.name, j.hidden) for j in joins] == [(ssid, hidden)]


@pytest.mark.parametrize("dialect", [d for d in WIFI if d in JUDGES])
def test_only_the_lines_that_must_change_do(dialect: str) -> None:
    before = JUDGES[dialect].right[0]
    after = DIALECTS[dialect].apply(before, file(dialect), values())
    old, new = before.split("\n"), after.split("\n")
    gone = [line for line in old if line not in new]
    assert all(
        any(word in line for word in ("Quay House", "psk", "password", "Passphrase", "country", "regulatory", "DHCP"))
        for line in gone
    ), gone
    assert [line for line in new if line in old] == [line for line in old if line in new], "the order of what stays"


NETPLAN = """# the boat house
network:
  version: 2
  renderer: networkd
  ethernets:
    eth0: {dhcp4: true, optional: true}
  wifis:
    wlan1:
      # an address by itself
      dhcp4: yes
      access-points:
        "Old Name":
          auth:
            key-management: psk
            password: "another one"
          band: 5GHz
        "Boat":
          password: "spring tide at noon"
"""


def test_netplan_keeps_everything_else_and_takes_out_what_keeps_the_radio_away(tmp_path: Path) -> None:
    after = DIALECTS["netplan"].apply(NETPLAN, file("netplan"), values())
    assert "Old Name" not in after
    assert "band" not in after
    assert "another one" not in after
    for line in (
        "# the boat house",
        "  renderer: networkd",
        "    eth0: {dhcp4: true, optional: true}",
        "      # an address by itself",
        "      dhcp4: yes",
        '        "Boat":',
    ):
        assert line in after.split("\n")
    assert readers.netplan(after.encode(), tmp_path).accepted


def test_version_one_of_cloud_inits_network_is_refused_with_the_reason() -> None:
    with pytest.raises(SettingsFileError, match="version 1, which knows no Wi-Fi"):
        DIALECTS["cloud-init-network"].apply("version: 1\nconfig: []\n", file("cloud-init-network"), values())


def test_cloud_inits_network_stands_with_or_without_its_outer_key() -> None:
    bare = DIALECTS["cloud-init-network"].apply(
        "version: 2\nethernets:\n  eth0:\n    dhcp4: true\n", file("cloud-init-network"), values()
    )
    inside = DIALECTS["cloud-init-network"].apply("network:\n  version: 2\n", file("cloud-init-network"), values())
    assert bare.startswith("version: 2\nethernets:\n  eth0:\n    dhcp4: true\nwifis:\n")
    assert inside.startswith("network:\n  version: 2\n  wifis:\n    wlan0:\n")


def _asked(key: str, where: str) -> bytes:
    value = {"access-points": '{"x": {password: "spring tide"}}'}.get(key, "{}")
    device = f"      {key}: {value}\n" if where == "device" else ""
    point = f"          {key}: {{}}\n" if where == "point" else ""
    kind = "wifis" if where == "point" or key in ("access-points", "wakeonwlan", "regulatory-domain") else "ethernets"
    points = (
        f'      access-points:\n        "x":\n          password: "spring tide"\n{point}'
        if kind == "wifis" and key != "access-points"
        else ""
    )
    return f"network:\n  version: 2\n  {kind}:\n    dev0:\n      dhcp4: true\n{device if key != 'dhcp4' else ''}{points}".encode()


@pytest.mark.parametrize("key", sorted(ACCESS_POINT))
def test_netplan_knows_every_key_of_an_access_point_that_we_know(key: str, tmp_path: Path) -> None:
    assert "unknown key" not in readers.netplan(_asked(key, "point"), tmp_path).output


def test_netplan_knows_the_keys_of_devices_that_we_know_and_no_others(tmp_path: Path) -> None:
    """Asked of a wired device; keys of radios, modems, bridges and the like are known on those alone."""
    others = {"apn", "auto-config", "device-id", "network-id", "number", "password", "pin", "sim-id", "sim-operator-id", "username", "interfaces", "parameters", "id", "link", "mode",
              "local", "remote", "ttl", "key", "keys", "mark", "port", "peers", "table"}  # fmt: skip
    for key in sorted(DEVICE - others):
        assert "unknown key" not in readers.netplan(_asked(key, "device"), tmp_path).output, key
    for key in ("dhcp", "ssid", "gateway", "dns", "wifi", "address"):
        assert "unknown key" in readers.netplan(_asked(key, "device"), tmp_path).output
        assert verdict(check_file(_asked(key, "device"), "x", "netplan", None)) is Severity.STOP


def test_a_name_no_line_can_carry_is_refused_and_nothing_is_changed() -> None:
    for dialect, ssid in (("interfaces", "x\\"), ("interfaces", " a\\b "), ("netplan", "a\nb"), ("interfaces", "a\nb")):
        with pytest.raises(SettingsFileError):
            DIALECTS[dialect].apply("", file(dialect), values(ssid=ssid))


INTERFACES = """auto lo
iface lo inet loopback

# the radio
iface wlan0 inet static
    address 192.168.1.20/24
    gateway 192.168.1.1
    wpa-ssid Old
    wpa-bssid 02:00:00:00:00:01
    wpa-psk secret of old
"""


def test_interfaces_is_edited_in_its_stanza_and_brought_up(tmp_path: Path) -> None:
    after = DIALECTS["interfaces"].apply(INTERFACES, file("interfaces"), values())
    assert "wpa-bssid" not in after
    assert "secret of old" not in after
    assert "# the radio\nallow-hotplug wlan0\niface wlan0 inet static\n    address 192.168.1.20/24\n" in after
    assert readers.ifquery(after.encode(), tmp_path).accepted
    assert (
        DIALECTS["interfaces"].means(after, "f", None).sentence()
        == "Joins Quay House 2G with its key and takes the address 192.168.1.20/24."
    )


@pytest.mark.parametrize(
    ("line", "code"),
    [
        ("    address 192.168.1.20", None),
        ("    address 192.168.1.300/24", "interfaces.address"),
        ("    gateway 10.0.0.1", "interfaces.gateway"),
        ("    gateway x", "interfaces.gateway"),
    ],
)
def test_a_fixed_address_is_looked_at(line: str, code: str | None) -> None:
    key = line.split()[0]
    text = (
        "\n".join(line if old.split()[:1] == [key] else old for old in INTERFACES.split("\n"))
        .replace("iface wlan0", "auto wlan0\niface wlan0")
        .replace("secret of old", "a" * 64)
    )
    codes = {f.code for f in check_file(text.encode(), "f", "interfaces", None) if f.severity is Severity.STOP}
    assert codes == ({code} if code else set()) or (code is None and "interfaces.gateway" in codes)


def test_systemds_network_says_which_device_and_asks_for_an_address() -> None:
    """systemd.network(5): without [Match] the file is passed over; DHCP= takes the old words too."""
    made = DIALECTS["systemd-networkd"].apply("", file("systemd-networkd"), values())
    assert made == "[Match]\nType=wlan\n\n[Network]\nDHCP=yes\n"
    kept = "[Match]\nName=wl*\n\n[Network]\nDHCP=ipv4\n"
    assert DIALECTS["systemd-networkd"].apply(kept, file("systemd-networkd"), values()) == kept
    told = {f.code for f in check_file(b"[Network]\nDHCP=maybe\n[Nework]\nx\n", "f", "systemd-networkd", None)}
    assert told == {
        "networkd.no-match",
        "networkd.value",
        "networkd.no-address",
        "networkd.section-unknown",
        "networkd.line",
    }


def test_iwd_takes_any_name_by_its_octets() -> None:
    recipe_file = file("iwd", path="var/lib/iwd/={wifi_name_hex}.psk", volume="root")
    assert recipe_file.place == "/var/lib/iwd/={wifi_name_hex}.psk"
    old = "[Security]\nPassphrase=another one\n\n[Settings]\nAutoConnect=false\n"
    after = DIALECTS["iwd"].apply(old, recipe_file, values())
    assert "Passphrase" not in after.replace("PreSharedKey", "")
    assert "AutoConnect=true" in after
    told = {
        f.code
        for f in check_file(
            b"[Security]\nPreSharedKey=short\n[Setting]\n[Settings]\nAutoConnect=maybe\nx\n", "a.psk", "iwd", None
        )
    }
    assert told == {"wifi.key-shape", "iwd.section-unknown", "iwd.value", "iwd.line"}


def test_connman_names_what_it_passes_over() -> None:
    told = {f.code for f in check_file(b"[service_a]\nType=wifi\nPassword=x\n[srvice]\n", "f", "connman", None)}
    assert told == {"connman.key-unknown", "wifi.ssid-missing", "connman.section-unknown"}
    assert {f.code for f in check_file(b"[global]\nName=x\n", "f", "connman", None)} == {"connman.no-service"}
    assert {f.code for f in check_file(b"[service_a]\nName=x\n", "f", "connman", None)} == {"connman.no-type"}


def test_an_option_over_several_lines_or_twice_is_replaced_whole(tmp_path: Path) -> None:
    text = INTERFACES.replace("    wpa-ssid Old\n", "    wpa-ssid Old\\\n  Name\n    wpa-ssid Older\n")
    after = DIALECTS["interfaces"].apply(text, file("interfaces"), values())
    said = readers.ifquery(after.encode(), tmp_path)
    assert said.accepted
    assert "wpa-ssid: Quay House 2G\n" in said.output
    assert "Old" not in after


def test_words_in_a_comment_that_look_like_a_key_stay_a_comment(tmp_path: Path) -> None:
    text = "#cloud-config\n# keyboard: as it is printed on the keys\nsystem_users: []\n"
    after = DIALECTS["cloud-init-user-data"].apply(
        text, file("cloud-init-user-data", when="always"), values(admin_name="ann", admin_hash="$6$a$b")
    )
    assert after.startswith(text)
    assert "keyboard:\n  layout: gb\n" in after
    assert "users:\n  - default\n  - name: ann\n" in after
    assert readers.cloud_init(after.encode(), tmp_path).accepted


def test_a_list_in_one_line_is_refused_and_nothing_is_changed() -> None:
    for text in ("#cloud-config\nusers: [default]\n", "#cloud-config\n{hostname: x}\n"):
        with pytest.raises(SettingsFileError, match="one line an item"):
            DIALECTS["cloud-init-user-data"].apply(
                text, file("cloud-init-user-data"), values(admin_name="ann", admin_hash="$6$a$b")
            )


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("[a]\nName: old\n  older\nname = oldest\n[b]\nname=x\n", "[a]\nName: press\n[b]\nname=x\n"), ("[a]\n;name = x\n", "[a]\nname=press\n"),
        ("[b]\nx=1\n", "[b]\nx=1\n\n[a]\nname=press\n"), ("", "[a]\nname=press\n"),
    ],
)  # fmt: skip
def test_a_key_of_a_section_is_set_however_its_reader_would_take_it(before: str, after: str) -> None:
    """Source: configparser: a colon is as good as an equals sign, letters of either case are one key, and what is further in goes on with the value."""
    made = DIALECTS["ini"].apply(before, file("ini", values={"a/name": "{host_name}"}), values(host_name="press"))
    assert made == after
    read = configparser.ConfigParser(interpolation=None)
    read.read_string(made)
    assert read["a"]["name"] == "press"
