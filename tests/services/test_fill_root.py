"""Settings that lie on the root volume: filled inside the image while it streams to the card, judged by e2fsck and debugfs."""

from __future__ import annotations

import subprocess
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.described import Around, read_described
from mintseed.core.errors import ImageError, RefusedError
from mintseed.core.findings import Severity
from mintseed.core.image.report import XRay
from mintseed.core.recipes.draft import draft_of, recipe_text
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.fill import fill_files
from mintseed.ports.volume import Patch
from mintseed.services import fill_image, inspect_image
from tests.builders.disks import MIB, cut, device_tree, fat_file, image, packed, partitioned, run
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS

ROOT = {
    "etc/hostname": b"old\n", "etc/hosts": b"127.0.0.1\tlocalhost\n127.0.1.1\told\n", "etc/timezone": b"Etc/UTC\n", "etc/passwd": b"root:x:0:0::/root:/bin/sh\nann:x:1000:1000::/home/ann:/bin/sh\n",
    "etc/NetworkManager/NetworkManager.conf": b"[main]\n", "usr/share/big": bytes(range(256)) * 9000,
}  # fmt: skip
TEXT = """
recipe: 1
id: own
name: Own
kind: own image
summary: Settings on the root volume.
releases: [{version: "1", builds: [{id: b, bits: 64, file: own.img.xz}]}]
card: {least_gb: 4, advised_gb: 8}
ways: [wifi]
host_name: old
files:
  - {path: hostname.txt, dialect: plain, title: name, values: {value: "{host_name}"}}
  - {path: etc/hostname, volume: root, dialect: plain, title: name, values: {value: "{host_name}"}}
  - {path: etc/hosts, volume: root, dialect: hosts, title: its own name, values: {name: "{host_name}"}}
  - {path: etc/timezone, volume: root, dialect: plain, title: zone, values: {value: "{time_zone}"}}
  - {path: etc/localtime, volume: root, dialect: link, title: zone, values: {target: "/usr/share/zoneinfo/{time_zone}"}}
  - {path: etc/NetworkManager/system-connections/wifi.nmconnection, volume: root, dialect: keyfile, title: Wi-Fi, when: wifi, absent: make}
  - {path: home/ann/.config/place, volume: root, owner: ann, mode: "0600", dialect: plain, title: place, absent: make, values: {value: "{country}"}}
boot: {assumed: true, usual_from_s: 30, usual_to_s: 300, late_after_s: 600, hopeless_after_s: 1800}
page: {assumed: true, port: 80}
"""
RECIPE = read_described(Recipe, TEXT, where="own", around=Around(boards={}, parts={}))


@pytest.fixture
def own(tmp_path: Path) -> tuple[LibraryFolder, XRay, Path]:
    disk = image(tmp_path / "own.img", {"a.dtb": device_tree(["own,board"]), "hostname.txt": b"old\n"}, ROOT)
    folder = tmp_path / "library"
    folder.mkdir()
    (folder / "own.img.xz").write_bytes(packed(disk.read_bytes(), "xz"))
    library = LibraryFolder(folder, tmp_path / "home" / "scratch")
    return library, inspect_image.execute("own.img.xz", library=library, tools=TOOLS, recipes=[RECIPE]), disk


def written(library: LibraryFolder, xray: XRay, target: Path, recipe: Recipe = RECIPE) -> Path:
    filled = fill_files(recipe, values(), xray)
    with fill_image.execute(xray, filled, library=library, tools=TOOLS) as made, target.open("wb") as out:
        for piece in made.pieces():
            out.write(piece)
        made.refuse_other_than(xray, target.stat().st_size if out.flush() is None else 0)
    return target


