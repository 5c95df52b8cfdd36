"""What really starts with the system of an image: units of systemd, scripts of System V init, OpenRC and small systems.

Sources: systemd.unit(5) (wants, masked units), systemd.preset(5) and machine-id(5) (first boot), systemd-sysv-generator(8),
Debian policy 9.3 (runlevels), inittab(5), OpenRC's user guide (runlevels). Scripts called SNNname in etc/init.d are run in their order
by the small systems built around busybox (common practice).
"""

from __future__ import annotations

import fnmatch
import itertools
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from mintseed.core.image.tree import Tree, text_of
from mintseed.core.image.unit_file import MOST_LINES, UnitFile, read_unit_file
from mintseed.core.limits import MAX_DIRECTORY_ENTRIES

Init = Literal["systemd", "sysv", "openrc", "busybox", "unknown"]

OWN_UNITS, SHIPPED_UNITS = "etc/systemd/system", ("usr/lib/systemd/system", "lib/systemd/system")
_TARGETS = (
    "multi-user.target", "graphical.target", "network-online.target", "network.target", "sysinit.target", "basic.target", "getty.target",
    "sockets.target", "default.target", "cloud-init.target",
)  # fmt: skip
PRESETS = ("etc/systemd/system-preset", "usr/lib/systemd/system-preset", "lib/systemd/system-preset")
_OPENRC = ("sysinit", "boot", "default")
_SCRIPTS = ("etc/init.d", "etc/rc.d")

PROGRAMS = (
    "usr/sbin", "usr/bin", "sbin", "bin", "usr/local/bin", "usr/local/sbin", "usr/libexec", "usr/lib/systemd", "lib/systemd", "usr/lib/iwd",
)  # fmt: skip
"""folders in which what is started would lie"""

MOST_PROGRAMS = MAX_DIRECTORY_ENTRIES - 2
"""from which on a folder was not listed whole"""

MOST_UNITS = 80
"""that are looked into; a general system starts twenty to forty"""

MOST_PRESET_UNITS = 400
"""that are looked at for what the first start enables; a general system has some two hundred and fifty"""

MOST_STARTING = 2000
MOST_PRESET_LINES = 500
"""of a file; a distribution's own have some dozens"""


@dataclass(frozen=True, slots=True)
class Starting:
    """Something that starts. `name`: of its unit or script, without ending and instance. `file`: what starts it. `kind`: what of systemd
    it is, `script` for another init's."""

    name: str
    file: str
    instance: str = ""
    kind: Literal["service", "socket", "script"] = "service"


@dataclass(frozen=True, slots=True)
class WhatStarts:
    """`all`: each with what starts it, in that order. `programs`: names of what can be run; empty where its folders were not seen."""

    init: Init = "unknown"
    all: tuple[Starting, ...] = ()
    programs: frozenset[str] = frozenset()
    first_boot: bool = False
    """whether systemd takes the next start for the first one"""
    cut: bool = False
    """whether there is more than was looked at"""

    def named(self, *names: str) -> Starting | None:
        """Return the first of what starts that has one of these names."""
        return next((one for one in self.all if one.name in names), None)

    def lies(self, *programs: str) -> bool:
        """Return whether one of these programs is there, or may be: where no program was seen nothing is known."""
        return not self.programs or any(p in self.programs for p in programs)


NOTHING_STARTS = WhatStarts()


def what_starts(tree: Tree) -> WhatStarts:
    """Return what starts with the system of `tree`."""
    init = init_of(tree)
    found: list[Starting] = []
    if init in ("systemd", "unknown"):
        found += _units(tree)
    found += [one for one in _runlevels(tree) if not (init == "systemd" and _has_unit(tree, one.name))]
    if init in ("openrc", "unknown"):
        found += [Starting(n, f"etc/runlevels/{level}/{n}", kind="script") for level in _OPENRC for n in tree.folder(f"etc/runlevels/{level}")]  # fmt: skip
    if init in ("busybox", "unknown"):
        found += [one for folder in _SCRIPTS for one in _numbered(tree, folder)]
    listed = [tree.folder(folder) for folder in PROGRAMS]
    # Of a folder that is too long to be listed whole nobody knows what else lies in it.
    whole = all(len(names) < MOST_PROGRAMS for names in listed)
    programs = frozenset(name for names in listed for name in names) if whole else frozenset()
    once = {(one.name, one.instance, one.kind): one for one in reversed(found)}
    every = tuple(reversed(once.values()))
    first = init in ("systemd", "unknown") and not _started_before(tree)
    cut = len(every) > MOST_STARTING or (first and sum(1 for _ in _shipped(tree)) > MOST_PRESET_UNITS)
    return WhatStarts(init, every[:MOST_STARTING], programs, first, cut)


def init_of(tree: Tree) -> Init:
    """Return which init the system starts with: where its link leads, and what lies around it."""
    to = next((t for path in ("sbin/init", "usr/sbin/init", "init") if (t := tree.link(path))), "")
    if to.endswith("/systemd"):
        return "systemd"
    if tree.folder("etc/runlevels/default") or tree.folder("etc/runlevels/boot"):
        return "openrc"
    if "busybox" in to:
        return "busybox"
    if any(action == "initdefault" for _, action, _ in inittab(tree)):
        return "sysv"
    return "unknown"


