"""The pretend board reads bytes. What is wrong on the card shows in what it does."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

import pytest

from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import keyfile, wpa_supplicant
from mintseed.core.settings.dialects.keyfile_fields import FIELDS
from mintseed.core.settings.dialects.wpa_values import VALUES
from mintseed.core.settings.values import KnownNetwork
from mintseed.core.site.addresses import FixedAddress
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.board.boot import AirNetwork, Outcome, boot
from mintseed.standins.board.card_bytes import FatReader, UnreadableError, volume_offsets
from mintseed.standins.board.page import Account, crypt
from mintseed.standins.board.readers import reader_called
from mintseed.standins.board.readers.keyfile import read as read_keyfile
from mintseed.standins.board.readers.wpa import read as read_wpa
from mintseed.standins.board.values import read_values
from mintseed.standins.forge.build import build_disk
from mintseed.standins.forge.sources import LARKSPUR_R, LINTEL, SPRIG, ImageSpec, platen
from mintseed.standins.router.leases import LeaseBook
from tests.builders.disks import MIB, fat_file, run
from tests.builders.readers import nmcli
from tests.core.settings.test_keyfile import with_value
from tests.core.settings.test_values import values
from tests.core.settings.test_wpa_supplicant import block as wpa_block

SSID, PASSPHRASE = "Quay House 2G", "spring tide at noon"
KEY = hashlib.pbkdf2_hmac("sha1", PASSPHRASE.encode(), SSID.encode(), 4096, 32)
AIR = [AirNetwork(SSID.encode(), KEY, 2.4), AirNetwork(b"Quay House 5G", KEY, 5.0)]

RADIO_BOARD: dict[str, Any] = {
    "compatible": "fernworks,larkspur-r", "bits": 64, "radio_ghz": [2.4, 5], "ethernet": True, "speed": "middle", "cable": False,
}  # fmt: skip
TINY_BOARD = {
    **RADIO_BOARD,
    "compatible": "fernworks,sprig",
    "bits": 32,
    "radio_ghz": [2.4],
    "ethernet": False,
    "speed": "slow",
}

NETWORK = 'country=GB\nnetwork={\n ssid="Quay House 2G"\n psk="spring tide at noon"\n}\n'


def disk(folder: Path, spec: ImageSpec) -> Path:
    work = folder / "work"
    work.mkdir()
    build_disk(spec, folder / "disk", work)
    return folder / "disk"


@pytest.fixture(scope="module")
def blank(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return disk(tmp_path_factory.mktemp("platen"), platen("3.2", 64, "xz", (LARKSPUR_R,)))


def put(card: Path, name: str, content: str, folder: Path) -> None:
    """Write a file onto the boot volume with mcopy(1), as a person with an editor would."""
    file = folder / "file"
    file.write_text(content)
    run("mcopy", "-o", "-i", f"{card}@@{4 * MIB}", file, f"::/{name}")


@pytest.fixture
def card(blank: Path, tmp_path: Path) -> Path:
    target = tmp_path / "card"
    run("cp", "--sparse=always", blank, target)
    put(target, "platen-network.conf", NETWORK, tmp_path)
    return target


def test_a_good_card_joins_and_has_a_page(card: Path) -> None:
    outcome = boot(card, RADIO_BOARD, AIR)
    assert outcome.stops_at == ""
    assert (outcome.host_name, outcome.port, outcome.service) == ("platen", 5310, "_http._tcp")
    assert b"Platen print desk" in outcome.page


@pytest.mark.parametrize(("told", "slower"), [({"tiny": True}, 1.6), ({"tiny": False}, 1.0), ({}, 1.0)])
def test_a_board_that_was_powered_under_an_older_version_starts(
    card: Path, told: dict[str, bool], slower: float
) -> None:
    """Its state says whether it is tiny, not how fast it is."""
    older = {k: v for k, v in RADIO_BOARD.items() if k != "speed"}
    usual = boot(card, RADIO_BOARD, AIR).after_s
    assert boot(card, {**older, **told}, AIR).after_s == pytest.approx(usual * slower)


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (NETWORK.replace("noon", "nine"), "refuses the key"),
        (NETWORK.replace('"spring tide at noon"', "spring tide at noon"), "missing or refused"),
        (NETWORK.replace("network={", "network = {"), "missing or refused"),
        (NETWORK.replace("Quay House 2G", "Quay House"), "hears no such network"),
        (NETWORK.replace("country=GB\n", ""), "no country"),
        ("# nothing\n", "missing or refused"),
    ],
)
def test_a_spoilt_network_file_keeps_it_off_the_network(card: Path, tmp_path: Path, content: str, why: str) -> None:
    put(card, "platen-network.conf", content, tmp_path)
    assert why in boot(card, RADIO_BOARD, AIR).stops_at


def test_a_file_under_another_name_is_not_read(card: Path) -> None:
    run("mren", "-i", f"{card}@@{4 * MIB}", "::/platen-network.conf", "::/platen-network.conf.txt")
    assert "missing" in boot(card, RADIO_BOARD, AIR).stops_at


def test_capitals_do_not_matter_on_fat(card: Path, tmp_path: Path) -> None:
    put(card, "device.conf", "HOST_NAME=Press\n", tmp_path)
    run("mren", "-i", f"{card}@@{4 * MIB}", "::/device.conf", "::/tmp.x")
    run("mren", "-i", f"{card}@@{4 * MIB}", "::/tmp.x", "::/DEVICE.CONF")
    assert boot(card, RADIO_BOARD, AIR).host_name == "Press"


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"compatible": "fernworks,larkspur-c"}, "no device tree"),
        ({"bits": 32}, "64-bit kernel"),
        ({"radio_ghz": []}, "no radio"),
        ({"radio_ghz": [5]}, "hears no such network"),
    ],
)
def test_another_board_does_something_else(card: Path, changes: dict[str, Any], why: str) -> None:
    assert why in boot(card, {**RADIO_BOARD, **changes}, AIR).stops_at


def test_a_cable_needs_no_radio(card: Path) -> None:
    board = {**RADIO_BOARD, "radio_ghz": [], "cable": True}
    assert boot(card, board, []).stops_at == ""
    assert "no radio" in boot(card, {**board, "ethernet": False}, []).stops_at


def test_an_empty_or_torn_card_stops_at_the_test_card(card: Path, tmp_path: Path) -> None:
    (tmp_path / "empty").write_bytes(b"\0" * MIB)
    assert "test card" in boot(tmp_path / "empty", RADIO_BOARD, AIR).stops_at
    with card.open("r+b") as file:
        file.seek(4 * MIB)
        file.write(b"\0" * 4096)
    assert "test card" in boot(card, RADIO_BOARD, AIR).stops_at


def test_a_card_without_root_volume_has_no_system(card: Path) -> None:
    with card.open("r+b") as file:
        file.seek(52 * MIB)
        file.write(b"\0" * 2 * MIB)
    assert boot(card, RADIO_BOARD, AIR).stops_at == "no root volume"


def test_a_tiny_board_takes_longer(tmp_path: Path) -> None:
    card = disk(tmp_path, platen("3.2", 32, "xz", (SPRIG,)))
    put(card, "platen-network.conf", NETWORK, tmp_path)
    outcome = boot(card, TINY_BOARD, AIR)
    assert outcome.stops_at == ""
    assert outcome.after_s > 60


def test_lintel_takes_an_account_and_a_keyfile(tmp_path: Path) -> None:
    card = disk(tmp_path, LINTEL)
    put(
        card,
        "settings/wifi.nmconnection",
        f"[wifi]\nssid={SSID}\n[wifi-security]\nkey-mgmt=wpa-psk\npsk={PASSPHRASE}\n",
        tmp_path,
    )
    put(card, "settings/device.conf", "NAME='hub'\nACCOUNT='keeper'\nACCOUNT_HASH='$6$a$b'\n", tmp_path)
    outcome = boot(card, RADIO_BOARD, AIR)
    assert (outcome.stops_at, outcome.host_name, outcome.login_name, outcome.login_hash) == (
        "",
        "hub",
        "keeper",
        "$6$a$b",
    )


def test_its_fat_reader_agrees_with_mtools(card: Path, tmp_path: Path) -> None:
    put(card, "A long name with blanks.conf", "x" * 9000, tmp_path)
    assert volume_offsets(card)[0] == 4 * MIB
    fat = FatReader(card, 4 * MIB)
    listed = run("mdir", "-b", "-i", f"{card}@@{4 * MIB}", "::/").decode().split("\n")
    assert {n.lower() for n in fat.names()} == {line.removeprefix("::/").lower() for line in listed if line}
    for name in fat.names():
        assert fat.read(name) == fat_file(card, 4 * MIB, name)
    assert fat.read("none") is None
    fat.close()


def test_no_table_is_not_readable(tmp_path: Path) -> None:
    (tmp_path / "x").write_bytes(b"\0" * 40_000)
    with pytest.raises(UnreadableError):
        volume_offsets(tmp_path / "x")


def test_its_settings_readers_are_as_strict_as_the_real_ones() -> None:
    assert read_wpa(NETWORK.encode())
    assert not read_wpa(b'network={\n ssid="x"\n psk="a"b#cdefghij"\n}\n')
    [quoted] = read_keyfile(b'[wifi]\nssid="x"\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=passphrase\n')
    assert quoted.ssid == b'"x"'
    assert not read_keyfile(b"[wifi]\nnonsense\n")
    assert read_values(b"A='x y' # note\nB=\"unclosed\n", shell=True) == {"A": "x y"}
    assert read_values(b"A='x y'\n", shell=False) == {"A": "'x y'"}


def test_the_login_changes_and_stays_changed() -> None:
    kept: list[dict[str, str]] = []
    account = Account(Outcome(login_name="inkwell", login_word="inkwell"), None, kept.append)
    assert account.opens("inkwell", "inkwell")
    assert account.is_default
    account.change("a harbour wall")
    assert not account.opens("inkwell", "inkwell")
    assert account.opens("inkwell", "a harbour wall")
    again = Account(Outcome(login_name="inkwell", login_word="inkwell"), kept[0], kept.append)
    assert again.opens("inkwell", "a harbour wall")
    assert not again.is_default
    assert crypt("word", "salt") == crypt("word", "salt")


def test_a_manifest_names_its_reader_and_a_new_one_is_a_module_and_nothing_else() -> None:
    assert reader_called("wpa") is read_wpa
    assert reader_called("keyfile") is read_keyfile


@pytest.mark.parametrize(("section", "key"), FIELDS)
def test_the_pretend_reader_does_with_a_value_what_the_real_one_does(section: str, key: str) -> None:
    """nmcli(1) is the judge: what it refuses starts no radio here, what it drops changes nothing."""
    row = FIELDS[section, key]
    text = with_value(section, key, row.wrong)
    assert bool(read_keyfile(text.encode())) is nmcli(text).accepted
    meant = with_value(section, key, row.right)
    away = row.keeps_away is not None and row.keeps_away.when(row.right)
    if not away:
        assert read_keyfile(meant.encode())


@pytest.mark.parametrize(
    ("section", "key", "value"),
    [("wifi", "mode", "ap"), ("wifi-security", "pmf", "3"), ("wifi-security", "proto", "wpa;"), ("connection", "permissions", "user:ann:;"),
     ("connection", "interface-name", "wlan9"), ("wifi-security", "psk", "ab\\cdefgh"), ("wifi", "ssid", "a" * 33), ("wifi", "channel", "6")],
)  # fmt: skip
def test_what_keeps_a_board_away_keeps_the_pretend_one_away(section: str, key: str, value: str) -> None:
    assert not read_keyfile(with_value(section, key, value).encode())
    for name in ("pigeon", "../wpa", "os", "__init__", ""):
        assert reader_called(name) is None


@pytest.mark.parametrize("name", [name for name, row in VALUES.items() if row.wrong])
def test_the_pretend_supplicant_refuses_what_the_real_one_refuses(name: str) -> None:
    """wpa_supplicant(8) is asked of the same values in tests/core/settings/test_wpa_supplicant.py."""
    assert not read_wpa(wpa_block(f"{name}={VALUES[name].wrong}").encode())


@pytest.mark.parametrize("line", ["mode=2", "proto=WPA", "pairwise=TKIP", "ieee80211w=2", "auth_alg=SHARED"])
def test_what_keeps_a_board_away_keeps_the_pretend_supplicant_away(line: str) -> None:
    assert not read_wpa(wpa_block(line).encode())


@pytest.mark.parametrize(
    "line", ["pairwise=CCMP TKIP", "proto=WPA RSN", "priority=0x5", "ieee80211w=1", "auth_alg=OPEN", "scan_ssid=1"]
)
def test_what_does_no_harm_lets_it_join(line: str) -> None:
    assert read_wpa(wpa_block(line).encode())


@pytest.mark.parametrize("phrase", ["spring tide at noon", 'he said "tide" #1', "back\\slash at noon"])
def test_a_network_that_takes_wpa3_alone_is_joined_with_the_passphrase_and_with_nothing_else(
    card: Path, tmp_path: Path, phrase: str
) -> None:
    """IEEE 802.11-2020 §12.4. The file is the product's, the reader the stand-in's own."""
    key = hashlib.pbkdf2_hmac("sha1", phrase.encode(), SSID.encode(), 4096, 32)
    newer = [AirNetwork(SSID.encode(), key, 2.4, word=phrase.encode())]
    older = [AirNetwork(SSID.encode(), key, 2.4)]
    file = FileToFill(path="platen-network.conf", dialect="wpa-supplicant", title="", when="wifi")

    def booted(wpa3: bool, word: str, air: list[AirNetwork]) -> str:
        text = wpa_supplicant.apply("", file, values(ssid=SSID, passphrase=word, wpa3_only=wpa3))
        put(card, "platen-network.conf", text, tmp_path)
        return boot(card, RADIO_BOARD, air).stops_at

    assert booted(True, phrase, newer) == ""
    assert booted(False, phrase, older) == ""
    assert "refuses the key" in booted(True, "another one of it", newer)
    assert "WPA3 alone" in booted(False, phrase, newer)
    assert "no WPA3" in booted(True, phrase, older)
    # The network manager's file, by its reader.
    connection = keyfile.apply("", file, values(ssid=SSID, passphrase=phrase, wpa3_only=True)).encode()
    [wanted] = reader_called("keyfile")(connection)  # type: ignore[misc]
    assert (wanted.key, wanted.word) == (None, phrase.encode())


def test_of_several_networks_the_first_that_lets_it_in_is_joined(card: Path, tmp_path: Path) -> None:
    """Order: wpa_supplicant.conf(5), priority. The file is the product's, the reader the stand-in's own."""

    def heard(ssid: str, word: str, **more: Any) -> AirNetwork:
        return AirNetwork(
            ssid.encode(), hashlib.pbkdf2_hmac("sha1", word.encode(), ssid.encode(), 4096, 32), 2.4, **more
        )

    file = FileToFill(path="platen-network.conf", dialect="wpa-supplicant", title="", when="wifi")
    others = (KnownNetwork("Boat shed", "low water at six", hidden=True), KnownNetwork("Harbour guests", open=True))
    put(
        card,
        "platen-network.conf",
        wpa_supplicant.apply("", file, values(ssid=SSID, passphrase="spring tide at noon", others=others)),
        tmp_path,
    )
    wrong, shed = heard(SSID, "another one of it"), heard("Boat shed", "low water at six", hidden=True)
    assert boot(card, RADIO_BOARD, [wrong, shed]).stops_at == ""
    assert boot(card, RADIO_BOARD, [heard("Harbour guests", "", open=True)]).stops_at == ""
    assert "refuses the key" in boot(card, RADIO_BOARD, [wrong]).stops_at
    assert "no such network" in boot(card, RADIO_BOARD, [heard("Loft", "x" * 8)]).stops_at
    assert "refuses the key" in boot(card, RADIO_BOARD, [heard(SSID, "", open=True)]).stops_at


def test_a_fixed_address_is_its_own_where_it_lies_in_the_network(tmp_path: Path) -> None:
    file = FileToFill(path="f", dialect="keyfile", title="", when="wifi")
    at = FixedAddress("127.77.4.40", 24, "127.77.4.1")
    [wanted] = read_keyfile(keyfile.apply("", file, values(address=at)).encode())
    assert wanted.address == "127.77.4.40/24"
    folder = BenchFolder(tmp_path)
    folder.prepare()
    leases = LeaseBook(folder, "127.77.4.0/24")
    assert leases.takes("02:00:00:00:00:01", "127.77.4.40")
    assert not leases.takes("02:00:00:00:00:02", "192.168.7.40")
    assert "127.77.4.40 dev lan0 lladdr 02:00:00:00:00:01 REACHABLE" in folder.neighbours_file.read_text()
    assert not folder.leases_file.exists()
    assert "127.77.4.40" not in {leases.give(f"02:00:00:00:01:{n:02x}", "") for n in range(60)}
    leases.leave("02:00:00:00:00:01")
    assert "127.77.4.40 dev lan0 lladdr 02:00:00:00:00:01 STALE" in folder.neighbours_file.read_text()
