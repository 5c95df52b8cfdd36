"""Put files on an ext volume without its data at hand: its metadata alone is kept, changed, and what changed is laid over the volume.

e2image(8) takes the metadata, debugfs(8) puts files into a copy of it, e2fsck(8) judges the result: the skeleton of a volume is a
whole volume to them, only that the files which were there hold nothing.
"""

from __future__ import annotations

import io
import os
import struct
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Protocol

from backports import zstd

from mintseed.adapters.run_tool import ask_tool
from mintseed.core.card.unused import ext_unused
from mintseed.core.errors import ToolError
from mintseed.core.limits import MAX_INODE_TABLES_BYTES, MAX_SKELETON_BYTES
from mintseed.ports.volume import Patch, RootFile

PACKAGE = "e2fsprogs"
MAGIC = b"mint-seed skeleton 1\n"
SUPERBLOCK_AT = 1024
"""bytes from the volume's start. Source: ext4 disk layout, "The Super Block"."""

NEEDS_RECOVERY = 0x4
"""bit of s_feature_incompat: the journal holds what was not written out"""

CLEAN = 0x1
"""bit of s_state: it was left clean"""

CHECK_S = 120.0
"""seconds a check of the metadata may take; one of a volume of 32 GB takes two"""

_PIECE = 1024 * 1024


class Folders(Protocol):
    """What is asked of the volume while files are put on it."""

    def place_of(self, path: str) -> str: ...

    def is_there(self, path: str) -> bool: ...


@dataclass(frozen=True, slots=True)
class _Superblock:
    block_bytes: int
    state: int
    incompatible: int
    changed_s: int


def take(disk: Path, offset_bytes: int, size_bytes: int) -> bytes:
    """Return the skeleton of the volume at `offset_bytes` of `disk`. Raises ToolError where nothing may be put on it."""
    with _scratch() as target:
        _refuse_huge(disk, offset_bytes)
        ask_tool(
            ["e2image", "-r", "-o", str(offset_bytes), str(disk), _path(target)], package=PACKAGE, timeout_s=CHECK_S
        )
        head = _superblock(target)
        if head.incompatible & NEEDS_RECOVERY or not head.state & CLEAN:
            raise ToolError("it was not left clean: its journal holds what was not written out", expected="a volume that was shut down well",
                            next_step="Start it once where it was made, shut it down, and take its image then.")  # fmt: skip
        os.ftruncate(target.fileno(), size_bytes)
        _refuse_unsound(target)
        return _pack(target, size_bytes)


def _refuse_huge(disk: Path, offset_bytes: int) -> None:
    """Raise ToolError for a volume whose metadata alone would fill the disk it is looked at on."""
    with disk.open("rb") as file:
        head = os.pread(file.fileno(), 1024, offset_bytes + SUPERBLOCK_AT)
    inodes, (inode_bytes,) = struct.unpack_from("<I", head, 0)[0], struct.unpack_from("<H", head, 88)
    if inodes * max(inode_bytes, 128) > MAX_INODE_TABLES_BYTES:
        raise ToolError(f"it has room for {inodes} files", expected="an ordinary system")


def patches(skeleton: bytes, files: Sequence[RootFile], volume: Callable[[Path, int], Folders]) -> tuple[Patch, ...]:
    """Return what is to be laid over the volume, so that it holds `files`; see ports.volume."""
    with _scratch() as before, _scratch() as after:
        _unpack(skeleton, before)
        _unpack(skeleton, after)
        head = _superblock(before)
        own = _put(after, files, volume(Path(_path(after)), 0), head)
        _refuse_unsound(after)
        return tuple(_changed(before, after, head.block_bytes, own))


