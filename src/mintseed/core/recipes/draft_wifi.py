"""Where a system reads its Wi-Fi network from, by what is started in it: the files that a draft fills on the root volume.

Each software has its own file, and some want a second one: that an address is asked for, that a radio is on, that a unit is started.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from mintseed.core.image.facts import SystemFacts
from mintseed.core.image.report import FileOnImage
from mintseed.core.image.system import (
    CONNMAN,
    IFUPDOWN,
    IFUPDOWN_JOINS,
    IWD,
    NETPLAN,
    NETWORK_MANAGER,
    NETWORKD,
    SUPPLICANT_STARTED,
    SUPPLICANT_UNIT,
)
from mintseed.core.recipes.model import NETWORK_IN_PATH, DialectName

KEYFILE = "/etc/NetworkManager/system-connections/wifi.nmconnection"
SUPPLICANT = ("/etc/wpa_supplicant/wpa_supplicant-wlan0.conf", "/etc/wpa_supplicant/wpa_supplicant.conf")
NETPLAN_FILE = "/etc/netplan/90-wifi.yaml"
NETWORKD_FILE = "/etc/systemd/network/25-wireless.network"
INTERFACES, INTERFACES_FOLDER = "/etc/network/interfaces", "etc/network/interfaces.d"
IWD_FILE = f"/var/lib/iwd/={NETWORK_IN_PATH}.psk"
IWD_MAIN = "/etc/iwd/main.conf"
CONNMAN_FILE, CONNMAN_SETTINGS = "/var/lib/connman/wifi.config", "/var/lib/connman/settings"
WANTED = "/etc/systemd/system/multi-user.target.wants/wpa_supplicant@wlan0.service"

DHCPCD = "dhcpcd"


@dataclass(frozen=True, slots=True)
class WifiFile:
    """A file that brings the radio onto the network. `values`: key → template, where the dialect wants some."""

    path: str
    title: str
    dialect: DialectName
    why: str
    values: Mapping[str, str]


def wifi_files(system: SystemFacts, there: Mapping[str, FileOnImage]) -> tuple[WifiFile, ...]:
    """Return the files a system wants for a Wi-Fi network; none where what joins networks does not lie there, or nothing known is started.

    `there`: the files of the root volume that were read, by path with a / before it.
    """
    started = {fact.value: fact.file for fact in system.networks}
    joins = {fact.value: fact.file for fact in system.joiners}
    supplicant = "wpa_supplicant" in joins
    if NETPLAN in started and (supplicant or NETWORK_MANAGER in started):
        return (_netplan(started[NETPLAN], there),)
    if NETWORK_MANAGER in started:
        why = (
            f"{started[NETWORK_MANAGER]} starts the network manager, which reads this folder (nm-settings-keyfile(5))."
        )
        return (WifiFile(KEYFILE, "Wi-Fi", "keyfile", why, {}),)
    if CONNMAN in started and ("iwd" in joins or supplicant):
        return tuple(_connman(started[CONNMAN]))
    if IWD in started:
        return tuple(_iwd(started, there))
    if IFUPDOWN in started and IFUPDOWN_JOINS in joins and "@" not in started.get(SUPPLICANT_STARTED, ""):
        return tuple(_ifupdown(started[IFUPDOWN], there))
    return tuple(_supplicant(started, joins, there))


def _netplan(source: str, there: Mapping[str, FileOnImage]) -> WifiFile:
    named = next(
        (
            p
            for p, f in there.items()
            if p.startswith("/etc/netplan/") and p.endswith(".yaml") and b"wifis:" in f.content
        ),
        "",
    )
    reads = f"{source} shows that netplan reads this folder, the last file last (netplan(5))."
    return WifiFile(named or NETPLAN_FILE, "Wi-Fi", "netplan", "It names a radio already." if named else reads, {})


def _connman(source: str) -> Iterator[WifiFile]:
    yield WifiFile(
        CONNMAN_FILE,
        "Wi-Fi",
        "connman",
        f"{source} starts connman, which reads this folder (connman-service.config(5)).",
        {},
    )
    # It leaves a radio off until somebody switches it on, and keeps that here.
    yield WifiFile(CONNMAN_SETTINGS, "radio switched on", "ini", "Connman keeps there that the radio is on (its doc/technology-api.txt).",
                   {"WiFi/Enable": "true", "WiFi/Tethering": "false"})  # fmt: skip


def _iwd(started: Mapping[str, str], there: Mapping[str, FileOnImage]) -> Iterator[WifiFile]:
    yield WifiFile(
        IWD_FILE,
        "Wi-Fi",
        "iwd",
        f"{started[IWD]} starts iwd, which reads a file of the network's name (iwd.network(5)).",
        {},
    )
    if NETWORKD in started:
        yield from _address(started, there)
    elif DHCPCD not in started:
        yield WifiFile(IWD_MAIN, "its address", "ini", "Nothing else asks for an address; iwd does where this says so (iwd.config(5)).",
                       {"General/EnableNetworkConfiguration": "true"})  # fmt: skip


def _ifupdown(source: str, there: Mapping[str, FileOnImage]) -> Iterator[WifiFile]:
    main = there.get(INTERFACES)
    named = next(
        (
            p
            for p, f in there.items()
            if (p == INTERFACES or p.startswith(f"/{INTERFACES_FOLDER}/")) and b"iface wlan0 " in f.content
        ),
        "",
    )
    sourced = main is not None and b"interfaces.d" in b"".join(
        line for line in main.content.split(b"\n") if line.strip().startswith(b"source")
    )
    path = named or (f"/{INTERFACES_FOLDER}/wlan0" if sourced else INTERFACES)
    why = "It names the radio already." if named else f"{source} starts ifupdown, which reads it (interfaces(5))."
    yield WifiFile(path, "Wi-Fi", "interfaces", why, {})


def _supplicant(
    started: Mapping[str, str], joins: Mapping[str, str], there: Mapping[str, FileOnImage]
) -> Iterator[WifiFile]:
    unit = started.get(SUPPLICANT_STARTED, "")
    if "@" in unit or (unit and NETWORKD not in started):
        # An instance of the unit reads a file of its device's name.
        path = SUPPLICANT[0] if "@wlan0" in unit or SUPPLICANT[0] in there else SUPPLICANT[1]
        yield WifiFile(path, "Wi-Fi", "wpa-supplicant", f"{unit} starts the supplicant, which reads it.", {})
    elif NETWORKD in started and SUPPLICANT_UNIT in joins:
        # The service without a device waits to be asked over D-Bus and reads no file (wpasupplicant's README.Debian): one for the radio is started.
        yield WifiFile(
            SUPPLICANT[0], "Wi-Fi", "wpa-supplicant", f"{joins[SUPPLICANT_UNIT]} reads a file of its device's name.", {}
        )
        yield WifiFile(WANTED, "supplicant started for the radio", "link", "Nothing starts it for the radio; a link here does (systemd.unit(5), Wants=).",
                       {"target": f"/{joins[SUPPLICANT_UNIT]}"})  # fmt: skip
    elif DHCPCD in started and "wpa_supplicant" in joins:
        yield WifiFile(
            SUPPLICANT[1],
            "Wi-Fi",
            "wpa-supplicant",
            f"{started[DHCPCD]} starts dhcpcd, whose hook starts the supplicant with it (dhcpcd-run-hooks(8)).",
            {},
        )
    else:
        return
    yield from _address(started, there)


def _address(started: Mapping[str, str], there: Mapping[str, FileOnImage]) -> Iterator[WifiFile]:
    """Yield the file that has the radio ask for an address, where systemd's network is what would and nothing says so yet."""
    if NETWORKD not in started:
        return
    said = [f for p, f in there.items() if p.startswith("/etc/systemd/network/") and p.endswith(".network")]
    if not any(b"wl" in f.content for f in said):
        yield WifiFile(
            NETWORKD_FILE,
            "its address",
            "systemd-networkd",
            f"{started[NETWORKD]} starts systemd's network, which wants to be told of the radio (systemd.network(5)).",
            {},
        )
