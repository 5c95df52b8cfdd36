"""How an image is packed, told by its content, and how it is unpacked as a stream.

Magic numbers: RFC 1952 §2.3.1 (gzip), the .xz file format §2.1.1.1, RFC 8878 §3.1.1 (zstd), bzip2 "BZh",
zip: APPNOTE.TXT §4.3.7, 7z format "7zFormat", POSIX ustar at offset 257.
"""

from __future__ import annotations

import bz2
import lzma
from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import BinaryIO, Protocol

from backports import zstd
from isal import igzip_lib

from mintseed.core.errors import ImageError

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


_MAGIC: tuple[tuple[bytes, Packing], ...] = (
    (b"\x1f\x8b", Packing.GZIP),
    (b"\xfd7zXZ\x00", Packing.XZ),
    (b"BZh", Packing.BZIP2),
    (b"\x28\xb5\x2f\xfd", Packing.ZSTD),
)

_SKIPPABLE = b"\x2a\x4d\x18"
"""Ends of the sixteen magic numbers of a skippable zstd frame, which may come first (RFC 8878 §3.1.2)."""

_NOT_YET = ((b"PK\x03\x04", "a zip archive"), (b"7z\xbc\xaf\x27\x1c", "a 7z archive"))


def detect(head: bytes) -> Packing:
    """Return how a file that starts with `head` (HEAD_BYTES of it) is packed.

    Raises ImageError for a saved web page, an empty file, or an archive that is not read here.
    """
    if not head:
        raise ImageError("the file is empty", expected="a card image", next_step="Download it again.")
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:15].lower()
    if start.startswith((b"<!doctype", b"<html")):
        raise ImageError(
            "this is a saved web page, not an image",
            expected="a card image",
            next_step="Open the download page again and follow its link to the file itself.",
        )
    for magic, packing in _MAGIC:
        if head.startswith(magic):
            return packing
    if 0x50 <= head[0] <= 0x5F and head[1:4] == _SKIPPABLE:
        return Packing.ZSTD
    refuse_archive(head)
    return Packing.RAW


def refuse_archive(head: bytes, outer: Packing | None = None) -> None:
    """Raise ImageError when `head` begins an archive; `outer` is what it was packed in."""
    inside = f" inside the {outer} file" if outer else ""
    for magic, name in _NOT_YET:
        if head.startswith(magic):
            raise ImageError(
                f"this is {name}{inside}",
                expected="a bare image, or one packed with xz, gzip, bzip2 or zstd",
                next_step="Take the image file out of the archive and put that in the library.",
            )
    if head[257:262] == b"ustar":
        raise ImageError(
            f"this is a tar archive{inside}",
            expected="a bare image, or one packed with xz, gzip, bzip2 or zstd",
            next_step="Take the image file out of the archive and put that in the library.",
        )


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

_PADDED = (Packing.XZ, Packing.GZIP)
"""Zero bytes may follow a stream of these (.xz format §2.2, gzip(1))."""


def unpack(stream: BinaryIO, packing: Packing, piece_bytes: int = PIECE_BYTES) -> Iterator[bytes]:
    """Yield the unpacked bytes of `stream` in pieces of at most `piece_bytes`, however small they were packed.

    Raises ImageError when the data is damaged or ends before its trailer.
    """
    if packing is Packing.RAW:
        while piece := stream.read(piece_bytes):
            yield piece
        return
    try:
        yield from _streams(stream, packing, piece_bytes)
    except EOFError as error:
        raise cut_short(packing) from error
    except (lzma.LZMAError, igzip_lib.IsalError, zstd.ZstdError, ValueError) as error:  # type: ignore[misc]
        raise damaged(packing, error) from error
    except OSError as error:
        # bz2 reports damage as OSError without a number; one with a number is the drive's.
        if error.errno is not None:
            raise
        raise damaged(packing, error) from error


def _streams(stream: BinaryIO, packing: Packing, piece_bytes: int) -> Iterator[bytes]:
    """Yield stream after stream. Large reads keep the interpreter's lock free for the threads that hash and write."""
    one, data = _MAKERS[packing](), stream.read(PIECE_BYTES)
    while True:
        if piece := one.decompress(data, piece_bytes):
            yield piece
        data = b""
        if one.eof:
            data = _behind(one, stream, packing)
            if not data:
                return
            one = _MAKERS[packing]()
        elif one.needs_input:
            data = stream.read(PIECE_BYTES)
            if not data:
                raise EOFError


def _behind(finished: _Decompressor, stream: BinaryIO, packing: Packing) -> bytes:
    """Return the start of the stream that follows the finished one, or nothing at the end of the file."""
    data = finished.unused_data or stream.read(PIECE_BYTES)
    if packing in _PADDED:
        while data and not (data := data.lstrip(b"\0")):
            data = stream.read(PIECE_BYTES)
    if len(data) < MAGIC_BYTES:
        data += stream.read(MAGIC_BYTES - len(data)) if data else b""
    if data and not _begins(packing, data):
        raise ImageError(
            f"other bytes follow the end of the {packing} data: {data[:MAGIC_BYTES].hex(' ')} and on",
            expected=f"the end of the file, or more {packing} data",
            next_step="Something was added to the file, or two files were joined: download it again and compare its checksum.",
        )
    return data


MAGIC_BYTES = 6
"""the longest magic number of a packing, see _MAGIC"""


def _begins(packing: Packing, data: bytes) -> bool:
    """Return whether another stream of this packing begins with `data`."""
    skippable = packing is Packing.ZSTD and 0x50 <= data[0] <= 0x5F and data[1:4] == _SKIPPABLE
    return skippable or any(kind is packing and data.startswith(magic) for magic, kind in _MAGIC)


def cut_short(packing: Packing) -> ImageError:
    """Return the error for packed data that ends early."""
    return ImageError(
        f"the {packing} data stops before its end",
        expected="the trailer that closes the file",
        next_step="The download was cut short: fetch it again.",
    )


def damaged(packing: Packing, error: Exception) -> ImageError:
    """Return the error for packed data that makes no sense, or asks for more memory than unpacking may take."""
    if packing is Packing.ZSTD and "too much memory" in str(error):
        return ImageError(
            "its zstd window is larger than 128 MiB", expected="a window that zstd unpacks without --long (RFC 8878 §3.1.1.1.2)",
            next_step="Unpack it with zstd --long=31 -d, and put the unpacked image into the library.",
        )  # fmt: skip
    return ImageError(
        f"the {packing} data is damaged ({error})",
        expected=f"whole {packing} data",
        next_step="Download it again and compare its checksum.",
    )
