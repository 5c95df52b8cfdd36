"""Networks of the connection manager ConnMan that a file brings along. Source: connman-service.config(5)."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.keyfile_fields import unescaped
from mintseed.core.settings.meaning import KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.sections import read_lines, set_key
from mintseed.core.settings.values import (
    PASSPHRASE_LEAST,
    PASSPHRASE_MOST,
    SSID_MOST_OCTETS,
    KnownNetwork,
    SettingValues,
)
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "connman-service.config(5)"

SERVICE_KEYS = frozenset(
    [
        "Type", "MAC", "DeviceName", "IPv4", "IPv6", "IPv6.Privacy", "Nameservers", "SearchDomains", "Timeservers", "Domain", "mDNS", "Name", "SSID", "Passphrase", "Security", "Hidden", "EAP",
        "CACertFile", "ClientCertFile", "PrivateKeyFile", "PrivateKeyPassphrase", "PrivateKeyPassphraseType", "Identity", "AnonymousIdentity", "SubjectMatch",
        "AltSubjectMatch", "DomainSuffixMatch", "DomainMatch", "Phase2", "VLANID", "ReadOnly",
    ]
)  # fmt: skip


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network and its derived key in the first service of type wifi, or in a new one, and further networks in services
    of their own. A name is written as octets in hex where it holds anything a line could lose."""
    lines = text.split("\n")
    service = next(
        (
            line.section
            for line in read_lines(text)
            if line.section.startswith("service_") and line.key == "Type" and line.value.strip() == "wifi"
        ),
        "service_wifi",
    )
    _set(lines, service, values.networks[0], values.address)
    for number, network in enumerate(values.networks[1:], 2):
        _set(lines, _service_of(lines, network, number), network, values.address)
    return "\n".join(lines)


def _service_of(lines: list[str], network: KnownNetwork, number: int) -> str:
    """Return the service that names `network` already, else a name for a new one."""
    ours = {("Name", network.ssid), ("SSID", network.ssid.encode().hex())}
    named = (line.section for line in read_lines("\n".join(lines)) if (line.key, line.value.rstrip()) in ours)
    return next(named, f"service_wifi_{number}")


def _set(lines: list[str], service: str, network: KnownNetwork, address: FixedAddress | None) -> None:
    plain = re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9 _.-]*", network.ssid) and network.ssid == network.ssid.strip()
    gone = (("SSID",) if plain else ("Name",)) + ("EAP", "Identity", "MAC", "DeviceName")
    _drop(lines, service, (*gone, "Passphrase") if network.open else gone)
    set_key(lines, service, "Type", "wifi", blanks=" ")
    name = ("Name", network.ssid) if plain else ("SSID", network.ssid.encode().hex())
    set_key(lines, service, *name, blanks=" ")
    set_key(lines, service, "Security", "none" if network.open else "psk", blanks=" ")
    if not network.open:
        set_key(lines, service, "Passphrase", network.key, blanks=" ")
    if network.hidden:
        set_key(lines, service, "Hidden", "true", blanks=" ")
    if address is not None:
        said = (address.address, address.netmask, *([address.gateway] if address.gateway else []))
        set_key(lines, service, "IPv4", "/".join(said), blanks=" ")
        if address.dns:
            set_key(lines, service, "Nameservers", ",".join(address.dns), blanks=" ")


