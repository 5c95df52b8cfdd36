"""Images made to harm: each part that cannot be read is a finding, in bounded time and space, and the rest is read."""

from __future__ import annotations

import gzip
import json
import os
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.errors import MintSeedError
from mintseed.core.image.report import XRay
from mintseed.core.limits import MAX_DEVICE_TREES, MAX_SETTINGS_FILE_BYTES
from mintseed.core.settings.fill import fill_files
from mintseed.ports.volume import VolumeKind
from mintseed.services import inspect_image, inspect_volumes
from tests.builders.disks import MIB, device_tree, image, looped_folder, run
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS, Shelf

ROOT = {"etc/hostname": b"kiosk\n"}


def read(tmp_path: Path, disk: Path, name: str = "built.img", recipe: str = "") -> XRay:
    (tmp_path / "library").mkdir(exist_ok=True)
    disk.rename(tmp_path / "library" / name)
    library = LibraryFolder(tmp_path / "library", tmp_path / "scratch")
    return inspect_image.execute(
        name, library=library, tools=TOOLS, recipes=[wiring.recipes()[recipe]] if recipe else ()
    )


def codes(xray: XRay) -> set[str]:
    return {f.code for f in xray.findings}


def test_a_tree_without_a_board_spoils_itself_alone(tmp_path: Path) -> None:
    empty = run("dtc", "-q", "-I", "dts", "-O", "dtb", stdin="/dts-v1/; / { compatible; model = [ff fe]; };")
    boot = {"a.dtb": empty, "b.dtb": device_tree(["maker,board-b"])}
    xray = read(tmp_path, image(tmp_path / "disk.img", boot, ROOT))
    assert "image.device-tree-broken" in codes(xray)
    assert xray.compatible == ("maker,board-b",)


def test_services_whose_ports_are_none_are_passed_over(tmp_path: Path) -> None:
    one = "<service-group><service><type>_http._tcp</type><port>{}</port></service></service-group>"
    root = {**ROOT, "etc/avahi/services/a.service": one.format("²").encode(),
            "etc/avahi/services/b.service": one.format("9" * 5000).encode(),
            "etc/avahi/services/c.service": b"<a>" * 50_000}  # fmt: skip
    xray = read(tmp_path, image(tmp_path / "disk.img", {"b.dtb": device_tree(["maker,b"])}, root))
    assert (xray.page.announces, xray.page.announced_port) == ("_http._tcp", None)


def test_a_name_of_six_gigabytes_is_read_to_its_limit(tmp_path: Path) -> None:
    disk, root = (
        image(tmp_path / "disk.img", {"b.dtb": device_tree(["maker,b"])}, {"etc/other": b"x"}),
        tmp_path / "sparse",
    )
    with root.open("wb") as file:
        file.truncate(6 * 10**9)
        file.write(b"kiosk\n")
    # e2fsprogs' own writer keeps the hole, so that the image stays small.
    done = run("debugfs", "-w", "-R", f"write {root} etc/hostname", f"{disk}?offset={41 * MIB}")
    assert b"inode" in done
    xray = read(tmp_path, disk)
    assert len(xray.page.host_name) < 200
    assert not list((tmp_path / "scratch").iterdir())


def test_folders_that_hold_themselves_are_listed_to_a_limit(tmp_path: Path) -> None:
    disk = image(tmp_path / "disk.img", {"b.dtb": device_tree(["maker,b"]), "loop/x.txt": b"x"}, ROOT)
    looped_folder(disk, "LOOP")
    xray = read(tmp_path, disk)
    assert xray.boot_volume is not None
    assert codes(xray) & {"image.volume-crowded", "image.part-unread"}


def test_a_settings_file_that_is_too_long_is_named_as_such_and_not_as_missing(tmp_path: Path) -> None:
    boot = {"platen-network.conf": b"network={" + b" " * 300_000 + b"}\n", "device.conf": b"A=1\n" * 60_000}
    xray = read(tmp_path, image(tmp_path / "disk.img", boot, ROOT), "platen-3.2-64.img.xz", "platen")
    assert {f.path: f.size_bytes for f in xray.files}["platen-network.conf"] == MAX_SETTINGS_FILE_BYTES + 1
    filled = fill_files(wiring.recipes()["platen"], values(), xray)
    assert [[f.code for f in one.findings] for one in filled] == [["file.too-long"], ["file.too-long"]]


def test_ordinary_names_on_the_boot_volume_are_ordinary(tmp_path: Path) -> None:
    boot = {"read me (1).txt": b"a\n", "a&b.txt": b"b\n", "für.txt": b"c\n", "board#2.dtb": device_tree(["maker,two"])}
    xray = read(tmp_path, image(tmp_path / "disk.img", boot, ROOT))
    assert xray.compatible == ("maker,two",)
    assert {f.path.lower(): f.content for f in xray.files if not f.on_root} == {
        n: d for n, d in boot.items() if n.endswith(".txt")
    }
    assert not codes(xray) & {"image.file-unread", "image.part-unread"}


