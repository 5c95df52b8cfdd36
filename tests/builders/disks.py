"""Disks made with outside tools and plain bytes. Nothing of mintseed.core is imported here."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Mapping
from pathlib import Path
from typing import Any

MIB = 1024 * 1024


def run(*arguments: str | Path, stdin: str | bytes | None = None) -> bytes:
    """Run a reference tool and return what it printed; fail loudly."""
    data = stdin.encode() if isinstance(stdin, str) else stdin
    done = subprocess.run([str(a) for a in arguments], input=data, capture_output=True, check=False)
    assert done.returncode == 0, f"{arguments[0]}: {done.stderr.decode()} {done.stdout.decode()}"
    return done.stdout


def partitioned(path: Path, table: str, size_mib: int = 64) -> Path:
    """Make an empty disk with a partition table by sfdisk(8)."""
    with path.open("wb") as file:
        file.truncate(size_mib * MIB)
    run("sfdisk", "-q", "--no-reread", path, stdin=table)
    return path


def sfdisk_json(path: Path) -> dict[str, Any]:
    """Return how sfdisk(8) reads the table of `path`."""
    table: dict[str, Any] = json.loads(run("sfdisk", "--json", path))["partitiontable"]
    return table


def fat_file(disk: Path, offset_bytes: int, name: str) -> bytes:
    """Return a file of a FAT volume as mtype(1) reads it."""
    return run("mtype", "-i", f"{disk}@@{offset_bytes}", f"::/{name}")


def cut(disk: Path, offset_bytes: int, size_bytes: int, target: Path) -> Path:
    """Copy a volume out of a disk with dd(1), for checkers that know no offset."""
    run(
        "dd",
        f"if={disk}",
        f"of={target}",
        "bs=1M",
        f"skip={offset_bytes // MIB}",
        f"count={size_bytes // MIB}",
        "status=none",
    )
    return target


def packed(data: bytes, packing: str) -> bytes:
    """Pack `data` with the reference tool of `packing`."""
    if packing == "raw":
        return data
    tools = {
        "xz": ["xz", "-0", "-c"],
        "gzip": ["gzip", "-1", "-c"],
        "bzip2": ["bzip2", "-1", "-c"],
        "zstd": ["zstd", "-q", "-c"],
    }
    return run(*tools[packing], stdin=data)


def two_streams(data: bytes, packing: str) -> bytes:
    """Pack `data` as two streams one after the other, as some packers leave it."""
    half = len(data) // 2
    return packed(data[:half], packing) + packed(data[half:], packing)


def device_tree(names: list[str], model: str = "Made-up board") -> bytes:
    """Compile a device tree for a board with dtc(1)."""
    listed = ", ".join(f'"{n}"' for n in names)
    text = f'/dts-v1/; / {{ model = "{model}"; compatible = {listed}; cpus {{ }}; }};'
    return run("dtc", "-q", "-I", "dts", "-O", "dtb", stdin=text)


def image(
    path: Path,
    boot_files: Mapping[str, bytes],
    root_files: Mapping[str, bytes],
    *,
    scheme: str = "dos",
    boot_mib: int = 40,
    root_mib: int = 16,
) -> Path:
    """Make a whole two-volume image with sfdisk, mkfs.fat, mcopy and mke2fs."""
    work = path.with_suffix(".work")
    for part, files in (("boot", boot_files), ("root", root_files)):
        for name, data in files.items():
            target = work / part / name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        (work / part).mkdir(parents=True, exist_ok=True)
    types = ("c", "83") if scheme == "dos" else ("EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "linux")
    partitioned(
        path,
        f"label: {scheme}\nstart=1MiB, size={boot_mib}MiB, type={types[0]}\n"
        f"start={1 + boot_mib}MiB, size={root_mib}MiB, type={types[1]}\n",
        boot_mib + root_mib + 2,
    )
    fat, ext = work / "fat", work / "ext"
    run("mkfs.fat", "-C", "-F", "32", "-s", "1", fat, str(boot_mib * 1024))
    if boot_files:
        run("mcopy", "-s", "-i", fat, *sorted((work / "boot").iterdir()), "::/")
    run("mke2fs", "-q", "-t", "ext4", "-d", work / "root", ext, f"{root_mib}M")
    run("dd", f"if={fat}", f"of={path}", "bs=1M", "seek=1", "conv=notrunc,sparse", "status=none")
    run("dd", f"if={ext}", f"of={path}", "bs=1M", f"seek={1 + boot_mib}", "conv=notrunc,sparse", "status=none")
    return path


def looped_folder(disk: Path, name: str) -> None:
    """Make the folder `name` of a FAT volume with 512-byte clusters hold itself, over and over.

    A directory entry is 32 bytes: 11 of name, the attributes (0x10: folder) behind it (FAT specification §6).
    """
    data = bytearray(disk.read_bytes())
    at = next(i for i in range(0, len(data), 32) if data[i : i + 11] == name.ljust(11).encode() and data[i + 11] & 0x10)
    entry = bytes(data[at : at + 32])
    # Its own first entry is `.`, which names the same cluster.
    mine = next(
        i for i in range(0, len(data), 512)
        if data[i : i + 11] == b".          " and data[i + 20 : i + 22] + data[i + 26 : i + 28] == entry[20:22] + entry[26:28]
    )  # fmt: skip
    for slot in range(2, 16):
        data[mine + slot * 32 : mine + slot * 32 + 32] = f"D{slot:02d}        ".encode() + entry[11:]
    disk.write_bytes(data)
