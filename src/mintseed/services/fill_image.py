"""Fill an image's settings files: the head of the image, up to the end of its boot volume, with the files replaced."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import BinaryIO

from mintseed.core.errors import ImageError, RefusedError, ToolError
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.image import packing
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile
from mintseed.ports.images import ImageLibrary, ScratchDisk
from mintseed.ports.volume import VolumeTools
from mintseed.services.inspect_image import TappedStream, open_tapped


@dataclass(frozen=True, slots=True)
class FilledHead:
    """The first `length_bytes` of the filled image, on a scratch disk."""

    disk: ScratchDisk
    length_bytes: int


def check(filled: Sequence[FilledFile]) -> tuple[Finding, ...]:
    """Return the findings about the files that are to go into the image, worst first."""
    return worst_first(f for file in filled for f in file.findings)


@contextmanager
def execute(
    xray: XRay, filled: Sequence[FilledFile], *, library: ImageLibrary, tools: VolumeTools
) -> Iterator[FilledHead]:
    """Unpack the image's head, write the files into its boot volume, and read each back.

    Raises RefusedError when a finding stops it, ImageError when there is no boot volume to fill.
    """
    found = check(filled)
    if verdict(found) is Severity.STOP:
        raise RefusedError(found[0].title, where=found[0].where.file, next_step=found[0].fix)
    boot = xray.boot_volume
    if boot is None:
        raise ImageError("there is no boot volume to fill", where=xray.file_name)
    end = boot.offset_bytes + boot.size_bytes
    with library.scratch() as disk:
        with library.open(xray.file_name) as stream:
            _unpack_head(stream, disk, end)
        kind = tools.identify(disk.path, boot.offset_bytes)
        volume = tools.open(disk.path, boot.offset_bytes, kind)
        if volume is None:
            raise ImageError("the boot volume cannot be written", expected="a FAT file system", where=xray.file_name)
        volume.write({file.path: file.content for file in filled})
        for file in filled:
            if volume.read(file.path, len(file.content) + 1) != file.content:
                raise ToolError(f"{file.path} did not arrive in the image as it was written", where=xray.file_name)
        yield FilledHead(disk, end)


def _unpack_head(stream: BinaryIO, disk: ScratchDisk, end_bytes: int) -> None:
    kind, _, buffered = open_tapped(stream, lambda done: None)
    for piece in packing.unpack(buffered, kind):
        disk.append(piece[: end_bytes - disk.size_bytes])
        if disk.size_bytes >= end_bytes:
            return
    raise ImageError("it ends before its boot volume does", next_step="The file is cut short: download it again.")


@dataclass(frozen=True, slots=True)
class Unpacking:
    """A filled image as a stream of pieces; `tap` knows the packed file's SHA-256 once the pieces are used up."""

    pieces: Iterator[bytes]
    tap: TappedStream


def filled_pieces(stream: BinaryIO, head: FilledHead, tell: Callable[[int], None] = lambda done: None) -> Unpacking:
    """Return the filled image: the unpacked bytes of `stream` with their head replaced."""
    kind, tap, buffered = open_tapped(stream, tell)

    def pieces() -> Iterator[bytes]:
        offset = 0
        for piece in packing.unpack(buffered, kind):
            if offset < head.length_bytes:
                ours = head.disk.read_at(offset, min(len(piece), head.length_bytes - offset))
                piece = ours + piece[len(ours) :]
            yield piece
            offset += len(piece)
        tap.drain()

    return Unpacking(pieces(), tap)
