"""One cell of the table: a card is filled, a machine starts it, and what comes of it is held against what was said before."""

from __future__ import annotations

import re
import secrets
import subprocess
import threading
import time
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from mintseed.adapters.filled_folder import FilledFolder
from mintseed.adapters.http_probe import HttpProbe
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.multicast_dns import MulticastDns
from mintseed.adapters.name_lookup import MulticastNames
from mintseed.adapters.neighbour_view import NeighbourView, neighbours_from_kernel
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.find.candidates import Wanted
from mintseed.core.find.sightings import Sighting, parse_dnsmasq_leases
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.image.report import XRay
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.accounts import password_hash
from mintseed.core.settings.answers import answers_in_force
from mintseed.core.settings.fill import FilledFile, address_findings, fill_files
from mintseed.core.settings.values import SettingValues, check_values
from mintseed.core.visible import one_line
from mintseed.services import find_device, save_filled
from mintseed.standins.board import boot as pretend
from mintseed.standins.board.boot import key_of
from mintseed.standins.machine.bench import console
from mintseed.standins.machine.ground import Ground
from mintseed.standins.machine.machine import Machine
from proving.cases import ADMIN, TIME_ZONE, Case, fixed_address

JOINS_WITHIN_S = 300.0
"""seconds after which a machine that said neither is given up: several times what the slowest took (measured)"""
ANSWERS_WITHIN_S = 150.0
"""seconds it gets for all the rest. Where others take the processor, sshd makes its host keys for more than a minute (measured)."""
SSH_WITHIN_S = 90.0
LOOK_EVERY_S = 0.5

_ADDRESS = re.compile(r"assay: (wl|eth)\w+ has ([\d.]+)/")
_NONE = re.compile(r"assay: no address")
_REFUSED = re.compile(r"AP-STA-POSSIBLE-PSK-MISMATCH")
REFUSED_TIMES = 5
"""after so many refusals and no handshake it is the key: one alone may be a frame of an earlier try (seen)"""


@dataclass(frozen=True, slots=True)
class Said:
    """What the core said before anything was started. `joins`: whether its files name the network on the air with what opens it; None where
    a stop kept it from being filled."""

    joins: bool | None
    worst: Severity
    findings: tuple[Finding, ...]
    meaning: str


@dataclass(slots=True)
class Seen:
    """What a machine did. Empty where it did not come to that."""

    joined: bool = False
    why: str = ""
    address: str = ""
    leased_name: str = ""
    name_answers: bool = False
    page_found: bool = False
    page_at: str = ""
    time_zone: str = ""
    account: str = ""
    host_name: str = ""
    network: str = ""
    after_s: float = 0.0
    held_mb: int = 0
    """the most memory its process held, 10⁶ bytes"""
    console: str = field(default="", repr=False)


@dataclass(frozen=True)
class Place:
    """Where cells are tried: the network, the folder of cards and consoles, the library."""

    here: Ground
    folder: Path
    library: Path
    key: Path
    accelerated: bool

    @property
    def public_key(self) -> str:
        return self.key.with_suffix(".pub").read_text().strip()


def values_for(recipe: Recipe, case: Case, place: Place, slot: int, host_name: str) -> SettingValues:
    """Return what goes into the files of a card."""
    return SettingValues(
        host_name=host_name, time_zone=TIME_ZONE, keyboard="gb", way="cable" if case.cable else "wifi", band_ghz=2.4,
        admin_name=ADMIN, admin_hash=password_hash(secrets.token_urlsafe(24), secrets.token_hex(8)), ssh_keys=(place.public_key,), answers=answers_in_force(recipe.asks, {}),
        address=fixed_address(str(place.here.lan), slot) if case.fixed else None, **case.values,
    )  # fmt: skip


