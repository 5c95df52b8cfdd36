"""Partition tables: what lies where on a card, and what is wrong with the table that says so."""

from __future__ import annotations

import itertools
import uuid
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from mintseed.core.errors import PartitionTableError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image import partition_layout as layout
from mintseed.core.image.whole_disk import file_system_of
from mintseed.core.limits import MAX_GPT_ENTRIES, MAX_GPT_ENTRY_BYTES, MAX_LOGICAL_PARTITIONS
from mintseed.core.source import Source
from mintseed.core.units import binary_size

GPT_SOURCE = "UEFI 2.10 §5.3"


@dataclass(frozen=True, slots=True)
class Partition:
    """One entry. `start_lba` and `sectors` count sectors of `sector_bytes`; `type_code` is `0c` or a GUID, empty where no table says it."""

    number: int
    start_lba: int
    sectors: int
    type_code: str
    type_name: str
    name: str = ""
    bootable: bool = False
    sector_bytes: int = layout.SECTOR_BYTES

    @property
    def offset_bytes(self) -> int:
        return self.start_lba * self.sector_bytes

    @property
    def size_bytes(self) -> int:
        return self.sectors * self.sector_bytes

    @property
    def end_bytes(self) -> int:
        return self.offset_bytes + self.size_bytes


@dataclass(frozen=True, slots=True)
class PartitionTable:
    """`scheme` is `none` where one file system lies over the whole disk, which is then its only partition."""

    scheme: Literal["mbr", "gpt", "none"]
    disk_id: str
    partitions: tuple[Partition, ...]
    findings: tuple[Finding, ...]
    sector_bytes: int = layout.SECTOR_BYTES


def read_partition_table(source: Source) -> PartitionTable:
    """Read the table of `source`, whose `size_bytes` is the disk's whole length.

    Raises PartitionTableError when there is no table at all, nor a file system in its place. Damage that leaves it readable is a finding.
    Source: UEFI 2.10 §5.2 (MBR) and §5.3 (GPT).
    """
    sector = source.read_at(0, layout.SECTOR_BYTES)
    signed = sector[layout.MBR_SIGNATURE_OFFSET :] == layout.MBR_SIGNATURE
    if not (signed and _has_entries(sector)) and (file_system := file_system_of(source)):
        return _whole(source, file_system)
    if not signed:
        raise PartitionTableError(
            "there is no partition table, nor a file system in its place",
            expected="the bytes 55 aa at offset 510",
            where="sector 0",
            next_step="This is not a card image; download it again, or choose another file.",
        )
    entries = [_mbr_entry(sector, slot) for slot in range(4)]
    if any(entry[1] == layout.OS_TYPE_PROTECTIVE for entry in entries):
        return _read_gpt(source)
    partitions = tuple(_mbr_partitions(source, entries))
    disk_id = sector[layout.MBR_DISK_ID_OFFSET : layout.MBR_DISK_ID_OFFSET + 4][::-1].hex()
    return PartitionTable("mbr", disk_id, partitions, tuple(_layout_findings(partitions, source.size_bytes)))


def _has_entries(sector: bytes) -> bool:
    """Return whether the four slots of `sector` are a table: what a FAT volume has there is code or nothing (Linux: block/partitions/msdos.c)."""
    slots = [sector[layout.MBR_TABLE_OFFSET + slot * layout.MBR_ENTRY.size :] for slot in range(4)]
    return all(slot[0] in (0x00, 0x80) for slot in slots) and any(slot[4] for slot in slots)


def _whole(source: Source, file_system: str) -> PartitionTable:
    sectors = source.size_bytes // layout.SECTOR_BYTES
    said = Finding("image.no-table", Severity.NOTE, "It has no partition table", f"One file system, {file_system}, lies over all of it.",
                   "Not every board starts from such a card: rely on what its maker says.", Where(part="sector 0"))  # fmt: skip
    return PartitionTable("none", "", (Partition(1, 0, sectors, "", file_system),), (said,))


def _mbr_entry(sector: bytes, slot: int) -> tuple[bool, int, int, int]:
    """Return (bootable, OSType, StartingLBA, SizeInLBA) of one of the four slots."""
    indicator, _, os_type, _, start, size = layout.MBR_ENTRY.unpack_from(
        sector, layout.MBR_TABLE_OFFSET + slot * layout.MBR_ENTRY.size
    )
    return indicator == 0x80, os_type, start, size


def _mbr_partition(number: int, entry: tuple[bool, int, int, int], base_lba: int = 0) -> Partition:
    bootable, os_type, start, size = entry
    name = layout.OS_TYPE_NAMES.get(os_type, f"type {os_type:02x}")
    return Partition(number, base_lba + start, size, f"{os_type:02x}", name, bootable=bootable)


def _mbr_partitions(source: Source, entries: list[tuple[bool, int, int, int]]) -> Iterator[Partition]:
    for slot, entry in enumerate(entries):
        if entry[1] in layout.OS_TYPES_EXTENDED:
            yield from _logical_partitions(source, entry[2])
        elif entry[1] and entry[3]:
            yield _mbr_partition(slot + 1, entry)


def _logical_partitions(source: Source, extended_lba: int) -> Iterator[Partition]:
    """Walk the chain of extended boot records; a cycle ends the walk."""
    seen: set[int] = set()
    next_lba, number = extended_lba, 5
    while next_lba not in seen and len(seen) < MAX_LOGICAL_PARTITIONS:
        seen.add(next_lba)
        sector = source.read_at(next_lba * layout.SECTOR_BYTES, layout.SECTOR_BYTES)
        if sector[layout.MBR_SIGNATURE_OFFSET :] != layout.MBR_SIGNATURE:
            return
        first, link = _mbr_entry(sector, 0), _mbr_entry(sector, 1)
        if first[1] and first[3]:
            yield _mbr_partition(number, first, next_lba)
            number += 1
        if link[1] not in layout.OS_TYPES_EXTENDED:
            return
        next_lba = extended_lba + link[2]


