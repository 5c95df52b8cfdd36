"""The blocks of an .xz stream. Where their headers say how long they are, each can be unpacked by itself, beside the others.

Such a block is made a stream of its own, with its own list and end, so that the library checks of it what it checks of any stream. The list
of blocks and the end of the stream they came from follow from the blocks, and are compared byte for byte.

Source: The .xz File Format 1.1.0 (§1.2 numbers, §2.1 stream header and footer, §3.1 block header, §4 index).
"""

from __future__ import annotations

import lzma
import struct
import zlib
from collections.abc import Callable, Generator, Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass
from functools import partial
from typing import Protocol

MAX_BESIDE_BYTES = 32 * 1024 * 1024
"""A block that is larger, packed or unpacked, is unpacked as it comes. `xz -T0` makes blocks of 24 MiB, with -9 of 192 MiB (from memory)."""

MIN_BESIDE_BYTES = 256 * 1024
"""A stream that begins with a smaller block is left to the library: so many small ones are quicker in one go."""

MAX_BLOCKS = 300_000
"""of one stream; with blocks of 1 MiB, those of 300 GB. Each takes its time, however small it is."""

_READ_BYTES, _FED_BYTES = 1024 * 1024, 64 * 1024
_HEADER_BYTES = 12
_MAGIC, _END = b"\xfd7zXZ\x00", b"YZ"
_CHECK_BYTES = (0, 4, 4, 4, 8, 8, 8, 16, 16, 16, 32, 32, 32, 64, 64, 64)
"""by the check's number, §2.1.1.2"""

_SAYS_PACKED, _SAYS_UNPACKED = 0x40, 0x80
_NUMBER_BYTES = 9


class Source(Protocol):
    """What is read on. `count`: bytes that were taken from the file."""

    count: int

    def read(self, length_bytes: int) -> bytes: ...


@dataclass(frozen=True, slots=True)
class Block:
    """A block as a stream of nothing else, in parts, without an end where the file is cut short. `end_bytes`: where it ends in the file."""

    packed: tuple[bytes, ...]
    size_bytes: int
    end_bytes: int


class BlockError(Exception):
    """Raised where a block ends before its end or is damaged: what the library said of it, and where the block ends in the file."""

    def __init__(self, said: lzma.LZMAError | EOFError, end_bytes: int) -> None:
        super().__init__(str(said))
        self.said, self.end_bytes = said, end_bytes


class Ahead(Protocol):
    """How blocks are unpacked: yields what `work` yields of each of `blocks`, in their order, and raises in its place what it raises. `blocks` is
    read in the caller's thread."""

    def __call__(
        self, work: Callable[[Block], Iterator[bytes]], blocks: Iterator[Block]
    ) -> Generator[bytes, None, None]: ...


def in_turn(work: Callable[[Block], Iterator[bytes]], blocks: Iterator[Block]) -> Generator[bytes, None, None]:
    """Unpack one block after the other."""
    for block in blocks:
        yield from work(block)


def in_pieces(packed: Iterator[bytes | memoryview], piece_bytes: int) -> Iterator[bytes]:
    """Unpack a stream that comes in pieces, as far as it can be. Raises LZMAError where it is damaged, EOFError where it is cut short."""
    one = lzma.LZMADecompressor(lzma.FORMAT_XZ)
    while not one.eof:
        data = next(packed, b"") if one.needs_input else b""
        if one.needs_input and not data:
            raise EOFError
        if piece := one.decompress(data, piece_bytes):
            yield piece


def unpacked(piece_bytes: int, block: Block) -> Iterator[bytes]:
    """Unpack one block, as far as it can be. Raises BlockError."""
    left = block.size_bytes
    try:
        for piece in in_pieces(_fed(block.packed), piece_bytes):
            left -= len(piece)
            if left < 0:
                break
            yield piece
        if left:
            raise lzma.LZMAError("a block is longer or shorter than its header says")
    except (lzma.LZMAError, EOFError) as error:
        raise BlockError(error, block.end_bytes) from error


def _fed(parts: Iterable[bytes]) -> Iterator[memoryview]:
    """Yield little at a time: the library keeps a copy of what it was given and has not used."""
    for part in parts:
        for at in range(0, len(part), _FED_BYTES):
            yield memoryview(part)[at : at + _FED_BYTES]


