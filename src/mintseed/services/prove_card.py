"""Compare what a drive or file holds with an image, byte for byte."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import BinaryIO

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.units import binary_size
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
        return _compared(pieces, target, target_name, tell)


def _compared(pieces: Iterator[bytes], target: BinaryIO, target_name: str, tell: Callable[[int], None]) -> Proof:
    offset = 0
    for piece in pieces:
        held = target.read(len(piece))
        if held != piece:
            differs = next((i for i, (a, b) in enumerate(zip(held, piece, strict=False)) if a != b), len(held))
            return Proof(offset + differs, _differs(offset + differs, target_name))
        offset += len(piece)
        tell(offset)
    finding = Finding("card.proven", Severity.OK, "The same, byte for byte", f"{binary_size(offset)} compared.",
                      where=Where(part=target_name))  # fmt: skip
    return Proof(offset, finding)


def _differs(at_bytes: int, target_name: str) -> Finding:
    return Finding("card.differs", Severity.STOP, "It holds other bytes than the image",
                   f"First difference at byte {at_bytes}. A filled image differs in its boot volume: prove against that one.",
                   "Write it again. If it differs again, take another card.", Where(part=target_name))  # fmt: skip
