"""Partition tables against sfdisk(8), and damage that must be named."""

from __future__ import annotations

import contextlib
import os
import struct
import subprocess
import zlib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import PartitionTableError
from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.image.whole_disk import MAGIC, Magic
from mintseed.core.source import BytesSource
from tests.builders.disks import MIB, partitioned, sfdisk_json

MBR = "label: dos\nstart=4MiB, size=16MiB, type=c, bootable\nstart=20MiB, size=40MiB, type=83\n"
LOGICAL = (
    "label: dos\nstart=1MiB, size=8MiB, type=c\nstart=10MiB, size=50MiB, type=5\n"
    "start=11MiB, size=8MiB, type=83\nstart=21MiB, size=8MiB, type=83\nstart=31MiB, size=8MiB, type=82\n"
)
GPT = (
    "label: gpt\nstart=4MiB, size=16MiB, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7, name=boot\n"
    "start=20MiB, size=40MiB, type=linux, name=root\n"
)


def read(path: Path) -> PartitionTable:
    return read_partition_table(BytesSource(path.read_bytes()))


@pytest.mark.parametrize("table", [MBR, LOGICAL, GPT], ids=["mbr", "logical", "gpt"])
def test_sectors_agree_with_sfdisk(tmp_path: Path, table: str) -> None:
    disk = partitioned(tmp_path / "disk", table)
    wanted = sfdisk_json(disk)
    found = read(disk)
    extended = {"5", "f"}
    theirs = [(p["start"], p["size"]) for p in wanted["partitions"] if p["type"] not in extended]
    assert [(p.start_lba, p.sectors) for p in found.partitions] == theirs
    assert found.findings == ()
    assert found.disk_id.lower() == wanted["id"].removeprefix("0x").lower()


def test_gpt_types_and_names_agree_with_sfdisk(tmp_path: Path) -> None:
    disk = partitioned(tmp_path / "disk", GPT)
    wanted = sfdisk_json(disk)["partitions"]
    found = read(disk).partitions
    assert [(p.type_code, p.name) for p in found] == [(p["type"], p["name"]) for p in wanted]


def test_no_table_is_an_error_that_says_what_was_expected() -> None:
    with pytest.raises(PartitionTableError, match="55 aa"):
        read_partition_table(BytesSource(b"\0" * 4096))


