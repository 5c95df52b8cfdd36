"""Read what an image file really is: packing, checksum, table, volumes, boards, files to fill, its page."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import BinaryIO, Literal

from mintseed.core.errors import ImageError, OutsideError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image import packing
from mintseed.core.image.checksums import compare_sha256, sha256_in_list
from mintseed.core.image.page import PageFacts
from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.image.report import XRay
from mintseed.core.limits import MAX_FIRMWARE_BYTES
from mintseed.core.recipes.model import Build, Recipe, Release
from mintseed.core.source import BytesSource
from mintseed.core.units import MB, MIB, decimal_size
from mintseed.ports.images import ImageLibrary, ScratchDisk
from mintseed.ports.volume import VolumeTools
from mintseed.services import inspect_volumes
from mintseed.services.background_hash import BackgroundSha256
from mintseed.services.inspect_volumes import HeldOnImage, Looking

TABLE_BYTES = MIB
"""bytes of the image's start that surely hold its partition table."""

BOOT_TYPES = ("FAT", "EFI system", "basic data")
"""Partition types a boot volume may have; whether it is one its content says."""

Known = tuple[Recipe, Release, Build]
"""What a recipe says a file is."""

Depth = Literal["boot", "whole"]
Tell = Callable[[int, int], None]
"""Called with packed bytes read so far and in all; may raise to stop."""


class TappedStream(io.RawIOBase):
    """A read-only stream that hashes and counts what passes through it."""

    def __init__(self, stream: BinaryIO, tell: Callable[[int], None]) -> None:
        super().__init__()
        self._stream, self._tell = stream, tell
        self._digest, self._count = BackgroundSha256(), 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        data = _read(self._stream, len(buffer))
        buffer[: len(data)] = data
        self._digest.update(data)
        self._count += len(data)
        self._tell(self._count)
        return len(data)

    def drain(self) -> None:
        """Read what is left, so that the checksum is of the whole file."""
        while self.read(MIB):
            pass

    @property
    def sha256(self) -> str:
        return self._digest.hexdigest()

    def close(self) -> None:
        self._digest.close()
        super().close()


def _read(stream: BinaryIO, length_bytes: int) -> bytes:
    """Return at most `length_bytes` of `stream`. Raises OutsideError when its medium cannot be read there."""
    try:
        return stream.read(length_bytes)
    except OSError as error:
        raise _unreadable(stream, error) from error


def _size_of(stream: BinaryIO) -> int:
    """Return the length of `stream` in bytes, and go to its start. Raises OutsideError when it has none."""
    try:
        size_bytes = stream.seek(0, io.SEEK_END)
        stream.seek(0)
    except OSError as error:
        raise _unreadable(stream, error) from error
    return size_bytes


def _unreadable(stream: BinaryIO, error: OSError) -> OutsideError:
    return OutsideError(f"cannot be read on ({error.strerror})", where=str(getattr(stream, "name", "")),
                        next_step="The disk or the file is damaged: copy or download it again.")  # fmt: skip


def open_tapped(stream: BinaryIO, tell: Callable[[int], None]) -> tuple[packing.Packing, TappedStream, BinaryIO]:
    """Return how `stream` is packed, the tap, and a buffered stream over it at the start.

    Raises ImageError for what is no image.
    """
    head = _read(stream, packing.HEAD_BYTES)
    kind = packing.detect(head)
    stream.seek(0)
    tap = TappedStream(stream, tell)
    return kind, tap, io.BufferedReader(tap, MIB)


@dataclass(frozen=True, slots=True)
class _Unpacked:
    kind: packing.Packing
    packed_bytes: int
    sha256: str
    table: PartitionTable
    complete: bool


def execute(
    name: str,
    *,
    library: ImageLibrary,
    tools: VolumeTools,
    recipes: Iterable[Recipe],
    depth: Depth = "whole",
    tell: Tell = lambda done, total: None,
) -> XRay:
    """Return the X-ray of the library's file `name`.

    With depth `boot`, reading stops at the end of the boot volume: no checksum, no root volume.
    Raises MissingError, ImageError, PartitionTableError or OutsideError.
    """
    known = next(((r, *found) for r in recipes if (found := r.build_of_file(name))), None)
    if known is not None and known[2].medium == "serial":
        return _firmware(name, known, library, tell)
    with library.scratch() as disk:
        with library.open(name) as stream:
            unpacked = _unpack(stream, disk, depth, tell)
        looking = Looking(lambda: tell(unpacked.packed_bytes, unpacked.packed_bytes))
        return _report(name, unpacked, disk, tools, known, library, looking)


