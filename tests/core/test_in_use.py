"""What of an image is left out: by hand and by chance."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.in_use import LEAST_LEFT_BYTES, InUse, in_use, left_out, parted, proposed_bytes
from mintseed.core.card.samples import LEFT, SMALLEST_BLOCK_BYTES, BlockHasher
from mintseed.core.image.report import VolumeFacts, XRay
from mintseed.core.ranges import without
from tests.core.plan.test_fit import xray

BLOCK = SMALLEST_BLOCK_BYTES
MIB = 1024 * 1024


def volume(number: int, offset: int, size: int) -> VolumeFacts:
    return VolumeFacts(number, "root", "ext4", "", offset, size, 0)


def test_whole_blocks_within_what_a_volume_does_not_use() -> None:
    volumes = (volume(1, MIB, 8 * MIB), volume(2, 16 * MIB, 8 * MIB))
    unused = {1: [(100, 2 * MIB)], 2: [(0, LEAST_LEFT_BYTES - 1), (4 * MIB, MIB)], 3: [(0, MIB)]}
    found = left_out(volumes, unused, [(20 * MIB + MIB // 2, 10)], BLOCK)
    assert found == (
        (MIB + BLOCK, 2 * MIB - BLOCK), (20 * MIB, MIB // 2), (20 * MIB + MIB // 2 + BLOCK, MIB // 2 - BLOCK),
    )  # fmt: skip


def test_nothing_beyond_a_volumes_end_and_nothing_where_two_lie_over_one_another() -> None:
    assert left_out([volume(1, 0, MIB)], {1: [(0, 4 * MIB), (2 * MIB, MIB), (-MIB, MIB)]}, [], BLOCK) == ((0, MIB),)
    both = [volume(1, 0, 2 * MIB), volume(2, MIB, 4 * MIB)]
    assert left_out(both, {1: [(0, MIB)], 2: [(2 * MIB, MIB)]}, [], BLOCK) == ()


RANGES = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 20)), max_size=6)


@given(RANGES, RANGES)
def test_what_is_left_of_ranges_is_what_is_in_no_hole(
    ranges: list[tuple[int, int]], holes: list[tuple[int, int]]
) -> None:
    apart, at = [], 0
    for gap, length in ranges:
        apart.append((at + gap, length))
        at += gap + length + 1
    inside = {b for begins, length in apart for b in range(begins, begins + length)}
    inside -= {b for begins, length in holes for b in range(begins, begins + length)}
    left = list(without(apart, holes))
    assert [b for begins, length in left for b in range(begins, begins + length)] == sorted(inside)
    assert all(length > 0 for _, length in left)


@given(st.binary(max_size=200), st.lists(st.integers(1, 40), max_size=12), RANGES)
def test_however_the_stream_is_cut_the_same_is_left(
    data: bytes, cuts: list[int], ranges: list[tuple[int, int]]
) -> None:
    left, at = [], 0
    for gap, length in ranges:
        if length:
            left.append((at + gap, length))
            at += gap + length
    pieces, rest = [], data
    for cut in cuts:
        pieces.append(rest[:cut])
        rest = rest[cut:]
    parts = list(parted([*(p for p in pieces if p), *([rest] if rest else [])], left))
    assert b"".join(piece for piece, _ in parts) == data
    kept = [keep for piece, keep in parts for _ in piece]
    assert kept == [not any(begins <= b < begins + length for begins, length in left) for b in range(len(data))]


def test_blocks_that_are_passed_over_have_no_digest() -> None:
    hasher = BlockHasher(4 * BLOCK)
    hasher.update(b"a" * BLOCK)
    hasher.pass_over(BLOCK // 2)
    with pytest.raises(ValueError, match="whole or not at all"):
        hasher.update(b"b")
    hasher.pass_over(BLOCK // 2 + BLOCK)
    hasher.update(b"c")
    with pytest.raises(ValueError, match="whole or not at all"):
        hasher.pass_over(BLOCK)
    blocks = hasher.blocks()
    assert [blocks.is_left(n) for n in range(4)] == [False, True, True, False]
    assert (list(blocks.known), blocks.known_bytes, blocks.length_bytes) == ([0, 3], BLOCK + 1, 3 * BLOCK + 1)
    assert blocks.digest_of(1) == LEFT


def test_what_a_volume_says_of_more_than_itself_never_reaches_into_the_next() -> None:
    """Two volumes side by side, without a gap: neither lies over the other, and what the first says ends where it ends."""
    volumes = [volume(1, MIB, 4 * MIB), volume(2, 5 * MIB, 4 * MIB)]
    assert left_out(volumes, {1: [(2 * MIB, 9 * MIB)]}, [], BLOCK) == ((3 * MIB, 2 * MIB),)
    assert left_out(volumes, {1: [(4 * MIB, MIB)], 2: [(4 * MIB, MIB)]}, [], BLOCK) == ()
    assert left_out(volumes, {1: [(0, 4 * MIB)], 2: [(0, 4 * MIB)]}, [], BLOCK) == ((MIB, 8 * MIB),)
    # One byte of the one in the other, and nothing that either says counts.
    assert left_out([volume(1, MIB, 4 * MIB + 1), volumes[1]], {1: [(0, MIB)], 2: [(MIB, MIB)]}, [], BLOCK) == ()


@pytest.mark.parametrize(
    ("length", "left"), [(LEAST_LEFT_BYTES, True), (LEAST_LEFT_BYTES - 1, False), (BLOCK, False), (0, False)]
)
def test_a_small_gap_is_written_with_its_neighbours(length: int, left: bool) -> None:
    assert bool(left_out([volume(1, 0, 4 * MIB)], {1: [(MIB, length)]}, [], BLOCK)) is left


def facts(*volumes: VolumeFacts, unpacked_bytes: int = 10 * MIB, **more: object) -> XRay:
    return replace(xray(unpacked_bytes=unpacked_bytes), volumes=volumes, **{"root_unfillable": "", **more})  # type: ignore[arg-type]


BOOT = VolumeFacts(1, "boot", "vfat", "", MIB, 4 * MIB, MIB)
ROOT = VolumeFacts(2, "root", "ext4", "", 5 * MIB, 5 * MIB, 2 * MIB)


def test_how_much_of_an_image_is_in_use() -> None:
    """Everything but what its volumes say is free; one that does not tell counts whole, and then everything is proposed."""
    assert in_use(facts(BOOT, ROOT)) == InUse(10 * MIB - 3 * MIB - 3 * MIB)
    assert proposed_bytes(facts(BOOT, ROOT)) == 4 * MIB
    for silent, why in (
        (replace(ROOT, used_bytes=None), "ext4 on partition 2"), (replace(ROOT, file_system="btrfs"), "btrfs on partition 2"),
        (replace(ROOT, size_bytes=5 * MIB + 1), "ext4 on partition 2"), (replace(ROOT, role="", file_system=""), "unknown on partition 2"),
    ):  # fmt: skip
        found = in_use(facts(BOOT, silent))
        assert (found.bytes, found.untold, found.whole) == (7 * MIB, (why,), False)
        assert proposed_bytes(facts(BOOT, silent)) == 10 * MIB
    assert in_use(facts(BOOT, ROOT, root_unfillable="its journal is not empty")).untold == ("ext4 on partition 2",)
    assert in_use(facts()).untold == ("no partition",)
    assert in_use(facts(replace(BOOT, size_bytes=5 * MIB), ROOT)).untold == (
        "vfat on partition 1",
        "ext4 on partition 2",
    )
    # One that says it uses more than it has.
    assert in_use(facts(replace(BOOT, used_bytes=9 * MIB))).bytes == 10 * MIB
