"""Byte layout of .xz files. Names and sections as in "The .xz File Format" 1.2.1."""

from __future__ import annotations

import struct

STREAM_HEADER_BYTES = 12
"""§2.1.1: magic (6), Stream Flags (2), CRC32 of the flags (4)."""
STREAM_MAGIC = b"\xfd7zXZ\x00"

STREAM_FOOTER = struct.Struct("<II2s2s")
"""§2.1.2: CRC32 of the next two, Backward Size (index bytes / 4 - 1), Stream Flags, magic."""
FOOTER_MAGIC = b"YZ"

CHECK_BYTES = {0x00: 0, 0x01: 4, 0x04: 8, 0x0A: 32}
"""§2.1.1.2: check type → bytes of the check behind each block (none, CRC32, CRC64, SHA-256)."""

INDEX_INDICATOR = 0x00
"""§3.1.1, §4.1: a block header never begins with this byte, the index always does."""

HAS_COMPRESSED_SIZE, HAS_UNCOMPRESSED_SIZE = 0x40, 0x80
"""§3.1.2: Block Flags."""

ALIGN_BYTES = 4
VLI_MOST_BYTES = 9
"""§1.2: a variable-length integer has at most nine bytes of seven bits."""
