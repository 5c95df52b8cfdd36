"""Read what an image file really is: packing, checksum, table, volumes, boards, files to fill, its page."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import BinaryIO, Literal

from mintseed.core.errors import ImageError, OutsideError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image import packing
from mintseed.core.image.checksums import compare_sha256, listed_beside, listed_for
from mintseed.core.image.facts import PageFacts
from mintseed.core.image.naming import file_of, inside_of, names_of
from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.image.report import XRay, image_mark
from mintseed.core.image.unwrapping import Wrapping, unwrap
from mintseed.core.image.xz_blocks import Ahead, in_turn
from mintseed.core.limits import MAX_FIRMWARE_BYTES
from mintseed.core.recipes.model import Build, Recipe, Release
from mintseed.core.source import BytesSource
from mintseed.core.units import MB, MIB, decimal_size
from mintseed.ports.images import ImageLibrary, ScratchDisk
from mintseed.ports.volume import VolumeTools
from mintseed.services import inspect_volumes
from mintseed.services.background_hash import BackgroundSha256
from mintseed.services.inspect_volumes import HeldOnImage, Looking
from mintseed.services.side_by_side import side_by_side

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
    """A read-only file that hashes, in order and once, what passes through it; what is skipped is hashed once it is asked for."""

    def __init__(self, stream: BinaryIO, tell: Callable[[int], None]) -> None:
        super().__init__()
        self._stream, self._tell = stream, tell
        self._digest, self.hashed_bytes, self._at = BackgroundSha256(), 0, 0
        # Held here: a buffer that nobody holds closes what it reads from.
        self.buffered: BinaryIO = io.BufferedReader(self, MIB)

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        try:
            self._at = self._stream.seek(offset, whence)
        except OSError as error:
            raise _unreadable(self._stream, error) from error
        return self._at

    def tell(self) -> int:
        return self._at

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        if self.closed:
            raise ValueError("read after it was closed")
        data = _read(self._stream, len(buffer))
        buffer[: len(data)] = data
        begins, self._at = self._at, self._at + len(data)
        if begins <= self.hashed_bytes < self._at:
            self._digest.update(data[self.hashed_bytes - begins :])
            self.hashed_bytes = self._at
        self._tell(self.hashed_bytes)
        return len(data)

    def hash_to(self, end_bytes: int) -> None:
        """Read what lies between what was hashed and `end_bytes`, and be where it was before."""
        was = self._at
        self.seek(self.hashed_bytes)
        while self.hashed_bytes < end_bytes and self.read(min(MIB, end_bytes - self.hashed_bytes)):
            pass
        self.seek(was)

    def drain(self) -> None:
        """Read what is left, so that the checksum is of the whole file."""
        self.seek(self.hashed_bytes)
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


def open_tapped(
    stream: BinaryIO,
    tell: Callable[[int], None],
    *,
    wanted: str = "",
    look_around: bool = False,
    ahead: Ahead = side_by_side,
) -> tuple[Wrapping, TappedStream, Iterator[bytes]]:
    """Return how the image in `stream` is wrapped, the tap, and the image's bytes; see unwrapping.unwrap.

    Raises ImageError for what is no image.
    """
    tap = TappedStream(stream, tell)
    try:
        wrapping, pieces = unwrap(
            tap.buffered, wanted=wanted, look_around=look_around, seek_to=tap.hash_to, ahead=ahead
        )
    except BaseException:
        tap.close()
        raise
    return wrapping, tap, pieces


@dataclass(frozen=True, slots=True)
class _Unpacked:
    wrapping: Wrapping
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
    told = tuple(recipes)
    known = _known(names_of(name), told)
    if known is not None and known[2].medium == "serial":
        return _firmware(name, known, library, tell)
    with library.scratch() as disk:
        with library.open(file_of(name)) as stream:
            unpacked = _unpack(stream, disk, depth, tell, inside_of(name))
        known = _known(names_of(name, unpacked.wrapping.inside), told)
        looking = Looking(lambda: tell(unpacked.packed_bytes, unpacked.packed_bytes))
        return _report(name, unpacked, disk, tools, known, library, looking)


def _known(names: Sequence[str], recipes: Sequence[Recipe]) -> Known | None:
    return next(((r, *found) for r in recipes if (found := r.build_of_file(*names))), None)


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


def _unpack(stream: BinaryIO, disk: ScratchDisk, depth: Depth, tell: Tell, wanted: str) -> _Unpacked:
    size_bytes = _size_of(stream)
    wrapping, tap, pieces = open_tapped(
        stream,
        lambda done: tell(done, size_bytes),
        wanted=wanted,
        look_around=depth == "whole",
        # For a boot volume no block is read that it does not lie in.
        ahead=side_by_side if depth == "whole" else in_turn,
    )
    with tap:
        return _unpack_onto(disk, wrapping, tap, pieces, depth, size_bytes)


def _unpack_onto(
    disk: ScratchDisk, wrapping: Wrapping, tap: TappedStream, pieces: Iterator[bytes], depth: Depth, size_bytes: int
) -> _Unpacked:
    stop_at: int | None = None
    for piece in pieces:
        disk.append(piece)
        if depth == "boot":
            if stop_at is None and disk.size_bytes >= TABLE_BYTES:
                stop_at = boot_volume_end(_table(disk, None))
            if stop_at is not None and disk.size_bytes >= stop_at:
                break
    if depth == "boot":
        claimed = max((p.end_bytes for p in _table(disk, None).partitions), default=disk.size_bytes)
        return _Unpacked(wrapping, size_bytes, "", _table(disk, claimed), False)
    tap.drain()
    return _Unpacked(wrapping, size_bytes, tap.sha256, read_partition_table(disk), True)


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
        library.keep_skeleton(image_mark(unpacked.sha256, unpacked.wrapping.inside), held.skeleton)
    findings = [*table.findings, *looking.findings]
    findings += identity(name, unpacked.sha256, disk.size_bytes, known, library)
    findings += _content(held)
    recipe_id, release, build = (known[0].id, known[1].version, known[2].id) if known else ("", "", "")
    return XRay(
        file_name=name,
        packing=unpacked.wrapping.words,
        packed_bytes=unpacked.packed_bytes,
        unpacked_bytes=disk.size_bytes if unpacked.complete else max(p.end_bytes for p in table.partitions),
        sha256=unpacked.sha256,
        scheme=table.scheme,
        sector_bytes=table.sector_bytes,
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
        inside=unpacked.wrapping.inside,
        beside=tuple(unpacked.wrapping.beside),
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
        if sha256 and (beside := _beside(name, sha256, library)) is not None:
            yield beside
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
    # What is published speaks of the file as it is downloaded.
    file = file_of(name)
    said = build.sha256 if file == build.file else None
    if said:
        return compare_sha256(sha256, said, source_name=f"recipe {recipe.id}")
    if listed and build.checksums and (one := listed_for(listed, file)):
        return compare_sha256(sha256, one.sha256, source_name=build.checksums, line=one.line)
    if (beside := _beside(name, sha256, library)) is not None:
        return beside
    return compare_sha256(
        sha256, None, source_name=build.checksums or f"recipe {recipe.id}", promised=bool(build.checksums)
    )


def _beside(name: str, sha256: str, library: ImageLibrary) -> Finding | None:
    """Return what a list that lies beside the file says of it, None where none does."""
    told = listed_beside(library.lists(), file_of(name), sha256)
    return compare_sha256(sha256, told[1].sha256, source_name=told[0], line=told[1].line) if told else None


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
