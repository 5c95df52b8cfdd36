"""Unpack a stream with as many processors as its packing allows."""

from __future__ import annotations

import io
import lzma
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import BinaryIO

from mintseed.core.image import packing
from mintseed.core.image.packing import PIECE_BYTES, Packing
from mintseed.core.image.xz_blocks import XzRemainder, split_xz

WORKERS = 2
BLOCKS_AHEAD = 3
"""blocks in work or waiting; with blocks of 24 MiB about 70 MB."""


class _Rejoined(io.RawIOBase):
    """A stream with the bytes already read put back in front."""

    def __init__(self, begun: bytes, rest: BinaryIO) -> None:
        super().__init__()
        self._begun, self._rest = io.BytesIO(begun), rest

    def read(self, size: int = -1) -> bytes:
        return self._begun.read(size) or self._rest.read(size)


def unpack(stream: BinaryIO, kind: Packing) -> Iterator[bytes]:
    """Yield the unpacked bytes of `stream` in pieces of at most packing.PIECE_BYTES.

    Raises ImageError when the data is damaged or ends before its trailer.
    """
    if kind is not Packing.XZ:
        yield from packing.unpack(stream, kind)
        return
    with ThreadPoolExecutor(WORKERS, "unxz") as workers:
        yield from _xz(stream, workers)


def _xz(stream: BinaryIO, workers: ThreadPoolExecutor) -> Iterator[bytes]:
    ahead: deque[Future[bytes]] = deque()
    try:
        for part in split_xz(stream):
            if isinstance(part, XzRemainder):
                while ahead:
                    yield from _cut(ahead.popleft().result())
                yield from packing.unpack(_Rejoined(part.begun, stream), Packing.XZ)  # type: ignore[arg-type]
                return
            ahead.append(workers.submit(lzma.decompress, part.data, lzma.FORMAT_XZ))
            if len(ahead) >= BLOCKS_AHEAD:
                yield from _cut(ahead.popleft().result())
        while ahead:
            yield from _cut(ahead.popleft().result())
    except EOFError as error:
        raise packing.cut_short(Packing.XZ) from error
    except lzma.LZMAError as error:
        raise packing.damaged(Packing.XZ, error) from error
    finally:
        for left in ahead:
            left.cancel()


def _cut(data: bytes) -> Iterator[bytes]:
    for start in range(0, len(data), PIECE_BYTES):
        yield data[start : start + PIECE_BYTES]
