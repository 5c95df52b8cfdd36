"""Blocks that differ, against comparing all of them."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.image.changes import BLOCK_BYTES, ImageChanges, marks_of, merged, ranges_between

BLOCKS = st.lists(st.sampled_from([b"a", b"b", b"\0"]), min_size=1, max_size=600)


def marks(data: bytes) -> bytes:
    return marks_of(lambda offset, length: data[offset : offset + length], len(data))


@given(
    BLOCKS,
    st.dictionaries(st.integers(0, 599), st.sampled_from([b"c", b"\0"]), max_size=8),
    st.integers(1, BLOCK_BYTES),
)
def test_what_differs_is_found_and_nothing_else(blocks: list[bytes], edits: dict[int, bytes], last_bytes: int) -> None:
    before = [one * BLOCK_BYTES for one in blocks]
    after = [edits.get(n, b"")[:1] + one[1:] if n in edits else one for n, one in enumerate(before)]
    ends = len(before) * BLOCK_BYTES - BLOCK_BYTES + last_bytes
    was, now = b"".join(before)[:ends], b"".join(after)[:ends]
    found = ranges_between(marks(was), marks(now))
    wanted = {at for at in range(0, ends, BLOCK_BYTES) if was[at : at + BLOCK_BYTES] != now[at : at + BLOCK_BYTES]}
    assert {at for begins, length in found for at in range(begins, begins + length, BLOCK_BYTES)} == wanted


def test_ranges_are_whole_blocks_that_do_not_touch() -> None:
    assert merged([(10, 5), (4095, 2), (20_000, 1), (8192, 4096)]) == ((0, 12288), (16384, 4096))
    assert merged([]) == merged([(4096, 0)]) == ()


def test_it_is_said_in_a_sentence() -> None:
    assert ImageChanges(("a.conf", "/etc/hostname"), ((0, 8192), (40960, 4096))).words == (
        "Otherwise than the download: a.conf, /etc/hostname; 3 blocks of 4 KiB (12 KiB) in all. Every other byte is as it was downloaded"
    )
    assert ImageChanges(("a",), ((0, 4096),)).words.startswith(
        "Otherwise than the download: a; 1 block of 4 KiB (4 KiB)"
    )
