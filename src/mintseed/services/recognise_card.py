"""Look at a card in a reader and read the marks that tell it from others."""

from __future__ import annotations

import struct
from collections.abc import Collection

from blake3 import blake3

from mintseed.core.card.drives import Drive
from mintseed.core.card.end_of_card import has_old_table
from mintseed.core.card.identity import HEAD_BYTES, MOST_FILES, CardMarks
from mintseed.core.errors import MintSeedError
from mintseed.core.image.partitions import Partition, read_partition_table
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.ports.card_readers import CardReaders, ReadableDrive
from mintseed.ports.volume import VolumeTools

_FAT32_ID_OFFSET, _FAT16_ID_OFFSET = 67, 39
"""Where the volume serial lies in a FAT boot sector. Source: "FAT: General Overview of On-Disk Format", BS_VolID."""


def execute(drive: Drive, paths: Collection[str], *, readers: CardReaders, tools: VolumeTools) -> CardMarks:
    """Return the marks of the card in `drive`; `paths` are the settings files worth looking at.

    What cannot be read stays empty, and empty marks match nothing. Raises DriveError when the drive cannot be opened.
    """
    with readers.look(drive) as disk:
        head = disk.read_at(0, HEAD_BYTES)
        old_table = has_old_table(disk)
        digest = blake3(head).hexdigest() if len(head) == HEAD_BYTES and any(head) else ""
        try:
            table = read_partition_table(disk)
        except MintSeedError:
            return CardMarks(drive.card_number, drive.size_bytes, head=digest, old_table=old_table)
        volume_id, files = "", {}
        for partition in sorted(table.partitions, key=lambda p: p.start_lba):
            if sector := _fat_sector(disk, partition):
                volume_id = _volume_id(sector)
                files = _files(disk, partition, paths, tools)
                break
        return CardMarks(drive.card_number, drive.size_bytes, table.disk_id, volume_id, digest, files, old_table)


def _fat_sector(disk: ReadableDrive, partition: Partition) -> bytes:
    """Return the boot sector of `partition` when it is a FAT volume's, else nothing."""
    sector = disk.read_at(partition.offset_bytes, 512)
    is_fat = len(sector) == 512 and sector[510:] == b"\x55\xaa" and (sector[82:85] == b"FAT" or sector[54:57] == b"FAT")
    return sector if is_fat else b""


def _volume_id(sector: bytes) -> str:
    offset = _FAT32_ID_OFFSET if sector[82:85] == b"FAT" else _FAT16_ID_OFFSET
    return f"{struct.unpack_from('<I', sector, offset)[0]:08x}"


def _files(disk: ReadableDrive, partition: Partition, paths: Collection[str], tools: VolumeTools) -> dict[str, str]:
    try:
        kind = tools.identify(disk.path, partition.offset_bytes)
        volume = tools.open(disk.path, partition.offset_bytes, kind)
        contents = (
            {path: volume.read(path, MAX_SETTINGS_FILE_BYTES) for path in sorted(paths)[:MOST_FILES]} if volume else {}
        )
    except MintSeedError:
        return {}
    return {path: blake3(data).hexdigest() for path, data in contents.items() if data is not None}