def unused(volume: str, size_bytes: int) -> tuple[tuple[int, int], ...]:
    """Return what a volume, named as e2fsprogs take it, does not use: offsets from its start and lengths in bytes, in order."""
    answer = ask_tool(["dumpe2fs", volume], package=PACKAGE, timeout_s=CHECK_S)
    # Of a list that was cut the last line is not whole: half a number would call another block unused.
    listed = answer.printed.rpartition(b"\n")[0] if answer.cut else answer.printed
    found = ext_unused(listed.decode("utf-8", "replace"))
    return tuple((at, length) for at, length in found if at + length <= size_bytes)


def unused_of(skeleton: bytes) -> tuple[tuple[int, int], ...]:
    """Return what the volume that `skeleton` was taken from does not use."""
    with _scratch() as disk:
        _unpack(skeleton, disk)
        return unused(_path(disk), os.fstat(disk.fileno()).st_size)


def _put(disk: BinaryIO, files: Sequence[RootFile], there: Folders, head: _Superblock) -> set[int]:
    """Put `files` on the volume of `disk`; return the numbers of the blocks that hold what is in them."""
    commands: list[str] = []
    held: list[int] = []
    made: set[str] = set()
    places = []
    try:
        for file in files:
            folder, _, name = file.path.rpartition("/")
            place = (
                "/".join(filter(None, (there.place_of(folder) if folder else "", name)))
                if file.link
                else there.place_of(file.path)
            )
            places.append(place)
            commands += _folders(place, file, there, made)
            old = there.is_there(place)
            commands += [f'rm "/{place}"'] if old else []
            if file.link:
                commands.append(f'symlink "/{place}" "{_target(file)}"')
                continue
            held.append(os.memfd_create("filled"))
            os.write(held[-1], file.content)
            commands += [
                f'write "/proc/{os.getpid()}/fd/{held[-1]}" "/{place}"',
                *_owned(place, file, old=_kept(disk, place) if old else None),
            ]
        said = _debugfs(disk, commands, head.changed_s)
    finally:
        for descriptor in held:
            os.close(descriptor)
    if said:
        raise ToolError(
            f"the root volume does not take the files: {said}", next_step="Fill fewer of them, or choose another image."
        )
    return set(_verified(disk, files, places))


def _target(file: RootFile) -> str:
    target = file.content.decode("utf-8", "replace")
    if not target or any(c in target for c in '"\\\n\r\0'):
        raise ToolError(f"a link cannot lead to {target!r}", where=file.path)
    return target


def _folders(place: str, file: RootFile, there: Folders, made: set[str]) -> Iterator[str]:
    """Yield what makes the folders of `place` that are not there. What is nobody's business in a home is in a folder that is not either."""
    steps = place.split("/")[:-1]
    private = bool(file.uid) and file.mode is not None and not file.mode & 0o077
    for count in range(1, len(steps) + 1):
        folder = "/".join(steps[:count])
        if folder in made or there.is_there(folder):
            continue
        made.add(folder)
        yield f'mkdir "/{folder}"'
        yield f'set_inode_field "/{folder}" mode {0o040700 if private else 0o040755:#o}'.replace("0o", "0")
        if private:
            yield f'set_inode_field "/{folder}" uid {file.uid}'
            yield f'set_inode_field "/{folder}" gid {file.gid or 0}'


@dataclass(frozen=True, slots=True)
class _Owned:
    mode: int
    uid: int
    gid: int


def _owned(place: str, file: RootFile, old: _Owned | None) -> Iterator[str]:
    mode = file.mode if file.mode is not None else old.mode if old else 0o644
    uid = file.uid if file.uid is not None else old.uid if old else 0
    gid = file.gid if file.gid is not None else old.gid if old else 0
    yield f'set_inode_field "/{place}" mode 0{0o100000 | mode:o}'
    yield f'set_inode_field "/{place}" uid {uid}'
    yield f'set_inode_field "/{place}" gid {gid}'


def _kept(disk: BinaryIO, place: str) -> _Owned:
    told = _asked(disk, f'stat "/{place}"')
    fields = dict(_stat_fields(told))
    return _Owned(
        int(fields.get("Mode", "0644"), 8) & 0o7777, int(fields.get("User", "0")), int(fields.get("Group", "0"))
    )


