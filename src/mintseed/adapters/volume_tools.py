"""File systems inside an image file, by way of blkid, mtools and debugfs at an offset."""

from __future__ import annotations

import itertools
import os
import re
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path

from mintseed.adapters import ext_skeleton
from mintseed.adapters.nginx_lexer import nginx_tokens
from mintseed.adapters.run_tool import ToolAnswer, ask_tool, run_tool
from mintseed.core.card.unused import fat_unused
from mintseed.core.errors import OddNameError, ToolError
from mintseed.core.image.web_servers import Token
from mintseed.core.limits import MAX_DIRECTORY_ENTRIES, MAX_LISTING_BYTES, MAX_TOOL_OUTPUT_BYTES
from mintseed.core.source import Source
from mintseed.ports.volume import Patch, RootFile, Volume, VolumeKind

_UNSAFE = re.compile(r'[\x00-\x1f\x7f"\\*?\[\]]')
"""What mtools and debugfs would take as more than a letter of a name."""


FAT_EPOCH_S = 315_532_800
"""1980-01-01, the first date FAT knows, as Unix time: what is made gets it, so that the same settings give the same bytes."""


def _safe(path: str) -> str:
    if not path or _UNSAFE.search(path) or ".." in path.split("/"):
        raise OddNameError(
            f"a file name on the image cannot be handed to the tools: {path!r}",
            expected="no quotes, * ? [ ] or control signs",
        )
    return path


class FatVolume:
    """Implements ports.Volume with mtools."""

    def __init__(self, disk: Path, offset_bytes: int) -> None:
        self._image = f"{disk}@@{offset_bytes}"

    @cached_property
    def _entries(self) -> tuple[str, ...]:
        """Every file and, with a / at its end, every folder, the empty ones too."""
        return self._listed()

    @cached_property
    def _files(self) -> tuple[str, ...]:
        return tuple(name for name in self._entries if not name.endswith("/"))

    def files(self) -> tuple[str, ...]:
        return self._files

    def _listed(self) -> tuple[str, ...]:
        try:
            # Folders that hold themselves make an endless list; it is ended where no boot volume gets to.
            arguments = ["mdir", "-/", "-b", "-i", self._image, "::/"]
            listed = ask_tool(arguments, package="mtools", limit_bytes=MAX_LISTING_BYTES).printed.decode(
                "utf-8", "replace"
            )
        except ToolError as error:
            if 'File "::/" not found' in error.found:
                return ()  # so mdir says of a volume without any file
            raise
        names = (line.removeprefix("::/") for line in listed.split("\n") if line.startswith("::/"))
        return tuple(itertools.islice(names, MAX_DIRECTORY_ENTRIES))

    def folder(self, path: str) -> tuple[str, ...]:
        inside = f"{path.rstrip('/')}/"
        return tuple(
            f.removeprefix(inside) for f in self.files() if f.startswith(inside) and "/" not in f.removeprefix(inside)
        )

    def read(self, path: str, limit_bytes: int) -> bytes | None:
        try:
            arguments = ["mcopy", "-n", "-i", self._image, f"::/{_safe(path)}", "-"]
            return ask_tool(arguments, package="mtools", limit_bytes=limit_bytes).printed
        except ToolError as error:
            if "not found" in error.found or "No such" in error.found:
                return None
            raise

    def link(self, path: str) -> str | None:
        return None  # FAT has none

    def write(self, contents: Mapping[str, bytes]) -> None:
        for path, data in contents.items():
            inside = f"::/{_safe(path)}"
            # The file keeps its date, so that the same settings give the same bytes whenever they are filled.
            date_s = self._date_s(inside) if self._is_there(path) else self._make_folders(path)
            dated = {"SOURCE_DATE_EPOCH": str(date_s)}
            arguments = ["mcopy", "-o", "-i", self._image, "-", inside]
            ask_tool(arguments, package="mtools", environment=dated, given=data)

    def _is_there(self, path: str) -> bool:
        return path.lower() in {name.lower() for name in self.files()}

    def _make_folders(self, path: str) -> int:
        """Make the folders of a file that is to be made; return the date it gets. A name that is there in other letters is that one."""
        there = {name.lower() for name in self._entries if name.endswith("/")}
        for end in (i for i, sign in enumerate(path) if sign == "/"):
            if (folder := path[: end + 1]).lower() not in there:
                self._entries = (*self._entries, folder)
                arguments = ["mmd", "-D", "s", "-i", self._image, f"::/{path[:end]}"]
                run_tool(arguments, package="mtools", environment={"SOURCE_DATE_EPOCH": str(FAT_EPOCH_S)})
        return FAT_EPOCH_S

    def _date_s(self, inside: str) -> int:
        """Return the date of a file (Unix time in seconds). mtools prints it only to the minute, so a copy in memory tells."""
        copy = os.memfd_create("as-it-came")
        try:
            kept = ["mcopy", "-n", "-m", "-i", self._image, inside, f"/proc/{os.getpid()}/fd/{copy}"]
            run_tool(kept, package="mtools")
            return int(os.fstat(copy).st_mtime)
        finally:
            os.close(copy)

    def used_bytes(self) -> int | None:
        listed = run_tool(["minfo", "-i", self._image, "::"], package="mtools").decode("utf-8", "replace")
        free = re.search(r"free clusters=(\d+)", listed)
        cluster = re.search(r"cluster size: (\d+) sectors", listed)
        total = max((int(m) for m in re.findall(r"(?:big|small) size: (\d+) sectors", listed)), default=0)
        if not (free and cluster and total):
            return None
        return max(0, (total - int(free[1]) * int(cluster[1])) * 512)


