"""Networks of systemd: which device a file is for and how it gets its address. Source: systemd.network(5), systemd.syntax(7).

It joins no Wi-Fi network by itself: a supplicant does, from a file of its own.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.networkd_keys import KEYS
from mintseed.core.settings.meaning import BY_ITSELF, NOTHING, Meaning
from mintseed.core.settings.sections import SectionLine, at, read_lines, set_key, span
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.site.ranges import is_address
from mintseed.core.visible import one_line

SOURCE = "systemd.network(5)"
MOST_NAME = 15
"""letters of a device's name. Source: IFNAMSIZ, netdevice(7)"""

DHCP = {
    "yes": "yes", "true": "yes", "1": "yes", "on": "yes", "y": "yes", "t": "yes", "both": "yes",
    "no": "no", "false": "no", "0": "no", "off": "no", "n": "no", "f": "no", "none": "no", "ipv4": "ipv4", "v4": "ipv4", "ipv6": "ipv6", "v6": "ipv6",
}  # fmt: skip
"""what the reader takes for DHCP= (the old words too), and what each means"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` so that any radio takes an address by itself, or has the fixed one; a match that stands there stays. Nothing of it is secret."""
    lines = text.split("\n")
    said = list(read_lines(text))
    if not any(line.section == "Match" and line.key and line.value.strip() for line in said):
        set_key(lines, "Match", "Type", "wlan")
    if values.address is None:
        set_key(lines, "Network", "DHCP", "yes", same=tuple(w for w, means in DHCP.items() if means in ("yes", "ipv4")))
    else:
        _set_address(lines, values.address)
    return "\n".join(lines)


