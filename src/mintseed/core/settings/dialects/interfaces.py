"""/etc/network/interfaces and the files it brings in. Source: interfaces(5), and what ifquery(8) says of a file; for the Wi-Fi words what
wpasupplicant's scripts for ifupdown make of them (its README.Debian).
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import BY_ITSELF, KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.text import append_lines
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SSID_MOST_OCTETS, SettingValues
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "interfaces(5)"

METHODS = {
    "inet": frozenset(["loopback", "static", "manual", "dhcp", "bootp", "tunnel", "ppp", "wvdial", "ipv4ll"]),
    "inet6": frozenset(["loopback", "auto", "static", "manual", "dhcp", "v4tunnel", "6to4"]),
    "ipx": frozenset(["static", "dynamic"]),
    "can": frozenset(["static"]),
}
"""how each family of addresses is set up. Source: interfaces(5), ifupdown 0.8.41"""

_OPENS = re.compile(r"(iface|mapping|auto|allow-\S+|source|source-directory|rename|no-auto-down|no-scripts)(?=\s|$)")
_BY_ITSELF = ("auto", "allow-auto", "allow-hotplug")
_HEX_KEY = re.compile(r"[0-9a-fA-F]{64}")
_AWAY = (
    "wpa-bssid",
    "wpa-freq-list",
    "wpa-scan-freq",
    "wpa-key-mgmt",
    "wpa-proto",
    "wpa-mode",
    "wpa-passphrase",
    "wpa-essid",
    "wpa-psk-file",
    "wpa-passphrase-file",
    "wpa-conf",
    "wpa-roam",
    "wireless-essid",
    "wireless-key",
    "wireless-mode",
)
"""words that bring it to another network, or keep it from this one"""


@dataclass
class Stanza:
    """One `iface`. `line`: index of its first line; `end`: of the line after its last one that says something."""

    device: str
    family: str
    method: str
    line: int
    end: int
    options: dict[str, str] = field(default_factory=dict)
    at: dict[str, list[tuple[int, int]]] = field(default_factory=dict)
    """where each stands, from its first line to the one behind its last: a backslash at a line's end has it go on"""


@dataclass
class _Read:
    stanzas: list[Stanza]
    by_itself: set[str]
    findings: list[Finding]
    sources: list[str]


BLANKS = " \t\r\f\v"
"""what its reader, in C, takes for blanks; others are letters"""


def device_of(file: FileToFill | None) -> str:
    """Return the network device a file is filled for."""
    return file.device if file is not None else "wlan0"


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network set in the stanza of the radio, which is brought up by itself; all other lines stay.

    Raises SettingsFileError for a name that no line of such a file can carry.
    """
    device = device_of(file)
    lines = text.split("\n")
    read = _read(text, file.place)
    stanza = next((s for s in read.stanzas if s.device == device and s.family == "inet"), None)
    name = ssid_value(values.ssid, file.place)
    options = {"wpa-ssid": name, **({"wpa-key-mgmt": "NONE"} if values.open_network else {"wpa-psk": values.key})}
    away = {*_AWAY, *(("wpa-psk",) if values.open_network else ())} - options.keys()
    if values.hidden:
        options["wpa-scan-ssid"] = "1"
    if values.address is not None:
        options |= _address_words(values.address)
        away |= {"netmask", "network", "broadcast", *_ADDRESS_WORDS} - options.keys()
    if stanza is None:
        method = "static" if values.address else "dhcp"
        up = [] if device in read.by_itself else [f"allow-hotplug {device}"]
        gap = [""] if text.strip() else []
        append_lines(
            lines,
            [*gap, *up, f"iface {device} inet {method}", *(f"    {key} {value}" for key, value in options.items())],
        )
        return "\n".join(lines)
    fresh = dict(options)
    changed: dict[int, list[str]] = {}
    for key, places in stanza.at.items():
        for count, (first, behind) in enumerate(places):
            if key in away or (key in options and count):
                changed |= {number: [] for number in range(first, behind)}
            elif key in options:
                if stanza.options[key] != options[key] or behind - first > 1 or len(places) > 1:
                    changed |= {number: [] for number in range(first, behind)}
                    changed[first] = [f"{_indent(lines[first])}{key} {options[key]}"]
                fresh.pop(key)
    indent = _indent(lines[stanza.end - 1]) or "    "
    kept = [said for number, line in enumerate(lines[: stanza.end]) for said in changed.get(number, [line])]
    kept += [*(f"{indent}{key} {value}" for key, value in fresh.items()), *lines[stanza.end :]]
    if values.address is not None and stanza.method != "static":
        kept[stanza.line] = f"{_indent(kept[stanza.line])}iface {device} inet static"
    if device not in read.by_itself:
        kept.insert(stanza.line, f"allow-hotplug {device}")
    return "\n".join(kept)


_ADDRESS_WORDS = ("address", "gateway", "dns-nameservers")
"""dns-nameservers: of resolvconf, which Debian's images bring or leave out; without it the word is passed over"""


