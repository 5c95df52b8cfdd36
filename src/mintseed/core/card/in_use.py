"""What of an image a card has to be given: what its file systems use, and every byte that belongs to none of them.

A third to a half of most images is room that nothing uses. It need be neither written nor read back; what lay there on the card stays, and
no file of the new system can come to read it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from mintseed.core.ranges import Range, joined, without

if TYPE_CHECKING:
    from mintseed.core.image.report import VolumeFacts, XRay

LEAST_LEFT_BYTES = 256 * 1024
"""A smaller gap costs a card about what it saves: it is written with its neighbours."""

FAT, EXT = ("vfat",), ("ext2", "ext3", "ext4")


@dataclass(frozen=True, slots=True)
class InUse:
    """`bytes` of an image's are in use, as far as its file systems tell; `untold`: the volumes that do not, which count whole."""

    bytes: int
    untold: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether every volume tells what it uses: then that is what is written, unless somebody wants everything."""
        return not self.untold


def in_use(xray: XRay) -> InUse:
    """Return how much of an image is in use, told before the first byte of it is unpacked again."""
    telling = {v.partition: v for v in xray.volumes if tells(v, xray)}
    free = sum(v.size_bytes - min(v.size_bytes, v.used_bytes or 0) for v in telling.values())
    untold = tuple(
        f"{v.file_system or 'unknown'} on partition {v.partition}" for v in xray.volumes if v.partition not in telling
    )
    return InUse(xray.unpacked_bytes - free, untold or (() if xray.volumes else ("no partition",)))


def proposed_bytes(xray: XRay) -> int:
    """Return how much of an image is written where nobody says otherwise: what is in use, where every volume tells."""
    found = in_use(xray)
    return found.bytes if found.whole else xray.unpacked_bytes


def tells(volume: VolumeFacts, xray: XRay) -> bool:
    """Return whether the volume will say what it uses when the card is written: the root volume by what was kept of it."""
    ends = volume.offset_bytes + volume.size_bytes
    if volume.used_bytes is None or ends > xray.unpacked_bytes or _overlaps(volume, xray.volumes):
        return False
    if volume.role == "root":
        return volume.file_system in EXT and not xray.root_unfillable
    return volume.role == "boot" and volume.file_system in FAT


def _overlaps(one: VolumeFacts, volumes: Iterable[VolumeFacts]) -> bool:
    ends = one.offset_bytes + one.size_bytes
    return any(
        other is not one and other.offset_bytes < ends and one.offset_bytes < other.offset_bytes + other.size_bytes
        for other in volumes
    )


def left_out(
    volumes: Iterable[VolumeFacts], unused: Mapping[int, Iterable[Range]], written: Iterable[Range], block_bytes: int
) -> tuple[Range, ...]:
    """Return what of an image is left out: whole blocks of `block_bytes`, in the order of their offsets.

    `unused`: by the number of its partition, what each volume does not use, counted from the start of the volume; `written`: what is laid over the image
    whatever a volume says of it, counted from the image's start. Of volumes that lie over one another nothing is left out.
    """
    volumes = tuple(volumes)
    free = joined(sorted(
        (v.offset_bytes + at, min(length, v.size_bytes - at))
        for v in volumes if not _overlaps(v, volumes)
        for at, length in unused.get(v.partition, ()) if 0 <= at < v.size_bytes
    ))  # fmt: skip
    whole = (_blocks_within(begins, begins + length, block_bytes) for begins, length in without(free, written))
    return tuple((begins, length) for begins, length in whole if length >= LEAST_LEFT_BYTES)


def _blocks_within(begins: int, ends: int, block_bytes: int) -> Range:
    first, last = -(-begins // block_bytes) * block_bytes, ends // block_bytes * block_bytes
    return first, max(0, last - first)


def parted(pieces: Iterable[bytes], left: Iterable[Range]) -> Iterator[tuple[bytes, bool]]:
    """Yield `pieces` cut where what is `left` out begins and ends, each with whether it is to be written."""
    ahead, at = list(reversed(tuple(left))), 0
    for piece in pieces:
        view, ends = memoryview(piece), at + len(piece)
        while at < ends:
            while ahead and sum(ahead[-1]) <= at:
                ahead.pop()
            begins = ahead[-1][0] if ahead else ends
            keep = begins > at
            stops = min(ends, begins if keep else sum(ahead[-1]))
            cut = view[len(view) - (ends - at) : len(view) - (ends - stops)]
            yield (piece if len(cut) == len(piece) else bytes(cut)), keep
            at = stops
