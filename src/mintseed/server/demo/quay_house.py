"""Quay House: its site, boards, supplies, cards, images, and the pretend radio and router around them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction

from mintseed.core.errors import MintSeedError
from mintseed.core.visible import one_line
from mintseed.server.demo.place import make_place
from mintseed.server.done.jobs.tasks import read_image
from mintseed.server.judged.job_state import trouble_of
from mintseed.server.judged.journal import record
from mintseed.server.kept.made_up_words import NETWORK_WORD
from mintseed.server.kept.models import Cable, Image, OwnedCard, Part, Site, Supply
from mintseed.server.owned import descriptions
from mintseed.server.owned.library import strangers, sync_library
from mintseed.standins.forge.build import build_demo, build_used_card
from mintseed.standins.forge.sources import DEMO_IMAGES
from mintseed.standins.router.leases import LeaseBook
from mintseed.wiring import Config

Say = Callable[[str], None]

NAME = "Quay House"
GB = 10**9

NETWORKS = (
    {"ssid": "Quay House 2G", "passphrase": NETWORK_WORD, "band_ghz": 2.4},
    {"ssid": "Quay House 5G", "passphrase": NETWORK_WORD, "band_ghz": 5.0},
)

UNITS = (
    ("Sprig, tin box", "sprig"),
    ("Larkspur C, green case", "larkspur-c"),
    ("Larkspur R, clear case", "larkspur-r"),
    ("Larkspur R, bare", "larkspur-r"),
    ("Tansy, workshop", "tansy"),
    ("Sprig, spare", "sprig"),
    ("Larkspur C, blue case", "larkspur-c"),
    ("Larkspur R, new in its bag", "larkspur-r"),
    ("Tansy II, birthday present", "tansy-ii"),
    ("Bramble, from the club", "bramble"),
    ("Thistle, loose module", "thistle"),
)

SUPPLIES: tuple[dict[str, Any], ...] = (
    {
        "name": "Small white one",
        "voltage_v": 5.0,
        "current_a": 1.2,
        "connector": "micro-USB",
        "length_m": 1.0,
        "awg": 26,
    },
    {
        "name": "Black one with switch",
        "voltage_v": 5.1,
        "current_a": 2.5,
        "connector": "micro-USB",
        "length_m": 1.2,
        "awg": 20,
    },
    {"name": "Grey USB-C one", "voltage_v": 5.1, "current_a": 3.0, "connector": "USB-C", "length_m": 1.5, "awg": 20},
    {"name": "Twin charger", "voltage_v": 5.1, "current_a": 2.5, "connector": "USB-A socket"},
    {"name": "Pocket battery", "voltage_v": 5.1, "current_a": 2.4, "connector": "USB-A socket", "battery_mah": 10_000},
    {
        "name": "Round-plug one",
        "voltage_v": 5.0,
        "current_a": 2.0,
        "connector": "barrel plug",
        "length_m": 1.5,
        "awg": 22,
    },
    {"name": "Bench supply at 3.3 V", "voltage_v": 3.3, "current_a": 1.0, "connector": "header pins"},
)

CABLES: tuple[dict[str, Any], ...] = (
    {"name": "Short thick one", "plug_to_supply": "USB-A", "plug_to_board": "micro-USB", "length_m": 0.5, "awg": 22},
    {
        "name": "Long thin white one",
        "plug_to_supply": "USB-A",
        "plug_to_board": "micro-USB",
        "length_m": 2.0,
        "awg": 28,
    },
    {
        "name": "Red one, nothing printed",
        "plug_to_supply": "USB-A",
        "plug_to_board": "USB-C",
        "length_m": 1.0,
        "awg": None,
    },
)

CARDS: tuple[dict[str, Any], ...] = (
    {"name": "Old grey card", "size_gb": 8, "classes": ["C4"], "endurance": False},
    {"name": "Card from the desk tin", "size_gb": 16, "classes": ["C10", "U1"], "endurance": False},
    {"name": "Recorder card", "size_gb": 64, "classes": ["C10", "U3", "V30"], "endurance": True},
)

PARTS: tuple[tuple[str, str], ...] = (
    ("Chorus board", "chorus"),
    ("Reed modem, second-hand", "reed-modem"),
    ("Gull camera", "gull-camera"),
    ("Finch stick", "finch"),
    ("Clear shells", "larkspur-case"),
    ("Serial adapter with the switch", "tether"),
    ("Spare pad", "twin-pad"),
)

CARD_RATE_BYTES_PER_S = 45_000_000
"""A usual middling card."""

DRIVES: tuple[dict[str, Any], ...] = (
    {
        "name": "pda", "path": "/dev/pda", "size": 512 * GB, "rm": False, "ro": False, "hotplug": False, "tran": "sata",
        "model": "Pretend internal drive", "serial": "QH-0001", "type": "disk", "fstype": None, "mountpoints": [None],
        "children": [
            {"name": "pda1", "path": "/dev/pda1", "size": 500 * GB, "type": "part", "fstype": "ext4", "mountpoints": ["/"]},
            {"name": "pda2", "path": "/dev/pda2", "size": 8 * GB, "type": "part", "fstype": "swap", "mountpoints": ["[SWAP]"]},
        ],
    },
    {
        "name": "pdb", "path": "/dev/pdb", "size": 32_010_928_128, "rm": True, "ro": False, "hotplug": True, "tran": "usb",
        "model": "Reader, left slot", "serial": "QH-C32-07", "type": "disk", "fstype": None, "mountpoints": [None],
        "faults": {"rate_bytes_per_s": CARD_RATE_BYTES_PER_S},
    },
    {
        "name": "pdc", "path": "/dev/pdc", "size": 16_008_609_792, "rm": True, "ro": False, "hotplug": True, "tran": "usb",
        "model": "Reader, right slot", "serial": "QH-C16-02", "type": "disk", "fstype": None, "mountpoints": [None],
        "faults": {"rate_bytes_per_s": CARD_RATE_BYTES_PER_S},
    },
)  # fmt: skip

USED = "pdc"
"""The card an earlier system was on."""

DRAWER_CARDS = 5
"""cards that are in boards once the place is at work; the two slots stay for whoever comes."""


def drawer_card(number: int) -> dict[str, Any]:
    """Return a card of the drawer, as a drive in a third slot. In a board it is in no reader."""
    name = f"pd{chr(ord('d') + number)}"
    return {
        "name": name, "path": f"/dev/{name}", "size": 32_010_928_128, "rm": True, "ro": False, "hotplug": True, "tran": "usb",
        "model": "Reader, third slot", "serial": f"QH-D32-{number + 1:02}", "type": "disk", "fstype": None, "mountpoints": [None],
        "faults": {},
    }  # fmt: skip


HOUSE_DEVICES = (("02:51:48:00:00:0a", "till"), ("02:51:48:00:00:0b", "front-desk"), ("02:51:48:00:00:0c", ""))
"""What is on the network before anything is powered."""


def seed_bench(config: Config, say: Say = print) -> None:
    """Make the pretend drives, air and router, and build the images, where they are missing. What cannot be made is
    said, and the rest is there all the same."""
    seed_readers(config)
    if not any((config.library / spec.file).exists() for spec in DEMO_IMAGES):
        say("  building the demo images (once, under a minute)")
    try:
        build_demo(DEMO_IMAGES, config.library)
    except (OSError, RuntimeError) as error:
        say(f"  the demo images could not all be built: {one_line(str(error))[:300]}")


def seed_readers(config: Config) -> None:
    """Make the pretend drives, air and router of this process's bench, where they are missing."""
    folder = config.bench_folder
    folder.prepare()
    if not folder.drives_file.exists():
        used = next(d for d in DRIVES if d["name"] == USED)
        build_used_card(folder.cards / f"{USED}.img", used["size"])
        folder.write(folder.drives_file, [own_drive(d, config.bench_name) for d in DRIVES])
    if not folder.air_file.exists():
        folder.write(folder.air_file, list(NETWORKS))
    if not folder.leases_file.exists():
        book = LeaseBook(folder, config.standin_lan)
        for mac, name in HOUSE_DEVICES:
            book.give(mac, name)


