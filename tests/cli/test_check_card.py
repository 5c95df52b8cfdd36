"""The doctor for a card that is written already: its boot volume is read, and mended in place, with the reference tools as judges."""

from __future__ import annotations

import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.adapters.block_device import BlockDevice
from mintseed.cli.main import main
from tests.builders import readers
from tests.builders.disks import MIB, cut, fat_file, image

WRONG = b'country=uk\nnetwork={\n  ssid="Quay House"\n  psk=spring tide at noon\n}\n'
BOOT = {
    "kernel8.img": bytes(3000), "wpa_supplicant.conf": WRONG, "user-data": b"#cloud-config\nhostname: press\n", "LICENCE": b"As it is.\n", "mine/net.json": b'{"a": 1,}\n',
}  # fmt: skip


@pytest.fixture
def card(tmp_path: Path) -> Path:
    return image(tmp_path / "card", BOOT, {"etc/hostname": b"press\n"})


def called(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, dict[str, object]]:
    status = main([*words, "--json"])
    said: dict[str, object] = json.loads(capsys.readouterr().out)
    return status, said


def test_its_settings_files_are_found_and_judged(card: Path, capsys: pytest.CaptureFixture[str]) -> None:
    before = card.read_bytes()
    status, said = called(capsys, "check-card", str(card))
    assert status == 2
    assert {f["path"]: f["dialect"] for f in said["files"]} == {  # type: ignore[attr-defined]
        "wpa_supplicant.conf": "wpa-supplicant", "user-data": "cloud-init-user-data", "mine/net.json": "json",
    }  # fmt: skip
    codes = {(f["where"]["file"], f["code"]) for f in said["findings"]}  # type: ignore[attr-defined]
    assert ("wpa_supplicant.conf", "wifi.passphrase-quotes") in codes
    assert card.read_bytes() == before, "looking changes nothing"


def test_it_is_mended_in_place_and_nothing_else_of_it_changes(
    card: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    kernel, licence = fat_file(card, MIB, "kernel8.img"), fat_file(card, MIB, "LICENCE")
    status, said = called(capsys, "fix-card", str(card))
    assert status in (0, 1)
    assert {f["path"] for f in said["files"] if f["mended"]} == {"wpa_supplicant.conf", "mine/net.json"}  # type: ignore[attr-defined]
    mended = fat_file(card, MIB, "wpa_supplicant.conf")
    assert b'psk="spring tide at noon"' in mended
    assert b"country=GB" in mended
    assert json.loads(fat_file(card, MIB, "mine/net.json")) == {"a": 1}
    assert (fat_file(card, MIB, "kernel8.img"), fat_file(card, MIB, "LICENCE")) == (kernel, licence)
    boot = cut(card, MIB, 40 * MIB, tmp_path / "boot")
    assert subprocess.run(["fsck.fat", "-n", boot], capture_output=True, check=False).returncode == 0
    again = called(capsys, "fix-card", str(card))[1]
    assert not [f for f in again["files"] if f["mended"]]  # type: ignore[attr-defined]


def test_what_is_no_card_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "text").write_text("not a card")
    assert main(["check-card", str(tmp_path / "text")]) == 3
    assert "check-card" in capsys.readouterr().err
    assert main(["fix-card", str(tmp_path)]) == 3
    assert "a folder" in capsys.readouterr().err
    bare = image(tmp_path / "bare", {"kernel8.img": bytes(10)}, {"etc/hostname": b"x\n"})
    assert main(["check-card", str(bare)]) == 0
    assert "No settings file" in capsys.readouterr().out


