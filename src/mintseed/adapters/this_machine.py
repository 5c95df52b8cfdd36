"""The zone, keyboard, language, addresses and Wi-Fi of this machine, from its own settings."""

from __future__ import annotations

import re
from pathlib import Path

import ifaddr

from mintseed.adapters.run_tool import run_tool
from mintseed.core.errors import MintSeedError
from mintseed.core.image.system import assigned
from mintseed.core.site.proposal import MachineFacts, WifiHere

CHANNELS_GHZ = ((2400, 2500, 2.4), (4900, 5925, 5.0), (5925, 7200, 6.0))
"""MHz from, to, and the band as it is called (IEEE 802.11-2020 Annex E)"""


class OwnMachine:
    """Implements ports.ThisMachine. `root` is the folder its settings lie in."""

    def __init__(self, root: Path = Path("/")) -> None:
        self._root = root

    def facts(self) -> MachineFacts:
        keyboard = assigned(self._text("etc/default/keyboard"), "XKBLAYOUT").split(",")[0]
        locale = assigned(self._text("etc/default/locale"), "LANG") or assigned(self._text("etc/locale.conf"), "LANG")
        return MachineFacts(self._zone(), keyboard, locale, own_addresses(), wifi_here())

    def _zone(self) -> str:
        try:
            target = str((self._root / "etc/localtime").readlink())
        except OSError:
            return self._text("etc/timezone").strip()
        return target.partition("zoneinfo/")[2]

    def _text(self, path: str) -> str:
        try:
            with (self._root / path).open("rb") as file:
                return file.read(64 * 1024).decode("utf-8", "replace")
        except OSError:
            return ""


def own_addresses() -> tuple[str, ...]:
    """Return this machine's IPv4 addresses with their prefixes."""
    return tuple(
        f"{ip.ip}/{ip.network_prefix}"
        for adapter in ifaddr.get_adapters()
        for ip in adapter.ips
        if isinstance(ip.ip, str)
    )


def wifi_here() -> WifiHere | None:
    """Return the Wi-Fi network this machine is in, by its network manager; None where there is none, or nobody tells."""
    fields = ["nmcli", "-t", "-e", "yes", "-f", "IN-USE,FREQ,SECURITY,SSID", "device", "wifi", "list", "--rescan", "no"]
    try:
        listed = run_tool(fields, package="network-manager").decode("utf-8", "replace")
    except MintSeedError:
        return None
    return read_nmcli(listed)


def read_nmcli(listed: str) -> WifiHere | None:
    """Return the network in use of nmcli's terse list: IN-USE:FREQ:SECURITY:SSID, with \\: for a colon. Source: nmcli(1), --terse."""
    for line in listed.splitlines():
        used, _, rest = line.partition(":")
        mhz, _, rest = rest.partition(":")
        security, _, ssid = rest.partition(":")
        number = re.match(r"(\d{4})", mhz)
        if used == "*" and number and ssid:
            band = next((ghz for low, high, ghz in CHANNELS_GHZ if low <= int(number[1]) < high), 2.4)
            return WifiHere(re.sub(r"\\(.)", r"\1", ssid), band, security.split() == ["WPA3"])
    return None