def own_drive(drive: dict[str, Any], bench: str) -> dict[str, Any]:
    """Return `drive` with a serial of this bench's own: no reader stands on two benches."""
    return drive if bench == "bench" else {**drive, "serial": f"{drive['serial']}-{bench}"}


def seed_database(config: Config, say: Say = print) -> None:
    """Add Quay House where no site is called so, whatever else is there, and read the images that were not read yet."""
    if not Site.objects.filter(name=NAME).exists():
        with transaction.atomic():
            site = make_place(NAME, config.standin_lan, NETWORKS, UNITS)
            for model, things in ((Supply, SUPPLIES), (Cable, CABLES), (OwnedCard, CARDS)):
                for thing in things:
                    model._default_manager.create(site=site, **thing)
            for name, kind in PARTS:
                Part.objects.create(site=site, name=name, kind=kind)
            record(None, "", "demo.loaded", f"{NAME} loaded: pretend site, boards, supplies and images")
    for image in sync_library():
        if not image.xray and not image.trouble and image.recipe:
            try:
                read_image(image)
            except MintSeedError as error:
                Image.objects.filter(pk=image.pk).update(trouble=trouble_of(error))
                say(f"  {image.file_name} cannot be used: {error.sentence()}")
    for finding in strangers():
        say(f"  {finding.title}: {finding.detail} {finding.fix}")
    for name, why in descriptions.known().broken.items():
        say(f"  {name} cannot be used: {why.sentence()}")
