"""What system an image holds, read from files of its root volume: what brings it onto the network, who may log in, where it stands in the
world, what runs at its first start. Each fact with the file it came from; what no file says is not known."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from passlib.hash import md5_crypt, sha256_crypt, sha512_crypt

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.limits import MAX_SHOWN_CHARACTERS
from mintseed.core.visible import one_line

PASSWD, SHADOW = "etc/passwd", "etc/shadow"
WANTS = "etc/systemd/system/multi-user.target.wants"
"""systemd links here what starts with the system. Source: systemd.unit(5), WantedBy="""

RUNLEVEL = "etc/rc2.d"
"""start links of System V init, SNNname. Source: Debian policy 9.3"""

UNIT_FOLDERS = (
    WANTS,
    "etc/systemd/system/network-online.target.wants",
    "etc/systemd/system/sysinit.target.wants",
    RUNLEVEL,
)

FILES = (
    PASSWD, SHADOW, "etc/timezone", "etc/default/keyboard", "etc/vconsole.conf", "etc/default/locale", "etc/locale.conf",
    "etc/cloud/cloud.cfg", "etc/network/interfaces", "etc/ssh/sshd_config",
)  # fmt: skip
"""Files of the root volume that say something of this."""

SETTINGS_FILES = (
    "etc/hostname", "etc/hosts", "etc/timezone", "etc/default/keyboard", "etc/network/interfaces",
    "etc/wpa_supplicant/wpa_supplicant.conf", "etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
)  # fmt: skip
"""files of the root volume that systems keep their settings in"""

SETTINGS_FOLDERS = ("etc/NetworkManager/system-connections", "etc/netplan", "etc/systemd/network")
"""folders of the root volume whose every file is one. Sources: NetworkManager.conf(5), netplan(5), systemd.network(5)."""

MOST_SETTINGS_FILES = 24
"""of such a folder"""

MOST_ACCOUNTS = 20
MOST_ROUNDS = 20_000
"""rounds of a password hash that are worth trying one word on; the usual number is 5000 (crypt(5))"""

NETWORK_MANAGER, SUPPLICANT_STARTED = "the network manager", "the Wi-Fi supplicant"

_NETWORKS = {
    "NetworkManager": NETWORK_MANAGER, "systemd-networkd": "systemd's network", "wpa_supplicant": SUPPLICANT_STARTED,
    "dhcpcd": "dhcpcd", "connman": "connman", "networking": "ifupdown", "iwd": "iwd",
}  # fmt: skip
_SSH = ("ssh", "sshd", "dropbear")
_FIRST = {"cloud-init": "cloud-init", "systemd-firstboot": "systemd-firstboot"}

_SCHEMES = {
    "1": "MD5",
    "2a": "bcrypt",
    "2b": "bcrypt",
    "2y": "bcrypt",
    "5": "SHA-256",
    "6": "SHA-512",
    "y": "yescrypt",
    "7": "scrypt",
}
"""Source: crypt(5)."""

_TRIED: dict[str, Any] = {"1": md5_crypt, "5": sha256_crypt, "6": sha512_crypt}

Login = Literal["locked", "open", "password", "unknown"]


@dataclass(frozen=True, slots=True)
class Fact:
    value: str
    file: str


@dataclass(frozen=True, slots=True)
class Account:
    """`login`: `locked` with no password that opens it, `open` without any, `password`, `unknown` where passwords were not read. `scheme`: how the password is hashed.
    `own_name`: whether the account's own name is its password."""

    name: str
    login: Login
    scheme: str = ""
    own_name: bool = False
    uid: int | None = None
    gid: int | None = None
    home: str = ""


@dataclass(frozen=True, slots=True)
class SystemFacts:
    """Empty where no file says anything."""

    networks: tuple[Fact, ...] = ()
    """what is started to bring it onto the network"""
    ssh: Fact | None = None
    """the server for logging in over the network, where one is started"""
    accounts: tuple[Account, ...] = ()
    """who has a shell"""
    time_zone: Fact | None = None
    keyboard: Fact | None = None
    locale: Fact | None = None
    first_start: tuple[Fact, ...] = ()
    """what runs at the first start alone, and reads settings then"""


NOTHING_READ = SystemFacts()


def read_system(files: Mapping[str, bytes], folders: Mapping[str, Collection[str]]) -> SystemFacts:
    """Return what `files` (path on the root volume → content) and `folders` (path → names in it) tell."""
    started = list(_started(folders))
    ssh = next((Fact(name, file) for name, file in started if name in _SSH), None)
    networks = [Fact(_NETWORKS[name], file) for name, file in started if name in _NETWORKS]
    first = [Fact(_FIRST[name], file) for name, file in started if name in _FIRST]
    if "etc/cloud/cloud.cfg" in files and not any(f.value == "cloud-init" for f in first):
        first.append(Fact("cloud-init", "etc/cloud/cloud.cfg"))
    return SystemFacts(
        _each_once(networks),
        ssh,
        tuple(_accounts(_text(files, PASSWD), _text(files, SHADOW))),
        _value(files, "etc/timezone"),
        _setting(files, ("etc/default/keyboard", "XKBLAYOUT"), ("etc/vconsole.conf", "KEYMAP")),
        _setting(files, ("etc/default/locale", "LANG"), ("etc/locale.conf", "LANG")),
        _each_once(first),
    )


