"""Where a system reads its Wi-Fi network from, by what starts in it (its manual pages are named where the rule stands)."""

from __future__ import annotations

import pytest

from mintseed.core.image.facts import Fact, SystemFacts
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
from mintseed.core.recipes.draft_wifi import (
    CONNMAN_FILE,
    CONNMAN_SETTINGS,
    DHCPCD,
    INTERFACES,
    IWD_FILE,
    IWD_MAIN,
    KEYFILE,
    NETPLAN_FILE,
    NETWORKD_FILE,
    SUPPLICANT,
    WANTED,
    WifiFile,
    wifi_files,
)

TEMPLATE_UNIT = "lib/systemd/system/wpa_supplicant@.service"
OF_DEVICE, PLAIN = SUPPLICANT


def files(started: dict[str, str], joins: tuple[str, ...] = ("wpa_supplicant",), **there: bytes) -> list[WifiFile]:
    system = SystemFacts(
        networks=tuple(Fact(what, by) for what, by in started.items()),
        joiners=tuple(Fact(what, TEMPLATE_UNIT if what == SUPPLICANT_UNIT else f"sbin/{what}") for what in joins),
    )
    lying = {path: FileOnImage(path, len(content), content, known=False) for path, content in there.items()}
    found = wifi_files(system, lying)
    assert all(f.title and f.why for f in found)
    return list(found)


def said(*arguments: object, **there: bytes) -> list[tuple[str, str]]:
    return [(f.path, f.dialect) for f in files(*arguments, **there)]  # type: ignore[arg-type]


NM, ND, WPA = {NETWORK_MANAGER: "nm.service"}, {NETWORKD: "networkd.service"}, "wpa_supplicant"


@pytest.mark.parametrize(("started", "joins", "there", "wanted"), [
    (NM, (WPA,), {}, [(KEYFILE, "keyfile")]),
    ({NETPLAN: "x.yaml"} | NM, (), {}, [(NETPLAN_FILE, "netplan")]),
    ({NETPLAN: "x.yaml"} | ND, (WPA,), {}, [(NETPLAN_FILE, "netplan")]),
    ({NETPLAN: "x.yaml"} | ND, (WPA,), {"/etc/netplan/50.yaml": b"network:\n  wifis:\n"}, [("/etc/netplan/50.yaml", "netplan")]),
    ({NETPLAN: "x.yaml"} | ND, (WPA,), {"/etc/netplan/50.yaml": b"network:\n  ethernets:\n", "/etc/other.yaml": b"wifis:"}, [(NETPLAN_FILE, "netplan")]),
    ({NETPLAN: "x.yaml"} | ND, (), {}, []),
    ({CONNMAN: "connman.service"}, (WPA,), {}, [(CONNMAN_FILE, "connman"), (CONNMAN_SETTINGS, "ini")]),
    ({CONNMAN: "connman.service"}, ("iwd",), {}, [(CONNMAN_FILE, "connman"), (CONNMAN_SETTINGS, "ini")]),
    ({CONNMAN: "connman.service"}, (), {}, []),
    ({IWD: "iwd.service"}, ("iwd",), {}, [(IWD_FILE, "iwd"), (IWD_MAIN, "ini")]),
    ({IWD: "iwd.service", DHCPCD: "d"}, ("iwd",), {}, [(IWD_FILE, "iwd")]),
    ({IWD: "iwd.service"} | ND, ("iwd",), {}, [(IWD_FILE, "iwd"), (NETWORKD_FILE, "systemd-networkd")]),
    ({IWD: "iwd.service"} | ND, ("iwd",), {"/etc/systemd/network/w.network": b"[Match]\nName=wl*\n"}, [(IWD_FILE, "iwd")]),
    ({IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS), {}, [(INTERFACES, "interfaces")]),
    ({IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS), {INTERFACES: b"source /etc/network/interfaces.d/*\n"}, [("/etc/network/interfaces.d/wlan0", "interfaces")]),
    ({IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS), {INTERFACES: b"# see interfaces.d\n"}, [(INTERFACES, "interfaces")]),
    ({IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS), {INTERFACES: b"source /etc/network/interfaces.d/*\niface wlan0 inet dhcp\n"}, [(INTERFACES, "interfaces")]),
    ({IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS), {"/etc/network/interfaces.d/radio": b"iface wlan0 inet dhcp\n"}, [("/etc/network/interfaces.d/radio", "interfaces")]),
    ({IFUPDOWN: "if.service", SUPPLICANT_STARTED: "wpa_supplicant@wlan0.service"}, (WPA, IFUPDOWN_JOINS), {}, [(OF_DEVICE, "wpa-supplicant")]),
    ({IFUPDOWN: "if.service"}, (WPA,), {}, []),
    ({SUPPLICANT_STARTED: "wpa_supplicant@wlan0.service"}, (WPA,), {}, [(OF_DEVICE, "wpa-supplicant")]),
    ({SUPPLICANT_STARTED: "wpa_supplicant@radio.service"}, (WPA,), {}, [(PLAIN, "wpa-supplicant")]),
    ({SUPPLICANT_STARTED: "wpa_supplicant.service"}, (WPA,), {}, [(PLAIN, "wpa-supplicant")]),
    ({SUPPLICANT_STARTED: "wpa_supplicant.service"}, (WPA,), {OF_DEVICE: b""}, [(OF_DEVICE, "wpa-supplicant")]),
    ({SUPPLICANT_STARTED: "wpa_supplicant@wlan0.service"} | ND, (WPA,), {}, [(OF_DEVICE, "wpa-supplicant"), (NETWORKD_FILE, "systemd-networkd")]),
    ({SUPPLICANT_STARTED: "wpa_supplicant.service"} | ND, (WPA, SUPPLICANT_UNIT), {}, [(OF_DEVICE, "wpa-supplicant"), (WANTED, "link"), (NETWORKD_FILE, "systemd-networkd")]),
    (ND, (WPA, SUPPLICANT_UNIT), {}, [(OF_DEVICE, "wpa-supplicant"), (WANTED, "link"), (NETWORKD_FILE, "systemd-networkd")]),
    (ND, (WPA, SUPPLICANT_UNIT), {"/etc/systemd/network/w.network": b"[Match]\nName=wlan0\n"}, [(OF_DEVICE, "wpa-supplicant"), (WANTED, "link")]),
    (ND, (WPA, SUPPLICANT_UNIT), {"/etc/systemd/network/e.network": b"[Match]\nName=en*\n", "/etc/systemd/network/w.link": b"[Match]\nOriginalName=wl*\n"},
     [(OF_DEVICE, "wpa-supplicant"), (WANTED, "link"), (NETWORKD_FILE, "systemd-networkd")]),
    (ND, (WPA,), {}, []),
    ({DHCPCD: "dhcpcd.service"}, (WPA,), {}, [(PLAIN, "wpa-supplicant")]),
    ({DHCPCD: "dhcpcd.service"}, (), {}, []),
    ({}, (WPA, SUPPLICANT_UNIT), {}, []),
])  # fmt: skip
def test_what_starts_says_which_files_it_wants(
    started: dict[str, str], joins: tuple[str, ...], there: dict[str, bytes], wanted: list[tuple[str, str]]
) -> None:
    assert said(started, joins, **there) == wanted


