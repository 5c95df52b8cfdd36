"""Partition tables against sfdisk(8), and damage that must be named."""

from __future__ import annotations

import contextlib
import struct
import zlib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import PartitionTableError
from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.source import BytesSource
from tests.builders.disks import partitioned, sfdisk_json

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
