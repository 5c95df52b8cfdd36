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
    passphrase, asks_hidden, off, away, kinds = "", False, False, set[str](), "WPA-PSK"
    sae: bytes | None = None
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
            elif not equals or name != name.strip() or name not in _GLOBAL or not re.fullmatch(_GLOBAL[name], value):
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
        elif name == "sae_password":
            sae = _string(value)
            if not sae:
                return None
        elif name in _VALUES and not re.fullmatch(_VALUES[name], value):
            return None
        elif name == "scan_ssid":
            asks_hidden = value in ("1", "0x1")
        elif name == "disabled":
            off = value != "0"
        elif name == "key_mgmt":
            kinds = value
        elif not equals or name not in _NETWORK:
            return None
        elif name in _AWAY and not re.fullmatch(_AWAY[name], value):
            away.add(name)
    if inside or not found or ssid is None or off:
        return None
    if kinds.split() == ["SAE"]:  # it demands protected frames, and works from the passphrase: a key of WPA2 is none
        word = sae or passphrase.encode()
        return None if away - {"ieee80211w"} or not word else Wanted(ssid, None, country, asks_hidden, word)
    if away or "WPA-PSK" not in kinds.split():
        return None
    if passphrase:
        key = hashlib.pbkdf2_hmac("sha1", passphrase.encode(), ssid, 4096, 32)
    return Wanted(ssid, key, country, asks_hidden)


_INT = "[+-]?(0[xX][0-9a-fA-F]+|[0-9]+)"
_GLOBAL = {
    "ctrl_interface": ".*",
    "ctrl_interface_group": ".*",
    "update_config": _INT,
    "ap_scan": _INT,
    "p2p_disabled": _INT,
    "fast_reauth": _INT,
}
"""settings outside a block, and what their values may be"""

_MAC = "[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){5}"
_VALUES = {
    "scan_ssid": "0|1|0x0|0x1",
    "disabled": _INT,
    "priority": _INT,
    "ieee80211w": _INT,
    "mode": "[0-5]",
    "proto": "((WPA|RSN|WPA2)( |$))+",
    "pairwise": "((CCMP|TKIP|GCMP|NONE)( |$))+",
    "group": "((CCMP|TKIP|GCMP|WEP40|WEP104)( |$))+",
    "auth_alg": "((OPEN|SHARED|LEAP)( |$))+",
    "bssid": f"any|{_MAC}",
    "bssid_whitelist": f"({_MAC} ?)+",
    "id_str": '".*"',
}
"""What the manual lets a value be; with any other the file is refused."""

_AWAY = {
    "mode": "0",
    "proto": ".*(RSN|WPA2).*",
    "pairwise": ".*CCMP.*",
    "auth_alg": ".*OPEN.*",
    "ieee80211w": "[013]|0x[01]",
}
"""What a value has to be for the network of a home, WPA2 with CCMP, to be joined."""

_NETWORK = (
    "priority",
    "id_str",
    "proto",
    "pairwise",
    "group",
    "auth_alg",
    "bssid",
    "bssid_whitelist",
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
