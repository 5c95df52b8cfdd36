"""The X-ray: everything read out of an image, as plain values."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import ClassVar, Literal

from pydantic import ConfigDict

from mintseed.core.findings import Finding
from mintseed.core.image.facts import NO_PARTS, NOTHING_READ, Beside, BoardParts, PageFacts, SystemFacts
from mintseed.core.image.naming import names_of


@dataclass(frozen=True, slots=True)
class VolumeFacts:
    """A file system on a partition. `used_bytes` is None where it was not measured."""

    partition: int
    role: str
    file_system: str
    label: str
    offset_bytes: int
    size_bytes: int
    used_bytes: int | None


@dataclass(frozen=True, slots=True)
class FileOnImage:
    """A small file that may be filled, with its content as it came."""

    # Files are bytes, not text: as JSON they travel in base64.
    __pydantic_config__: ClassVar[ConfigDict] = ConfigDict(ser_json_bytes="base64", val_json_bytes="base64")

    path: str
    """with a / before it on the root volume"""
    size_bytes: int
    content: bytes = field(repr=False)
    """it may hold hashes and keys"""
    known: bool
    title: str = ""

    @property
    def on_root(self) -> bool:
        return self.path.startswith("/")


@dataclass(frozen=True, slots=True)
class BoardOnImage:
    """A board an image starts on, as its device tree says."""

    model: str
    compatible: tuple[str, ...]
    file: str
    has: BoardParts = NO_PARTS


def image_mark(sha256: str, inside: str) -> str:
    """Return what tells an image from every other one: the SHA-256 of its file, and of one in an archive a hash of that and its path."""
    return hashlib.sha256(f"{sha256}\0{inside}".encode()).hexdigest() if sha256 and inside else sha256


@dataclass(frozen=True, slots=True)
class XRay:
    """What the file is and holds. `sha256` is of the file as downloaded; `unpacked_bytes` is the image's length."""

    file_name: str
    packing: str
    packed_bytes: int
    unpacked_bytes: int
    sha256: str
    scheme: str
    volumes: tuple[VolumeFacts, ...]
    boards: tuple[BoardOnImage, ...]
    device_tree_count: int
    bits: int | None
    """word size of its kernel; None when it has both, or none that is known: see `kernels`"""
    files: tuple[FileOnImage, ...]
    page: PageFacts
    recipe_id: str = ""
    release: str = ""
    build: str = ""
    kernels: tuple[int, ...] = ()
    architectures: tuple[Literal["arm", "riscv", "pc"], ...] = ()
    """whose machine language its kernels are in; empty where none is known"""
    sector_bytes: int = 512
    """size of the sectors its table counts in"""
    findings: tuple[Finding, ...] = field(default=())
    system: SystemFacts = NOTHING_READ
    inside: str = ""
    """its path in the archive it lies in; empty where it lies in none"""
    beside: tuple[Beside, ...] = ()
    """what lies beside it there"""
    root_unfillable: str = "it was not read"
    """why nothing can be put on its root volume; empty where it can"""

    @property
    def mark(self) -> str:
        """What tells it from every other image; empty where it was not read whole."""
        return image_mark(self.sha256, self.inside)

    @property
    def names(self) -> tuple[str, ...]:
        """What a recipe may call it."""
        return names_of(self.file_name, self.inside)

    @property
    def root_volume(self) -> VolumeFacts | None:
        return next((v for v in self.volumes if v.role == "root"), None)

    @property
    def compatible(self) -> tuple[str, ...]:
        """Every board name its device trees give, each once."""
        return tuple(dict.fromkeys(name for board in self.boards for name in board.compatible[:1]))

    @property
    def boot_volume(self) -> VolumeFacts | None:
        return next((v for v in self.volumes if v.role == "boot"), None)

    def file(self, path: str) -> FileOnImage | None:
        """Return the fillable file at `path` on the boot volume, or None."""
        return next((f for f in self.files if f.path == path), None)
