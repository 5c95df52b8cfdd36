"""How a pretend board starts a system that brings no manifest of the forge: it reads what such systems read, where they read it.

Boot volume and its folders: a supplicant's file, a keyfile, a name in `hostname` or `hostname.txt`. Root volume: the network manager's folder, the
supplicant's file, /etc/hostname, the web server's port. Not simulated: everything else such a system would do.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from pathlib import Path

from mintseed.standins.board.card_bytes import FatReader, root_file
from mintseed.standins.board.readers import Wanted, reader_called

JOIN_S, PAGE_AFTER_S = 45.0, 4.0
"""simulated seconds, in between those of the made-up appliances"""

KEYFILES = "etc/NetworkManager/system-connections"
SUPPLICANT = ("etc/wpa_supplicant/wpa_supplicant-wlan0.conf", "etc/wpa_supplicant/wpa_supplicant.conf")
SITES = ("etc/nginx/sites-enabled", "etc/nginx/conf.d")

PAGE = b"""<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1">
<title>{{host}}</title><body style="font:17px/1.5 system-ui,sans-serif;max-width:40rem;margin:2rem auto;padding:0 1rem">
<h1>{{host}}</h1><p>This page is shown by a pretend board that started a system it knows nothing of. It runs since {{since}}.</p></html>
"""


def is_system(card: Path, root: int) -> bool:
    """Return whether the root volume holds a system."""
    return "etc" in listed(card, root, "")


def wanted_networks(card: Path, root: int, fat: FatReader) -> Iterator[Wanted]:
    """Yield every network that a file of this card asks for, as its reader reads it."""
    wpa, keyfile = reader_called("wpa"), reader_called("keyfile")
    assert wpa is not None
    assert keyfile is not None
    found = [(keyfile, fat.read(n)) for n in fat.names(deep=True) if n.lower().endswith(".nmconnection")]
    found += [(wpa, fat.read(n)) for n in fat.names(deep=True) if n.lower().endswith(".conf")]
    found += [(keyfile, root_file(card, root, f"{KEYFILES}/{n}")) for n in listed(card, root, KEYFILES)]
    found += [(wpa, root_file(card, root, path)) for path in SUPPLICANT]
    for read, data in found:
        if data:
            yield from read(data)


def own_name(card: Path, root: int, fat: FatReader) -> str:
    said = [fat.read(n) or b"" for n in fat.names() if n.lower() in ("hostname", "hostname.txt")]
    words = [*said, root_file(card, root, "etc/hostname")]
    return next((w.decode("utf-8", "replace").split()[0] for w in words if w.split()), "")


def page_port(card: Path, root: int) -> int:
    """Return the first port its web server listens on; 80 where nothing says one."""
    for folder in SITES:
        for name in listed(card, root, folder):
            text = root_file(card, root, f"{folder}/{name}").decode("utf-8", "replace")
            if found := re.search(r"\blisten\s+(?:[\w.\[\]:*]+:)?(\d{1,5})\b", text):
                return int(found[1])
    return 80


def own_page(card: Path, root: int) -> bytes:
    """Return the page its web server shows, where its settings say in which folder it lies; else one of the pretend board's own."""
    for folder in SITES:
        for name in listed(card, root, folder):
            text = root_file(card, root, f"{folder}/{name}").decode("utf-8", "replace")
            found = re.search(r"\broot\s+/([\w./-]+);", text)
            if found and (page := root_file(card, root, f"{found[1].strip('/')}/index.html")):
                return page
    return PAGE


def announces(card: Path, root: int) -> bool:
    return "avahi-daemon" in listed(card, root, "usr/sbin")


def listed(card: Path, root: int, folder: str) -> list[str]:
    """Return the names in a folder of the root volume, as debugfs lists them."""
    done = subprocess.run(
        ["debugfs", "-R", f"ls -p /{folder}", f"{card}?offset={root}"],
        capture_output=True, check=False, timeout=30, env={"PATH": "/usr/sbin:/sbin:/usr/bin:/bin"},
    )  # fmt: skip
    rows = [line.split("/") for line in done.stdout.decode("utf-8", "replace").splitlines() if line.startswith("/")]
    return [row[5] for row in rows if len(row) > 5 and row[5] not in (".", "..")]
