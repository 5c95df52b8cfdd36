"""Fill an image's settings files: the head of the image, up to the end of its boot volume, with the files replaced."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from itertools import chain

from mintseed.core.card import in_use
from mintseed.core.card.samples import block_bytes_for
from mintseed.core.errors import ImageError, RefusedError, ToolError
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.image import packing
from mintseed.core.image.changes import UNCHANGED, ImageChanges, marks_of, merged, ranges_between
from mintseed.core.image.naming import file_of
from mintseed.core.image.report import XRay
from mintseed.core.ranges import Range
from mintseed.core.settings.fill import FilledFile
from mintseed.ports.images import ImageLibrary, ScratchDisk
from mintseed.ports.volume import Patch, RootFile, VolumeTools
from mintseed.services.inspect_image import TappedStream, open_tapped
from mintseed.services.run_ahead import run_ahead

UNPACK_AHEAD_PIECES = 8
"""pieces of 1 MiB unpacked ahead of their use; bounds memory whatever the image's size."""


class FilledImage:
    """A filled image, to be read once from start to end: its head from a scratch disk, the rest as it is unpacked."""

    def __init__(
        self,
        disk: ScratchDisk,
        rest: Iterator[bytes],
        tap: TappedStream,
        patches: Sequence[Patch] = (),
        changes: ImageChanges = UNCHANGED,
        left: Sequence[Range] = (),
    ) -> None:
        self._disk, self._rest, self._tap, self._patches = disk, rest, tap, patches
        self.changes = changes
        self.left = tuple(left)
        """what nothing uses and need not be written: whole blocks of a write of this length; nothing where it was not asked"""

    def pieces(self) -> Iterator[bytes]:
        """Yield the image's bytes in pieces of at most packing.PIECE_BYTES. Raises ImageError when the file is damaged."""
        yield from laid_over(self._as_unpacked(), self._patches)
        self._tap.drain()

    def _as_unpacked(self) -> Iterator[bytes]:
        for offset in range(0, self._disk.size_bytes, packing.PIECE_BYTES):
            yield self._disk.read_at(offset, packing.PIECE_BYTES)
        yield from self._rest

    def refuse_other_than(self, xray: XRay, written_bytes: int) -> None:
        """Raise ImageError unless the pieces, now used up, came whole from the very file that `xray` speaks of."""
        if self._tap.sha256 != xray.sha256 or written_bytes != xray.unpacked_bytes:
            raise ImageError(
                "the image file changed since it was read", expected=f"SHA-256 {xray.sha256}", where=xray.file_name,
                next_step="Read the image again under Images, then go on.",
            )  # fmt: skip


def laid_over(pieces: Iterable[bytes], patches: Sequence[Patch]) -> Iterator[bytes]:
    """Yield `pieces` with `patches`, which are in the order of their offsets, laid over them."""
    at, waiting = 0, list(patches)
    for piece in pieces:
        end = at + len(piece)
        here = []
        while waiting and waiting[0].offset_bytes < end:
            here.append(waiting[0])
            if waiting[0].offset_bytes + len(waiting[0].data) > end:
                break  # the next piece has the rest of it
            waiting.pop(0)
        if here:
            changed = bytearray(piece)
            for patch in here:
                start, stop = max(patch.offset_bytes, at), min(patch.offset_bytes + len(patch.data), end)
                changed[start - at : stop - at] = patch.data[start - patch.offset_bytes : stop - patch.offset_bytes]
            piece = bytes(changed)
        yield piece
        at = end


def check(filled: Sequence[FilledFile]) -> tuple[Finding, ...]:
    """Return the findings about the files that are to go into the image, worst first."""
    return worst_first(f for file in filled for f in file.findings)


