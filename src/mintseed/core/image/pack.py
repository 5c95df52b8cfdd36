"""Pack an image as a stream, in the formats that card writers everywhere take."""

from __future__ import annotations

import lzma
from collections.abc import Iterator
from typing import Protocol

from backports import zstd
from isal import isal_zlib

from mintseed.core.image.packing import Packing

ENDINGS = {Packing.RAW: ".img", Packing.GZIP: ".img.gz", Packing.XZ: ".img.xz", Packing.ZSTD: ".img.zst"}
"""what an image may be packed as, and how its name ends then"""

_GZIP_WINDOW = 31
"""wbits of zlib for a window of 32 KiB in a gzip frame. Source: zlib manual, deflateInit2."""

_GZIP_LEVEL, _XZ_PRESET, _ZSTD_LEVEL = 2, 2, 6
"""chosen for time: zstd about as fast as a card reads; xz by its quick side, which still packs best of the three"""


class _Packer(Protocol):
    def compress(self, data: bytes, /) -> bytes: ...

    def flush(self) -> bytes: ...


class _Plain:
    def compress(self, data: bytes, /) -> bytes:
        return data

    def flush(self) -> bytes:
        return b""


def packed(pieces: Iterator[bytes], packing: Packing) -> Iterator[bytes]:
    """Yield `pieces` packed, none of it empty. `packing` is one of ENDINGS."""
    packer = _packer(packing)
    for piece in pieces:
        if out := packer.compress(piece):
            yield out
    if out := packer.flush():
        yield out


def _packer(packing: Packing) -> _Packer:
    if packing is Packing.GZIP:
        made: _Packer = isal_zlib.compressobj(_GZIP_LEVEL, isal_zlib.DEFLATED, _GZIP_WINDOW)
    elif packing is Packing.XZ:
        made = lzma.LZMACompressor(lzma.FORMAT_XZ, lzma.CHECK_CRC64, preset=_XZ_PRESET)
    elif packing is Packing.ZSTD:
        made = zstd.ZstdCompressor(level=_ZSTD_LEVEL)
    else:
        made = _Plain()
    return made