def _address_words(at: FixedAddress) -> dict[str, str]:
    said = dict(zip(_ADDRESS_WORDS, (at.cidr, at.gateway, " ".join(at.dns)), strict=True))
    return {key: value for key, value in said.items() if value}


def _indent(line: str) -> str:
    return line[: len(line) - len(line.lstrip())]


def ssid_value(ssid: str, place: str) -> str:
    """Return `ssid` as its scripts take it: as it is, in quotes where a blank stands at an end of it or it has quotes itself."""
    if any(ord(c) < 32 or ord(c) == 127 for c in ssid) or ssid.endswith("\\"):
        raise SettingsFileError(f"the network name {ssid!r} cannot stand in this file", expected="no control letters and no backslash at its end", where=place,
                                next_step="Use another network, or the cable.")  # fmt: skip
    quoted = ssid != ssid.strip(BLANKS) or (ssid.startswith('"') and ssid.endswith('"'))
    if quoted and "\\" in ssid:
        # Its script takes quotes off with an echo that acts on backslashes.
        raise SettingsFileError(f"the network name {ssid!r} cannot stand in this file", expected="no backslash beside blanks or quotes at its ends", where=place,
                                next_step="Use another network, or the cable.")  # fmt: skip
    return f'"{ssid}"' if quoted else ssid


def _read(text: str, path: str) -> _Read:
    """Return what ifupdown sees of a text, and why it would refuse it."""
    read = _Read([], set(), [], [])
    inside: Stanza | None = None
    mapping = False
    lines = text.split("\n")
    at = 0
    while at < len(lines):
        number, line = at, lines[at].strip(BLANKS)
        at += 1
        if not line or line.startswith("#"):
            continue
        while line.endswith("\\") and at < len(lines):
            line = line[:-1] + lines[at].strip(BLANKS)
            at += 1
        where = Where(file=path, line=number + 1)
        if opened := _OPENS.match(line):
            inside, mapping = None, opened[1] == "mapping"
            words = re.split(f"[{BLANKS}]+", line)
            if opened[1] == "iface":
                inside = _stanza(words, number, at, where, read.findings)
                if inside is not None:
                    read.stanzas.append(inside)
            elif opened[1] in _BY_ITSELF:
                read.by_itself.update(words[1:])
            elif opened[1].startswith("source"):
                read.sources += words[1:]
            continue
        key, value = (*re.split(f"[{BLANKS}]+", line, maxsplit=1), "")[:2]
        if key != key.lower() and _OPENS.match(key.lower()):
            read.findings.append(
                Finding("interfaces.misplaced", Severity.STOP if inside is None and not mapping else Severity.CHECK, f"{key} in line {number + 1} begins with a capital letter", "The reader takes it for a word of the stanza above.",
                        f"Write {key.lower()}.", where, SOURCE)
            )  # fmt: skip
        elif inside is None and not mapping:
            read.findings.append(
                _refused(
                    "interfaces.misplaced",
                    f"Line {number + 1} belongs to no iface",
                    "Write it below the line iface …, or put # before it.",
                    where,
                )
            )
        elif not value:
            read.findings.append(
                _refused(
                    "interfaces.no-value",
                    f"{key} in line {number + 1} has no value",
                    "Write a blank between word and value, and no equals sign.",
                    where,
                )
            )
        elif inside is not None:
            if key in inside.options and key.startswith("wpa-"):
                read.findings.append(Finding("interfaces.option-doubled", Severity.STOP, f"{key} stands here twice", "Both are taken together, with a line end between them: no network has such a name or key.",
                                             "Keep one.", where, SOURCE))  # fmt: skip
            inside.options[key], inside.end = value, at
            inside.at.setdefault(key, []).append((number, at))
    return read


