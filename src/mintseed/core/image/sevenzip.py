"""Files inside a 7z archive, by libarchive: the format packs them together in one stream, with its list at the end."""

from __future__ import annotations

import io
import logging
import struct
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import Any, BinaryIO

from mintseed.core.image import refusals
from mintseed.core.image.packing import PIECE_BYTES, Packing

KIND = Packing.SEVENZIP
FORMAT = f"{KIND}ip"
"""as libarchive names its reader"""


class _Careful(io.RawIOBase):
    """A file that a C library reads by call-backs, out of which nothing may be raised: what happened is kept and raised after."""

    def __init__(self, stream: BinaryIO) -> None:
        super().__init__()
        self._stream = stream
        self.failed: BaseException | None = None

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        try:
            data = b"" if self.failed else self._stream.read(len(buffer))
        except BaseException as error:
            self.failed, data = error, b""
        memoryview(buffer).cast("B")[: len(data)] = data
        return len(data)

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        try:
            return self._stream.seek(offset, whence)
        except BaseException as error:
            self.failed = error
            return -1

    def tell(self) -> int:
        return self._stream.tell()


@contextmanager
def _reading(careful: _Careful) -> Iterator[None]:
    from libarchive.exception import ArchiveError

    try:
        yield
    except ArchiveError as error:
        if careful.failed is not None:
            raise careful.failed from error
        raise _told(str(error.msg or "it makes no sense"), careful) from error
    if careful.failed is not None:
        raise careful.failed


def _told(said: str, careful: _Careful) -> refusals.UnreadableImageError:
    if "ncrypted" in said or "assphrase" in said:
        return refusals.locked("a file")
    if "nsupported" in said or "nknown codec" in said:
        return refusals.packed_otherwise("7z archive", said)
    return refusals.damaged(KIND, careful.seek(0, io.SEEK_END), said)


_SIGNATURE_HEADER = struct.Struct("<6s2sIQQI")
"""Signature, version, CRC of what follows, NextHeaderOffset, NextHeaderSize, NextHeaderCRC (7z format, SignatureHeader)."""


def _refuse_cut_short(stream: BinaryIO) -> None:
    size_bytes = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    head = stream.read(_SIGNATURE_HEADER.size)
    stream.seek(0)
    whole = len(head) == _SIGNATURE_HEADER.size
    _, _, _, offset, length, _ = _SIGNATURE_HEADER.unpack(head) if whole else (b"", b"", 0, 0, 1, 0)
    if _SIGNATURE_HEADER.size + offset + length > size_bytes:
        raise refusals.cut_short(KIND, size_bytes, "the list of its files at its end", "7z format, SignatureHeader")


def files(stream: BinaryIO) -> Iterator[tuple[bytes, int, Iterator[bytes]]]:
    """Yield name, size and bytes of each file in the archive `stream`. The bytes are there until the next one is asked for."""
    # Only here: it looks for its library when it is loaded, and few files are of this kind.
    import libarchive

    logging.getLogger("libarchive").setLevel(logging.ERROR)  # what it warns of is told as damage, see _blocks
    _refuse_cut_short(stream)
    careful = _Careful(stream)
    with ExitStack() as open_while:
        with _reading(careful):
            reader = open_while.enter_context(libarchive.stream_reader(careful, FORMAT, "none", PIECE_BYTES))
            entries = iter(reader)
        while True:
            with _reading(careful):
                entry = next(entries, None)
            if entry is None:
                return
            if entry.isreg:
                name = entry.pathname or ""
                yield (
                    name if isinstance(name, bytes) else name.encode("utf-8", "surrogateescape"),
                    entry.size or 0,
                    _blocks(entry, careful),
                )


def _blocks(entry: Any, careful: _Careful) -> Iterator[bytes]:
    """Yield the bytes of `entry`. What its library only warns of, a checksum that does not match, is damage."""
    from ctypes import create_string_buffer

    from libarchive import ffi

    buffer = create_string_buffer(PIECE_BYTES)
    while True:
        with _reading(careful):
            # Not by its own iterator, which logs a warning and goes on.
            length = ffi.read_data(entry._archive_p, buffer, PIECE_BYTES)
        if length < 0:
            raise _told((ffi.error_string(entry._archive_p) or b"").decode("utf-8", "replace"), careful)
        if not length:
            return
        yield buffer.raw[:length]
