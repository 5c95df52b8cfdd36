"""What is read of systems made of Debian's own packages. What is expected stands in the packages' documentation, named beside each."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import pytest
import yaml

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.report import XRay
from mintseed.core.recipes.draft import Draft, draft_of, recipe_text
from mintseed.core.recipes.draft_wifi import KEYFILE
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.fill import fill_files
from mintseed.services import inspect_image
from tests.builders import readers
from tests.builders.debian import System, image_of, tree_of
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS

RAN_BEFORE = {"etc/machine-id": ""}
SYSTEMD = {"sbin/init": "/lib/systemd/systemd"}


@dataclass(frozen=True)
class Expected:
    """`pages`: (port, server, whether it is started) of what listens. `wifi`: what the draft fills for a network, empty: nothing."""

    networks: tuple[str, ...] = ()
    ssh: str = ""
    pages: tuple[tuple[int, str, bool | None], ...] = ()
    port: int | None = None
    wifi: str = ""
    beside: tuple[str, ...] = ()
    """what it wants beside that file"""
    first_start: tuple[str, ...] = ()
    announcer: bool | None = False
    looks_for: tuple[str, ...] = ()
    shares: tuple[str, ...] = ()
    grows: str = ""


SYSTEMS: dict[str, tuple[System, Expected]] = {
    # network-manager: nm-settings-keyfile(5). nginx: its own default site listens on 80 (/usr/share/doc/nginx-common).
    "network manager and nginx": (
        System(
            ("systemd", "systemd-sysv", "network-manager", "nginx-common", "nginx-light", "avahi-daemon"),
            ("NetworkManager.service", "nginx.service", "avahi-daemon.service"),
            {**RAN_BEFORE, "etc/hostname": "harbour\n"},
            {"etc/nginx/sites-enabled/default": "/etc/nginx/sites-available/default", "etc/localtime": "/usr/share/zoneinfo/Europe/Oslo"},
        ),
        Expected(("the network manager",), pages=((80, "nginx", True),), port=80, wifi=KEYFILE, announcer=True),
    ),
    # wpasupplicant: /usr/share/doc/wpasupplicant/README.Debian, wpa_supplicant@.service reads wpa_supplicant-DEVICE.conf.
    "systemd's network and the supplicant": (
        System(
            ("systemd", "systemd-sysv", "wpasupplicant", "lighttpd"), ("systemd-networkd.service", "wpa_supplicant@wlan0.service"), RAN_BEFORE
        ),
        # lighttpd lies there and nothing starts it.
        Expected(("the Wi-Fi supplicant", "systemd's network"), pages=((80, "lighttpd", False),), port=80,
                 wifi="/etc/wpa_supplicant/wpa_supplicant-wlan0.conf", beside=("/etc/systemd/network/25-wireless.network",)),
    ),
    # sysvinit-core: its inittab has id:2:initdefault:. ifupdown: interfaces(5). apache2: ports.conf has Listen 80,
    # and 443 only with its module for TLS.
    "System V init, ifupdown and Apache": (
        System(
            ("sysvinit-core", "ifupdown", "apache2"),
            files={"etc/inittab": "id:2:initdefault:\nsi0::sysinit:/etc/init.d/rcS\n", "etc/network/interfaces": "auto eth0\niface eth0 inet dhcp\n"},
            links={"etc/rcS.d/S12networking": "../init.d/networking", "etc/rc2.d/S02apache2": "../init.d/apache2", "etc/rc3.d/S02ssh": "../init.d/ssh",
                   "etc/apache2/mods-enabled/mime.load": "../mods-available/mime.load"},
        ),
        Expected(("ifupdown",), pages=((80, "Apache", True),), port=80),
    ),
    # netplan(5): what lies in /etc/netplan is read by a generator before anything starts.
    "netplan": (
        System(("systemd", "systemd-sysv", "netplan.io"), ("systemd-networkd.service",),
               {**RAN_BEFORE, "etc/netplan/50-all.yaml": "network:\n  version: 2\n  ethernets: {all: {match: {name: e*}, dhcp4: true}}\n"}),
        Expected(("netplan", "systemd's network")),
    ),
    # connman.conf(5); dropbear: /usr/share/doc/dropbear/README.Debian
    "connman and dropbear": (
        System(("systemd", "systemd-sysv", "connman", "dropbear-bin", "dropbear"), ("connman.service", "dropbear.service"), RAN_BEFORE),
        # Its package only recommends the supplicant, and without one it joins nothing.
        Expected(("connman",), ssh="dropbear"),
    ),
    # connman-service.config(5); a radio is off until somebody switches it on (connman's doc/technology-api.txt).
    "connman and the supplicant": (
        System(("systemd", "systemd-sysv", "connman", "wpasupplicant"), ("connman.service",), RAN_BEFORE),
        Expected(("connman",), wifi="/var/lib/connman/wifi.config", beside=("/var/lib/connman/settings",)),
    ),
    # netplan-yaml(5): for Wi-Fi its networkd backend starts the supplicant.
    "netplan and the supplicant": (
        System(("systemd", "systemd-sysv", "netplan.io", "wpasupplicant"), ("systemd-networkd.service",),
               {**RAN_BEFORE, "etc/netplan/10-radio.yaml": "network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      access-points:\n        \"x\": {}\n"}),
        Expected(("netplan", "systemd's network"), wifi="/etc/netplan/10-radio.yaml"),
    ),
    # wpasupplicant's README.Debian: wpa_supplicant.service waits for D-Bus and reads no file; wpa_supplicant@DEVICE.service does.
    "systemd's network, and a supplicant nobody starts for the radio": (
        System(("systemd", "systemd-sysv", "wpasupplicant"), ("systemd-networkd.service", "wpa_supplicant.service"), RAN_BEFORE),
        Expected(("the Wi-Fi supplicant", "systemd's network"), wifi="/etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
                 beside=("/etc/systemd/system/multi-user.target.wants/wpa_supplicant@wlan0.service", "/etc/systemd/network/25-wireless.network")),
    ),
    # interfaces(5); wpasupplicant's README.Debian, wpa-ssid and wpa-psk.
    "ifupdown and the supplicant": (
        System(
            ("systemd", "systemd-sysv", "ifupdown", "wpasupplicant"), ("networking.service",),
            {**RAN_BEFORE, "etc/network/interfaces": "source /etc/network/interfaces.d/*\n\nauto lo\niface lo inet loopback\n"},
        ),
        Expected(("ifupdown",), wifi="/etc/network/interfaces.d/wlan0"),
    ),
    # iwd.network(5), iwd.config(5)
    "iwd alone": (
        System(("systemd", "systemd-sysv", "iwd"), ("iwd.service",), RAN_BEFORE),
        Expected(("iwd",), wifi="/var/lib/iwd/={wifi_name_hex}.psk", beside=("/etc/iwd/main.conf",)),
    ),
    "iwd and systemd's network": (
        System(("systemd", "systemd-sysv", "iwd"), ("iwd.service", "systemd-networkd.service"), RAN_BEFORE),
        Expected(("iwd", "systemd's network"), wifi="/var/lib/iwd/={wifi_name_hex}.psk", beside=("/etc/systemd/network/25-wireless.network",)),
    ),
    # dhcpcd-run-hooks(8): 10-wpa_supplicant starts the supplicant with its usual file.
    "dhcpcd and the supplicant": (
        System(("systemd", "systemd-sysv", "dhcpcd-base", "dhcpcd", "wpasupplicant"), ("dhcpcd.service",), RAN_BEFORE),
        Expected(("dhcpcd",), wifi="/etc/wpa_supplicant/wpa_supplicant.conf"),
    ),
    # cloud-init documentation: NoCloud, growpart; its Debian package asks every source it knows unless told otherwise.
    "cloud-init": (
        System(
            ("systemd", "systemd-sysv", "cloud-init", "openssh-server"),
            ("cloud-init.service", "ssh.service", "systemd-networkd.service"),
            {**RAN_BEFORE, "etc/cloud/cloud.cfg.d/99-own.cfg": "datasource_list: [ NoCloud, None ]\n"},
        ),
        Expected(("systemd's network",), ssh="ssh", first_start=("cloud-init, which asks NoCloud, None",), grows="cloud-init"),
    ),
    # busybox: its init reads /etc/inittab; ifup reads /etc/network/interfaces (BusyBox documentation). Numbered scripts: common practice.
    "a busybox system": (
        System(
            ("busybox-static",),
            files={"etc/inittab": "::sysinit:/etc/init.d/rcS\ntty1::respawn:/sbin/getty 38400 tty1\n", "etc/init.d/S40network": "#!/bin/sh\nifup -a\n",
                   "etc/init.d/S99first": "#!/bin/sh\n[ -f /boot/network.txt ] && . /boot/network.txt\n", "etc/hostname": "gauge\n"},
            links={"sbin/init": "../usr/bin/busybox", "sbin/ifup": "../usr/bin/busybox"},
        ),
        Expected(("ifupdown",), looks_for=("network.txt",)),
    ),
    # haproxy: its package's settings have no frontend; the one here is the manual's. dhcpcd(8).
    "HAProxy and dhcpcd": (
        System(
            ("systemd", "systemd-sysv", "haproxy", "dhcpcd-base", "dhcpcd"),
            ("haproxy.service", "dhcpcd.service"),
            {**RAN_BEFORE, "etc/haproxy/haproxy.cfg": "frontend main\n  bind *:8081\n  default_backend app\n"},
        ),
        Expected(("dhcpcd",), pages=((8081, "HAProxy", True),), port=8081),
    ),
    # smb.conf(5), exports(5)
    "shares": (
        System(
            ("systemd", "systemd-sysv", "samba", "samba-common", "nfs-kernel-server", "iwd"),
            ("smbd.service", "nfs-server.service", "iwd.service"),
            {**RAN_BEFORE, "etc/samba/smb.conf": "[global]\n server role = standalone server\n[homes]\n[music]\n path = /srv/music\n",
             "etc/exports": "# none\n/srv/films 192.168.0.0/16(ro)\n", "etc/fstab": "LABEL=root / ext4 defaults,x-systemd.growfs 0 1\n"},
        ),
        Expected(("iwd",), wifi="/var/lib/iwd/={wifi_name_hex}.psk", beside=("/etc/iwd/main.conf",), shares=("music", "/srv/films"), grows="its file system"),
    ),
    # Unset first boot: 90-systemd.preset of the systemd package enables systemd-networkd.service (systemd.preset(5), machine-id(5)).
    "a first boot that enables by presets": (
        System(("systemd", "systemd-sysv", "dropbear", "dropbear-bin"), files={"etc/systemd/system-preset/10-own.preset": "disable dropbear.service\n"}),
        Expected(("systemd's network",), first_start=("systemd-firstboot",)),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SYSTEMS)
def test_what_debians_packages_make_of_a_system(tmp_path: Path, name: str) -> None:
    system, expected = SYSTEMS[name]
    xray = xray_of(tree_of(system, tmp_path / "tree"), tmp_path)
    told, page = xray.system, xray.page
    assert tuple(fact.value for fact in told.networks) == expected.networks
    assert (told.ssh.value if told.ssh else "") == expected.ssh
    assert tuple((one.port, one.server, one.starts) for one in page.listeners) == expected.pages
    assert page.port == expected.port
    assert tuple(fact.value for fact in told.first_start) == expected.first_start
    assert page.announcer is expected.announcer
    assert tuple(fact.value for fact in told.looks_for) == expected.looks_for
    assert tuple(fact.value for fact in told.shares) == expected.shares
    assert (told.grows.value if told.grows else "") == expected.grows
    draft = draft_of(xray)
    assert next((f.path for f in draft.files if f.takes_wifi), "") == expected.wifi
    assert tuple(f.path for f in draft.files if f.when == "wifi" and not f.takes_wifi) == expected.beside
    assert draft.port == expected.port
    joins_when_filled(draft, xray, tmp_path)
    # Whatever else it is, no reading of it failed.
    assert {f.code for f in xray.findings} <= {
        "image.recipe-unknown",
        "image.no-boot-volume",
        "image.no-device-trees",
        "image.kernel-unknown",
    }


def joins_when_filled(draft: Draft, xray: XRay, tmp_path: Path) -> None:
    """Fill the draft's files as the person would, and ask the readers of what came out."""
    recipe = Recipe.model_validate(yaml.safe_load(recipe_text(draft)))
    filled = {f.path: f for f in fill_files(recipe, values(ssid="Quay House"), xray)}
    for file in filled.values():
        assert verdict(file.findings) in (Severity.OK, Severity.NOTE), (file.path, file.findings)
        (tmp_path / "filled").write_bytes(file.content)
        match file.dialect:
            case "wpa-supplicant":
                assert readers.wpa_supplicant(tmp_path / "filled").accepted
            case "keyfile":
                assert readers.nmcli(file.content.decode()).accepted
            case "netplan":
                assert readers.netplan(file.content, tmp_path).accepted
            case "interfaces":
                assert readers.ifquery(file.content, tmp_path).accepted
    if any(f.takes_wifi for f in draft.files):
        assert any("Quay House" in file.meaning for file in filled.values())


def xray_of(root: Path, tmp_path: Path, *, size_mib: int = 64) -> XRay:
    folder = tmp_path / "library"
    folder.mkdir()
    image_of(root, folder / "own.img", size_mib=size_mib)
    return inspect_image.execute(
        "own.img", library=LibraryFolder(folder, tmp_path / "scratch"), tools=TOOLS, recipes=[]
    )
