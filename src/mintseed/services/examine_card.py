"""Examine the settings files on a card's boot volume, and put mended ones back in their places."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from mintseed.core.errors import ImageError, OddNameError, PartitionTableError, ToolError
from mintseed.core.image.facts import PageFacts
from mintseed.core.image.partitions import Partition, read_partition_table
from mintseed.core.image.report import FileOnImage, XRay
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.guess import guess
from mintseed.core.source import Source
from mintseed.ports.volume import Volume, VolumeTools
from mintseed.services import examine_file
from mintseed.services.examine_file import Examined

MOST_LOOKED_AT = 200
"""files of a boot volume; those that hold settings stand at its top or one folder down (common practice)"""

TELLS_NOTHING = ("plain", "presence", "")
"""what any text may be: such a file is examined only where a recipe names it"""


@dataclass(frozen=True, slots=True)
class CardFile:
    path: str
    content: bytes
    examined: Examined

    @property
    def changes(self) -> bool:
        return self.examined.mended != self.content


def boot_volume(disk: Path, source: Source, tools: VolumeTools) -> tuple[Partition, Volume]:
    """Return the first volume of a card that boards read their settings from, and where it lies. Raises ImageError where there is none, PartitionTableError
    where there is no table."""
    found = []
    try:
        table = read_partition_table(source)
    except PartitionTableError as error:
        raise PartitionTableError("no partition table lies on it", expected="a card that was written", where="the card",
                                  next_step="Look whether this is the card that was written; an empty one is to be written first.") from error  # fmt: skip
    for partition in sorted(table.partitions, key=lambda p: p.start_lba):
        kind = tools.identify(disk, partition.offset_bytes)
        found.append(kind.file_system or "not known")
        volume = tools.open(disk, partition.offset_bytes, kind) if kind.file_system == "vfat" else None
        if volume is not None:
            return partition, volume
    raise ImageError(f"its volumes are {', '.join(found) or 'none'}", expected="a boot volume with FAT", where="the card",
                     next_step="Look whether this is the card that was written.")  # fmt: skip


def execute(volume: Volume, recipe: Recipe | None = None) -> tuple[CardFile, ...]:
    """Return every settings file of the boot volume, examined: those that `recipe` names by what it says of them, others by what stands in them."""
    described = recipe.on_boot_volume if recipe else {}
    names = [n for n in volume.files() if n.count("/") <= 1 or n.lower() in described]
    return tuple(
        CardFile(name, content, _examined(name, content, described.get(name.lower())))
        for name in sorted(names, key=lambda n: n.lower() not in described)[:MOST_LOOKED_AT]
        if (content := _read(volume, name)) is not None and (name.lower() in described or _is_settings(name, content))
    )


def as_image(volume: Volume, recipe: Recipe, release: str) -> XRay:
    """Return the card's boot volume as what filling reads of an image. On the root volume of a written card nothing is put here."""
    described = recipe.on_boot_volume
    files = tuple(
        FileOnImage(file.path, len(content), content, True, file.title)
        for name in volume.files()
        if (file := described.get(name.lower())) is not None and (content := _read(volume, name)) is not None
    )
    return XRay(
        "the card", "raw", 0, 0, "", "mbr", (), (), 0, None, files, PageFacts(), release=release,
        root_unfillable="a written card is filled on its boot volume alone",
    )  # fmt: skip


def put(volume: Volume, contents: Mapping[str, bytes], flush: Callable[[], None]) -> None:
    """Put files in their places, bring them onto the medium with `flush`, and read each back from there. Raises ToolError where one does not
    come back as it was put."""
    if not contents:
        return
    volume.write(contents)
    flush()
    for path, content in contents.items():
        if volume.read(path, len(content) + 1) != content:
            raise ToolError(f"{path} does not read back as it was written", expected="the file as it was put", where=path,
                            next_step="Write the card anew: it may be failing.")  # fmt: skip


def _read(volume: Volume, name: str) -> bytes | None:
    try:
        return volume.read(name, MAX_SETTINGS_FILE_BYTES + 1)
    except (OddNameError, ToolError):
        return None


def _is_settings(name: str, content: bytes) -> bool:
    return len(content) <= MAX_SETTINGS_FILE_BYTES and guess(name, content).dialect not in TELLS_NOTHING


def _examined(name: str, content: bytes, file: FileToFill | None) -> Examined:
    return examine_file.execute(content, name=name, file=file)


def mend(volume: Volume, files: Iterable[CardFile], flush: Callable[[], None]) -> tuple[str, ...]:
    """Put each mended file in its place; return their paths. Raises ToolError as `put` does."""
    mended = {file.path: file.examined.mended for file in files if file.changes}
    put(volume, mended, flush)
    return tuple(mended)
