"""Filled images in a folder of the home, for the owner alone: they hold the network's key."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from mintseed.adapters.library_folder import CHECK_ROOM_BYTES, no_room, open_nameless, refuse_to_fill
from mintseed.core.errors import MissingError, OutsideError


class _Minded(io.BufferedRandom):
    """A file that leaves the disk its room: what is packed, or read off a card, does not say beforehand how long it gets."""

    def __init__(self, descriptor: int, folder: Path) -> None:
        super().__init__(io.FileIO(descriptor, "r+b"))
        self._folder, self._unchecked = folder, 0

    def write(self, data: Any, /) -> int:
        self._unchecked += memoryview(data).nbytes
        if self._unchecked > CHECK_ROOM_BYTES:
            self._unchecked = 0
            refuse_to_fill(self.fileno(), self._folder)
        return super().write(data)


class FilledFolder:
    """Implements ports.FilledCopies."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @contextmanager
    def new(self, name: str, size_bytes: int) -> Iterator[BinaryIO]:
        try:
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            descriptor, path = open_nameless(self._folder)
        except OSError as error:
            raise no_room(error, self._folder) from error
        try:
            with _Minded(descriptor, self._folder) as file:
                refuse_to_fill(descriptor, self._folder, size_bytes)
                yield file
                file.flush()
                os.fsync(file.fileno())
                target = self._folder / name
                target.unlink(missing_ok=True)
                # Only now it has a name: what is cut off before leaves nothing.
                # A folder's descriptor makes it linkat(2) with AT_SYMLINK_FOLLOW; plain link(2) follows nothing.
                at = os.open(self._folder, os.O_RDONLY | os.O_DIRECTORY)
                try:
                    os.link(path, target, src_dir_fd=at, follow_symlinks=True)
                finally:
                    os.close(at)
        except OSError as error:
            raise no_room(error, self._folder) from error
        finally:
            if not path.is_relative_to("/proc"):
                path.unlink(missing_ok=True)

    def open(self, name: str) -> BinaryIO:
        try:
            return (self._folder / name).open("rb")
        except FileNotFoundError as error:
            raise MissingError("this copy was removed", next_step="Have it made again under Card.") from error
        except OSError as error:
            raise OutsideError(f"cannot be read ({error.strerror})", where=name) from error

    def names(self) -> frozenset[str]:
        try:
            return frozenset(entry.name for entry in os.scandir(self._folder))
        except OSError:
            return frozenset()

    def remove(self, name: str) -> None:
        (self._folder / name).unlink(missing_ok=True)
