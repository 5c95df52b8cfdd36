"""A folder of image files, and sparse scratch files beside it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

from mintseed.core.errors import InputError, MissingError, OutsideError
from mintseed.core.limits import MAX_IMAGE_BYTES, MAX_SETTINGS_FILE_BYTES
from mintseed.core.units import binary_size
from mintseed.ports.images import LibraryFile

IMAGE_ENDINGS = (".img", ".img.xz", ".img.gz", ".img.bz2", ".img.zst", ".raw", ".raw.xz", ".iso")

_HOLE_BYTES = 64 * 1024


class SparseFile:
    """Implements ports.ScratchDisk."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file = path.open("w+b")
        self._size = 0

    @property
    def path(self) -> Path:
        return self._path

    @property
    def size_bytes(self) -> int:
        return self._size

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        if offset_bytes < 0 or offset_bytes >= self._size:
            return b""
        return os.pread(self._file.fileno(), min(length_bytes, self._size - offset_bytes), offset_bytes)

    def append(self, data: bytes) -> None:
        if self._size + len(data) > MAX_IMAGE_BYTES:
            raise InputError(f"unpacks to more than {binary_size(MAX_IMAGE_BYTES)}", expected="a card image")
        try:
            for start in range(0, len(data), _HOLE_BYTES):
                piece = data[start : start + _HOLE_BYTES]
                if piece.count(0) != len(piece):
                    os.pwrite(self._file.fileno(), piece, self._size + start)
        except OSError as error:
            raise _no_room(error, self._path) from error
        self.grow_to(self._size + len(data))

    def grow_to(self, size_bytes: int) -> None:
        if size_bytes > self._size:
            self._size = size_bytes
            self._file.truncate(size_bytes)

    def close(self) -> None:
        self._file.close()


def _no_room(error: OSError, path: Path) -> OutsideError:
    return OutsideError(
        f"cannot write there ({error.strerror})",
        where=str(path.parent),
        next_step="Make room on this disk, then try again.",
    )


class LibraryFolder:
    """Implements ports.ImageLibrary."""

    def __init__(self, folder: Path, scratch_folder: Path) -> None:
        self._folder = folder
        self._scratch = scratch_folder

    def files(self) -> tuple[LibraryFile, ...]:
        if not self._folder.is_dir():
            return ()
        found = [f for f in sorted(self._folder.iterdir()) if f.is_file() and f.name.endswith(IMAGE_ENDINGS)]
        return tuple(
            LibraryFile(f.name, f.stat().st_size, datetime.fromtimestamp(f.stat().st_mtime, UTC)) for f in found
        )

    def _path(self, name: str) -> Path:
        path = self._folder / name
        if Path(name).name != name or not path.is_file():
            raise MissingError(f"no file called {name}", where=str(self._folder), next_step="Put it in that folder.")
        return path

    @contextmanager
    def open(self, name: str) -> Iterator[BinaryIO]:
        with self._path(name).open("rb") as file:
            yield file

    def published_list(self, name: str) -> str | None:
        try:
            data = self._path(name).read_bytes()
        except MissingError:
            return None
        return data[:MAX_SETTINGS_FILE_BYTES].decode("utf-8", "replace")

    @contextmanager
    def scratch(self) -> Iterator[SparseFile]:
        try:
            self._scratch.mkdir(parents=True, exist_ok=True)
            folder = tempfile.TemporaryDirectory(dir=self._scratch, prefix="disk-")
        except OSError as error:
            raise _no_room(error, self._scratch) from error
        with folder as name:
            disk = SparseFile(Path(name) / "disk.img")
            try:
                yield disk
            finally:
                disk.close()
