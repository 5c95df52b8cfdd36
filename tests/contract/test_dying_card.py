"""A real block device that fails at a chosen byte, beneath the real adapters: whatever it does, a card that lost a byte is never called proven."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.lsblk_readers import LsblkReaders
from mintseed.core.errors import DriveError
from mintseed.core.image.report import XRay
from mintseed.services import fill_image, inspect_image, write_card
from tests.builders.disks import MIB, device_tree, image, packed
from tests.builders.failing_device import dying_card, why_not
from tests.services.conftest import TOOLS

CARD_BYTES = 80 * MIB


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> tuple[LibraryFolder, XRay]:
    folder = tmp_path_factory.mktemp("own")
    disk = image(folder / "own.img", {"a.dtb": device_tree(["own,board"])}, {"etc/hostname": b"old\n"}, root_mib=24)
    (folder / "library").mkdir()
    (folder / "library" / "own.img.xz").write_bytes(packed(disk.read_bytes(), "xz"))
    library = LibraryFolder(folder / "library", folder / "scratch")
    return library, inspect_image.execute("own.img.xz", library=library, tools=TOOLS, recipes=[])


@pytest.fixture
def card(tmp_path: Path) -> Iterator[tuple[str, Path]]:
    if why := why_not():
        pytest.skip(why)
    try:
        with dying_card(tmp_path, CARD_BYTES) as made:
            yield made
    except OSError as error:
        pytest.skip(str(error))


def written(own: tuple[LibraryFolder, XRay], device: str, *, only_used: bool) -> write_card.WrittenCard:
    library, xray = own
    readers = LsblkReaders([device])
    drive = next(d for d in readers.drives() if d.path == device)
    with fill_image.execute(xray, (), library=library, tools=TOOLS, only_used=only_used) as made:
        return write_card.execute(xray, made, drive, readers=readers, tools=TOOLS, tell=lambda p: None)


@pytest.mark.parametrize("only_used", [False, True])
def test_a_card_that_lives_is_proven(own: tuple[LibraryFolder, XRay], card: tuple[str, Path], only_used: bool) -> None:
    made = written(own, card[0], only_used=only_used)
    assert made.released.safe
    assert (made.left_bytes > 0) is only_used


@pytest.mark.parametrize("fault", ["write_fails_at", "read_fails_at", "flips_at", "full_at", "sync_fails"])
@pytest.mark.parametrize("place", ["first", "inside", "last"])
def test_wherever_it_fails_nothing_is_proven(
    own: tuple[LibraryFolder, XRay], card: tuple[str, Path], fault: str, place: str
) -> None:
    _, xray = own
    device, faults = card
    # The kernel reads the beginning by itself when a device is opened: what matters is that no way leads to a proof.
    at = {"first": 3, "inside": xray.volumes[1].offset_bytes + 1024 + 56, "last": xray.unpacked_bytes - 1}[place]
    faults.write_text(json.dumps({fault: True if fault == "sync_fails" else at}))
    with pytest.raises(DriveError):
        written(own, device, only_used=False)


def test_a_place_that_nothing_uses_may_be_dead(own: tuple[LibraryFolder, XRay], card: tuple[str, Path]) -> None:
    library, xray = own
    device, faults = card
    with fill_image.execute(xray, (), library=library, tools=TOOLS, only_used=True) as made:
        begins, length = made.left[-1]
    faults.write_text(json.dumps({"write_fails_at": begins + length // 2, "flips_at": begins + length // 2}))
    assert written(own, device, only_used=True).left_bytes > 0
    with pytest.raises(DriveError):
        written(own, device, only_used=False)
