"""What a proven write left on its card, block by block, and whether a handful of blocks chosen now still hold it.

A card is known by its first MiB and its settings files; what lies beyond may be lost without either of them changing. Reading
all of it takes minutes, so blocks from all over it are read, others each time.
"""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from blake3 import blake3

from mintseed.core.source import Source

SMALLEST_BLOCK_BYTES = 64 * 1024
"""bytes of a block: small enough that a few hundred are read in a second or two from a slow card."""

MOST_BLOCKS = 256 * 1024
"""blocks of one write; a larger image gets larger blocks, so that what is kept of it stays within 2 MiB."""

DIGEST_BYTES = 8
"""of BLAKE3, a block. It tells damage, not somebody who forges 2^64 blocks."""

LEFT = bytes(DIGEST_BYTES)
"""stands for a block that nothing uses: it was left as it was, and no digest of it is known"""

SAMPLES_BEFORE_POWER = 300
"""blocks read before a board is powered, or when a card comes into a reader."""

SAMPLES_WHILE_IT_LIES = 12
"""blocks read each time a card that lies still in its reader is looked at again."""


@dataclass(frozen=True, slots=True)
class BlockDigests:
    """`digests` holds DIGEST_BYTES for each block of `block_bytes`, LEFT for one that was left as it was; the last block may be shorter."""

    block_bytes: int
    length_bytes: int
    digests: bytes

    @property
    def count(self) -> int:
        return len(self.digests) // DIGEST_BYTES

    def digest_of(self, number: int) -> bytes:
        return self.digests[number * DIGEST_BYTES : (number + 1) * DIGEST_BYTES]

    def is_left(self, number: int) -> bool:
        return self.digest_of(number) == LEFT

    @property
    def known(self) -> Sequence[int]:
        """The numbers of the blocks of which something is known."""
        if LEFT not in self.digests:
            return range(self.count)
        return [number for number in range(self.count) if not self.is_left(number)]

    @property
    def known_bytes(self) -> int:
        """How much of the write its digests speak of."""
        whole = sum(min(self.block_bytes, self.length_bytes - number * self.block_bytes) for number in self.known)
        return max(0, whole)


def block_bytes_for(length_bytes: int) -> int:
    """Return how large the blocks of a write of `length_bytes` are: a power of two times SMALLEST_BLOCK_BYTES."""
    size = SMALLEST_BLOCK_BYTES
    while length_bytes > size * MOST_BLOCKS:
        size *= 2
    return size


class BlockHasher:
    """Makes the digests while the bytes pass, in pieces of any length."""

    def __init__(self, length_bytes: int) -> None:
        self._block_bytes = block_bytes_for(length_bytes)
        self._digests = bytearray()
        self._open, self._held, self._passed, self._seen = blake3(), 0, 0, 0

    def update(self, piece: bytes) -> None:
        if self._passed:
            raise ValueError("a block is left out whole or not at all")
        view, at = memoryview(piece), 0
        while at < len(view):
            part = view[at : at + self._block_bytes - self._held]
            self._open.update(part)
            self._held += len(part)
            at += len(part)
            if self._held == self._block_bytes:
                self._close()
        self._seen += len(piece)

    def pass_over(self, length_bytes: int) -> None:
        """Take note that the next `length_bytes` are left as they are. Raises ValueError where that begins or ends within a block."""
        if self._held:
            raise ValueError("a block is left out whole or not at all")
        self._passed += length_bytes
        self._digests += LEFT * (self._passed // self._block_bytes)
        self._passed %= self._block_bytes
        self._seen += length_bytes

    def _close(self) -> None:
        self._digests += self._open.digest(DIGEST_BYTES)
        self._open, self._held = blake3(), 0

    def blocks(self) -> BlockDigests:
        """Return what there is now that all bytes have passed."""
        if self._held:
            self._close()
        return BlockDigests(self._block_bytes, self._seen, bytes(self._digests))


def chosen_blocks(blocks: BlockDigests, most: int, dice: random.Random) -> Iterator[int]:
    """Yield `most` numbers of blocks, one at a random place in each equal stretch of the write, in the order they lie in."""
    known = blocks.known
    if len(known) <= most:
        yield from known
        return
    for stretch in range(most):
        yield known[dice.randrange(stretch * len(known) // most, (stretch + 1) * len(known) // most)]


def first_that_differs(card: Source, blocks: BlockDigests, most: int, dice: random.Random) -> int | None:
    """Return where the first of `most` blocks that holds other bytes begins, None when all hold what was written."""
    for number in chosen_blocks(blocks, most, dice):
        begins = number * blocks.block_bytes
        held = card.read_at(begins, min(blocks.block_bytes, blocks.length_bytes - begins))
        if blake3(held).digest(DIGEST_BYTES) != blocks.digest_of(number):
            return begins
    return None


def compared(card: Source, known: BlockDigests) -> Iterator[tuple[int, int, bool]]:
    """Read every block in turn, but for those that were left as they were; yield where it begins, its length, and whether it holds what it held when it was proven."""
    for number in known.known:
        begins = number * known.block_bytes
        length = min(known.block_bytes, known.length_bytes - begins)
        yield begins, length, _digest(card, known, number) == known.digest_of(number)


def between(known: BlockDigests, begins: int, ends: int) -> range:
    """Return the numbers of the blocks that hold a byte from `begins` up to `ends`."""
    return range(begins // known.block_bytes, min(known.count, -(-ends // known.block_bytes)))


def holds_all(disk: Source, known: BlockDigests, blocks: Iterable[int]) -> bool:
    """Return whether each of `blocks` holds what it held when it was proven, as far as that is known."""
    return all(known.is_left(number) or _digest(disk, known, number) == known.digest_of(number) for number in blocks)


def read_anew(disk: Source, known: BlockDigests, blocks: Iterable[int]) -> BlockDigests:
    """Return `known` with the digests of `blocks` as they are now: those that were left before too, since a file that was put there may lie in them."""
    fresh = bytearray(known.digests)
    for number in blocks:
        fresh[number * DIGEST_BYTES : (number + 1) * DIGEST_BYTES] = _digest(disk, known, number)
    return BlockDigests(known.block_bytes, known.length_bytes, bytes(fresh))


def _digest(disk: Source, known: BlockDigests, number: int) -> bytes:
    start = number * known.block_bytes
    length = min(known.block_bytes, known.length_bytes - start)
    return blake3(disk.read_at(start, length)).digest(DIGEST_BYTES)
