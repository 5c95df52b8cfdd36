"""For each dialect the one who decides: whether the real reader takes a text, and the board would be on the network with it.

Where a judge only says whether it takes a text, nothing more is asked of it. iwd has no reader that runs without a radio; its dialect is held to
its manual page by examples alone.
"""

from __future__ import annotations

import configparser
import io
import json
import re
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import yaml

from mintseed.core.recipes.model import FileToFill
from tests.builders import networks, readers

KEY = "a" * 64
PHRASE = "spring tide at noon"


@dataclass(frozen=True)
class Judge:
    """`takes(data, folder)`: whether it does, and the board would join where the file is one for Wi-Fi. `right`: texts it takes. `words`: values of its syntax.
    `both_ways`: whether what it takes is never a stop; else only what it refuses is asked about."""

    file: FileToFill
    right: tuple[str, ...]
    takes: Callable[[bytes, Path], bool]
    words: tuple[str, ...] = ()
    both_ways: bool = True


def _file(dialect: str, **more: object) -> FileToFill:
    return FileToFill.model_validate(
        {"path": "settings.conf", "dialect": dialect, "title": "settings", "when": "wifi", **more}
    )


def _wpa(data: bytes, folder: Path) -> bool:
    """Source: wpa_supplicant 2.10, the fields it prints for every block it read."""
    path = folder / "wpa.conf"
    path.write_bytes(data)
    said = readers.wpa_supplicant(path)
    if not said.accepted:
        return False
    return any(_would_join(block) for block in said.output.split("start of a new network block")[1:])


def _would_join(block: str) -> bool:
    block = block.split("Priority group")[0]
    numbers = {m[1]: int(m[2]) for m in re.finditer(r"^(\w+)=(-?\d+) \(0x", block, re.MULTILINE)}
    kinds = [int(m[1], 16) for m in re.finditer(r"^key_mgmt: 0x([0-9a-f]+)", block, re.MULTILINE)]
    kind = kinds[-1] if kinds else 0x2 | 0x1  # WPA-PSK and WPA-EAP where nothing is said
    keyed = "PSK (ASCII passphrase)" in block or "PSK - hexdump" in block
    # WPA_KEY_MGMT_PSK, _FT_PSK and _PSK_SHA256; _NONE; _SAE (src/common/defs.h)
    joins = (
        (kind & (0x2 | 0x40 | 0x100) and keyed)
        or kind & 0x4
        or (kind & 0x400 and (keyed or "sae_password" in block))
        or kind & 0x400000
    )
    return "ssid - hexdump" in block and bool(joins) and not numbers.get("disabled") and not numbers.get("mode")


def _keyfile(data: bytes, folder: Path) -> bool:
    """Source: `nmcli --offline`, which prints a keyfile as it understood it (nm-settings-keyfile(5))."""
    said = readers.nmcli(data.decode(errors="surrogateescape"))
    if not said.accepted:
        return False
    read = configparser.RawConfigParser(delimiters=("=",), strict=False, comment_prefixes=("#",))
    read.read_file(io.StringIO(said.output))
    wifi, security = (dict(read[s]) if s in read else {} for s in ("wifi", "wifi-security"))
    connection, ipv4 = (dict(read[s]) if s in read else {} for s in ("connection", "ipv4"))
    psk = "".join(re.findall(r"^psk=(.*)$", said.output, re.MULTILINE))  # with the blanks at its end, which count
    keyed = (
        8 <= len(psk) <= 63 or re.fullmatch(r"[0-9a-fA-F]{64}", psk) is not None
    )  # of others the supplicant makes no key
    return (
        bool(wifi.get("ssid")) and wifi.get("mode", "infrastructure") == "infrastructure" and connection.get("autoconnect", "true") != "false"
        and ((not security and "psk" not in said.output and b"psk" not in data) or security.get("key-mgmt") == "owe" or (security.get("key-mgmt") in ("wpa-psk", "sae") and keyed))
        and "permissions" not in connection and ipv4.get("method", "auto") in ("auto", "manual", "link-local", "shared", "disabled")
    )  # fmt: skip


def _netplan(data: bytes, folder: Path) -> bool:
    """Source: netplan's generator, and wpa_supplicant on what it wrote."""
    said = readers.netplan(data, folder)
    path = readers.netplan_supplicant(folder)
    if not said.accepted:
        return False
    managed = sorted((folder / "netplan-root/run/NetworkManager/system-connections").glob("*wlan0*"))
    if managed:
        return any(_keyfile(one.read_bytes(), folder) for one in managed)
    if not path.exists():
        return False
    return _wpa(path.read_bytes(), folder)


