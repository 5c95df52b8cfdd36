"""What the demo images are made of. Everything is invented."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal


@dataclass(frozen=True)
class BoardTree:
    """A device tree to compile: file name, plain model, names from most to least exact."""

    file: str
    model: str
    compatible: tuple[str, ...]


SPRIG = BoardTree("fern-sprig.dtb", "Fernworks Sprig", ("fernworks,sprig",))
LARKSPUR_C = BoardTree("fern-larkspur-c.dtb", "Fernworks Larkspur C", ("fernworks,larkspur-c", "fernworks,larkspur"))
LARKSPUR_R = BoardTree("fern-larkspur-r.dtb", "Fernworks Larkspur R", ("fernworks,larkspur-r", "fernworks,larkspur"))
TANSY = BoardTree("fern-tansy.dtb", "Fernworks Tansy", ("fernworks,tansy",))


@dataclass(frozen=True)
class ImageSpec:
    """One image to build. Sizes in MiB; `boot_files` and `root_files` map paths to text."""

    file: str
    appliance: str
    release: str
    bits: Literal[32, 64]
    scheme: Literal["mbr", "gpt"]
    boards: tuple[BoardTree, ...]
    boot_mib: int
    root_mib: int
    boot_files: dict[str, str]
    root_files: dict[str, str]
    checksums: str
    manifest: dict[str, Any]
    """how a simulated board with it behaves; read by stand-ins only"""
    fat_bits: Literal[16, 32] = 32


@dataclass(frozen=True)
class FirmwareSpec:
    """Firmware of a module: a file without partitions, which goes over a serial adapter."""

    file: str
    appliance: str
    release: str
    checksums: str


PLATEN_NETWORK = """\
# Platen: the network it joins. Read once, before the first boot.
# Take the # away in front of country and of every line of the block, the last one too.

ctrl_interface=/run/wpa

#country=ZZ
#network={
#    ssid="name of your network"
#    psk="passphrase of your network"
#    # higher numbers are tried first
#    priority=5
#}
"""

PLATEN_DEVICE = """\
# Platen: this device. No quotes, no blanks around the equals sign.
HOST_NAME=platen
# as in Europe/London
TIME_ZONE=UTC
#KEYBOARD=us
PAPER=A4
"""

LINTEL_NETWORK = """\
# Lintel copies this file onto its root volume at first boot.
[connection]
id=house
type=wifi

[wifi]
mode=infrastructure
ssid=CHANGE-ME

[wifi-security]
key-mgmt=wpa-psk
psk=CHANGE-ME

[ipv4]
method=auto

[ipv6]
method=auto
"""

LINTEL_DEVICE = """\
# Lintel: this device. Read by the shell, so quote what holds blanks or signs.
NAME='lintel'
ZONE='UTC'
KEYS='us'
# an account made before the first boot; without one the image's own login opens it
#ACCOUNT=''
#ACCOUNT_HASH=''
"""

_SERVICE = """\
<?xml version="1.0" standalone='no'?>
<service-group>
  <name replace-wildcards="yes">{name} on %h</name>
  <service><type>_http._tcp</type><port>{port}</port></service>
