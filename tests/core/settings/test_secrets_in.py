"""What opens something is found in every syntax that holds such a thing, and nothing else is hidden."""

from __future__ import annotations

import pytest

from mintseed.core.recipes.model import WIFI_DIALECTS
from mintseed.core.settings.secrets_in import holds_secrets, masked
from tests.core.settings.right_files import RIGHT

# Keys: wpa_supplicant.conf(5), nm-settings-keyfile(5), netplan(5), iwd.network(5), connman-service.config(5), interfaces(5).
SECRET = [
    ("a.conf", 'network={\n  ssid="quay"\n  psk="spring tide"\n}\n', 'network={\n  ssid="quay"\n  psk=…\n}\n'),
    ("a.nmconnection", "[wifi-security]\npsk=spring tide\nkey-mgmt=wpa-psk\n", "[wifi-security]\npsk=…\nkey-mgmt=wpa-psk\n"),
    ("a.yaml", "    quay:\n      password: spring tide\n", "    quay:\n      password: …\n"),
    ("a.json", '{"name": "x",\n "wifi_password": "spring tide"}\n', '{"name": "x",\n "wifi_password": …\n'),
    ("quay.psk", "[Security]\nPassphrase=spring tide\nPreSharedKey=abcdef\n", "[Security]\nPassphrase=…\nPreSharedKey=…\n"),
    ("interfaces", "iface wlan0 inet dhcp\nWIFI_PSK='spring tide'\n", "iface wlan0 inet dhcp\nWIFI_PSK=…\n"),
    ("one.json", '{"wifi": {"ssid": "x", "psk": "a, b}c"}, "n": 1}', '{"wifi": {"ssid": "x", "psk": …}, "n": 1}'),
    ("flow.yaml", "network: {wifis: {w: {access-points: {home: {password: spring tide}}}}}", "network: {wifis: {w: {access-points: {home: {password: …}}}}}"),
    ("interfaces", "iface wlan0 inet dhcp\n  wpa-ssid home\n  wpa-psk spring tide\n", "iface wlan0 inet dhcp\n  wpa-ssid home\n  wpa-psk …\n"),
    ("app.json", '{\n  "wifiPassword": "spring tide"\n}', '{\n  "wifiPassword": …\n}'),
    ("sh", "export WIFI_PASSWORD='spring, tide'\nAPI_KEY=abcd1234\n", "export WIFI_PASSWORD=…\nAPI_KEY=…\n"),
    ("user-data", 'users:\n- name: ann\n  plain_text_passwd: noon\n  passwd: "$6$a$b"\n', "users:\n- name: ann\n  plain_text_passwd: …\n  passwd: …\n"),
    ("/etc/shadow", "root:*:1::::::\nmo:$y$j9T$abc$def:1::::::\nann:!$6$x$y:1::::::\n", "root:*:1::::::\nmo:$y$…:1::::::\nann:!$6$…:1::::::\n"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "text", "shown"), SECRET)
def test_it_is_shown_as_dots(path: str, text: str, shown: str) -> None:
    assert masked(path, text) == shown
    assert holds_secrets(path, text.encode())
    assert masked(path, shown) == shown


def test_every_file_of_a_network_is_sealed() -> None:
    """The right files of each dialect that holds a network, with a key or a passphrase."""
    for dialect, holds in ((d, t) for d in WIFI_DIALECTS for t in RIGHT[d]):
        shown = masked("settings.conf", holds)
        assert shown != holds, (dialect, holds)
        assert not [word for word in ("spring tide", "0f0f0f", "autumn ebb", "a word of noon") if word in shown], (
            dialect,
            shown,
        )


def test_a_long_line_is_looked_through_once() -> None:
    for line in (
        "a" * 200_000,
        "{" * 200_000,
        "psk" * 60_000,
        '{"psk": "' + "x" * 200_000,
        "- " * 100_000,
        "passwd-" * 30_000 + "=",
    ):
        assert len(masked("f", line)) <= len(line) + 1


@pytest.mark.parametrize(
    "text",
    [
        '#  psk="your passphrase"\n', "; password=example\n", "psk=\n", 'psk=""\n', "lock_passwd: false\n", "pass: 1\n", "KEYMAP=us\n",
        "key-mgmt=wpa-psk\n", "wpa-psk\n", "passwords: {a: b}\n", "ssid=my psk is nice\n", "bypass=north\n", "passive=abcdef\n", "post::1::::::\n", "password: null # none\n",
    ],
)  # fmt: skip
def test_examples_and_what_is_none_stay_as_they_are(text: str) -> None:
    assert masked("a.conf", text) == text
    assert not holds_secrets("a.conf", text.encode())
