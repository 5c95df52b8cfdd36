"""A large image for the benchmarks: a real FAT boot volume, then data that packs about as well as a system does."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

MIB = 1024 * 1024
FIRST_MIB, BOOT_MIB = 4, 256
SETTINGS = "platen-network.conf"


def _run(*arguments: str | Path, stdin: str | None = None) -> None:
    subprocess.run([str(a) for a in arguments], input=stdin, text=True, check=True, capture_output=True)


def build(path: Path, size_mib: int, settings: str) -> Path:
    """Build the unpacked image: of each 4 MiB after the boot volume, 1 MiB cannot be packed, 1 MiB packs well, 2 are zero."""
    root_at = FIRST_MIB + BOOT_MIB
    with path.open("wb") as file:
        file.truncate(size_mib * MIB)
    table = f"label: dos\nstart={FIRST_MIB}MiB, size={BOOT_MIB}MiB, type=c\nstart={root_at}MiB, size={size_mib - root_at}MiB, type=83\n"
    _run("sfdisk", "-q", "--no-reread", path, stdin=table)
    fat, file_in = path.with_suffix(".fat"), path.with_suffix(".conf")
    _run("mkfs.fat", "-C", "-F", "32", fat, str(BOOT_MIB * 1024))
    file_in.write_text(settings)
    _run("mcopy", "-i", fat, file_in, f"::/{SETTINGS}")
    blob = path.with_suffix(".blob")
    blob.write_bytes(os.urandom(60 * MIB))
    _run("mcopy", "-i", fat, blob, "::/kernel.img")
    _run("dd", f"if={fat}", f"of={path}", "bs=1M", f"seek={FIRST_MIB}", "conv=notrunc", "status=none")
    line = b"drwxr-xr-x 2 root root 4096 usr/lib/module-%07d.so.1 needed by program %05d\n"
    with path.open("r+b") as file:
        for at in range(root_at, size_mib - 4, 4):
            file.seek(at * MIB)
            file.write(os.urandom(MIB))
            file.write(b"".join(line % (at * 7919 + n, n * n % 99991) for n in range(14000))[:MIB])
    for rest in (fat, file_in, blob):
        rest.unlink()
    return path


def pack(image: Path, packing: str) -> Path:
    """Pack `image` as publishers do, keeping it; return the packed file."""
    tools = {
        "xz": ["xz", "-T0", "-2", "-k", "-f"],
        "xz -6": ["xz", "-T0", "-6", "-k", "-f"],
        "gz": ["gzip", "-6", "-k", "-f"],
        "zst": ["zstd", "-q", "-9", "-T0", "-k", "-f"],
    }
    _run(*tools[packing], image)
    return image.with_name(f"{image.name}.{packing.split()[0]}")
