"""A packed image as a file: written, then read again and compared with what was to be in it."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import BinaryIO

from blake3 import blake3

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError
from mintseed.core.image.pack import packed
from mintseed.core.image.packing import Packing, unpack


@dataclass(frozen=True, slots=True)
class PackedFile:
    """The file's length and SHA-256; length and BLAKE3 of the image in it."""

    size_bytes: int
    sha256: str
    image_bytes: int
    digest: str


def write(file: BinaryIO, pieces: Iterator[bytes], packing: Packing, *, tell: Callable[[Progress], None]) -> PackedFile:
    """Pack `pieces` into `file`, read it again and compare. Raises OutsideError when it holds something else."""
    whole, image, length, size = hashlib.sha256(), blake3(), 0, 0

    def counted() -> Iterator[bytes]:
        nonlocal length
        for piece in pieces:
            image.update(piece)
            length += len(piece)
            yield piece

    for out in packed(counted(), packing):
        file.write(out)
        whole.update(out)
        size += len(out)
    file.flush()
    made = PackedFile(size, whole.hexdigest(), length, image.hexdigest())
    _compare(file, packing, made, tell)
    return made


def _compare(file: BinaryIO, packing: Packing, made: PackedFile, tell: Callable[[Progress], None]) -> None:
    began, found, done = time.monotonic(), blake3(), 0
    file.seek(0)
    for piece in unpack(file, packing):
        found.update(piece)
        done += len(piece)
        tell(Progress(Phase.COMPARING, done, made.image_bytes, time.monotonic() - began))
    if (found.hexdigest(), done) != (made.digest, made.image_bytes):
        raise OutsideError("the file holds other bytes than went into it", expected=f"BLAKE3 {made.digest}",
                           next_step="The disk it lies on is failing: have it made on another one.")  # fmt: skip
