"""Byte layout of MBR and GPT. Names as in UEFI 2.10 §5.2 and §5.3."""

from __future__ import annotations

import struct

SECTOR_BYTES = 512
SECTOR_SIZES = (512, 4096)
"""bytes of a logical block: a GPT counts in those of the disk it was made for (UEFI 2.10 §5.3.2)"""

MBR_SIGNATURE_OFFSET = 510
MBR_SIGNATURE = b"\x55\xaa"
MBR_DISK_ID_OFFSET = 440
MBR_TABLE_OFFSET = 446
MBR_ENTRY = struct.Struct("<B3sB3sII")
"""BootIndicator, StartingCHS, OSType, EndingCHS, StartingLBA, SizeInLBA."""

OS_TYPE_PROTECTIVE = 0xEE
OS_TYPES_EXTENDED = (0x05, 0x0F, 0x85)
OS_TYPE_NAMES = {0x01: "FAT12", 0x04: "FAT16", 0x06: "FAT16", 0x0E: "FAT16", 0x0B: "FAT32", 0x0C: "FAT32",
                 0x07: "exFAT or NTFS", 0x82: "Linux swap", 0x83: "Linux", 0x8E: "Linux LVM", 0xEF: "EFI system"}  # fmt: skip

GPT_HEADER_LBA = 1
GPT_HEADER = struct.Struct("<8sIIIIQQQQ16sQIII")
"""Signature, Revision, HeaderSize, HeaderCRC32, Reserved, MyLBA, AlternateLBA, FirstUsableLBA, LastUsableLBA,
DiskGUID, PartitionEntryLBA, NumberOfPartitionEntries, SizeOfPartitionEntry, PartitionEntryArrayCRC32."""
GPT_SIGNATURE = b"EFI PART"
GPT_HEADER_CRC_OFFSET = 16
GPT_ENTRY = struct.Struct("<16s16sQQQ72s")
"""PartitionTypeGUID, UniquePartitionGUID, StartingLBA, EndingLBA (inclusive), Attributes, PartitionName (UTF-16LE)."""

GPT_TYPE_NAMES = {
    "C12A7328-F81F-11D2-BA4B-00A0C93EC93B": "EFI system",
    "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7": "basic data",
    "0FC63DAF-8483-4772-8E79-3D69D8477DE4": "Linux",
    "0657FD6D-A4AB-43C4-84E5-0933C84B4F4F": "Linux swap",
}
