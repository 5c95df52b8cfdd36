"""A card that is given what its image uses and nothing else, on top of what lay there: judged by fsck.fat, e2fsck, mtools, debugfs, and a boot."""

from __future__ import annotations

import random
import subprocess
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import pytest
from blake3 import blake3

from mintseed.adapters.block_device import BlockDevice
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.card.drives import Drive
from mintseed.core.card.in_use import in_use, parted
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.card.samples import SAMPLES_BEFORE_POWER, compared, first_that_differs
from mintseed.core.errors import DriveError
from mintseed.core.image.report import XRay
from mintseed.core.ranges import without
from mintseed.core.settings.fill import FilledFile, fill_files
from mintseed.services import fill_image, inspect_image, prove_card, read_card_again, write_card
from mintseed.standins.board.boot import boot
from mintseed.standins.readers import StandinReaders
from tests.builders.disks import MIB, cut, device_tree, fat_file, image, packed, run
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS, Shelf, filled_for
from tests.services.test_fill_and_write import readers
from tests.services.test_fill_root import RECIPE, ROOT
from tests.standins.test_every_pair import AIR, state


def junk(length: int) -> bytes:
    """What an earlier owner may have left on a card."""
    return random.Random(7).randbytes(MIB) * (length // MIB) + random.Random(8).randbytes(length % MIB)


@pytest.fixture
def roomy(tmp_path: Path) -> tuple[LibraryFolder, XRay]:
    """An image nobody described, most of whose root volume nothing uses."""
    boot_files = {"a.dtb": device_tree(["own,board"]), "hostname.txt": b"old\n"}
    disk = image(tmp_path / "own.img", boot_files, ROOT, root_mib=96)
    folder = tmp_path / "library"
    folder.mkdir()
    (folder / "own.img.xz").write_bytes(packed(disk.read_bytes(), "xz"))
    library = LibraryFolder(folder, tmp_path / "home" / "scratch")
    return library, inspect_image.execute("own.img.xz", library=library, tools=TOOLS, recipes=[RECIPE])


def used_card(tmp_path: Path, **faults: int) -> tuple[StandinReaders, Drive, Path]:
    pretend, backing = readers(tmp_path, **faults), tmp_path / "bench/cards/pdb.img"
    drive = write_card.pick_drive(pretend, "/dev/pdb", "S1")
    backing.write_bytes(junk(400 * MIB))
    return pretend, drive, backing


def written(
    library: LibraryFolder, xray: XRay, filled: tuple[FilledFile, ...], pretend: StandinReaders, drive: Drive, told: list[Progress]
) -> write_card.WrittenCard:  # fmt: skip
    with fill_image.execute(xray, filled, library=library, tools=TOOLS, only_used=True) as made:
        return write_card.execute(xray, made, drive, readers=pretend, tools=TOOLS, tell=told.append)


def whole(library: LibraryFolder, xray: XRay, filled: tuple[FilledFile, ...]) -> bytes:
    with fill_image.execute(xray, filled, library=library, tools=TOOLS) as made:
        return b"".join(made.pieces())


def test_both_volumes_are_sound_on_top_of_what_lay_there(roomy: tuple[LibraryFolder, XRay], tmp_path: Path) -> None:
    library, xray = roomy
    filled = fill_files(RECIPE, values(), xray)
    assert any(f.on_root for f in filled)
    assert any(not f.on_root for f in filled)
    pretend, drive, card = used_card(tmp_path)
    told: list[Progress] = []
    made = written(library, xray, filled, pretend, drive, told)
    wanted, before = whole(library, xray, filled), junk(400 * MIB)
    with card.open("rb") as file:
        held = file.read(xray.unpacked_bytes)
    # Every byte is the image's or the one that lay there, and what was left is what nothing uses.
    left = 0
    for at in range(0, len(wanted), made.blocks.block_bytes):
        ends = at + made.blocks.block_bytes
        if made.blocks.is_left(at // made.blocks.block_bytes):
            left += len(held[at:ends])
            assert held[at:ends] == before[at:ends]
        else:
            assert held[at:ends] == wanted[at:ends]
    assert left == made.left_bytes > 60 * MIB
    known = in_use(xray)
    assert known.whole
    assert 0 <= xray.unpacked_bytes - made.left_bytes - known.bytes < 4 * MIB, (
        "what was told beforehand is what was written, but for blocks used in part"
    )
    for phase in (Phase.WRITING, Phase.READING_BACK):
        assert [p for p in told if p.phase is phase][-1].done_bytes == xray.unpacked_bytes - made.left_bytes
    boot_volume, root = xray.volumes
    # fsck.fat(8): -n changes nothing, status 0 is clean. e2fsck(8): -fn forces a full check and changes nothing.
    fat = cut(card, boot_volume.offset_bytes, boot_volume.size_bytes, tmp_path / "fat")
    ext = cut(card, root.offset_bytes, root.size_bytes, tmp_path / "ext")
    assert subprocess.run(["fsck.fat", "-n", str(fat)], capture_output=True, check=False).returncode == 0
    assert subprocess.run(["e2fsck", "-fn", str(ext)], capture_output=True, check=False).returncode == 0
    for one in filled:
        if not one.on_root:
            assert fat_file(card, boot_volume.offset_bytes, one.path) == one.content
        elif one.dialect != "link":
            assert run("debugfs", "-R", f"cat {one.path}", ext) == one.content
    assert run("debugfs", "-R", "cat /usr/share/big", ext) == ROOT["usr/share/big"]


@pytest.mark.parametrize("name", ["platen-3.2-64.img.xz", "platen-3.0-32.img.gz"])
def test_a_board_starts_from_it_as_from_a_card_that_was_written_whole(shelf: Shelf, tmp_path: Path, name: str) -> None:
    from mintseed import wiring

    xray = shelf.xray(name)
    filled = filled_for(xray, values(host_name="press"))
    pretend, drive, card = used_card(tmp_path)
    made = written(shelf.library, xray, filled, pretend, drive, [])
    assert made.left_bytes > 0
    plain = tmp_path / "whole.img"
    plain.write_bytes(whole(shelf.library, xray, filled))
    started = [b for b in wiring.boards().values() if set(b.compatible) & set(xray.compatible)]
    assert started
    for board in started:
        assert boot(card, state(board), AIR) == boot(plain, state(board), AIR)


def test_what_nothing_uses_is_no_part_of_the_proof_and_all_else_is(
    roomy: tuple[LibraryFolder, XRay], tmp_path: Path
) -> None:
    library, xray = roomy
    pretend, drive, card = used_card(tmp_path)
    made = written(library, xray, (), pretend, drive, [])
    blocks, size = made.blocks, made.blocks.block_bytes
    left = next(n for n in range(blocks.count) if blocks.is_left(n))
    kept = next(n for n in range(blocks.count) if n > left and not blocks.is_left(n))

    def spoil(number: int) -> None:
        with card.open("r+b") as file:
            file.seek(number * size)
            byte = file.read(1)
            file.seek(number * size)
            file.write(bytes([byte[0] ^ 1]))

    spoil(left)
    again = read_card_again.execute(drive, blocks, readers=pretend)
    assert (again.other_bytes, again.left_bytes) == (0, made.left_bytes)
    assert again.length_bytes + again.left_bytes == xray.unpacked_bytes
    spoil(kept)
    again = read_card_again.execute(drive, blocks, readers=pretend)
    assert (again.other_bytes, again.first_bytes) == (size, kept * size)
    with pretend.look(drive) as disk:
        assert first_that_differs(disk, blocks, blocks.count, random.Random(1)) == kept * size
        assert sum(length for _, length, _ in compared(disk, blocks)) == again.length_bytes
        assert first_that_differs(disk, blocks, SAMPLES_BEFORE_POWER, random.Random(2)) in (None, kept * size)


@pytest.mark.parametrize("at", ["first", "last"])
def test_a_byte_that_is_used_and_stored_otherwise_is_found(
    roomy: tuple[LibraryFolder, XRay], tmp_path: Path, at: str
) -> None:
    library, xray = roomy
    with fill_image.execute(xray, (), library=library, tools=TOOLS, only_used=True) as made:
        begins, length = made.left[0]
    byte = 70_000 if at == "first" else begins + length + 5
    pretend, drive, _ = used_card(tmp_path, flips_byte_at=byte)
    with pytest.raises(DriveError, match="other bytes"):
        written(library, xray, (), pretend, drive, [])


def test_the_real_target_leaves_and_reads_back_the_same(roomy: tuple[LibraryFolder, XRay], tmp_path: Path) -> None:
    library, xray = roomy
    target = tmp_path / "target.img"
    target.write_bytes(junk(xray.unpacked_bytes))
    digest, read = blake3(), blake3()
    with fill_image.execute(xray, (), library=library, tools=TOOLS, only_used=True) as made:
        device = BlockDevice(str(target))
        try:
            for piece, keep in parted(made.pieces(), made.left):
                (device.write if keep else lambda data: device.pass_over(len(data)))(piece)
                if keep:
                    digest.update(piece)
            device.flush()
            for begins, length in without([(0, xray.unpacked_bytes)], made.left):
                for back in device.read_back(length, begins):
                    read.update(back)
        finally:
            device.close()
    assert read.hexdigest() == digest.hexdigest()
    begins, length = made.left[-1]
    assert target.read_bytes()[begins : begins + length] == junk(xray.unpacked_bytes)[begins : begins + length]


def test_a_volume_that_does_not_tell_is_written_whole(roomy: tuple[LibraryFolder, XRay], tmp_path: Path) -> None:
    library, xray = roomy
    boot_volume, root = xray.volumes

    def left(one: XRay) -> tuple[tuple[int, int], ...]:
        with fill_image.execute(one, (), library=library, tools=TOOLS, only_used=True) as made:
            assert b"".join(made.pieces())
            return made.left

    untold = replace(xray, root_unfillable="it was not left clean")
    assert in_use(untold).untold == ("ext4 on partition 2",)
    assert all(begins + length <= root.offset_bytes for begins, length in left(untold))
    over = replace(xray, volumes=(boot_volume, replace(root, offset_bytes=root.offset_bytes - MIB)))
    assert not in_use(over).whole
    assert left(over) == (), "volumes that lie over one another"
    other = replace(xray, volumes=(boot_volume, replace(root, role="data")))
    assert in_use(other).untold == ("ext4 on partition 2",)
    short = replace(xray, volumes=(boot_volume, replace(root, size_bytes=xray.unpacked_bytes)))
    assert in_use(short).untold == ("ext4 on partition 2",), "it ends beyond the image"
    assert all(begins + length <= root.offset_bytes for begins, length in left(short))
    library.keep_skeleton(xray.mark, b"")
    assert all(begins + length <= root.offset_bytes for begins, length in left(xray)), "what was kept of it is gone"


def test_without_asking_nothing_is_left_out(roomy: tuple[LibraryFolder, XRay], tmp_path: Path) -> None:
    library, xray = roomy
    with fill_image.execute(xray, (), library=library, tools=TOOLS) as made:
        assert made.left == ()


def test_a_file_that_ends_before_the_image_is_no_card_of_it(roomy: tuple[LibraryFolder, XRay], tmp_path: Path) -> None:
    """Nothing uses the end of it; it is not there at all."""
    library, xray = roomy
    held = whole(library, xray, ())

    def proven(data: bytes) -> str:
        found = prove_card.of_what_is_used(xray, BytesIO(data), target_name="card", library=library, tools=TOOLS)
        assert found is not None
        return found.finding.code

    with fill_image.execute(xray, (), library=library, tools=TOOLS, only_used=True) as made:
        begins, length = made.left[-1]
    assert proven(held) == "card.proven-in-use"
    assert proven(held[:begins] + bytes([1]) * length + held[begins + length :]) == "card.proven-in-use"
    assert proven(held[: begins + length // 2]) == "card.differs"
    ends_unused = [(b"a" * 10, True), (b"b" * 10, False)]
    for there, code in ((b"a" * 10 + b"x" * 10, "card.proven-in-use"), (b"a" * 10 + b"x" * 9, "card.differs")):
        found = prove_card._compared(ends_unused, BytesIO(there), "card", lambda done: None)
        assert found.finding.code == code
