"""Does a card hold as much as it says?

Some cards say they are larger than they are. Beyond their real end they take what is written and put it over what lies at their
beginning, or nowhere; the image may fit and read back alike, and the system loses its data once it grows. So marks that nobody
can guess are written all over the room beyond the image *before* the image, and read from the medium after it: where a mark
lies over the image, the image has replaced it.

A card that begins anew at its real end W puts what is written at m to m - W. Marks that lie no further apart than the image is
long have one in every stretch from W to W + image, which falls into the image: no W escapes. Where that would be more than
MOST_MARKS, an image that is tiny for its card, they lie further apart, and those at powers of two, where such cards mostly end, and
at random places find what they find. By choice all of the room is written and read.

What this cannot tell: a reader that answers from its own memory until it is unplugged. So the marks are looked at again when
the card comes back into a reader.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass

from blake3 import blake3

from mintseed.core.source import Source

MARK_BYTES = 4096
"""bytes of a mark: one block of every card (Source: SD physical layer, sectors of 512 in blocks of the file system's 4096)."""

MOST_MARKS = 256
"""marks that lie apart evenly; each takes some milliseconds of a slow card."""

RANDOM_MARKS = 16
PIECE_BYTES = 4 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class CapacityProof:
    """What was written beyond the image and read back alike: marks at `offsets`, or all of it (`whole`). `seed` makes it again."""

    seed: str
    offsets: tuple[int, ...]
    whole: bool = False


def fill_bytes(seed: str, offset_bytes: int, length_bytes: int) -> bytes:
    """Return what stands at `offset_bytes` of a card that is filled by `seed`: a stream nobody can guess (BLAKE3, XOF)."""
    return blake3(seed.encode()).digest(length_bytes, seek=offset_bytes)


def mark_offsets(begins_bytes: int, card_bytes: int, dice: random.Random) -> tuple[int, ...]:
    """Return where marks lie between the end of the image and that of the card, each at a multiple of MARK_BYTES.

    `begins_bytes`: the first byte that is not the image's, which is as long as that. No room for a mark: none.
    """
    first = -(-begins_bytes // MARK_BYTES)
    last = card_bytes // MARK_BYTES - 1
    if last < first:
        return ()
    apart = max(1, begins_bytes // MARK_BYTES - 1, -(-(last - first) // MOST_MARKS))
    places = {last, *range(first, last, apart)}
    size = 1
    while size <= last:
        places.update((size - 1, size, size + size // 2))
        size *= 2
    places.update(dice.randint(first, last) for _ in range(RANDOM_MARKS))
    return tuple(place * MARK_BYTES for place in sorted(places) if first <= place <= last)


def lost_marks(card: Source, proof: CapacityProof) -> tuple[int, ...]:
    """Return where marks are gone that were written and read back once; none on a card that was told the truth about.

    Only for a card that was never booted: a system may put its data where a mark lies.
    """
    return tuple(o for o in proof.offsets if card.read_at(o, MARK_BYTES) != fill_bytes(proof.seed, o, MARK_BYTES))


def pieces_of(begins_bytes: int, ends_bytes: int) -> Iterator[tuple[int, int]]:
    """Yield offset and length of the pieces in which the room between is written and read, from a whole mark on."""
    offset = -(-begins_bytes // MARK_BYTES) * MARK_BYTES
    while offset < ends_bytes:
        length = min(PIECE_BYTES, ends_bytes - offset)
        yield offset, length
        offset += length
