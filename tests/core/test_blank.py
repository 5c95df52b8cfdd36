"""Stretches of zeros: all of the data, in order, and only what is zeros is called that."""

from __future__ import annotations

from itertools import groupby

from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.blank import BLOCK_BYTES, stretches

BLOCKS = st.lists(
    st.sampled_from(
        [bytes(BLOCK_BYTES), b"x" * BLOCK_BYTES, bytes(BLOCK_BYTES - 1) + b"x", b"\0x" + bytes(BLOCK_BYTES - 2)]
    ),
    max_size=6,
)


@given(BLOCKS, st.binary(max_size=9))
def test_they_are_the_whole_and_each_is_what_it_is_called(blocks: list[bytes], tail: bytes) -> None:
    data = b"".join(blocks) + tail
    found = list(stretches(data))
    assert b"".join(data[begin:end] for begin, end, _ in found) == data
    assert all(blank is not any(data[begin:end]) for begin, end, blank in found)
    alike = [blank for blank, _ in groupby(not any(b) for b in ([*blocks, tail] if tail else blocks))]
    assert [blank for _, _, blank in found] == alike


def test_nothing_has_no_stretches() -> None:
    assert list(stretches(b"")) == []