def _interfaces(data: bytes, folder: Path) -> bool:
    """Source: ifquery(8), and wpasupplicant's functions.sh: what stands in quotes is taken out of them, 64 hex digits are the key."""
    said = readers.ifquery(data, folder)
    if not said.accepted:
        return False
    options: dict[str, list[str]] = {}
    last = ""
    for line in said.output.split("\nup: ")[0].split("\n"):
        name, colon, value = line.partition(": ")
        if colon:
            options.setdefault(name, []).append(value)
            last = name
        elif line and last.startswith("wpa-"):
            return False  # a second value of the one before: both are handed on as one
    up = said.output.split("\nup: ")[1].split()
    auto = re.search(r"^[ \t]*(auto|allow-auto)[ \t]+(\S+[ \t]+)*wlan0(\s|$)", data.decode("latin-1"), re.MULTILINE)
    bare = [re.sub(r'^"(.*)"$', r"\1", v) for v in options.get("wpa-essid", options.get("wpa-ssid", []))]
    keys = [re.sub(r'^"(.*)"$', r"\1", v) for v in options.get("wpa-passphrase", options.get("wpa-psk", []))]
    # What stands in a file of the device nobody knows.
    files = "wpa-passphrase" not in options and options.keys() & {"wpa-psk-file", "wpa-passphrase-file"}
    management = " ".join(options.get("wpa-key-mgmt", ["WPA-PSK"])).split()
    opened = management == ["NONE"] or (bool({"WPA-PSK", "SAE"} & {*management}) and (bool(files) or (
        len(keys) == 1 and (re.fullmatch(r"[0-9a-fA-F]{64}", keys[0]) is not None or 8 <= len(keys[0]) <= 63))))  # fmt: skip
    return (
        ("wlan0" in up or auto is not None) and len(bare) == 1 and 1 <= len(bare[0].encode()) <= 32 and "\n" not in bare[0]
        and opened and options.get("wpa-mode", ["0"]) == ["0"]
    )  # fmt: skip


def _networkd(data: bytes, folder: Path) -> bool:
    """Source: systemd-networkd(8), in a network of its own."""
    return networks.networkd(data, folder).accepted


def _connman(data: bytes, folder: Path) -> bool:
    """Source: connmand(8) for what it takes, and IEEE 802.11 for what no network is called and no passphrase is."""
    if not networks.connman(data, folder).accepted:
        return False
    read = configparser.RawConfigParser(delimiters=("=",), strict=False, comment_prefixes=("#",))
    read.optionxform = str  # type: ignore[assignment,method-assign]
    # Blanks before a line say nothing to GLib's reader; to this one they would go on with the line before.
    read.read_string(re.sub(r"(?m)^[ \t]+", "", data.decode(errors="surrogateescape").replace("\r\n", "\n")))
    return any(_joins(dict(read[s])) for s in read.sections() if s.startswith("service_"))


def _joins(said: Mapping[str, str]) -> bool:
    if said.get("Type") != "wifi":
        return False
    ssid, key = said.get("SSID", ""), said.get("Passphrase", "")
    named = (
        1 <= len(said.get("Name", "").encode(errors="surrogateescape")) <= 32
        if not ssid
        else re.fullmatch(r"([0-9a-fA-F]{2}){1,32}", ssid)
    )
    open_one = said.get("Security") == "none" or (not key and "Security" not in said)
    return bool(named) and (open_one or 8 <= len(key.encode(errors="surrogateescape")) <= 64)


def _parses(read: Callable[[str], object]) -> Callable[[bytes, Path], bool]:
    def takes(data: bytes, folder: Path) -> bool:
        try:
            read(data.decode())
        except Exception:  # each raises its own kinds
            return False
        return True

    return takes


def _configparser(text: str) -> None:
    configparser.ConfigParser(interpolation=None).read_string(text)


def _shell(data: bytes, folder: Path) -> bool:
    """Source: sh(1), with no program to be found: whatever is no assignment fails."""
    return readers.shell_takes(data, folder)


def _cloud_init(data: bytes, folder: Path) -> bool:
    # Its schema wants keys; what reads them at a start takes a file of comments for nothing said.
    if data.startswith(b"#cloud-config") and all(line.strip()[:1] in (b"", b"#") for line in data.splitlines()):
        return True
    return readers.cloud_init(data, folder).accepted


_WPA = f'# Wi-Fi\nctrl_interface=/run/wpa\nupdate_config=1\ncountry=GB\n\nnetwork={{\n    ssid="Quay House"\n    psk={KEY}\n    # a comment\n    priority=5\n}}\n'
_KEYFILE = f"# Wi-Fi\n[connection]\nid=house\ntype=wifi\n\n[wifi]\nssid=Quay House\nmode=infrastructure\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk={KEY}\n\n[ipv4]\nmethod=auto\n"
_NETPLAN = f'# Wi-Fi\nnetwork:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      regulatory-domain: "GB"\n      access-points:\n        "Quay House":\n          password: "{KEY}"\n'
_INTERFACES = f"# Wi-Fi\nauto lo\niface lo inet loopback\n\nallow-hotplug wlan0\niface wlan0 inet dhcp\n    wpa-ssid Quay House\n    wpa-psk {KEY}\n"