def _stat_fields(told: str) -> Iterator[tuple[str, str]]:
    words = told.replace(":", " : ").split()
    found: set[str] = set()
    for before, colon, after in zip(words, words[1:], words[2:], strict=False):
        if colon == ":" and before not in found and before in ("Mode", "User", "Group", "Size"):
            found.add(before)
            yield before, after


def _verified(disk: BinaryIO, files: Sequence[RootFile], places: Sequence[str]) -> Iterator[int]:
    """Read each file back, and yield its blocks. Raises ToolError for one that did not arrive."""
    for file, place in zip(files, places, strict=True):
        if file.link:
            continue
        read = ask_tool(
            ["debugfs", "-R", f'cat "/{place}"', _path(disk)], package=PACKAGE, limit_bytes=len(file.content) + 1
        ).printed
        size_bytes = int(dict(_stat_fields(_asked(disk, f'stat "/{place}"'))).get("Size", "-1"))
        # Of a file that lies in its inode debugfs prints the whole room there is, however short it is.
        if size_bytes != len(file.content) or read[:size_bytes] != file.content:
            raise ToolError(f"{file.path} did not arrive on the root volume as it was written")
        yield from (int(word) for word in _asked(disk, f'blocks "/{place}"').split() if word.isdigit() and int(word))


def _debugfs(disk: BinaryIO, commands: Sequence[str], changed_s: int) -> str:
    """Have debugfs do `commands`; return what it complains of."""
    # What is made gets the date of the volume's last change, so that the same settings give the same bytes.
    dated = {"E2FSPROGS_FAKE_TIME": str(changed_s)} if changed_s else {}
    given = "".join(f"{command}\n" for command in commands).encode("utf-8", "surrogateescape")
    answer = ask_tool(["debugfs", "-w", "-f", "-", _path(disk)], package=PACKAGE, environment=dated, given=given)
    complaints = [line for line in answer.said.splitlines() if line.strip() and not line.startswith("debugfs ")]
    return complaints[0].strip() if complaints else ""


def _asked(disk: BinaryIO, command: str) -> str:
    return ask_tool(["debugfs", "-R", command, _path(disk)], package=PACKAGE).printed.decode("utf-8", "replace")


def _refuse_unsound(disk: BinaryIO) -> None:
    """Raise ToolError unless e2fsck, which changes nothing, finds the volume in order."""
    try:
        ask_tool(["e2fsck", "-fn", _path(disk)], package=PACKAGE, timeout_s=CHECK_S)
    except ToolError as error:
        raise ToolError(f"it is not in order ({error.found})", expected="a volume that e2fsck finds clean",
                        next_step="Have e2fsck mend it where it was made, and take its image then.") from error  # fmt: skip


