"""Cards read back into image files: what the file systems use is there byte for byte, by fsck.fat, e2fsck, mtools and debugfs; what they do not, is not."""

from __future__ import annotations

import random
import subprocess
from pathlib import Path
from typing import Any

import pytest

from mintseed.adapters.filled_folder import FilledFolder
from mintseed.core.card.drives import parse_lsblk
from mintseed.core.card.unused import fat_unused
from mintseed.core.errors import PartitionTableError, RefusedError
from mintseed.core.source import BytesSource
from mintseed.services import back_up_card
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.readers import StandinReaders
from tests.builders.disks import MIB, cut, fat_file, image, partitioned, run
from tests.services.conftest import TOOLS

STALE = random.Random(9).randbytes(4 * MIB)
"""what a file that was removed leaves in blocks nobody uses any more"""

BOOT = {"wifi.conf": b"country=GB\n", "kernel8.img": random.Random(1).randbytes(700_000)}
ROOT = {"etc/hostname": b"kiosk\n", "usr/big": random.Random(2).randbytes(3_000_000)}


def used_card(path: Path, scheme: str = "dos") -> Path:
    """Make a card that was lived with: files came and went on both of its volumes."""
    disk = image(path, BOOT, ROOT, scheme=scheme)
    stale = path.with_suffix(".stale")
    stale.write_bytes(STALE)
    fat = f"{disk}@@{MIB}"
    run("mcopy", "-i", fat, stale, "::/gone.bin")
    run("mdel", "-i", fat, "::/gone.bin")
    run("debugfs", "-w", "-R", f"write {stale} gone", f"{disk}?offset={41 * MIB}")
    run("debugfs", "-w", "-R", "rm gone", f"{disk}?offset={41 * MIB}")
    assert disk.read_bytes().count(STALE[:4096]) == 2, "it is still there, on both"
    return disk


def bench_with(tmp_path: Path, disk: Path, **entry: Any) -> tuple[StandinReaders, Any]:
    folder = BenchFolder(tmp_path / "bench")
    folder.prepare()
    size_bytes = disk.stat().st_size
    disk.rename(folder.cards / "pdb.img")
    card = {
        "name": "pdb",
        "path": "/dev/pdb",
        "size": size_bytes,
        "rm": True,
        "tran": "usb",
        "serial": "S1",
        "type": "disk",
        **entry,
    }
    folder.write(folder.drives_file, [card])
    readers = StandinReaders(folder)
    return readers, readers.drives()[0]


def backed_up(tmp_path: Path, disk: Path, **entry: Any) -> tuple[back_up_card.BackedUp, Path]:
    readers, drive = bench_with(tmp_path, disk, **entry)
    done = back_up_card.execute(
        drive, "card.img.zst", readers=readers, tools=TOOLS, copies=FilledFolder(tmp_path / "out")
    )
    plain = tmp_path / "plain.img"
    run("zstd", "-q", "-d", tmp_path / "out" / "card.img.zst", "-o", plain)
    return done, plain


@pytest.mark.parametrize("scheme", ["dos", "gpt"])
def test_a_card_comes_back_whole_and_without_what_nobody_uses(tmp_path: Path, scheme: str) -> None:
    disk = used_card(tmp_path / "card.img", scheme)
    before = disk.read_bytes()
    done, plain = backed_up(tmp_path, disk)
    after = plain.read_bytes()
    assert done.image_bytes == len(after) == (57 * MIB if scheme == "dos" else len(before))
    assert STALE[:4096] not in after
    assert done.left_out_bytes > 8 * MIB
    assert done.packed_bytes == (tmp_path / "out" / "card.img.zst").stat().st_size < 6 * MIB
    # Everything else is what was on the card.
    differs = [at for at in range(0, len(after), 512) if after[at : at + 512] != before[at : at + 512]]
    assert all(not any(after[at : at + 512]) for at in differs), "what differs is zeros"
    fat, ext = cut(plain, MIB, 40 * MIB, tmp_path / "fat"), cut(plain, 41 * MIB, 16 * MIB, tmp_path / "ext")
    assert subprocess.run(["fsck.fat", "-n", fat], capture_output=True, check=False).returncode == 0
    assert subprocess.run(["e2fsck", "-fn", ext], capture_output=True, check=False).returncode == 0
    assert {name: fat_file(plain, MIB, name) for name in BOOT} == BOOT
    assert {name: run("debugfs", "-R", f"cat /{name}", ext) for name in ROOT} == ROOT


def test_a_volume_that_was_not_put_away_cleanly_comes_whole(tmp_path: Path) -> None:
    """debugfs(8) sets its state to what the kernel leaves while it is mounted."""
    disk = used_card(tmp_path / "card.img")
    run("debugfs", "-w", "-R", "set_super_value state 0", f"{disk}?offset={41 * MIB}")
    # FAT32: ClnShutBit of the second entry of both tables (FAT specification §4.1).
    data = bytearray(disk.read_bytes())
    reserved, table_bytes = (
        int.from_bytes(data[MIB + 14 : MIB + 16], "little"),
        int.from_bytes(data[MIB + 36 : MIB + 40], "little") * 512,
    )
    for table in range(2):
        at = MIB + reserved * 512 + table * table_bytes + 7
        data[at] &= ~0x08
    disk.write_bytes(data)
    done, plain = backed_up(tmp_path, disk)
    assert done.left_out_bytes == 0
    assert plain.read_bytes() == bytes(data[: 57 * MIB])


def test_what_may_change_meanwhile_is_not_read(tmp_path: Path) -> None:
    disk = image(tmp_path / "card.img", BOOT, ROOT)
    readers, drive = bench_with(tmp_path, disk, mountpoints=["/media/card"])
    with pytest.raises(RefusedError, match="In use"):
        back_up_card.execute(drive, "x.img.zst", readers=readers, tools=TOOLS, copies=FilledFolder(tmp_path / "out"))
    assert not (tmp_path / "out" / "x.img.zst").exists()


def test_a_card_with_its_switch_on_lock_is_read(tmp_path: Path) -> None:
    done, _ = backed_up(tmp_path, image(tmp_path / "card.img", BOOT, ROOT), ro=True)
    assert done.image_bytes == 57 * MIB


def test_an_empty_card_says_so_and_leaves_no_file(tmp_path: Path) -> None:
    empty = tmp_path / "card.img"
    empty.write_bytes(bytes(8 * MIB))
    readers, drive = bench_with(tmp_path, empty)
    with pytest.raises(PartitionTableError, match="no partition table lies on it"):
        back_up_card.execute(drive, "x.img.zst", readers=readers, tools=TOOLS, copies=FilledFolder(tmp_path / "out"))
    assert list((tmp_path / "out").glob("*")) == [] or not (tmp_path / "out").exists()


def test_what_is_no_volume_has_nothing_unused(tmp_path: Path) -> None:
    disk = partitioned(tmp_path / "disk", "label: dos\nstart=1MiB, size=8MiB, type=83\n")
    assert TOOLS.unused(disk, BytesSource(disk.read_bytes()), MIB, 8 * MIB) == ()
    assert fat_unused(BytesSource(bytes(4096)), 0, 4096) == ()
    assert parse_lsblk('{"blockdevices": []}') == ()