def _drop(lines: list[str], section: str, keys: tuple[str, ...]) -> None:
    gone = [line.number - 1 for line in read_lines("\n".join(lines)) if line.section == section and line.key in keys]
    for number in reversed(gone):
        del lines[number]


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what the reader would refuse or pass over."""
    services: dict[str, dict[str, str]] = {}
    first: dict[str, int] = {}
    for line in read_lines(text, ("#",)):
        where = Where(file=path, line=line.number)
        if line.opens:
            first.setdefault(line.section, line.number)
            if line.section.startswith("service_"):
                services.setdefault(line.section, {})
            elif line.section != "global":
                yield Finding("connman.section-unknown", Severity.CHECK, f"[{line.section}] is not a section", "The reader passes over what stands below it.",
                              "Call it service_ and a name of your own.", where, SOURCE)  # fmt: skip
        elif line.key is None or not line.section:
            yield Finding("connman.line", Severity.STOP, f"Line {line.number} is no setting", "The reader refuses the whole file because of it.",
                          "Write Key = value below a [service_…].", where, SOURCE)  # fmt: skip
        elif line.section in services:
            value = unescaped(line.value.rstrip())
            services[line.section][line.key] = value or ""
            if value is None:
                severity = Severity.STOP if line.key == "Passphrase" else Severity.CHECK
                yield Finding("connman.value-dropped", severity, f"{line.key} is passed over", "A backslash before such a letter spoils the line (GLib, key-value file parser).",
                              "Write \\\\ for a backslash.", where, SOURCE)  # fmt: skip
            if line.key not in SERVICE_KEYS and not line.key.startswith(("IPv4.", "IPv6.")):
                yield Finding("connman.key-unknown", Severity.CHECK, f"{line.key} is no key of a service", "The reader passes over it.",
                              "Mend the word, or take the line out.", where, SOURCE)  # fmt: skip
    if not services:
        yield Finding("connman.no-service", Severity.STOP, "No network is named in this file", "The reader joins nothing by it.",
                      "Add [service_wifi] with Type, Name and Passphrase.", Where(file=path), SOURCE)  # fmt: skip
    elif (
        file is not None
        and file.when == "wifi"
        and not any(said.get("Type") in ("wifi", None) for said in services.values())
    ):
        yield Finding("wifi.no-network", Severity.STOP, "No Wi-Fi network is named in this file", "The radio stays off.",
                      "Write Type = wifi in its service.", Where(file=path, line=first[next(iter(services))]), SOURCE)  # fmt: skip
    for name, said in services.items():
        yield from _service(said, Where(file=path, line=first[name]))


def _address_fits(version: int, value: str) -> tuple[bool, bool]:
    """Whether the reader takes what is said of an address, and whether the rest of it is as it has to be."""
    if value in ("off", "dhcp", "auto"):
        return True, value != ("auto" if version == 4 else "dhcp")
    address, *rest = value.split("/")
    loose = (
        bool(rest) and bool(rest[0]) and all(_is_loosely(version, one) for one in (address, *filter(None, rest[1:])))
    )
    strict = _is_address(version, address) and all(part.isdigit() or _is_address(version, part) for part in rest)
    return loose, strict


def _is_loosely(version: int, text: str) -> bool:
    """Whether the C library makes an address of it: for IPv4 fewer than four numbers do. Source: inet(3), inet_aton."""
    if version == 6:
        return _is_address(6, text)
    parts = text.split(".")
    if not 1 <= len(parts) <= 4 or not all(
        re.fullmatch(r"0[xX][0-9a-fA-F]{1,8}|0[0-7]{0,11}|[1-9][0-9]{0,9}", part) for part in parts
    ):
        return False
    numbers = [int(part, 16) if part[:2] in ("0x", "0X") else int(part, 8 if part[0] == "0" else 10) for part in parts]
    return all(n < 256 for n in numbers[:-1]) and numbers[-1] < 256 ** (5 - len(parts))


def _is_address(version: int, text: str) -> bool:
    try:
        return ipaddress.ip_address(text).version == version
    except ValueError:
        return False


def _service(said: dict[str, str], where: Where) -> Iterator[Finding]:
    if not said.get("Type"):
        yield Finding("connman.no-type", Severity.STOP, "It does not say what it connects", "The reader passes over a service without Type.",
                      "Add Type = wifi.", where, SOURCE)  # fmt: skip
    for version, key in ((4, "IPv4"), (6, "IPv6")):
        first, whole = _address_fits(version, said[key]) if key in said else (True, True)
        if not (first and whole):
            yield Finding("connman.address", Severity.CHECK if first else Severity.STOP, f"{key} = {one_line(said[key])} is no address with its net and its way out",
                          "The reader takes it, and what it makes of the rest is luck." if first else "The reader passes over the whole service because of it.",
                          "Write dhcp, off, or 192.168.1.20/255.255.255.0/192.168.1.1." if version == 4 else "Write auto, off, or an address and the length of its net.", where, SOURCE)  # fmt: skip
    if said.get("Type") != "wifi":
        return
    ssid, name = said.get("SSID", ""), said.get("Name", "")
    octets = len(ssid) // 2 if ssid else len(name.encode())
    if not ssid and not name:
        yield Finding("wifi.ssid-missing", Severity.STOP, "No network name", "The reader passes over it.", "Add Name =, as your phone lists it.", where, SOURCE)  # fmt: skip
    elif octets > SSID_MOST_OCTETS or (ssid and not re.fullmatch(r"([0-9a-fA-F]{2})+", ssid)):
        yield Finding("wifi.ssid-length", Severity.STOP, f"The network name has {octets} octets", "No network has such a name.", f"At most {SSID_MOST_OCTETS}, and SSID in hex.", where, SOURCE)  # fmt: skip
    key, security = said.get("Passphrase", ""), said.get("Security", "psk" if said.get("Passphrase") else "none")
    if (
        security == "psk"
        and not re.fullmatch(r"[0-9a-fA-F]{64}", key)
        and not PASSPHRASE_LEAST <= len(key.encode()) <= PASSPHRASE_MOST
    ):
        yield Finding("wifi.passphrase-length" if key else "wifi.key-missing", Severity.STOP, f"The reader sees a passphrase of {counted(len(key.encode()), 'character')}" if key else "The key is not in the file",
                      "The network is not joined.", f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed.", where, SOURCE)  # fmt: skip
    elif not key and security == "ieee8021x" and said.get("Identity"):
        return
    elif not key and security == "ieee8021x":
        yield Finding("wifi.key-management-other", Severity.STOP, f"It would join with {security}, not with a passphrase", "No account stands there: the board would start and never join.",
                      "Write Security = psk, and the passphrase.", where, SOURCE)  # fmt: skip
    elif not key and said.get("Security") != "none" and (name or ssid):
        yield Finding("wifi.open", Severity.CHECK, f"{one_line(_joined(said).name)} would be joined without a passphrase", "That is right for an open network alone.",
                      "Add Passphrase =, or write Security = none.", where, SOURCE)  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the networks it names; none of a service that its reader passes over, and nothing of a file that it refuses."""
    services: dict[str, dict[str, str]] = {}
    for line in read_lines(text, ("#",)):
        if not line.opens and (line.key is None or not line.section):
            return NOTHING
        if line.key and line.section.startswith("service_"):
            services.setdefault(line.section, {})[line.key] = unescaped(line.value.rstrip()) or ""
    joined = [
        said for said in services.values()
        if said.get("Type") == "wifi" and said.get("Security", "").lower() != "ieee8021x" and (said.get("Name") or said.get("SSID")) and not any(f.severity is Severity.STOP for f in _service(said, Where(file=path)))
    ]  # fmt: skip
    fixed = next((s["IPv4"] for s in joined if re.match(r"[0-9]", s.get("IPv4", ""))), "")
    return Meaning(tuple(_joined(said) for said in joined), address=one_line(fixed.partition("/")[0]))


def _joined(said: dict[str, str]) -> Joined:
    name = said.get("Name", "")
    if not name and re.fullmatch(r"([0-9a-fA-F]{2})+", said.get("SSID", "")):
        name = bytes.fromhex(said["SSID"]).decode("utf-8", "replace")
    key = said.get("Passphrase", "")
    how = KEY if re.fullmatch(r"[0-9a-fA-F]{64}", key) else PHRASE if key else OPEN
    return Joined(name, how, said.get("Hidden", "").lower() == "true")