def _set_address(lines: list[str], address: FixedAddress) -> None:
    """Set a fixed address, its way out and its name servers in [Network]; what said another one goes, sections of their own too."""
    for section in ("Address", "Route"):
        while found := span(lines, section):
            del lines[found[0] : found[1]]
    for key in ("Gateway", "DNS"):
        for i in reversed(at(lines, "Network", key)):
            del lines[i]
    set_key(lines, "Network", "DHCP", "no", same=tuple(w for w, means in DHCP.items() if means in ("no", "ipv6")))
    set_key(lines, "Network", "Address", address.cidr)
    if address.gateway:
        set_key(lines, "Network", "Gateway", address.gateway)
    if address.dns:
        set_key(lines, "Network", "DNS", " ".join(address.dns))


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what the reader would pass over, and the little it refuses a file for."""
    matched = addressed = False
    for line in _joined(text):
        where = Where(file=path, line=line.number)
        if line.opens:
            if line.section not in KEYS and not line.section.startswith("X-"):
                yield _dropped(
                    "networkd.section-unknown",
                    f"[{line.section}] is not a section",
                    "Everything below it is passed over.",
                    "Mend the word: capital and small letters count.",
                    where,
                )
            continue
        bare = line.raw.strip()
        if bare.startswith("["):
            yield Finding("networkd.section-broken", Severity.STOP, f"{bare} opens no section", "The whole file is refused because of it.",
                          "Write the section's name between [ and ], alone in its line.", where, SOURCE)  # fmt: skip
        elif line.key is None or not line.section or not line.key:
            yield _dropped(
                "networkd.line",
                f"Line {line.number} is no setting",
                "It is passed over.",
                "Write Key=value below a [Section].",
                where,
            )
        elif line.section in KEYS and line.key not in KEYS[line.section]:
            yield _dropped(
                "networkd.key-unknown", f"{line.key} is no key of [{line.section}]", "The line is passed over.",
                "Mend the word: capital and small letters count.", where,
            )  # fmt: skip
        else:
            value = line.value.strip()
            odd = _odd(line.section, line.key, value)
            if (line.section, line.key) == ("BridgeVLAN", "PVID") and not _is_vlan(value):
                yield Finding("networkd.value", Severity.STOP, f"PVID={one_line(value)} is none the reader knows", "The whole file is refused because of it.",
                              "Write a number from 1 to 4094.", where, SOURCE)  # fmt: skip
            elif odd:
                yield _dropped(
                    "networkd.value", f"{line.key}={one_line(value)} is none the reader knows", "The line is passed over.", f"Write {odd}.", where
                )  # fmt: skip
            elif line.key == "Address" and line.section in ("Network", "Address") and value and "/" not in value:
                yield _dropped(
                    "networkd.address-alone", f"Address={one_line(value)} does not say its net", "The reader takes it for a net of this one address: nobody in the place is reached.",
                    "Write the length of the net behind it, 192.168.1.20/24.", where,
                )  # fmt: skip
            matched = matched or (line.section == "Match" and bool(value) and (not odd or _some_name(value)))
            if (line.section, line.key) == ("Network", "DHCP"):
                addressed = addressed or DHCP.get(value.lower(), "no") != "no"
            elif line.key == "Address" and line.section in ("Network", "Address"):
                addressed = addressed or (bool(value) and not odd)
    if not matched:
        yield Finding("networkd.no-match", Severity.STOP, "It does not say which device it is for", "Without [Match] the reader passes over the whole file.",
                      "Add [Match] with Type=wlan, or with the device's name.", Where(file=path), SOURCE)  # fmt: skip
    if not addressed:
        yield Finding("networkd.no-address", Severity.CHECK, "No address is asked for", "The device would join and never be reached by an address of this network.",
                      "Add DHCP=yes to [Network].", Where(file=path), SOURCE)  # fmt: skip


def _joined(text: str) -> Iterator[SectionLine]:
    """Yield every line that says something; one that ends in a backslash goes on with the next that is no comment. Source: systemd.syntax(7)."""
    held: SectionLine | None = None
    lines, last = text.split("\n"), 0
    for line in read_lines(text):
        if held is not None and any(not between.strip() for between in lines[last : line.number - 1]):
            yield held
            held = None
        last = line.number
        if held is not None:
            line = replace(held, value=f"{held.value[:-1]} {line.raw.strip()}", raw=line.raw)
        held = line if line.key and line.raw.endswith("\\") else None
        if held is None:
            yield line
    if held is not None:
        yield held


def _odd(section: str, key: str, value: str) -> str:
    """Return what to write instead where the reader passes over a value; empty where it takes it, or nobody here knows."""
    if not value:
        return ""  # empties what was said before
    if (section, key) == ("Match", "Name"):
        # Names that the kernel gives to no device; shell patterns are taken (net/core/dev.c, dev_valid_name).
        return "" if all(map(_is_name, value.removeprefix("!").split())) else "the device's name, wlan0"
    if (section, key) == ("Network", "DHCP"):
        return "" if value.lower() in DHCP else "DHCP=yes"
    if key == "Address" and section in ("Network", "Address"):
        return "" if _address_like(value) else "an address with the length of its net, 192.168.1.20/24"
    if key == "Gateway" and section in ("Network", "Route"):
        special = section == "Route" and value in ("_dhcp4", "_ipv6ra", "_dhcp")
        return "" if _is_ip(value) or special else "one address, 192.168.1.1"
    return ""


def _is_name(word: str) -> bool:
    odd = not word.isascii() or len(word) > MOST_NAME or word.isdigit() or re.search(r"[/:%\\]", word)
    return not odd and word not in (".", "..", "all", "default")


def _some_name(value: str) -> bool:
    """Whether one of several names is one: the others are passed over."""
    return any(map(_is_name, value.removeprefix("!").split()))


def _is_vlan(value: str) -> bool:
    return bool(re.fullmatch(r"[0-9]{1,9}", value)) and 1 <= int(value) <= 4094


def _address_like(value: str) -> bool:
    address, slash, length = value.partition("/")
    if not _is_ip(address):
        return False
    most = 128 if ":" in address else 32
    return not slash or (bool(re.fullmatch(r"0{0,9}[0-9]{1,3}", length)) and int(length) <= most)


def _is_ip(value: str) -> bool:
    return is_address(value) and "%" not in value


def _dropped(code: str, title: str, detail: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.CHECK, title, detail, fix, where, SOURCE)


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return which address is taken, on which device."""
    said = {(line.section, line.key): line.value.strip() for line in read_lines(text) if line.key}
    asked = DHCP.get(said.get(("Network", "DHCP"), "").lower(), "no") != "no"
    addresses = (said.get((section, "Address"), "") for section in ("Network", "Address"))
    fixed = next((one for one in addresses if one and not _odd("Network", "Address", one)), "")
    if not any(section == "Match" for section, _ in said):
        return NOTHING
    return Meaning(address=BY_ITSELF, beside=one_line(fixed)) if asked else Meaning(address=one_line(fixed))
