"""From a file as it was downloaded to the bytes of the image in it, layer by layer: an archive in xz, an image in gzip inside a zip, and so on.

Read once, as a stream; only a zip or 7z archive has to be one that can be read from its end.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import chain
from typing import BinaryIO

from mintseed.core.errors import ImageError
from mintseed.core.image import archive, packing, refusals
from mintseed.core.image.archive import Member
from mintseed.core.image.facts import Beside
from mintseed.core.image.packing import ARCHIVES, HEAD_BYTES, Packing, PieceStream
from mintseed.core.image.partition_layout import MBR_SIGNATURE, MBR_SIGNATURE_OFFSET
from mintseed.core.image.xz_blocks import Ahead, in_turn
from mintseed.core.limits import (
    MAX_BESIDE_BYTES,
    MAX_BESIDE_FILES,
    MAX_IMAGE_BYTES,
    MAX_PACKED_LAYERS,
    MAX_UNPACKED_RATIO,
    MIN_BOMB_BYTES,
)
from mintseed.core.units import binary_size
from mintseed.core.visible import visible

IMAGE_NAME = re.compile(r"\.(?:img|raw|iso|wic|sdcard)(?:\.(?:xz|gz|bz2|zst))?$", re.IGNORECASE)
"""How an image in an archive is called. Whatever else begins with a partition table is one as well."""

_TEXT_NAME = re.compile(
    r"(?:^|/)(?:read.?me|licen[cs]e|copying|notes|changes|changelog|install)[^/]*$|\.(?:txt|md|rst|sha256|sha256sum)$",
    re.IGNORECASE,
)


@dataclass(slots=True)
class Wrapping:
    """What is known of how an image is wrapped; all of it once its bytes are used up. `layers`: outermost first, empty for a bare image; `inside`: the
    image's path in its archive."""

    layers: list[Packing] = field(default_factory=list)
    inside: str = ""
    beside: list[Beside] = field(default_factory=list)

    @property
    def words(self) -> str:
        return ", ".join(self.layers) or str(Packing.RAW)


def unwrap(stream: BinaryIO, *, wanted: str = "", look_around: bool = True, seek_to: Callable[[int], object] = lambda at: None, ahead: Ahead = in_turn) -> tuple[Wrapping, Iterator[bytes]]:  # fmt: skip
    """Return the wrapping of `stream`, a file at its start, and the bytes of the image in it in pieces of at most packing.PIECE_BYTES.

    `wanted`: the path of the image in its archive, needed where there are several. `look_around`: go on to the archive's end behind the image, for
    what else is in it. `seek_to` is told where in an archive that is not read from its start the image begins.
    `ahead`: how blocks that can be unpacked by themselves are.
    While the pieces are used: raises ImageError, SeveralImagesError where nobody said which is wanted.
    """
    wrapping = Wrapping()
    return wrapping, _Unwrapping(wrapping, wanted, look_around, seek_to, ahead).pieces(stream)


def _head_of(pieces: Iterator[bytes]) -> bytes:
    """Return at least HEAD_BYTES from the start of `pieces`, or all there is."""
    head = b""
    while len(head) < HEAD_BYTES and (piece := next(pieces, b"")):
        head += piece
    return head


def _whole_pieces(head: bytes, pieces: Iterator[bytes]) -> Iterator[bytes]:
    return chain([head] if head else [], pieces)


@dataclass(slots=True)
class _Peeled:
    """Bytes with the packings around them taken off. `archive`: what they are then, where that holds files."""

    layers: list[Packing]
    head: bytes
    pieces: Iterator[bytes]
    archive: Packing | None


def _peel(stream: BinaryIO, outer: list[Packing], opened: Callable[[BinaryIO, Packing], Iterator[bytes]]) -> _Peeled:
    """Take packing after packing off `stream`. Raises ImageError for what is no image."""
    pieces = packing.unpack(stream, Packing.RAW)
    layers: list[Packing] = []
    while True:
        head = _head_of(pieces)
        kind = packing.detect(head[:HEAD_BYTES])
        if kind is Packing.RAW or kind in ARCHIVES:
            return _Peeled(layers, head, pieces, kind if kind in ARCHIVES else None)
        layers.append(kind)
        if len(outer) + len(layers) > MAX_PACKED_LAYERS:
            raise refusals.nested([*outer, *layers])
        inner = io.BufferedReader(PieceStream(_whole_pieces(head, pieces)), packing.PIECE_BYTES)
        pieces = opened(inner, kind)


