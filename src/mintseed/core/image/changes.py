"""In what a filled image differs from its download: which files, and which blocks, found by comparing what lies there before and after."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from blake3 import blake3

from mintseed.core.ranges import Range, joined
from mintseed.core.units import binary_size

BLOCK_BYTES = 4096
"""bytes. What file systems on cards keep things in, or a multiple of it."""

_MARK_BYTES = 8
_PIECE_BLOCKS = 256
_BLANK = bytes(BLOCK_BYTES)
_BLANK_PIECE = bytes(BLOCK_BYTES * _PIECE_BLOCKS)
_BLANK_MARK = blake3(_BLANK).digest(_MARK_BYTES)
"""Much of an image is blank: to see that is much less work than to hash it."""


@dataclass(frozen=True, slots=True)
class ImageChanges:
    """`files`: paths as in FilledFile; `ranges`, of whole blocks, in the order of their offsets, none touching another."""

    files: tuple[str, ...] = ()
    ranges: tuple[Range, ...] = ()

    @property
    def size_bytes(self) -> int:
        return sum(length for _, length in self.ranges)

    @property
    def words(self) -> str:
        """A sentence without its full stop."""
        if not self.ranges:
            return "Byte for byte the download"
        held = f"{', '.join(self.files)}; " if self.files else ""
        blocks = self.size_bytes // BLOCK_BYTES
        return f"Otherwise than the download: {held}{blocks} block{'s' * (blocks != 1)} of 4 KiB ({binary_size(self.size_bytes)}) in all. Every other byte is as it was downloaded"


UNCHANGED = ImageChanges()


def marks_of(read_at: Callable[[int, int], bytes], ends_bytes: int) -> bytes:
    """Return a short hash of every block from 0 to `ends_bytes`, one after the other."""
    marks = bytearray()
    for offset in range(0, ends_bytes, BLOCK_BYTES * _PIECE_BLOCKS):
        piece = read_at(offset, min(BLOCK_BYTES * _PIECE_BLOCKS, ends_bytes - offset))
        if piece == _BLANK_PIECE:
            marks += _BLANK_MARK * _PIECE_BLOCKS
            continue
        for at in range(0, len(piece), BLOCK_BYTES):
            block = piece[at : at + BLOCK_BYTES]
            marks += _BLANK_MARK if block == _BLANK else blake3(block).digest(_MARK_BYTES)
    return bytes(marks)


def ranges_between(before: bytes, after: bytes) -> tuple[Range, ...]:
    """Return where the marks `before` and `after`, equally many, differ."""
    starts = range(0, max(len(before), len(after)), _MARK_BYTES)
    changed = (at for at in starts if before[at : at + _MARK_BYTES] != after[at : at + _MARK_BYTES])
    return merged((at // _MARK_BYTES * BLOCK_BYTES, BLOCK_BYTES) for at in changed)


def merged(ranges: Iterable[Range]) -> tuple[Range, ...]:
    """Return `ranges` grown to whole blocks, in order, and those that touch or overlap made one."""
    return joined(_whole_blocks(offset, length) for offset, length in sorted(ranges) if length)


def _whole_blocks(offset: int, length: int) -> Range:
    begins = offset // BLOCK_BYTES * BLOCK_BYTES
    return begins, -(-(offset + length) // BLOCK_BYTES) * BLOCK_BYTES - begins
