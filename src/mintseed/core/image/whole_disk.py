"""A file system over a whole disk, without a table of partitions: which it is, by its magic number."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.source import Source


@dataclass(frozen=True, slots=True)
class Magic:
    """`value` at `offset_bytes` says that a file system is `name`, as people call it."""

    name: str
    offset_bytes: int
    value: bytes


MAGIC = (
    Magic("exFAT", 3, b"EXFAT   "),  # exFAT specification §3.1.2
    Magic("ext", 1024 + 56, b"\x53\xef"),  # Linux documentation: ext4 super block, s_magic
    Magic("squashfs", 0, b"hsqs"),  # Linux documentation: squashfs
    Magic("btrfs", 0x10000 + 64, b"_BHRfS_M"),  # Linux: include/uapi/linux/btrfs_tree.h
    Magic("f2fs", 1024, b"\x10\x20\xf5\xf2"),  # Linux: include/uapi/linux/magic.h
    Magic("swap", 4096 - 10, b"SWAPSPACE2"),  # Linux: include/linux/swap.h
    Magic("ISO 9660", 0x8001, b"CD001"),  # ECMA-119 §8.4
)

_JUMPS = (0xEB, 0xE9)
_MEDIA = (0xF0, *range(0xF8, 0x100))


def is_fat(sector: bytes) -> bool:
    """Return whether `sector` begins a FAT volume: as Linux tells one from a table of partitions (block/partitions/msdos.c, fat_valid_media)."""
    if len(sector) < 512 or sector[0] not in _JUMPS:
        return False
    sector_bytes, cluster, reserved = (
        int.from_bytes(sector[11:13], "little"),
        sector[13],
        int.from_bytes(sector[14:16], "little"),
    )
    powers = sector_bytes in (512, 1024, 2048, 4096) and cluster and not cluster & (cluster - 1)
    return bool(powers and reserved and sector[16] and sector[21] in _MEDIA)


def file_system_of(source: Source) -> str:
    """Return the name of the file system that begins at the first byte of `source`; empty where none does that is known."""
    if is_fat(source.read_at(0, 512)):
        return "FAT"
    return next((m.name for m in MAGIC if source.read_at(m.offset_bytes, len(m.value)) == m.value), "")
