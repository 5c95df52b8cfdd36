"""File systems inside an image: read, and on the boot volume also written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol


@dataclass(frozen=True, slots=True)
class VolumeKind:
    """`file_system` as blkid names it (vfat, ext4), empty when unknown."""

    file_system: str
    label: str


class Volume(Protocol):
    """Paths are relative to the volume's root, with `/` between folders."""

    def files(self) -> tuple[str, ...]:
        """Return the paths of all files, where the volume is small enough to be listed whole."""

    def folder(self, path: str) -> tuple[str, ...]:
        """Return the names in one folder; nothing when it is not there."""

    def read(self, path: str, limit_bytes: int) -> bytes | None:
        """Return at most `limit_bytes` of a file, or None when it is not there."""

    def write(self, contents: Mapping[str, bytes]) -> None:
        """Replace files by `contents`; the dates of those that are there stay, others are made with their folders. Raises ToolError when one cannot be written."""

    def used_bytes(self) -> int | None:
        """Return how much of the volume is in use, or None when it does not tell."""


class VolumeTools(Protocol):
    def identify(self, disk: Path, offset_bytes: int) -> VolumeKind:
        """Return what file system starts at `offset_bytes` of `disk`."""

    def open(self, disk: Path, offset_bytes: int, kind: VolumeKind) -> Volume | None:
        """Return the volume at `offset_bytes`, or None when its file system is not read here."""
