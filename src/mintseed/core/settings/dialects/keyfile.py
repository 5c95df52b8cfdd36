"""The NetworkManager keyfile syntax. Source: nm-settings-keyfile(5), GLib key files."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SettingValues

SOURCE = "nm-settings-keyfile(5)"

_SECTION = re.compile(r"^\[(.+)\]\s*$")
_KNOWN_SECTIONS = frozenset(
    {"connection", "wifi", "wifi-security", "802-11-wireless", "802-11-wireless-security", "ethernet", "802-3-ethernet",
     "ipv4", "ipv6", "proxy", "802-1x", "user"}
)  # fmt: skip


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network set; comments, order and all other lines stay. Writes the derived key."""
    lines = text.split("\n")
    wanted = [("connection", "type", "wifi"), ("wifi", "ssid", ssid_value(values.ssid))]
    if values.hidden:
        wanted.append(("wifi", "hidden", "true"))
    wanted += [("wifi-security", "key-mgmt", "wpa-psk"), ("wifi-security", "psk", values.key)]
    for section, key, value in wanted:
        _set(lines, section, key, value)
    return "\n".join(lines)


def ssid_value(ssid: str) -> str:
    """Return `ssid` as the reader wants it: plain, or as a list of octets where plain would be misread."""
    plain = all(32 <= ord(c) <= 126 for c in ssid) and ssid == ssid.strip() and not re.search(r'[;\\"]', ssid)
    if plain:
        return ssid
    return "".join(f"{octet};" for octet in ssid.encode())


def _set(lines: list[str], section: str, key: str, value: str) -> None:
    start = next((i for i, line in enumerate(lines) if (m := _SECTION.match(line)) and m[1] == section), None)
    if start is None:
        while lines and not lines[-1].strip():
            lines.pop()
        lines += ["", f"[{section}]", f"{key}={value}", ""]
        return
    end = next((i for i in range(start + 1, len(lines)) if _SECTION.match(lines[i])), len(lines))
    at = [i for i in range(start + 1, end) if re.match(rf"\s*{re.escape(key)}\s*=", lines[i])]
    if at:
        lines[at[0]] = f"{key}={value}"
        for extra in reversed(at[1:]):
            del lines[extra]
        return
    while end > start + 1 and not lines[end - 1].strip():
        end -= 1
    lines.insert(end, f"{key}={value}")


def check(text: str, path: str) -> Iterator[Finding]:
    """Yield what the real reader would refuse or silently misread in `text`."""
    section, wifi, secured = "", False, False
    for number, line in enumerate(text.split("\n"), 1):
        where = Where(file=path, line=number)
        bare = line.strip()
        if not bare or bare.startswith("#"):
            continue
        if match := _SECTION.match(line):
            section = match[1]
            wifi |= section in ("wifi", "802-11-wireless")
            secured |= section in ("wifi-security", "802-11-wireless-security")
            if section not in _KNOWN_SECTIONS and not section.startswith(("vpn", "bridge", "bond")):
                yield _stop("keyfile.section-unknown", f"[{section}] is not a section", "The reader drops it silently.",
                            "Write [wifi] and [wifi-security] exactly so.", where)  # fmt: skip
            continue
        key, equals, value = line.partition("=")
        if not equals or not section:
            yield _stop("keyfile.line", f"Line {number} is no setting", "The whole file is refused.",
                        "Write key=value below a [section].", where)  # fmt: skip
        elif len(value) > 1 and value[0] in "\"'" and value[-1] == value[0]:
            yield _stop("keyfile.quotes", f"Quotes around {key.strip()}", "Here quotes become part of the value.",
                        "Remove the quotes.", where)  # fmt: skip
        elif section in ("wifi-security", "802-11-wireless-security") and key.strip() == "psk":
            yield from _check_key(value, where)
    if wifi and not secured:
        yield _stop("keyfile.no-security", "No [wifi-security] section", "It would try to join without a passphrase.",
                    "Add [wifi-security] with key-mgmt and psk.", Where(file=path))  # fmt: skip


def _stop(code: str, title: str, detail: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, where, SOURCE)


def _check_key(value: str, where: Where) -> Iterator[Finding]:
    if re.fullmatch(r"[0-9a-fA-F]{64}", value) or PASSPHRASE_LEAST <= len(value) <= PASSPHRASE_MOST:
        return
    yield _stop("wifi.passphrase-length", f"The passphrase has {len(value)} characters", "The reader takes it and never joins.",
                f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} characters, or 64 hex digits.", where)  # fmt: skip
