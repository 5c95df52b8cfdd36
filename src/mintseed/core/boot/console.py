"""What a board says on its serial console: how far its boot got, and what its own software calls wrong.

The words are those of software that most boards' systems are made of. Sources, each read off what it prints: Linux (printk time stamps, init/main.c,
init/do_mounts.c, kernel/reboot.c, fs/ext4/super.c, block/blk-core.c), wpa_supplicant 2.10 (ctrl_iface events, wpa_ctrl.h), hostapd 2.10, iwd 2.3, NetworkManager 1.42,
ConnMan 1.41, systemd 252, ISC dhclient 4.4, initramfs-tools 0.142.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from mintseed.core.visible import one_line

MOST_READ = 256 * 1024
"""characters of a console that are looked at, from its start on: a system that prints on and on says nothing new of its boot."""
LINE_MOST = 160

_STAMP = re.compile(r"^\[ *(\d{1,6}\.\d{6})\] ?")
_COLOURS = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")


@dataclass(frozen=True, slots=True)
class Heard:
    """Something a console said. `at_s`: seconds since its kernel started, None where the line does not tell. `line`: the words themselves."""

    what: str
    at_s: float | None
    line: str


@dataclass(frozen=True, slots=True)
class ConsoleFacts:
    """`reached`: what of a boot was seen to happen, in its order; `wrong`: what its software calls wrong, the first of each kind."""

    reached: tuple[Heard, ...] = ()
    wrong: tuple[Heard, ...] = ()


NOTHING_HEARD = ConsoleFacts()

REACHED: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("kernel", re.compile(r"^\[ *\d{1,6}\.\d{6}\] |\bLinux version \d")),
    ("system", re.compile(r"^Welcome to .+!|\bsystemd\[1\]: |^INIT: version |\bOpenRC \d")),
    (
        "radio",
        re.compile(r"\bwl\w+: CTRL-EVENT-CONNECTED |\bwlan\d+: associated$|\bevent: state, old: connecting, new: connected|Activation: successful, device activated"),
    ),
    ("address", re.compile(r"\bDHCPv4 address \d|\bbound to \d{1,3}\.\d|\bdhcp4 \(\w+\): state changed new lease|\bleased \d{1,3}\.\d+\.\d+\.\d+ for ")),
    ("login", re.compile(r"^\S+ login: *$")),
)  # fmt: skip
WORDS = {
    "kernel": "its kernel runs", "system": "its system starts", "radio": "its radio is on a network", "address": "it took an address",
    "login": "it waits for somebody to log in",
}  # fmt: skip

WRONG: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("panic", re.compile(r"\bKernel panic - not syncing")),
    ("no-root", re.compile(r"\bUnable to mount root fs\b|\bCannot open root device\b|^ALERT! +\S+ does not exist")),
    ("card", re.compile(r"\bI/O error, dev (?:mmcblk|sd|vd)\w+|\bEXT4-fs error\b|\bFAT-fs \(\w+\): error")),
    ("off", re.compile(r"\breboot: (?:Power down|System halted)")),
    ("key", re.compile(r"reason=WRONG_KEY|4-Way Handshake failed - pre-shared key may be incorrect|\bnew: failed, reason: bad-password|\binvalid-key\b|\bno secrets: No agents were available\b")),
    ("network", re.compile(r"CTRL-EVENT-NETWORK-NOT-FOUND|reason 'ssid-not-found'|\bNo suitable network found\b")),
)  # fmt: skip
WRONG_WORDS = {
    "panic": "its kernel gave up",
    "no-root": "it does not find its root volume",
    "card": "it cannot read or write its card",
    "off": "it switched itself off",
    "key": "the access point refuses its key",
    "network": "it does not hear the network it looks for",
}


def read_console(text: str) -> ConsoleFacts:
    """Return what a console said so far. Pure; any text will do."""
    reached: dict[str, Heard] = {}
    wrong: dict[str, Heard] = {}
    for raw in text[:MOST_READ].splitlines():
        line = _COLOURS.sub("", raw).strip()
        for found, patterns in ((reached, REACHED), (wrong, WRONG)):
            for what, pattern in patterns:
                if what == "radio" and pattern.search(line):
                    # What it was refused before, it was let in after: a frame of an earlier try, or an access point that came up late.
                    for passing in ("key", "network"):
                        wrong.pop(passing, None)
                if what not in found and pattern.search(line):
                    found[what] = Heard(what, _at(line), one_line(_STAMP.sub("", line))[:LINE_MOST])
    return ConsoleFacts(
        tuple(reached[what] for what, _ in REACHED if what in reached),
        tuple(wrong[what] for what, _ in WRONG if what in wrong),
    )


def _at(line: str) -> float | None:
    stamp = _STAMP.match(line)
    return float(stamp[1]) if stamp else None


def told(one: Heard) -> str:
    """Return one thing that was heard, as a line of the log."""
    words = WORDS.get(one.what) or WRONG_WORDS[one.what]
    said = f": {one.line}" if one.what in WRONG_WORDS else ""
    return f"By its console {words}{f', {one.at_s:.0f} s after its kernel began' if one.at_s else ''}{said}"
