"""Written from nm-settings-keyfile(5), apart from the product's writers, with the strictness of the reader it stands for."""

from __future__ import annotations

import hashlib
import re
from dataclasses import replace

from mintseed.standins.board.readers import WORLD, Wanted


def read(data: bytes) -> tuple[Wanted, ...]:
    """Read a NetworkManager keyfile; nothing when it is refused or names no network that would be joined by itself."""
    one = _read(data)
    return () if one is None else (one,)


def _read(data: bytes) -> Wanted | None:
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
    psk = _unescaped(security.get("psk", ""))
    hidden = sections.get("wifi", {}).get("hidden", "") in ("true", "1")
    joins_alone = sections.get("connection", {}).get("autoconnect", "true") not in ("false", "0")
    asks_somebody = security.get("psk-flags", "0") != "0"
    if not 1 <= len(ssid) <= 32 or not joins_alone or asks_somebody or _is_refused(sections) or _is_kept_away(sections):
        return None
    kind = security.get("key-mgmt", "").lower()
    rank = int(sections.get("connection", {}).get("autoconnect-priority", "0") or 0)
    addresses = sections.get("ipv4", {})
    fixed = addresses.get("address1", addresses.get("addresses", "")) if addresses.get("method") == "manual" else ""
    one = Wanted(ssid, None, WORLD, hidden, rank=rank, address=re.split("[,;]", fixed)[0])
    if kind == "sae":
        return replace(one, word=psk.encode()) if psk else None
    if "wifi-security" not in sections:
        return replace(one, open=True)
    if security and kind != "wpa-psk":
        return None
    if re.fullmatch("[0-9a-fA-F]{64}", psk):
        return replace(one, key=bytes.fromhex(psk))
    return replace(one, key=hashlib.pbkdf2_hmac("sha1", psk.encode(), ssid, 4096, 32)) if 8 <= len(psk) <= 63 else one


_SHORT = {"802-11-wireless": "wifi", "802-11-wireless-security": "wifi-security"}


def _unescaped(value: str) -> str:
    """GLib's escapes; a value with another one is as if its line were not there."""
    parts = re.findall(r"\\(.?)|([^\\]+)", value, re.DOTALL)
    signs = {"s": " ", "n": "\n", "t": "\t", "r": "\r", "\\": "\\"}
    if any(not plain and escape not in signs for escape, plain in parts):
        return ""
    return "".join(plain or signs[escape] for escape, plain in parts)


_UUID = "[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}"
_VALUES = {
    ("connection", "uuid"): _UUID,
    ("connection", "interface-name"): r"[^/\s:]{1,15}",
    ("connection", "permissions"): "(user:[^:;]+:?;?)+",
    ("wifi", "mode"): "infrastructure|ap|adhoc|mesh",
    ("wifi", "band"): "a|bg",
    ("wifi-security", "proto"): "((wpa|rsn)(;|$))+",
    ("wifi-security", "pairwise"): "((tkip|ccmp)(;|$))+",
    ("wifi-security", "group"): "((wep40|wep104|tkip|ccmp)(;|$))+",
    ("wifi-security", "auth-alg"): "open|leap",
    ("wifi-security", "pmf"): "[0-3]|(?!-?[0-9]+$).*",
    ("ipv4", "method"): "auto|manual|disabled|link-local|shared",
    ("ipv6", "method"): "auto|dhcp|manual|disabled|ignore|link-local|shared",
    (
        "connection",
        "type",
    ): "wifi|802-11-wireless|ethernet|802-3-ethernet|bridge|bond|vlan|dummy|gsm|bluetooth|vpn|wireguard|loopback|tun|veth",
}
"""What the manual lets a value be (nm-settings(5)); with any other the file is refused."""


def _is_refused(sections: dict[str, dict[str, str]]) -> bool:
    wifi = sections.get("wifi", {})
    if re.fullmatch("[1-9][0-9]*", wifi.get("channel", "")) and "band" not in wifi:
        return True
    # A section for addresses says how they come, and one that are fixed names them.
    for addresses in (sections[name] for name in ("ipv4", "ipv6") if name in sections):
        if "method" not in addresses or (
            addresses["method"] == "manual" and not any(k.startswith("address") for k in addresses)
        ):
            return True
    said = {(section, key): value for section, lines in sections.items() for key, value in lines.items()}
    return any(name in said and not re.fullmatch(known, said[name]) for name, known in _VALUES.items())


RADIO = "wlan0"
"""what the pretend boards call their radio"""


def _is_kept_away(sections: dict[str, dict[str, str]]) -> bool:
    """Whether something in a file that is taken keeps this board from a network of the usual kind: WPA2 with CCMP, frames not protected."""
    connection, wifi, security = (sections.get(name, {}) for name in ("connection", "wifi", "wifi-security"))
    return (
        wifi.get("mode", "infrastructure") != "infrastructure"
        or "permissions" in connection
        or connection.get("interface-name", RADIO) != RADIO
        or re.fullmatch("[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){5}", wifi.get("mac-address", "")) is not None
        or (security.get("pmf") == "3" and security.get("key-mgmt", "").lower() != "sae")
        or security.get("proto", "").rstrip(";") == "wpa"
        or security.get("pairwise", "").rstrip(";") == "tkip"
        or ("psk" in security and not _unescaped(security["psk"]))
    )
