"""Read what an image file really is: packing, checksum, table, volumes, boards, files to fill, its page."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import BinaryIO, Literal

from mintseed.core.errors import DeviceTreeError, ImageError, ToolError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image import packing
from mintseed.core.image.checksums import compare_sha256, sha256_in_list
from mintseed.core.image.device_tree import read_device_tree
from mintseed.core.image.kernel import HEAD_BYTES, kernel_bits
from mintseed.core.image.page import LISTEN_FILES, MDNS_FOLDER, PageFacts, read_page_facts
from mintseed.core.image.partitions import Partition, PartitionTable, read_partition_table
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts, XRay
from mintseed.core.limits import MAX_DEVICE_TREE_BYTES, MAX_DEVICE_TREES, MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.model import Build, Recipe, Release
from mintseed.core.source import BytesSource
from mintseed.core.units import MIB
from mintseed.ports.images import ImageLibrary, ScratchDisk
from mintseed.ports.volume import Volume, VolumeKind, VolumeTools
from mintseed.services.background_hash import BackgroundSha256

TABLE_BYTES = MIB
"""bytes of the image's start that surely hold its partition table."""

SETTINGS_ENDINGS = (".conf", ".txt", ".nmconnection", ".yaml", ".yml", ".cfg", ".ini", ".env", ".toml", ".json")

BOOT_TYPES = ("FAT", "EFI system", "basic data")
"""Partition types a boot volume may have; whether it is one its content says."""

Depth = Literal["boot", "whole"]
Tell = Callable[[int, int], None]
"""Called with packed bytes read so far and in all; may raise to stop."""


class TappedStream(io.RawIOBase):
    """A read-only stream that hashes and counts what passes through it."""

    def __init__(self, stream: BinaryIO, tell: Callable[[int], None]) -> None:
        super().__init__()
        self._stream, self._tell = stream, tell
        self._digest, self._count = BackgroundSha256(), 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        data = self._stream.read(len(buffer))
        buffer[: len(data)] = data
        self._digest.update(data)
        self._count += len(data)
        self._tell(self._count)
        return len(data)

    def drain(self) -> None:
        """Read what is left, so that the checksum is of the whole file."""
        while self.read(MIB):
            pass

    @property
    def sha256(self) -> str:
        return self._digest.hexdigest()

    def close(self) -> None:
        self._digest.close()
        super().close()


def open_tapped(stream: BinaryIO, tell: Callable[[int], None]) -> tuple[packing.Packing, TappedStream, BinaryIO]:
    """Return how `stream` is packed, the tap, and a buffered stream over it at the start.

    Raises ImageError for what is no image.
    """
    head = stream.read(packing.HEAD_BYTES)
    kind = packing.detect(head)
    stream.seek(0)
    tap = TappedStream(stream, tell)
    return kind, tap, io.BufferedReader(tap, MIB)


@dataclass(frozen=True, slots=True)
class _Unpacked:
    kind: packing.Packing
    packed_bytes: int
    sha256: str
    table: PartitionTable
    complete: bool


def execute(
    name: str,
    *,
    library: ImageLibrary,
    tools: VolumeTools,
    recipes: Iterable[Recipe],
    depth: Depth = "whole",
    tell: Tell = lambda done, total: None,
) -> XRay:
    """Return the X-ray of the library's file `name`.

    With depth `boot`, reading stops at the end of the boot volume: no checksum, no root volume.
    Raises MissingError, ImageError, PartitionTableError or OutsideError.
    """
    with library.scratch() as disk:
        with library.open(name) as stream:
            unpacked = _unpack(stream, disk, depth, tell)
        known = next(((r, *found) for r in recipes if (found := r.build_of_file(name))), None)
        return _report(name, unpacked, disk, tools, known, library)


def _unpack(stream: BinaryIO, disk: ScratchDisk, depth: Depth, tell: Tell) -> _Unpacked:
    size_bytes = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    kind, tap, buffered = open_tapped(stream, lambda done: tell(done, size_bytes))
    with tap:
        return _unpack_onto(disk, kind, tap, buffered, depth, size_bytes)


def _unpack_onto(
    disk: ScratchDisk, kind: packing.Packing, tap: TappedStream, buffered: BinaryIO, depth: Depth, size_bytes: int
) -> _Unpacked:
    stop_at: int | None = None
    for piece in packing.unpack(buffered, kind):
        if not disk.size_bytes and kind is not packing.Packing.RAW:
            packing.refuse_archive(piece[: packing.HEAD_BYTES], kind)
        disk.append(piece)
        if depth == "boot":
            if stop_at is None and disk.size_bytes >= TABLE_BYTES:
                stop_at = boot_volume_end(_table(disk, None))
            if stop_at is not None and disk.size_bytes >= stop_at:
                break
    if depth == "boot":
        claimed = max((p.end_bytes for p in _table(disk, None).partitions), default=disk.size_bytes)
        return _Unpacked(kind, size_bytes, "", _table(disk, claimed), False)
    tap.drain()
    return _Unpacked(kind, size_bytes, tap.sha256, read_partition_table(disk), True)


