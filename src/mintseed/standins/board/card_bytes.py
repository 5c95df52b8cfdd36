"""The board's own reading of a card: partition table, FAT boot volume, files of the root volume.

Deliberately apart from the product's readers. Layouts: UEFI 2.10 §5, "FAT: General Overview of On-Disk Format".
"""

from __future__ import annotations

import struct
import subprocess
from dataclasses import dataclass
from pathlib import Path

_SECTOR = 512


class UnreadableError(Exception):
    """The board cannot make sense of these bytes."""


def volume_offsets(card: Path) -> list[int]:
    """Return the byte offsets of the card's partitions in the order of their table."""
    with card.open("rb") as file:
        head = file.read(34 * _SECTOR)
    if head[510:512] != b"\x55\xaa":
        raise UnreadableError("no partition table")
    entries = [head[446 + 16 * i : 462 + 16 * i] for i in range(4)]
    if any(e[4] == 0xEE for e in entries):
        if head[512:520] != b"EFI PART":
            raise UnreadableError("no GPT where one is announced")
        raws = [head[1024 + 128 * i : 1152 + 128 * i] for i in range(128)]
        return [struct.unpack_from("<Q", raw, 32)[0] * _SECTOR for raw in raws if any(raw[:16])]
    return [struct.unpack_from("<I", e, 8)[0] * _SECTOR for e in entries if e[4]]


@dataclass(frozen=True)
class _Entry:
    name: str
    is_folder: bool
    cluster: int
    size: int


class FatReader:
    """Reads files of a FAT16 or FAT32 volume by name, without regard to case."""

    def __init__(self, card: Path, offset: int) -> None:
        self._file, self._start = card.open("rb"), offset
        try:
            self._read_layout(self._at(0, _SECTOR))
        except UnreadableError:
            self.close()
            raise

    def _read_layout(self, boot: bytes) -> None:
        if boot[510:512] != b"\x55\xaa":
            raise UnreadableError("no FAT boot sector")
        sector, self._per_cluster, reserved, fats, root_entries, small = struct.unpack_from("<HBHBHH", boot, 11)
        fat16, large, fat32 = struct.unpack_from("<H", boot, 22)[0], *struct.unpack_from("<II", boot, 32)
        if sector != _SECTOR or not self._per_cluster or not fats:
            raise UnreadableError("not a FAT volume")
        fat_sectors = fat16 or fat32
        self._fat_at = reserved * sector
        root_at = self._fat_at + fats * fat_sectors * sector
        self._data_at = root_at + -(-root_entries * 32 // sector) * sector
        clusters = ((small or large) * sector - self._data_at) // (self._per_cluster * sector)
        self._wide = clusters >= 65525
        self._root = struct.unpack_from("<I", boot, 44)[0] if self._wide else 0
        self._fixed_root = None if self._wide else self._at(root_at, root_entries * 32)

    def close(self) -> None:
        self._file.close()

    def _at(self, offset: int, length: int) -> bytes:
        self._file.seek(self._start + offset)
        return self._file.read(length)

    def _chain(self, cluster: int) -> bytes:
        seen: set[int] = set()
        size = self._per_cluster * _SECTOR
        content = bytearray()
        end = 0x0FFFFFF8 if self._wide else 0xFFF8
        while 2 <= cluster < end and cluster not in seen and len(content) < 64 * 1024 * 1024:
            seen.add(cluster)
            content += self._at(self._data_at + (cluster - 2) * size, size)
            if self._wide:
                cluster = struct.unpack("<I", self._at(self._fat_at + cluster * 4, 4))[0] & 0x0FFFFFFF
            else:
                cluster = struct.unpack("<H", self._at(self._fat_at + cluster * 2, 2))[0]
        return bytes(content)

    def _folder(self, cluster: int) -> list[_Entry]:
        raw = self._fixed_root if cluster == 0 and self._fixed_root is not None else self._chain(cluster or self._root)
        entries, long_name = [], ""
        for at in range(0, len(raw), 32):
            one = raw[at : at + 32]
            if not one[0]:
                break
            if one[0] == 0xE5:
                long_name = ""
            elif one[11] == 0x0F:
                part = (one[1:11] + one[14:26] + one[28:32]).decode("utf-16-le", "replace")
                long_name = part.split("\0")[0].rstrip("\uffff") + long_name
            elif not one[11] & 0x08:
                short = one[:8].decode("latin-1").rstrip() + ("." + one[8:11].decode("latin-1").rstrip()).rstrip(".")
                high, low, size = struct.unpack_from("<H", one, 20)[0], *struct.unpack_from("<HI", one, 26)
                entries.append(_Entry(long_name or short, bool(one[11] & 0x10), high << 16 | low, size))
                long_name = ""
            else:
                long_name = ""
        return entries

    def names(self, *, deep: bool = False) -> list[str]:
        """Return the names of the files in the root folder; `deep`: of those in its folders too."""
        top = self._folder(0)
        inside = [
            f"{e.name}/{f.name}"
            for e in top
            if deep and e.is_folder and e.cluster
            for f in self._folder(e.cluster)
            if not f.is_folder
        ]
        return [*(e.name for e in top if not e.is_folder), *inside]

    def read(self, path: str) -> bytes | None:
        """Return a file's content, or None when there is no such file."""
        cluster, *parts = 0, *path.lower().split("/")
        for part in parts[:-1]:
            step = next((e for e in self._folder(cluster) if e.is_folder and e.name.lower() == part), None)
            if step is None:
                return None
            cluster = step.cluster
        found = next((e for e in self._folder(cluster) if not e.is_folder and e.name.lower() == parts[-1]), None)
        return None if found is None else self._chain(found.cluster)[: found.size]


def root_file(card: Path, offset: int, path: str) -> bytes:
    """Return a file of the ext root volume at `offset` (by debugfs); empty when it is not there."""
    done = subprocess.run(
        ["debugfs", "-R", f"cat /{path}", f"{card}?offset={offset}"],
        capture_output=True, check=False, timeout=30, env={"PATH": "/usr/sbin:/sbin:/usr/bin:/bin"},
    )  # fmt: skip
    return done.stdout


def device_tree_names(tree: bytes) -> list[str]:
    """Return the `compatible` names of a flattened device tree's root node (Devicetree Specification v0.4 §5)."""
    if tree[:4] != b"\xd0\x0d\xfe\xed":
        return []
    structure, strings = struct.unpack_from(">II", tree, 8)
    at, depth = structure, 0
    while at + 4 <= len(tree):
        (token,) = struct.unpack_from(">I", tree, at)
        at += 4
        if token == 1:
            depth += 1
            at = (tree.index(b"\0", at) + 4) & ~3
        elif token == 2:
            depth -= 1
        elif token == 3:
            length, name = struct.unpack_from(">II", tree, at)
            at += 8
            label = tree[strings + name : tree.index(b"\0", strings + name)]
            if depth == 1 and label == b"compatible":
                return [n.decode() for n in tree[at : at + length].split(b"\0") if n]
            at = (at + length + 3) & ~3
        elif token == 9:
            break
    return []
