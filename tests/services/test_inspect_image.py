"""The X-ray of whole images, demo and built for the purpose."""

from __future__ import annotations

import hashlib
import shutil
import subprocess
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.errors import ImageError, MintSeedError, PartitionTableError
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.facts import Fact
from mintseed.core.image.report import XRay
from mintseed.core.plan.starts import board_fit
from mintseed.core.settings.guess import guess
from mintseed.services import inspect_image
from mintseed.standins.forge.build import kernel
from tests.builders.disks import MIB, device_tree, image, packed, partitioned, run, sfdisk_json
from tests.services.conftest import TOOLS, Shelf

ROOT = {"etc/hostname": b"kiosk\n", "etc/webpage/site.conf": b"listen 8123;\n"}


def test_the_demo_image_is_read_to_the_last_detail(shelf: Shelf, library: Path, platen: XRay) -> None:
    packed_file = library / "platen-3.2-64.img.xz"
    assert platen.sha256 == hashlib.sha256(packed_file.read_bytes()).hexdigest()
    assert (platen.packing, platen.scheme, platen.bits) == ("xz", "mbr", 64)
    assert (platen.recipe_id, platen.release, platen.build) == ("platen", "3.2", "64-bit")
    assert platen.compatible == ("fernworks,larkspur-c", "fernworks,larkspur-r", "fernworks,tansy")
    assert {f.path for f in platen.files if f.known} == {"platen-network.conf", "device.conf"}
    assert platen.page.url() == "http://platen.local:5310/"
    assert [f.code for f in platen.findings] == ["image.sha256-matches"]


