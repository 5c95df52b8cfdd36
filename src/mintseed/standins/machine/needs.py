"""What a machine bench wants of the computer it runs on, and whether that is there."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Mapping
from pathlib import Path

TOOLS: Mapping[str, str] = {
    "qemu-system-x86_64": "qemu-system-x86", "mmdebstrap": "mmdebstrap", "syslinux": "syslinux", "dnsmasq": "dnsmasq-base", "ip": "iproute2",
    "unshare": "util-linux", "nsenter": "util-linux", "mkfs.ext4": "e2fsprogs", "mkfs.vfat": "dosfstools", "mcopy": "mtools", "sfdisk": "fdisk", "xz": "xz-utils",
}  # fmt: skip
"""tool: the Debian package it comes with"""

FILES: Mapping[str, str] = {
    "/usr/lib/syslinux/mbr/mbr.bin": "syslinux-common",
    "/usr/share/seabios/bios-256k.bin": "seabios",
}
BOARD_MEMORY_MB = 512
"""memory that a machine is told it has, 2²⁰ bytes: all nine builds start with it (docs/proving.md)"""
MACHINE_MEMORY_MB = 700
"""memory of this computer that has to be free for one: more than its process was ever seen to hold (docs/proving.md)"""
PATH = f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin"


def missing_packages() -> tuple[str, ...]:
    """Return the Debian packages that are wanted and not there."""
    gone = {package for tool, package in TOOLS.items() if shutil.which(tool, path=PATH) is None}
    return tuple(sorted(gone | {package for file, package in FILES.items() if not Path(file).exists()}))


def free_memory_mb() -> int:
    """Return the memory that programs may still take, 10⁶ bytes, as the kernel estimates it (proc(5), MemAvailable)."""
    for line in Path("/proc/meminfo").read_text().splitlines():
        if line.startswith("MemAvailable:"):
            return int(line.split()[1]) * 1024 // 10**6
    return 0


def at_once(free_mb: int, cores: int) -> int:
    """Return how many machines may run side by side: as many as there is memory for, and one a core."""
    return max(0, min(cores, free_mb // MACHINE_MEMORY_MB))


def missing() -> str:
    """Return one sentence that says what is missing here for a machine bench; nothing where all is there."""
    if os.geteuid() != 0:
        return "A machine bench makes a network of its own, which only root may do: start it as root."
    if packages := missing_packages():
        return f"A machine bench wants Debian packages that are not here: apt-get install {' '.join(packages)}"
    if not os.access("/dev/net/tun", os.R_OK | os.W_OK):
        return "A machine bench plugs its boards into a network by /dev/net/tun, which is not here: modprobe tun, or start it where that is."
    free = free_memory_mb()
    if not at_once(free, 1):
        return f"A machine bench takes {MACHINE_MEMORY_MB} MB of memory a board, and {free} MB are free: end something first."
    return ""


if __name__ == "__main__":
    print(missing())
    sys.exit(1 if missing() else 0)