def judge_system(system: SystemFacts) -> Iterator[Finding]:
    """Yield what is to be said of a system that somebody will put on their network."""
    for account in system.accounts:
        if account.login == "open" or account.own_name:
            how = "without a password" if account.login == "open" else "with its own name as password"
            yield Finding(
                "image.login-known", Severity.CHECK, f"{account.name} logs in {how}",
                "So it is on every card that is written from this image, and anybody on the network may know it.",
                "Give it a password of its own under Settings, or in its first minutes.", Where(file=SHADOW, field=account.name),
                "shadow(5)",
            )  # fmt: skip


def _started(folders: Mapping[str, Collection[str]]) -> Iterator[tuple[str, str]]:
    """Yield (name, link) of what is started with the system."""
    for folder, names in folders.items():
        for name in sorted(names):
            if folder == RUNLEVEL:
                found = re.fullmatch(r"S\d\d(.+)", name)
                if found:
                    yield found[1], f"{folder}/{name}"
            elif name.endswith(".service"):
                # An instance, such as wpa_supplicant@wlan0, is of its template.
                yield name.removesuffix(".service").partition("@")[0], f"{folder}/{name}"


def _each_once(facts: list[Fact]) -> tuple[Fact, ...]:
    return tuple({fact.value: fact for fact in reversed(facts)}.values())[::-1]


def _text(files: Mapping[str, bytes], path: str) -> str:
    return files.get(path, b"").decode("utf-8", "replace")


def _shown(text: str) -> str:
    return one_line(text)[:MAX_SHOWN_CHARACTERS]


def _value(files: Mapping[str, bytes], path: str) -> Fact | None:
    text = _shown(_text(files, path).strip())
    return Fact(text, path) if text else None


def _setting(files: Mapping[str, bytes], *places: tuple[str, str]) -> Fact | None:
    """Return the first of `places` (file, KEY) that is set: shell assignments, the last one counts."""
    for path, key in places:
        if found := assigned(_text(files, path), key):
            return Fact(_shown(found), path)
    return None


def assigned(text: str, key: str) -> str:
    """Return what a file of shell assignments sets `key` to: the last one counts. Nothing where it does not."""
    found = re.findall(rf"^[ \t]*{key}=[\"']?([^\"'\s#]+)", text, re.MULTILINE)
    return str(found[-1]) if found else ""


_NO_SHELL = ("nologin", "false", "sync", "shutdown", "halt")


def _accounts(passwd: str, shadow: str) -> Iterator[Account]:
    """Yield who has a shell. Sources: passwd(5), shadow(5)."""
    hashes = {fields[0]: fields[1] for line in shadow.splitlines() if len(fields := line.split(":")) >= 2}
    count = 0
    for line in passwd.splitlines():
        fields = line.split(":")
        if len(fields) != 7 or not fields[0] or fields[6].rsplit("/", 1)[-1] in _NO_SHELL or count == MOST_ACCOUNTS:
            continue
        name, kept = fields[0], fields[1]
        count += 1
        # An x says that the password stands in shadow; without its line there nobody gets in by one.
        unread = kept == "x" and not hashes
        found = (
            Account(_shown(name), "unknown")
            if unread
            else _account(name, hashes.get(name, "*") if kept == "x" else kept)
        )
        uid, gid = (int(f) if re.fullmatch(r"[0-9]{1,9}", f) else None for f in fields[2:4])
        yield replace(found, uid=uid, gid=gid, home=_shown(fields[5].strip("/")))


def _account(name: str, word: str) -> Account:
    shown = _shown(name)
    if not word:
        return Account(shown, "open")
    if re.fullmatch(r"[./0-9A-Za-z]{13}", word):
        return Account(shown, "password", "DES")  # the oldest scheme has no mark (crypt(5))
    found = re.match(r"\$([0-9a-z]+)[$,]", word)
    if found is None:
        return Account(shown, "locked")
    return Account(shown, "password", _SCHEMES.get(found[1], found[1]), _opens(found[1], name, word))


def _opens(scheme: str, word: str, hashed: str) -> bool:
    """Return whether `word` is the password; False for schemes and numbers of rounds that are not tried."""
    handler = _TRIED.get(scheme)
    rounds = re.search(r"\$rounds=(\d+)\$", hashed)
    if handler is None or (rounds and (len(rounds[1]) > 6 or int(rounds[1]) > MOST_ROUNDS)):
        return False
    try:
        return bool(handler.verify(word, hashed))
    except (ValueError, TypeError):
        return False
