"""Settings files are told by what stands in them. The texts are as the readers' own documentation gives them, shortened."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.settings.guess import NOT_TOLD, guess

KNOWN = [
    # wpa_supplicant.conf(5)
    ("wifi.txt", 'ctrl_interface=DIR=/run/wpa_supplicant\ncountry=GB\nnetwork={\n  ssid="home"\n  psk="x"\n}\n', "Wi-Fi settings of the supplicant", "wpa-supplicant"),
    ("setup.cfg", '# network={\n#   ssid="yours"\n# }\n', "Wi-Fi settings of the supplicant", "wpa-supplicant"),
    # nm-settings-keyfile(5)
    ("home", "[connection]\nid=home\ntype=wifi\n[wifi]\nssid=home\n", "connection of the network manager", "keyfile"),
    # systemd.network(5)
    ("10-lan", "[Match]\nName=eth0\n[Network]\nDHCP=yes\n", "network of systemd", "systemd-networkd"),
    # cloud-init documentation, cloud config data
    ("user-data", "#cloud-config\nhostname: press\n", "first-boot user data", "cloud-init-user-data"),
    # netplan-yaml(5)
    ("network-config", "network:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: true\n", "network as netplan reads it", "netplan"),
    # Linux documentation, kernel-parameters
    ("broken.yaml", "network:\n  version: 2\n  wifis:\n\twlan0:\n", "network as netplan reads it", "netplan"),
    ("kernel-line", "console=serial0,115200 root=PARTUUID=1234-02 rootwait quiet\n", "kernel command line", ""),
    ("firstrun", "#!/bin/sh\nset -e\n", "script", ""),
    ("settings.json", '{"name": "press"}', "JSON", "json"),
    ("app.ini", "; comment\n[station]\nid=7\n", "settings in sections", "ini"),
    ("device.conf", "# what it is called\nNAME=press\nCOUNTRY=GB\n", "keys and values", "key-value"),
    ("vars", "export TZ=Europe/London\nexport LANG=C\n", "keys and values", "key-value"),
    ("options.yaml", "name: press\nports:\n  - 80\n", "YAML", "yaml"),
    # shadow(5), hosts(5), sshd(8)
    ("shadow", "root:*:19000:0:99999:7:::\nmo:$6$a$b:19000::::::\n", "passwords of a system's accounts", "shadow"),
    ("hosts", "127.0.0.1\tlocalhost\n::1 ip6-localhost # itself\nfe80::1 door\n", "names of hosts", "hosts"),
    ("authorized_keys", "# mine\nssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIJ2r mo@quay\n", "keys that log in", "authorized-keys"),
    ("hostname.txt", "press\n", "one value", "plain"),
    ("ssh", "", "presence file", "presence"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "text", "kind", "dialect"), KNOWN, ids=[k[0] for k in KNOWN])
@pytest.mark.parametrize("ends", ["\n", "\r\n"])
def test_a_file_is_told_by_what_stands_in_it(path: str, text: str, kind: str, dialect: str, ends: str) -> None:
    for name in (path, "anything.bin"):
        found = guess(name, text.replace("\n", ends).encode())
        assert (found.kind, found.dialect) == (kind, dialect), name
        assert found.why


@pytest.mark.parametrize(
    ("name", "text", "dialect"),
    [
        ("hosts", "localhost 127.0.0.1\n", "hosts"), ("etc/shadow", "mo:spring\n", "shadow"), ("shadow-", "mo\n", "shadow"), ("authorized_keys", "ssh-ed25519\n", "authorized-keys"),
        ("notes", "localhost 127.0.0.1\n", ""), ("notes", "root:*:1::::::\nand more\n", ""), ("notes", "192.0.2.7\n", "plain"), ("notes", "ssh-ed25519 AAAA\nand more\n", ""),
        ("passwd", "mo:x:1000:1000:Mo Ray:/home/mo:/bin/sh\n", ""), ("notes", "12:30 tea\n", ""),
    ],
)  # fmt: skip
def test_one_that_is_broken_is_told_by_its_name(name: str, text: str, dialect: str) -> None:
    assert guess(name, text.encode()).dialect == dialect


@pytest.mark.parametrize(
    "content",
    [
        b"\x7fELF\0\0\0",
        b"Read me first. This card holds a system.\nKeep it dry.\n",
        b"   \n\n",
        b"<html><body>Not found</body></html>\n<p>\n",
    ],
    ids=["binary", "prose", "blanks", "web page"],
)
def test_what_is_nothing_of_the_kind_is_not_called_it(content: bytes) -> None:
    assert guess("readme.txt", content) == NOT_TOLD


def test_a_long_or_broken_text_ends_soon() -> None:
    assert guess("x", b"[" * 200_000) == NOT_TOLD
    assert guess("x", b"a: &a [*a, *a]\n" * 3).kind in ("", "YAML")
    assert guess("x", b"network:\n a: 1\n" + b"\n" * 16_000).kind == "YAML"
    assert guess("x", b"KEY=1\n" * 500_000).dialect == "key-value"


@given(st.binary(max_size=400))
def test_no_bytes_are_too_odd(content: bytes) -> None:
    found = guess("x", content)
    assert bool(found.kind) == bool(found.why)
