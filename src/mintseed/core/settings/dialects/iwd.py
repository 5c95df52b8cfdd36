"""A network of iwd: a file of the network's name, with its key. Source: iwd.network(5).

The file is called after the network: as it is where its name has letters, digits, blanks, _ and - alone, else = and its octets in hex. A plain name
in hex is not read: iwd finds the file, looks for it under the plain name, and gives it up ("Error loading", iwd 2.3, seen).
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.keyfile_fields import escaped
from mintseed.core.settings.meaning import KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.sections import read_lines, set_key, span
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SettingValues
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "iwd.network(5)"
_KEY = re.compile(r"[0-9a-fA-F]{64}")
_TRUE = ("true", "1", "yes", "on")
_BOOLEANS = ("true", "false", "1", "0", "yes", "no", "on", "off")


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the derived key; a passphrase that stands there goes, since it could be another network's. For WPA3, which works
    from nothing else, the passphrase, and the key goes."""
    gone = ("PreSharedKey" if values.wpa3_only else "Passphrase", "SAE-PT-Group19", "SAE-PT-Group20")
    lines = [line for line in text.split("\n") if line.partition("=")[0].strip() not in gone]
    if values.open_network:
        lines = [line for line in lines if line.partition("=")[0].strip() not in ("Passphrase", "PreSharedKey")]
        while (found := span(lines, "Security")) and not any("=" in line for line in lines[found[0] : found[1]]):
            del lines[found[0] : found[1]]
        set_key(lines, "Settings", "AutoConnect", "true", same=_TRUE)
    elif values.wpa3_only:
        set_key(lines, "Security", "Passphrase", escaped(values.passphrase))
    else:
        set_key(lines, "Security", "PreSharedKey", values.key)
    if values.hidden:
        set_key(lines, "Settings", "Hidden", "true")
    if _off(lines):
        set_key(lines, "Settings", "AutoConnect", "true")
    if at := values.address:
        said = [("Address", at.address), ("Netmask", at.netmask), ("Gateway", at.gateway), ("DNS", " ".join(at.dns))]
        for key, value in said:
            if value:
                set_key(lines, "IPv4", key, value)
    return "\n".join(lines)


