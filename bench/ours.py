"""One run of our own pipeline in a process of its own, so that its memory can be measured.

usage: python -m bench.ours write IMAGE TARGET [BYTES_PER_S] | xray IMAGE | whole IMAGE | write-boot IMAGE TARGET | write-root IMAGE TARGET
prints JSON: seconds, peak memory in bytes
"""

from __future__ import annotations

import json
import resource
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path

from mintseed.adapters.block_device import BlockDevice, LookedAt, flushed
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.one_heap import use_one_heap
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.card.drives import Drive
from mintseed.core.card.in_use import in_use
from mintseed.core.described import Around, read_described
from mintseed.core.image.report import XRay
from mintseed.core.recipes.draft import Choices, draft_of, recipe_text
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.dialects import wpa_supplicant
from mintseed.core.settings.diff import mark_lines
from mintseed.core.settings.fill import FilledFile, fill_files
from mintseed.core.settings.values import SettingValues
from mintseed.ports.card_readers import Released
from mintseed.services import fill_image, inspect_image, write_card

VALUES = SettingValues("press", "GB", "UTC", "gb", "wifi", "Quay House 2G", "spring tide at noon")
FILE = FileToFill(path="platen-network.conf", dialect="wpa-supplicant", title="Wi-Fi")


class Paced:
    """A card that takes and gives only so many bytes a second; else the device it stands for, whose own time passes meanwhile."""

    def __init__(self, device: BlockDevice, rate_bytes_per_s: int) -> None:
        self._device, self._rate, self._due_s = device, rate_bytes_per_s, time.monotonic()

    def _take(self, length_bytes: int, began_s: float) -> None:
        self._due_s = max(self._due_s, began_s) + length_bytes / self._rate
        time.sleep(max(0.0, self._due_s - time.monotonic()))

    def write(self, data: bytes) -> None:
        began_s = time.monotonic()
        self._device.write(data)
        self._take(len(data), began_s)

    def write_at(self, offset_bytes: int, data: bytes) -> None:
        began_s = time.monotonic()
        self._device.write_at(offset_bytes, data)
        self._take(len(data), began_s)

    def pass_over(self, length_bytes: int) -> None:
        self._device.pass_over(length_bytes)

    def flush(self) -> None:
        self._device.flush()

    def forget(self) -> None:
        self._device.forget()

    def read_back(self, length_bytes: int, offset_bytes: int = 0) -> Iterator[bytes]:
        began_s = time.monotonic()
        for piece in self._device.read_back(length_bytes, offset_bytes):
            self._take(len(piece), began_s)
            yield piece
            began_s = time.monotonic()


class FileReaders:
    """A card reader whose one card is a file; the bytes go through the real block-device adapter."""

    def __init__(self, path: Path, rate_bytes_per_s: int = 0) -> None:
        self._rate = rate_bytes_per_s
        self.drive = Drive(str(path), "bench", 10**12, True, False, "usb", "", "", (), (), 0)

    def drives(self) -> tuple[Drive, ...]:
        return (self.drive,)

    def signature(self) -> object:
        return self.drive

    def awaited(self) -> tuple[int, ...]:
        return ()

    @contextmanager
    def open(self, drive: Drive) -> Iterator[BlockDevice | Paced]:
        device = BlockDevice(drive.path)
        try:
            yield Paced(device, self._rate) if self._rate else device
        finally:
            device.close()

    @contextmanager
    def look(self, drive: Drive) -> Iterator[LookedAt]:
        looked = LookedAt(drive.path, drive.size_bytes)
        try:
            yield looked
        finally:
            looked.close()

    def held(self, path: str) -> AbstractContextManager[Callable[[], None]]:
        return flushed(path)

    def set_free(self, drive: Drive) -> Released:
        return Released(True, "a file")


def _by_hand(xray: XRay) -> tuple[FilledFile, ...]:
    before = next(f for f in xray.files if f.path == FILE.path).content.decode()
    after = wpa_supplicant.apply(before, FILE, VALUES)
    return (FilledFile(FILE.path, "", FILE.dialect, after.encode(), mark_lines(before, after), ()),)


def _by_draft(xray: XRay) -> tuple[FilledFile, ...]:
    """Return what the image's own draft fills: the boot volume's file and those of the root volume."""
    draft = draft_of(xray)
    on_root = [f.path for f in draft.files if f.path.startswith("/")]
    assert on_root, "the draft fills nothing on the root volume"
    text = recipe_text(draft, Choices(files=[FILE.path, *on_root]))
    return fill_files(read_described(Recipe, text, where="draft", around=Around(boards={}, parts={})), VALUES, xray)


def write(image: Path, target: Path, rate_bytes_per_s: int = 0, *, root: bool = False) -> float:
    """Return the seconds it takes to fill, write, flush, read back and compare. `root`: what the draft fills on the root volume too."""
    tools = OffsetVolumeTools()
    with tempfile.TemporaryDirectory(dir=image.parent) as scratch:
        library = LibraryFolder(image.parent, Path(scratch))
        xray = inspect_image.execute(image.name, library=library, tools=tools, recipes=())
        filled = _by_draft(xray) if root else _by_hand(xray)
        readers = FileReaders(target, rate_bytes_per_s)
        started = time.monotonic()
        with fill_image.execute(
            xray, filled, library=library, tools=tools, only_used=in_use(xray).whole
        ) as filled_image:
            write_card.execute(xray, filled_image, readers.drive, readers=readers, tools=tools, tell=lambda p: None)
        return time.monotonic() - started


def xray(image: Path, depth: inspect_image.Depth = "boot") -> float:
    """Return the seconds the X-ray takes, of the boot volume or of the whole."""
    with tempfile.TemporaryDirectory(dir=image.parent) as scratch:
        library = LibraryFolder(image.parent, Path(scratch))
        started = time.monotonic()
        inspect_image.execute(image.name, library=library, tools=OffsetVolumeTools(), recipes=(), depth=depth)
        return time.monotonic() - started


if __name__ == "__main__":
    use_one_heap()
    verb, *paths = sys.argv[1:]
    if verb == "write":
        seconds = write(Path(paths[0]), Path(paths[1]), int(paths[2]) if len(paths) > 2 else 0)
    elif verb in ("write-boot", "write-root"):
        seconds = write(Path(paths[0]), Path(paths[1]), root=verb == "write-root")
    else:
        seconds = xray(Path(paths[0]), "whole" if verb == "whole" else "boot")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    print(json.dumps({"seconds": seconds, "peak_bytes": peak}))
