"""One run of our own pipeline in a process of its own, so that its memory can be measured.

usage: python -m bench.ours write IMAGE TARGET | xray IMAGE          prints JSON: seconds, peak memory in bytes
"""

from __future__ import annotations

import json
import resource
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from mintseed.adapters.block_device import BlockDevice, LookedAt
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.card.drives import Drive
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import wpa_supplicant
from mintseed.core.settings.diff import mark_lines
from mintseed.core.settings.fill import FilledFile
from mintseed.core.settings.values import SettingValues
from mintseed.ports.card_readers import Released
from mintseed.services import fill_image, inspect_image, write_card

VALUES = SettingValues("press", "GB", "UTC", "gb", "wifi", "Quay House 2G", "spring tide at noon")
FILE = FileToFill(path="platen-network.conf", dialect="wpa-supplicant", title="Wi-Fi")


class FileReaders:
    """A card reader whose one card is a file; the bytes go through the real block-device adapter."""

    def __init__(self, path: Path) -> None:
        self.drive = Drive(str(path), "bench", 10**12, True, False, "usb", "", "", (), (), 0)

    def drives(self) -> tuple[Drive, ...]:
        return (self.drive,)

    @contextmanager
    def open(self, drive: Drive) -> Iterator[BlockDevice]:
        device = BlockDevice(drive.path)
        try:
            yield device
        finally:
            device.close()

    @contextmanager
    def look(self, drive: Drive) -> Iterator[LookedAt]:
        looked = LookedAt(drive.path, drive.size_bytes)
        try:
            yield looked
        finally:
            looked.close()

    def set_free(self, drive: Drive) -> Released:
        return Released(True, "a file")


def write(image: Path, target: Path) -> float:
    """Return the seconds it takes to fill, write, flush, read back and compare."""
    tools = OffsetVolumeTools()
    with tempfile.TemporaryDirectory(dir=image.parent) as scratch:
        library = LibraryFolder(image.parent, Path(scratch))
        xray = inspect_image.execute(image.name, library=library, tools=tools, recipes=())
        before = next(f for f in xray.files if f.path == FILE.path).content.decode()
        after = wpa_supplicant.apply(before, FILE, VALUES)
        filled = (FilledFile(FILE.path, "", FILE.dialect, after.encode(), mark_lines(before, after), ()),)
        readers = FileReaders(target)
        started = time.monotonic()
        with fill_image.execute(xray, filled, library=library, tools=tools) as filled_image:
            write_card.execute(xray, filled_image, readers.drive, readers=readers, tools=tools, tell=lambda p: None)
        return time.monotonic() - started


def xray(image: Path) -> float:
    """Return the seconds the X-ray of the boot volume takes."""
    with tempfile.TemporaryDirectory(dir=image.parent) as scratch:
        library = LibraryFolder(image.parent, Path(scratch))
        started = time.monotonic()
        inspect_image.execute(image.name, library=library, tools=OffsetVolumeTools(), recipes=(), depth="boot")
        return time.monotonic() - started


if __name__ == "__main__":
    verb, *paths = sys.argv[1:]
    seconds = write(Path(paths[0]), Path(paths[1])) if verb == "write" else xray(Path(paths[0]))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    print(json.dumps({"seconds": seconds, "peak_bytes": peak}))
