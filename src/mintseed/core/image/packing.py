"""How an image is packed, told by its content, and how it is unpacked as a stream.

Magic numbers: RFC 1952 §2.3.1 (gzip), the .xz file format §2.1.1.1, RFC 8878 §3.1.1 (zstd), bzip2 "BZh",
zip: APPNOTE.TXT §4.3.7, 7z format "7zFormat", POSIX ustar at offset 257.
"""

from __future__ import annotations

import bz2
import io
import lzma
import re
from collections.abc import Callable, Generator, Iterator
from enum import StrEnum
from typing import BinaryIO, Protocol

from backports import zstd
from isal import igzip_lib

from mintseed.core.image import refusals
from mintseed.core.image.xz_blocks import Ahead, XzStream, in_turn

HEAD_BYTES = 512
"""bytes of the file's start that `detect` wants to see."""

PIECE_BYTES = 1024 * 1024
"""bytes. Bounds memory: a few kilobytes of xz can unpack to gigabytes of zeros."""


class Packing(StrEnum):
    RAW = "raw"
    GZIP = "gzip"
    XZ = "xz"
    BZIP2 = "bzip2"
    ZSTD = "zstd"
    ZIP = "zip"
    TAR = "tar"
    SEVENZIP = "7z"


ARCHIVES = (Packing.ZIP, Packing.TAR, Packing.SEVENZIP)
"""what holds files, not bytes"""

_MAGIC: tuple[tuple[bytes, Packing], ...] = (
    (b"\x1f\x8b", Packing.GZIP),
    (b"\xfd7zXZ\x00", Packing.XZ),
    (b"BZh", Packing.BZIP2),
    (b"\x28\xb5\x2f\xfd", Packing.ZSTD),
    (b"PK\x03\x04", Packing.ZIP),
    (b"PK\x05\x06", Packing.ZIP),  # an archive without files
    (b"7z\xbc\xaf\x27\x1c", Packing.SEVENZIP),
)

_SKIPPABLE = b"\x2a\x4d\x18"
"""Ends of the sixteen magic numbers of a skippable zstd frame, which may come first (RFC 8878 §3.1.2)."""

_TAR_AT, _TAR = 257, b"ustar"

_OTHER_KINDS: tuple[tuple[bytes, str], ...] = (
    (b"%PDF", "a PDF document"),
    (b"\x7fELF", "a program"),
    (b"!<arch>\n", "a software package"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"UF2\n", "firmware for a microcontroller"),
    (b"d8:announce", "a file for a download program"),
    (b"Rar!\x1a\x07", "a rar archive"),
)
"""What else a download page offers beside an image, by how it begins: each format's own specification [S], "d8:announce" from memory."""

_LIST_LINE = re.compile(rb"(?:\\?[0-9a-f]{32,128} [ *][^\r\n]+|SHA\d{1,3} \([^\r\n]+\) = [0-9a-f]{32,128}|[0-9a-f]{64})\r?(?:\n|\Z)", re.IGNORECASE)  # fmt: skip


def detect(head: bytes) -> Packing:
    """Return how a file that starts with `head` (HEAD_BYTES of it) is packed.

    Raises ImageError for a saved web page, a checksum list, an empty file, or something else that is known and no image.
    """
    if not head:
        raise refusals.empty()
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:15].lower()
    if start.startswith((b"<!doctype", b"<html")):
        raise refusals.web_page()
    for magic, packing in _MAGIC:
        if head.startswith(magic):
            return packing
    if 0x50 <= head[0] <= 0x5F and head[1:4] == _SKIPPABLE:
        return Packing.ZSTD
    if head[_TAR_AT:].startswith(_TAR):
        return Packing.TAR
    if (what := next((what for magic, what in _OTHER_KINDS if head.startswith(magic)), None)) is not None:
        raise refusals.other_kind(what)
    if _LIST_LINE.match(head):
        raise refusals.checksum_file()
    return Packing.RAW


class _Decompressor(Protocol):
    """What the decompressors of lzma, bz2, igzip and zstd have in common: one stream, output bounded on request."""

    @property
    def eof(self) -> bool: ...

    @property
    def needs_input(self) -> bool: ...

    @property
    def unused_data(self) -> bytes: ...

    def decompress(self, data: bytes, max_length: int = -1) -> bytes: ...


_MAKERS: dict[Packing, Callable[[], _Decompressor]] = {
    Packing.XZ: lambda: lzma.LZMADecompressor(lzma.FORMAT_XZ),
    Packing.GZIP: lambda: igzip_lib.IgzipDecompressor(flag=igzip_lib.DECOMP_GZIP),
    Packing.BZIP2: bz2.BZ2Decompressor,
    Packing.ZSTD: zstd.ZstdDecompressor,
}

CODECS = tuple(_MAKERS)
"""what packs bytes"""