_NETWORKD = "# Wi-Fi\n[Match]\nName=wlan0\n\n[Network]\nDescription=Quay House\nDHCP=yes\n\n[DHCPv4]\nRouteMetric=600\n"
_CONNMAN = f"# Wi-Fi\n[global]\nName = house\n\n[service_wifi]\nType = wifi\nName = Quay House\nPassphrase = {KEY}\n"

JUDGES: Mapping[str, Judge] = {
    "wpa-supplicant": Judge(
        _file("wpa-supplicant"), (_WPA, _WPA.replace(KEY, f'"{PHRASE}"'), _WPA + '\nnetwork={\n\tssid="Boat"\n\tkey_mgmt=NONE\n}\n'), _wpa,
        ("WPA-PSK", "SAE", "WPA-EAP", "CCMP", "RSN", "OPEN", "0x1", KEY),
    ),
    "keyfile": Judge(
        _file("keyfile"), (_KEYFILE, _KEYFILE.replace(KEY, PHRASE), _KEYFILE + "dns=192.168.1.1;\nmay-fail=false\n\n[ipv6]\nmethod=ignore\n"), _keyfile,
        ("infrastructure", "ap", "ethernet", "wifi", "bg", "a", "1;2;", KEY),
    ),
    "netplan": Judge(
        _file("netplan"), (_NETPLAN, _NETPLAN.replace(KEY, PHRASE), _NETPLAN + "          hidden: true\n  ethernets:\n    eth0:\n      dhcp4: yes\n      optional: true\n"), _netplan,
        ("networkd", "NetworkManager", "psk", "2.4GHz", "ap", "[192.168.1.5/24]", "{}", "[]", KEY),
    ),
    "interfaces": Judge(
        _file("interfaces"), (_INTERFACES, _INTERFACES.replace(KEY, PHRASE), _INTERFACES.replace("allow-hotplug", "auto") + "\nauto eth0\niface eth0 inet dhcp\n"), _interfaces,
        ("wlan0", "inet", "wlan0 inet dhcp", KEY),
    ),
    "systemd-networkd": Judge(
        _file("systemd-networkd"), (_NETWORKD, _NETWORKD.replace("DHCP=yes", "Address=192.168.7.40/24\nGateway=192.168.7.1")), _networkd,
        ("wlan0", "wlan", "ipv4", "[Network]", "Match", "*"),
    ),
    "connman": Judge(
        _file("connman"), (_CONNMAN, _CONNMAN.replace(KEY, PHRASE) + "Hidden = true\nIPv4 = 192.168.7.40/255.255.255.0/192.168.7.1\n"), _connman,
        ("wifi", "ethernet", "psk", "[service_x]", "51756179", KEY),
    ),
    "cloud-init-user-data": Judge(
        _file("cloud-init-user-data"),
        ("#cloud-config\nhostname: press\ntimezone: Europe/London\nkeyboard:\n  layout: gb\nusers:\n  - default\n  - name: ann\n    lock_passwd: false\n    passwd: \"$6$abc$def\"\npackages:\n  - vim\nruncmd:\n  - [ls, -l]\n",),
        _cloud_init, ("[a, b]", "{a: b}", "- x"), both_ways=False,
    ),
    "ini": Judge(_file("ini"), ("# said\n[device]\nname = press\nzone = Europe/London\n\n; other\n[radio]\non = yes\ncountry=GB\n",), _parses(_configparser)),
    "json": Judge(_file("json"), ('{\n  "device": {"name": "press", "on": true},\n  "list": [1, 2.5, null],\n  "zone": "Europe/London"\n}\n',), _parses(json.loads), (",", "]", "null")),
    "yaml": Judge(_file("yaml"), ("# said\ndevice:\n  name: press\n  on: true\nlist:\n  - 1\n  - a: b\n    c: d\ntext: |\n  two\n  lines\nzone: 'Europe/London'\n",), _parses(yaml.safe_load), ("[a", "- x", "&a", "*a", "!x", "|", ">", "%x", "@x", "? x", "a: b: c")),
    "toml": Judge(_file("toml"), ('# said\ntitle = "press"\n\n[device]\nname = "press"\non = true\nn = 5\nlist = [1, 2]\n\n[device.radio]\ncountry = \'GB\'\n',), _parses(tomllib.loads), ("[1", "1979-05-27", '"""x', "0x1f", "07")),
    "shell-vars": Judge(_file("shell-vars"), ("# said\nNAME='press'\nZONE=\"Europe/London\"\nexport ON=yes\nTEXT='it'\\''s'\n",), _shell, ("'a b'", "a b", "$HOME", "`id`", "a;b", "a#b", "\\a"), both_ways=False),
}  # fmt: skip
