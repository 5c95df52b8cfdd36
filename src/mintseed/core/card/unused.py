"""Which bytes of a volume nothing is kept in, as its own file system says: FAT by its table, ext2, ext3 and ext4 by their bitmaps.

Of a volume that was not put away cleanly, or of another kind, nothing is said to be unused.
"""

from __future__ import annotations

import re
from array import array
from collections.abc import Iterator

from mintseed.core.image.whole_disk import is_fat
from mintseed.core.ranges import Range, joined
from mintseed.core.source import Source

MOST_CLUSTERS = 0x0FFFFFF5
"""of FAT32: a cluster's number has 28 bits (FAT specification §3.5)"""

_FREE = re.compile(rb"\0+")

_MOST_TABLE_BYTES = 256 * 1024 * 1024


def fat_unused(source: Source, offset_bytes: int, size_bytes: int) -> tuple[Range, ...]:
    """Return what the FAT volume at `offset_bytes` of `source` does not use. Source: Microsoft FAT specification §3 (layout), §4 (table)."""
    sector = source.read_at(offset_bytes, 512)
    if not is_fat(sector):
        return ()

    def number(at: int, length: int) -> int:
        return int.from_bytes(sector[at : at + length], "little")

    sector_bytes, cluster_bytes = number(11, 2), number(13, 1) * number(11, 2)
    table_sectors = number(22, 2) or number(36, 4)
    sectors = number(19, 2) or number(32, 4)
    tables_at = number(14, 2) * sector_bytes
    root_bytes = -(-number(17, 2) * 32 // sector_bytes) * sector_bytes
    data_at = tables_at + number(16, 1) * table_sectors * sector_bytes + root_bytes
    clusters = (sectors * sector_bytes - data_at) // cluster_bytes
    if (
        not 0 < clusters <= MOST_CLUSTERS
        or data_at + clusters * cluster_bytes > size_bytes
        or table_sectors * sector_bytes > _MOST_TABLE_BYTES
    ):
        return ()
    entries = _entries(source.read_at(offset_bytes + tables_at, table_sectors * sector_bytes), clusters)
    if entries is None or len(entries) < clusters + 2:
        return ()
    used = bytes(map(bool, entries[2 : clusters + 2]))
    return tuple(
        (data_at + free.start() * cluster_bytes, (free.end() - free.start()) * cluster_bytes)
        for free in _FREE.finditer(used)
    )


def _entries(table: bytes, clusters: int) -> array[int] | None:
    """Return what the table says of each cluster; None where it says that the volume was in use, or had an error, when it was left (§4.1, ClnShutBit and HrdErrBit)."""
    if clusters < 4085:  # FAT12, which keeps no such sign (§3.5)
        packed = array("H")
        for at in range(0, len(table) - 2, 3):
            three = table[at] | table[at + 1] << 8 | table[at + 2] << 16
            packed.extend((three & 0xFFF, three >> 12))
        return packed
    wide = clusters >= 65525
    entries = array("I" if wide else "H")
    whole = table[: len(table) // entries.itemsize * entries.itemsize]
    entries.frombytes(_masked(whole) if wide else whole)
    signs = 0x0C000000 if wide else 0xC000
    return entries if len(entries) >= 2 and entries[1] & signs == signs else None


def _masked(table: bytes) -> bytes:
    """Return FAT32's `table` without the four bits of each entry that are none of the number's (§4.1). As one number: a table has a hundred thousand."""
    mask = int.from_bytes(b"\xff\xff\xff\x0f" * (len(table) // 4), "big")
    return (int.from_bytes(table, "big") & mask).to_bytes(len(table), "big")


_GROUP_FREE = re.compile(r"^  Free blocks: ([\d, \-]+)$", re.MULTILINE)
_BLOCK_SIZE = re.compile(r"^Block size: +(\d+)$", re.MULTILINE)
_STATE = re.compile(r"^Filesystem state: +(.+)$", re.MULTILINE)
_FEATURES = re.compile(r"^Filesystem features: +(.+)$", re.MULTILINE)


def ext_unused(said: str) -> tuple[Range, ...]:
    """Return what a volume does not use, of which dumpe2fs(8) says `said`."""
    size, state, features = _BLOCK_SIZE.search(said), _STATE.search(said), _FEATURES.search(said)
    if not (size and state and features) or state[1].strip() != "clean":
        return ()
    if {"needs_recovery", "bigalloc"} & set(features[1].split()):
        return ()  # a journal that is still to be played; blocks counted in clusters
    block = int(size[1])
    return joined(
        (first * block, (last - first + 1) * block)
        for listed in _GROUP_FREE.findall(said)
        for first, last in _numbers(listed)
    )


def _numbers(listed: str) -> Iterator[tuple[int, int]]:
    for one in filter(None, (part.strip() for part in listed.split(","))):
        first, _, last = one.partition("-")
        yield int(first), int(last or first)