LINK_MODE = "12"
"""How the mode of a symbolic link begins, in octal: S_IFLNK is 0120000 (POSIX <sys/stat.h>, Linux values)."""

MOST_LINKS = 40
"""Links followed on the way to one file, as Linux does. Source: path_resolution(7)."""

MAX_LINK_BYTES = 4096

MOST_LISTED = MAX_DIRECTORY_ENTRIES - 2
"""entries from which on a folder was not listed whole (two of them are itself and the one above): what is not among them may be there."""


def _steps(path: str) -> list[str]:
    return [step for step in path.split("/") if step not in ("", ".")]


class ExtVolume:
    """Implements ports.Volume with debugfs, reading only."""

    def __init__(self, disk: Path, offset_bytes: int) -> None:
        self._image = f"{disk}?offset={offset_bytes}"
        self._folders: dict[str, dict[str, tuple[str, bool]]] = {}

    def _debugfs(self, command: str, limit_bytes: int = MAX_TOOL_OUTPUT_BYTES) -> ToolAnswer:
        return ask_tool(["debugfs", "-R", command, self._image], package="e2fsprogs", limit_bytes=limit_bytes)

    def files(self) -> tuple[str, ...]:
        return ()

    def folder(self, path: str) -> tuple[str, ...]:
        found = self._resolved(path)
        return () if found is None else tuple(self._entries(found))

    def read(self, path: str, limit_bytes: int) -> bytes | None:
        _safe(path)
        found = self._resolved(path)
        if found is None:
            return None
        answer = self._debugfs(f'cat "/{_safe(found)}"', limit_bytes)
        return None if not answer.printed and "not found" in answer.said else answer.printed

    def _entries(self, path: str) -> dict[str, tuple[str, bool]]:
        """Return what is in a folder: name → (inode, whether it is a link)."""
        if path not in self._folders:
            place = _safe(path) if path else ""
            listed = self._debugfs(f'ls -p "/{place}"', MAX_LISTING_BYTES).printed.decode("utf-8", "replace")
            rows = [line.split("/") for line in listed.split("\n") if line.startswith("/")]
            self._folders[path] = {
                row[5]: (row[1], row[2].startswith(LINK_MODE))
                for row in rows[:MAX_DIRECTORY_ENTRIES]
                if len(row) > 5 and row[5] not in (".", "..")
            }
        return self._folders[path]

    def _resolved(self, path: str) -> str | None:
        """Return `path` with every link in it followed, inside this volume only; None for what is not there, or leads in a circle."""
        ahead, behind, links = _steps(path), list[str](), 0
        while ahead:
            step = ahead.pop(0)
            if step == "..":
                del behind[-1:]  # above the root is the root, as for every reader
                continue
            entries = self._entries("/".join(behind))
            inode, is_link = entries.get(step, ("", False))
            if not inode and len(entries) < MOST_LISTED:
                return None
            if not is_link:
                behind.append(step)
                continue
            links += 1
            target = self._link(inode)
            if links > MOST_LINKS or not target or _UNSAFE.search(target):
                return None  # one odd link spoils itself, not the reading of all that lies beside it
            if target.startswith("/"):
                behind.clear()
            ahead = [*_steps(target), *ahead]
        return "/".join(behind)

    def place_of(self, path: str) -> str:
        """Return where a file called `path` is or would be: every link on the way followed, inside this volume only. Raises ToolError for
        links that lead in a circle or nowhere that can be told."""
        steps = _steps(_safe(path))
        for count in range(len(steps), -1, -1):
            there = self._resolved("/".join(steps[:count]))
            if there is not None:
                missing = steps[count:]
                if missing and self._is_link(there, missing[0]):
                    break
                return "/".join([*_steps(there), *missing])
        raise ToolError(f"{path} lies behind a link that cannot be followed", expected="links inside the volume")

    def is_there(self, path: str) -> bool:
        """Return whether something is called exactly `path`; a link is itself, wherever it leads."""
        folder, _, name = path.rpartition("/")
        found = self._resolved(folder)
        return found is not None and name in self._entries(found)

    def _is_link(self, folder: str, name: str) -> bool:
        return self._entries(folder).get(name, ("", False))[1]

    def _link(self, inode: str) -> str:
        """Return where a link leads: short ones stand in the inode, long ones in a block of their own."""
        told = self._debugfs(f"stat <{inode}>").printed.decode("utf-8", "replace")
        if (short := re.search(r'^Fast link dest: "(.*)"$', told, re.MULTILINE)) is not None:
            return short[1]
        return self._debugfs(f"cat <{inode}>", MAX_LINK_BYTES).printed.decode("utf-8", "replace").rstrip("\0")

    def link(self, path: str) -> str | None:
        folder, _, name = _safe(path).rpartition("/")
        found = self._resolved(folder)
        inode, is_link = self._entries(found).get(name, ("", False)) if found is not None else ("", False)
        return self._link(inode) if is_link else None

    def write(self, contents: Mapping[str, bytes]) -> None:
        raise ToolError("the root volume is not written here", expected="files on the boot volume")

    def used_bytes(self) -> int | None:
        listed = self._debugfs("show_super_stats -h").printed.decode("utf-8", "replace")
        values = {k.strip(): v.strip() for k, _, v in (line.partition(":") for line in listed.splitlines())}
        try:
            return (int(values["Block count"]) - int(values["Free blocks"])) * int(values["Block size"])
        except (KeyError, ValueError):
            return None