def _firmware(name: str, known: Known, library: ImageLibrary, tell: Tell) -> XRay:
    """Return the X-ray of firmware: a file without partitions, of which only size and checksum can be told."""
    with library.open(name) as stream:
        size_bytes = _size_of(stream)
        if size_bytes > MAX_FIRMWARE_BYTES:
            raise ImageError(f"it has {decimal_size(size_bytes)}", expected=f"firmware of at most {decimal_size(MAX_FIRMWARE_BYTES)}",
                             next_step="Download it again, and mind which file of the release it is.")  # fmt: skip
        data = _read(stream, MAX_FIRMWARE_BYTES)
    tell(size_bytes, size_bytes)
    sha256 = hashlib.sha256(data).hexdigest()
    recipe, release, build = known
    note = Finding("image.firmware", Severity.NOTE, "Firmware for a module", "It has no partitions and no files to fill; it goes over a serial adapter.",
                   "Mind the 3.3 V, and wait for the line that says it is through.", Where(file=name))  # fmt: skip
    return XRay(
        file_name=name, packing=str(packing.Packing.RAW), packed_bytes=size_bytes, unpacked_bytes=size_bytes, sha256=sha256, scheme="firmware",
        volumes=(), boards=(), device_tree_count=0, bits=None, files=(), page=PageFacts(), recipe_id=recipe.id, release=release.version,
        build=build.id, findings=(note, _published(name, sha256, known, library)),
    )  # fmt: skip


def _unpack(stream: BinaryIO, disk: ScratchDisk, depth: Depth, tell: Tell) -> _Unpacked:
    size_bytes = _size_of(stream)
    kind, tap, buffered = open_tapped(stream, lambda done: tell(done, size_bytes))
    with tap:
        return _unpack_onto(disk, kind, tap, buffered, depth, size_bytes)


def _unpack_onto(
    disk: ScratchDisk, kind: packing.Packing, tap: TappedStream, buffered: BinaryIO, depth: Depth, size_bytes: int
) -> _Unpacked:
    stop_at: int | None = None
    for piece in packing.unpack(buffered, kind):
        if not disk.size_bytes and kind is not packing.Packing.RAW:
            packing.refuse_archive(piece[: packing.HEAD_BYTES], kind)
        disk.append(piece)
        if depth == "boot":
            if stop_at is None and disk.size_bytes >= TABLE_BYTES:
                stop_at = boot_volume_end(_table(disk, None))
            if stop_at is not None and disk.size_bytes >= stop_at:
                break
    if depth == "boot":
        claimed = max((p.end_bytes for p in _table(disk, None).partitions), default=disk.size_bytes)
        return _Unpacked(kind, size_bytes, "", _table(disk, claimed), False)
    tap.drain()
    return _Unpacked(kind, size_bytes, tap.sha256, read_partition_table(disk), True)


def _table(disk: ScratchDisk, claimed_bytes: int | None) -> PartitionTable:
    return read_partition_table(BytesSource(disk.read_at(0, TABLE_BYTES), claimed_bytes or disk.size_bytes))


def boot_volume_end(table: PartitionTable) -> int:
    """Return the byte where the boot volume of `table` ends. Raises ImageError when there is no partition."""
    if not table.partitions:
        raise ImageError("the partition table is empty", expected="a boot volume and a root volume",
                         next_step="This is no card image; choose another file.")  # fmt: skip
    ordered = sorted(table.partitions, key=lambda p: p.start_lba)
    return next((p for p in ordered if p.type_name.startswith(BOOT_TYPES)), ordered[0]).end_bytes


