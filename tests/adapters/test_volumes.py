"""File systems inside images, against mtools, debugfs and the makers' own words."""

from __future__ import annotations

from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.run_tool import run_tool
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import InputError, MissingError, ToolError
from mintseed.ports.volume import Volume
from tests.builders.disks import MIB, fat_file, image

BOOT = {"device.conf": b"A=1\n", "settings/wifi.nmconnection": b"[wifi]\n", "With Capitals.txt": b"x" * 5000}
ROOT = {"etc/hostname": b"platen\n", "etc/avahi/services/p.service": b"<x/>", "big": b"y" * 100_000}


@pytest.fixture(scope="module")
def disk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return image(tmp_path_factory.mktemp("disk") / "disk.img", BOOT, ROOT)


def volume(disk: Path, offset_bytes: int) -> Volume:
    tools = OffsetVolumeTools()
    opened = tools.open(disk, offset_bytes, tools.identify(disk, offset_bytes))
    assert opened is not None
    return opened


def test_boot_volume_is_listed_and_read(disk: Path) -> None:
    boot = volume(disk, MIB)
    assert set(boot.files()) == set(BOOT)
    assert {name: boot.read(name, 10_000) for name in BOOT} == BOOT
    assert boot.folder("settings") == ("wifi.nmconnection",)
    assert boot.read("With Capitals.txt", 10) == b"x" * 10
    assert boot.read("nothing.conf", 10) is None
    used = boot.used_bytes()
    assert used is not None
    assert 5000 < used < 8 * MIB


def test_root_volume_is_read(disk: Path) -> None:
    root = volume(disk, 41 * MIB)
    assert root.read("etc/hostname", 100) == b"platen\n"
    assert root.read("etc/none", 100) is None
    assert root.folder("etc/avahi/services") == ("p.service",)
    assert root.folder("etc/none") == ()
    used = root.used_bytes()
    assert used is not None
    assert 100_000 < used < 16 * MIB
    with pytest.raises(ToolError, match="not written"):
        root.write({"etc/hostname": b"x"})


def test_writing_replaces_a_file_and_mtools_reads_it(tmp_path: Path) -> None:
    disk = image(tmp_path / "disk.img", BOOT, ROOT)
    volume(disk, MIB).write({"device.conf": b"B=2\n" * 1000, "settings/wifi.nmconnection": b"[x]\n"})
    assert fat_file(disk, MIB, "device.conf") == b"B=2\n" * 1000
    assert fat_file(disk, MIB, "settings/wifi.nmconnection") == b"[x]\n"
    assert fat_file(disk, MIB, "With Capitals.txt") == BOOT["With Capitals.txt"]


@pytest.mark.parametrize("path", ["../x", "a/../../x", 'x" quit', "a\nb", "a*", "[ab]"])
def test_names_that_could_trick_a_tool_are_refused(disk: Path, path: str) -> None:
    with pytest.raises(ToolError, match="cannot be handed"):
        volume(disk, MIB).read(path, 10)
    with pytest.raises(ToolError, match="cannot be handed"):
        volume(disk, 41 * MIB).read(path, 10)


def test_an_unknown_file_system_is_no_volume(tmp_path: Path) -> None:
    path = tmp_path / "blank"
    path.write_bytes(b"\0" * 4 * MIB)
    tools = OffsetVolumeTools()
    kind = tools.identify(path, MIB)
    assert kind.file_system == ""
    assert tools.open(path, MIB, kind) is None


def test_a_tool_that_is_missing_or_fails_is_our_error() -> None:
    with pytest.raises(ToolError, match=r"not installed.*package nothing"):
        run_tool(["there-is-no-such-tool"], package="nothing")
    with pytest.raises(ToolError, match="failed"):
        run_tool(["false"], package="coreutils")


def test_the_library_lists_images_and_stays_in_its_folder(tmp_path: Path) -> None:
    (tmp_path / "a.img.xz").write_bytes(b"x")
    (tmp_path / "notes.md").write_bytes(b"x")
    (tmp_path / "a.sha256").write_text("sum")
    library = LibraryFolder(tmp_path, tmp_path / "scratch")
    assert [f.name for f in library.files()] == ["a.img.xz"]
    assert library.published_list("a.sha256") == "sum"
    assert library.published_list("none") is None
    for name in ("../a.img.xz", "/etc/passwd", "none.img"):
        with pytest.raises(MissingError), library.open(name):
            pass


def test_scratch_disks_are_sparse_bounded_and_gone_afterwards(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    library = LibraryFolder(tmp_path, tmp_path / "scratch")
    with library.scratch() as disk:
        disk.append(b"\0" * 20 * MIB)
        disk.append(b"end")
        assert disk.size_bytes == 20 * MIB + 3
        assert disk.read_at(20 * MIB - 1, 10) == b"\0end"
        assert disk.read_at(disk.size_bytes, 1) == b""
        assert disk.path.stat().st_blocks * 512 < MIB
        monkeypatch.setattr("mintseed.adapters.library_folder.MAX_IMAGE_BYTES", 21 * MIB)
        with pytest.raises(InputError, match="unpacks to more"):
            disk.append(b"x" * 2 * MIB)
    assert list((tmp_path / "scratch").iterdir()) == []
