"""A folder of image files, and sparse scratch files beside it."""

from __future__ import annotations

import errno
import os
import re
import shutil
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

from mintseed.core.errors import InputError, MintSeedError, MissingError, OutsideError, RefusedError
from mintseed.core.image.checksums import LIST_NAME
from mintseed.core.image.naming import ENDINGS
from mintseed.core.limits import KEEP_FREE_BYTES, MAX_IMAGE_BYTES, MAX_SETTINGS_FILE_BYTES
from mintseed.core.units import binary_size
from mintseed.core.visible import name_bytes, spell_name
from mintseed.ports.images import LibraryFile, Stranger

_LATEST_S = 4102444800.0
"""the year 2100: dates beyond are a damaged file system's."""

CHECK_ROOM_BYTES = 32 * 1024 * 1024
"""bytes written between two looks at how much room is left."""

MOST_LISTS = 50
"""checksum lists that are looked at; a folder of downloads has some"""

MOST_SKELETONS = 200
"""of the images read last; one that is gone is made again when its image is read again"""

_HOLE_BYTES = 64 * 1024
_HOLE = bytes(_HOLE_BYTES)


def open_nameless(folder: Path) -> tuple[int, Path]:
    """Return a fresh file in `folder` that has no name, and the path by which tools of the same user open it.

    Where the file system knows no nameless files it gets one that says whose it is, and is swept when that process is gone.
    """
    try:
        descriptor = os.open(folder, os.O_TMPFILE | os.O_RDWR | os.O_CLOEXEC, 0o600)
    except OSError as error:
        if error.errno not in (errno.EOPNOTSUPP, errno.EISDIR, errno.EINVAL):
            raise
        descriptor, named = tempfile.mkstemp(dir=folder, prefix=f"disk-{os.getpid()}-")
        return descriptor, Path(named)
    return descriptor, Path(f"/proc/{os.getpid()}/fd/{descriptor}")


class SparseFile:
    """Implements ports.ScratchDisk: a file without a name, which is gone with this process however it ends."""

    def __init__(self, folder: Path) -> None:
        descriptor, self._path = open_nameless(folder)
        self._file = os.fdopen(descriptor, "w+b")
        self._size, self._unchecked = 0, CHECK_ROOM_BYTES

    @property
    def path(self) -> Path:
        return self._path

    @property
    def size_bytes(self) -> int:
        return self._size

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        if offset_bytes < 0 or offset_bytes >= self._size:
            return b""
        return os.pread(self._file.fileno(), min(length_bytes, self._size - offset_bytes), offset_bytes)

    def append(self, data: bytes) -> None:
        if self._size + len(data) > MAX_IMAGE_BYTES:
            raise InputError(f"unpacks to more than {binary_size(MAX_IMAGE_BYTES)}", expected="a card image")
        try:
            for start in range(0, len(data), _HOLE_BYTES):
                piece = data[start : start + _HOLE_BYTES]
                if piece != (_HOLE if len(piece) == _HOLE_BYTES else bytes(len(piece))):
                    self._mind_the_room(len(piece))
                    os.pwrite(self._file.fileno(), piece, self._size + start)
        except OSError as error:
            raise no_room(error, self._path) from error
        self.grow_to(self._size + len(data))

    def _mind_the_room(self, length_bytes: int) -> None:
        self._unchecked += length_bytes
        if self._unchecked > CHECK_ROOM_BYTES:
            self._unchecked = 0
            refuse_to_fill(self._file.fileno(), self._path)

    def grow_to(self, size_bytes: int) -> None:
        if size_bytes > self._size:
            self._size = size_bytes
            self._file.truncate(size_bytes)

    def close(self) -> None:
        self._file.close()
        if not self._path.is_relative_to("/proc"):
            self._path.unlink(missing_ok=True)


def refuse_to_fill(descriptor: int, path: Path, needed_bytes: int = 0) -> None:
    """Raise OutsideError when the disk of an open file would have too little room left after `needed_bytes` more."""
    disk = os.fstatvfs(descriptor)
    free_bytes = disk.f_bavail * disk.f_frsize
    if free_bytes - needed_bytes < KEEP_FREE_BYTES:
        raise OutsideError(
            f"only {binary_size(free_bytes)} are free on this disk",
            expected=f"{binary_size(needed_bytes + KEEP_FREE_BYTES)}", where=str(path), next_step="Make room on it, then try again.",
        )  # fmt: skip


def no_room(error: OSError, path: Path) -> OutsideError:
    """Return the error for a file that cannot be written at `path`."""
    full = error.errno in (errno.ENOSPC, errno.EDQUOT)
    return OutsideError(
        f"cannot write there ({error.strerror})",
        where=str(path),
        next_step="Make room on this disk, then try again."
        if full
        else "Look at that folder and its rights, then try again.",
    )