def test_escapes_in_its_texts_are_written_out(tmp_path: Path) -> None:
    boot = {"b.dtb": run("dtc", "-q", "-I", "dts", "-O", "dtb", stdin='/dts-v1/; / { compatible = "a,\\x1b[31mb"; model = "\\x1b]0;x\\x07"; };')}  # fmt: skip
    xray = read(tmp_path, image(tmp_path / "disk.img", boot, {"etc/hostname": b"\x1b[2Jkiosk\xe2\x80\xae\n"}))
    assert "\x1b" not in json.dumps([b.model for b in xray.boards]).replace("\\u001b", "\x1b")
    assert xray.page.host_name == r"\x1b[2Jkiosk\u202e"


class Broken:
    """A volume whose every answer is a programming mistake, or takes for ever by the clock it is given."""

    def __init__(self, names: int = 3) -> None:
        self.names = tuple(f"{i}.dtb" for i in range(names))

    def files(self) -> tuple[str, ...]:
        return self.names

    def folder(self, path: str) -> tuple[str, ...]:
        raise KeyError(path)

    def read(self, path: str, limit_bytes: int) -> bytes | None:
        raise ZeroDivisionError(path)

    def write(self, contents: object) -> None:
        raise NotImplementedError

    def used_bytes(self) -> int | None:
        raise RecursionError


class BrokenTools:
    def identify(self, disk: Path, offset_bytes: int) -> VolumeKind:
        return VolumeKind("vfat", "x")

    def open(self, disk: Path, offset_bytes: int, kind: VolumeKind) -> Broken:
        return Broken(MAX_DEVICE_TREES)


def test_an_unforeseen_mistake_becomes_a_finding_of_its_part(
    tmp_path: Path, library: Path, caplog: pytest.LogCaptureFixture
) -> None:
    xray = inspect_image.execute(
        "lintel-11.4-64.img.xz", library=LibraryFolder(library, tmp_path), tools=BrokenTools(), recipes=()
    )
    unread = [f for f in xray.findings if f.code == "image.part-unread"]
    assert {f.title for f in unread} >= {"0.dtb could not be read", "Partition 1 could not be read"}
    assert "ZeroDivisionError" in unread[0].detail
    assert "Traceback" in caplog.text


def test_looking_ends_when_its_time_is_up(tmp_path: Path, library: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    ticks = iter(range(10_000))
    monkeypatch.setattr(inspect_volumes.time, "monotonic", lambda: next(ticks) * 5.0)
    shelf = Shelf(LibraryFolder(library, tmp_path))
    xray = shelf.xray("platen-3.2-64.img.xz")
    assert [f.code for f in xray.findings].count("image.looking-cut") == 1


def test_links_that_lead_out_pipes_and_odd_names(tmp_path: Path) -> None:
    folder = tmp_path / "library"
    folder.mkdir()
    (tmp_path / "outside.img").write_bytes(b"x")
    (folder / "inside.img").write_bytes(b"xy")
    (folder / "out.img").symlink_to(tmp_path / "outside.img")
    (folder / "in.img").symlink_to("inside.img")
    (folder / "round.img").symlink_to("round.img")
    (folder / "gone.img").symlink_to("nowhere.img")
    os.mkfifo(folder / "pipe.img")
    (folder / "folder.img").mkdir()
    odd = [b"a\xff.img", b"A\xff.img", "\u202egmi.img".encode(), b"two\nlines\"'.img", b"x" * 250 + b".img"]
    for name in odd:
        (folder / os.fsdecode(name)).write_bytes(b"z")
    shelf = LibraryFolder(folder, tmp_path / "s")
    assert {f.name for f in shelf.files()} == {
        "inside.img", "in.img", r"a\xff.img", r"A\xff.img", r"\xe2\x80\xaegmi.img", "two\\x0alines\"'.img", "x" * 250 + ".img",
    }  # fmt: skip
    assert {s.name for s in shelf.strangers()} == {"out.img", "round.img", "gone.img", "pipe.img", "folder.img"}
    for file in shelf.files():
        with shelf.open(file.name) as opened:
            assert opened.read()
    for name in ("out.img", "pipe.img", "../outside.img", "nothing.img", r"..\x2foutside.img", ""):
        with pytest.raises(MintSeedError), shelf.open(name):
            pass


def test_a_bomb_of_zeros_takes_no_room(tmp_path: Path) -> None:
    folder = tmp_path / "library"
    folder.mkdir()
    # RFC 1952, 2.2: a file may be several members, one behind the other.
    (folder / "bomb.img.gz").write_bytes(gzip.compress(bytes(40_000_000), 1) * 25)
    library = LibraryFolder(folder, tmp_path / "scratch")
    blocks: list[int] = []

    def tell(done: int, total: int) -> None:
        # The scratch disk has no name: what it takes is what the process's open files take.
        blocks.append(
            sum(os.fstat(int(fd)).st_blocks * 512 for fd in os.listdir("/proc/self/fd") if _is_scratch(fd, tmp_path))
        )

    with pytest.raises(MintSeedError):
        inspect_image.execute("bomb.img.gz", library=library, tools=TOOLS, recipes=(), tell=tell)
    assert max(blocks) < 1_000_000


def _is_scratch(descriptor: str, tmp_path: Path) -> bool:
    try:
        return str(Path(f"/proc/self/fd/{descriptor}").readlink()).startswith(str(tmp_path / "scratch"))
    except OSError:
        return False