def unit_of(tree: Tree, one: Starting) -> UnitFile:
    """Return the unit of something that starts; an empty one for a script, and where it lies nowhere."""
    if one.kind == "script":
        return UnitFile()
    # What wants it may be the unit itself, where somebody put it there instead of a link to it.
    whole = f"{one.name}{'@' if one.instance else ''}.{one.kind}"
    paths = (*(f"{folder}/{whole}" for folder in (OWN_UNITS, *SHIPPED_UNITS)), one.file)
    return next((read_unit_file(path, text) for path in paths if (text := text_of(tree, path))), UnitFile())


def _units(tree: Tree) -> Iterator[Starting]:
    folders = [f"{base}/{target}.{how}" for base in (OWN_UNITS, *SHIPPED_UNITS) for target in _TARGETS for how in ("wants", "requires")]  # fmt: skip
    own = frozenset(tree.folder(OWN_UNITS))
    for folder in folders:
        for name in sorted(tree.folder(folder)):
            one = _unit(name, f"{folder}/{name}")
            if one is not None and not _masked(tree, name, own):
                yield one
    if not _started_before(tree):
        yield from _preset(tree, own)


def _unit(name: str, file: str) -> Starting | None:
    stem, _, kind = name.rpartition(".")
    if kind not in ("service", "socket"):
        return None
    whole, _, instance = stem.partition("@")
    return Starting(whole, file, instance, "service" if kind == "service" else "socket")


def _masked(tree: Tree, name: str, own: frozenset[str]) -> bool:
    """Return whether a unit is masked: an own unit of that name that is empty, or a link to /dev/null, which is read as nothing."""
    template = re.sub(r"@[^.]*\.", "@.", name)
    return any(n in own and not tree.read(f"{OWN_UNITS}/{n}") for n in dict.fromkeys((name, template)))


def _started_before(tree: Tree) -> bool:
    """Return whether the system takes its next start for one that is not its first: then presets change nothing. An empty machine-id
    counts as having been started (machine-id(5))."""
    return "machine-id" in tree.folder("etc") and text_of(tree, "etc/machine-id").strip() != "uninitialized"


def _preset(tree: Tree, own: frozenset[str]) -> Iterator[Starting]:
    """Yield the units that the first start enables: the first line that fits a name counts, files in the order of their names, one in etc
    instead of one of that name elsewhere."""
    files = {name: f"{folder}/{name}" for folder in reversed(PRESETS) for name in tree.folder(folder) if name.endswith(".preset")}  # fmt: skip
    rules: list[tuple[str, str, str]] = []
    for _, path in sorted(files.items()):
        for line in text_of(tree, path).split("\n")[:MOST_PRESET_LINES]:
            words = line.split()
            if len(words) >= 2 and words[0] in ("enable", "disable"):
                rules.append((words[0], words[1], path))
    for folder, name in itertools.islice(_shipped(tree), MOST_PRESET_UNITS):
        one = _unit(name, "")
        if one is None or _masked(tree, name, own) or not _is_wanted(tree, f"{folder}/{name}"):
            continue
        # Where no line speaks of it, a unit is enabled (systemd.preset(5)).
        verb, path = next(((v, p) for v, pattern, p in rules if fnmatch.fnmatchcase(name, pattern)), ("enable", ""))
        if verb == "enable":
            yield Starting(one.name, path or f"{folder}/{name}", "", one.kind)


def _shipped(tree: Tree) -> Iterator[tuple[str, str]]:
    """Yield (folder, name) of the units a preset may enable; a template starts nothing by itself."""
    seen: set[str] = set()
    for folder in (OWN_UNITS, *SHIPPED_UNITS):
        for name in sorted(tree.folder(folder)):
            if _unit(name, "") is not None and "@" not in name and name not in seen:
                seen.add(name)
                yield folder, name


def _is_wanted(tree: Tree, path: str) -> bool:
    """Return whether a unit says by what it is started once it is enabled."""
    unit = read_unit_file(path, text_of(tree, path))
    return any((*unit.all("WantedBy"), *unit.all("RequiredBy")))


def _has_unit(tree: Tree, name: str) -> bool:
    """Return whether systemd has a unit of a script's name: then it heeds no link of a runlevel."""
    return any(f"{name}.service" in tree.folder(folder) for folder in (OWN_UNITS, *SHIPPED_UNITS))


def _runlevels(tree: Tree) -> Iterator[Starting]:
    said = next((levels for levels, action, _ in inittab(tree) if action == "initdefault" and levels in _LEVELS), "2")
    for level in ("S", said):
        yield from _numbered(tree, f"etc/rc{level}.d")


_LEVELS = tuple("0123456")


def inittab(tree: Tree) -> Iterator[tuple[str, str, str]]:
    """Yield (runlevels, action, process) of each line of inittab(5)."""
    for line in text_of(tree, "etc/inittab").split("\n", MOST_LINES)[:MOST_LINES]:
        fields = line.split(":", 3)
        if len(fields) == 4 and not line.lstrip().startswith("#"):
            yield fields[1], fields[2], fields[3]


def _numbered(tree: Tree, folder: str) -> Iterator[Starting]:
    for name in sorted(tree.folder(folder)):
        if found := re.fullmatch(r"S\d\d(.+?)(?:\.sh)?", name):
            yield Starting(found[1], f"{folder}/{name}", kind="script")
