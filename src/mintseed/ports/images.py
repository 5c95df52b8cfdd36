"""The library folder with image files, and scratch disks to unpack them on."""

from __future__ import annotations

from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, Protocol


@dataclass(frozen=True, slots=True)
class LibraryFile:
    """`name` is spelled as core.visible.spell_name does, so that any bytes are a name that can be shown."""

    name: str
    size_bytes: int
    modified_at: datetime


@dataclass(frozen=True, slots=True)
class Stranger:
    """Something in the library that has an image's name and is not read; `why` ends a sentence that begins with it."""

    name: str
    why: str


class ScratchDisk(Protocol):
    """A sparse file that stands for a disk; removed when its context ends."""

    @property
    def path(self) -> Path: ...

    @property
    def size_bytes(self) -> int: ...

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes: ...

    def append(self, data: bytes) -> None:
        """Add `data` at the end; runs of zeros take no room."""

    def grow_to(self, size_bytes: int) -> None:
        """Make the disk at least `size_bytes` long."""


class ImageLibrary(Protocol):
    def files(self) -> tuple[LibraryFile, ...]:
        """Return the image files, by name."""

    def strangers(self) -> tuple[Stranger, ...]:
        """Return what is called like an image and is none that is read."""

    def open(self, name: str) -> AbstractContextManager[BinaryIO]:
        """Open a file of the library for reading. Raises MissingError when it is not there."""

    def remove(self, name: str) -> None:
        """Remove a file of the library for good. Raises MissingError when it is not there."""

    def link(self, name: str, new_name: str) -> None:
        """Give a file of the library a second name. Raises MissingError when it is not there, RefusedError where something is called so already,
        OutsideError."""

    def published_list(self, name: str) -> str | None:
        """Return the text of a checksum list lying beside the images, or None."""

    def lists(self) -> tuple[tuple[str, str], ...]:
        """Return the names and texts of the checksum lists lying beside the images."""

    def keep_list(self, name: str, text: str) -> None:
        """Put a checksum list beside the images, in place of one of that name. Raises OutsideError when there is no room."""

    def keep_skeleton(self, mark: str, skeleton: bytes) -> None:
        """Keep what was taken of the root volume of the image with this mark; see report.image_mark. Raises OutsideError when there is no room."""

    def skeleton(self, mark: str) -> bytes | None:
        """Return what was kept so, or None."""

    def scratch(self) -> AbstractContextManager[ScratchDisk]:
        """Return a fresh scratch disk. Raises OutsideError when there is no room."""