@contextmanager
def execute(
    xray: XRay,
    filled: Sequence[FilledFile],
    *,
    library: ImageLibrary,
    tools: VolumeTools,
    only_used: bool = False,
) -> Iterator[FilledImage]:
    """Unpack the image's head, write the files into its boot volume, read each back, and hand over the whole.

    The head is unpacked once: what follows it comes from the same stream. `only_used`: ask its volumes, as they are filled, what they do not use.
    Raises RefusedError when a finding stops it, ImageError when there is no boot volume to fill.
    """
    found = check(filled)
    if verdict(found) is Severity.STOP:
        raise RefusedError(found[0].title, where=found[0].where.file, next_step=found[0].fix)
    boot, on_boot = xray.boot_volume, [f for f in filled if not f.on_root]
    if boot is None and on_boot:
        raise ImageError("there is no boot volume to fill", where=xray.file_name)
    root = library.skeleton(xray.mark) if only_used or len(on_boot) < len(filled) else None
    patches = _patches(xray, [f for f in filled if f.on_root], root, tools)
    wants_head = boot is not None and (on_boot or (only_used and in_use.tells(boot, xray)))
    with library.scratch() as disk, library.open(file_of(xray.file_name)) as stream:
        _, tap, pieces = open_tapped(stream, lambda done: None, wanted=xray.inside)
        with tap:
            left = _unpack_head(pieces, disk, boot.offset_bytes + boot.size_bytes if boot and wants_head else 0)
            # What follows the head is unpacked while the files are put in and the head is written.
            with run_ahead(chain([left] if left else [], pieces), UNPACK_AHEAD_PIECES) as rest:
                ranges = [(p.offset_bytes, len(p.data)) for p in patches]
                if boot is not None and on_boot:
                    before = marks_of(disk.read_at, disk.size_bytes)
                    _put_files(disk, boot.offset_bytes, on_boot, tools, xray.file_name)
                    ranges += ranges_between(before, marks_of(disk.read_at, disk.size_bytes))
                unused = _left_out(xray, disk, root, patches, tools) if only_used else ()
                changes = ImageChanges(tuple(f.path for f in filled), merged(ranges))
                yield FilledImage(disk, rest, tap, patches, changes, unused)


def _left_out(
    xray: XRay, disk: ScratchDisk, skeleton: bytes | None, patches: Sequence[Patch], tools: VolumeTools
) -> tuple[Range, ...]:
    """Return what of the filled image nothing uses, as its volumes say: the boot volume on `disk`, which is filled, and the root volume by what was
    kept of it, with what is laid over that taken out. A volume that does not tell is written whole."""
    unused: dict[int, tuple[Range, ...]] = {}
    for volume in (v for v in xray.volumes if in_use.tells(v, xray)):
        with suppress(ToolError):
            if volume.role == "boot":
                unused[volume.partition] = tools.unused(disk.path, disk, volume.offset_bytes, volume.size_bytes)
            elif skeleton is not None:
                unused[volume.partition] = tools.unused_of(skeleton)
    written = [(p.offset_bytes, len(p.data)) for p in patches]
    return in_use.left_out(xray.volumes, unused, written, block_bytes_for(xray.unpacked_bytes))


def _patches(xray: XRay, files: Sequence[FilledFile], skeleton: bytes | None, tools: VolumeTools) -> tuple[Patch, ...]:
    """Return what is to be laid over the image so that its root volume holds `files`. Raises ImageError when what was read of that
    volume is gone, ToolError when one of them cannot be put there."""
    if not files:
        return ()
    root = xray.root_volume
    if root is None or skeleton is None:
        raise ImageError("what was read of its root volume is gone", where=xray.file_name, next_step="Read the image again under Images, then go on.")  # fmt: skip
    wanted = [
        RootFile(f.path[1:], f.content, f.owned.uid, f.owned.gid, f.owned.mode, link=f.dialect == "link") for f in files
    ]
    return tuple(Patch(root.offset_bytes + p.offset_bytes, p.data) for p in tools.patches(skeleton, wanted))


def _unpack_head(pieces: Iterator[bytes], disk: ScratchDisk, end_bytes: int) -> bytes:
    """Put the first `end_bytes` of the image on `disk`; return what was unpacked beyond them."""
    for piece in pieces:
        wanted = end_bytes - disk.size_bytes
        disk.append(piece[:wanted])
        if disk.size_bytes >= end_bytes:
            return piece[wanted:]
    raise ImageError("it ends before its boot volume does", next_step="The file is cut short: download it again.")


def _put_files(
    disk: ScratchDisk, offset_bytes: int, filled: Sequence[FilledFile], tools: VolumeTools, image: str
) -> None:
    volume = tools.open(disk.path, offset_bytes, tools.identify(disk.path, offset_bytes))
    if volume is None:
        raise ImageError("the boot volume cannot be written", expected="a FAT file system", where=image)
    volume.write({file.path: file.content for file in filled})
    for file in filled:
        if volume.read(file.path, len(file.content) + 1) != file.content:
            raise ToolError(f"{file.path} did not arrive in the image as it was written", where=image)
