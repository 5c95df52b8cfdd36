"""What opens something is found in every syntax that holds such a thing, and nothing else is hidden."""

from __future__ import annotations

import pytest

from mintseed.core.settings.secrets_in import holds_secrets, masked

# Keys: wpa_supplicant.conf(5), nm-settings-keyfile(5), netplan(5), iwd.network(5), connman-service.config(5), interfaces(5).
SECRET = [
    ("a.conf", 'network={\n  ssid="quay"\n  psk="spring tide"\n}\n', 'network={\n  ssid="quay"\n  psk=…\n}\n'),
    ("a.nmconnection", "[wifi-security]\npsk=spring tide\nkey-mgmt=wpa-psk\n", "[wifi-security]\npsk=…\nkey-mgmt=wpa-psk\n"),
    ("a.yaml", "    quay:\n      password: spring tide\n", "    quay:\n      password: …\n"),
    ("a.json", '{"name": "x",\n "wifi_password": "spring tide"}\n', '{"name": "x",\n "wifi_password": …\n'),
    ("quay.psk", "[Security]\nPassphrase=spring tide\nPreSharedKey=abcdef\n", "[Security]\nPassphrase=…\nPreSharedKey=…\n"),
    ("interfaces", "iface wlan0 inet dhcp\nWIFI_PSK='spring tide'\n", "iface wlan0 inet dhcp\nWIFI_PSK=…\n"),
    ("/etc/shadow", "root:*:1::::::\nmo:$y$j9T$abc$def:1::::::\nann:!$6$x$y:1::::::\n", "root:*:1::::::\nmo:$y$…:1::::::\nann:!$6$…:1::::::\n"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "text", "shown"), SECRET)
def test_it_is_shown_as_dots(path: str, text: str, shown: str) -> None:
    assert masked(path, text) == shown
    assert holds_secrets(path, text.encode())
    assert masked(path, shown) == shown


@pytest.mark.parametrize(
    "text",
    [
        '#  psk="your passphrase"\n', "; password=example\n", "psk=\n", 'psk=""\n', "lock_passwd: false\n", "pass: 1\n", "KEYMAP=us\n",
        "key-mgmt=wpa-psk\n", "passive=abcdef\n", "post::1::::::\n", "password: null # none\n",
    ],
)  # fmt: skip
def test_examples_and_what_is_none_stay_as_they_are(text: str) -> None:
    assert masked("a.conf", text) == text
    assert not holds_secrets("a.conf", text.encode())
