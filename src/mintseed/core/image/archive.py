"""Files inside an archive, read as streams one after the other in the order they lie there. Nothing is ever written under their names.

Formats: APPNOTE.TXT 6.3 with zip64 (zip), POSIX.1-2001 pax and GNU (tar).
"""

from __future__ import annotations

import io
import lzma
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from tarfile import InvalidHeaderError, ReadError, TruncatedHeaderError  # type: ignore[attr-defined]
from typing import BinaryIO

from mintseed.core.errors import ImageError
from mintseed.core.image import refusals, sevenzip
from mintseed.core.image.packing import PIECE_BYTES, Packing, PieceStream
from mintseed.core.limits import MAX_ARCHIVE_FILES, MAX_ARCHIVE_HEADER_BYTES, MAX_INSIDE_PATH_BYTES
from mintseed.core.units import binary_size
from mintseed.core.visible import spell_name


@dataclass(frozen=True, slots=True)
class Member:
    """A file in an archive. `path` is spelled so that any bytes are a name that can be shown. `open` gives its bytes, until the next
    member is asked for. `offset_bytes`: where it lies in the archive, where that is known."""

    path: str
    size_bytes: int
    open: Callable[[], BinaryIO] = field(repr=False)
    offset_bytes: int = 0


_BROKEN = (
    zipfile.BadZipFile, tarfile.TarError, zlib.error, lzma.LZMAError, struct.error, ValueError, OverflowError, RuntimeError, LookupError, AttributeError,
    TypeError,
)  # fmt: skip
"""what the readers of the standard library raise on damaged archives, found by damaging them"""


@contextmanager
def _reading(kind: Packing, stream: BinaryIO) -> Iterator[None]:
    """Have what the standard library says of a damaged archive said as ours."""
    try:
        yield
    except ImageError:
        raise
    except NotImplementedError as error:
        raise refusals.packed_otherwise(kind, str(error)) from error
    except EOFError as error:
        raise refusals.cut_short(kind, _size(stream), "the end of a file in it") from error
    except tarfile.ReadError as error:
        if "unexpected end" in str(error):
            raise refusals.cut_short(kind, _size(stream), "the end of a file in it", "POSIX.1-2001 pax") from error
        raise refusals.damaged(kind, _size(stream), str(error)) from error
    except _BROKEN as error:
        raise refusals.damaged(kind, _size(stream), str(error) or type(error).__name__) from error
    except OSError as error:
        if error.errno is not None:
            raise
        raise refusals.damaged(kind, _size(stream), str(error)) from error


def _size(stream: BinaryIO) -> int:
    return stream.tell() if stream.seekable() else 0


class _Told(io.RawIOBase):
    """A file in an archive, whose damage is told as ours."""

    def __init__(self, inner: BinaryIO, kind: Packing, archive: BinaryIO) -> None:
        super().__init__()
        self._inner, self._kind, self._archive = inner, kind, archive

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        with _reading(self._kind, self._archive):
            data = self._inner.read(len(buffer))
        buffer[: len(data)] = data
        return len(data)


def _named(raw: bytes) -> str:
    """Return how a member's name is spelled, with what a path may begin with to lead elsewhere taken away."""
    if len(raw) > MAX_INSIDE_PATH_BYTES:
        raise refusals.bomb(f"A file in it has a name of {len(raw)} bytes", f"{MAX_INSIDE_PATH_BYTES} bytes")
    return spell_name(raw).removeprefix("./").lstrip("/")


def members(kind: Packing, stream: BinaryIO) -> Iterator[Member]:
    """Yield the files in the archive `stream`, which is at its start. Raises ImageError for what is damaged, cut short or locked."""
    for count, member in enumerate(_READERS[kind](stream), 1):
        if count > MAX_ARCHIVE_FILES:
            raise refusals.bomb(f"It holds more than {MAX_ARCHIVE_FILES} files", f"{MAX_ARCHIVE_FILES} files")
        yield member


class _Bounded:
    """What a reader of archives is given to read: it must not take a whole archive into memory for its list."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream

    def read(self, length_bytes: int = -1) -> bytes:
        if not -1 <= length_bytes <= MAX_ARCHIVE_HEADER_BYTES:
            raise refusals.bomb(
                f"The list of its files has {binary_size(length_bytes)}", binary_size(MAX_ARCHIVE_HEADER_BYTES)
            )
        return self._stream.read(length_bytes if length_bytes >= 0 else MAX_ARCHIVE_HEADER_BYTES)

    def seek(self, offset: int, whence: int = 0) -> int:
        if whence == io.SEEK_CUR:
            offset += self._stream.tell()
        elif whence == io.SEEK_END:
            offset += self._stream.seek(0, io.SEEK_END)
        if offset < 0:
            # Without a number, as it is not the medium that fails.
            raise OSError("it leads before its own beginning")
        return self._stream.seek(offset)

    def tell(self) -> int:
        return self._stream.tell()

    def seekable(self) -> bool:
        return True


ENCRYPTED = 0x1
"""bit of a zip member's general purpose flags (APPNOTE.TXT §4.4.4)"""


