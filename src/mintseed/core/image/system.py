"""What system an image holds, read from files of its root volume: what brings it onto the network, who may log in, where it stands in the
world, what runs at its first start. Each fact with the file it came from; what no file says is not known."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from passlib.hash import md5_crypt, sha256_crypt, sha512_crypt

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.facts import Account, Fact, SystemFacts
from mintseed.core.image.radios import radios
from mintseed.core.image.starting import (
    MOST_UNITS,
    OWN_UNITS,
    SHIPPED_UNITS,
    Starting,
    WhatStarts,
    inittab,
    unit_of,
    what_starts,
)
from mintseed.core.image.tree import Tree, text_of
from mintseed.core.image.unit_file import UnitFile
from mintseed.core.limits import MAX_SHOWN_CHARACTERS
from mintseed.core.visible import one_line

PASSWD, SHADOW = "etc/passwd", "etc/shadow"
SETTINGS_FILES = (
    "etc/hostname", "etc/hosts", "etc/timezone", SHADOW, "etc/default/locale", "etc/locale.conf", "etc/default/keyboard", "etc/network/interfaces",
    "etc/wpa_supplicant/wpa_supplicant.conf", "etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
)  # fmt: skip
"""files of the root volume that systems keep their settings in"""

SETTINGS_FOLDERS = (
    "etc/NetworkManager/system-connections", "etc/netplan", "etc/systemd/network", "etc/network/interfaces.d", "etc/iwd", "var/lib/iwd", "var/lib/connman",
)  # fmt: skip
"""folders of the root volume whose every file is one. Sources: NetworkManager.conf(5), netplan(5), systemd.network(5), interfaces(5), iwd.config(5),
connman-service.config(5)."""

GENERATORS = ("usr/lib/systemd/system-generators", "lib/systemd/system-generators")

MOST_SETTINGS_FILES = 24
"""of such a folder"""

MOST_ACCOUNTS = 20
MOST_ROUNDS = 20_000
"""rounds of a password hash that are worth trying one word on; the usual number is 5000 (crypt(5))"""

NETWORK_MANAGER, SUPPLICANT_STARTED = "the network manager", "the Wi-Fi supplicant"
NETWORKD, CONNMAN, IFUPDOWN, IWD, NETPLAN = "systemd's network", "connman", "ifupdown", "iwd", "netplan"


@dataclass(frozen=True, slots=True)
class _Network:
    """What brings a system onto the network: its name in words, and the programs one of which it needs."""

    words: str
    programs: tuple[str, ...]


_NETWORKS = {
    "NetworkManager": _Network(NETWORK_MANAGER, ("NetworkManager",)),
    "networkmanager": _Network(NETWORK_MANAGER, ("NetworkManager",)),
    "systemd-networkd": _Network(NETWORKD, ("systemd-networkd",)),
    "wpa_supplicant": _Network(SUPPLICANT_STARTED, ("wpa_supplicant",)),
    "dhcpcd": _Network("dhcpcd", ("dhcpcd",)),
    "connman": _Network(CONNMAN, ("connmand",)),
    "networking": _Network(IFUPDOWN, ("ifup",)),
    "network": _Network(IFUPDOWN, ("ifup",)),
    "iwd": _Network(IWD, ("iwd",)),
}  # fmt: skip
"""unit or script → what it is. Names of Debian's and Alpine's packages; `network` is the script of small systems (common practice)."""

_SSH = ("ssh", "sshd", "dropbear")
_CLOUD = ("cloud-init", "cloud-init-local", "cloud-init-main")
_CONSOLES = ("getty", "serial-getty", "console-getty")
_GROWS = re.compile(
    r"(?:resize|grow|expand)[-_]?(?:root|rootfs|2fs|fs|part|filesystem|sd|card)|(?:rootfs|root|filesystem)[-_]?(?:resize|grow|expand)"
)
_BOOT_FILE = re.compile(r"(?<![\w/])/boot(?:/firmware|/efi)?/([A-Za-z0-9_][\w.\-]{0,60})(?![\w/])")
MOST_SCRIPTS = 24
MOST_LOOKED_FOR = 24
MOST_SHARES = 20
MOST_KEYS = 1000

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


def read_system(tree: Tree, starts: WhatStarts | None = None) -> SystemFacts:
    """Return what the files of `tree` tell. `starts`: what starts with it, where that is known already."""
    starts = what_starts(tree) if starts is None else starts
    units = {one: unit_of(tree, one) for one in starts.all[:MOST_UNITS]}
    return SystemFacts(
        _each_once([*_networks(tree, starts)]),
        next((Fact(one.name, one.file) for one in starts.all if one.name in _SSH), None),
        tuple(_accounts(tree)),
        _time_zone(tree),
        _setting(tree, ("etc/default/keyboard", "XKBLAYOUT"), ("etc/vconsole.conf", "KEYMAP")),
        _setting(tree, ("etc/default/locale", "LANG"), ("etc/locale.conf", "LANG")),
        _each_once([*_first(tree, starts, units)]),
        tuple(_looked_for(tree, units)),
        _console(tree, starts),
        _grows(tree, starts),
        tuple(_shares(tree, starts)),
        _locales(tree),
        tuple(Fact(_shown(name), _shown(file)) for name, file in radios(tree)),
        tuple(_joiners(tree, starts)),
    )


LOCALES = "usr/lib/locale"
LOCALE_ARCHIVE = "locale-archive"
"""many in one file, which is not read"""


def _locales(tree: Tree) -> tuple[str, ...]:
    """Source: localedef(1), FILES: a folder a locale, or all of them in one file."""
    names = tree.folder(LOCALES)
    return () if LOCALE_ARCHIVE in names else tuple(_shown(name) for name in sorted(names)[:MOST_LOCALES])


MOST_LOCALES = 1000

SUPPLICANT_UNIT = "wpa_supplicant@.service"
"""starts the supplicant for one device, with the settings file of its name (wpasupplicant's README.Debian)"""


IFUPDOWN_HOOKS, IFUPDOWN_JOINS = "etc/network/if-pre-up.d", "ifupdown's hook for the supplicant"
"""without it the words of Wi-Fi in interfaces mean nothing (wpasupplicant's README.Debian)"""


def _joiners(tree: Tree, starts: WhatStarts) -> Iterator[Fact]:
    for name in ("wpa_supplicant", "iwd"):
        if name in starts.programs:
            yield Fact(name, "")
    if "wpasupplicant" in tree.folder(IFUPDOWN_HOOKS):
        yield Fact(IFUPDOWN_JOINS, f"{IFUPDOWN_HOOKS}/wpasupplicant")
    for folder in SHIPPED_UNITS:
        if SUPPLICANT_UNIT in tree.folder(folder):
            yield Fact(SUPPLICANT_UNIT, f"{folder}/{SUPPLICANT_UNIT}")
            return


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


def _networks(tree: Tree, starts: WhatStarts) -> Iterator[Fact]:
    """Yield what brings it onto the network: what starts, and whose program is there or may be."""
    generator = next((f for f in GENERATORS if "netplan" in tree.folder(f)), "")
    if generator or "netplan" in starts.programs:
        # A generator reads it before anything starts (netplan(5)), whether a file lies there already or not.
        said = [f"etc/netplan/{n}" for n in sorted(tree.folder("etc/netplan")) if n.endswith(".yaml")]
        yield Fact(NETPLAN, (said or [f"{generator}/netplan" if generator else "usr/sbin/netplan"])[0])
    for one in starts.all:
        network = _NETWORKS.get(one.name)
        if network is not None and starts.lies(*network.programs):
            yield Fact(network.words, one.file)


def _first(tree: Tree, starts: WhatStarts, units: Mapping[Starting, UnitFile]) -> Iterator[Fact]:
    """Yield what runs at the first start alone."""
    cloud = starts.named(*_CLOUD)
    if (cloud or "cloud.cfg" in tree.folder("etc/cloud")) and not _no_cloud_init(tree):
        sources, file = _data_sources(tree)
        yield Fact(
            f"cloud-init, which asks {sources}" if sources else "cloud-init",
            file if sources or not cloud else cloud.file,
        )
    for one, unit in units.items() if starts.first_boot else ():
        if unit.says_yes("ConditionFirstBoot"):
            yield Fact(_shown(one.name), unit.path)


def _no_cloud_init(tree: Tree) -> bool:
    """Source: cloud-init documentation, How to disable cloud-init."""
    return "cloud-init.disabled" in tree.folder("etc/cloud")


def _data_sources(tree: Tree) -> tuple[str, str]:
    """Return where cloud-init looks for its settings, as the last of its files that says so says it."""
    main = "etc/cloud/cloud.cfg"
    parts = [f"etc/cloud/cloud.cfg.d/{n}" for n in sorted(tree.folder("etc/cloud/cloud.cfg.d")) if n.endswith(".cfg")]
    for path in (*reversed(parts[-MOST_SETTINGS_FILES:]), main):
        if found := _SOURCES.search(text_of(tree, path)):
            words = re.split(r"[,\n]", found[1] or found[2])
            return _shown(", ".join(filter(None, (word.split("#")[0].strip(" \t\"'-") for word in words)))), path
    return "", main


_SOURCES = re.compile(
    r"^[ \t]*datasource_list[ \t]*:[ \t]*(?:\[([^\]]{1,500})\]|(?:#[^\n]*)?\n((?:[ \t]*-[ \t]+[^\n]{1,80}(?:\n|\Z)){1,40}))",
    re.MULTILINE,
)
"""a list in YAML, in brackets or a line each"""


def _looked_for(tree: Tree, units: Mapping[Starting, UnitFile]) -> Iterator[Fact]:
    """Yield the files of the boot volume that stand in units and scripts which start."""
    seen: dict[str, None] = {}
    scripts = 0
    for one, unit in units.items():
        told = [(unit.path, unit.text)] if unit.path.startswith(OWN_UNITS) else []
        program = one.file if one.kind == "script" else _program(unit)
        if program and scripts < MOST_SCRIPTS and (body := text_of(tree, program)).startswith("#!"):
            scripts += 1
            told.append((program, body))
        for file, said in told:
            for name in _BOOT_FILE.findall(said):
                if name not in seen and name not in _NO_SETTINGS and len(seen) < MOST_LOOKED_FOR:
                    seen[name] = None
                    yield Fact(name, file)


_NO_SETTINGS = ("firmware", "efi", "grub", "overlays", "initrd.img", "vmlinuz")


_RUNS_ANOTHER = re.compile(r"(?:ba|da|a|z|k)?sh|env|exec|python[0-9.]*|perl")


def _program(unit: UnitFile) -> str:
    """Return the program a unit starts, as a path of the tree: of a script that a shell or its like is given, the script; empty where it is
    none."""
    for line in unit.all("ExecStart"):
        words = re.sub(r"[\"';]", " ", line.lstrip("-@:+!|")).split()
        named = (w for w in words if not w.startswith("-") and not _RUNS_ANOTHER.fullmatch(w.rsplit("/", 1)[-1]))
        own = next(named, "")
        if own.startswith("/"):
            return own.lstrip("/")
    return ""


MOST_DROP_INS = 20


def _console(tree: Tree, starts: WhatStarts) -> Fact | None:
    one = starts.named(*_CONSOLES)
    if one is None:
        asks = any(
            action == "respawn" and re.search(r"getty|login\b|sh\b", process[:200])
            for _, action, process in inittab(tree)
        )
        return Fact("asks for a name", "etc/inittab") if asks else None
    for unit in ("getty@tty1", "getty@", "serial-getty@"):
        for name in tree.folder(f"{OWN_UNITS}/{unit}.service.d")[:MOST_DROP_INS]:
            path = f"{OWN_UNITS}/{unit}.service.d/{name}"
            if found := re.search(r"--autologin[ =]+(\S+)", text_of(tree, path)):
                return Fact(f"{_shown(found[1])} is logged in unasked", path)
    return Fact("asks for a name", one.file)


def _grows(tree: Tree, starts: WhatStarts) -> Fact | None:
    for line in text_of(tree, "etc/fstab").split("\n"):
        fields = line.split()
        if len(fields) > 3 and fields[1] == "/" and "x-systemd.growfs" in fields[3].split(","):
            return Fact("its file system", "etc/fstab")  # systemd.mount(5)
    if (one := next((s for s in starts.all if _GROWS.search(s.name)), None)) is not None:
        return Fact(f"{_shown(one.name)}, going by its name", one.file)
    modules = text_of(tree, "etc/cloud/cloud.cfg")
    if not _no_cloud_init(tree) and re.search(r"^[ \t]*-[ \t]*growpart\b", modules, re.MULTILINE):
        return Fact("cloud-init", "etc/cloud/cloud.cfg")
    return None


def _shares(tree: Tree, starts: WhatStarts) -> Iterator[Fact]:
    """Yield what is offered to the network. Sources: smb.conf(5), exports(5)."""
    if starts.named("smbd", "smb", "samba") is not None:
        names = re.findall(r"^[ \t]*\[([^\]\n]+)\]", text_of(tree, "etc/samba/smb.conf"), re.MULTILINE)
        offered = [n for n in names if n.strip().lower() not in ("global", "homes", "printers", "print$")]
        yield from (Fact(_shown(n.strip()), "etc/samba/smb.conf") for n in offered[:MOST_SHARES])
    if starts.named("nfs-server", "nfs-kernel-server") is not None:
        lines = [
            line.split()
            for line in text_of(tree, "etc/exports").split("\n")
            if line.strip() and not line.lstrip().startswith("#")
        ]
        yield from (Fact(_shown(words[0]), "etc/exports") for words in lines[:MOST_SHARES])


def _each_once(facts: list[Fact]) -> tuple[Fact, ...]:
    return tuple({fact.value: fact for fact in reversed(facts)}.values())[::-1]


def _shown(text: str) -> str:
    return one_line(text)[:MAX_SHOWN_CHARACTERS]


def _value(tree: Tree, path: str) -> Fact | None:
    text = _shown(text_of(tree, path).strip())
    return Fact(text, path) if text else None


ZONES = "usr/share/zoneinfo/"


def _time_zone(tree: Tree) -> Fact | None:
    """Return its time zone: the link tells (localtime(5)); the older file of words where there is none."""
    to = tree.link("etc/localtime") or ""
    if ZONES in to and (zone := _shown(to.split(ZONES, 1)[1])):
        return Fact(zone, "etc/localtime")
    return _value(tree, "etc/timezone")


def _setting(tree: Tree, *places: tuple[str, str]) -> Fact | None:
    """Return the first of `places` (file, KEY) that is set: shell assignments, the last one counts."""
    for path, key in places:
        if found := assigned(text_of(tree, path), key):
            return Fact(_shown(found), path)
    return None


def assigned(text: str, key: str) -> str:
    """Return what a file of shell assignments sets `key` to: the last one counts. Nothing where it does not."""
    found = re.findall(rf"^[ \t]*{key}=[\"']?([^\"'\s#]+)", text, re.MULTILINE)
    return str(found[-1]) if found else ""


_NO_SHELL = ("nologin", "false", "sync", "shutdown", "halt")


def _accounts(tree: Tree) -> Iterator[Account]:
    """Yield who has a shell. Sources: passwd(5), shadow(5)."""
    passwd, shadow = text_of(tree, PASSWD), text_of(tree, SHADOW)
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
        home = _shown(fields[5].strip("/"))
        yield replace(found, uid=uid, gid=gid, home=home, keys=_keys(tree, home))


def _keys(tree: Tree, home: str) -> int:
    """Return how many keys open the account whose home is there."""
    path = f"{home}/.ssh/authorized_keys".lstrip("/")
    lines = text_of(tree, path).split("\n") if ".." not in home else []
    return sum(bool(line.strip()) and not line.lstrip().startswith("#") for line in lines[:MOST_KEYS])


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
