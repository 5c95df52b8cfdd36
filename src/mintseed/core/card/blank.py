"""What of an image is zeros: a card that holds zeros there already need not be written to there.

A card reads several times faster than it writes, and most of an image's free room is zeros. Nothing is taken for granted by it: that
the card held zeros is read from its medium, and the whole of it is read back and compared all the same.
"""

from __future__ import annotations

from collections.abc import Iterator

BLOCK_BYTES = 256 * 1024
"""looked at by itself: small enough to find what is free between files, large enough for a card to read at its full rate"""

_ZEROS = bytes(BLOCK_BYTES)


def is_blank(data: bytes) -> bool:
    """Return whether `data`, at most BLOCK_BYTES of it, is zeros."""
    return not data or (data[0] == data[-1] == 0 and data == _ZEROS[: len(data)])


def stretches(data: bytes) -> Iterator[tuple[int, int, bool]]:
    """Yield where the stretches of `data` begin and end, and whether each is zeros: all of it, in order, none empty."""
    begins, blank = 0, False
    for at in range(0, len(data), BLOCK_BYTES):
        now = is_blank(data[at : at + BLOCK_BYTES])
        if at and now is not blank:
            yield begins, at, blank
            begins = at
        blank = now
    if data:
        yield begins, len(data), blank
