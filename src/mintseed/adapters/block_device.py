"""A block device, or a file that stands for one, opened for writing and reading back."""

from __future__ import annotations

import errno
import fcntl
import mmap
import os
import stat
import struct
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from mintseed.core.card.blank import stretches
from mintseed.core.errors import DriveError

_READ_BYTES = 4 * 1024 * 1024

_ALIGN_BYTES = 4096
"""O_DIRECT wants offset, length and memory aligned to the sector; 4096 serves every sector size. Source: open(2)."""

_BLKDISCARD = 0x1277
"""Forget a range of a block device: two numbers of 64 bits, where it begins and how long it is. Source: linux/fs.h, _IO(0x12, 119)."""

_MOST_IN_VAIN = 16
"""stretches of zeros that a card is read for and turns out to hold something else, before it is written without looking: a card that
was used all over is not read once for nothing"""

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


def lock_alone(descriptor: int, path: str) -> None:
    """Take the one lock a writer holds. Raises DriveError while another writer holds it."""
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        raise DriveError("another writer still holds the drive", where=path,
                         next_step="Wait until it has ended, then write again.") from error  # fmt: skip


@contextmanager
def flushed(path: str, flags: int = 0) -> Iterator[Callable[[], None]]:
    """Hold a drive, or a file that stands for one, while a tool changes it. What is handed over brings everything onto the medium and forgets
    what memory holds of it, so that what is read next comes from there. Raises DriveError when it is in use or may not be opened."""
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC | flags)
    except OSError as error:
        raise drive_error(error, path) from error

    def flush() -> None:
        try:
            os.fsync(descriptor)
        except OSError as error:
            raise drive_error(error, path) from error
        os.posix_fadvise(descriptor, 0, 0, os.POSIX_FADV_DONTNEED)

    try:
        lock_alone(descriptor, path)
        yield flush
    finally:
        os.close(descriptor)


def is_hole(descriptor: int, offset_bytes: int, length_bytes: int) -> bool:
    """Return whether nothing was ever written to that place of a file, so that it holds zeros (lseek(2), SEEK_DATA)."""
    try:
        return os.lseek(descriptor, offset_bytes, os.SEEK_DATA) >= offset_bytes + length_bytes
    except OSError as error:
        return error.errno == errno.ENXIO  # no data from there to the end of the file