</service-group>
"""

_PAGE = """\
<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1">
<title>{{{{host}}}}: {title}</title>
<style>
:root{{color-scheme:light}}*{{box-sizing:border-box}}
body{{margin:0;font:17px/1.55 system-ui,sans-serif;background:{paper};color:#20262b}}
header{{background:{deep};color:#fff;padding:2.2rem 0 2.6rem}}header>*,main{{max-width:40rem;margin:0 auto;padding:0 1.25rem}}
h1{{margin:.15rem auto 0;font-size:2rem;line-height:1.15;font-weight:650;overflow-wrap:anywhere}}
header p{{margin-top:.35rem;margin-bottom:0;opacity:.92}}
main{{padding-bottom:2rem;display:grid;gap:1rem;margin-top:-1.3rem}}
section{{background:#fff;border:1px solid #0002;border-radius:12px;padding:1rem 1.2rem}}
h2{{font-size:1.1rem;margin:0 0 .5rem}}dl{{display:grid;grid-template-columns:auto 1fr;gap:.25rem 1.2rem;margin:0}}
dt{{color:#555e66}}dd{{margin:0}}label{{display:grid;gap:.15rem;margin:.55rem 0}}
input{{font:inherit;padding:.45rem .6rem;border:1px solid #8a939b;border-radius:8px;width:100%;background:#fff;color:inherit}}
button{{font:inherit;font-weight:600;margin-top:.5rem;padding:.5rem 1.1rem;border:0;border-radius:8px;background:{deep};color:#fff;cursor:pointer}}
:focus-visible{{outline:3px solid #2f5f86;outline-offset:2px}}
.mind{{border-color:#c98a1b;background:#fdf3dc}}.well{{border-color:#147d62;background:#e9f5ee}}
footer{{text-align:center;color:#555e66;font-size:.9rem;padding-bottom:2rem}}
</style>
<header><p>{title}</p><h1>{{{{host}}}}</h1><p>{what}</p></header>
<main>
<section><h2>This device</h2><dl>
<dt>Name on the network</dt><dd>{{{{host}}}}.local</dd><dt>Release</dt><dd>{name} {release}</dd><dt>Up since</dt><dd>{{{{since}}}}</dd>
</dl></section>
{{{{part}}}}
</main><footer>Simulated by the stand-in bench. It does nothing but show this page.</footer></html>
"""


def root_files(
    appliance: str, name: str, release: str, port: int, title: str, what: str, paper: str, deep: str
) -> dict[str, str]:
    return {
        "etc/hostname": f"{appliance}\n",
        "etc/os-release": f'NAME="{name}"\nID={appliance}\nVERSION_ID="{release}"\n',
        "etc/webpage/site.conf": f"# where the page is served\nlisten {port};\n",
        f"etc/avahi/services/{appliance}.service": _SERVICE.format(name=name, port=port),
        "srv/page/index.html": _PAGE.format(title=title, what=what, name=name, release=release, paper=paper, deep=deep),
    }


PLATEN_MANIFEST: dict[str, Any] = {
    "appliance": "platen",
    "join_s": 41,
    "page_after_s": 9,
    "network_file": {"path": "platen-network.conf", "reader": "wpa"},
    "device_file": {"path": "device.conf", "shell": False, "name": "HOST_NAME", "account": "-", "account_hash": "-"},
    "login": {"name": "inkwell", "word": "inkwell"},
}

LINTEL_MANIFEST: dict[str, Any] = {
    "appliance": "lintel",
    "join_s": 240,
    "page_after_s": 24,
    "network_file": {"path": "settings/wifi.nmconnection", "reader": "keyfile"},
    "device_file": {
        "path": "settings/device.conf", "shell": True, "name": "NAME", "account": "ACCOUNT", "account_hash": "ACCOUNT_HASH",
    },
    "login": {"name": "doorway", "word": "doorway"},
}  # fmt: skip


def platen(release: str, bits: Literal[32, 64], ending: str, boards: tuple[BoardTree, ...]) -> ImageSpec:
    """Return one build of Platen."""
    return ImageSpec(
        file=f"platen-{release}-{bits}.img.{ending}",
        appliance="platen",
        release=release,
        bits=bits,
        scheme="mbr",
        boards=boards,
        boot_mib=48,
        root_mib=80,
        boot_files={"platen-network.conf": PLATEN_NETWORK, "device.conf": PLATEN_DEVICE},
        root_files=root_files(
            "platen",
            "Platen",
            release,
            5310,
            "Platen print desk",
            "A printer for everybody on this network.",
            "#f4f0e6",
            "#5b3a2e",
        ),
        checksums=f"platen-{release}.sha256",
        manifest=PLATEN_MANIFEST,
    )


LINTEL = ImageSpec(
    file="lintel-11.4-64.img.xz",
    appliance="lintel",
    release="11.4",
    bits=64,
    scheme="gpt",
    boards=(LARKSPUR_C, LARKSPUR_R, TANSY),
    boot_mib=64,
    root_mib=112,
    boot_files={"settings/wifi.nmconnection": LINTEL_NETWORK, "settings/device.conf": LINTEL_DEVICE},
    root_files=root_files(
        "lintel",
        "Lintel",
        "11.4",
        8420,
        "Lintel house page",
        "Lamps, sensors and switches of one house.",
        "#e8eef2",
        "#26415a",
    ),
    checksums="lintel-11.4.sha256",
    manifest=LINTEL_MANIFEST,
)

DEMO_IMAGES: tuple[ImageSpec, ...] = (
    platen("3.2", 64, "xz", (LARKSPUR_C, LARKSPUR_R, TANSY)),
    platen("3.2", 32, "xz", (SPRIG, LARKSPUR_C, LARKSPUR_R)),
    # Tansy came out after 3.0, so 3.0 does not know it.
    platen("3.0", 64, "gz", (LARKSPUR_C, LARKSPUR_R)),
    platen("3.0", 32, "gz", (SPRIG, LARKSPUR_C, LARKSPUR_R)),
    LINTEL,
)
