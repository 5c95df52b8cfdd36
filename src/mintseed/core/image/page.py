"""Where the appliance's page will be, worked out from files of its root volume."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace

from mintseed.core.image.facts import Listener, PageFacts
from mintseed.core.image.starting import NOTHING_STARTS, WhatStarts
from mintseed.core.image.unit_file import read_unit_file
from mintseed.core.image.web_servers import UNITS, Lexer, in_order, listeners
from mintseed.core.limits import MAX_SHOWN_CHARACTERS
from mintseed.core.visible import one_line

MDNS_FOLDER = "etc/avahi/services"

PROGRAMS = ("usr/sbin", "usr/bin", "sbin")
"""Folders of the root volume in which a program that answers for names would lie."""

ANNOUNCERS = frozenset({"avahi-daemon", "mdnsd", "umdns"})
RESOLVED = "etc/systemd/resolved.conf"
"""systemd's resolver answers for its own name only where it is told so. Source: resolved.conf(5), MulticastDNS=."""

_PAGE_TYPES = {"_http._tcp": "http", "_https._tcp": "https"}


def _port(text: str) -> int | None:
    """Return `text` as a TCP port, None when it is none. Only ASCII digits count."""
    number = int(text) if re.fullmatch(r"[0-9]{1,5}", text) else 0
    return number if 1 <= number <= 65535 else None


def has_announcer(programs: Collection[str], files: Mapping[str, bytes]) -> bool | None:
    """Return whether one of `programs`, or a setting, answers for names; None where no program was seen, so that nothing is known."""
    answers = read_unit_file(RESOLVED, _text(files, RESOLVED)).says_yes("MulticastDNS")
    if ANNOUNCERS & set(programs) or answers:
        return True
    return False if programs else None


def read_page_facts(
    files: Mapping[str, bytes],
    programs: Collection[str],
    lex: Lexer,
    starts: WhatStarts = NOTHING_STARTS,
    others: Iterable[Listener] = (),
) -> PageFacts:
    """Return what `files` (path relative to the root volume → content) tell, and `programs`, the names of what can be run on it; `others`
    listen beside the web servers that settings tell of. Unreadable parts are left empty."""
    name = one_line(_text(files, "etc/hostname").strip())[:MAX_SHOWN_CHARACTERS]
    release = dict(_os_release(_text(files, "etc/os-release") or _text(files, "usr/lib/os-release")))
    served = (replace(one, starts=_is_started(one.server, starts)) for one in listeners(files, lex))
    found = in_order((*served, *others))
    # What is not started, and what only sends on, is no page, unless there is nothing else.
    reached = [one for one in found if one.reach == "network"]
    reached = [one for one in reached if one.starts is not False] or reached
    first = next((one for one in reached if not one.sends_on), next(iter(reached), None))
    announce_file, kind, announced = _announced(files)
    return PageFacts(
        name,
        "etc/hostname" if name else "",
        one_line(release.get("NAME", ""))[:MAX_SHOWN_CHARACTERS],
        one_line(release.get("VERSION_ID", ""))[:MAX_SHOWN_CHARACTERS],
        first.port if first else None,
        first.file if first else "",
        kind,
        announced,
        announce_file,
        first.scheme if first else _PAGE_TYPES.get(kind, "http"),
        found,
        has_announcer(programs, files),
    )


def _is_started(server: str, starts: WhatStarts) -> bool | None:
    """Return whether the system starts a web server; None where its units are called anything, or nothing is known of what starts."""
    if server not in UNITS or starts.init == "unknown":
        return None
    # Where not everything was looked at, what was not found may start all the same.
    return True if starts.named(*UNITS[server]) else None if starts.cut else False


def _announced(files: Mapping[str, bytes]) -> tuple[str, str, int | None]:
    """Return (file, type, port) of the first web page that is announced; other services are no pages."""
    for path in sorted(files):
        if path.startswith(MDNS_FOLDER + "/") and path.endswith(".service"):
            for kind, port in _mdns_services(_text(files, path)):
                if kind in _PAGE_TYPES:
                    return path, kind, port
    return "", "", None


def _text(files: Mapping[str, bytes], path: str) -> str:
    return files.get(path, b"").decode("utf-8", "replace")


def _os_release(text: str) -> list[tuple[str, str]]:
    """Read os-release(5): KEY=value, value possibly in quotes."""
    pairs = (line.partition("=") for line in text.splitlines() if "=" in line and not line.startswith("#"))
    return [(key.strip(), value.strip().strip("\"'")) for key, _, value in pairs]


def _mdns_services(text: str) -> list[tuple[str, int | None]]:
    """Read the services of an mDNS service file: (type, port) each; nothing when it is not readable."""
    if "<!ENTITY" in text:
        return []
    try:
        root = ET.fromstring(text)
    except ET.ParseError:
        return []
    listed = ((s.findtext("type") or "", s.findtext("port") or "") for s in root.iter("service"))
    return [(kind.strip(), _port(port.strip())) for kind, port in listed]