def _stanza(words: list[str], number: int, end: int, where: Where, found: list[Finding]) -> Stanza | None:
    device, family, method = (*words[1:4], "", "", "")[:3]
    inherits = "inherits" in words
    if not inherits and family not in METHODS:
        found.append(
            _refused(
                "interfaces.family",
                f"{family} is no kind of address"
                if family
                else f"Line {where.line} does not say which kind of address",
                f"Write iface {device or 'wlan0'} inet dhcp.",
                where,
            )
        )
    elif not inherits and method not in METHODS[family]:
        found.append(
            _refused(
                "interfaces.method",
                f"{method or 'Nothing'} is no way to set an address up",
                f"Write iface {device} {family} dhcp.",
                where,
            )
        )
    return Stanza(device, family, method, number, end)


def _refused(code: str, title: str, fix: str, where: Where) -> Finding:
    return Finding(
        code,
        Severity.STOP,
        title,
        "The reader refuses the whole file because of it, and no device comes up.",
        fix,
        where,
        SOURCE,
    )


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what ifupdown would refuse, and what keeps a radio from its network."""
    read = _read(text, path)
    yield from read.findings
    for stanza in read.stanzas:
        where = Where(file=path, line=stanza.line + 1)
        yield from _address(stanza, where)
        if any(key.startswith("wpa-") for key in stanza.options):
            yield from _wifi(stanza, read.by_itself, path)
    if (
        file is not None
        and file.when == "wifi"
        and not any(key.startswith("wpa-") for s in read.stanzas for key in s.options)
    ):
        yield Finding("wifi.no-network", Severity.STOP, "No Wi-Fi network is named in this file", "The radio stays off.",
                      f"Add iface {file.device} inet dhcp, with wpa-ssid and wpa-psk below it.", Where(file=path), SOURCE)  # fmt: skip


def _address(stanza: Stanza, where: Where) -> Iterator[Finding]:
    if stanza.method != "static" or stanza.family not in ("inet", "inet6"):
        return
    said = stanza.options.get("address", "")
    try:
        network = ipaddress.ip_interface(
            f"{said}/{stanza.options['netmask']}" if "netmask" in stanza.options and "/" not in said else said
        ).network
    except ValueError:
        yield Finding("interfaces.address", Severity.STOP, f"{said or 'Nothing'} is no address" if said else "A fixed address is wanted, and none is said", "The device would not come up.",
                      "Write address 192.168.1.20/24, or dhcp in place of static.", where, SOURCE)  # fmt: skip
        return
    gateway = stanza.options.get("gateway", "")
    if gateway:
        try:
            inside = ipaddress.ip_address(gateway) in network
        except ValueError:
            inside = False
        if not inside:
            yield Finding("interfaces.gateway", Severity.STOP, f"The gateway {gateway} is not in {network}", "The device would come up and reach nothing outside.",
                          "Write the router's address of this network.", where, SOURCE)  # fmt: skip


def _wifi(stanza: Stanza, by_itself: set[str], path: str) -> Iterator[Finding]:
    def at(key: str) -> Where:
        return Where(file=path, line=stanza.at[key][0][0] + 1 if key in stanza.at else stanza.line + 1)

    options = stanza.options
    if stanza.method == "loopback":
        yield Finding("interfaces.loopback", Severity.STOP, f"The network stands below {stanza.device}, which leads nowhere", "No radio joins it.",
                      "Write iface wlan0 inet dhcp above it.", at("wpa-ssid"), SOURCE)  # fmt: skip
    if stanza.device not in by_itself:
        yield Finding("wifi.disabled", Severity.STOP, f"Nothing brings {stanza.device} up", "A stanza alone does nothing.",
                      f"Write allow-hotplug {stanza.device} above it.", Where(file=path, line=stanza.line + 1), SOURCE)  # fmt: skip
    if "wpa-conf" in options or "wpa-roam" in options:
        return
    said = _said(options)
    named, keyed = (
        ("wpa-essid" if "wpa-essid" in options else "wpa-ssid"),
        ("wpa-passphrase" if "wpa-passphrase" in options else "wpa-psk"),
    )
    if not said.name:
        yield Finding("wifi.ssid-missing", Severity.STOP, "No network name", "It would join nothing.", "Add wpa-ssid and the name.", at("wpa-psk"), SOURCE)  # fmt: skip
    elif len(said.name.encode()) > SSID_MOST_OCTETS:
        yield Finding("wifi.ssid-length", Severity.STOP, f"The network name has {len(said.name.encode())} octets", "No network has such a name.", f"At most {SSID_MOST_OCTETS}.", at(named), SOURCE)  # fmt: skip
    if options.get("wpa-mode", "0") != "0":
        yield Finding("wifi.mode-other", Severity.STOP, "It would not join, but be a network of another kind", "Others may take it for the one that is meant.", "Take wpa-mode out.", at("wpa-mode"), SOURCE)  # fmt: skip
    if said.account and options.get("wpa-identity"):
        return
    if said.account:
        yield Finding("wifi.key-management-other", Severity.STOP, f"It would join with {one_line(options['wpa-key-mgmt'])}, not with a passphrase", "No account stands there: the board would start and never join.",
                      "Take wpa-key-mgmt out.", at("wpa-key-mgmt"), SOURCE)  # fmt: skip
    elif said.keyless and said.key:
        yield Finding("wifi.key-unused", Severity.CHECK, "A key stands there and is not used", f"As it stands, {one_line(said.name)} would be joined without a passphrase: so wpa-key-mgmt says.", "Take wpa-key-mgmt out.", at("wpa-key-mgmt"), SOURCE)  # fmt: skip
    elif said.keyless or (not said.key and said.file):
        return
    elif not said.key:
        yield Finding("wifi.key-missing", Severity.STOP, "The key is not in the file", "It would join nothing that has one.", "Add wpa-psk.", at(named), SOURCE)  # fmt: skip
    elif not _HEX_KEY.fullmatch(said.key) and not PASSPHRASE_LEAST <= len(said.key) <= PASSPHRASE_MOST:
        yield Finding("wifi.passphrase-length", Severity.STOP, f"The reader sees a passphrase of {counted(len(said.key), 'character')}", "The network is not joined.",
                      f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed, or 64 hex digits.", at(keyed), SOURCE)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Said:
    """What ifupdown's hook hands on of a stanza's words. `file`: of the device, that the key is read from; `keyless`: nothing opens the network;
    `account`: only an account of somebody's does."""

    name: str
    key: str
    file: str
    keyless: bool
    account: bool