def _changed(before: BinaryIO, after: BinaryIO, block_bytes: int, own: set[int]) -> Iterator[Patch]:
    """Yield the blocks of `after` that differ from `before`, and those in `own` in any case: what lies there on the volume itself is not
    known here. Neighbours go together."""
    end = os.fstat(after.fileno()).st_size
    looked = {
        block for start, stop in _extents(after) for block in range(start // block_bytes, -(-stop // block_bytes))
    }
    looked |= {
        block for start, stop in _extents(before) for block in range(start // block_bytes, -(-stop // block_bytes))
    }
    run: list[bytes] = []
    begins = 0
    for block in sorted(looked | own):
        offset = block * block_bytes
        data = os.pread(after.fileno(), min(block_bytes, end - offset), offset)
        if block not in own and data == os.pread(before.fileno(), len(data), offset):
            continue
        if run and begins + sum(map(len, run)) != offset:
            yield Patch(begins, b"".join(run))
            run = []
        if not run:
            begins = offset
        run.append(data)
    if run:
        yield Patch(begins, b"".join(run))


def _superblock(disk: BinaryIO) -> _Superblock:
    data = os.pread(disk.fileno(), 1024, SUPERBLOCK_AT)
    if len(data) < 1024 or data[56:58] != b"\x53\xef":
        raise ToolError("it has no superblock", expected="an ext volume")
    (log_size,), (state,), (incompatible,) = (
        struct.unpack_from(f, data, at) for f, at in (("<I", 24), ("<H", 58), ("<I", 96))
    )
    if log_size > 6:
        raise ToolError("its blocks are larger than any there are", expected="at most 64 KiB")
    return _Superblock(1024 << log_size, state, incompatible, struct.unpack_from("<I", data, 48)[0])


def _extents(disk: BinaryIO) -> Iterator[tuple[int, int]]:
    """Yield (start, end) of what of a sparse file is there."""
    at, end = 0, os.fstat(disk.fileno()).st_size
    while at < end:
        try:
            start = os.lseek(disk.fileno(), at, os.SEEK_DATA)
        except OSError:  # nothing but a hole is left
            return
        at = os.lseek(disk.fileno(), start, os.SEEK_HOLE)
        yield start, min(at, end)


def _pack(disk: BinaryIO, size_bytes: int) -> bytes:
    """Return what of the sparse `disk` is there: its size, then (offset, length, bytes) of each extent, packed."""
    out = io.BytesIO()
    with zstd.ZstdFile(out, "wb", level=3) as packer:
        packer.write(struct.pack("<Q", size_bytes))
        for start, end in _extents(disk):
            for at in range(start, end, _PIECE):
                data = os.pread(disk.fileno(), min(_PIECE, end - at), at)
                if any(data):
                    packer.write(struct.pack("<QI", at, len(data)) + data)
                if out.tell() > MAX_SKELETON_BYTES:
                    raise ToolError("it describes more files than can be kept", expected="an ordinary system")
    return MAGIC + out.getvalue()


def _unpack(skeleton: bytes, disk: BinaryIO) -> None:
    """Put what `_pack` packed back. Raises ToolError where it is damaged."""
    try:
        if not skeleton.startswith(MAGIC):
            raise ValueError("not one of ours")
        with zstd.ZstdFile(io.BytesIO(skeleton[len(MAGIC) :])) as reader:
            (size_bytes,) = struct.unpack("<Q", reader.read(8))
            os.ftruncate(disk.fileno(), size_bytes)
            while head := _exactly(reader, 12):
                at, length = struct.unpack("<QI", head)
                if length > _PIECE or at + length > size_bytes:
                    raise ValueError("an extent beyond its end")
                os.pwrite(disk.fileno(), _exactly(reader, length), at)
    except (ValueError, struct.error, zstd.ZstdError, EOFError) as error:
        raise ToolError(
            f"what was kept of the root volume is damaged ({error})", next_step="Read the image again."
        ) from error


def _exactly(reader: zstd.ZstdFile, length: int) -> bytes:
    """Return `length` bytes, or nothing at the very end. Raises ValueError for fewer."""
    data = b""
    while len(data) < length:
        more = reader.read(length - len(data))
        if not more:
            break
        data += more
    if data and len(data) < length:
        raise ValueError("cut short")
    return data


def _path(disk: BinaryIO) -> str:
    return f"/proc/{os.getpid()}/fd/{disk.fileno()}"


@contextmanager
def _scratch() -> Iterator[BinaryIO]:
    """A file without a name: gone with its process, whatever ends it. It holds what is filled in. Raises ToolError where the disk for
    temporary files takes no more."""
    try:
        with tempfile.TemporaryFile() as file:
            yield file
    except OSError as error:
        raise ToolError(f"there is no room for it among temporary files ({error.strerror})", where=tempfile.gettempdir(),
                        next_step="Make room there, then try again.") from error  # fmt: skip