def _table(disk: ScratchDisk, claimed_bytes: int | None) -> PartitionTable:
    return read_partition_table(BytesSource(disk.read_at(0, TABLE_BYTES), claimed_bytes or disk.size_bytes))


def boot_volume_end(table: PartitionTable) -> int:
    """Return the byte where the boot volume of `table` ends. Raises ImageError when there is no partition."""
    if not table.partitions:
        raise ImageError("the partition table is empty", expected="a boot volume and a root volume",
                         next_step="This is no card image; choose another file.")  # fmt: skip
    ordered = sorted(table.partitions, key=lambda p: p.start_lba)
    return next((p for p in ordered if p.type_name.startswith(BOOT_TYPES)), ordered[0]).end_bytes


def _report(
    name: str,
    unpacked: _Unpacked,
    disk: ScratchDisk,
    tools: VolumeTools,
    known: tuple[Recipe, Release, Build] | None,
    library: ImageLibrary,
) -> XRay:
    table = unpacked.table
    boot_volume_end(table)
    findings = list(table.findings)
    volumes: list[VolumeFacts] = []
    boards: list[BoardOnImage] = []
    files: list[FileOnImage] = []
    kernels: tuple[int, ...] = ()
    page = PageFacts()
    opened = list(_opened(table, disk, tools))
    roles = _roles(opened, known[0] if known else None)
    for index, (partition, kind, volume) in enumerate(opened):
        role = roles[index]
        if kind is None:
            volumes.append(_unread(partition, role))
            continue
        used = volume.used_bytes() if volume else None
        volumes.append(
            VolumeFacts(partition.number, role, kind.file_system or partition.type_name, kind.label, partition.offset_bytes,
                        partition.size_bytes, used)
        )  # fmt: skip
        if role == "boot" and volume is not None and kind.file_system == "vfat":
            names = volume.files()
            boards = list(_boards(volume, names, findings))
            kernels = _kernels(volume, names)
            files = list(_files(volume, names, known[0] if known else None, findings))
        elif role == "root" and volume is not None and unpacked.complete:
            page = _page(volume, findings)
    findings += _identity(name, unpacked, known, library)
    findings += _content(volumes, boards, kernels)
    recipe_id, release, build = (known[0].id, known[1].version, known[2].id) if known else ("", "", "")
    return XRay(
        file_name=name,
        packing=str(unpacked.kind),
        packed_bytes=unpacked.packed_bytes,
        unpacked_bytes=disk.size_bytes if unpacked.complete else max(p.end_bytes for p in table.partitions),
        sha256=unpacked.sha256,
        scheme=table.scheme,
        volumes=tuple(volumes),
        boards=tuple(boards),
        device_tree_count=len(boards),
        bits=kernels[0] if len(kernels) == 1 else None,
        kernels=kernels,
        files=tuple(files),
        page=page,
        recipe_id=recipe_id,
        release=release,
        build=build,
        findings=tuple(findings),
    )


Opened = tuple[Partition, VolumeKind | None, Volume | None]


def _opened(table: PartitionTable, disk: ScratchDisk, tools: VolumeTools) -> Iterator[Opened]:
    """Yield each partition with its volume, None for what was not unpacked and for file systems that are not read."""
    for partition in sorted(table.partitions, key=lambda p: p.start_lba):
        if partition.offset_bytes >= disk.size_bytes:
            yield partition, None, None
            continue
        kind = tools.identify(disk.path, partition.offset_bytes)
        yield partition, kind, tools.open(disk.path, partition.offset_bytes, kind)


def _roles(opened: list[Opened], recipe: Recipe | None) -> dict[int, str]:
    """Return which volume starts the board and which holds its system: told by what lies there, by place only in doubt."""
    fats = [
        (i, v)
        for i, (_, kind, v) in enumerate(opened)
        if v is not None and kind is not None and kind.file_system == "vfat"
    ]
    wanted = {f.path for f in recipe.files} if recipe else set()
    boot = max(fats, key=lambda one: (_boot_signs(one[1], wanted), -one[0]), default=None)
    at = boot[0] if boot else 0
    exts = [
        (i, v)
        for i, (_, kind, v) in enumerate(opened)
        if i != at and v is not None and kind is not None and kind.file_system != "vfat"
    ]
    root = next((i for i, v in exts if _is_system(v)), exts[0][0] if exts else None)
    if root is None:
        root = next((i for i in range(len(opened)) if i != at and opened[i][1] is None), None)
    return {i: "boot" if i == at else "root" if i == root else "data" for i in range(len(opened))}


def _boot_signs(volume: Volume, wanted: set[str]) -> int:
    names = volume.files()
    return sum(
        (
            any(n.lower().endswith(".dtb") for n in names),
            any(_is_kernel(n) for n in names),
            any(n in wanted for n in names),
        )
    )


