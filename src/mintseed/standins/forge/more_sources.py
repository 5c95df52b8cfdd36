"""The other made-up appliances: what their images are made of. They are built in the background, after the demo's own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

from mintseed.standins.forge.sources import (
    LARKSPUR_C,
    LARKSPUR_R,
    LINTEL_NETWORK,
    SPRIG,
    TANSY,
    BoardTree,
    FirmwareSpec,
    ImageSpec,
    root_files,
)

TANSY_II = BoardTree("fern-tansy-ii.dtb", "Fernworks Tansy II", ("fernworks,tansy-ii",))
BRAMBLE = BoardTree("fern-bramble.dtb", "Fernworks Bramble", ("fernworks,bramble",))

WPA_BLOCK = """\
# {name}: the network it joins.
# Take the # away in front of country and of every line of the block, the last one too.
ctrl_interface=/run/wpa

#country=ZZ
#network={{
#    ssid="name of your network"
#    psk="passphrase of your network"
#}}
"""

KEYFILE = LINTEL_NETWORK.replace("Lintel", "{name}")

POINTER = "# Moved: since release 3.1 this is reedwave-network.conf. Nothing here is read any more.\n"

Bits = Literal[32, 64]


def _device(name: str, keys: dict[str, str], *, shell: bool) -> str:
    quote = "'" if shell else ""
    head = f"# {name}: this device. " + (
        "Read by the shell, so quote what holds blanks.\n"
        if shell
        else "No quotes, no blanks around the equals sign.\n"
    )
    lines = [f"#{k}={quote}{quote}\n" if v is None else f"{k}={quote}{v}{quote}\n" for k, v in keys.items()]
    return head + "".join(lines)


class Appliance:
    """One appliance: its page, its files and how a simulated board with its card behaves."""

    def __init__(
        self, ident: str, name: str, port: int, title: str, what: str, colours: tuple[str, str], word: str, join_s: int, page_s: int,
        network: tuple[str, Literal["wpa", "keyfile"]], device: tuple[str, dict[str, Any]], *, shell: bool = False,
    ) -> None:  # fmt: skip
        self.ident, self.name, self.port, self.title, self.what, self.colours = ident, name, port, title, what, colours
        self.network, self.device, self.shell = network, device, shell
        names = list(device[1])
        self.manifest: dict[str, Any] = {
            "appliance": ident, "join_s": join_s, "page_after_s": page_s,
            "network_file": {"path": network[0], "reader": network[1]},
            "device_file": {
                "path": device[0], "shell": shell, "name": names[0],
                "account": "ACCOUNT" if "ACCOUNT" in names else "-", "account_hash": "ACCOUNT_HASH" if "ACCOUNT_HASH" in names else "-",
            },
            "login": {"name": word, "word": word},
        }  # fmt: skip

    def image(
        self, release: str, bits: Bits, boards: tuple[BoardTree, ...], *, ending: str = "xz", **other: Any
    ) -> ImageSpec:
        """Return one build. `other`: boot files beside or instead of the usual ones, and what else differs."""
        network = (WPA_BLOCK if self.network[1] == "wpa" else KEYFILE).format(name=self.name)
        usual = {self.network[0]: network, self.device[0]: _device(self.name, self.device[1], shell=self.shell)}
        return ImageSpec(
            file=f"{self.ident}-{release}-{bits}.img.{ending}", appliance=self.ident, release=release, bits=bits,
            scheme="mbr" if bits == 32 else "gpt", boards=boards, boot_mib=48, root_mib=64,
            boot_files=other.get("boot_files", usual),
            root_files=root_files(self.ident, self.name, release, self.port, self.title, self.what, *self.colours),
            checksums=f"{self.ident}-{release}.sha256", manifest=other.get("manifest", self.manifest),
        )  # fmt: skip


FARSIGHT = Appliance(
    "farsight", "Farsight", 6180, "Farsight sky page", "Aircraft overhead, as they report themselves.", ("#e9eff3", "#1f4a63"), "lookout",
    95, 40, ("network/wifi.nmconnection", "keyfile"), ("station.conf", {"HOST": "farsight", "CLOCK": "UTC", "LATITUDE": "0", "LONGITUDE": "0"}),
)  # fmt: skip
REEDWAVE = Appliance(
    "reedwave", "Reedwave", 6270, "Reedwave bank", "A small hotspot for a licensed station.", ("#eef2e6", "#3f5a2a"), "heron",
    120, 20, ("reedwave-network.conf", "wpa"), ("hotspot.conf", {"HOST": "reedwave", "CALL": "", "FREQUENCY_HZ": "433500000"}),
)  # fmt: skip
GRAMARY = Appliance(
    "gramary", "Gramary", 6340, "Gramary listening room", "Music from your own shelves.", ("#f3ece8", "#6a2f3d"), "needle",
    70, 15, ("gramary-wifi.conf", "wpa"), ("player.conf", {"HOST": "gramary", "CLOCK": "UTC"}),
)  # fmt: skip
TINPLAY = Appliance(
    "tinplay", "Tinplay", 6410, "Tinplay toy chest", "Old games on the television.", ("#f5efdc", "#7a4a12"), "marble",
    45, 8, ("tinplay-wifi.conf", "wpa"), ("console.conf", {"HOST": "tinplay", "KEYS": "us", "CLOCK": "UTC"}),
)  # fmt: skip
LOGICADE = Appliance(
    "logicade", "Logicade", 6480, "Logicade workbench", "Old machines, rebuilt in logic.", ("#ecebf3", "#3b3566"), "lattice",
    35, 8, ("logicade-wifi.conf", "wpa"), ("logic.conf", {"HOST": "logicade", "KEYS": "us"}),
)  # fmt: skip
HIDEWATCH = Appliance(
    "hidewatch", "Hidewatch", 6550, "Hidewatch window", "One spot, watched.", ("#e8efe9", "#25503f"), "feather",
    75, 15, ("wifi.nmconnection", "keyfile"), ("hide.conf", {"HOST": "hidewatch", "CLOCK": "UTC"}), shell=True,
)  # fmt: skip
CINDERWICK = Appliance(
    "cinderwick", "Cinderwick", 6620, "Cinderwick hearth page", "A kiln along its curve. Never alone.", ("#f6ebe4", "#8a3a1c"), "ember",
    60, 10, ("wifi.nmconnection", "keyfile"),
    ("kiln.conf", {"HOST": "cinderwick", "CLOCK": "UTC", "ACCOUNT": None, "ACCOUNT_HASH": None}), shell=True,
)  # fmt: skip
SHACKBOOK = Appliance(
    "shackbook", "Shackbook", 6760, "Shackbook desk page", "A licensed station's desk and log.", ("#eaeef0", "#2f4453"), "halyard",
    80, 15, ("wifi.nmconnection", "keyfile"),
    ("desk.conf", {"HOST": "shackbook", "CLOCK": "UTC", "KEYS": "us", "CALL": "", "ACCOUNT": None, "ACCOUNT_HASH": None}), shell=True,
)  # fmt: skip


def _reedwave_3_0() -> ImageSpec:
    """The release before its network file was renamed."""
    device = {REEDWAVE.device[0]: _device(REEDWAVE.name, REEDWAVE.device[1], shell=False)}
    manifest = {**REEDWAVE.manifest, "network_file": {"path": "hotspot-wifi.conf", "reader": "wpa"}}
    files = {"hotspot-wifi.conf": WPA_BLOCK.format(name=REEDWAVE.name), **device}
    return REEDWAVE.image("3.0", 32, (SPRIG, LARKSPUR_C, LARKSPUR_R), ending="gz", boot_files=files, manifest=manifest)


def _reedwave_3_1() -> ImageSpec:
    """The release after it: the old file still lies there and holds only a pointer."""
    files = {
        "reedwave-network.conf": WPA_BLOCK.format(name=REEDWAVE.name), "hotspot-wifi.conf": POINTER,
        REEDWAVE.device[0]: _device(REEDWAVE.name, REEDWAVE.device[1], shell=False),
    }  # fmt: skip
    return REEDWAVE.image("3.1", 32, (SPRIG, LARKSPUR_C, LARKSPUR_R), boot_files=files)


def _more() -> Iterator[ImageSpec | FirmwareSpec]:
    both = (LARKSPUR_C, LARKSPUR_R)
    yield FARSIGHT.image("5.1", 64, (*both, TANSY))
    yield FARSIGHT.image("5.1", 32, (SPRIG, *both))
    yield _reedwave_3_1()
    yield _reedwave_3_0()
    yield GRAMARY.image("9.0", 64, (*both, TANSY))
    yield GRAMARY.image("9.0", 32, (SPRIG,))
    yield TINPLAY.image("4.5", 64, (LARKSPUR_R, TANSY, TANSY_II))
    yield TINPLAY.image("4.4", 64, (LARKSPUR_R, TANSY))
    yield TINPLAY.image("4.4", 32, (SPRIG, LARKSPUR_C))
    yield LOGICADE.image("2.6", 32, (BRAMBLE,))
    yield HIDEWATCH.image("1.8", 64, (*both, TANSY))
    yield HIDEWATCH.image("1.8", 32, (SPRIG, *both))
    yield CINDERWICK.image("6.2", 64, (*both, TANSY))
    yield CINDERWICK.image("6.2", 32, both)
    yield SHACKBOOK.image("2.0", 64, (*both, TANSY))
    yield FirmwareSpec("threadgate-1.3-thistle.bin", "threadgate", "1.3", "threadgate-1.3.sha256")


MORE_IMAGES: tuple[ImageSpec | FirmwareSpec, ...] = tuple(_more())
