"""Networks of the connection manager ConnMan that a file brings along. Source: connman-service.config(5)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import KEY, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.sections import read_lines, set_key
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SSID_MOST_OCTETS, SettingValues

SOURCE = "connman-service.config(5)"

_KNOWN = frozenset(
    [
        "Type", "MAC", "DeviceName", "IPv4", "IPv6", "IPv6.Privacy", "Nameservers", "SearchDomains", "Timeservers", "Domain", "mDNS", "Name", "SSID", "Passphrase", "Security", "Hidden", "EAP",
        "CACertFile", "ClientCertFile", "PrivateKeyFile", "PrivateKeyPassphrase", "PrivateKeyPassphraseType", "Identity", "AnonymousIdentity", "SubjectMatch",
        "AltSubjectMatch", "DomainSuffixMatch", "DomainMatch", "Phase2", "VLANID", "ReadOnly",
    ]
)  # fmt: skip


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network and its derived key in the first service of type wifi, or in a new one. The name is written as octets in
    hex where it holds anything a line could lose."""
    lines = text.split("\n")
    service = next(
        (
            line.section
            for line in read_lines(text)
            if line.section.startswith("service_") and line.key == "Type" and line.value.strip() == "wifi"
        ),
        "service_wifi",
    )
    plain = re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9 _.-]*", values.ssid) and values.ssid == values.ssid.strip()
    gone = (("SSID",) if plain else ("Name",)) + ("EAP", "Identity", "MAC", "DeviceName")
    _drop(lines, service, gone)
    set_key(lines, service, "Type", "wifi", blanks=" ")
    set_key(lines, service, *(("Name", values.ssid) if plain else ("SSID", values.ssid.encode().hex())), blanks=" ")
    set_key(lines, service, "Security", "psk", blanks=" ")
    set_key(lines, service, "Passphrase", values.key, blanks=" ")
    if values.hidden:
        set_key(lines, service, "Hidden", "true", blanks=" ")
    return "\n".join(lines)


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
            services[line.section][line.key] = line.value.rstrip()
            if line.key not in _KNOWN and not line.key.startswith(("IPv4.", "IPv6.")):
                yield Finding("connman.key-unknown", Severity.CHECK, f"{line.key} is no key of a service", "The reader passes over it.",
                              "Mend the word, or take the line out.", where, SOURCE)  # fmt: skip
    if not services:
        yield Finding("connman.no-service", Severity.STOP, "No network is named in this file", "The reader joins nothing by it.",
                      "Add [service_wifi] with Type, Name and Passphrase.", Where(file=path), SOURCE)  # fmt: skip
    for name, said in services.items():
        yield from _service(said, Where(file=path, line=first[name]))


def _service(said: dict[str, str], where: Where) -> Iterator[Finding]:
    if not said.get("Type"):
        yield Finding("connman.no-type", Severity.STOP, "It does not say what it connects", "The reader passes over a service without Type.",
                      "Add Type = wifi.", where, SOURCE)  # fmt: skip
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
        yield Finding("wifi.passphrase-length" if key else "wifi.key-missing", Severity.STOP, f"The reader sees a passphrase of {len(key.encode())} characters" if key else "The key is not in the file",
                      "The network is not joined.", f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed.", where, SOURCE)  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the networks it names."""
    services: dict[str, dict[str, str]] = {}
    for line in read_lines(text, ("#",)):
        if line.key:
            services.setdefault(line.section, {})[line.key] = line.value.rstrip()
    return Meaning(
        tuple(
            _joined(said)
            for said in services.values()
            if said.get("Type") == "wifi" and (said.get("Name") or said.get("SSID"))
        )
    )


def _joined(said: dict[str, str]) -> Joined:
    name = said.get("Name", "")
    if not name and re.fullmatch(r"([0-9a-fA-F]{2})+", said.get("SSID", "")):
        name = bytes.fromhex(said["SSID"]).decode("utf-8", "replace")
    key = said.get("Passphrase", "")
    how = KEY if re.fullmatch(r"[0-9a-fA-F]{64}", key) else PHRASE if key else OPEN
    return Joined(name, how, said.get("Hidden", "").lower() == "true")
