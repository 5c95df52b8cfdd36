"""Packings against the reference tools: xz, gzip, bzip2, zstd."""

from __future__ import annotations

import contextlib
import io
import random
import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.errors import ImageError
from mintseed.core.image.packing import HEAD_BYTES, Packing, detect, unpack
from tests.builders.disks import packed, two_streams

PACKINGS = ["raw", "gzip", "xz", "bzip2", "zstd"]
DATA = random.Random(7).randbytes(300_000) + b"\0" * 2_000_000 + b"end"


def unpacked(data: bytes) -> bytes:
    return b"".join(unpack(io.BytesIO(data), detect(data[:HEAD_BYTES])))


@pytest.mark.parametrize("packing", PACKINGS)
def test_told_by_content_and_unpacked_as_the_tool_packed_it(packing: str) -> None:
    data = packed(DATA, packing)
    assert detect(data[:HEAD_BYTES]) == packing
    assert unpacked(data) == DATA


@pytest.mark.parametrize("packing", PACKINGS[1:])
def test_several_streams_in_one_file(packing: str) -> None:
    assert unpacked(two_streams(DATA, packing)) == DATA


@pytest.mark.parametrize("packing", PACKINGS[1:])
@pytest.mark.parametrize("share", [0.3, 0.9, 0.9999])
def test_a_cut_short_download_is_named(packing: str, share: float) -> None:
    data = packed(DATA, packing)
    with pytest.raises(ImageError, match=r"before its end|damaged"):
        unpacked(data[: int(len(data) * share)])


@pytest.mark.parametrize("packing", ["gzip", "xz", "bzip2", "zstd"])
def test_a_flipped_byte_is_found(packing: str) -> None:
    data = bytearray(packed(DATA, packing))
    data[len(data) // 2] ^= 0xFF
    with pytest.raises(ImageError):
        unpacked(bytes(data))


def test_pieces_are_bounded_however_well_it_was_packed() -> None:
    data = packed(b"\0" * 50_000_000, "xz")
    assert len(data) < 20_000
    assert max(len(piece) for piece in unpack(io.BytesIO(data), Packing.XZ, 65536)) <= 65536


@pytest.mark.parametrize(
    ("head", "said"),
    [
        (b"", "empty"),
        (b"<!DOCTYPE html><html>", "saved web page"),
        (b"\xef\xbb\xbf\n <html lang=en>", "saved web page"),
        (b"%PDF-1.7", "a PDF document"),
        (b"\x7fELF\2", "a program"),
        (b"!<arch>\ndebian-binary", "a software package"),
        (b"UF2\n\x57\x51\x5d\x9e", "firmware for a microcontroller"),
        (b"Rar!\x1a\x07\x01\0", "a rar archive"),
        (b"0" * 64 + b"  platen-3.2-64.img.xz\n", "a checksum list"),
        (b"0" * 64 + b"\n", "a checksum list"),
        (b"SHA256 (platen-3.2-64.img.xz) = " + b"0" * 64 + b"\n", "a checksum list"),
    ],
)
def test_what_is_no_image_is_named(head: bytes, said: str) -> None:
    with pytest.raises(ImageError, match=said):
        detect(head)


@pytest.mark.parametrize(
    ("head", "kind"),
    [
        (b"PK\x03\x04rest", Packing.ZIP),
        (b"7z\xbc\xaf\x27\x1crest", Packing.SEVENZIP),
        (b"\0" * 257 + b"ustar", Packing.TAR),
        (b"\xeb\x63\x90" + bytes(507) + b"\x55\xaa", Packing.RAW),
    ],
)
def test_archives_are_told_and_a_boot_sector_is_none(head: bytes, kind: Packing) -> None:
    assert detect(head) is kind


@settings(max_examples=150)
@given(st.sampled_from([b"\x1f\x8b\x08", b"\xfd7zXZ\x00", b"BZh9", b"\x28\xb5\x2f\xfd"]), st.binary(max_size=300))
def test_any_packed_bytes_give_data_or_our_error(magic: bytes, rest: bytes) -> None:
    with contextlib.suppress(ImageError):
        unpacked(magic + rest)


@pytest.mark.parametrize("packing", ["gzip", "xz", "bzip2", "zstd"])
def test_bytes_behind_the_end_are_called_what_they_are(packing: str) -> None:
    """gzip(1) says "trailing garbage", xz(1) "file format not recognized": each unpacks the whole first, and fails."""
    with pytest.raises(ImageError, match=f"other bytes follow the end of the {packing} data: 4d 4f 52 45"):
        unpacked(packed(DATA, packing) + b"MORE BYTES")
    with pytest.raises(ImageError, match="other bytes follow"):
        unpacked(packed(DATA, packing) + b"\x1f")
    with pytest.raises(ImageError):
        unpacked(packed(DATA, packing)[:-3])


def test_a_window_that_is_too_large_is_told_as_that(tmp_path: Path) -> None:
    """zstd(1) refuses it as well, without --long=31."""
    plain, long = tmp_path / "plain", tmp_path / "long.zst"
    plain.write_bytes(b"\0" * (2 << 20))
    subprocess.run(["zstd", "-q", "--long=31", "-1", "--no-content-size", "-o", long, plain], check=True)
    head = bytearray(long.read_bytes())
    # RFC 8878 §3.1.1.1.2: the window descriptor is the byte behind the frame header descriptor; exponent 20 is 1 GiB.
    assert not head[4] & 0x20, "a frame with a window descriptor"
    head[5] = 20 << 3
    long.write_bytes(bytes(head))
    assert subprocess.run(["zstd", "-q", "-dc", long], capture_output=True, check=False).returncode != 0
    with pytest.raises(ImageError, match="window is larger than 128 MiB"):
        unpacked(bytes(head))
