"""Each file system a volume may have, made by its own maker: in a partition of either kind of table, and alone on the whole disk."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.image.report import XRay
from mintseed.services import inspect_image
from tests.builders.disks import MIB, partitioned, run
from tests.services.conftest import TOOLS

MADE = {
    "vfat": (16, ["mkfs.fat", "-n", "BOOT"], "BOOT"),
    "exfat": (16, ["mkfs.exfat", "-L", "MEDIA"], "MEDIA"),
    "ext2": (16, ["mke2fs", "-q", "-F", "-t", "ext2", "-L", "TWO"], "TWO"),
    "ext3": (16, ["mke2fs", "-q", "-F", "-t", "ext3", "-L", "THREE"], "THREE"),
    "ext4": (16, ["mke2fs", "-q", "-F", "-t", "ext4", "-L", "FOUR"], "FOUR"),
    "squashfs": (4, ["mksquashfs", "SOURCE"], ""),
    "btrfs": (128, ["mkfs.btrfs", "-q", "-L", "ROOT"], "ROOT"),
    "f2fs": (64, ["mkfs.f2fs", "-l", "FLASH"], "FLASH"),
    "swap": (4, ["mkswap", "-L", "SWAPPED"], "SWAPPED"),
    "iso9660": (4, ["genisoimage", "-quiet", "-V", "DISC", "-o"], "DISC"),
}
"""type as blkid(8) calls it: MiB, the command that makes one in a file, its label"""


def made(folder: Path, kind: str) -> Path:
    """Make a file system of `kind` in a file of its size."""
    size_mib, command, _ = MADE[kind]
    source, volume = folder / "source", folder / kind
    source.mkdir(exist_ok=True)
    (source / "readme.txt").write_text("seed\n")
    words = [str(source) if word == "SOURCE" else word for word in command]
    if kind == "squashfs":
        run(*words, volume, "-quiet")
    elif kind == "iso9660":
        run(*words, volume, source)
    else:
        volume.touch()
        os.truncate(volume, size_mib * MIB)
        run(*words, volume)
    os.truncate(volume, size_mib * MIB)
    return volume


def xray(folder: Path, disk: Path) -> XRay:
    library = folder / "library"
    library.mkdir()
    disk.rename(library / "zoo.img")
    return inspect_image.execute("zoo.img", library=LibraryFolder(library, folder / "scratch"), tools=TOOLS, recipes=())


@pytest.mark.parametrize(("label", "kinds"), [("gpt", tuple(MADE)), ("dos", ("vfat", "squashfs", "f2fs", "ext4"))])
def test_every_file_system_in_a_partition_is_named(tmp_path: Path, label: str, kinds: tuple[str, ...]) -> None:
    lines, at_mib = [f"label: {label}"], 1
    for kind in kinds:
        lines.append(f"start={at_mib * 2048},size={MADE[kind][0] * 2048}")
        at_mib += MADE[kind][0]
    disk = partitioned(tmp_path / "disk", "\n".join(lines) + "\n", at_mib + 1)
    at_mib = 1
    with disk.open("r+b") as file:
        for kind in kinds:
            file.seek(at_mib * MIB)
            file.write(made(tmp_path, kind).read_bytes())
            at_mib += MADE[kind][0]
    told = [(v.file_system, v.label, v.size_bytes) for v in xray(tmp_path, disk).volumes]
    assert told == [(kind, MADE[kind][2], MADE[kind][0] * MIB) for kind in kinds]


@pytest.mark.parametrize("kind", MADE)
def test_one_alone_on_the_whole_disk_is_named(tmp_path: Path, kind: str) -> None:
    read = xray(tmp_path, made(tmp_path, kind))
    assert [(v.file_system, v.label, v.offset_bytes) for v in read.volumes] == [(kind, MADE[kind][2], 0)]
    assert "image.no-table" in {f.code for f in read.findings}
