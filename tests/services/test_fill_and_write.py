"""Filled images and written cards, against fsck.fat, e2fsck, mtools, and the bytes themselves."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import pytest
from blake3 import blake3

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import DriveError, ImageError, MissingError, RefusedError, StoppedError
from mintseed.core.findings import Severity
from mintseed.core.image.report import XRay
from mintseed.services import fill_image, prove_card, write_card
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.readers import StandinReaders
from tests.builders.disks import MIB, cut, fat_file, run
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS, Shelf, filled_for

GB = 10**9


def filled_disk(shelf: Shelf, xray: XRay, target: Path) -> Path:
    filled = filled_for(xray)
    with (
        fill_image.execute(xray, filled, library=shelf.library, tools=TOOLS) as image,
        target.open("wb") as out,
    ):
        for piece in image.pieces():
            out.write(piece)
        image.refuse_other_than(xray, target.stat().st_size)
    return target


@pytest.mark.parametrize("name", ["platen-3.2-64.img.xz", "platen-3.0-32.img.gz", "lintel-11.4-64.img.xz"])
def test_a_filled_image_passes_the_checkers(shelf: Shelf, tmp_path: Path, name: str) -> None:
    xray = shelf.xray(name)
    disk = filled_disk(shelf, xray, tmp_path / "disk")
    boot, root = xray.volumes[0], xray.volumes[1]
    # fsck.fat(8) of dosfstools: -n changes nothing, status 0 is clean.
    fat = cut(disk, boot.offset_bytes, boot.size_bytes, tmp_path / "fat")
    checked = subprocess.run(["fsck.fat", "-n", str(fat)], capture_output=True, text=True, check=False)
    assert checked.returncode == 0, checked.stdout
    # e2fsck(8) of e2fsprogs: -fn forces a full check and changes nothing.
    ext = cut(disk, root.offset_bytes, root.size_bytes, tmp_path / "ext")
    assert subprocess.run(["e2fsck", "-fn", str(ext)], capture_output=True, check=False).returncode == 0
    for file in filled_for(xray):
        assert fat_file(disk, boot.offset_bytes, file.path) == file.content


def test_nothing_outside_the_boot_volume_changes(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    disk = filled_disk(shelf, platen, tmp_path / "disk").read_bytes()
    with shelf.library.open(platen.file_name) as stream:
        plain = b"".join(fill_image.packing.unpack(stream, fill_image.packing.Packing.XZ))
    boot = platen.volumes[0]
    end = boot.offset_bytes + boot.size_bytes
    assert len(disk) == len(plain)
    assert disk[: boot.offset_bytes] == plain[: boot.offset_bytes]
    assert disk[end:] == plain[end:]
    assert disk[boot.offset_bytes : end] != plain[boot.offset_bytes : end]


@pytest.mark.parametrize("name", ["platen-3.2-64.img.xz", "lintel-11.4-64.img.xz"])
def test_what_is_said_to_differ_is_what_differs(shelf: Shelf, name: str) -> None:
    xray = shelf.xray(name)
    with fill_image.execute(xray, (), library=shelf.library, tools=TOOLS) as image:
        plain, untouched = b"".join(image.pieces()), image.changes
    with fill_image.execute(xray, filled_for(xray), library=shelf.library, tools=TOOLS) as image:
        filled, changes = b"".join(image.pieces()), image.changes
    differs = [at for at in range(0, len(plain), 4096) if plain[at : at + 4096] != filled[at : at + 4096]]
    assert [at for begins, length in changes.ranges for at in range(begins, begins + length, 4096)] == differs
    assert changes.files == tuple(f.path for f in filled_for(xray))
    assert (untouched.ranges, untouched.words) == ((), "Byte for byte the download")


def test_a_stop_in_a_file_keeps_the_image_unfilled(shelf: Shelf, platen: XRay) -> None:
    broken = filled_for(replace(platen, files=platen.files[:1]))
    with pytest.raises(RefusedError), fill_image.execute(platen, broken, library=shelf.library, tools=TOOLS):
        pass


def readers(tmp_path: Path, **faults: int) -> StandinReaders:
    bench = BenchFolder(tmp_path / "bench")
    bench.prepare()
    card = {
        "name": "pdb",
        "path": "/dev/pdb",
        "size": 16 * GB,
        "rm": True,
        "tran": "usb",
        "serial": "S1",
        "type": "disk",
    }
    system = {
        "name": "pda",
        "path": "/dev/pda",
        "size": 64 * GB,
        "tran": "sata",
        "serial": "S0",
        "type": "disk",
        "mountpoints": ["/"],
    }
    bench.write(bench.drives_file, [{**card, "faults": faults}, system])
    return StandinReaders(bench)


@contextmanager
def ready(shelf: Shelf, xray: XRay) -> Iterator[fill_image.FilledImage]:
    with fill_image.execute(xray, filled_for(xray), library=shelf.library, tools=TOOLS) as image:
        yield image


def test_a_written_card_holds_the_filled_image(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    pretend, told = readers(tmp_path), list[Progress]()
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")
    with ready(shelf, platen) as image:
        written = write_card.execute(platen, image, drive, readers=pretend, tools=TOOLS, tell=told.append)
    with (tmp_path / "bench/cards/pdb.img").open("rb") as card:
        held = card.read(platen.unpacked_bytes)
    assert blake3(held).hexdigest() == written.digest
    assert fat_file(tmp_path / "bench/cards/pdb.img", platen.volumes[0].offset_bytes, "device.conf").startswith(
        b"# Platen"
    )
    assert held == filled_disk(shelf, platen, tmp_path / "disk").read_bytes()
    assert list(dict.fromkeys(p.phase for p in told)) == [Phase.WRITING, Phase.FLUSHING, Phase.READING_BACK]
    assert told[-1].done_bytes == platen.unpacked_bytes


@pytest.mark.parametrize("clear_end", [False, True])
def test_what_stood_at_the_end_goes_only_when_it_is_asked_for(
    shelf: Shelf, platen: XRay, tmp_path: Path, clear_end: bool
) -> None:
    pretend = readers(tmp_path)
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")
    backing = tmp_path / "bench/cards/pdb.img"
    with pretend.open(drive):
        pass
    # sgdisk(8) makes the table of the system that was on the card before, its backup in the last sectors.
    run("sgdisk", "-og", "-n", "1:2048:0", str(backing))
    with ready(shelf, platen) as image:
        written = write_card.execute(
            platen, image, drive, readers=pretend, tools=TOOLS, tell=lambda p: None, clear_end=clear_end
        )
    assert written.cleared_bytes == (MIB if clear_end else 0)
    assert written.marks.old_table is not clear_end
    with backing.open("rb") as card:
        assert blake3(card.read(platen.unpacked_bytes)).hexdigest() == written.digest


@pytest.mark.parametrize(
    ("faults", "said"),
    [
        ({"gone_after_bytes": 30 * MIB}, "gone"),
        ({"full_after_bytes": 30 * MIB}, "full"),
        ({"flips_byte_at": 60 * MIB + 7}, "other bytes"),
    ],
)
def test_a_failing_card_is_never_called_written(
    shelf: Shelf, platen: XRay, tmp_path: Path, faults: dict[str, int], said: str
) -> None:
    pretend = readers(tmp_path, **faults)
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")
    with ready(shelf, platen) as image, pytest.raises(DriveError, match=said):
        write_card.execute(platen, image, drive, readers=pretend, tools=TOOLS, tell=lambda p: None)


@pytest.mark.parametrize("phase", [Phase.WRITING, Phase.READING_BACK])
def test_it_can_be_stopped_at_any_time(shelf: Shelf, platen: XRay, tmp_path: Path, phase: Phase) -> None:
    pretend = readers(tmp_path)
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")

    def tell(progress: Progress) -> None:
        if progress.phase is phase and progress.done_bytes > 20 * MIB:
            raise StoppedError("stopped by you")

    with ready(shelf, platen) as image, pytest.raises(StoppedError):
        write_card.execute(platen, image, drive, readers=pretend, tools=TOOLS, tell=tell)


def test_an_image_that_changed_since_it_was_read_is_refused(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    pretend = readers(tmp_path)
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")
    with ready(shelf, platen) as image, pytest.raises(ImageError, match="changed"):
        write_card.execute(
            replace(platen, sha256="0" * 64), image, drive, readers=pretend, tools=TOOLS, tell=lambda p: None
        )


def test_the_systems_drive_is_refused_whoever_asks(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    pretend = readers(tmp_path)
    system = write_card.pick_drive(pretend, "/dev/pda", "S0")
    with ready(shelf, platen) as image, pytest.raises(RefusedError, match="Holds this system"):
        write_card.execute(platen, image, system, readers=pretend, tools=TOOLS, tell=lambda p: None)
    assert not (tmp_path / "bench/cards/pda.img").exists()


def test_a_drive_is_picked_by_place_and_serial(tmp_path: Path) -> None:
    pretend = readers(tmp_path)
    with pytest.raises(MissingError):
        write_card.pick_drive(pretend, "/dev/pdx", "S1")
    with pytest.raises(RefusedError, match="another drive"):
        write_card.pick_drive(pretend, "/dev/pdb", "S2")


def test_proof_says_where_it_first_differs(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    data = bytearray(filled_disk(shelf, platen, tmp_path / "disk").read_bytes())
    same = prove_card.execute(BytesIO(bytes(data)), BytesIO(bytes(data)), target_name="card")
    assert same.finding.severity is Severity.OK
    assert same.compared_bytes == len(data)
    held = BytesIO(bytes(data))
    data[70 * MIB] ^= 1
    other = prove_card.execute(BytesIO(bytes(data)), held, target_name="card")
    assert (other.finding.severity, other.compared_bytes) == (Severity.STOP, 70 * MIB)
    short = prove_card.execute(BytesIO(bytes(data)), BytesIO(bytes(data[:1000])), target_name="card")
    assert short.compared_bytes == 1000


def test_values_reach_the_card_and_no_passphrase_does(shelf: Shelf, platen: XRay, tmp_path: Path) -> None:
    disk = filled_disk(shelf, platen, tmp_path / "disk").read_bytes()
    boot = platen.volumes[0]
    volume = disk[boot.offset_bytes : boot.offset_bytes + boot.size_bytes]
    assert b"HOST_NAME=press\n" in volume
    assert values().key.encode() in volume
    assert b"spring tide at noon" not in volume


def test_an_image_that_changes_while_it_is_read_is_refused_at_the_end(shelf: Shelf, tmp_path: Path) -> None:
    folder = tmp_path / "library"
    folder.mkdir()
    file = folder / "platen-3.2-64.img.xz"  # unpacked, under the name its recipe knows
    file.write_bytes(run("xz", "-dc", str(wiring.config().library / file.name)))
    changing = Shelf(LibraryFolder(folder, tmp_path / "scratch"))
    xray = changing.xray(file.name)
    with fill_image.execute(xray, filled_for(xray), library=changing.library, tools=TOOLS) as image:
        pieces = image.pieces()
        written = len(next(pieces))
        with file.open("r+b") as other:
            other.seek(-1000, 2)
            other.write(b"another byte")
        written += sum(len(piece) for piece in pieces)
        with pytest.raises(ImageError, match="changed since it was read"):
            image.refuse_other_than(xray, written)
