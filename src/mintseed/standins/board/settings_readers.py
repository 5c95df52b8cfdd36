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


def read_wpa(data: bytes) -> Wanted | None:
    """Read a wpa_supplicant.conf; None when it is refused or names no network."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return None
    ssid = key = None
    passphrase = ""
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
        elif not equals or name != name.strip():
            return None
    if inside or not found or ssid is None:
        return None
    if passphrase:
        key = hashlib.pbkdf2_hmac("sha1", passphrase.encode(), ssid, 4096, 32)
    return Wanted(ssid, key, country)


_GLOBAL = ("ctrl_interface", "ctrl_interface_group", "update_config", "ap_scan", "p2p_disabled", "fast_reauth")


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
        line = raw.strip()
        if not line or line.startswith("#"):
            continue
        if line.startswith("[") and line.endswith("]"):
            here = sections.setdefault(line[1:-1], {})
        elif "=" in line and here is not None:
            name, _, value = line.partition("=")
            here[name.strip()] = value.strip()
        else:
            return None
    ssid_text = sections.get("wifi", {}).get("ssid", "")
    if re.fullmatch(r"(\d{1,3};)+", ssid_text):
        ssid = bytes(int(n) for n in ssid_text.split(";") if n)
    else:
        ssid = ssid_text.replace("\\s", " ").replace("\\;", ";").encode()
    psk = sections.get("wifi-security", {}).get("psk", "")
    if not ssid:
        return None
    if re.fullmatch("[0-9a-fA-F]{64}", psk):
        return Wanted(ssid, bytes.fromhex(psk), WORLD)
    if not 8 <= len(psk) <= 63:
        return Wanted(ssid, None, WORLD)
    return Wanted(ssid, hashlib.pbkdf2_hmac("sha1", psk.encode(), ssid, 4096, 32), WORLD)


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
