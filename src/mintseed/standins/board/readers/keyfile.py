"""Written from nm-settings-keyfile(5), apart from the product's writers, with the strictness of the reader it stands for."""

from __future__ import annotations

import hashlib
import re

from mintseed.standins.board.readers import WORLD, Wanted


def read(data: bytes) -> Wanted | None:
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
