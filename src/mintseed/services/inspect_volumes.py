"""Look into an image's volumes: which is which, the boards it starts on, its kernels, its settings files, its page.

Everything here was made by strangers. Each part is read by itself, within a time for all of them: what cannot be read
becomes a finding, and the rest is read all the same.
"""

from __future__ import annotations

import itertools
import logging
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TypeVar

from mintseed.core.errors import DeviceTreeError, OddNameError, StoppedError, ToolError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.commands import commanded, contained
from mintseed.core.image.device_tree import read_device_tree
from mintseed.core.image.facts import NOTHING_READ, PageFacts, SystemFacts
from mintseed.core.image.kernel import HEAD_BYTES, Kernel, read_kernel
from mintseed.core.image.page import MDNS_FOLDER, PROGRAMS, RESOLVED, read_page_facts
from mintseed.core.image.partitions import Partition, PartitionTable
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts
from mintseed.core.image.starting import NOTHING_STARTS, WhatStarts, what_starts
from mintseed.core.image.system import MOST_SETTINGS_FILES, SETTINGS_FILES, SETTINGS_FOLDERS, judge_system, read_system
from mintseed.core.image.web_servers import FILES as SITE_FILES
from mintseed.core.image.web_servers import FOLDERS as SITE_FOLDERS
from mintseed.core.image.web_servers import MOST_FILES as MOST_SITES
from mintseed.core.limits import (
    MAX_DEVICE_TREE_BYTES,
    MAX_DEVICE_TREES,
    MAX_DIRECTORY_ENTRIES,
    MAX_KERNELS,
    MAX_LOOKING_S,
    MAX_OTHER_FILES,
    MAX_OTHER_FILES_BYTES,
    MAX_SERVICE_FILES,
    MAX_SETTINGS_FILE_BYTES,
    MAX_TREE_READS,
)
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.guess import guess
from mintseed.core.visible import one_line
from mintseed.ports.images import ScratchDisk
from mintseed.ports.volume import Volume, VolumeKind, VolumeTools

log = logging.getLogger("mintseed.image")

SETTINGS_ENDINGS = (".conf", ".txt", ".nmconnection", ".yaml", ".yml", ".cfg", ".ini", ".env", ".toml", ".json")
"""A text called so is kept whatever stands in it; any other where what stands in it looks like settings."""

NO_TEXTS = (
    ".dtb", ".dtbo", ".bin", ".elf", ".img", ".dat", ".gz", ".xz", ".zst", ".lz4", ".efi", ".fw", ".bmp", ".png", ".jpg", ".so", ".ko",
)  # fmt: skip
"""endings of what is no text: not opened to see"""

T = TypeVar("T")


class _OutOfTimeError(Exception):
    """The time for looking is used up."""