_TRAILERS = {
    Packing.XZ: ("the index and the footer that close it", ".xz file format §2.1.2"),
    Packing.GZIP: ("the checksum and the length that close it", "RFC 1952 §2.3.1"),
    Packing.BZIP2: ("the block's end and the checksum that close it", "bzip2's own format"),
    Packing.ZSTD: ("the last block that closes its frame", "RFC 8878 §3.1.1"),
}

_PADDED = (Packing.XZ, Packing.GZIP)
"""Zero bytes may follow a stream of these (.xz format §2.2, gzip(1))."""


class PieceStream(io.RawIOBase):
    """Pieces, as a stream that can only be read on."""

    def __init__(self, pieces: Iterator[bytes]) -> None:
        super().__init__()
        self._pieces, self._left = pieces, memoryview(b"")

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        if not self._left:
            self._left = memoryview(next(self._pieces, b""))
        taken = self._left[: len(buffer)]
        self._left = self._left[len(taken) :]
        buffer[: len(taken)] = taken
        return len(taken)


class _Counted:
    """A stream that says how much was taken from it."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream, self.count = stream, 0

    def read(self, length_bytes: int) -> bytes:
        data = self._stream.read(length_bytes)
        self.count += len(data)
        return data


def unpack(
    stream: BinaryIO, packing: Packing, piece_bytes: int = PIECE_BYTES, ahead: Ahead = in_turn
) -> Iterator[bytes]:
    """Yield the unpacked bytes of `stream` in pieces of at most `piece_bytes`, however small they were packed. `ahead`: how blocks that can be
    unpacked by themselves are.

    Raises ImageError when the data is damaged or ends before its trailer.
    """
    if packing is Packing.RAW:
        while piece := stream.read(piece_bytes):
            yield piece
        return
    counted = _Counted(stream)
    try:
        yield from _streams(counted, packing, piece_bytes, ahead)
    except EOFError as error:
        raise refusals.cut_short(packing, counted.count, *_TRAILERS[packing]) from error
    except (lzma.LZMAError, igzip_lib.IsalError, zstd.ZstdError, ValueError) as error:  # type: ignore[misc]
        if packing is Packing.ZSTD and "too much memory" in str(error):
            raise refusals.window_too_large() from error
        raise refusals.damaged(packing, counted.count, str(error)) from error
    except OSError as error:
        # bz2 reports damage as OSError without a number; one with a number is the drive's.
        if error.errno is not None:
            raise
        raise refusals.damaged(packing, counted.count, str(error)) from error


def _streams(stream: _Counted, packing: Packing, piece_bytes: int, ahead: Ahead) -> Iterator[bytes]:
    """Yield stream after stream."""
    data = b""
    while True:
        if packing is Packing.XZ:
            in_blocks = XzStream(stream, data)
            if in_blocks.apart:
                yield from in_blocks.pieces(piece_bytes, ahead)
                unused = in_blocks.rest
            else:
                unused = yield from _stream(stream, packing, piece_bytes, in_blocks.read)
        else:
            unused = yield from _stream(stream, packing, piece_bytes, data)
        data = _behind(unused, stream, packing)
        if not data:
            return


def _stream(stream: _Counted, packing: Packing, piece_bytes: int, data: bytes) -> Generator[bytes, None, bytes]:
    """Yield what is in one stream, of which `data` was read; return what was read of what follows.

    Large reads keep the interpreter's lock free for the threads that hash and write.
    """
    one = _MAKERS[packing]()
    data = data or stream.read(PIECE_BYTES)
    while True:
        if piece := one.decompress(data, piece_bytes):
            yield piece
        data = b""
        if one.eof:
            return one.unused_data
        if one.needs_input:
            data = stream.read(PIECE_BYTES)
            if not data:
                raise EOFError


def _behind(unused: bytes, stream: _Counted, packing: Packing) -> bytes:
    """Return the start of the stream that follows the finished one, or nothing at the end of the file."""
    data = unused or stream.read(PIECE_BYTES)
    if packing in _PADDED:
        while data and not (data := data.lstrip(b"\0")):
            data = stream.read(PIECE_BYTES)
    if len(data) < MAGIC_BYTES:
        data += stream.read(MAGIC_BYTES - len(data)) if data else b""
    if data and not _begins(packing, data):
        raise refusals.trailing(packing, data[:MAGIC_BYTES])
    return data


MAGIC_BYTES = 6
"""the longest magic number of a packing, see _MAGIC"""


def _begins(packing: Packing, data: bytes) -> bool:
    """Return whether another stream of this packing begins with `data`."""
    skippable = packing is Packing.ZSTD and 0x50 <= data[0] <= 0x5F and data[1:4] == _SKIPPABLE
    return skippable or any(kind is packing and data.startswith(magic) for magic, kind in _MAGIC)