def test_the_link_starts_the_unit_that_lies_there() -> None:
    link = next(f for f in files(ND, (WPA, SUPPLICANT_UNIT)) if f.dialect == "link")
    assert link.values == {"target": f"/{TEMPLATE_UNIT}"}


def test_a_radio_is_switched_on_and_an_address_asked_for_where_nothing_else_does() -> None:
    on = next(f for f in files({CONNMAN: "c"}) if f.path == CONNMAN_SETTINGS)
    assert on.values["WiFi/Enable"] == "true"
    asks = next(f for f in files({IWD: "i"}, ("iwd",)) if f.path == IWD_MAIN)
    assert asks.values == {"General/EnableNetworkConfiguration": "true"}


@pytest.mark.parametrize(
    "started", [NM, ND, {CONNMAN: "c.service"}, {IWD: "i.service"}, {DHCPCD: "d.service"}, {IFUPDOWN: "if.service"}]
)
def test_it_says_what_it_goes_by(started: dict[str, str]) -> None:
    joins = (WPA, "iwd", SUPPLICANT_UNIT, IFUPDOWN_JOINS)
    why = " ".join(f.why for f in files(started, joins))
    assert next(iter(started.values())) in why


def test_what_is_there_already_is_said_to_be() -> None:
    """Word for word: it is what somebody reads who looks over a draft."""
    netplan, named = {NETPLAN: "x.yaml"} | ND, "It names a radio already."
    reads = "x.yaml shows that netplan reads this folder, the last file last (netplan(5))."
    assert files(netplan) == [WifiFile(NETPLAN_FILE, "Wi-Fi", "netplan", reads, {})]
    of_theirs = files(netplan, **{"/etc/netplan/50.yaml": b"  wifis:\n"})
    assert of_theirs == [WifiFile("/etc/netplan/50.yaml", "Wi-Fi", "netplan", named, {})]
    # One of the name a draft would take, without a radio in it.
    assert files(netplan, **{NETPLAN_FILE: b"network: {}\n"}) == [WifiFile(NETPLAN_FILE, "Wi-Fi", "netplan", reads, {})]
    ifupdown, joins = {IFUPDOWN: "if.service"}, (WPA, IFUPDOWN_JOINS)
    reads = "if.service starts ifupdown, which reads it (interfaces(5))."
    assert files(ifupdown, joins) == [WifiFile(INTERFACES, "Wi-Fi", "interfaces", reads, {})]
    named = "It names the radio already."
    has = files(ifupdown, joins, **{INTERFACES: b"iface wlan0 inet dhcp\n"})
    assert has == [WifiFile(INTERFACES, "Wi-Fi", "interfaces", named, {})]


def test_what_a_further_file_is_for_is_said() -> None:
    network, on = files({CONNMAN: "c.service"})
    assert (network.title, network.values) == ("Wi-Fi", {})
    assert network.why == "c.service starts connman, which reads this folder (connman-service.config(5))."
    assert on == WifiFile(CONNMAN_SETTINGS, "radio switched on", "ini", "Connman keeps there that the radio is on (its doc/technology-api.txt).",
                          {"WiFi/Enable": "true", "WiFi/Tethering": "false"})  # fmt: skip
    network, asks = files({IWD: "i.service"}, ("iwd",))
    assert (network.title, network.values) == ("Wi-Fi", {})
    assert (asks.title, asks.why) == (
        "its address",
        "Nothing else asks for an address; iwd does where this says so (iwd.config(5)).",
    )