class LibraryFolder:
    """Implements ports.ImageLibrary."""

    def __init__(self, folder: Path, scratch_folder: Path) -> None:
        self._folder = folder
        self._scratch = scratch_folder
        self._skeletons = scratch_folder.parent / "skeletons"

    def files(self) -> tuple[LibraryFile, ...]:
        return tuple(f for f in self._all() if isinstance(f, LibraryFile))

    def strangers(self) -> tuple[Stranger, ...]:
        return tuple(f for f in self._all() if isinstance(f, Stranger))

    def _all(self) -> Iterator[LibraryFile | Stranger | None]:
        try:
            names = sorted(entry.name for entry in os.scandir(self._folder))
        except OSError:
            return
        home = self._folder.resolve()
        for name in names:
            if name.lower().endswith(ENDINGS):
                yield self._listed(name, home)

    def _listed(self, called: str, home: Path) -> LibraryFile | Stranger | None:
        """Return the file in the folder that is `called` so, why it is none that is read, or None when it went while it was looked at."""
        name, path = spell_name(os.fsencode(called)), os.path.join(self._folder, called)  # noqa: PTH118 -- hundreds at a time
        try:
            facts = os.lstat(path)
            if stat.S_ISLNK(facts.st_mode):
                if not Path(path).resolve().is_relative_to(home):
                    return Stranger(name, "is a link that leads out of the library")
                facts = os.stat(path)  # noqa: PTH116
            if not stat.S_ISREG(facts.st_mode):
                return Stranger(name, "is no file")
            if not os.access(path, os.R_OK):
                return Stranger(name, "may not be read by this user")
        except FileNotFoundError:
            return Stranger(name, "is a link to nothing") if Path(path).is_symlink() else None
        except (OSError, RuntimeError) as error:  # RuntimeError: links in a circle
            return Stranger(name, f"cannot be looked at ({getattr(error, 'strerror', error)})")
        return LibraryFile(name, facts.st_size, datetime.fromtimestamp(min(max(facts.st_mtime, 0), _LATEST_S), UTC))

    def _path(self, name: str) -> Path:
        inside = name_bytes(name)
        called = os.fsdecode(inside)
        path = self._folder / called
        named = inside not in (b"", b".", b"..") and b"/" not in inside and b"\0" not in inside
        if not named or not isinstance(self._listed(called, self._folder.resolve()), LibraryFile):
            raise MissingError(f"no file called {name}", where=str(self._folder), next_step="Put it in that folder.")
        return path

    @contextmanager
    def open(self, name: str) -> Iterator[BinaryIO]:
        path = self._path(name)
        try:
            file = path.open("rb")
        except OSError as error:
            raise OutsideError(
                f"cannot be read ({error.strerror})", where=name, next_step="Look at its rights."
            ) from error
        with file:
            yield file

    def remove(self, name: str) -> None:
        path = self._path(name)
        try:
            path.unlink()
        except OSError as error:
            raise OutsideError(
                f"cannot be removed ({error.strerror})", where=name, next_step="Look at the folder's rights."
            ) from error

    def link(self, name: str, new_name: str) -> None:
        path = self._path(name)
        try:
            os.link(path, self._folder / os.fsdecode(name_bytes(new_name)), follow_symlinks=False)
        except FileExistsError as error:
            raise RefusedError("a file is called so already", where=new_name, next_step="Take another name.") from error
        except OSError as error:
            raise OutsideError(
                f"cannot be called so ({error.strerror})",
                where=name,
                next_step="Rename it in the folder; it is then read as a new file.",
            ) from error

    def published_list(self, name: str) -> str | None:
        try:
            with self.open(name) as file:
                return file.read(MAX_SETTINGS_FILE_BYTES).decode("utf-8", "replace")
        except MintSeedError:
            return None

    def lists(self) -> tuple[tuple[str, str], ...]:
        try:
            names = sorted(entry.name for entry in os.scandir(self._folder) if LIST_NAME.search(entry.name))
        except OSError:
            return ()
        told = ((name, self.published_list(name)) for name in map(spell_name, map(os.fsencode, names[:MOST_LISTS])))
        return tuple((name, text) for name, text in told if text is not None)

    def keep_list(self, name: str, text: str) -> None:
        try:
            with tempfile.NamedTemporaryFile("w", dir=self._folder, prefix=".list-", delete=False) as file:
                file.write(text)
            Path(file.name).replace(self._folder / os.fsdecode(name_bytes(name)))
        except OSError as error:
            raise no_room(error, self._folder) from error

    def keep_skeleton(self, mark: str, skeleton: bytes) -> None:
        try:
            self._skeletons.mkdir(parents=True, exist_ok=True, mode=0o700)
            # Whole or not at all: under its name only what was written out.
            with tempfile.NamedTemporaryFile(dir=self._skeletons, prefix="new-", delete=False) as file:
                file.write(skeleton)
            Path(file.name).replace(self._skeletons / mark)
            kept = sorted(self._skeletons.iterdir(), key=lambda path: -path.lstat().st_mtime)
            for old in kept[MOST_SKELETONS:]:
                old.unlink(missing_ok=True)
        except OSError as error:
            raise no_room(error, self._skeletons) from error

    def skeleton(self, mark: str) -> bytes | None:
        if not re.fullmatch(r"[0-9a-f]{64}", mark):
            return None
        try:
            return (self._skeletons / mark).read_bytes()
        except OSError:
            return None

    @contextmanager
    def scratch(self) -> Iterator[SparseFile]:
        try:
            self._scratch.mkdir(parents=True, exist_ok=True, mode=0o700)
            disk = SparseFile(self._scratch)
        except OSError as error:
            raise no_room(error, self._scratch) from error
        try:
            yield disk
        finally:
            disk.close()


def sweep(scratch_folder: Path) -> int:
    """Remove scratch disks and folders whose process is gone. Returns how many there were."""
    swept = 0
    for left in scratch_folder.glob("disk-*") if scratch_folder.is_dir() else ():
        owner = left.name.split("-")[1]
        if owner.isdigit() and Path("/proc", owner).exists():
            continue
        if left.is_dir() and not left.is_symlink():
            shutil.rmtree(left, ignore_errors=True)
        else:
            left.unlink(missing_ok=True)
        swept += 1
    return swept
