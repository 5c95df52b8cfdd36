"""Written from wpa_supplicant.conf(5), apart from the product's writers, with the strictness of the reader it stands for."""

from __future__ import annotations

import hashlib
import re

from mintseed.standins.board.readers import Wanted


class _RefusedError(Exception):
    """The reader takes nothing of this file."""


def read(data: bytes) -> tuple[Wanted, ...]:
    """Read a wpa_supplicant.conf; nothing when it is refused or names no network that would be joined by itself."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return ()
    try:
        country, blocks = _parsed(data.decode("utf-8", "replace"))
        found = [_wanted(block, country) for block in blocks]
    except _RefusedError:
        return ()
    return tuple(one for one in found if one is not None)


def _parsed(text: str) -> tuple[str, list[dict[str, str]]]:
    """Return the country and what each block says, the last of a field that stands twice."""
    country, blocks = "", list[dict[str, str]]()
    inside: dict[str, str] | None = None
    for raw in text.split("\n"):
        line = _without_comment(raw).strip()
        name, equals, value = line.partition("=")
        if not line:
            continue
        if inside is None:
            if line == "network={":
                inside = {}
            elif name == "country":
                country = value
            elif not equals or name != name.strip() or name not in _GLOBAL or not re.fullmatch(_GLOBAL[name], value):
                raise _RefusedError
        elif line == "}":
            blocks.append(inside)
            inside = None
        elif (
            not equals
            or name not in (*_NETWORK, *_VALUES, "ssid", "psk", "sae_password", "key_mgmt")
            or (name in _VALUES and not re.fullmatch(_VALUES[name], value))
        ):
            raise _RefusedError
        else:
            _look_at(name, value)
            inside[name] = value
    if inside is not None:
        raise _RefusedError
    return country, blocks


def _look_at(name: str, value: str) -> None:
    """Refuse what no name, key or passphrase can be."""
    if name == "ssid" and not 1 <= len(_string(value) or b"") <= 32:
        raise _RefusedError
    if (
        name == "psk"
        and not re.fullmatch("[0-9a-fA-F]{64}", value)
        and not (value[:1] == value[-1:] == '"' and 8 <= len(value) - 2 <= 63)
    ):
        raise _RefusedError
    if name == "sae_password" and not _string(value):
        raise _RefusedError


def _wanted(block: dict[str, str], country: str) -> Wanted | None:
    """Return the network of a block; None of one that is not joined by itself with what this board's access points offer."""
    away = {n for n, needed in _AWAY.items() if n in block and not re.fullmatch(needed, block[n])}
    ssid = _string(block.get("ssid", ""))
    if not ssid or block.get("disabled", "0") != "0":
        return None
    hidden = block.get("scan_ssid") in ("1", "0x1")
    rank = (
        int(block.get("priority", "0"), 0)
        if not re.fullmatch("0[0-9]+", block.get("priority", "0"))
        else int(block["priority"], 8)
    )
    psk = block.get("psk", "")
    kinds = block.get("key_mgmt", "WPA-PSK").split()
    if kinds == ["SAE"]:  # it demands protected frames, and works from the passphrase: a key of WPA2 is none
        word = _string(block.get("sae_password", "")) or (psk[1:-1].encode() if psk.startswith('"') else b"")
        return None if away - {"ieee80211w"} or not word else Wanted(ssid, None, country, hidden, word, rank=rank)
    if away:
        return None
    if kinds == ["NONE"]:
        return Wanted(ssid, None, country, hidden, open=True, rank=rank)
    if "WPA-PSK" not in kinds:
        return None
    key = (
        hashlib.pbkdf2_hmac("sha1", psk[1:-1].encode(), ssid, 4096, 32)
        if psk.startswith('"')
        else bytes.fromhex(psk) or None
    )
    return Wanted(ssid, key, country, hidden, rank=rank)


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
