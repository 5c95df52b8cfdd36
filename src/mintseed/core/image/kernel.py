"""Is a kernel 32 or 64 bit? Sources: Linux documentation, arm64 booting §4; arm booting §5 (zImage magic)."""

from __future__ import annotations

from typing import Literal

HEAD_BYTES = 64
"""bytes of a kernel's start that tell."""

_ARM64_MAGIC_OFFSET = 0x38
_ARM64_MAGIC = b"ARM\x64"
_ZIMAGE_MAGIC_OFFSET = 0x24
_ZIMAGE_MAGIC = b"\x18\x28\x6f\x01"


def kernel_bits(head: bytes) -> Literal[32, 64] | None:
    """Return the word size of the kernel that starts with `head`, or None when it is no kernel known here."""
    if head[_ARM64_MAGIC_OFFSET : _ARM64_MAGIC_OFFSET + 4] == _ARM64_MAGIC:
        return 64
    if head[_ZIMAGE_MAGIC_OFFSET : _ZIMAGE_MAGIC_OFFSET + 4] == _ZIMAGE_MAGIC:
        return 32
    return None
