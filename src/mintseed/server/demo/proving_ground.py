"""The place a machine bench begins with: a radio cell, card files, a board that is a virtual machine, and Assay's recipes."""

from __future__ import annotations

import os
from typing import Any

from django.db import transaction

from mintseed.server.demo.place import make_place
from mintseed.server.done.jobs.tasks import queue_building
from mintseed.server.judged.journal import record
from mintseed.server.kept.made_up_words import NETWORK_WORD
from mintseed.server.kept.models import Description, Job, OwnedCard, Site
from mintseed.server.owned import bringing, demo_images
from mintseed.standins.machine.assay import build as assay
from mintseed.wiring import Config

NAME = "Proving ground"
MB = 10**6

NETWORKS: tuple[dict[str, Any], ...] = (
    {"ssid": "Glasshouse 2G", "passphrase": NETWORK_WORD, "band_ghz": 2.4},
    {"ssid": "Glasshouse 5G", "passphrase": NETWORK_WORD, "band_ghz": 5.0},
)
UNITS = ("Glasshouse, north pane", "Glasshouse, south pane")


def card(number: int) -> dict[str, Any]:
    """Return a card as a drive: a file that takes no more room than what is written on it."""
    name = f"pd{chr(ord('a') + number)}"
    return {
        "name": name, "path": f"/dev/{name}", "size": 2_000_683_008, "rm": True, "ro": False, "hotplug": True, "tran": "usb",
        "model": f"Card file {number + 1}", "serial": f"PG-C2-{number + 1:02}", "type": "disk", "fstype": None, "mountpoints": [None],
        "faults": {},
    }  # fmt: skip


def seed_bench(config: Config) -> None:
    """Make the card files and the air of this process's bench, where they are missing."""
    folder = config.bench_folder
    folder.prepare()
    if not folder.drives_file.exists():
        folder.write(folder.drives_file, [card(number) for number in range(len(UNITS))])
    if not folder.air_file.exists():
        folder.write(folder.air_file, [{**network, "country": "GB"} for network in NETWORKS])


def seed_database(config: Config) -> None:
    """Add the place where there is none of its name, and bring the recipes and the board where they were never brought."""
    if not Site.objects.filter(name=NAME).exists():
        with transaction.atomic():
            site = make_place(NAME, config.machine_lan, NETWORKS, ((name, "glasshouse") for name in UNITS))
            OwnedCard.objects.create(site=site, name="Card file", size_gb=2, classes=["C10"], endurance=False)
            record(None, "", "demo.loaded", f"{NAME} loaded: a radio cell, card files and virtual machines for boards")
    known = set(Description.objects.values_list("kind", "ident"))
    if ("board", "glasshouse") not in known:
        bringing.keep("board", "glasshouse", assay.board_text())
    for build in assay.BUILDS:
        if ("recipe", f"assay-{build}") not in known:
            bringing.keep("recipe", f"assay-{build}", assay.recipe_text(build))
    at_it = Job.objects.filter(kind=Job.Kind.BUILD_IMAGES, state__in=(Job.State.QUEUED, Job.State.RUNNING))
    if demo_images.missing(config) and not at_it.exists() and os.environ.get("MINTSEED_DEMO") != "empty":
        queue_building()
