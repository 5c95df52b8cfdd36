"""File systems inside an image: read, and on the boot volume also written."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from mintseed.core.source import Source


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

    def link(self, path: str) -> str | None:
        """Return where the symbolic link at `path` leads, as it is written; None when it is none."""

    def write(self, contents: Mapping[str, bytes]) -> None:
        """Replace files by `contents`; the dates of those that are there stay, others are made with their folders. Raises ToolError when one cannot be written."""

    def used_bytes(self) -> int | None:
        """Return how much of the volume is in use, or None when it does not tell."""


@dataclass(frozen=True, slots=True)
class RootFile:
    """A file to put on a root volume. `uid`, `gid`, `mode` None: as they are, and root's with 0644 for one that is made. `link`: a symbolic
    link, and `content` is where it leads."""

    path: str
    content: bytes = field(repr=False)
    uid: int | None = None
    gid: int | None = None
    mode: int | None = None
    link: bool = False


@dataclass(frozen=True, slots=True)
class Patch:
    """Bytes to lay over a volume, at an offset from its start."""

    offset_bytes: int
    data: bytes = field(repr=False)


class VolumeTools(Protocol):
    def identify(self, disk: Path, offset_bytes: int) -> VolumeKind:
        """Return what file system starts at `offset_bytes` of `disk`."""

    def open(self, disk: Path, offset_bytes: int, kind: VolumeKind) -> Volume | None:
        """Return the volume at `offset_bytes`, or None when its file system is not read here."""

    def unused(self, disk: Path, source: Source, offset_bytes: int, size_bytes: int) -> tuple[tuple[int, int], ...]:
        """Return what the volume at `offset_bytes` of `disk`, which `source` reads too, does not use: offsets from its start and lengths in bytes, in
        order. Nothing where its file system does not tell, or was not put away cleanly."""

    def nginx_tokens(self, data: bytes) -> Iterable[tuple[str, bool]]:
        """Return the words of an nginx settings file, each with whether it was quoted."""

    def skeleton(self, disk: Path, offset_bytes: int, size_bytes: int) -> bytes:
        """Return what the volume at `offset_bytes` says of itself without what its files hold, packed. Raises ToolError with the reason
        where nothing may be put on it: another file system, or one that is not clean."""

    def unused_of(self, skeleton: bytes) -> tuple[tuple[int, int], ...]:
        """Return what the volume that `skeleton` was taken from does not use, as `unused` does. Raises ToolError where it is damaged."""

    def patches(self, skeleton: bytes, files: Sequence[RootFile]) -> tuple[Patch, ...]:
        """Return what is to be laid over the volume that `skeleton` was taken from, so that it holds `files`: in the order of its bytes.
        Raises ToolError when one of them cannot be put there; then none is."""
