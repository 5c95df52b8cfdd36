"""Take an .xz file apart into its blocks, each made a small .xz file of its own, so that several can be unpacked at once.

Packers that use several threads write the size of each block into its header; only such files can be taken apart while
they are read from start to end. Source: "The .xz File Format" 1.2.1.
"""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import BinaryIO

from mintseed.core.errors import ImageError
from mintseed.core.image import xz_layout as layout

LARGEST_BLOCK_BYTES = 32 * 1024 * 1024
"""unpacked bytes of a block that may be unpacked beside others; bounds memory. The usual ones have up to 24 MiB."""


@dataclass(frozen=True, slots=True)
class XzBlock:
    """`data` is a whole .xz file that holds this one block of `unpacked_bytes`."""

    data: bytes
    unpacked_bytes: int


@dataclass(frozen=True, slots=True)
class XzRemainder:
    """A stream whose blocks cannot be told apart: `begun` was read of it already, the rest is in the file."""

    begun: bytes


def split_xz(stream: BinaryIO) -> Iterator[XzBlock | XzRemainder]:
    """Yield the blocks of `stream` in order; a remainder comes last and only at the start of an .xz stream.

    Raises ImageError for a damaged structure, EOFError for a file that ends early. What is inside a block is checked
    when it is unpacked.
    """
    while True:
        header = _stream_header(stream)
        if not header:
            return
        check_bytes = layout.CHECK_BYTES.get(header[7])
        records: list[tuple[int, int]] = []
        while True:
            size_byte = _exactly(stream, 1)
            if size_byte[0] == layout.INDEX_INDICATOR:
                break
            begun = size_byte + _exactly(stream, (size_byte[0] + 1) * 4 - 1)
            sizes = _block_sizes(begun)
            if sizes is None or check_bytes is None or sizes[1] > LARGEST_BLOCK_BYTES:
                if records:
                    raise _broken("a block without its size behind others that have one")
                yield XzRemainder(header + begun)
                return
            packed, unpacked = sizes
            unpadded = len(begun) + packed + check_bytes
            body = _exactly(stream, packed + -packed % layout.ALIGN_BYTES + check_bytes)
            records.append((unpadded, unpacked))
            yield XzBlock(header + begun + body + _index_and_footer([(unpadded, unpacked)], header[6:8]), unpacked)
        _check_end(stream, records, header[6:8])


def _exactly(stream: BinaryIO, length: int) -> bytes:
    data = stream.read(length)
    if len(data) < length:
        raise EOFError
    return data


def _broken(found: str) -> ImageError:
    return ImageError(f"the xz data is damaged ({found})", expected="whole xz data",
                      next_step="Download it again and compare its checksum.")  # fmt: skip


def _stream_header(stream: BinaryIO) -> bytes:
    """Return the next stream's header, padding between streams passed over; nothing at the end of the file."""
    start = stream.read(layout.ALIGN_BYTES)
    while start == b"\0" * layout.ALIGN_BYTES:
        start = stream.read(layout.ALIGN_BYTES)
    if not start:
        return b""
    header = start + _exactly(stream, layout.STREAM_HEADER_BYTES - len(start))
    if not header.startswith(layout.STREAM_MAGIC) or zlib.crc32(header[6:8]) != int.from_bytes(header[8:], "little"):
        raise _broken("no stream begins where one should")
    return header


def _block_sizes(header: bytes) -> tuple[int, int] | None:
    """Return (compressed, uncompressed) bytes from a block header, or None when it does not tell both."""
    if zlib.crc32(header[:-4]) != int.from_bytes(header[-4:], "little"):
        raise _broken("a block header does not match its checksum")
    wanted = layout.HAS_COMPRESSED_SIZE | layout.HAS_UNCOMPRESSED_SIZE
    if header[1] & wanted != wanted:
        return None
    fields = io.BytesIO(header[2:-4])
    return _number(fields)[0], _number(fields)[0]


def _number(stream: BinaryIO) -> tuple[int, bytes]:
    """Read a variable-length integer (§1.2); return it and its bytes."""
    value, raw = 0, b""
    for position in range(layout.VLI_MOST_BYTES):
        byte = _exactly(stream, 1)
        raw += byte
        value |= (byte[0] & 0x7F) << (7 * position)
        if not byte[0] & 0x80:
            return value, raw
    raise _broken("a number without end")


def _as_number(value: int) -> bytes:
    raw = b""
    while value >= 0x80:
        raw += bytes([value & 0x7F | 0x80])
        value >>= 7
    return raw + bytes([value])


def _index_and_footer(records: list[tuple[int, int]], flags: bytes) -> bytes:
    """Return the index over `records` (unpadded size, uncompressed size) and the footer that closes a stream."""
    index = bytes([layout.INDEX_INDICATOR]) + _as_number(len(records))
    index += b"".join(_as_number(a) + _as_number(b) for a, b in records)
    index += b"\0" * (-len(index) % layout.ALIGN_BYTES)
    index += zlib.crc32(index).to_bytes(4, "little")
    backward = (len(index) // 4 - 1).to_bytes(4, "little")
    crc = zlib.crc32(backward + flags)
    return index + layout.STREAM_FOOTER.pack(crc, int.from_bytes(backward, "little"), flags, layout.FOOTER_MAGIC)


def _check_end(stream: BinaryIO, records: list[tuple[int, int]], flags: bytes) -> None:
    """Compare what closes the stream with what its blocks were; the indicator byte was read already."""
    wanted = _index_and_footer(records, flags)[1:]
    if _exactly(stream, len(wanted)) != wanted:
        raise _broken("the index does not match the blocks")
