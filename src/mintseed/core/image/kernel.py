"""Which word size and which processors a kernel is for. Sources: Linux documentation, arm64 booting §4; arm booting §5 (zImage magic);
RISC-V boot image header (magic2); The Linux/x86 Boot Protocol, “The Real-Mode Kernel Header” (boot_flag, header, xloadflags)."""

from __future__ import annotations

from typing import Literal, NamedTuple

HEAD_BYTES = 0x240
"""bytes of a kernel's start that tell."""

_ARM64_MAGIC_OFFSET = 0x38
_ARM64_MAGIC = b"ARM\x64"
_RISCV_MAGIC = b"RSC\x05"
_ZIMAGE_MAGIC_OFFSET = 0x24
_ZIMAGE_MAGIC = b"\x18\x28\x6f\x01"
_PC_FLAG_OFFSET, _PC_MAGIC_OFFSET, _PC_LOAD_FLAGS_OFFSET = 0x1FE, 0x202, 0x236
_PC_FLAG, _PC_MAGIC = b"\x55\xaa", b"HdrS"
_PC_64_BIT = 0x01
"""of the load flags: it has an entry for processors in 64-bit mode"""


class Kernel(NamedTuple):
    bits: Literal[32, 64]
    architecture: Literal["arm", "riscv", "pc"]


def read_kernel(head: bytes) -> Kernel | None:
    """Return what the kernel that starts with `head` is for, or None when it is no kernel known here."""
    if head[_ARM64_MAGIC_OFFSET : _ARM64_MAGIC_OFFSET + 4] == _ARM64_MAGIC:
        return Kernel(64, "arm")
    if head[_ARM64_MAGIC_OFFSET : _ARM64_MAGIC_OFFSET + 4] == _RISCV_MAGIC:
        return Kernel(64, "riscv")
    if head[_ZIMAGE_MAGIC_OFFSET : _ZIMAGE_MAGIC_OFFSET + 4] == _ZIMAGE_MAGIC:
        return Kernel(32, "arm")
    if (
        head[_PC_MAGIC_OFFSET : _PC_MAGIC_OFFSET + 4] == _PC_MAGIC
        and head[_PC_FLAG_OFFSET : _PC_FLAG_OFFSET + 2] == _PC_FLAG
    ):
        return Kernel(
            64 if any(flag & _PC_64_BIT for flag in head[_PC_LOAD_FLAGS_OFFSET : _PC_LOAD_FLAGS_OFFSET + 1]) else 32,
            "pc",
        )
    return None