def test_both_volumes_are_filled_in_one_stream(own: tuple[LibraryFolder, XRay, Path], tmp_path: Path) -> None:
    library, xray, plain = own
    disk = written(library, xray, tmp_path / "card")
    boot, root = xray.boot_volume, xray.root_volume
    assert boot is not None
    assert root is not None
    assert fat_file(disk, boot.offset_bytes, "hostname.txt") == b"press\n"
    ext = cut(disk, root.offset_bytes, root.size_bytes, tmp_path / "ext")
    assert subprocess.run(["e2fsck", "-fn", str(ext)], capture_output=True, check=False).returncode == 0

    def told(command: str) -> str:
        return run("debugfs", "-R", command, ext).decode()

    assert told("cat /etc/hostname") == "press\n"
    assert told("cat /etc/hosts") == "127.0.0.1\tlocalhost\n127.0.1.1\tpress\n"
    assert told("cat /etc/timezone") == "Europe/London\n"
    assert 'Fast link dest: "/usr/share/zoneinfo/Europe/London"' in told("stat /etc/localtime")
    keyfile = "/etc/NetworkManager/system-connections/wifi.nmconnection"
    assert "ssid=" in told(f"cat {keyfile}")
    assert "Mode:  0600" in told(f"stat {keyfile}")
    assert "User:     0" in told(f"stat {keyfile}"), "the network manager reads no other's"
    assert "User:  1000   Group:  1000" in told("stat /home/ann/.config/place")
    assert run("debugfs", "-R", "cat /usr/share/big", ext) == ROOT["usr/share/big"]
    # Outside what was laid over and the boot volume not a byte differs.
    before, after = plain.read_bytes(), disk.read_bytes()
    changed = {at // 4096 for at in range(0, len(before), 4096) if before[at : at + 4096] != after[at : at + 4096]}
    outside = {
        block for block in changed if not boot.offset_bytes <= block * 4096 < boot.offset_bytes + boot.size_bytes
    }
    assert all(root.offset_bytes <= block * 4096 for block in outside)
    assert len(outside) < 60
    # And what is said to differ is that.
    with fill_image.execute(xray, fill_files(RECIPE, values(), xray), library=library, tools=TOOLS) as image:
        told_blocks = {
            at // 4096 for begins, length in image.changes.ranges for at in range(begins, begins + length, 4096)
        }
    assert changed <= told_blocks
    assert len(told_blocks - changed) < 10, "a block of a file may come out as it was"


def test_the_same_settings_give_the_same_bytes(own: tuple[LibraryFolder, XRay, Path], tmp_path: Path) -> None:
    library, xray, _ = own
    assert written(library, xray, tmp_path / "a").read_bytes() == written(library, xray, tmp_path / "b").read_bytes()


def test_a_volume_that_cannot_be_filled_stops_its_files_and_offers_another_way(
    own: tuple[LibraryFolder, XRay, Path],
) -> None:
    _, xray, _ = own
    filled = fill_files(RECIPE, values(), replace(xray, root_unfillable="its file system is squashfs"))
    stops = [f for one in filled for f in one.findings if f.severity is Severity.STOP]
    assert {f.code for f in stops} == {"settings.root-unfillable"}
    assert len(stops) == sum(one.on_root for one in filled)
    assert "cable" in stops[0].fix


def test_an_owner_the_image_does_not_have_is_a_stop(own: tuple[LibraryFolder, XRay, Path]) -> None:
    library, xray, _ = own
    bobs = RECIPE.model_copy(update={"files": (RECIPE.files[-1].model_copy(update={"owner": "bob"}),)})
    filled = fill_files(bobs, values(), xray)
    assert "settings.owner-unknown" in {f.code for f in filled[0].findings}
    with pytest.raises(RefusedError), fill_image.execute(xray, filled, library=library, tools=TOOLS):
        pass


@pytest.mark.parametrize(
    ("owner", "mode", "stops"),
    [("", "", False), ("root", "0644", False), ("root", "0600", True), ("root", "0640", True)],
)
def test_a_file_its_reader_could_not_open_is_a_stop(
    own: tuple[LibraryFolder, XRay, Path], owner: str, mode: str, stops: bool
) -> None:
    """systemd-networkd runs as systemd-network: tried on the proving ground, where a file of mode 0600 was passed over and the address came by itself."""
    _, xray, _ = own
    file = FileToFill.model_validate(
        {"path": "etc/systemd/network/10-a.network", "volume": "root", "dialect": "systemd-networkd", "title": "", "absent": "make", "owner": owner, "mode": mode}
    )  # fmt: skip
    (filled,) = fill_files(RECIPE.model_copy(update={"files": (file,)}), values(), xray)
    assert ("settings.reader-locked-out" in {f.code for f in filled.findings}) is stops


def test_without_what_was_read_of_it_nothing_is_written(own: tuple[LibraryFolder, XRay, Path]) -> None:
    library, xray, _ = own
    gone = replace(xray, sha256="0" * 64)
    with (
        pytest.raises(ImageError, match="gone"),
        fill_image.execute(gone, fill_files(RECIPE, values(), xray), library=library, tools=TOOLS),
    ):
        pass


@given(
    st.lists(st.integers(1, 40), min_size=1, max_size=8),
    st.lists(st.tuples(st.integers(0, 60), st.integers(1, 70)), max_size=5),
)
def test_patches_lie_where_they_belong_however_the_stream_is_cut(
    lengths: list[int], wanted: list[tuple[int, int]]
) -> None:
    whole = bytes(range(sum(lengths) % 256)) * 2
    whole = whole[: sum(lengths)].ljust(sum(lengths), b".")
    patches, free_from = [], 0
    for start, length in sorted(wanted):
        start = max(start, free_from)
        if start + length <= len(whole):
            patches.append(Patch(start, b"#" * length))
            free_from = start + length
    expected = bytearray(whole)
    for patch in patches:
        expected[patch.offset_bytes : patch.offset_bytes + len(patch.data)] = patch.data
    pieces, at = [], 0
    for length in lengths:
        pieces.append(whole[at : at + length])
        at += length
    laid = list(fill_image.laid_over(pieces, patches))
    assert [len(p) for p in laid] == lengths
    assert b"".join(laid) == bytes(expected)


ONE_VOLUME = {
    **ROOT, "boot/vmlinuz-6.1": b"\0" * 0x38 + b"RSC\x05" + bytes(64), "usr/lib/linux-image-6.1/maker/own.dtb": device_tree(["own,board"], "Own board"),
    "usr/lib/linux-image-6.1/overlays/over.dtb": device_tree(["over,lay"]),
}  # fmt: skip


def test_a_system_on_one_volume_alone_is_read_drafted_and_filled(tmp_path: Path) -> None:
    """Plain systems have no FAT volume: kernel and device trees lie on the root volume, and so do all settings."""
    tree, folder = tmp_path / "tree", tmp_path / "library"
    for name, data in ONE_VOLUME.items():
        (tree / name).parent.mkdir(parents=True, exist_ok=True)
        (tree / name).write_bytes(data)
    run("mke2fs", "-q", "-t", "ext4", "-d", tree, tmp_path / "ext", "24M")
    disk = partitioned(tmp_path / "disk", "label: dos\nstart=1MiB, size=24MiB, type=83\n", 26)
    run("dd", f"if={tmp_path / 'ext'}", f"of={disk}", "bs=1M", "seek=1", "conv=notrunc", "status=none")
    folder.mkdir()
    disk.rename(folder / "own.img")
    library = LibraryFolder(folder, tmp_path / "home" / "scratch")
    xray = inspect_image.execute("own.img", library=library, tools=TOOLS, recipes=())
    assert (xray.boot_volume, xray.bits, xray.architectures) == (None, 64, ("riscv",))
    assert [(b.model, b.file) for b in xray.boards] == [("Own board", "/usr/lib/linux-image-6.1/maker/own.dtb")]
    assert [f.code for f in xray.findings if f.severity is not Severity.NOTE] == []
    recipe = read_described(Recipe, recipe_text(draft_of(xray)), where="draft", around=Around(boards={}, parts={}))
    assert recipe.releases[0].builds[0].architecture == "riscv"
    assert recipe.files
    named = inspect_image.execute("own.img", library=library, tools=TOOLS, recipes=[recipe])
    filled = written(library, named, tmp_path / "card", recipe)
    ext = cut(filled, MIB, 24 * MIB, tmp_path / "out")
    assert subprocess.run(["e2fsck", "-fn", str(ext)], capture_output=True, check=False).returncode == 0
    assert run("debugfs", "-R", "cat /etc/hostname", ext) == b"press\n"
