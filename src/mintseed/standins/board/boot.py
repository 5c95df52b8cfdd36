"""From the bytes on a card to what the board does: stops, stays off the network, or joins and serves its page."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from mintseed.standins.board import some_system
from mintseed.standins.board.card_bytes import FatReader, UnreadableError, device_tree_names, root_file, volume_offsets
from mintseed.standins.board.readers import WORLD, Wanted, reader_called
from mintseed.standins.board.values import read_values

MANIFEST = "usr/lib/standin/manifest.json"
"""How the simulated system behaves; lies on the root volume and is read by stand-ins only."""


@dataclass(frozen=True)
class AirNetwork:
    """A network the simulated access point serves."""

    ssid: bytes
    key: bytes
    band_ghz: float
    hidden: bool = False
    country: str = ""
    """Where the channel is one that only this country's rules open; empty for a channel open everywhere."""
    word: bytes = b""
    """its passphrase, where it takes WPA3 alone; empty where it takes WPA2"""
    open: bool = False


def key_of(network: Mapping[str, Any]) -> bytes:
    """Return the key of a row of the air. Source: IEEE 802.11i Annex H.4."""
    return hashlib.pbkdf2_hmac("sha1", network["passphrase"].encode(), network["ssid"].encode(), 4096, 32)


def air_network(network: Mapping[str, Any]) -> AirNetwork:
    """Return a row of the air, as the simulated access point was told it, as pretend boards hear it."""
    word = network["passphrase"].encode() if network.get("wpa3_only") else b""
    return AirNetwork(
        network["ssid"].encode(), key_of(network), network["band_ghz"], bool(network.get("hidden")), str(network.get("country") or ""), word,
        bool(network.get("open")),
    )  # fmt: skip


class ManifestError(Exception):
    """The image's own manifest makes no sense: a mistake of the forge, not of the card."""


@dataclass(frozen=True)
class Outcome:
    """What will happen. `stops_at` is empty when it joins `after_s` seconds from power-on."""

    stops_at: str = ""
    after_s: float = 0.0
    address: str = ""
    """a fixed one with the length of its net; empty where it asks the router"""
    page_after_s: float = 0.0
    host_name: str = ""
    port: int = 0
    service: str = ""
    page: bytes = b""
    login_name: str = ""
    login_hash: str = field(default="", repr=False)
    login_word: str = field(default="", repr=False)


def boot(card: Path, board: dict[str, Any], air: Sequence[AirNetwork]) -> Outcome:
    """Return what `board` (as power.py describes it) does with `card` where `air` can be heard."""
    try:
        offsets = volume_offsets(card)
        if len(offsets) < 2:
            return Outcome("test card: fewer than two volumes")
        fat = FatReader(card, offsets[0])
    except (OSError, UnreadableError) as error:
        return Outcome(f"test card: {error}")
    try:
        return _from_volumes(card, offsets[1], fat, board, air)
    finally:
        fat.close()


def _from_volumes(card: Path, root: int, fat: FatReader, board: dict[str, Any], air: Sequence[AirNetwork]) -> Outcome:
    trees = [fat.read(n) or b"" for n in fat.names() if n.lower().endswith(".dtb")]
    if board["compatible"] and not any(device_tree_names(t)[:1] == [board["compatible"]] for t in trees):
        return Outcome("test card: no device tree for this board")
    kernel = next((fat.read(n) or b"" for n in fat.names() if n.lower().startswith("kernel")), b"")
    if kernel[0x38:0x3C] == b"ARM\x64" and board["bits"] == 32:
        return Outcome("test card: 64-bit kernel")
    told = root_file(card, root, MANIFEST)
    if not told and some_system.is_system(card, root):
        return _some_system(card, root, fat, board, air)
    try:
        manifest = json.loads(told)
    except ValueError:
        return Outcome("no root volume")
    device = manifest["device_file"]
    values = read_values(fat.read(device["path"]) or b"", shell=device["shell"])
    if board["cable"] and board["ethernet"]:
        return _joined(card, root, manifest, values, board)
    if not board["radio_ghz"]:
        return Outcome("no radio and no cable")
    joins, why = _joins(_asked(fat, manifest), board, air)
    return replace(_joined(card, root, manifest, values, board), address=joins.address) if joins else Outcome(why)


