"""Blocks unpacked side by side give what the library gives of the whole stream, and are refused where it refuses. Packed by xz(1) itself."""

from __future__ import annotations

import io
import lzma
import random
import struct
import subprocess
import threading
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed.core.errors import ImageError
from mintseed.core.image import xz_blocks
from mintseed.core.image.packing import Packing, unpack
from mintseed.core.image.xz_blocks import Ahead, Block, in_turn
from mintseed.services import side_by_side as services

_RANDOM = random.Random(11)
DATA = b"".join(_RANDOM.choice((_RANDOM.randbytes(3_000), b"seed " * 700, bytes(4_100))) for _ in range(60))

WAYS: dict[str, tuple[str, ...]] = {
    "one block, no sizes": ("-T1", "-1"),
    "blocks of 64 KiB": ("-T2", "-1", "--block-size=64KiB"),
    "of every length": ("-T2", "-0", "--block-size=96KiB", "--block-list=1000,65536,1,30000,0"),
    "no check": ("-T2", "-0", "--block-size=64KiB", "--check=none"),
    "CRC32": ("-T2", "-0", "--block-size=64KiB", "--check=crc32"),
    "SHA-256": ("-T2", "-0", "--block-size=64KiB", "--check=sha256"),
    "for programs": ("-T2", "--block-size=64KiB", "--x86", "--lzma2=preset=1"),
}


def xz(data: bytes, *options: str) -> bytes:
    return subprocess.run(["xz", "-c", *options], input=data, capture_output=True, check=True).stdout


@pytest.fixture(params=[in_turn, services.side_by_side], ids=["in-turn", "side-by-side"])
def ahead(request: pytest.FixtureRequest) -> Ahead:
    way: Ahead = request.param
    return way


@pytest.fixture(autouse=True)
def _small_blocks_too(monkeypatch: pytest.MonkeyPatch) -> None:
    """The images of these tests are small: blocks of a few kilobytes are unpacked side by side, too."""
    monkeypatch.setattr(xz_blocks, "MIN_BESIDE_BYTES", 1)


def ours(data: bytes, ahead: Ahead) -> tuple[bytes, str]:
    """Return what came of `data`, and what was said in the end."""
    out = bytearray()
    try:
        for piece in unpack(io.BytesIO(data), Packing.XZ, 10_000, ahead):
            assert len(piece) <= 10_000
            out += piece
    except ImageError as error:
        return bytes(out), str(error)
    return bytes(out), ""


def theirs(data: bytes) -> bytes | None:
    """Return what the library makes of the whole; None where it refuses."""
    try:
        return lzma.decompress(data, lzma.FORMAT_XZ)
    except (lzma.LZMAError, EOFError):
        return None


@pytest.mark.parametrize("way", WAYS)
def test_what_xz_packed_comes_out_as_it_went_in(way: str, ahead: Ahead) -> None:
    assert ours(xz(DATA, *WAYS[way]), ahead) == (DATA, "")


def test_streams_one_behind_the_other_with_zeros_between(ahead: Ahead) -> None:
    one, other = (xz(DATA, *WAYS[way]) for way in ("blocks of 64 KiB", "one block, no sizes"))
    nothing = xz(b"")
    for data in (one + bytes(8) + other, other + bytes(4) + one, nothing + one, one + nothing + bytes(12)):
        assert ours(data, ahead) == (xz(data, "-d"), "")


def test_thousands_of_tiny_blocks_behind_a_large_one(monkeypatch: pytest.MonkeyPatch, ahead: Ahead) -> None:
    data = bytes(262_144) + _RANDOM.randbytes(16 * 3_000)
    packed = xz(data, "-T2", "-0", "--block-size=512KiB", "--block-list=262144,16")
    assert ours(packed + packed, ahead) == (data + data, "")
    monkeypatch.setattr(xz_blocks, "MAX_BLOCKS", 2_000)
    assert "more than 2000 blocks" in ours(packed, ahead)[1]