def test_a_gpt_in_sectors_of_4096_bytes_agrees_with_partx(tmp_path: Path) -> None:
    """UEFI 2.10 §5.3.2: the header is at logical block 1, however large those are, and every number in it counts in them."""
    small = partitioned(
        tmp_path / "small",
        "label: gpt\nstart=2048, size=2048, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7\nstart=4096, size=4096, type=linux\n",
    ).read_bytes()
    disk = tmp_path / "disk"
    with disk.open("wb") as file:
        for block, data in (
            (0, small[:512]),
            (1, small[512:1024]),
            (2, small[1024 : 1024 + 128 * 128]),
            (len(small) // 512, b""),
        ):
            file.seek(block * 4096)
            file.write(data)
        file.truncate(len(small) * 8)
    said = subprocess.run(
        ["partx", "--sector-size", "4096", "-g", "-o", "START,SECTORS", disk],
        capture_output=True,
        text=True,
        check=True,
    )
    wanted = [tuple(int(n) for n in line.split()) for line in said.stdout.splitlines()]
    found = read(disk)
    assert (found.scheme, found.sector_bytes, found.findings) == ("gpt", 4096, ())
    assert [(p.start_lba, p.sectors) for p in found.partitions] == [(2048, 2048), (4096, 4096)]
    assert [(p.offset_bytes // 512, p.size_bytes // 512) for p in found.partitions] == wanted, (
        "partx(8) says sectors of 512 bytes"
    )
    assert [(p.offset_bytes, p.size_bytes) for p in found.partitions] == [(8 * MIB, 8 * MIB), (16 * MIB, 16 * MIB)]


MAKERS = {
    "FAT": ["mkfs.fat", "-F", "32"], "FAT ": ["mkfs.fat", "-F", "16"], "FAT  ": ["mkfs.fat", "-F", "12", "-s", "64"], "ext": ["mke2fs", "-q", "-F", "-t", "ext4"],
    "ext ": ["mke2fs", "-q", "-F", "-t", "ext2"], "swap": ["mkswap"],
}  # fmt: skip


@pytest.mark.parametrize("name", MAKERS)
def test_a_file_system_over_the_whole_disk_is_told_as_blkid_tells_it(tmp_path: Path, name: str) -> None:
    disk = tmp_path / "disk"
    disk.touch()
    os.truncate(disk, 64 * MIB)
    subprocess.run([*MAKERS[name], disk], check=True, capture_output=True)
    told = subprocess.run(
        ["blkid", "-p", "-o", "value", "-s", "TYPE", disk], capture_output=True, text=True, check=True
    ).stdout.strip()
    found = read(disk)
    assert told in {"FAT": ("vfat",), "ext": ("ext2", "ext4"), "swap": ("swap",)}[name.strip()]
    assert (found.scheme, [f.code for f in found.findings]) == ("none", ["image.no-table"])
    assert [(p.offset_bytes, p.size_bytes, p.type_name) for p in found.partitions] == [(0, 64 * MIB, name.strip())]


@pytest.mark.parametrize("magic", MAGIC, ids=lambda m: m.name)
def test_each_magic_number_is_what_blkid_goes_by(tmp_path: Path, magic: Magic) -> None:
    """A file system is told by its magic number alone here, so a table with partitions goes before it."""
    data = bytearray(partitioned(tmp_path / "disk", MBR).read_bytes())
    assert data[magic.offset_bytes : magic.offset_bytes + len(magic.value)] == bytes(len(magic.value)), (
        "it hides nothing of the table"
    )
    data[magic.offset_bytes : magic.offset_bytes + len(magic.value)] = magic.value
    assert read_partition_table(BytesSource(bytes(data))).scheme == "mbr"
    data[446:512] = bytes(66)
    assert read_partition_table(BytesSource(bytes(data))).partitions[0].type_name == magic.name


def test_a_partition_beyond_the_end_is_named(tmp_path: Path) -> None:
    whole = partitioned(tmp_path / "disk", MBR).read_bytes()
    found = read_partition_table(BytesSource(whole[: 30 * 1024 * 1024]))
    assert [f.code for f in found.findings] == ["image.partition-beyond-end"]
    assert "Partition 2" in found.findings[0].title


def test_overlapping_partitions_are_named(tmp_path: Path) -> None:
    disk = bytearray(partitioned(tmp_path / "disk", MBR).read_bytes())
    # StartingLBA of the second entry, offset 446 + 16 + 8, set into the first partition.
    struct.pack_into("<I", disk, 446 + 16 + 8, 9000)
    found = read_partition_table(BytesSource(bytes(disk)))
    assert "image.partitions-overlap" in {f.code for f in found.findings}


@pytest.mark.parametrize(("offset", "code"), [(512 + 40, "image.gpt-header-crc"), (1024 + 56, "image.gpt-entries-crc")])
def test_a_wrong_gpt_checksum_is_named(tmp_path: Path, offset: int, code: str) -> None:
    disk = bytearray(partitioned(tmp_path / "disk", GPT).read_bytes())
    disk[offset] ^= 0x01
    assert code in {f.code for f in read_partition_table(BytesSource(bytes(disk))).findings}


def test_a_gpt_with_a_mended_checksum_is_sound_again(tmp_path: Path) -> None:
    # The positive control of the test above: zlib's CRC-32 over the header with its own field zeroed (UEFI 2.10 §5.3.2).
    disk = bytearray(partitioned(tmp_path / "disk", GPT).read_bytes())
    disk[512 + 48] ^= 0x01
    struct.pack_into("<I", disk, 512 + 16, 0)
    struct.pack_into("<I", disk, 512 + 16, zlib.crc32(disk[512 : 512 + 92]))
    assert "image.gpt-header-crc" not in {f.code for f in read_partition_table(BytesSource(bytes(disk))).findings}


def test_a_backup_beyond_the_end_is_named(tmp_path: Path) -> None:
    whole = partitioned(tmp_path / "disk", GPT).read_bytes()
    found = read_partition_table(BytesSource(whole[: 62 * 1024 * 1024]))
    assert "image.gpt-backup-beyond-end" in {f.code for f in found.findings}


def test_a_cyclic_chain_of_logical_partitions_ends(tmp_path: Path) -> None:
    disk = bytearray(partitioned(tmp_path / "disk", LOGICAL).read_bytes())
    first_link = 10 * 2048 * 512 + 446 + 16
    struct.pack_into("<I", disk, first_link + 8, 0)
    found = read_partition_table(BytesSource(bytes(disk)))
    assert len(found.partitions) == 2


@given(st.binary(min_size=0, max_size=2048), st.booleans())
def test_any_bytes_give_a_table_or_our_error(data: bytes, protective: bool) -> None:
    sector = bytearray(data.ljust(2048, b"\0"))
    sector[510:512] = b"\x55\xaa"
    if protective:
        sector[450] = 0xEE
        sector[512:520] = b"EFI PART"
    with contextlib.suppress(PartitionTableError):
        read_partition_table(BytesSource(bytes(sector)))


@given(st.data())
def test_flipped_and_truncated_tables_give_a_table_or_our_error(gpt_bytes: bytes, data: st.DataObject) -> None:
    damaged = bytearray(gpt_bytes)
    for _ in range(data.draw(st.integers(1, 8))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] ^= data.draw(st.integers(1, 255))
    cut = data.draw(st.integers(0, len(damaged)))
    with contextlib.suppress(PartitionTableError):
        read_partition_table(BytesSource(bytes(damaged[:cut]), claimed_size_bytes=64 * 1024 * 1024))


@pytest.fixture(scope="module")
def gpt_bytes(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    return partitioned(tmp_path_factory.mktemp("gpt") / "disk", GPT).read_bytes()[: 34 * 512]