def test_a_recipe_names_its_files(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    one = image(
        tmp_path / "one",
        {"Device.conf": b"HOST_NAME=pre ss\nTIME_ZONE=Europe/London\n", "platen-network.conf": WRONG},
        {"etc/hostname": b"x\n"},
    )
    said = called(capsys, "check-card", str(one), "--recipe", "platen")[1]
    assert {f["path"].lower(): f["dialect"] for f in said["files"]} == {
        "device.conf": "key-value",
        "platen-network.conf": "wpa-supplicant",
    }  # type: ignore[attr-defined]


SITE = """site: 1
name: Quay House
country: GB
time_zone: Europe/London
keyboard: gb
wifi:
  - {ssid: "Quay House 2G", passphrase: "spring tide at noon"}
"""


def test_a_written_card_is_filled_where_it_is(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    files = {
        "device.conf": b"HOST_NAME=platen\nTIME_ZONE=UTC\nKEYBOARD=us\n",
        "platen-network.conf": b'# mine\n#network={\n#  ssid=""\n#  psk=""\n#}\n',
        "kernel8.img": b"k",
    }
    one = image(tmp_path / "one", files, {"etc/hostname": b"x\n"})
    site = tmp_path / "site.yaml"
    site.write_text(SITE)
    status, said = called(
        capsys, "fill-card", str(one), "--recipe", "platen", "--site", str(site), "--set", "host_name=press"
    )
    assert status == 0, said
    assert fat_file(one, MIB, "device.conf") == b"HOST_NAME=press\nTIME_ZONE=Europe/London\nKEYBOARD=gb\n"
    (tmp_path / "wpa.conf").write_bytes(fat_file(one, MIB, "platen-network.conf"))
    assert readers.wpa_supplicant(tmp_path / "wpa.conf").accepted
    assert fat_file(one, MIB, "kernel8.img") == b"k"
    before = one.read_bytes()
    assert (
        called(capsys, "fill-card", str(one), "--recipe", "platen", "--site", str(site), "--set", "host_name=press")[0]
        == 0
    )
    assert fat_file(one, MIB, "device.conf") == b"HOST_NAME=press\nTIME_ZONE=Europe/London\nKEYBOARD=gb\n"
    site.write_text(SITE.replace("spring tide at noon", "short"))
    kept = one.read_bytes()
    assert called(capsys, "fill-card", str(one), "--recipe", "platen", "--site", str(site))[0] == 2
    assert one.read_bytes() == kept, "what is stopped changes nothing"
    assert len(before) == len(kept)


def test_a_card_that_is_written_at_this_moment_is_left_alone(card: Path, capsys: pytest.CaptureFixture[str]) -> None:
    before = card.read_bytes()
    device = BlockDevice(str(card))
    try:
        assert main(["fix-card", str(card)]) == 3
    finally:
        device.close()
    assert card.read_bytes() == before
    assert "another writer" in capsys.readouterr().err


@pytest.fixture
def loop(card: Path) -> Iterator[str]:
    made = subprocess.run(
        ["losetup", "--find", "--show", "--partscan", card], capture_output=True, text=True, check=False
    )
    if made.returncode:
        pytest.skip(f"no loop device can be had: {made.stderr.strip()}")
    try:
        yield made.stdout.strip()
    finally:
        subprocess.run(["losetup", "--detach", made.stdout.strip()], check=False)


def test_a_drive_is_changed_by_the_rules_of_every_other_write(
    loop: str, card: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    before = card.read_bytes()
    assert main(["fix-card", loop]) == 2
    assert "Not a card" in capsys.readouterr().err, "a loop device that nobody named as a card"
    assert card.read_bytes() == before
    monkeypatch.setenv("MINTSEED_LOOP_CARDS", loop)
    wiring.config.cache_clear()
    try:
        holder = os.open(loop, os.O_RDONLY | os.O_EXCL)  # as the kernel does for a mounted file system
        try:
            assert main(["fix-card", loop]) == 3
            assert "in use" in capsys.readouterr().err
        finally:
            os.close(holder)
        assert card.read_bytes() == before
        assert called(capsys, "check-card", loop)[0] == 2
        status, said = called(capsys, "fix-card", loop)
        assert status in (0, 1)
        assert {f["path"] for f in said["files"] if f["mended"]} == {"wpa_supplicant.conf", "mine/net.json"}  # type: ignore[attr-defined]
    finally:
        wiring.config.cache_clear()
    assert b'psk="spring tide at noon"' in fat_file(card, MIB, "wpa_supplicant.conf")
