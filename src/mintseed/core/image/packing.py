"""How an image is packed, told by its content, and how it is unpacked as a stream.

Magic numbers: RFC 1952 §2.3.1 (gzip), the .xz file format §2.1.1.1, RFC 8878 §3.1.1 (zstd), bzip2 "BZh",
APPNOTE.TXT §4.3.7 (zip), 7z format "7zFormat", POSIX ustar at offset 257.
"""

from __future__ import annotations

import bz2
import gzip
import lzma
import zlib
from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import BinaryIO, Protocol

from backports import zstd
from isal import igzip
from isal.igzip_lib import IsalError

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
    for magic, name in _NOT_YET:
        if head.startswith(magic):
            raise ImageError(
                f"this is {name}",
                expected="a bare image, or one packed with xz, gzip, bzip2 or zstd",
                next_step="Take the image file out of the archive and put that in the library.",
            )
    if head[257:262] == b"ustar":
        raise ImageError(
            "this is a tar archive",
            expected="a bare image, or one packed with xz, gzip, bzip2 or zstd",
            next_step="Take the image file out of the archive and put that in the library.",
        )
    return Packing.RAW


class _Readable(Protocol):
    """A stream of unpacked bytes."""

    def read(self, size: int, /) -> bytes: ...


_OPENERS: dict[Packing, Callable[[BinaryIO], _Readable]] = {
    Packing.XZ: lambda stream: lzma.LZMAFile(stream),
    Packing.GZIP: lambda stream: igzip.IGzipFile(fileobj=stream, mode="rb"),  # type: ignore[no-untyped-call]
    Packing.BZIP2: lambda stream: bz2.BZ2File(stream),
    Packing.ZSTD: lambda stream: zstd.ZstdFile(stream),
    Packing.RAW: lambda stream: stream,
}


def unpack(stream: BinaryIO, packing: Packing, piece_bytes: int = PIECE_BYTES) -> Iterator[bytes]:
    """Yield the unpacked bytes of `stream` in pieces of at most `piece_bytes`, however small they were packed.

    Raises ImageError when the data is damaged or ends before its trailer.
    """
    try:
        unpacked = _OPENERS[packing](stream)
        while piece := unpacked.read(piece_bytes):
            yield piece
    except EOFError as error:
        raise ImageError(
            f"the {packing} data stops before its end",
            expected="the trailer that closes the file",
            next_step="The download was cut short: fetch it again.",
        ) from error
    except (lzma.LZMAError, zlib.error, IsalError, gzip.BadGzipFile, zstd.ZstdError, ValueError) as error:  # type: ignore[misc]
        raise _damaged(packing, error) from error
    except OSError as error:
        # bz2 reports damage as OSError without a number; one with a number is the drive's.
        if error.errno is not None:
            raise
        raise _damaged(packing, error) from error


def _damaged(packing: Packing, error: Exception) -> ImageError:
    return ImageError(
        f"the {packing} data is damaged ({error})",
        expected=f"whole {packing} data",
        next_step="Download it again and compare its checksum.",
    )