class BlockDevice:
    """Implements ports.BlockTarget.

    O_EXCL makes the kernel refuse a device that is mounted or in use; an exclusive flock keeps a second writer out of
    files as well. The descriptor for reading back is opened before the first byte is written, past the page cache
    (O_DIRECT), which needs no right beyond reading.
    """

    def __init__(self, path: str) -> None:
        self._path = path
        self._reader = -1
        self._written = self._in_vain = 0
        try:
            self._is_block = stat.S_ISBLK(Path(path).stat().st_mode)
            self._descriptor = os.open(path, os.O_RDWR | os.O_CLOEXEC | (os.O_EXCL if self._is_block else 0))
        except OSError as error:
            raise drive_error(error, path) from error
        try:
            lock_alone(self._descriptor, path)
            self._reader = self._open_reader()
        except BaseException:
            os.close(self._descriptor)
            raise

    def _open_reader(self) -> int:
        try:
            return os.open(self._path, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECT)
        except OSError as error:
            if error.errno == errno.EINVAL and not self._is_block:
                return os.open(self._path, os.O_RDONLY | os.O_CLOEXEC)  # a file system without O_DIRECT
            raise drive_error(error, self._path) from error

    def write(self, data: bytes) -> None:
        for begin, end, blank in stretches(data):
            if not (blank and self._holds_zeros(self._written + begin, end - begin)):
                self.write_at(self._written + begin, data[begin:end])
        self.pass_over(len(data))

    def pass_over(self, length_bytes: int) -> None:
        self._written += length_bytes
        if not self._is_block and os.fstat(self._descriptor).st_size < self._written:
            os.ftruncate(self._descriptor, self._written)

    def _holds_zeros(self, offset_bytes: int, length_bytes: int) -> bool:
        """Return whether the medium is known to hold zeros there. What cannot be read is written: that may mend it."""
        if self._in_vain >= _MOST_IN_VAIN:
            return False
        try:
            found = (
                self._reads_zeros(offset_bytes, length_bytes)
                if self._is_block
                else is_hole(self._descriptor, offset_bytes, length_bytes)
            )
        except OSError:
            found = False
        self._in_vain += not found
        return found

    def _reads_zeros(self, offset: int, length_bytes: int) -> bool:
        if offset % _ALIGN_BYTES:
            return False
        end = offset + length_bytes
        with closing(mmap.mmap(-1, _READ_BYTES)) as buffer:
            for piece in self._read_into(buffer, offset, end):
                if any(not blank for _, _, blank in stretches(piece)):
                    return False
        return True

    def write_at(self, offset_bytes: int, data: bytes) -> None:
        try:
            view = memoryview(data)
            while view:
                done = os.pwrite(self._descriptor, view, offset_bytes)
                view, offset_bytes = view[done:], offset_bytes + done
        except OSError as error:
            raise drive_error(error, self._path) from error

    def flush(self) -> None:
        try:
            os.fsync(self._descriptor)
        except OSError as error:
            raise drive_error(error, self._path) from error

    def forget(self) -> None:
        with suppress(OSError):  # a reader that does not pass it on (ENOTSUP): the card stays as it is
            if self._is_block:
                fcntl.ioctl(
                    self._descriptor, _BLKDISCARD, struct.pack("QQ", 0, os.lseek(self._descriptor, 0, os.SEEK_END))
                )
            else:
                size = os.fstat(self._descriptor).st_size
                os.ftruncate(self._descriptor, 0)
                os.ftruncate(self._descriptor, size)

    def read_back(self, length_bytes: int, offset_bytes: int = 0) -> Iterator[bytes]:
        os.posix_fadvise(self._descriptor, 0, 0, os.POSIX_FADV_DONTNEED)
        buffer = mmap.mmap(-1, _READ_BYTES)  # page-aligned, as O_DIRECT wants it
        try:
            yield from self._read_into(buffer, offset_bytes, offset_bytes + length_bytes)
        except OSError as error:
            raise drive_error(error, self._path) from error
        finally:
            buffer.close()

    def _read_into(self, buffer: mmap.mmap, offset: int, end: int) -> Iterator[bytes]:
        while offset < end:
            wanted = min(_READ_BYTES, end - offset)
            aligned = -(-wanted // _ALIGN_BYTES) * _ALIGN_BYTES
            with memoryview(buffer) as view, view[:aligned] as room:
                got = os.preadv(self._reader, [room], offset)
                piece = bytes(room[: min(got, wanted)])
            if not piece:
                raise DriveError(f"it ends after {offset} bytes", expected=f"{end} bytes", where=self._path)
            yield piece
            offset += len(piece)

    def close(self) -> None:
        os.close(self._reader)
        os.close(self._descriptor)


class LookedAt:
    """Implements ports.ReadableDrive."""

    def __init__(self, path: str, size_bytes: int) -> None:
        self._path, self._size = path, size_bytes
        try:
            self._descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
            os.posix_fadvise(self._descriptor, 0, 0, os.POSIX_FADV_DONTNEED)
        except OSError as error:
            raise drive_error(error, path) from error

    @property
    def path(self) -> Path:
        return Path(self._path)

    @property
    def size_bytes(self) -> int:
        return self._size

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        try:
            return os.pread(self._descriptor, length_bytes, offset_bytes) if offset_bytes >= 0 else b""
        except OSError as error:
            raise drive_error(error, self._path) from error

    def close(self) -> None:
        os.close(self._descriptor)