class Looking:
    """What is found on the way, the time there is, and a sign of life between any two steps."""

    def __init__(self, alive: Callable[[], None] = lambda: None, seconds: float = MAX_LOOKING_S) -> None:
        self.findings: list[Finding] = []
        self._alive, self._seconds, self._until = alive, seconds, 0.0

    def begin(self) -> None:
        """Start the clock."""
        self._until = time.monotonic() + self._seconds

    def go_on(self) -> None:
        """Call between any two steps. Raises StoppedError for a stop that was asked for."""
        self._alive()
        if time.monotonic() > self._until:
            raise _OutOfTimeError

    def part(self, name: str, read: Callable[[], T], empty: T) -> T:
        """Return what `read` reads, or `empty` with a finding when it cannot be read, whatever is wrong with it."""
        try:
            self.go_on()
            return read()
        except StoppedError:
            raise
        except _OutOfTimeError:
            if not any(f.code == "image.looking-cut" for f in self.findings):
                self.findings.append(
                    Finding("image.looking-cut", Severity.CHECK, f"Looking into it took over {self._seconds:.0f} s and was ended",
                            f"It ended at: {name}. What was not reached is not known.",
                            "Compare its checksum: a sound image is looked through in seconds.", Where(part=name))
                )  # fmt: skip
        except ToolError as error:
            self._unread(name, error.sentence())
        except Exception as error:
            log.exception("reading an image: %s", name)
            self._unread(name, f"An unforeseen {type(error).__name__}; the application's output has the details.")
        return empty

    def _unread(self, name: str, why: str) -> None:
        self.findings.append(
            Finding("image.part-unread", Severity.CHECK, f"{name[:1].upper()}{name[1:]} could not be read", why,
                    "Compare the checksum; what is said of the rest stands.", Where(part=name))
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class HeldOnImage:
    """What an image's volumes hold."""

    volumes: tuple[VolumeFacts, ...] = ()
    boards: tuple[BoardOnImage, ...] = ()
    kernels: tuple[Kernel, ...] = ()
    files: tuple[FileOnImage, ...] = ()
    page: PageFacts = field(default_factory=PageFacts)
    system: SystemFacts = field(default_factory=SystemFacts)
    skeleton: bytes = field(default=b"", repr=False)
    unfillable: str = "it was not read"

    @property
    def bits(self) -> int | None:
        """The word size of its kernels; None when there are both, or none."""
        found = {kernel.bits for kernel in self.kernels}
        return next(iter(found)) if len(found) == 1 else None


@dataclass(frozen=True, slots=True)
class _Opened:
    """A partition with its volume: None for what was not unpacked and for file systems that are not read."""

    partition: Partition
    kind: VolumeKind | None = None
    volume: Volume | None = None
    names: tuple[str, ...] = ()

    @property
    def is_fat(self) -> bool:
        return self.volume is not None and self.kind is not None and self.kind.file_system == "vfat"


def execute(
    table: PartitionTable,
    disk: ScratchDisk,
    tools: VolumeTools,
    recipe: Recipe | None,
    looking: Looking,
    *,
    whole: bool,
) -> HeldOnImage:
    """Return what the volumes of `table` on `disk` hold. `whole`: the root volume was unpacked too."""
    looking.begin()
    partitions = sorted(table.partitions, key=lambda p: p.start_lba)
    opened = [looking.part(_place(p), partial(_open, p, disk, tools, looking), _Opened(p)) for p in partitions]
    roles = _roles(opened, recipe, looking)
    boot = next((o for i, o in enumerate(opened) if roles[i] == "boot" and o.is_fat), None)
    root = next((o.volume for i, o in enumerate(opened) if roles[i] == "root"), None)
    boards: list[BoardOnImage] = []
    files: list[FileOnImage] = []
    kernels: set[Kernel] = set()
    page, system = PageFacts(), NOTHING_READ
    skeleton, unfillable = b"", "it was not read"
    none: tuple[str, ...] = ()
    if boot is not None and boot.volume is not None:
        volume, names = boot.volume, boot.names
        looking.part("its settings files", lambda: _files(volume, names, recipe, looking, files), None)
        looking.part("its device trees", lambda: _boards(volume, names, looking, boards), None)
        looking.part("its kernels", lambda: _kernels(volume, names, looking, kernels), None)
    if root is not None and whole:
        tree = _Rooted(root, looking)
        starts = looking.part("what starts with it", lambda: _starting(tree), NOTHING_STARTS)
        page = looking.part("the root volume", lambda: _page(tree, starts, tools, looking), page)
        system = looking.part("its system", lambda: _system(tree, starts, looking), system)
        # Many systems start from their root volume alone: what lies on none of their boot volumes is looked for there.
        lying = looking.part("what starts it", lambda: _starting_names(root, looking), none)
        if not boards:
            looking.part("its device trees", lambda: _boards(root, lying, looking, boards, "/"), None)
        if not kernels:
            looking.part("its kernels", lambda: _kernels(root, lying, looking, kernels), None)
        looking.part("its settings on the root volume", lambda: _root_files(root, recipe, looking, files), None)
        where = next(o.partition for i, o in enumerate(opened) if roles[i] == "root")
        skeleton, unfillable = looking.part(
            "what of its root volume is in use", lambda: _skeleton(where, disk, tools), (b"", "it could not be read")
        )
    volumes = [looking.part(_place(o.partition), partial(_facts, o, roles[i]), _unread(o.partition, roles[i]))
               for i, o in enumerate(opened)]  # fmt: skip
    return HeldOnImage(
        tuple(volumes), tuple(boards), tuple(sorted(kernels)), tuple(files), page, system, skeleton, unfillable
    )


def _place(partition: Partition) -> str:
    return f"partition {partition.number}"


def _open(partition: Partition, disk: ScratchDisk, tools: VolumeTools, looking: Looking) -> _Opened:
    if partition.offset_bytes >= disk.size_bytes:
        return _Opened(partition)
    nothing: tuple[str, ...] = ()
    kind = tools.identify(disk.path, partition.offset_bytes)
    volume = tools.open(disk.path, partition.offset_bytes, kind)
    names: tuple[str, ...] = looking.part(_place(partition), volume.files, nothing) if volume else ()
    if len(names) >= MAX_DIRECTORY_ENTRIES:
        looking.findings.append(
            Finding("image.volume-crowded", Severity.CHECK, f"{_place(partition).capitalize()} lists files without end",
                    f"The first {MAX_DIRECTORY_ENTRIES} are read; a boot volume holds tens to hundreds.",
                    "Compare the checksum: its folders may be damaged.", Where(part=_place(partition)))
        )  # fmt: skip
    return _Opened(partition, kind, volume, names)


def _roles(opened: list[_Opened], recipe: Recipe | None, looking: Looking) -> dict[int, str]:
    """Return which volume starts the board and which holds its system: told by what lies there, by place only in doubt."""
    wanted = set(recipe.on_boot_volume) if recipe else set()
    fats = [(i, _boot_signs(one.names, wanted)) for i, one in enumerate(opened) if one.is_fat]
    at = max(fats, key=lambda one: (one[1], -one[0]), default=(None, 0))[0]
    exts = [(i, one) for i, one in enumerate(opened) if i != at and one.volume is not None and not one.is_fat]
    root = next((i for i, one in exts if _is_system(one, looking)), exts[0][0] if exts else None)
    if root is None:
        root = next((i for i, one in enumerate(opened) if i != at and one.kind is None), None)
    return {i: "boot" if i == at else "root" if i == root else "data" for i in range(len(opened))}


def _boot_signs(names: tuple[str, ...], wanted: set[str]) -> int:
    return sum(
        (
            any(n.lower().endswith(".dtb") for n in names),
            any(_is_kernel(n) for n in names),
            any(n.lower() in wanted for n in names),
        )
    )


def _is_system(one: _Opened, looking: Looking) -> bool:
    nothing: tuple[str, ...] = ()
    return one.volume is not None and "etc" in looking.part(
        _place(one.partition), partial(one.volume.folder, "."), nothing
    )


def _facts(one: _Opened, role: str) -> VolumeFacts:
    partition, kind = one.partition, one.kind
    if kind is None:
        return _unread(partition, role)
    used = one.volume.used_bytes() if one.volume else None
    return VolumeFacts(partition.number, role, kind.file_system or partition.type_name, one_line(kind.label),
                       partition.offset_bytes, partition.size_bytes, used)  # fmt: skip


def _unread(partition: Partition, role: str) -> VolumeFacts:
    return VolumeFacts(partition.number, role, partition.type_name, one_line(partition.name), partition.offset_bytes,
                       partition.size_bytes, None)  # fmt: skip


def _boards(
    volume: Volume, names: tuple[str, ...], looking: Looking, boards: list[BoardOnImage], before: str = ""
) -> None:
    """Add the boards of the device trees among `names`. `before`: what a name is shown with, a / on the root volume."""
    for name in [n for n in names if n.lower().endswith(".dtb")][:MAX_DEVICE_TREES]:
        if (board := looking.part(name, partial(_board, volume, name, looking), None)) is not None:
            boards.append(replace(board, file=before + board.file))


TREE_FOLDERS = ("boot", "usr/lib/firmware", "lib/firmware")
"""folders of the root volume in which kernels and device trees lie, beside those that are named for a kernel"""

TREE_DEPTH = 3
MOST_FOLDERS = 200


def _starting_names(root: Volume, looking: Looking) -> tuple[str, ...]:
    """Return the paths of what may start a board from its root volume: kernels and device trees, overlays left out."""
    kernels = [f"usr/lib/{name}" for name in root.folder("usr/lib") if name.startswith(("linux-image-", "modules"))]
    ahead = [(folder, 0) for folder in (*TREE_FOLDERS[:1], *kernels, *TREE_FOLDERS[1:])]
    found: dict[str, None] = {}
    for folder, depth in itertools.islice(_growing(ahead), MOST_FOLDERS):
        looking.go_on()
        for name in root.folder(folder):
            path = f"{folder}/{name}"
            if name.endswith(".dtb") or (depth == 0 and folder == "boot" and _is_kernel(name)):
                found[path] = None
            elif "." not in name and depth < TREE_DEPTH and not name.startswith("overlay"):
                ahead.append((path, depth + 1))  # a folder, or a file that lists nothing
        if len(found) >= MAX_DEVICE_TREES:
            break
    return tuple(found)


def _growing(ahead: list[tuple[str, int]]) -> Iterator[tuple[str, int]]:
    """Yield what is in `ahead`, also what comes to it meanwhile."""
    while ahead:
        yield ahead.pop(0)


def _board(volume: Volume, name: str, looking: Looking) -> BoardOnImage | None:
    try:
        tree = read_device_tree(volume.read(name, MAX_DEVICE_TREE_BYTES + 1) or b"", file=name)
    except DeviceTreeError as error:
        looking.findings.append(
            Finding("image.device-tree-broken", Severity.CHECK, f"{name} is not readable", error.sentence(),
                    "Compare the checksum; the board it is for may not start.", Where(file=name),
                    "Devicetree Specification v0.4 chapter 5")
        )  # fmt: skip
        return None
    return BoardOnImage(one_line(tree.model), tuple(one_line(c) for c in tree.compatible), name, tree.has)


def _is_kernel(name: str) -> bool:
    return name.rsplit("/", 1)[-1].lower().startswith(("kernel", "zimage", "image", "vmlinuz"))


def _kernels(volume: Volume, names: tuple[str, ...], looking: Looking, kernels: set[Kernel]) -> None:
    """Add what the kernels of a volume are for; an image with several starts on several kinds of board."""
    for name in [n for n in names if _is_kernel(n)][:MAX_KERNELS]:
        found = looking.part(name, partial(_kernel, volume, name), None)
        kernels |= {found} if found else set()


def _kernel(volume: Volume, name: str) -> Kernel | None:
    return read_kernel(volume.read(name, HEAD_BYTES) or b"")


def _files(
    volume: Volume, names: tuple[str, ...], recipe: Recipe | None, looking: Looking, files: list[FileOnImage]
) -> None:
    """Add the recipe's files whatever they hold, and of the other small texts as many as are worth keeping."""
    # The recipe's spelling of a name is the one that is kept.
    described = recipe.on_boot_volume if recipe else {}
    for name in (n for n in names if n.lower() in described):
        if (content := _content_of(volume, name, looking)) is not None:
            file = described[name.lower()]
            files.append(FileOnImage(file.path, len(content), content, True, file.title))
    undescribed = [n for n in names if n.lower() not in described]
    others = [n for n in undescribed if n.lower().endswith(SETTINGS_ENDINGS)]
    called_otherwise = [
        n for n in undescribed if not n.lower().endswith((*SETTINGS_ENDINGS, *NO_TEXTS)) and not _is_kernel(n)
    ]
    kept_bytes, left_out = 0, len(others[MAX_OTHER_FILES:])
    for name in (*others[:MAX_OTHER_FILES], *called_otherwise[:MAX_OTHER_FILES]):
        content = _content_of(volume, name, looking)
        if content is None or len(content) > MAX_SETTINGS_FILE_BYTES or b"\0" in content:
            continue
        if not name.lower().endswith(SETTINGS_ENDINGS) and not guess(name, content).kind:
            continue  # a licence, a picture, anything
        kept_bytes += len(content)
        if kept_bytes > MAX_OTHER_FILES_BYTES:
            left_out += 1
            continue
        files.append(FileOnImage(name, len(content), content, False))
    if left_out:
        plural = "s were" if left_out > 1 else " was"
        looking.findings.append(
            Finding("image.files-left-out", Severity.NOTE, f"{left_out} small text file{plural} not kept",
                    "There are more than any boot volume needs; no recipe names them.")
        )  # fmt: skip


def _content_of(volume: Volume, name: str, looking: Looking) -> bytes | None:
    """Return a file's bytes, of a long one one more than any settings file has, so that it is known to be too long."""
    looking.go_on()
    try:
        return volume.read(name, MAX_SETTINGS_FILE_BYTES + 1) or b""
    except ToolError as error:
        looking.findings.append(
            Finding(
                "image.file-unread", Severity.NOTE, f"{name} was not read", error.sentence(), where=Where(file=name)
            )
        )
        return None


class _Rooted:
    """Implements core's Tree over a root volume: what is too much or cannot be handed to a tool is as if it were not there, and said once."""

    def __init__(self, volume: Volume, looking: Looking) -> None:
        self._volume, self._looking = volume, looking
        self._read: dict[str, bytes | None] = {}
        self._left = MAX_TREE_READS

    def folder(self, path: str) -> tuple[str, ...]:
        self._looking.go_on()
        names: tuple[str, ...] = ()
        with suppress(OddNameError):
            names = self._volume.folder(path)[:MAX_DIRECTORY_ENTRIES]
        return names

    def read(self, path: str) -> bytes | None:
        if path not in self._read:
            self._looking.go_on()
            self._read[path] = None
            with suppress(OddNameError):
                self._read[path] = self._volume.read(path, MAX_SETTINGS_FILE_BYTES) if self._may() else None
        return self._read[path]

    def link(self, path: str) -> str | None:
        self._looking.go_on()
        with suppress(OddNameError):
            return self._volume.link(path)
        return None

    def _may(self) -> bool:
        self._left -= 1
        if self._left == 0:
            self.crowded()
        return self._left > 0

    def crowded(self) -> None:
        """Say that there is more than is read."""
        if not any(f.code == "image.tree-crowded" for f in self._looking.findings):
            self._looking.findings.append(
                Finding("image.tree-crowded", Severity.NOTE, "Its system has more units than are read",
                        "What the first of them say is told; what stands in the others is not known.", where=Where(part="root volume"))
            )  # fmt: skip


def _starting(tree: _Rooted) -> WhatStarts:
    starts = what_starts(tree)
    if starts.cut:
        tree.crowded()
    return starts


def _page(tree: _Rooted, starts: WhatStarts, tools: VolumeTools, looking: Looking) -> PageFacts:
    try:
        return _page_of(tree, starts, tools)
    except ToolError as error:
        looking.findings.append(
            Finding("image.root-unreadable", Severity.CHECK, "The root volume cannot be read", error.sentence(),
                    "Where its page will be is taken from the recipe.", Where(part="root volume"))
        )  # fmt: skip
        return PageFacts()


def _page_of(tree: _Rooted, starts: WhatStarts, tools: VolumeTools) -> PageFacts:
    services = [f"{MDNS_FOLDER}/{n}" for n in tree.folder(MDNS_FOLDER) if n.endswith(".service")]
    wanted = [
        "etc/hostname",
        "etc/os-release",
        "usr/lib/os-release",
        RESOLVED,
        *SITE_FILES,
        *(f"{folder}/{name}" for folder in SITE_FOLDERS for name in tree.folder(folder)[:MOST_SITES]),
        *services[:MAX_SERVICE_FILES],
    ]
    contents = {path: data for path in wanted if (data := tree.read(path))}
    programs = [name for place in PROGRAMS for name in tree.folder(place)]
    others = (*commanded(tree, starts), *contained(tree, starts))
    return read_page_facts(contents, programs, tools.nginx_tokens, starts, others)


def _root_files(volume: Volume, recipe: Recipe | None, looking: Looking, files: list[FileOnImage]) -> None:
    """Add the settings files of the root volume: those the recipe names, and those that systems have."""
    described = {f.path: f for f in recipe.files if f.volume == "root" and f.dialect != "link"} if recipe else {}
    listed = [f"{folder}/{name}" for folder in SETTINGS_FOLDERS for name in volume.folder(folder)[:MOST_SETTINGS_FILES]]
    for path in dict.fromkeys((*described, *SETTINGS_FILES, *listed)):
        looking.go_on()
        try:
            content = volume.read(path, MAX_SETTINGS_FILE_BYTES + 1)
        except OddNameError:
            continue  # a name that no tool can be handed
        if content is not None and (
            path in described or (len(content) <= MAX_SETTINGS_FILE_BYTES and b"\0" not in content)
        ):
            file = described.get(path)
            files.append(FileOnImage(f"/{path}", len(content), content, file is not None, file.title if file else ""))


def _skeleton(partition: Partition, disk: ScratchDisk, tools: VolumeTools) -> tuple[bytes, str]:
    """Return what is kept to put files on the root volume, and why nothing can be put there."""
    try:
        return tools.skeleton(disk.path, partition.offset_bytes, partition.size_bytes), ""
    except ToolError as error:
        return b"", one_line(error.found)


def _system(tree: _Rooted, starts: WhatStarts, looking: Looking) -> SystemFacts:
    system = read_system(tree, starts)
    looking.findings.extend(judge_system(system))
    return system