def _report(
    name: str,
    unpacked: _Unpacked,
    disk: ScratchDisk,
    tools: VolumeTools,
    known: Known | None,
    library: ImageLibrary,
    looking: Looking,
) -> XRay:
    table = unpacked.table
    boot_volume_end(table)
    held = inspect_volumes.execute(table, disk, tools, known[0] if known else None, looking, whole=unpacked.complete)
    if held.skeleton and unpacked.sha256:
        library.keep_skeleton(unpacked.sha256, held.skeleton)
    findings = [*table.findings, *looking.findings]
    findings += identity(name, unpacked.sha256, disk.size_bytes, known, library)
    findings += _content(held)
    recipe_id, release, build = (known[0].id, known[1].version, known[2].id) if known else ("", "", "")
    return XRay(
        file_name=name,
        packing=str(unpacked.kind),
        packed_bytes=unpacked.packed_bytes,
        unpacked_bytes=disk.size_bytes if unpacked.complete else max(p.end_bytes for p in table.partitions),
        sha256=unpacked.sha256,
        scheme=table.scheme,
        volumes=held.volumes,
        boards=held.boards,
        device_tree_count=len(held.boards),
        bits=held.bits,
        kernels=tuple(sorted({kernel.bits for kernel in held.kernels})),
        architectures=tuple(sorted({kernel.architecture for kernel in held.kernels})),
        files=held.files,
        page=held.page,
        recipe_id=recipe_id,
        release=release,
        build=build,
        findings=tuple(findings),
        system=held.system,
        root_unfillable=held.unfillable,
    )


def identity(
    name: str, sha256: str, unpacked_bytes: int, known: Known | None, library: ImageLibrary
) -> Iterator[Finding]:
    """Yield what is said of an image by what a recipe, if one, says it is. `sha256` is empty where it was not read whole."""
    if known is None:
        yield Finding("image.recipe-unknown", Severity.NOTE, "No recipe describes this file yet",
                      "What can be read of it is read: a recipe is drafted from that, to be looked over and kept.",
                      "Use this image: look its draft over.", Where(file=name))  # fmt: skip
    elif sha256:
        yield _published(name, sha256, known, library)
        yield from _size_as_said(name, unpacked_bytes, known)


def _size_as_said(name: str, unpacked_bytes: int, known: Known) -> Iterator[Finding]:
    """Yield a note where the image is another size than its recipe says; the recipe's is a whole number of 10⁶ bytes."""
    recipe, _release, build = known
    if build.unpacked_mb is not None and abs(unpacked_bytes - build.unpacked_mb * MB) > MB:
        yield Finding("image.size-otherwise", Severity.NOTE, f"It unpacks to {decimal_size(unpacked_bytes)}, its recipe says {build.unpacked_mb} MB",
                      "What is read counts: the card is measured against the file itself.",
                      f"Bring the recipe of {recipe.name} up to date: unpacked_mb of the {build.id} build.", Where(file=name))  # fmt: skip


def _published(name: str, sha256: str, known: Known, library: ImageLibrary) -> Finding:
    recipe, _release, build = known
    listed = library.published_list(build.checksums) if build.checksums else None
    published = build.sha256 or (sha256_in_list(listed, name) if listed else None)
    promised = bool(build.checksums or build.sha256)
    return compare_sha256(sha256, published, source_name=build.checksums or f"recipe {recipe.id}", promised=promised)


def _content(held: HeldOnImage) -> Iterator[Finding]:
    if not any(v.role == "boot" and v.file_system == "vfat" for v in held.volumes):
        detail = "No partition holds a FAT file system that is read here. "
        yield Finding(
            "image.no-boot-volume", Severity.NOTE, "No boot volume that can be filled",
            detail + (f"Nor can its root volume: {held.unfillable}." if held.unfillable else "Its root volume can be filled."),
            "Its settings go in by cable, or with a screen and a keyboard." if held.unfillable else "",
        )  # fmt: skip
    if not held.boards:
        yield Finding("image.no-device-trees", Severity.NOTE, "No device trees were found on it",
                      "Which boards it starts on cannot be told.", "Rely on the appliance's own list of boards.")  # fmt: skip
    if held.boards and not held.kernels:
        yield Finding("image.kernel-unknown", Severity.NOTE, "The kernel's word size cannot be told",
                      "No kernel with a known header lies on the boot volume.")  # fmt: skip
