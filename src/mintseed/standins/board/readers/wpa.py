"""Written from wpa_supplicant.conf(5), apart from the product's writers, with the strictness of the reader it stands for."""

from __future__ import annotations

import hashlib
import re

from mintseed.standins.board.readers import Wanted


def read(data: bytes) -> Wanted | None:
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
