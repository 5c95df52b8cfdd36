"""Save a filled image as a file, checked as a card is: whole, and of the very download that was X-rayed."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.image.changes import ImageChanges
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile
from mintseed.ports.filled_copies import FilledCopies
from mintseed.ports.images import ImageLibrary
from mintseed.ports.volume import VolumeTools
from mintseed.services import fill_image


@dataclass(frozen=True, slots=True)
class SavedCopy:
    """The file's length and SHA-256, and in what it differs from the download."""

    size_bytes: int
    sha256: str
    changes: ImageChanges


def execute(
    xray: XRay,
    filled: Sequence[FilledFile],
    name: str,
    *,
    library: ImageLibrary,
    tools: VolumeTools,
    copies: FilledCopies,
    tell: Callable[[Progress], None] = lambda progress: None,
) -> SavedCopy:
    """Fill the image into the copy called `name`, which appears only when it is whole.

    Raises what fill_image raises, ImageError when the download changed since it was read, OutsideError without room.
    """
    digest, written, started = hashlib.sha256(), 0, time.monotonic()
    with (
        fill_image.execute(xray, filled, library=library, tools=tools) as image,
        copies.new(name, xray.unpacked_bytes) as file,
    ):
        for piece in image.pieces():
            file.write(piece)
            digest.update(piece)
            written += len(piece)
            tell(Progress(Phase.WRITING, written, xray.unpacked_bytes, time.monotonic() - started))
        image.refuse_other_than(xray, written)
    return SavedCopy(written, digest.hexdigest(), image.changes)