def test_every_demo_image_is_sound_and_its_table_agrees_with_sfdisk(
    shelf: Shelf, library: Path, tmp_path: Path
) -> None:
    for file in shelf.library.files():
        xray = shelf.xray(file.name)
        assert verdict(xray.findings) is Severity.OK, file.name
        disk = tmp_path / "disk"
        with disk.open("wb") as out, shelf.library.open(file.name) as stream:
            for piece in inspect_image.packing.unpack(stream, inspect_image.packing.Packing(xray.packing)):
                out.write(piece)
        theirs = sfdisk_json(disk)["partitions"]
        assert [(v.offset_bytes // 512, v.size_bytes // 512) for v in xray.volumes] == [
            (p["start"], p["size"]) for p in theirs
        ]
        assert disk.stat().st_size == xray.unpacked_bytes


def test_lintel_is_gpt_with_its_files_in_a_folder(shelf: Shelf) -> None:
    lintel = shelf.xray("lintel-11.4-64.img.xz")
    assert lintel.scheme == "gpt"
    assert {f.path for f in lintel.files if f.known} == {"settings/wifi.nmconnection", "settings/device.conf"}
    assert lintel.page.port == 8420


def test_boot_depth_reads_no_further_than_the_boot_volume(library: Path, tmp_path: Path) -> None:
    whole = (library / "platen-3.2-64.img.xz").read_bytes()
    # Only the blocks of the boot volume are kept: whoever reads on runs into the end.
    folder = tmp_path / "library"
    folder.mkdir()
    (folder / "platen-3.2-64.img.xz").write_bytes(whole[: len(whole) * 45 // 100])
    library_folder = LibraryFolder(folder, tmp_path / "scratch")
    arguments = {"library": library_folder, "tools": TOOLS, "recipes": wiring.recipes().values()}
    xray = inspect_image.execute("platen-3.2-64.img.xz", depth="boot", **arguments)  # type: ignore[arg-type]
    assert xray.bits == 64
    assert len(xray.boards) == 3
    assert xray.sha256 == ""
    assert [v.role for v in xray.volumes] == ["boot", "root"]
    with pytest.raises(ImageError, match="before its end"):
        inspect_image.execute("platen-3.2-64.img.xz", depth="whole", **arguments)  # type: ignore[arg-type]


def read_built(tmp_path: Path, boot: dict[str, bytes], root: dict[str, bytes], packing: str = "raw") -> XRay:
    disk = image(tmp_path / "disk.img", boot, root)
    folder = tmp_path / "library"
    folder.mkdir()
    (folder / "built.img").write_bytes(packed(disk.read_bytes(), packing))
    return inspect_image.execute("built.img", library=LibraryFolder(folder, tmp_path / "s"), tools=TOOLS, recipes=())


def test_other_bytes_give_another_answer(tmp_path: Path) -> None:
    boot = {"a.dtb": device_tree(["maker,board-a"]), "kernel.img": kernel(32, "s"), "net.conf": b"x\n"}
    xray = read_built(tmp_path, boot, ROOT, "zstd")
    assert (xray.packing, xray.bits, xray.compatible) == ("zstd", 32, ("maker,board-a",))
    assert xray.page.url() == "http://kiosk.local:8123/"
    assert [f.code for f in xray.findings] == ["image.recipe-unknown"]
    assert [(f.path, f.known) for f in xray.files] == [("net.conf", False), ("/etc/hostname", False)]
    assert xray.root_unfillable == ""


def test_a_broken_tree_and_a_missing_kernel_are_findings(tmp_path: Path) -> None:
    boot = {"a.dtb": device_tree(["maker,board-a"])[:60], "b.dtb": device_tree(["maker,board-b"])}
    xray = read_built(tmp_path, boot, ROOT)
    assert {f.code for f in xray.findings} == {
        "image.device-tree-broken",
        "image.kernel-unknown",
        "image.recipe-unknown",
    }
    assert xray.compatible == ("maker,board-b",)


def test_no_boards_at_all_is_said(tmp_path: Path) -> None:
    assert "image.no-device-trees" in {f.code for f in read_built(tmp_path, {"x.txt": b"x"}, ROOT).findings}


def test_a_changed_download_is_a_stop(library: Path, tmp_path: Path) -> None:
    folder = tmp_path / "library"
    folder.mkdir()
    shutil.copy(library / "platen-3.0.sha256", folder)
    # The 32-bit build under the 64-bit one's name: whole, and not what was published.
    shutil.copy(library / "platen-3.0-32.img.gz", folder / "platen-3.0-64.img.gz")
    scratch = LibraryFolder(folder, tmp_path / "s")
    xray = inspect_image.execute(
        "platen-3.0-64.img.gz", library=scratch, tools=TOOLS, recipes=wiring.recipes().values()
    )
    assert [f.code for f in xray.findings if f.severity is Severity.STOP] == ["image.sha256-differs"]


@pytest.mark.parametrize(
    ("content", "kind"),
    [
        (b"<!doctype html>", ImageError),
        (b"\0" * 4096, PartitionTableError),
        (b"", ImageError),
        (b"\x1f\x8bjunk", ImageError),
    ],
)
def test_what_is_no_image_is_our_error(tmp_path: Path, content: bytes, kind: type[MintSeedError]) -> None:
    (tmp_path / "x.img").write_bytes(content)
    with pytest.raises(kind):
        inspect_image.execute("x.img", library=LibraryFolder(tmp_path, tmp_path / "s"), tools=TOOLS, recipes=())


def test_an_empty_table_is_our_error(tmp_path: Path) -> None:
    sector = bytearray(2 * 1024 * 1024)
    sector[510:512] = b"\x55\xaa"
    (tmp_path / "x.img").write_bytes(sector)
    with pytest.raises(ImageError, match="empty"):
        inspect_image.execute("x.img", library=LibraryFolder(tmp_path, tmp_path / "s"), tools=TOOLS, recipes=())


SERVED = {"etc/hostname": b"hub\n", "etc/os-release": b"NAME=Hub\n"}


def read(tmp_path: Path, disk: Path) -> XRay:
    (tmp_path / "library").mkdir(exist_ok=True)
    disk.rename(tmp_path / "library" / disk.name)
    return Shelf(LibraryFolder(tmp_path / "library", tmp_path / "scratch")).xray(disk.name)


def test_an_image_with_both_kernels_starts_on_both_kinds_of_board(tmp_path: Path) -> None:
    boot = {"kernel.img": kernel(32, "a"), "kernel8.img": kernel(64, "b"), "a.dtb": device_tree(["fernworks,sprig"]),
            "b.dtb": device_tree(["fernworks,tansy"])}  # fmt: skip
    xray = read(tmp_path, image(tmp_path / "both.img", boot, SERVED))
    assert (xray.kernels, xray.bits) == ((32, 64), None)
    for name in ("sprig", "tansy"):
        assert [f.code for f in board_fit(wiring.boards()[name], xray)] == ["plan.board-fits"]


def test_without_device_trees_it_cannot_be_told(tmp_path: Path) -> None:
    xray = read(tmp_path, image(tmp_path / "none.img", {"kernel8.img": kernel(64, "b")}, SERVED))
    found = list(board_fit(wiring.boards()["tansy"], xray))
    assert [(f.code, f.severity) for f in found] == [("plan.board-cannot-be-told", "note")]


def test_volumes_are_told_by_what_lies_on_them(tmp_path: Path) -> None:
    whole = image(
        tmp_path / "a.img", {"kernel8.img": kernel(64, "b"), "b.dtb": device_tree(["fernworks,tansy"])}, SERVED
    )
    # The same volumes behind an empty FAT one and an ext one without a system, in another order.
    disk = partitioned(
        tmp_path / "shuffled.img",
        "label: dos\nstart=1MiB, size=36MiB, type=c\nstart=37MiB, size=8MiB, type=83\n"
        "start=45MiB, size=16MiB, type=83\nstart=61MiB, size=40MiB, type=c\n", 110,
    )  # fmt: skip
    run("mkfs.fat", "-C", "-F", "32", "-s", "1", tmp_path / "empty.fat", str(36 * 1024))
    run("mke2fs", "-q", "-t", "ext4", tmp_path / "plain.ext", "8M")
    for source, skip, size, seek in (
        (tmp_path / "empty.fat", 0, 36, 1), (tmp_path / "plain.ext", 0, 8, 37), (whole, 41, 16, 45), (whole, 1, 40, 61),
    ):  # fmt: skip
        run(
            "dd",
            f"if={source}",
            f"of={disk}",
            "bs=1M",
            f"skip={skip}",
            f"count={size}",
            f"seek={seek}",
            "conv=notrunc",
            "status=none",
        )
    xray = read(tmp_path, disk)
    assert [(v.partition, v.role) for v in xray.volumes] == [(1, "data"), (2, "data"), (3, "root"), (4, "boot")]
    assert xray.page.host_name == "hub"
    assert xray.compatible == ("fernworks,tansy",)


def test_ordinary_names_on_the_boot_volume_do_no_harm(tmp_path: Path) -> None:
    boot = {"Read me (EN).txt": b"hello", "\u00dcbersicht.txt": b"hallo", "a&b.txt": b"x", "board#2.txt": b"y", "kernel8.img": kernel(64, "b"),
            "b.dtb": device_tree(["fernworks,tansy"])}  # fmt: skip
    xray = read(tmp_path, image(tmp_path / "named.img", boot, SERVED))
    assert {f.path for f in xray.files if not f.on_root} == {
        "Read me (EN).txt",
        "\u00dcbersicht.txt",
        "a&b.txt",
        "board#2.txt",
    }
    assert xray.file("\u00dcbersicht.txt").content == b"hallo"  # type: ignore[union-attr]


def test_a_skippable_frame_before_zstd_is_passed_over(tmp_path: Path) -> None:
    disk = image(tmp_path / "s.img", {"kernel8.img": kernel(64, "b")}, SERVED)
    # RFC 8878 \u00a73.1.2: magic 0x184D2A50, little-endian length, data of the user.
    frame = b"\x50\x2a\x4d\x18" + (5).to_bytes(4, "little") + b"hello"
    target = tmp_path / "s.img.zst"
    target.write_bytes(frame + packed(disk.read_bytes(), "zstd"))
    xray = read(tmp_path, target)
    assert (xray.packing, xray.unpacked_bytes) == ("zstd", disk.stat().st_size)


@pytest.mark.parametrize(
    ("make", "said"),
    [(["tar", "cf"], "there is no partition table"), (["zip", "-q"], "too many layers")],
)
def test_an_archive_inside_is_gone_into_or_said_to_be_one(tmp_path: Path, make: list[str], said: str) -> None:
    (tmp_path / "disk.img").write_bytes(b"\0" * MIB)
    archive = tmp_path / ("a.tar" if make[0] == "tar" else "a.zip")
    subprocess.run([*make, str(archive), "disk.img"], cwd=tmp_path, check=True)
    target = tmp_path / "a.img.xz"
    target.write_bytes(packed(archive.read_bytes(), "xz"))
    with pytest.raises(MintSeedError, match=said):
        read(tmp_path, target)


def test_settings_files_of_fat_are_found_in_whatever_letters_and_sites_behind_links(
    shelf: Shelf, tmp_path: Path
) -> None:
    """FAT knows no case (FAT specification §7, long names are compared without it); the site is a link, as Debian's web server has it."""
    folder = tmp_path / "library"
    folder.mkdir()
    image(
        folder / "platen-3.2-64.img.xz",  # how it is packed is told by its content
        {"PLATEN-NETWORK.CONF": b"country=GB\n", "Device.conf": b"HOST_NAME=platen\n"},
        {"etc/nginx/sites-available/default": b"server { listen 8765; }\nlisten 8765;\n", "etc/hostname": b"platen\n"},
    )
    disk = folder / "platen-3.2-64.img.xz"
    link = tmp_path / "commands"
    link.write_text(
        "mkdir /etc/nginx/sites-enabled\nsymlink /etc/nginx/sites-enabled/default ../sites-available/default\n"
    )
    subprocess.run(["debugfs", "-w", "-f", link, f"{disk}?offset={41 * MIB}"], check=True, capture_output=True)
    xray = Shelf(LibraryFolder(folder, tmp_path / "scratch")).xray(disk.name)
    assert [f.path for f in xray.files if f.known] == ["device.conf", "platen-network.conf"]
    assert xray.page.listen_port == 8765
    size = next(f for f in xray.findings if f.code == "image.size-otherwise")
    assert size.title == "It unpacks to 60.8 MB, its recipe says 139 MB"  # 58 MiB are 60.8 · 10⁶ bytes
    demo = {f.code for f in shelf.xray("platen-3.0-32.img.gz").findings}
    assert "image.size-otherwise" not in demo


@pytest.mark.parametrize(
    ("root", "announcer"),
    [
        ({"usr/sbin/avahi-daemon": b"x", "usr/bin/sh": b"x"}, True),
        ({"usr/bin/sh": b"x", "etc/systemd/resolved.conf": b"[Resolve]\nMulticastDNS=yes\n"}, True),
        ({"usr/bin/sh": b"x", "etc/systemd/resolved.conf": b"[Resolve]\n#MulticastDNS=yes\n"}, False),
        ({"usr/bin/sh": b"x", "usr/sbin/cron": b"x"}, False),
        ({}, None),
    ],
)
def test_whether_anything_on_it_answers_for_names(
    tmp_path: Path, root: dict[str, bytes], announcer: bool | None
) -> None:
    """resolved.conf(5): MulticastDNS=; avahi-daemon(8)."""
    boot = {"kernel8.img": kernel(64, "b")}
    assert read(tmp_path, image(tmp_path / "named.img", boot, {**ROOT, **root})).page.announcer is announcer


def test_what_the_system_is_is_read_from_its_own_files_and_small_files_by_what_stands_in_them(tmp_path: Path) -> None:
    """As Debian's packages lay them: network-manager's link, openssh-server's, passwd and shadow; nobody described this image."""
    wants = "etc/systemd/system/multi-user.target.wants"
    word = run("openssl", "passwd", "-6", "-salt", "saltstring", "keeper").decode().strip()
    root = {
        **ROOT, f"{wants}/NetworkManager.service": b"[Unit]\n", f"{wants}/ssh.service": b"[Unit]\n",
        "etc/passwd": b"root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000:,,,:/home/keeper:/bin/bash\n",
        "etc/shadow": f"root:*:1::::::\nkeeper:{word}:1::::::\n".encode(), "etc/timezone": b"Europe/Dublin\n",
    }  # fmt: skip
    boot = {
        "user-data": b"#cloud-config\n",
        "ssh": b"",
        "LICENCE": b"Read it.\nKeep it dry.\n",
        "station": b"ID=7\n",
        "logo": bytes(9),
    }
    xray = read(tmp_path, image(tmp_path / "own.img", boot, root))
    assert xray.system.networks == (Fact("the network manager", f"{wants}/NetworkManager.service"),)
    assert (xray.system.ssh, xray.system.time_zone) == (
        Fact("ssh", f"{wants}/ssh.service"),
        Fact("Europe/Dublin", "etc/timezone"),
    )
    assert [(a.name, a.login, a.scheme, a.own_name) for a in xray.system.accounts] == [
        ("root", "locked", "", False), ("keeper", "password", "SHA-512", True),
    ]  # fmt: skip
    assert [f.where.field for f in xray.findings if f.code == "image.login-known"] == ["keeper"]
    assert "saltstring" not in repr(xray)
    assert {f.path: guess(f.path, f.content).kind for f in xray.files if not f.on_root} == {
        "user-data": "first-boot user data", "ssh": "presence file", "station": "keys and values",
    }  # fmt: skip
