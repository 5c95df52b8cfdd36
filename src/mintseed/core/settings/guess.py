"""What kind of settings file a text is, by what stands in it and not by what it is called.

A guess with its reason: nothing is filled and nothing is stopped because of one.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass

import yaml

from mintseed.core.site.ranges import is_address
from mintseed.core.site.ssh_keys import is_key

MOST_READ = 64 * 1024
"""bytes of a file that are looked at; a settings file is far shorter"""

MOST_YAML = 16 * 1024
"""characters that are read as YAML, which takes long"""


@dataclass(frozen=True, slots=True)
class Guess:
    """`kind`: what it is in a few words; `dialect`: the one that could fill it, empty where there is none yet; `why`: what told it."""

    kind: str
    dialect: str
    why: str


NOT_TOLD = Guess("", "", "")

HOSTS, SHADOW, LOGIN_KEYS = "names of hosts", "passwords of a system's accounts", "keys that log in"

_KEYS = re.compile(r"^[ \t]*(?:export[ \t]+)?([A-Za-z_][A-Za-z0-9_.-]*)[ \t]*=", re.MULTILINE)
_SECTION = re.compile(r"^[ \t]*\[([^\]\n]+)\][ \t]*$", re.MULTILINE)
_BLOCK = re.compile(r"^[ \t#;]*network[ \t]*=[ \t]*\{", re.MULTILINE)
_SHEBANG = re.compile(r"^#![ \t]*\S*/(?:env[ \t]+)?(\w+)")
_KERNEL_WORDS = ("root=", "console=", "rootwait", "rootfstype=", "init=", "quiet")


def guess(path: str, content: bytes) -> Guess:
    """Return what the file at `path` with `content` looks like; NOT_TOLD for what is no text or looks like nothing known."""
    name = path.rsplit("/", 1)[-1]
    if not content.strip():
        return (
            Guess("presence file", "presence", "It is empty: whoever reads it looks only whether it is there.")
            if not content
            else NOT_TOLD
        )
    if b"\0" in content[:MOST_READ]:
        return NOT_TOLD
    text = content[:MOST_READ].decode("utf-8", "replace").removeprefix("\ufeff").replace("\r\n", "\n")
    # What is called as one kind of file alone is that kind, in whatever state it is.
    named = next(
        (
            Guess(kind, dialect, f"It is called {name}.")
            for pattern, kind, dialect in _NAMES
            if re.fullmatch(pattern, name, re.IGNORECASE)
        ),
        None,
    )
    for looks in _LOOKS:
        if (found := looks(name, text)) and not (named and looks in _LIKE_MANY):
            return found
    return named or NOT_TOLD


_NAMES = (
    (r"wpa[_-]?supplicant.*\.conf.*", "Wi-Fi settings of the supplicant", "wpa-supplicant"),
    (r".*\.nmconnection.*", "connection of the network manager", "keyfile"),
    (r"user-data(\.\w+)?", "first-boot user data", "cloud-init-user-data"),
    (r"network-config(\.\w+)?", "network as cloud-init reads it", "cloud-init-network"),
    (r".*\.network", "network of systemd", "systemd-networkd"),
    (r"interfaces(\.txt)?", "network as ifupdown reads it", "interfaces"),
    (r"hosts", HOSTS, "hosts"),
    (r"shadow-?", SHADOW, "shadow"),
    (r"authorized_keys2?", LOGIN_KEYS, "authorized-keys"),
    (r".*\.json", "JSON", "json"),
    (r".*\.ya?ml", "YAML", "yaml"),
    (r".*\.toml", "TOML", "toml"),
    (r".*\.ini", "settings in sections", "ini"),
)
"""names that belong to one kind alone (the readers' manual pages, and common practice for endings)"""


def _cloud_config(name: str, text: str) -> Guess | None:
    if text.startswith("#cloud-config"):
        return Guess(
            "first-boot user data",
            "cloud-init-user-data",
            "Its first line is #cloud-config (cloud-init documentation, user-data formats).",
        )
    return None


def _script(name: str, text: str) -> Guess | None:
    found = _SHEBANG.match(text)
    return Guess("script", "", f"Its first line has it run by {found[1]}.") if found else None


def _supplicant(name: str, text: str) -> Guess | None:
    if not _BLOCK.search(text) and "ctrl_interface=" not in text:
        return None
    alive = re.search(r"^[ \t]*network[ \t]*=[ \t]*\{", text, re.MULTILINE) is not None
    has = (
        "It has a network={…} block"
        if alive
        else "It has a network={…} block, commented out"
        if _BLOCK.search(text)
        else "It sets ctrl_interface"
    )
    return Guess("Wi-Fi settings of the supplicant", "wpa-supplicant", f"{has} (wpa_supplicant.conf(5)).")


def _keyfile(name: str, text: str) -> Guess | None:
    sections = {s.strip() for s in _SECTION.findall(text)}
    if "connection" in sections and sections & {"wifi", "802-11-wireless", "ethernet", "802-3-ethernet", "ipv4"}:
        return Guess(
            "connection of the network manager",
            "keyfile",
            "It has [connection] and [wifi] or [ipv4] (nm-settings-keyfile(5)).",
        )
    return None


def _networkd(name: str, text: str) -> Guess | None:
    sections = {s.strip() for s in _SECTION.findall(text)}
    if "Match" in sections and "Network" in sections:
        return Guess("network of systemd", "systemd-networkd", "It has [Match] and [Network] (systemd.network(5)).")
    return None


def _interfaces(name: str, text: str) -> Guess | None:
    if re.search(r"^[ \t]*iface[ \t]+\S+[ \t]+inet", text, re.MULTILINE):
        return Guess("network as ifupdown reads it", "interfaces", "It has a line iface … inet (interfaces(5)).")
    return None


def _iwd(name: str, text: str) -> Guess | None:
    if name.endswith((".psk", ".open", ".8021x")) and _SECTION.search(text):
        return Guess("network of iwd", "iwd", "It is called after a network and has sections (iwd.network(5)).")
    return None


def _connman(name: str, text: str) -> Guess | None:
    if any(s.strip().startswith("service_") for s in _SECTION.findall(text)):
        return Guess("networks of connman", "connman", "It has a [service_…] (connman-service.config(5)).")
    return None


def _said(text: str) -> list[str]:
    """Return the lines that say something."""
    return [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]


def _shadow(name: str, text: str) -> Guess | None:
    lines = _said(text)
    if lines and all(re.fullmatch(r"[^:\s]+:[^:]*(?::[0-9]*){6}:[^:]*", line) for line in lines):
        return Guess(SHADOW, "shadow", "Its lines have nine fields with colons between (shadow(5)).")
    return None


def _hosts(name: str, text: str) -> Guess | None:
    lines = [line.split() for line in _said(text)]
    if lines and all(is_address(words[0]) and len(words) > 1 for words in lines):
        return Guess(HOSTS, "hosts", "Each of its lines is an address and names (hosts(5)).")
    return None


def _login_keys(name: str, text: str) -> Guess | None:
    lines = _said(text)
    if lines and all(map(is_key, lines)):
        return Guess(LOGIN_KEYS, "authorized-keys", "Each of its lines is a public key (sshd(8)).")
    return None


def _kernel_line(name: str, text: str) -> Guess | None:
    words = text.split()
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) == 1 and sum(any(w.startswith(k) for w in words) for k in _KERNEL_WORDS) >= 2:
        return Guess(
            "kernel command line",
            "",
            "One line with what a kernel is started with (kernel-parameters, Linux documentation).",
        )
    return None