def test_blocks_that_are_too_large_to_be_held(monkeypatch: pytest.MonkeyPatch, ahead: Ahead) -> None:
    monkeypatch.setattr(xz_blocks, "MAX_BESIDE_BYTES", 40_000)
    data = xz(DATA, *WAYS["of every length"])
    assert ours(data, ahead) == (DATA, "")
    assert "stops before its end" in ours(data[: len(data) // 2], ahead)[1]


@pytest.mark.parametrize("way", ["blocks of 64 KiB", "of every length", "no check"])
def test_cut_short_anywhere_it_gives_what_is_there_and_says_so(way: str, ahead: Ahead) -> None:
    data = xz(DATA, *WAYS[way])
    ends = [*range(12, 60), *range(60, len(data) - 90, 997), *range(len(data) - 90, len(data))]
    for end in ends:
        out, said = ours(data[:end], ahead)
        assert said, end
        assert DATA.startswith(out)
        assert "damaged" not in said
        assert str(end) in said.replace(",", ""), said
    assert ours(data[: len(data) // 2], ahead)[0] != b""


@pytest.mark.parametrize("way", ["blocks of 64 KiB", "no check"])
def test_a_flipped_bit_is_found_where_the_library_finds_it(way: str, ahead: Ahead) -> None:
    data = xz(DATA[:120_000], *WAYS[way])
    edges = {at for at in range(len(data)) if at < 80 or at >= len(data) - 100}
    for at in sorted(edges | set(range(0, len(data), 501))):
        changed = data[:at] + bytes([data[at] ^ 1 << at % 8]) + data[at + 1 :]
        out, said = ours(changed, ahead)
        assert (out if not said else None) == theirs(changed), at


def test_damage_inside_is_said_to_lie_where_it_lies() -> None:
    """Read far ahead or not: the place that is named is the end of the block that is damaged."""
    data = xz(_RANDOM.randbytes(1_000_000), "-T2", "-0", "--block-size=64KiB")
    at = 200_000
    _, said = ours(data[:at] + bytes([data[at] ^ 1]) + data[at + 1 :], services.side_by_side)
    named = int(said.partition("first ")[2].partition(" ")[0])
    assert at < named < at + 70_000


def test_blocks_of_two_kinds_in_one_stream_are_told(tmp_path: Path, ahead: Ahead) -> None:
    """No packer makes such a stream: the second block's header says nothing of its length, and its checksum is right."""
    packed = xz(DATA, *WAYS["blocks of 64 KiB"])
    (tmp_path / "image.xz").write_bytes(packed)
    listed = subprocess.run(
        ["xz", "--robot", "-lvv", tmp_path / "image.xz"], capture_output=True, check=True, text=True
    ).stdout
    # block, stream, block, block in the stream, where it begins in the file: xz(1), Robot mode.
    second = next(int(line.split("\t")[4]) for line in listed.splitlines() if line.startswith("block\t1\t2\t"))
    length = (packed[second] + 1) * 4
    header = bytearray(packed[second : second + length])
    header[1] &= 0x3F
    header[-4:] = struct.pack("<I", zlib.crc32(bytes(header[:-4])))
    assert "damaged" in ours(packed[:second] + bytes(header) + packed[second + length :], ahead)[1]


def test_no_more_is_held_than_may_be(monkeypatch: pytest.MonkeyPatch) -> None:
    """Of what is packed and of what is not; the pieces come in their order all the same."""
    monkeypatch.setattr(services, "MOST_THREADS", 2)
    monkeypatch.setattr(services, "PACKED_BYTES", 100)
    monkeypatch.setattr(services, "AHEAD_BYTES", 50)
    read, made = [0], [0]

    def blocks() -> Iterator[Block]:
        for number in range(6):
            read[0] += 1
            yield Block((bytes([number]) * 80,), 100, number)

    def work(block: Block) -> Iterator[bytes]:
        for place in range(10):
            made[0] += 1
            yield bytes([block.end_bytes, place]) * 5

    used = 0
    for piece in services.side_by_side(work, blocks()):
        assert piece == bytes(divmod(used, 10)) * 5
        used += 1
        time.sleep(0.002)  # what could be made ahead is
        assert made[0] - used <= 5 + 1 + 2, (
            "one of the first, which can always go on, and one in the hand of each thread"
        )
        assert read[0] <= used // 10 + 3
    assert used == 60


def test_what_one_block_raises_comes_in_its_place() -> None:
    def work(block: Block) -> Iterator[bytes]:
        yield bytes([block.end_bytes])
        if block.end_bytes == 2:
            raise EOFError

    pieces = services.side_by_side(work, (Block((b"-",), 1, n) for n in range(5)))
    assert [next(pieces) for _ in range(3)] == [b"\0", b"\1", b"\2"]
    with pytest.raises(EOFError):
        next(pieces)


@pytest.mark.parametrize("used_up", [False, True])
def test_its_threads_end_with_it(used_up: bool) -> None:
    before = threading.active_count()
    pieces = unpack(io.BytesIO(xz(DATA, *WAYS["blocks of 64 KiB"])), Packing.XZ, ahead=services.side_by_side)
    assert next(pieces)
    for _ in pieces if used_up else ():
        pass
    pieces.close()  # type: ignore[attr-defined]
    assert threading.active_count() == before
