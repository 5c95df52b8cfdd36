"""Card readers of this machine, listed by lsblk(8) and written as block devices."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from mintseed.adapters.block_device import BlockDevice
from mintseed.adapters.run_tool import run_tool
from mintseed.core.card.drives import LSBLK_COLUMNS, Drive, parse_lsblk
from mintseed.core.errors import DriveError


class LsblkReaders:
    """Implements ports.CardReaders."""

    def drives(self) -> tuple[Drive, ...]:
        arguments = ["lsblk", "--json", "--bytes", "--output", LSBLK_COLUMNS]
        return parse_lsblk(run_tool(arguments, package="util-linux").decode("utf-8", "replace"))

    @contextmanager
    def open(self, drive: Drive) -> Iterator[BlockDevice]:
        now = next((d for d in self.drives() if d.path == drive.path), None)
        if now is None or (now.serial, now.size_bytes) != (drive.serial, drive.size_bytes):
            raise DriveError("the drive is gone or another one now", expected=drive.serial or drive.model, where=drive.path,
                             next_step="Look at the drives again and pick it again.")  # fmt: skip
        device = BlockDevice(drive.path)
        try:
            yield device
        finally:
            device.close()

    def set_free(self, drive: Drive) -> None:
        os.sync()