def said_before(recipe: Recipe, values: SettingValues, case: Case, xray: XRay) -> tuple[Said, tuple[FilledFile, ...]]:
    """Return what the core says of a card before it is written, and the files."""
    filled = fill_files(recipe, values, xray)
    found = [
        *check_values(values, default_host_name=recipe.host_name, names_taken=frozenset()), *address_findings(recipe, values, xray.release),
        *(f for one in filled for f in one.findings),
    ]  # fmt: skip
    worst = verdict(found)
    meanings = " ".join(one.meaning for one in filled if one.meaning)
    told = tuple(f for f in found if f.severity in (Severity.STOP, Severity.CHECK))
    if worst is Severity.STOP:
        return Said(None, worst, told, meanings), filled
    if case.cable:
        return Said(True, worst, told, meanings), filled
    network = case.network
    # A recipe's own keys are told by their sentence alone.
    named = any(f"oins {one_line(str(network['ssid']))}" in one.meaning for one in filled)
    opens = (
        "without a passphrase" in meanings
        if network.get("open")
        else any(_opens(one.content, network) for one in filled)
    )
    # Kept to a country where the access point's channel is closed, it never hears it.
    closed = any(f.code == "wifi.channel-country" for f in found)
    return Said(named and opens and not closed, worst, told, meanings), filled


def write_card(place: Place, xray: XRay, filled: Sequence[FilledFile], name: str) -> Path:
    """Write the filled image as a card's file and return it."""
    folder = place.folder / "cards"
    save_filled.execute(
        xray,
        filled,
        f"{name}.img",
        library=LibraryFolder(place.library, place.folder / "scratch"),
        tools=OffsetVolumeTools(),
        copies=FilledFolder(folder),
    )
    return folder / f"{name}.img"


def pretended(card: Path, case: Case) -> str:
    """Return what the pretend board does with the very card: `joins`, or why it does not."""
    # Channel 13 is one that the rules of few countries open; the pretend board goes by whose.
    air = pretend.air_network({**case.network, "country": "GB" if case.network.get("channel") == 13 else ""})
    board = {"compatible": "", "bits": 64, "radio_ghz": [2.4], "ethernet": True, "cable": case.cable, "speed": "middle"}
    outcome = pretend.boot(card, board, [air])
    return outcome.stops_at or "joins"


def _opens(content: bytes, network: Mapping[str, Any]) -> bool:
    """Return whether what opens the network stands in a file: its key, or for WPA3 alone the passphrase itself."""
    word = str(network["passphrase"])
    return (word.encode() if network.get("wpa3_only") else key_of(network).hex().encode()) in content


def watch(
    place: Place,
    machine: Machine,
    process: subprocess.Popen[bytes],
    host_name: str,
    recipe: Recipe,
    stop: threading.Event,
) -> Seen:
    """Return what a started machine does: until it has an address or says that it has none, and then whatever can be asked of it."""
    seen, began = Seen(), time.monotonic()
    listed = NeighbourView([place.here.leases], neighbours_from_kernel).sightings()
    before = there_before(listed, {machine.radio_mac, machine.cable_mac})
    while not seen.joined and not stop.wait(LOOK_EVERY_S):
        said = console(machine.console)
        if found := _address(said, radio=bool(machine.access_points)):
            seen.joined, seen.address, seen.after_s = True, found, time.monotonic() - began
        elif why := _stays_off(said):
            seen.why, seen.after_s = why, time.monotonic() - began
            break
        elif process.poll() is not None:
            seen.why = "the machine ended"
            break
        elif time.monotonic() - began > JOINS_WITHIN_S:
            seen.why = f"said neither within {JOINS_WITHIN_S:.0f} s"
            break
    if seen.joined:
        _ask(place, seen, host_name, recipe, before, stop)
    seen.console, seen.held_mb = console(machine.console), _held_mb(process.pid)
    return seen


def there_before(listed: Iterable[Sighting], own_macs: Collection[str]) -> frozenset[str]:
    """Return who was there before power-on, and what the lists said then, of whomever. The machine that had this slot before had its hardware
    addresses too; for anybody else these are another board's. Its lease under another name stays listed for hours and tells of nobody."""
    seen = list(listed)
    others = {key for one in seen if one.mac not in own_macs for key in one.keys}
    return frozenset(others | {one.trace for one in seen if one.trace})