class OffsetVolumeTools:
    """Implements ports.VolumeTools."""

    def identify(self, disk: Path, offset_bytes: int) -> VolumeKind:
        arguments = ["blkid", "-p", "-O", str(offset_bytes), "-o", "export", str(disk)]
        listed = run_tool(arguments, package="util-linux", accept=(0, 2, 8)).decode("utf-8", "replace")
        values = dict(line.split("=", 1) for line in listed.splitlines() if "=" in line)
        return VolumeKind(values.get("TYPE", ""), values.get("LABEL", ""))

    def open(self, disk: Path, offset_bytes: int, kind: VolumeKind) -> Volume | None:
        if kind.file_system == "vfat":
            return FatVolume(disk, offset_bytes)
        if kind.file_system in ("ext2", "ext3", "ext4"):
            return ExtVolume(disk, offset_bytes)
        return None

    def unused(self, disk: Path, source: Source, offset_bytes: int, size_bytes: int) -> tuple[tuple[int, int], ...]:
        kind = self.identify(disk, offset_bytes).file_system
        if kind == "vfat":
            return fat_unused(source, offset_bytes, size_bytes)
        if kind in ("ext2", "ext3", "ext4"):
            return ext_skeleton.unused(f"{disk}?offset={offset_bytes}", size_bytes)
        return ()

    def nginx_tokens(self, data: bytes) -> tuple[Token, ...]:
        return nginx_tokens(data)

    def skeleton(self, disk: Path, offset_bytes: int, size_bytes: int) -> bytes:
        kind = self.identify(disk, offset_bytes)
        if kind.file_system not in ("ext2", "ext3", "ext4"):
            raise ToolError(f"its file system is {kind.file_system or 'not known'}", expected="ext2, ext3 or ext4")
        return ext_skeleton.take(disk, offset_bytes, size_bytes)

    def unused_of(self, skeleton: bytes) -> tuple[tuple[int, int], ...]:
        return ext_skeleton.unused_of(skeleton)

    def patches(self, skeleton: bytes, files: Sequence[RootFile]) -> tuple[Patch, ...]:
        return ext_skeleton.patches(skeleton, files, ExtVolume)
