"""Unpacking with several processors, against xz(1) and the plain way."""

from __future__ import annotations

import contextlib
import io
import lzma
import random
import subprocess

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.errors import ImageError
from mintseed.core.image import xz_blocks
from mintseed.core.image.packing import PIECE_BYTES, Packing
from mintseed.core.image.xz_blocks import XzBlock, XzRemainder, split_xz
from mintseed.services.unpack import unpack
from tests.builders.disks import run

DATA = random.Random(11).randbytes(400_000) + b"\0" * 5_000_000 + random.Random(12).randbytes(300_000)


def xz(*options: str, data: bytes = DATA) -> bytes:
    """Pack with xz(1) of XZ Utils 5.4."""
    return run("xz", "-0", "-c", *options, stdin=data)


def all_of(packed: bytes, kind: Packing = Packing.XZ) -> bytes:
    return b"".join(unpack(io.BytesIO(packed), kind))


SEVERAL = ("-T2", "--block-size=1MiB")


@pytest.mark.parametrize("check", ["none", "crc32", "crc64", "sha256"])
def test_blocks_of_a_threaded_packer_with_every_check(check: str) -> None:
    packed = xz(*SEVERAL, f"--check={check}")
    parts = list(split_xz(io.BytesIO(packed)))
    assert len(parts) == 6
    assert all(isinstance(p, XzBlock) for p in parts)
    # Each part is a whole .xz file of its own, which xz(1) itself accepts.
    assert b"".join(run("xz", "-dc", stdin=p.data) for p in parts if isinstance(p, XzBlock)) == DATA
    assert all_of(packed) == DATA


def test_the_number_of_blocks_agrees_with_xz_list(tmp_path_factory: pytest.TempPathFactory) -> None:
    path = tmp_path_factory.mktemp("xz") / "x.xz"
    path.write_bytes(xz(*SEVERAL))
    told = subprocess.run(["xz", "--robot", "--list", str(path)], capture_output=True, text=True, check=True).stdout
    blocks = next(int(line.split("\t")[2]) for line in told.splitlines() if line.startswith("totals"))
    assert len(list(split_xz(io.BytesIO(path.read_bytes())))) == blocks


def test_a_file_of_one_thread_goes_the_plain_way() -> None:
    packed = xz("-T1")
    assert [type(p) for p in split_xz(io.BytesIO(packed))] == [XzRemainder]
    assert all_of(packed) == DATA


def test_several_streams_of_both_kinds_with_padding_between() -> None:
    packed = xz(*SEVERAL) + b"\0" * 8 + xz(*SEVERAL, data=b"second") + xz("-T1", data=b"third")
    assert all_of(packed) == DATA + b"second" + b"third"


def test_blocks_too_large_to_hold_several_go_the_plain_way(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(xz_blocks, "LARGEST_BLOCK_BYTES", 1000)
    packed = xz(*SEVERAL)
    assert isinstance(next(split_xz(io.BytesIO(packed))), XzRemainder)
    assert all_of(packed) == DATA


def test_pieces_are_bounded() -> None:
    assert max(len(p) for p in unpack(io.BytesIO(xz("-T2", "--block-size=4MiB")), Packing.XZ)) <= PIECE_BYTES


@pytest.mark.parametrize("share", [0.05, 0.4, 0.99, 0.99999])
def test_a_cut_short_file_is_named(share: float) -> None:
    packed = xz(*SEVERAL)
    with pytest.raises(ImageError, match="before its end"):
        all_of(packed[: int(len(packed) * share)])


@pytest.mark.parametrize("where", [7, 14, 20_000, -20, -3])
def test_a_flipped_byte_is_found_wherever_it_is(where: int) -> None:
    packed = bytearray(xz(*SEVERAL))
    packed[where] ^= 0x10
    with pytest.raises(ImageError):
        all_of(bytes(packed))


def test_leaving_early_leaves_no_thread_behind() -> None:
    pieces = unpack(io.BytesIO(xz(*SEVERAL)), Packing.XZ)
    next(pieces)
    pieces.close()  # type: ignore[attr-defined]


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_damaged_files_give_our_error_or_the_data(good: bytes, data: st.DataObject) -> None:
    damaged = bytearray(good)
    for _ in range(data.draw(st.integers(1, 5))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] ^= data.draw(st.integers(1, 255))
    with contextlib.suppress(ImageError):
        all_of(bytes(damaged[: data.draw(st.integers(0, len(damaged)))]))


@pytest.fixture(scope="module")
def good() -> bytes:
    packed = xz("-T2", "--block-size=4KiB", data=random.Random(5).randbytes(20_000))
    assert lzma.decompress(packed) == all_of(packed)
    return packed
