"""What a volume does not use: counted as fsck.fat and dumpe2fs count it."""

from __future__ import annotations

import random
from collections.abc import Mapping
from pathlib import Path

import pytest

from mintseed.core.card.unused import ext_unused, fat_unused
from mintseed.core.source import BytesSource
from tests.builders.disks import MIB, run

STALE = random.Random(9).randbytes(4 * MIB)


@pytest.mark.parametrize("width", ["12", "16", "32"])
def test_free_clusters_are_those_the_checker_counts(tmp_path: Path, width: str) -> None:
    """fsck.fat -nv says how many clusters there are and are used."""
    volume = tmp_path / "fat"
    size_mib = {"12": 4, "16": 20, "32": 40}[width]
    run("mkfs.fat", "-C", "-F", width, *(["-s", "1"] if width == "32" else ["-s", "4"]), volume, str(size_mib * 1024))
    (tmp_path / "a.bin").write_bytes(STALE[:1_234_567])
    run("mcopy", "-i", volume, tmp_path / "a.bin", "::/a.bin")
    said = run("fsck.fat", "-nv", volume).decode()
    used, clusters = (int(n) for n in said.rsplit(" files, ", 1)[1].split(" ")[0].split("/"))
    per_cluster = int(said.split(" bytes per cluster")[0].rsplit(maxsplit=1)[-1])
    free = fat_unused(BytesSource(volume.read_bytes()), 0, size_mib * MIB)
    assert sum(length for _, length in free) == (clusters - used) * per_cluster
    data = volume.read_bytes()
    assert all(offset + length <= len(data) for offset, length in free)


def test_free_blocks_are_those_the_file_system_counts(tmp_path: Path) -> None:
    volume = tmp_path / "ext"
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.bin").write_bytes(STALE)
    run("mke2fs", "-q", "-t", "ext4", "-b", "1024", "-d", tmp_path / "in", volume, "64M")
    said = run("dumpe2fs", volume).decode()
    counted: Mapping[str, int] = {
        name: int(said.split(f"{name}:")[1].split()[0]) for name in ("Free blocks", "Block size")
    }
    assert sum(length for _, length in ext_unused(said)) == counted["Free blocks"] * counted["Block size"]
    assert ext_unused(said.replace("clean", "not clean", 1)) == ()
    assert ext_unused("nonsense") == ext_unused("") == ()


@pytest.mark.parametrize(("width", "size_mib"), [("12", 4), ("16", 20), ("32", 40)])
def test_of_a_volume_that_was_in_use_or_is_cut_off_nothing_is_unused(tmp_path: Path, width: str, size_mib: int) -> None:
    volume = tmp_path / "fat"
    run("mkfs.fat", "-C", "-F", width, "-s", "1" if width == "32" else "4", volume, str(size_mib * 1024))
    data = bytearray(volume.read_bytes())
    whole = fat_unused(BytesSource(bytes(data)), 0, len(data))
    assert whole
    assert fat_unused(BytesSource(bytes(MIB) + bytes(data)), MIB, len(data)) == whole
    assert fat_unused(BytesSource(bytes(data)), 0, len(data) - MIB) == (), "it is larger than its place"
    assert fat_unused(BytesSource(bytes(data[:1024])), 0, len(data)) == (), "its table is cut off"
    table = int.from_bytes(data[14:16], "little") * 512
    # FAT specification §4.1: the second entry's upper bits say that it was put away cleanly, and without an error.
    at, bits = {"12": (table, ()), "16": (table + 3, (0x80, 0x40)), "32": (table + 7, (0x08, 0x04))}[width]
    for bit in bits:
        left = bytearray(data)
        left[at] &= ~bit & 0xFF
        assert fat_unused(BytesSource(bytes(left)), 0, len(data)) == ()
    if width == "32":  # the upper four bits of an entry are none of its number
        left = bytearray(data)
        left[table + 4 * 9 + 3] |= 0xF0
        assert fat_unused(BytesSource(bytes(left)), 0, len(data)) == whole


@pytest.mark.parametrize("feature", ["needs_recovery", "bigalloc"])
def test_where_a_journal_waits_or_blocks_are_counted_otherwise_nothing_is_unused(feature: str) -> None:
    said = "Filesystem features:      has_journal extent\nFilesystem state:         clean\nBlock size:               1024\n  Free blocks: 3, 5-8\n  Free blocks: 9-10\n"
    assert ext_unused(said) == ((3 * 1024, 1024), (5 * 1024, 6 * 1024))
    assert ext_unused(said.replace("extent", f"extent {feature}")) == ()
