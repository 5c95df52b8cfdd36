"""How the simulated system reads its settings files, with the strictness of the readers it stands for.

Written from wpa_supplicant.conf(5), nm-settings-keyfile(5) and sh(1), apart from the product's writers.
"""

from __future__ import annotations

import hashlib
import re
import shlex
from dataclasses import dataclass


@dataclass(frozen=True)
class Wanted:
    """The network a settings file asks for. `key` is the 32-byte key, None for an open network."""

    ssid: bytes
    key: bytes | None
    country: str
    asks_for_hidden: bool = False


def read_wpa(data: bytes) -> Wanted | None:
    """Read a wpa_supplicant.conf; None when it is refused or names no network."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return None
    ssid = key = None
    passphrase, asks_hidden, off, kinds = "", False, False, "WPA-PSK"
    country, inside, found = "", False, False
    for raw in data.decode("utf-8", "replace").split("\n"):
        line = _without_comment(raw).strip()
        if not line:
            continue
        name, equals, value = line.partition("=")
        if not inside:
            if line == "network={":
                inside = True
            elif name == "country":
                country = value
            elif not equals or name != name.strip() or name not in _GLOBAL:
                return None
            continue
        if line == "}":
            inside, found = False, True
        elif name == "ssid":
            ssid = _string(value)
            if not ssid or len(ssid) > 32:
                return None
        elif name == "psk":
            if value.startswith('"') and value.endswith('"') and 8 <= len(value) - 2 <= 63:
                passphrase = value[1:-1]
            elif re.fullmatch("[0-9a-fA-F]{64}", value):
                key = bytes.fromhex(value)
            else:
                return None
        elif name == "scan_ssid":
            asks_hidden = value == "1"
        elif name == "disabled":
            off = value != "0"
        elif name == "key_mgmt":
            kinds = value
        elif not equals or name not in _NETWORK:
            return None
    if inside or not found or ssid is None or off or "WPA-PSK" not in kinds.split():
        return None
    if passphrase:
        key = hashlib.pbkdf2_hmac("sha1", passphrase.encode(), ssid, 4096, 32)
    return Wanted(ssid, key, country, asks_hidden)


_GLOBAL = ("ctrl_interface", "ctrl_interface_group", "update_config", "ap_scan", "p2p_disabled", "fast_reauth")


_NETWORK = (
    "priority",
    "id_str",
    "proto",
    "pairwise",
    "group",
    "auth_alg",
    "bssid",
    "ieee80211w",
    "mode",
    "scan_freq",
    "freq_list",
)
"""What a network block may hold beside name and key: the fields of wpa_supplicant.conf(5) that a home network uses. Any other
word makes the reader refuse the file."""


def _without_comment(line: str) -> str:
    """Cut a comment as the reader does: a # counts only behind the first pair of quotes."""
    if line.lstrip().startswith("#"):
        return ""
    start = line.find('"')
    close = line.find('"', start + 1) if start >= 0 else -1
    cut = line.find("#", close + 1 if close >= 0 else 0)
    return line if cut < 0 else line[:cut]


def _string(value: str) -> bytes | None:
    if value.startswith('"'):
        end = value.rfind('"')
        return value[1:end].encode() if end > 0 and end == len(value) - 1 else None
    return bytes.fromhex(value) if re.fullmatch("([0-9a-fA-F]{2})+", value) else None


WORLD = "00"
"""Keyfiles carry no country; the radio keeps to the world domain."""


def read_keyfile(data: bytes) -> Wanted | None:
    """Read a NetworkManager keyfile; None when it is refused or names no network."""
    sections: dict[str, dict[str, str]] = {}
    here: dict[str, str] | None = None
    for raw in data.decode("utf-8", "replace").split("\n"):
        line = raw.lstrip().rstrip("\r")
        if not line.strip() or line.startswith("#"):
            continue
        if line.startswith("[") and line.endswith("]"):
            here = sections.setdefault(_SHORT.get(line[1:-1], line[1:-1]), {})
        elif "=" in line and here is not None:
            name, _, value = line.partition("=")
            here[name.strip()] = value.lstrip()
        else:
            return None
    ssid_text = sections.get("wifi", {}).get("ssid", "")
    if re.fullmatch(r"(\d{1,3};)+", ssid_text):
        ssid = bytes(int(n) for n in ssid_text.split(";") if n)
    else:
        ssid = ssid_text.replace("\\s", " ").replace("\\;", ";").encode()
    security = sections.get("wifi-security", {})
    psk = security.get("psk", "")
    hidden = sections.get("wifi", {}).get("hidden", "") == "true"
    joins_alone = sections.get("connection", {}).get("autoconnect", "true") not in ("false", "no", "0")
    asks_somebody = security.get("psk-flags", "0") != "0"
    if not ssid or not joins_alone or asks_somebody or (security and security.get("key-mgmt") != "wpa-psk"):
        return None
    if re.fullmatch("[0-9a-fA-F]{64}", psk):
        return Wanted(ssid, bytes.fromhex(psk), WORLD, hidden)
    if not 8 <= len(psk) <= 63:
        return Wanted(ssid, None, WORLD, hidden)
    return Wanted(ssid, hashlib.pbkdf2_hmac("sha1", psk.encode(), ssid, 4096, 32), WORLD, hidden)


_SHORT = {"802-11-wireless": "wifi", "802-11-wireless-security": "wifi-security"}

READERS = {"wpa": read_wpa, "keyfile": read_keyfile}
"""The readers an image's manifest may name."""


def read_values(data: bytes, *, shell: bool) -> dict[str, str]:
    """Read KEY=value lines; with `shell`, values are words as sh(1) reads them. A line it cannot read is passed over."""
    values = {}
    for line in data.decode("utf-8", "replace").split("\n"):
        name, equals, value = line.partition("=")
        if not equals or line.lstrip().startswith("#"):
            continue
        if shell:
            try:
                words = shlex.split(value, comments=True)
            except ValueError:
                continue
            value = words[0] if words else ""
        values[name.strip()] = value if shell else value.strip()
    return values
