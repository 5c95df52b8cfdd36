"""File systems inside images, against mtools, debugfs and the makers' own words."""

from __future__ import annotations

from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.run_tool import run_tool
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import InputError, MissingError, ToolError
from mintseed.ports.volume import Volume
from tests.builders.disks import MIB, cut, fat_file, image, run

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
    library.keep_list("a.img.xz.sha256", "pasted\n")
    assert library.lists() == (("a.img.xz.sha256", "pasted\n"), ("a.sha256", "sum"))
    assert [f.name for f in library.files()] == ["a.img.xz"], "a list is no image, and nothing half-made is left"
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


def test_links_are_followed_inside_the_volume_and_no_further(tmp_path: Path) -> None:
    """A Debian web server's site is a link to sites-available; readlink -f(1) of the same tree is the judge."""
    work = tmp_path / "tree"
    for name, data in {
        "etc/nginx/sites-available/default": b"listen 8765;\n",
        "usr/lib/os-release": b"NAME=x\n",
        "var/deep/x": b"deep",
    }.items():
        (work / name).parent.mkdir(parents=True, exist_ok=True)
        (work / name).write_bytes(data)
    long = "../" + "very-long-name-of-a-folder/" * 4
    links = {
        "etc/nginx/sites-enabled/default": "../sites-available/default", "etc/os-release": "/usr/lib/os-release",
        "etc/outside": "../../../../usr/lib/os-release", "etc/host": "/etc/passwd", "etc/one": "two", "etc/two": "one",
        "etc/long": long + "x", "lib": "usr/lib", "etc/nowhere": "none/at/all",
    }  # fmt: skip
    (work / long.removeprefix("../")).mkdir(parents=True)
    (work / long.removeprefix("../") / "x").write_bytes(b"far")
    for name, target in links.items():
        (work / name).parent.mkdir(parents=True, exist_ok=True)
        (work / name).symlink_to(target)
    ext = tmp_path / "ext"
    run("mke2fs", "-q", "-t", "ext4", "-d", work, ext, "16M")
    root = volume(ext, 0)
    assert root.read("etc/nginx/sites-enabled/default", 100) == b"listen 8765;\n"
    assert root.read("etc/os-release", 100) == root.read("etc/outside", 100) == b"NAME=x\n"
    assert root.read("lib/os-release", 100) == b"NAME=x\n"
    assert root.read("etc/long", 100) == b"far"
    assert root.folder("lib") == ("os-release",)
    for name in ("etc/host", "etc/one", "etc/nowhere", "etc/none"):
        assert root.read(name, 100) is None, name


def test_an_empty_folder_is_there_already(tmp_path: Path) -> None:
    """Judged by mdir and mcopy: what an image brings empty is filled, in whatever letters, and several new files go into one new folder."""
    image = tmp_path / "fat.img"
    image.write_bytes(bytes(4 * MIB))
    run("mkfs.vfat", image)
    run("mmd", "-i", image, "::SETTINGS", "::SETTINGS/WIFI")
    made = {"settings/wifi/home": b"a", "settings/new/one": b"b", "settings/new/two": b"c", "settings/New/three": b"d"}
    volume(image, 0).write(made)
    for path, data in (
        ("SETTINGS/WIFI/home", b"a"),
        ("SETTINGS/new/one", b"b"),
        ("SETTINGS/new/two", b"c"),
        ("SETTINGS/new/three", b"d"),
    ):
        assert run("mcopy", "-i", image, f"::{path}", "-") == data
    assert run("mdir", "-b", "-i", image, "::").split() == [b"::/SETTINGS/"]
    run("fsck.fat", "-n", image)


@pytest.mark.parametrize("path", ["network/wifi.nmconnection", "Deep/Er/Remote-Login", "enable", "SETTINGS/made.conf"])
def test_a_file_that_is_made_has_its_folders_and_its_exact_letters(disk: Path, tmp_path: Path, path: str) -> None:
    """fsck.fat(8) finds nothing to say of what was made; mdir(1) shows the name in the letters it was given."""
    made = tmp_path / "made.img"
    made.write_bytes(disk.read_bytes())
    before = volume(made, MIB)
    before.write({path: b"[wifi]\n" if "." in path else b""})
    after = volume(made, MIB)
    wanted = path.replace("SETTINGS", "settings")  # the folder that is there already
    assert wanted in after.files()
    assert after.read(path, 100) == (b"[wifi]\n" if "." in path else b"")
    fat = cut(made, MIB, 40 * MIB, tmp_path / "fat")
    checked = run("fsck.fat", "-n", fat)
    assert b"Dirty" not in checked
    again = tmp_path / "again.img"
    again.write_bytes(disk.read_bytes())
    volume(again, MIB).write({path: b"[wifi]\n" if "." in path else b""})
    assert again.read_bytes() == made.read_bytes(), "the same settings give the same bytes"


def test_fat_names_are_one_in_whatever_letters(disk: Path) -> None:
    boot = volume(disk, MIB)
    assert boot.read("SETTINGS/WIFI.NMCONNECTION", 100) == BOOT["settings/wifi.nmconnection"]


def test_an_odd_link_spoils_itself_alone(tmp_path: Path) -> None:
    work = tmp_path / "tree"
    (work / "etc").mkdir(parents=True)
    (work / "etc" / "hostname").write_bytes(b"kiosk\n")
    for name, target in {"quoted": 'a"b', "starred": "*", "broken": "new\nline", "long": "x/" * 400}.items():
        (work / "etc" / name).symlink_to(target)
    ext = tmp_path / "ext"
    run("mke2fs", "-q", "-t", "ext4", "-d", work, ext, "16M")
    root = volume(ext, 0)
    for name in ("quoted", "starred", "broken", "long"):
        assert root.read(f"etc/{name}", 100) is None, name
    assert root.read("etc/hostname", 100) == b"kiosk\n"