class _Unwrapping:
    def __init__(
        self, wrapping: Wrapping, wanted: str, look_around: bool, seek_to: Callable[[int], object], ahead: Ahead
    ) -> None:
        self._wrapping, self._wanted, self._look_around, self._seek_to = wrapping, wanted, look_around, seek_to
        self._ahead = ahead
        self._images: list[tuple[str, int]] = []
        self._names: list[str] = []
        self._packed_bytes = 0

    def pieces(self, stream: BinaryIO) -> Iterator[bytes]:
        head = stream.read(HEAD_BYTES)
        kind = packing.detect(head)
        self._packed_bytes = stream.seek(0, io.SEEK_END)
        stream.seek(0)
        return self._archived(kind, stream) if kind in ARCHIVES else self._packed(stream, kind)

    def _packed(self, stream: BinaryIO, kind: Packing) -> Iterator[bytes]:
        if kind is Packing.RAW:
            return packing.unpack(stream, kind)
        self._wrapping.layers.append(kind)
        return self._deeper(self._opened(stream, kind))

    def _opened(self, stream: BinaryIO, kind: Packing) -> Iterator[bytes]:
        return self._bounded(packing.unpack(stream, kind, ahead=self._ahead))

    def _bounded(self, pieces: Iterator[bytes]) -> Iterator[bytes]:
        """Yield `pieces` until they are more than any image, whether anybody keeps them or not: what is passed over takes its time too."""
        most = min(MAX_IMAGE_BYTES, max(MIN_BOMB_BYTES, MAX_UNPACKED_RATIO * self._packed_bytes))
        done = 0
        for piece in pieces:
            done += len(piece)
            if done > most:
                raise refusals.bomb(f"{binary_size(self._packed_bytes)} of it are over {binary_size(most)} unpacked", f"{MAX_UNPACKED_RATIO} times its size, and {binary_size(MAX_IMAGE_BYTES)},")  # fmt: skip
            yield piece

    def _deeper(self, pieces: Iterator[bytes]) -> Iterator[bytes]:
        """Yield the image's bytes out of `pieces`, which are unpacked once."""
        head = _head_of(pieces)
        kind = packing.detect(head[:HEAD_BYTES])
        whole = _whole_pieces(head, pieces)
        if kind is Packing.RAW:
            yield from whole
            return
        yield from self._peeled(
            _peel(io.BufferedReader(PieceStream(whole), packing.PIECE_BYTES), self._wrapping.layers, self._opened)
        )

    def _peeled(self, peeled: _Peeled) -> Iterator[bytes]:
        self._wrapping.layers += peeled.layers
        whole = _whole_pieces(peeled.head, peeled.pieces)
        if peeled.archive is None:
            yield from whole
        elif peeled.archive is Packing.TAR:
            yield from self._archived(peeled.archive, io.BufferedReader(PieceStream(whole), packing.PIECE_BYTES))
        else:
            # These have the list of what is in them at their end.
            raise refusals.nested([*self._wrapping.layers, peeled.archive])

    def _archived(self, kind: Packing, stream: BinaryIO) -> Iterator[bytes]:
        self._wrapping.layers.append(kind)
        inner: refusals.UnreadableImageError | None = None
        for member in archive.members(kind, stream):
            self._names.append(member.path)
            if self._wanted and member.path != self._wanted:
                self._note(member, None)
                continue
            self._seek_to(member.offset_bytes)
            try:
                peeled = self._look(member)
            except refusals.UnreadableImageError as error:
                if self._wanted:
                    raise
                # What is wrong with one file of several spoils the others only where there is no image among them.
                inner = inner or error
                self._note(member, None)
                continue
            if peeled is None:
                continue
            self._images.append((member.path, member.size_bytes))
            if len(self._images) > 1:
                continue
            self._wrapping.inside = member.path
            self._wrapping.layers += peeled.layers
            yield from _whole_pieces(peeled.head, peeled.pieces)
            if not self._look_around:
                return
        if len(self._images) > 1:
            raise refusals.several(kind, self._images)
        if not self._images:
            raise self._nothing(kind, inner)

    def _nothing(self, kind: Packing, inner: refusals.UnreadableImageError | None) -> ImageError:
        if self._wanted:
            return refusals.gone_from_inside(self._wanted)
        if inner is not None and (len(self._names) == 1 or inner.finding.code in _OF_THE_ARCHIVE):
            return inner
        return refusals.none_inside(kind, self._names, len(self._names))

    def _look(self, member: Member) -> _Peeled | None:
        """Return what is in `member` where that is an image; None where it is something else, which is noted."""
        if member.size_bytes < HEAD_BYTES:
            self._note(member, member.open())
            return None
        opened = member.open()
        if _TEXT_NAME.search(member.path):
            self._note(member, opened)
            return None
        peeled = _peel(opened, self._wrapping.layers, self._opened)
        if peeled.archive is not None:
            raise refusals.nested([*self._wrapping.layers, *peeled.layers, peeled.archive])
        signed = peeled.head[MBR_SIGNATURE_OFFSET:HEAD_BYTES] == MBR_SIGNATURE
        if signed or self._wanted or IMAGE_NAME.search(member.path):
            return peeled
        self._note(member, None)
        return None

    def _note(self, member: Member, opened: BinaryIO | None) -> None:
        """Keep that `member` lies beside the image, and what it says where it is a small text."""
        if len(self._wrapping.beside) >= MAX_BESIDE_FILES:
            return
        text = ""
        if _TEXT_NAME.search(member.path) and member.size_bytes <= MAX_BESIDE_BYTES:
            text = visible(
                (opened or member.open()).read(MAX_BESIDE_BYTES).decode("utf-8", "replace").replace("\r\n", "\n")
            )
        self._wrapping.beside.append(Beside(member.path, member.size_bytes, text))


_OF_THE_ARCHIVE = (
    "image.locked",
    "image.nested",
    "image.cut-short",
    "image.damaged",
    "image.packed-otherwise",
    "image.bomb",
)
"""what is said of an archive itself, whichever of its files it was found in"""
