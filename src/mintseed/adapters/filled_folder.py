"""Filled images in a folder of the home, for the owner alone: they hold the network's key."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from mintseed.adapters.library_folder import no_room, open_nameless, refuse_to_fill
from mintseed.core.errors import MissingError, OutsideError


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
            with os.fdopen(descriptor, "w+b") as file:
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