def _zip(stream: BinaryIO) -> Iterator[Member]:
    size_bytes = stream.seek(0, io.SEEK_END)
    try:
        with _reading(Packing.ZIP, stream):
            archive = zipfile.ZipFile(_Bounded(stream))
    except refusals.UnreadableImageError as error:
        # Its list of files stands at its end: without one it ended before.
        if isinstance(error.__cause__, zipfile.BadZipFile) and "not a zip file" in str(error.__cause__):
            raise refusals.cut_short(
                Packing.ZIP, size_bytes, "the list of its files at its end", "APPNOTE.TXT §4.3.16"
            ) from error
        raise
    with archive:
        for info in sorted(archive.infolist(), key=lambda i: i.header_offset):
            if not info.is_dir():
                yield _zip_member(archive, info, stream)


def _zip_member(archive: zipfile.ZipFile, info: zipfile.ZipInfo, stream: BinaryIO) -> Member:
    path = _named(info.filename.encode("utf-8", "surrogateescape"))

    def opened() -> BinaryIO:
        if info.flag_bits & ENCRYPTED:
            raise refusals.locked(path)
        with _reading(Packing.ZIP, stream):
            return io.BufferedReader(_Told(archive.open(info), Packing.ZIP, stream), PIECE_BYTES)  # type: ignore[arg-type]

    return Member(path, info.file_size, opened, info.header_offset)


_HEADERS_WITH_DATA = (
    tarfile.XHDTYPE,
    tarfile.XGLTYPE,
    tarfile.SOLARIS_XHDTYPE,
    tarfile.GNUTYPE_LONGNAME,
    tarfile.GNUTYPE_LONGLINK,
)


class _TarInfo(tarfile.TarInfo):
    """A header whose further data is bounded before it is read into memory."""

    @classmethod
    def frombuf(cls, buf: bytes | bytearray, encoding: str, errors: str) -> _TarInfo:
        info = super().frombuf(buf, encoding, errors)
        if info.type in _HEADERS_WITH_DATA and not 0 <= info.size <= MAX_ARCHIVE_HEADER_BYTES:
            raise refusals.bomb(f"A header in it has {binary_size(info.size)}", binary_size(MAX_ARCHIVE_HEADER_BYTES))
        return info

    @classmethod
    def fromtarfile(cls, tarfile: tarfile.TarFile) -> _TarInfo:
        """Return the next header. A damaged one is damage, and not, as the archive's reader has it, the end."""
        try:
            return super().fromtarfile(tarfile)
        except (InvalidHeaderError, TruncatedHeaderError) as error:
            raise ReadError(f"{error} at byte {tarfile.offset}") from error


def _tar(stream: BinaryIO) -> Iterator[Member]:
    with _reading(Packing.TAR, stream):
        archive = tarfile.open(fileobj=stream, mode="r|", bufsize=PIECE_BYTES, tarinfo=_TarInfo, errorlevel=2)
    while True:
        with _reading(Packing.TAR, stream):
            info = archive.next()
            # It keeps every header it saw, for lists nobody asks for here.
            archive.members.clear()  # type: ignore[attr-defined]
        if info is None:
            return
        if info.isreg():
            yield _tar_member(archive, info, stream)


def _tar_member(archive: tarfile.TarFile, info: tarfile.TarInfo, stream: BinaryIO) -> Member:
    def opened() -> BinaryIO:
        with _reading(Packing.TAR, stream):
            inner = archive.extractfile(info)
        assert inner is not None, "a regular file"
        return io.BufferedReader(_Told(inner, Packing.TAR, stream), PIECE_BYTES)  # type: ignore[arg-type]

    return Member(_named(info.name.encode("utf-8", "surrogateescape")), info.size, opened)


def _sevenzip(stream: BinaryIO) -> Iterator[Member]:
    for name, size_bytes, pieces in sevenzip.files(stream):
        yield Member(_named(name), size_bytes, partial(io.BufferedReader, PieceStream(pieces), PIECE_BYTES))


_READERS = {Packing.ZIP: _zip, Packing.TAR: _tar, Packing.SEVENZIP: _sevenzip}