def _held_mb(pid: int) -> int:
    """Return the most memory a process held so far, 10⁶ bytes (proc(5), VmHWM); 0 once it is gone."""
    try:
        said = re.search(r"^VmHWM:\s+(\d+) kB$", Path(f"/proc/{pid}/status").read_text(), re.MULTILINE)
    except OSError:
        return 0
    return int(said[1]) * 1024 // 10**6 if said else 0


def _address(said: str, *, radio: bool) -> str:
    """Return the address a machine says it has, by its radio or by its cable, whichever is tried; nothing of another way in."""
    return next((address for kind, address in _ADDRESS.findall(said) if (kind == "wl") is radio), "")


def _stays_off(said: str) -> str:
    """Return why a machine with this console will not get onto the network, nothing while it may."""
    if _NONE.search(said):
        return (
            "the access point refuses its key"
            if _REFUSED.search(said) and "EAPOL-4WAY-HS-COMPLETED" not in said
            else "no address"
        )
    refused = len(_REFUSED.findall(said)) >= REFUSED_TIMES and "EAPOL-4WAY-HS-COMPLETED" not in said
    return "the access point refuses its key" if refused else ""


def _ask(
    place: Place, seen: Seen, host_name: str, recipe: Recipe, before: frozenset[str], stop: threading.Event
) -> None:
    """Ask a machine that is on the network for all the rest, by the real adapters; whatever has come within ANSWERS_WITHIN_S counts."""
    here = (str(place.here.lan[2]),)
    names, view, probe, ears = (
        MulticastNames(here),
        NeighbourView([place.here.leases], neighbours_from_kernel),
        HttpProbe(),
        MulticastDns(here),
    )
    until = time.monotonic() + ANSWERS_WITHIN_S
    takes_key = any(file.dialect == "authorized-keys" for file in recipe.files)
    try:
        while not stop.is_set():
            seen.leased_name = next(
                (s.host_name for s in parse_dnsmasq_leases(_text(place.here.leases)) if s.address == seen.address), ""
            )
            answers = names.addresses_of(host_name)
            seen.name_answers = seen.address in answers
            swept = find_device.Swept(find_device.sightings_now(view, ears, (str(place.here.lan),)), _now())
            look = find_device.execute(
                swept, Wanted(host_name, recipe.host_name, recipe.page, before, name_answers=answers), probe=probe
            )
            here_is = next((c for c in look.candidates if c.address == seen.address), None)
            seen.page_found = here_is is not None and here_is.is_it
            if not seen.account and takes_key:
                _log_in(place, seen)
            if (seen.name_answers and seen.page_found and (seen.account or not takes_key)) or time.monotonic() > until:
                return
            stop.wait(LOOK_EVERY_S)
    finally:
        ears.close()


def _log_in(place: Place, seen: Seen) -> None:
    """Log in with the place's key, and read off what only the machine itself knows."""
    try:
        done = subprocess.run(
            ["ssh", "-i", str(place.key), "-o", "BatchMode=yes", "-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null", "-o", "LogLevel=ERROR",
             "-o", "ConnectTimeout=40", f"{ADMIN}@{seen.address}", "id -un; hostname; readlink /etc/localtime; /usr/sbin/iw dev | sed -n 's/^\\t\\tssid //p'"],
            capture_output=True, text=True, check=False, timeout=SSH_WITHIN_S, stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return  # a machine whose processor others have needs a while for its first key exchange; it is asked again
    if done.returncode == 0:
        lines = [*done.stdout.splitlines(), "", "", "", ""]
        seen.account, seen.host_name, zone, seen.network = lines[:4]
        seen.time_zone = zone.partition("zoneinfo/")[2]


def _text(path: Path) -> str:
    try:
        return path.read_text()
    except OSError:
        return ""


def _now() -> datetime:
    return datetime.now(UTC)
