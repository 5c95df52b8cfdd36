"""A disk that is full or fills up: a sentence, nothing half-made left, and room kept for others."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed.adapters import filled_folder, library_folder
from mintseed.adapters.filled_folder import FilledFolder
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.errors import OutsideError
from mintseed.core.image.report import XRay
from mintseed.services import save_filled
from tests.services.conftest import TOOLS, Shelf, filled_for

MIB = 1024 * 1024


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A disk of 24 MiB, by tmpfs(5)."""
    folder = tmp_path / "small"
    folder.mkdir()
    if (
        os.geteuid() != 0
        or subprocess.run(["mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", str(folder)], check=False).returncode
    ):
        pytest.skip("no small disk can be mounted here")
    yield folder
    subprocess.run(["umount", str(folder)], check=True)


def free_bytes(folder: Path) -> int:
    disk = os.statvfs(folder)
    return disk.f_bavail * disk.f_frsize


@pytest.mark.parametrize("kept_bytes", [0, 4 * MIB])
def test_unpacking_onto_a_full_disk_ends_in_a_sentence(
    library: Path, small_disk: Path, kept_bytes: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(library_folder, "KEEP_FREE_BYTES", kept_bytes)
    monkeypatch.setattr(library_folder, "CHECK_ROOM_BYTES", MIB)
    (small_disk / "others").write_bytes(os.urandom(16 * MIB))
    before = free_bytes(small_disk)
    with pytest.raises(OutsideError, match="Make room"):
        Shelf(LibraryFolder(library, small_disk)).xray("platen-3.2-64.img.xz")
    assert free_bytes(small_disk) == before
    assert [f.name for f in small_disk.iterdir()] == ["others"]


def test_what_others_need_stays_free(small_disk: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(library_folder, "KEEP_FREE_BYTES", 8 * MIB)
    monkeypatch.setattr(library_folder, "CHECK_ROOM_BYTES", MIB)
    with LibraryFolder(small_disk, small_disk / "scratch").scratch() as disk:
        with pytest.raises(OutsideError, match="are free"):
            disk.append(b"\xff" * 100 * MIB)  # packs to nearly nothing, and is no hole
        assert free_bytes(small_disk) >= 6 * MIB


def test_a_copy_that_finds_no_room_is_not_there(shelf: Shelf, platen: XRay, small_disk: Path) -> None:
    copies = FilledFolder(small_disk / "filled")
    with pytest.raises(OutsideError, match="Make room"):
        save_filled.execute(platen, filled_for(platen), "1.img", library=shelf.library, tools=TOOLS, copies=copies)
    assert copies.names() == frozenset()


def test_what_does_not_say_its_length_leaves_the_disk_its_room_too(
    small_disk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(library_folder, "KEEP_FREE_BYTES", 8 * MIB)
    monkeypatch.setattr(filled_folder, "CHECK_ROOM_BYTES", MIB)
    copies = FilledFolder(small_disk / "filled")
    written = 0

    def write_much() -> None:
        nonlocal written
        with copies.new("a.img.zst", 0) as file:
            for _ in range(40):
                written += file.write(os.urandom(MIB // 2))

    with pytest.raises(OutsideError, match="are free on this disk"):
        write_much()
    assert 10 * MIB < written < 19 * MIB, "of 24, with 8 to be left, looked at about every other"
    assert copies.names() == frozenset()
    assert free_bytes(small_disk) > 20 * MIB, "nothing half-made is left"
