"""A file of the root volume belongs to whom its reader wants, with the mode it wants; else it is stopped, as the reader would pass over it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed import wiring
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.facts import Account, SystemFacts
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.fill import NOBODY_SAID, FilledFile, Owned, fill_files
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

KEY = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIJ0fjT7vhC8YAPd1DNKyyW3Qd0Dsh9rFZbbHqLHWbGbN keeper@bench"
SYSTEM = SystemFacts(
    accounts=(Account("root", "locked", uid=0, gid=0), Account("warden", "password", uid=1000, gid=1001), Account("odd", "locked")),
    locales=("en_GB.utf8", "de_DE.utf8"),
)  # fmt: skip


def filled(dialect: str, *, root: bool = True, unfillable: str = "", **more: object) -> FilledFile:
    said = {
        "path": "etc/settings",
        "volume": "root" if root else "boot",
        "dialect": dialect,
        "title": "settings",
        "absent": "make",
        **more,
    }
    file = FileToFill.model_validate(said)
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (file,)})
    image = replace(holding({}), system=SYSTEM, root_unfillable=unfillable)
    (one,) = fill_files(recipe, values(ssh_keys=(KEY,), locale="fr_FR.UTF-8"), image)
    return one


@pytest.mark.parametrize(("dialect", "more", "owned"), [
    ("keyfile", {}, Owned(0, 0, 0o600)), ("systemd-networkd", {}, Owned(0, 0, 0o644)), ("plain", {"values": {"": "{host_name}"}}, Owned(None, None, None)),
    ("authorized-keys", {}, Owned(None, None, 0o600)), ("authorized-keys", {"owner": "warden"}, Owned(1000, 1001, 0o600)),
    ("keyfile", {"mode": "0400"}, Owned(0, 0, 0o400)), ("keyfile", {"owner": "warden", "mode": "0640"}, Owned(1000, 1001, 0o640)),
    ("systemd-networkd", {"mode": "0644"}, Owned(0, 0, 0o644)), ("plain", {"owner": "root", "values": {"": "{host_name}"}}, Owned(0, 0, None)),
])  # fmt: skip
def test_whose_it_is_and_with_which_mode(dialect: str, more: dict[str, object], owned: Owned) -> None:
    """What the recipe leaves open is as the reader wants it."""
    assert filled(dialect, **more).owned == owned


def test_on_the_boot_volume_nothing_belongs_to_anybody() -> None:
    assert filled("keyfile", root=False).owned == NOBODY_SAID


def only(one: FilledFile, code: str) -> Finding:
    assert one.owned == NOBODY_SAID
    return next(f for f in one.findings if f.code == code)


@pytest.mark.parametrize("owner", ["guest", "odd"])
def test_an_owner_the_image_does_not_have_is_stopped(owner: str) -> None:
    """Or whose number is not known."""
    assert only(filled("keyfile", owner=owner), "settings.owner-unknown") == Finding(
        "settings.owner-unknown", Severity.STOP, f"/etc/settings shall belong to {owner}, and the image has no such account",
        "Whoever reads it would not be its owner.", "Name another owner in the recipe.", Where(file="/etc/settings"),
    )  # fmt: skip


def test_a_reader_that_is_not_root_has_to_be_let_in() -> None:
    assert only(filled("systemd-networkd", mode="0600"), "settings.reader-locked-out") == Finding(
        "settings.reader-locked-out", Severity.STOP, "/etc/settings could not be read by what it is for",
        "Its reader runs as systemd-network, and with mode 0600 only root reads it.", "Give it the mode 0644 in the recipe, or that account as its owner.",
        Where(file="/etc/settings"), "systemd.network(5); tried on the proving ground",
    )  # fmt: skip
    assert (
        "only warden reads it"
        in only(filled("systemd-networkd", owner="warden", mode="0640"), "settings.reader-locked-out").detail
    )
    assert filled("systemd-networkd", owner="warden", mode="0604").owned == Owned(1000, 1001, 0o604)


def test_a_volume_that_cannot_be_filled_stops_it_alone() -> None:
    one = filled("keyfile", unfillable="its journal is not empty")
    assert one.findings == (
        Finding("settings.root-unfillable", Severity.STOP, "/etc/settings lies on a volume that cannot be filled here",
                "Its root volume: its journal is not empty.", "Take another way in under Plan: by cable, or with a screen and a keyboard.",
                Where(file="/etc/settings")),
    )  # fmt: skip
    assert one.owned == NOBODY_SAID
    assert filled("keyfile", root=False, unfillable="its journal is not empty").content


def test_a_language_the_image_does_not_have_is_told_and_stops_nothing() -> None:
    one = filled("plain", values={"": "{locale}"})
    told = next(f for f in one.findings if f.code == "settings.locale-not-there")
    assert (told.severity, told.title) == (Severity.CHECK, "fr_FR.UTF-8 is not on this image")
    assert told.detail == "It has en_GB.utf8, de_DE.utf8; its programs will speak English, and some will say so."
    assert told.fix == "Make it on the running device, such as with locale-gen, or keep the image's own."
    assert (told.where, told.source) == (Where(file=one.path), "setlocale(3)")
    assert one.owned == NOBODY_SAID
    assert not [
        f for f in filled("plain", values={"": "{host_name}"}).findings if f.code == "settings.locale-not-there"
    ]