def _said(options: Mapping[str, str]) -> _Said:
    """Source: functions.sh of wpasupplicant 2.10, where the older words count before the newer, and quotes around a value are taken off."""
    management = set(options.get("wpa-key-mgmt", "WPA-PSK").upper().split())
    protected = any("PSK" in one or one in ("SAE", "FT-SAE") for one in management)
    return _Said(
        _unquoted(options.get("wpa-essid", "") or options.get("wpa-ssid", "")), _unquoted(options.get("wpa-passphrase", "") or options.get("wpa-psk", "")),
        "" if options.get("wpa-passphrase") else options.get("wpa-passphrase-file", "") or options.get("wpa-psk-file", ""),
        not protected and "NONE" in management, not protected and "NONE" not in management,
    )  # fmt: skip


def _unquoted(value: str) -> str:
    return value[1:-1] if len(value) > 1 and value[0] == value[-1] == '"' else value


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the network its radio joins and the address it takes; nothing where its reader refuses the file."""
    read = _read(text, path)
    if any(f.severity is Severity.STOP for f in read.findings):
        return NOTHING
    joins: list[Joined] = []
    address = ""
    for stanza in read.stanzas:
        said = _said(stanza.options)
        if stanza.device not in read.by_itself or stanza.method == "loopback":
            continue
        if stanza.method in ("dhcp", "static"):
            address = BY_ITSELF if stanza.method == "dhcp" else stanza.options.get("address", "")
        if said.name and not said.account:
            of_key = KEY if said.file or _HEX_KEY.fullmatch(said.key) else PHRASE if said.key else OPEN
            joins.append(
                Joined(said.name, OPEN if said.keyless else of_key, stanza.options.get("wpa-scan-ssid") == "1")
            )
    return Meaning(tuple(joins), address=address)