def _read_gpt(source: Source) -> PartitionTable:
    sector_bytes = next(
        (
            size
            for size in layout.SECTOR_SIZES
            if source.read_at(layout.GPT_HEADER_LBA * size, 8) == layout.GPT_SIGNATURE
        ),
        layout.SECTOR_BYTES,
    )
    raw = source.read_at(layout.GPT_HEADER_LBA * sector_bytes, layout.SECTOR_BYTES)
    if len(raw) < layout.GPT_HEADER.size or not raw.startswith(layout.GPT_SIGNATURE):
        raise PartitionTableError(
            "sector 0 announces a GPT, and there is none",
            expected='"EFI PART" at sector 1',
            where="sector 1",
            next_step="The image is damaged: download it again.",
        )
    (_, _, header_bytes, header_crc, _, _, alternate_lba, _, _, disk_guid, entry_lba, count, entry_bytes, array_crc) = (
        layout.GPT_HEADER.unpack_from(raw)
    )
    if not (layout.GPT_ENTRY.size <= entry_bytes <= MAX_GPT_ENTRY_BYTES and count <= MAX_GPT_ENTRIES):
        raise PartitionTableError(
            f"the GPT claims {count} entries of {entry_bytes} bytes",
            expected="128 entries of 128 bytes",
            where="sector 1",
            next_step="The image is damaged: download it again.",
        )
    array = source.read_at(entry_lba * sector_bytes, count * entry_bytes)
    partitions = tuple(_gpt_partitions(array, count, entry_bytes, sector_bytes))
    findings = [*_gpt_crc_findings(raw, header_bytes, header_crc, array, count * entry_bytes, array_crc)]
    if (alternate_lba + 1) * sector_bytes > source.size_bytes:
        findings.append(
            Finding(
                "image.gpt-backup-beyond-end",
                Severity.CHECK,
                "The GPT's backup lies beyond the end of the image",
                f"It should be at sector {alternate_lba}; the image ends before.",
                "Compare the checksum: the file may be cut short.",
                Where(part="sector 1"),
                GPT_SOURCE,
            )
        )
    findings += _layout_findings(partitions, source.size_bytes)
    return PartitionTable("gpt", _guid(disk_guid), partitions, tuple(findings), sector_bytes)


def _guid(raw: bytes) -> str:
    return str(uuid.UUID(bytes_le=raw)).upper()


def _gpt_partitions(array: bytes, count: int, entry_bytes: int, sector_bytes: int) -> Iterator[Partition]:
    for index in range(count):
        entry = array[index * entry_bytes : index * entry_bytes + layout.GPT_ENTRY.size]
        if len(entry) < layout.GPT_ENTRY.size:
            return
        type_guid, _, start, end, attributes, name = layout.GPT_ENTRY.unpack(entry)
        if not any(type_guid) or end < start:
            continue
        code = _guid(type_guid)
        text = name.decode("utf-16-le", "replace").split("\x00")[0]
        kind = layout.GPT_TYPE_NAMES.get(code, "other")
        # EndingLBA is inclusive, so the length is one more than the difference.
        yield Partition(index + 1, start, end - start + 1, code, kind, text, bool(attributes & 4), sector_bytes)


def _gpt_crc_findings(
    raw: bytes, header_bytes: int, header_crc: int, array: bytes, array_bytes: int, array_crc: int
) -> Iterator[Finding]:
    at = layout.GPT_HEADER_CRC_OFFSET
    bare = raw[:at] + b"\x00" * 4 + raw[at + 4 : max(header_bytes, at + 4)]
    for code, title, wanted, found in (
        ("image.gpt-header-crc", "The GPT header is damaged", header_crc, zlib.crc32(bare)),
        (
            "image.gpt-entries-crc",
            "The GPT entries do not match their checksum",
            array_crc,
            zlib.crc32(array[:array_bytes]),
        ),
    ):
        if wanted != found:
            yield Finding(
                code,
                Severity.STOP,
                title,
                f"Its CRC-32 says {wanted:08x}; the bytes give {found:08x}.",
                "Download the image again and compare its SHA-256.",
                Where(part="sector 1"),
                GPT_SOURCE,
            )


def _layout_findings(partitions: tuple[Partition, ...], size_bytes: int) -> Iterator[Finding]:
    for partition in partitions:
        if partition.end_bytes > size_bytes:
            yield Finding(
                "image.partition-beyond-end",
                Severity.STOP,
                f"Partition {partition.number} ends beyond the image",
                f"It ends at {binary_size(partition.end_bytes)}; the image ends at {binary_size(size_bytes)}.",
                "The file is cut short: download it again.",
                Where(part=f"partition {partition.number}"),
                "UEFI 2.10 §5.2",
            )
    ordered = sorted(partitions, key=lambda p: p.start_lba)
    for before, after in itertools.pairwise(ordered):
        if before.end_bytes > after.offset_bytes:
            yield Finding(
                "image.partitions-overlap",
                Severity.STOP,
                f"Partitions {before.number} and {after.number} overlap",
                f"{before.number} ends at sector {before.start_lba + before.sectors}; "
                f"{after.number} starts at {after.start_lba}.",
                "The table is damaged: download the image again.",
                Where(part=f"partition {after.number}"),
                "UEFI 2.10 §5.2",
            )
