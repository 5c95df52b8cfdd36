"""Save a filled image as a file, checked as a card is: whole, and of the very download that was X-rayed."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.image.changes import ImageChanges
from mintseed.core.image.packing import Packing
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile
from mintseed.ports.filled_copies import FilledCopies
from mintseed.ports.images import ImageLibrary
from mintseed.ports.volume import VolumeTools
from mintseed.services import fill_image, packed_file


@dataclass(frozen=True, slots=True)
class SavedCopy:
    """The file's length and SHA-256, and in what the image in it differs from the download."""

    size_bytes: int
    sha256: str
    changes: ImageChanges


def execute(
    xray: XRay,
    filled: Sequence[FilledFile],
    name: str,
    packing: Packing = Packing.RAW,
    *,
    library: ImageLibrary,
    tools: VolumeTools,
    copies: FilledCopies,
    tell: Callable[[Progress], None] = lambda progress: None,
) -> SavedCopy:
    """Fill the image into the copy called `name`, packed as `packing`, which appears only when it is whole and was read again.

    Raises what fill_image raises, ImageError when the download changed since it was read, OutsideError without room.
    """
    with (
        fill_image.execute(xray, filled, library=library, tools=tools) as image,
        # What a packed one takes shows once it is there; a plain one is as long as the image.
        copies.new(name, xray.unpacked_bytes if packing is Packing.RAW else 0) as file,
    ):
        made = packed_file.write(file, _whole(image, xray, tell), packing, tell=tell)
    return SavedCopy(made.size_bytes, made.sha256, image.changes)


def _whole(image: fill_image.FilledImage, xray: XRay, tell: Callable[[Progress], None]) -> Iterator[bytes]:
    """Yield the filled image. Raises ImageError at its end when the download is not the file that was X-rayed."""
    written, started = 0, time.monotonic()
    for piece in image.pieces():
        yield piece
        written += len(piece)
        tell(Progress(Phase.WRITING, written, xray.unpacked_bytes, time.monotonic() - started))
    image.refuse_other_than(xray, written)