def _json(name: str, text: str) -> Guess | None:
    if text.lstrip()[:1] not in ("{", "["):
        return None
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return None
    return Guess("JSON", "json", "It reads as JSON (RFC 8259).")


def _ini(name: str, text: str) -> Guess | None:
    if _SECTION.search(text) and _KEYS.search(text):
        first = _SECTION.findall(text)[0]
        return Guess(
            "settings in sections", "ini", f"It has sections, the first is [{first.strip()[:40]}], and keys with =."
        )
    return None


def _key_value(name: str, text: str) -> Guess | None:
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith(("#", ";"))]
    keyed = [line for line in lines if _KEYS.match(line)]
    if len(keyed) >= 1 and len(keyed) * 4 >= len(lines) * 3:
        return Guess("keys and values", "key-value", f"{len(keyed)} of its {len(lines)} lines are KEY=value.")
    return None


def _network_yaml(text: str) -> bool:
    # Blanks and not any white space: a text of empty lines would be gone through once for each of them.
    inside = re.search(r"^[ \t]+(?:version|wifis|ethernets|renderer):", text, re.MULTILINE)
    return re.search(r"^network:[ \t]*$", text, re.MULTILINE) is not None and inside is not None


def _netplan(name: str, text: str) -> Guess | None:
    # Told by its keys, so that one which is no YAML any more is still what it was.
    if not _network_yaml(text):
        return None
    return Guess(
        "network as netplan reads it",
        "netplan",
        "It has network: with wifis, ethernets or a version (netplan-yaml(5)).",
    )


def _yaml(name: str, text: str) -> Guess | None:
    if len(text) > MOST_YAML or re.search(r"^[ \t]*[\w.-]+:(?:[ \t]|$)", text, re.MULTILINE) is None:
        return None
    try:
        read = yaml.safe_load(text)
    except (yaml.YAMLError, ValueError, RecursionError):
        return None
    if not isinstance(read, dict):
        return None
    return Guess("YAML", "yaml", "It reads as YAML with keys.")


def _one_value(name: str, text: str) -> Guess | None:
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) == 1 and len(lines[0]) <= 120 and len(lines[0].split()) == 1:
        return Guess("one value", "plain", "It holds one word and nothing else.")
    return None


_LOOKS: tuple[Callable[[str, str], Guess | None], ...] = (
    _cloud_config, _script, _supplicant, _keyfile, _networkd, _iwd, _connman, _interfaces, _netplan, _shadow, _login_keys, _hosts, _kernel_line, _json, _ini, _key_value, _yaml, _one_value,
)  # fmt: skip
"""asked in this order: what has a mark of its own before what many files look like"""

_LIKE_MANY = (_ini, _key_value, _one_value)