def _asked(fat: FatReader, manifest: dict[str, Any]) -> tuple[Wanted, ...]:
    """Return the networks its file asks for."""
    data = fat.read(manifest["network_file"]["path"])
    if data is None:
        return ()
    reader = reader_called(manifest["network_file"]["reader"])
    if reader is None:
        raise ManifestError(f"no reader is called {manifest['network_file']['reader']}")
    return reader(data)


def _joins(wanted: Iterable[Wanted], board: dict[str, Any], air: Sequence[AirNetwork]) -> tuple[Wanted | None, str]:
    """Return the network that the board joins, the first by rank that lets it in; else None, and why the first of all does not."""
    ordered = sorted(wanted, key=lambda one: -one.rank)
    told = [(one, _kept_off(one, board, air)) for one in ordered]
    joined = next((one for one, why in told if not why), None)
    return joined, told[0][1] if told else "network file missing or refused"


def _kept_off(wanted: Wanted, board: dict[str, Any], air: Sequence[AirNetwork]) -> str:
    """Return why a board that asks for `wanted` stays off the air, or nothing when it joins."""
    if len(wanted.country) != 2:
        return "radio off: no country"
    network = next((n for n in air if n.ssid == wanted.ssid and n.band_ghz in board["radio_ghz"]), None)
    if network is None or (network.hidden and not wanted.asks_for_hidden):
        return "hears no such network"
    if network.country and wanted.country not in (network.country, WORLD):
        return "radio keeps off the channel of another country"
    if network.word and not wanted.word:
        return "access point takes WPA3 alone"
    if wanted.word and not network.word:
        return "access point knows no WPA3"
    if network.open or wanted.open:
        return "" if network.open and wanted.open else "access point refuses the key"
    joins = wanted.word == network.word if network.word else wanted.key == network.key
    return "" if joins else "access point refuses the key"


def _some_system(card: Path, root: int, fat: FatReader, board: dict[str, Any], air: Sequence[AirNetwork]) -> Outcome:
    """Return what a board does with a system that brings no manifest."""
    joins = None
    if not (board["cable"] and board["ethernet"]):
        if not board["radio_ghz"]:
            return Outcome("no radio and no cable")
        joins, why = _joins(some_system.wanted_networks(card, root, fat), board, air)
        if joins is None:
            return Outcome(why)
    return Outcome(
        address=joins.address if joins else "",
        after_s=some_system.JOIN_S, page_after_s=some_system.PAGE_AFTER_S, host_name=some_system.own_name(card, root, fat),
        port=some_system.page_port(card, root), service="_http._tcp" if some_system.announces(card, root) else "", page=some_system.own_page(card, root),
    )  # fmt: skip


def _joined(card: Path, root: int, manifest: dict[str, Any], values: dict[str, str], board: dict[str, Any]) -> Outcome:
    device = manifest["device_file"]
    own_name = root_file(card, root, "etc/hostname").decode("utf-8", "replace").strip()
    listen = root_file(card, root, "etc/webpage/site.conf").decode("utf-8", "replace")
    ports = [
        w.strip(";") for line in listen.splitlines() if line.strip().startswith("listen") for w in line.split()[1:2]
    ]
    service = root_file(card, root, f"etc/avahi/services/{manifest['appliance']}.service").decode("utf-8", "replace")
    page = root_file(card, root, "srv/page/index.html")
    has_account = bool(values.get(device["account"]) and values.get(device["account_hash"]))
    # A board that was powered under an older version was told apart as tiny or not.
    speed = board.get("speed", "slow" if board.get("tiny") else "")
    factor = {"slow": 1.6, "fast": 0.8}.get(speed, 1.0)
    return Outcome(
        after_s=manifest["join_s"] * factor,
        page_after_s=manifest["page_after_s"],
        host_name=values.get(device["name"]) or own_name,
        port=int(ports[0]) if ports and ports[0].isdigit() else 80,
        service="_http._tcp" if "<type>_http._tcp</type>" in service else "",
        page=page,
        login_name=values[device["account"]] if has_account else manifest["login"]["name"],
        login_hash=values[device["account_hash"]] if has_account else "",
        login_word="" if has_account else manifest["login"]["word"],
    )
