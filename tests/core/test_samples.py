"""What a write left on its card, block by block: made while the bytes pass, looked at later."""

from __future__ import annotations

import random

import pytest
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.samples import (
    DIGEST_BYTES,
    LEFT,
    MOST_BLOCKS,
    SMALLEST_BLOCK_BYTES,
    BlockDigests,
    BlockHasher,
    between,
    block_bytes_for,
    chosen_blocks,
    compared,
    first_that_differs,
    holds_all,
    read_anew,
)  # fmt: skip
from mintseed.core.source import BytesSource

BLOCK = SMALLEST_BLOCK_BYTES


def content(blocks: float) -> bytes:
    return random.Random(1).randbytes(round(blocks * BLOCK))


def digests(data: bytes) -> BlockDigests:
    hasher = BlockHasher(len(data))
    hasher.update(data)
    return hasher.blocks()


@pytest.mark.parametrize(("length", "size"), [
    (0, BLOCK), (1, BLOCK), (BLOCK * MOST_BLOCKS, BLOCK), (BLOCK * MOST_BLOCKS + 1, 2 * BLOCK), (2 * BLOCK * MOST_BLOCKS, 2 * BLOCK),
    (2 * BLOCK * MOST_BLOCKS + 1, 4 * BLOCK),
])  # fmt: skip
def test_blocks_double_where_there_would_be_too_many(length: int, size: int) -> None:
    assert block_bytes_for(length) == size


@given(st.lists(st.integers(1, BLOCK), max_size=8))
def test_pieces_of_any_length_make_the_same_digests(cuts: list[int]) -> None:
    data = content(2.5)
    hasher, at = BlockHasher(len(data)), 0
    for cut in cuts:
        hasher.update(data[at : at + cut])
        at += len(data[at : at + cut])
    hasher.update(data[at:])
    wanted = b"".join(blake3(data[n * BLOCK : (n + 1) * BLOCK]).digest(DIGEST_BYTES) for n in range(3))
    assert hasher.blocks() == BlockDigests(BLOCK, len(data), wanted)


def test_what_is_left_as_it_was_has_no_digest() -> None:
    data = content(2)
    hasher = BlockHasher(5 * BLOCK)
    hasher.update(data[:BLOCK])
    hasher.pass_over(BLOCK // 2)
    with pytest.raises(ValueError, match="whole or not at all"):
        hasher.update(b"x")
    hasher.pass_over(BLOCK // 2 + 2 * BLOCK)
    hasher.update(data[BLOCK : BLOCK + 7])
    with pytest.raises(ValueError, match="whole or not at all"):
        hasher.pass_over(BLOCK)
    found = hasher.blocks()
    assert (found.count, found.length_bytes, list(found.known)) == (5, 4 * BLOCK + 7, [0, 4])
    assert found.digests[DIGEST_BYTES : 4 * DIGEST_BYTES] == 3 * LEFT
    assert found.known_bytes == BLOCK + 7, "the last block is shorter"
    assert [found.is_left(n) for n in range(5)] == [False, True, True, True, False]


def test_of_all_known_blocks_the_list_is_a_range() -> None:
    assert digests(content(3)).known == range(3)
    assert digests(content(3)).known_bytes == 3 * BLOCK


@pytest.mark.parametrize("most", [1, 3, 7, 100])
def test_a_block_in_each_stretch_in_their_order(most: int) -> None:
    held = BlockDigests(BLOCK, 100 * BLOCK, bytes([1]) * 100 * DIGEST_BYTES)
    for seed in range(50):
        chosen = list(chosen_blocks(held, most, random.Random(seed)))
        assert len(chosen) == most
        for stretch, number in enumerate(chosen):
            assert stretch * 100 // most <= number < (stretch + 1) * 100 // most
    ends = {n for seed in range(400) for n in chosen_blocks(held, 1, random.Random(seed))}
    assert len(ends) > 90, "any block may be the one"


def test_where_few_are_known_all_of_them_are_looked_at() -> None:
    held = BlockDigests(BLOCK, 4 * BLOCK, b"a" * DIGEST_BYTES + LEFT + b"b" * DIGEST_BYTES + LEFT)
    assert list(chosen_blocks(held, 2, random.Random(1))) == [0, 2]
    assert list(chosen_blocks(held, 9, random.Random(1))) == [0, 2]


@pytest.mark.parametrize("at", [0, BLOCK, 3 * BLOCK - 1, 3 * BLOCK, 3 * BLOCK + 99])
def test_a_changed_byte_is_found_in_its_block(at: int) -> None:
    data = content(3.5)
    known, card = digests(data), bytearray(data + bytes(BLOCK))
    assert first_that_differs(BytesSource(bytes(card)), known, 100, random.Random(1)) is None
    assert all(same for _, _, same in compared(BytesSource(bytes(card)), known))
    card[at] ^= 1
    begins = at // BLOCK * BLOCK
    disk = BytesSource(bytes(card))
    assert first_that_differs(disk, known, 100, random.Random(1)) == begins
    assert [(b, same) for b, _, same in compared(disk, known)] == [(n * BLOCK, n * BLOCK != begins) for n in range(4)]
    assert [length for _, length, _ in compared(disk, known)] == [BLOCK, BLOCK, BLOCK, BLOCK // 2]
    changed = begins // BLOCK
    assert not holds_all(disk, known, [changed])
    assert holds_all(disk, known, [n for n in range(4) if n != changed])
    anew = read_anew(disk, known, [changed])
    assert holds_all(disk, anew, range(4))
    assert (anew.block_bytes, anew.length_bytes) == (known.block_bytes, known.length_bytes)
    assert [anew.digest_of(n) == known.digest_of(n) for n in range(4)] == [n != changed for n in range(4)]


def test_what_lies_behind_the_write_is_none_of_its_blocks() -> None:
    data = content(1.5)
    known, card = digests(data), bytearray(data + bytes(BLOCK))
    card[len(data)] ^= 1
    assert first_that_differs(BytesSource(bytes(card)), known, 9, random.Random(1)) is None


def test_a_block_that_was_left_holds_whatever_it_holds_until_it_is_read_anew() -> None:
    hasher = BlockHasher(2 * BLOCK)
    hasher.update(content(1))
    hasher.pass_over(BLOCK)
    known, disk = hasher.blocks(), BytesSource(content(2))
    assert holds_all(disk, known, range(2))
    assert [n for n, _, _ in compared(disk, known)] == [0]
    assert list(read_anew(disk, known, [1]).known) == [0, 1]


@pytest.mark.parametrize(("begins", "ends", "blocks"), [
    (0, 1, [0]), (0, BLOCK, [0]), (0, BLOCK + 1, [0, 1]), (BLOCK - 1, BLOCK, [0]), (BLOCK, BLOCK + 1, [1]), (BLOCK, 9 * BLOCK, [1, 2]), (3 * BLOCK, 4 * BLOCK, []),
])  # fmt: skip
def test_the_blocks_that_hold_a_stretch(begins: int, ends: int, blocks: list[int]) -> None:
    assert list(between(digests(content(3)), begins, ends)) == blocks
