"""Marks beyond the image: where they lie, and that no end of a card that begins anew there escapes them."""

from __future__ import annotations

import itertools
import random

import pytest
from blake3 import blake3

from mintseed.core.card.capacity import (
    MARK_BYTES,
    MOST_MARKS,
    PIECE_BYTES,
    CapacityProof,
    fill_bytes,
    lost_marks,
    mark_offsets,
    pieces_of,
)
from mintseed.core.source import BytesSource

MIB = 1024**2


@pytest.mark.parametrize("seed", range(20))
def test_no_end_at_which_a_card_begins_anew_escapes(seed: int) -> None:
    """A mark at m is found at m - W on a card whose room ends at W: one of them has to fall into the image, whatever W is."""
    dice = random.Random(seed)
    begins = dice.randint(64, 4096) * MARK_BYTES + dice.randint(0, MARK_BYTES - 1)
    card = begins + dice.randint(2, MOST_MARKS) * (begins // MARK_BYTES - 2) * MARK_BYTES
    offsets = mark_offsets(begins, card, dice)
    for _ in range(500):
        ends = dice.randint(begins // MARK_BYTES, (card - begins) // MARK_BYTES) * MARK_BYTES
        assert any(ends <= o and o - ends + MARK_BYTES <= begins for o in offsets), ends


@pytest.mark.parametrize(
    ("begins", "card"),
    [(MIB, 8 * MIB), (MIB + 1, 512 * MIB), (4096, 10**12), (5000, 20_000), (MIB, MIB + 2 * MARK_BYTES)],
)
def test_marks_lie_between_image_and_end_each_in_a_block_of_its_own(begins: int, card: int) -> None:
    offsets = mark_offsets(begins, card, random.Random(1))
    assert list(offsets) == sorted(set(offsets))
    assert all(o % MARK_BYTES == 0 and begins <= o <= card - MARK_BYTES for o in offsets)
    assert card // MARK_BYTES * MARK_BYTES - MARK_BYTES in offsets, "the last block has one"
    assert offsets[0] == -(-begins // MARK_BYTES) * MARK_BYTES, "and the first"


def test_powers_of_two_have_marks_on_either_side() -> None:
    offsets = set(mark_offsets(MIB, 10**12, random.Random(1)))
    for power in range(21, 40):
        assert {2**power - MARK_BYTES, 2**power, 2**power + 2 ** (power - 1)} <= offsets


@pytest.mark.parametrize("card", [MIB, MIB + MARK_BYTES - 1, MIB - 1])
def test_no_room_no_mark(card: int) -> None:
    assert mark_offsets(MIB, card, random.Random(1)) == ()
    assert len(mark_offsets(MIB, MIB + MARK_BYTES, random.Random(1))) == 1


def test_what_stands_on_it_is_the_stream_of_its_seed() -> None:
    """Source: BLAKE3 specification §2.6, extendable output: any part of it can be made by itself."""
    whole = blake3(b"seed").digest(3 * MARK_BYTES)
    assert fill_bytes("seed", MARK_BYTES, MARK_BYTES) == whole[MARK_BYTES : 2 * MARK_BYTES]
    assert fill_bytes("other", 0, 32) != whole[:32]


def test_a_mark_that_is_gone_is_found() -> None:
    proof = CapacityProof("seed", (0, 2 * MARK_BYTES))
    card = bytearray(fill_bytes("seed", 0, 3 * MARK_BYTES))
    assert lost_marks(BytesSource(bytes(card)), proof) == ()
    card[MARK_BYTES] ^= 1
    assert lost_marks(BytesSource(bytes(card)), proof) == ()
    card[3 * MARK_BYTES - 1] ^= 1
    assert lost_marks(BytesSource(bytes(card)), proof) == (2 * MARK_BYTES,)


def test_all_of_the_room_is_cut_into_pieces_without_a_gap() -> None:
    assert list(pieces_of(1, 4096)) == []
    assert list(pieces_of(4096, 4097)) == [(4096, 1)]
    ends = 3 * PIECE_BYTES + 5
    pieces = list(pieces_of(4095, ends))
    assert pieces[0] == (4096, PIECE_BYTES)
    assert sum(length for _, length in pieces) == ends - 4096
    assert all(a + n == b for (a, n), (b, _) in itertools.pairwise(pieces))
    assert max(n for _, n in pieces) == PIECE_BYTES
