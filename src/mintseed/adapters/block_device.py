"""A block device, or a file that stands for one, opened for writing and reading back."""

from __future__ import annotations

import errno
import fcntl
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from mintseed.core.errors import DriveError

_BLKFLSBUF = 0x1261
"""ioctl that drops a block device's buffers. Source: linux/fs.h."""

_READ_BYTES = 4 * 1024 * 1024

_MEANING = {
    errno.EBUSY: "the drive is in use",
    errno.EACCES: "no right to write to it",
    errno.EPERM: "no right to write to it",
    errno.ENOENT: "the drive is gone",
    errno.ENXIO: "the drive is gone",
    errno.ENODEV: "the drive is gone",
    errno.ENOSPC: "the drive is full",
    errno.EIO: "the drive gave an input/output error",
    errno.EROFS: "the drive is write-protected",
}


def drive_error(error: OSError, path: str) -> DriveError:
    """Return `error` as DriveError that says what it means for the card."""
    found = _MEANING.get(error.errno or 0, error.strerror or str(error))
    return DriveError(found, where=path, next_step="Put the card in again, look at the drives, and write it again.")


class BlockDevice:
    """Implements ports.BlockTarget. O_EXCL makes the kernel refuse a device that is mounted or in use."""

    def __init__(self, path: str) -> None:
        self._path = path
        try:
            self._is_block = stat.S_ISBLK(Path(path).stat().st_mode)
            self._descriptor = os.open(path, os.O_RDWR | (os.O_EXCL if self._is_block else 0))
        except OSError as error:
            raise drive_error(error, path) from error

    def write(self, data: bytes) -> None:
        view = memoryview(data)
        try:
            while view:
                view = view[os.write(self._descriptor, view) :]
        except OSError as error:
            raise drive_error(error, self._path) from error

    def flush(self) -> None:
        try:
            os.fsync(self._descriptor)
        except OSError as error:
            raise drive_error(error, self._path) from error

    def read_back(self, length_bytes: int) -> Iterator[bytes]:
        try:
            self._drop_cache()
            offset = 0
            while offset < length_bytes:
                piece = os.pread(self._descriptor, min(_READ_BYTES, length_bytes - offset), offset)
                if not piece:
                    raise DriveError(
                        f"it ends after {offset} bytes", expected=f"{length_bytes} bytes", where=self._path
                    )
                yield piece
                offset += len(piece)
        except OSError as error:
            raise drive_error(error, self._path) from error

    def _drop_cache(self) -> None:
        if self._is_block:
            fcntl.ioctl(self._descriptor, _BLKFLSBUF, 0)
        os.posix_fadvise(self._descriptor, 0, 0, os.POSIX_FADV_DONTNEED)

    def close(self) -> None:
        os.close(self._descriptor)