def _is_system(volume: Volume) -> bool:
    try:
        return "etc" in volume.folder(".")
    except ToolError:
        return False


def _unread(partition: Partition, role: str) -> VolumeFacts:
    return VolumeFacts(
        partition.number, role, partition.type_name, partition.name, partition.offset_bytes, partition.size_bytes, None
    )


def _boards(volume: Volume, names: tuple[str, ...], findings: list[Finding]) -> Iterator[BoardOnImage]:
    for name in [n for n in names if n.lower().endswith(".dtb")][:MAX_DEVICE_TREES]:
        try:
            tree = read_device_tree(volume.read(name, MAX_DEVICE_TREE_BYTES + 1) or b"", file=name)
            yield BoardOnImage(tree.model, tree.compatible, name)
        except DeviceTreeError as error:
            findings.append(
                Finding("image.device-tree-broken", Severity.CHECK, f"{name} is not readable", error.sentence(),
                        "Compare the checksum; the board it is for may not start.", Where(file=name),
                        "Devicetree Specification v0.4 chapter 5")
            )  # fmt: skip


def _is_kernel(name: str) -> bool:
    return name.rsplit("/", 1)[-1].lower().startswith(("kernel", "zimage", "image", "vmlinuz"))


def _kernels(volume: Volume, names: tuple[str, ...]) -> tuple[int, ...]:
    """Return the word sizes of the kernels on the boot volume; an image with both starts on both kinds of board."""
    found: set[int] = set()
    for name in (n for n in names if _is_kernel(n)):
        try:
            bits = kernel_bits(volume.read(name, HEAD_BYTES) or b"")
        except ToolError:
            continue
        found |= {bits} if bits else set()
    return tuple(sorted(found))


def _files(
    volume: Volume, names: tuple[str, ...], recipe: Recipe | None, findings: list[Finding]
) -> Iterator[FileOnImage]:
    described = {f.path: f for f in recipe.files} if recipe else {}
    for name in names:
        if name not in described and not name.lower().endswith(SETTINGS_ENDINGS):
            continue
        try:
            content = volume.read(name, MAX_SETTINGS_FILE_BYTES + 1) or b""
        except ToolError as error:
            findings.append(
                Finding(
                    "image.file-unread", Severity.NOTE, f"{name} was not read", error.sentence(), where=Where(file=name)
                )
            )
            continue
        if len(content) > MAX_SETTINGS_FILE_BYTES or b"\0" in content:
            continue
        file = described.get(name)
        yield FileOnImage(name, len(content), content, file is not None, file.title if file else "")


def _page(volume: Volume, findings: list[Finding]) -> PageFacts:
    try:
        services = [f"{MDNS_FOLDER}/{n}" for n in volume.folder(MDNS_FOLDER) if n.endswith(".service")]
        wanted = ["etc/hostname", "etc/os-release", "usr/lib/os-release", *LISTEN_FILES, *services]
        contents = ((path, volume.read(path, MAX_SETTINGS_FILE_BYTES)) for path in wanted)
        return read_page_facts({path: data for path, data in contents if data})
    except ToolError as error:
        findings.append(
            Finding("image.root-unreadable", Severity.CHECK, "The root volume cannot be read", error.sentence(),
                    "Where its page will be is taken from the recipe.", Where(part="root volume"))
        )  # fmt: skip
        return PageFacts()


def _identity(
    name: str, unpacked: _Unpacked, known: tuple[Recipe, Release, Build] | None, library: ImageLibrary
) -> Iterator[Finding]:
    if known is None:
        yield Finding("image.recipe-unknown", Severity.CHECK, "No recipe describes this file",
                      "Its files and its page are read from it, but nobody said what to fill.",
                      "Choose a file a recipe names.", Where(file=name))  # fmt: skip
    elif unpacked.complete:
        recipe, _release, build = known
        listed = library.published_list(build.checksums) if build.checksums else None
        published = build.sha256 or (sha256_in_list(listed, name) if listed else None)
        yield compare_sha256(unpacked.sha256, published, source_name=build.checksums or f"recipe {recipe.id}")


def _content(volumes: list[VolumeFacts], boards: list[BoardOnImage], kernels: tuple[int, ...]) -> Iterator[Finding]:
    if not any(v.role == "boot" and v.file_system == "vfat" for v in volumes):
        yield Finding("image.no-boot-volume", Severity.STOP, "No boot volume that can be filled",
                      "No partition holds a FAT file system that is read here.", "Choose another image.")  # fmt: skip
    elif not boards:
        yield Finding("image.no-device-trees", Severity.CHECK, "No device trees on the boot volume",
                      "Which boards it starts on cannot be told.", "Rely on the appliance's own list of boards.")  # fmt: skip
    if boards and not kernels:
        yield Finding("image.kernel-unknown", Severity.NOTE, "The kernel's word size cannot be told",
                      "No kernel with a known header lies on the boot volume.")  # fmt: skip
