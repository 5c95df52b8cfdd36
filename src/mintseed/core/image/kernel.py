"""Which word size and which processors a kernel is for. Sources: Linux documentation, arm64 booting §4; arm booting §5 (zImage magic);
RISC-V boot image header (magic2)."""

from __future__ import annotations

from typing import Literal, NamedTuple

HEAD_BYTES = 64
"""bytes of a kernel's start that tell."""

_ARM64_MAGIC_OFFSET = 0x38
_ARM64_MAGIC = b"ARM\x64"
_RISCV_MAGIC = b"RSC\x05"
_ZIMAGE_MAGIC_OFFSET = 0x24
_ZIMAGE_MAGIC = b"\x18\x28\x6f\x01"


class Kernel(NamedTuple):
    bits: Literal[32, 64]
    architecture: Literal["arm", "riscv"]


def read_kernel(head: bytes) -> Kernel | None:
    """Return what the kernel that starts with `head` is for, or None when it is no kernel known here."""
    if head[_ARM64_MAGIC_OFFSET : _ARM64_MAGIC_OFFSET + 4] == _ARM64_MAGIC:
        return Kernel(64, "arm")
    if head[_ARM64_MAGIC_OFFSET : _ARM64_MAGIC_OFFSET + 4] == _RISCV_MAGIC:
        return Kernel(64, "riscv")
    if head[_ZIMAGE_MAGIC_OFFSET : _ZIMAGE_MAGIC_OFFSET + 4] == _ZIMAGE_MAGIC:
        return Kernel(32, "arm")
    return None
