"""Compare what a drive or file holds with an image, byte for byte."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import BinaryIO

from mintseed.core.card.in_use import parted
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.report import XRay
from mintseed.core.units import binary_size
from mintseed.ports.images import ImageLibrary
from mintseed.ports.volume import VolumeTools
from mintseed.services import fill_image
from mintseed.services.inspect_image import open_tapped


@dataclass(frozen=True, slots=True)
class Proof:
    compared_bytes: int
    finding: Finding


def execute(
    image: BinaryIO,
    target: BinaryIO,
    *,
    target_name: str,
    tell: Callable[[int], None] = lambda done: None,
    wanted: str = "",
) -> Proof:
    """Return whether `target` begins with exactly the unpacked bytes of `image`, and where it first differs. `wanted`: its path, where several are
    in that file."""
    _, tap, pieces = open_tapped(image, lambda done: None, wanted=wanted)
    with tap:
        return _compared(((piece, True) for piece in pieces), target, target_name, tell)


def of_what_is_used(
    xray: XRay, target: BinaryIO, *, target_name: str, library: ImageLibrary, tools: VolumeTools, tell: Callable[[int], None] = lambda done: None
) -> Proof | None:  # fmt: skip
    """Return whether `target` holds what the image of `xray` uses, as a card does that was given nothing else; None where all of the image is in use, or it
    does not tell. Raises ImageError, ToolError."""
    with fill_image.execute(xray, (), library=library, tools=tools, only_used=True) as image:
        return _compared(parted(image.pieces(), image.left), target, target_name, tell) if image.left else None


def _compared(
    pieces: Iterable[tuple[bytes, bool]], target: BinaryIO, target_name: str, tell: Callable[[int], None]
) -> Proof:
    offset, left = 0, 0
    for piece, wanted in pieces:
        held = target.read(len(piece))
        # What is left out may hold anything, but it has to be there.
        if held != piece and (wanted or len(held) != len(piece)):
            differs = next((i for i, (a, b) in enumerate(zip(held, piece, strict=False)) if a != b), len(held))
            return Proof(offset + differs, _differs(offset + differs, target_name))
        offset += len(piece)
        left += 0 if wanted else len(piece)
        tell(offset)
    where = Where(part=target_name)
    if left:
        return Proof(offset - left, Finding(
            "card.proven-in-use", Severity.OK, "All that is in use is the same, byte for byte",
            f"{binary_size(offset - left)} compared. Nothing uses the other {binary_size(left)}, and there it holds something else: so does a card that was given only what is in use.",
            where=where))  # fmt: skip
    return Proof(
        offset,
        Finding("card.proven", Severity.OK, "The same, byte for byte", f"{binary_size(offset)} compared.", where=where),
    )


def _differs(at_bytes: int, target_name: str) -> Finding:
    return Finding("card.differs", Severity.STOP, "It holds other bytes than the image",
                   f"First difference at byte {at_bytes}. A filled image differs in its boot volume: prove against that one.",
                   "Write it again. If it differs again, take another card.", Where(part=target_name))  # fmt: skip
