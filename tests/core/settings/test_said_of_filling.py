"""What filling makes of settings files, and what is said of it, word for word: tests/data/filled.txt (builders/told.py).

Whether the real readers join with it is asked in test_several.py and beside each dialect; here stands that nothing else changes, whatever
lay there before, and that filling twice is filling once.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from mintseed import wiring
from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.facts import Account, Fact, SystemFacts
from mintseed.core.recipes.model import WIFI_DIALECTS, FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import FilledFile, fill_files
from mintseed.core.settings.values import SettingValues
from tests.builders import told
from tests.builders.xrays import holding
from tests.core.settings.mistakes import BASES
from tests.core.settings.test_said_of_files import KEY, TEXTS
from tests.core.settings.test_several import AT, BOAT, HIDDEN, NEW, OPEN, a_file
from tests.core.settings.test_values import values

PLACES = {
    "wpa-supplicant": "etc/wpa_supplicant/wpa_supplicant.conf", "keyfile": "etc/NetworkManager/system-connections/house.nmconnection",
    "netplan": "etc/netplan/50-house.yaml", "systemd-networkd": "etc/systemd/network/30-wlan.network", "interfaces": "etc/network/interfaces",
    "iwd": "var/lib/iwd/={wifi_name_hex}.psk", "connman": "var/lib/connman/house.config", "cloud-init-network": "network-config",
    "cloud-init-user-data": "user-data", "authorized-keys": "home/ann/.ssh/authorized_keys", "shadow": "etc/shadow", "hosts": "etc/hosts",
}  # fmt: skip
OF_ROOT = frozenset(PLACES) - {"cloud-init-network", "cloud-init-user-data"}

WANTED = {
    "a network": values(country="IE", host_name="till", admin_name="ann", admin_hash="$6$made$up", ssh_keys=(KEY,), locale="en_IE.UTF-8"),
    "an open one": values(passphrase="", open_network=True),
    "WPA3 alone": values(wpa3_only=True, band_ghz=5),
    "a hidden one": values(hidden=True, band_ghz=2.4, ssid="Press \"2\" #1"),
    "one beyond Latin": values(ssid="Küste 🌊", passphrase="a\\b \"c\" 'd' #e"),
    "a fixed address": values(address=AT),
    "four more": values(others=(BOAT, HIDDEN, OPEN, NEW), priority=5),
    "no country": values(country=""),
    "a cable": values(way="cable", ssid="", passphrase="", address=AT),
}  # fmt: skip
BEFORE = {
    **{name: ("", BASES[name], *TEXTS.get(name, ())) for name in PLACES if name in BASES},
    **{name: ("", *TEXTS[name]) for name in PLACES if name not in BASES and name in TEXTS},
    "cloud-init-network": ("", BASES["netplan"], "version: 2\nwifis: {wlan0: {access-points: {a: {}}}}\n", "version: 1\nconfig: []\n"),
}  # fmt: skip
SYSTEM = SystemFacts(
    accounts=(Account("ann", "locked", uid=1000, gid=1000),), time_zone=Fact("Europe/London", "etc/localtime")
)
EVERYWHERE = ("settings.file-sound", "settings.file-made")
TOLD_SHORT = re.compile(r"[0-9a-f]{64}")


def _file(dialect: str) -> FileToFill:
    root, when = dialect in OF_ROOT, "wifi" if dialect in WIFI_DIALECTS else "always"
    return a_file(
        dialect,
        path=PLACES[dialect],
        volume="root" if root else "boot",
        when=when,
        absent="make",
        owner="root" if root else "",
    )


def filled(file: FileToFill, wanted: SettingValues, there: str) -> tuple[FilledFile, ...]:
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (file,)})
    return fill_files(recipe, wanted, replace(holding({file.place: there.encode()} if there else {}), system=SYSTEM))


def said(dialect: str, before: str, wanted: SettingValues) -> Iterator[str]:
    file = _file(dialect)
    try:
        made = filled(file, wanted, before)
    except SettingsFileError as error:
        yield f"refused: {error.sentence()}"
        return
    for one in made:
        yield f"{one.path} {one.owned}"
        yield from _changed(before if one is made[0] else "", one)
        yield from (told.finding(finding) for finding in one.findings if finding.code not in EVERYWHERE)
        yield f"means: {_meant(dialect, one, file, wanted)}"
    again = filled(file, wanted, made[0].content.decode()) if made else ()
    assert [one.content for one in again] == [one.content for one in made]


def _meant(dialect: str, one: FilledFile, file: FileToFill, wanted: SettingValues) -> str:
    """Return what the file means now; one that nothing speaks against joins a network that was wanted."""
    meant = DIALECTS[dialect].means(one.content.decode(), one.path, file)
    if dialect in WIFI_DIALECTS and verdict(one.findings) is not Severity.STOP:
        assert meant.joins[0].name in {network.ssid for network in wanted.networks}
    return meant.sentence()


def _changed(before: str, one: FilledFile) -> Iterator[str]:
    lines = difflib.unified_diff(before.split("\n"), one.content.decode().split("\n"), lineterm="", n=0)
    yield from (repr(TOLD_SHORT.sub("<key>", line)) for line in lines if line[:3] not in ("---", "+++"))


CASES: told.Cases = {
    f"{name} {number}: {what}": partial(said, name, before, wanted)
    for name, texts in BEFORE.items()
    for number, before in enumerate(texts)
    for what, wanted in WANTED.items()
    if number < 2 or what in ("a network", "four more")
}
test_it_is_said_so, test_each_is_a_case = told.tests_of("filled.txt", CASES)