def _off(lines: list[str]) -> bool:
    return any(re.fullmatch(r"\s*AutoConnect\s*=\s*(false|0|no|off)\s*", line) for line in lines)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what iwd would refuse, and what keeps it from joining by itself."""
    yield from _check_name(path)
    key = phrase = ""
    fixed = 0
    for line in read_lines(text, ("#",)):
        where = Where(file=path, line=line.number)
        if line.opens:
            if line.section not in ("Security", "Settings", "IPv4", "IPv6", "Network") and not line.section.startswith(
                "@"
            ):
                yield Finding("iwd.section-unknown", Severity.CHECK, f"[{line.section}] is not a section", "The reader passes over what stands below it.",
                              "Mend the word: capital and small letters count.", where, SOURCE)  # fmt: skip
        elif line.key is None or not line.section:
            yield Finding("iwd.line", Severity.STOP, f"Line {line.number} is no setting", "The reader refuses the whole file because of it.",
                          "Write Key=value below a [Section].", where, SOURCE)  # fmt: skip
        elif (line.section, line.key) == ("IPv4", "Address"):
            fixed = line.number
        elif (line.section, line.key) == ("Security", "PreSharedKey"):
            key = line.value.strip()
            if not _KEY.fullmatch(key):
                yield Finding("wifi.key-shape", Severity.STOP, "The key is not 64 hex digits", "The reader takes no other.", "Write the derived key, or Passphrase= and the passphrase.", where, SOURCE)  # fmt: skip
        elif (line.section, line.key) == ("Security", "Passphrase"):
            phrase = line.value
            if not PASSPHRASE_LEAST <= len(phrase.encode()) <= PASSPHRASE_MOST:
                yield Finding("wifi.passphrase-length", Severity.STOP, f"The reader sees a passphrase of {counted(len(phrase.encode()), 'character')}",
                              "The network is not joined.", f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed.", where, SOURCE)  # fmt: skip
        elif line.section == "Settings" and line.key in ("AutoConnect", "Hidden", "AlwaysRandomizeAddress"):
            said = line.value.strip().lower()
            if said not in _BOOLEANS:
                yield Finding("iwd.value", Severity.CHECK, f"{line.key}={said} is neither true nor false", "The reader passes over it.", "Write true or false.", where, SOURCE)  # fmt: skip
            elif line.key == "AutoConnect" and said in ("false", "0", "no", "off"):
                yield Finding("wifi.disabled", Severity.STOP, "It would not connect by itself", "AutoConnect is off.", "Take the line AutoConnect= out.", where, SOURCE)  # fmt: skip
    if fixed:
        yield Finding("iwd.address-if", Severity.CHECK, "Its address counts only where iwd sets addresses itself", "Elsewhere another program does, and reads nothing of this file.",
                      "Look for EnableNetworkConfiguration=true in its main.conf.", Where(file=path, line=fixed), "iwd.config(5), General")  # fmt: skip
    if path.endswith(".psk") and not key and not phrase:
        yield Finding("wifi.key-missing", Severity.STOP, "The key is not in the file", "It would wait for somebody to type it.",
                      "Add [Security] with PreSharedKey= or Passphrase=.", Where(file=path), SOURCE)  # fmt: skip


_PLAIN = re.compile(r"[A-Za-z0-9 _-]+")


def stem(ssid: str) -> str:
    """Return how the file of a network is called, without its folder and its ending."""
    return ssid if _PLAIN.fullmatch(ssid) else f"={ssid.encode().hex()}"


def network_of(path: str) -> str | None:
    """Return the network a file is of, by its name; None for a name that is of none."""
    name = path.rsplit("/", 1)[-1].rpartition(".")[0]
    if not name.startswith("="):
        return name or None
    try:
        return bytes.fromhex(name[1:]).decode("utf-8", "replace")
    except ValueError:
        return None


def _check_name(path: str) -> Iterator[Finding]:
    """Yield what is wrong with how a file is called, where it has the ending of a network's file."""
    name, dot, ending = path.rsplit("/", 1)[-1].rpartition(".")
    if not dot or ending not in ("psk", "open", "8021x") or "{" in name:
        return
    ssid = network_of(path)
    if ssid is None or (not name.startswith("=") and not _PLAIN.fullmatch(name)):
        yield Finding("iwd.file-name", Severity.STOP, f"{one_line(name)}.{ending} is the name of no network's file", "Its reader passes over it.",
                      "Call it after the network: as it is if it has letters, digits, blanks, _ and - alone, else = and its octets in hex.", Where(file=path), SOURCE)  # fmt: skip
    elif name != stem(ssid) and (_PLAIN.fullmatch(ssid) or name[1:] != name[1:].lower()):
        yield Finding("iwd.file-name", Severity.STOP, f"The file of {one_line(ssid)} is called otherwise", f"Its reader looks for {one_line(stem(ssid))}.{ending} and does not find it.",
                      f"Rename it to {one_line(stem(ssid))}.{ending}.", Where(file=path), "iwd.network(5), and seen with iwd 2.3")  # fmt: skip


OPEN_ENDING = ".open"
"""of the file of a network without a passphrase, in the place of .psk"""


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the network whose name the file has, where it has a key for it."""
    said = {(line.section, line.key): line.value.strip() for line in read_lines(text, ("#",)) if line.key}
    ending = path.rpartition(".")[2]
    off = said.get(("Settings", "AutoConnect"), "true").lower() in ("false", "0", "no", "off")
    how = (
        KEY
        if ("Security", "PreSharedKey") in said
        else PHRASE
        if ("Security", "Passphrase") in said
        else OPEN
        if ending == "open"
        else ""
    )
    if off or not how:
        return NOTHING
    network = network_of(path)
    if network is None:
        return NOTHING
    return Meaning(
        (Joined(network, how, said.get(("Settings", "Hidden"), "").lower() == "true"),),
        address=one_line(said.get(("IPv4", "Address"), "")),
    )