class XzStream:
    """One stream, of which nothing was read yet but `begun`."""

    def __init__(self, source: Source, begun: bytes) -> None:
        self._source, self._begun, self._at = source, begun, 0
        self._header = self._take(_HEADER_BYTES)
        self._block = self._block_header()
        self._records, self._count = bytearray(), 0

    @property
    def apart(self) -> bool:
        """Whether its blocks are to be unpacked by themselves; else `read` is what was read of it, for who unpacks it as a whole."""
        sizes = self._sizes() if self._is_header() else None
        return sizes is not None and sizes[1] >= MIN_BESIDE_BYTES

    @property
    def read(self) -> bytes:
        return self._header + self._block + self.rest

    @property
    def rest(self) -> bytes:
        """What was read of what follows, once this stream is used up."""
        return self._begun[self._at :]

    def pieces(self, piece_bytes: int, ahead: Ahead) -> Iterator[bytes]:
        """Yield what is in it. Raises LZMAError where it is damaged, EOFError where it is cut short; `source.count` says about where."""
        while self._block != b"\0":
            try:
                with closing(ahead(partial(unpacked, piece_bytes), self._small())) as pieces:
                    yield from pieces
            except BlockError as error:
                self._source.count = error.end_bytes
                raise error.said from error
            if self._block != b"\0":
                yield from in_pieces(self._large(), piece_bytes)
        self._check_end()

    def _small(self) -> Iterator[Block]:
        """Yield block after block, up to the list behind them or to one that is none, or too large to be held."""
        while (sizes := self._sizes()) is not None and max(sizes) <= MAX_BESIDE_BYTES:
            start = self._header + self._block
            body = tuple(self._body(sizes[0]))
            ends_at = self._source.count - (len(self._begun) - self._at)
            if sum(map(len, body)) < self._padded(sizes[0]):
                yield Block((start, *body), sizes[1], ends_at)
                return
            end = self._end(_record(self._unpadded(sizes[0]), sizes[1]), 1)
            self._next(*sizes)
            yield Block((start, *body, end), sizes[1], ends_at)

    def _large(self) -> Iterator[bytes]:
        """Yield the next block as a stream of nothing else. Raises LZMAError or EOFError where none begins."""
        if len(self._block) < _header_length(self._block):
            raise EOFError
        if self._count >= MAX_BLOCKS:
            raise lzma.LZMAError(f"more than {MAX_BLOCKS} blocks in one stream")
        if (sizes := self._sizes()) is None:
            raise lzma.LZMAError("a block's header is damaged, or says nothing of its length where others do")
        yield self._header + self._block
        left = self._padded(sizes[0])
        for piece in self._body(sizes[0]):
            left -= len(piece)
            yield piece
        if left:
            return
        end = self._end(_record(self._unpadded(sizes[0]), sizes[1]), 1)
        self._next(*sizes)
        yield end

    def _body(self, packed_bytes: int) -> Iterator[bytes]:
        """Yield what follows a block's header, in pieces; less where the file ends."""
        left = self._padded(packed_bytes)
        while left and (piece := self._take(min(left, _READ_BYTES))):
            left -= len(piece)
            yield piece

    def _next(self, packed_bytes: int, size_bytes: int) -> None:
        self._records += _record(self._unpadded(packed_bytes), size_bytes)
        self._count += 1
        self._block = self._block_header()

    def _check_end(self) -> None:
        """Compare the list and the footer with what the blocks were. Raises LZMAError, or EOFError where they are cut short."""
        expected = self._end(bytes(self._records), self._count)
        found = self._block + self._take(len(expected) - len(self._block))
        if found != expected:
            if expected.startswith(found):
                raise EOFError
            raise lzma.LZMAError("the list of its blocks is another than its blocks")

    def _take(self, length_bytes: int) -> bytes:
        """Return that many bytes of the stream; fewer where the file ends."""
        taken = self._begun[self._at : self._at + length_bytes]
        self._at += len(taken)
        while len(taken) < length_bytes and (part := self._source.read(length_bytes - len(taken))):
            taken = taken + part if taken else part
        return taken

    def _block_header(self) -> bytes:
        """Return the next block's header, or the zero byte that the list of blocks begins with."""
        first = self._take(1)
        return first + self._take(_header_length(first) - 1) if first.strip(b"\0") else first

    def _is_header(self) -> bool:
        flags, check = self._header[6:8], self._header[8:]
        known = (
            len(self._header) == _HEADER_BYTES and self._header.startswith(_MAGIC) and not flags[0] and flags[1] < 16
        )
        return known and check == _crc(flags)

    def _sizes(self) -> tuple[int, int] | None:
        """Return the lengths of the next block's packed and unpacked bytes; None where its header does not say them, or is damaged."""
        header = self._block
        if self._count >= MAX_BLOCKS or len(header) < 8 or _crc(header[:-4]) != header[-4:]:
            return None
        if header[1] & (_SAYS_PACKED | _SAYS_UNPACKED) != _SAYS_PACKED | _SAYS_UNPACKED:
            return None
        packed, at = _number(header, 2)
        size, _ = _number(header, at)
        return (packed, size) if packed else None

    def _padded(self, packed_bytes: int) -> int:
        return packed_bytes + -packed_bytes % 4 + _CHECK_BYTES[self._header[7]]

    def _unpadded(self, packed_bytes: int) -> int:
        return len(self._block) + packed_bytes + _CHECK_BYTES[self._header[7]]

    def _end(self, records: bytes, count: int) -> bytes:
        """Return the list of blocks and the footer of a stream of such blocks."""
        listed = b"\0" + _written(count) + records
        listed += bytes(-len(listed) % 4)
        listed += _crc(listed)
        tail = struct.pack("<I", len(listed) // 4 - 1) + self._header[6:8]
        return listed + _crc(tail) + tail + _END


def _header_length(header: bytes) -> int:
    return (header[0] + 1) * 4 if header.strip(b"\0") else 1


def _crc(data: bytes) -> bytes:
    return struct.pack("<I", zlib.crc32(data))


def _record(unpadded_bytes: int, size_bytes: int) -> bytes:
    return _written(unpadded_bytes) + _written(size_bytes)


def _written(number: int) -> bytes:
    """Return a number as §1.2 writes it: seven bits a byte, the lowest first."""
    out = bytearray()
    while number > 0x7F:
        out.append(number & 0x7F | 0x80)
        number >>= 7
    out.append(number)
    return bytes(out)


def _number(data: bytes, at: int) -> tuple[int, int]:
    """Return the number at `at`, and where the next one begins."""
    number = 0
    for place, byte in enumerate(data[at : at + _NUMBER_BYTES]):
        number |= (byte & 0x7F) << 7 * place
        if byte < 0x80:
            return number, at + place + 1
    return 0, at
