"""Fill an image's settings files: from their bytes as they came to their bytes as they will be."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity, Where, verdict
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.dialects.registry import dialect
from mintseed.core.settings.diff import MarkedLine, mark_lines
from mintseed.core.settings.editor_damage import read_text
from mintseed.core.settings.values import SettingValues


@dataclass(frozen=True, slots=True)
class FilledFile:
    """One settings file. `content` is exactly what goes on the card; it holds secrets and stays out of the repr."""

    path: str
    title: str
    dialect: str
    content: bytes = field(repr=False)
    lines: tuple[MarkedLine, ...] = field(repr=False)
    findings: tuple[Finding, ...]

    @property
    def changed_lines(self) -> int:
        return sum(line.mark == "added" for line in self.lines)


def files_for(recipe: Recipe, way: str) -> tuple[FileToFill, ...]:
    """Return the recipe's files that are filled when the board comes onto the network by `way`."""
    return tuple(f for f in recipe.files if f.when in ("always", way))


def fill_files(recipe: Recipe, values: SettingValues, originals: Mapping[str, bytes]) -> tuple[FilledFile, ...]:
    """Return every file of `recipe` filled with `values`. `originals` maps paths to the bytes on the image.

    A file that is missing or cannot be edited comes back unchanged, with the finding that says so.
    """
    return tuple(_fill(file, values, originals.get(file.path)) for file in files_for(recipe, values.way))


def fingerprint(image_sha256: str, filled: Iterable[FilledFile]) -> str:
    """Return what tells one filled image from another: SHA-256 over the image's own and every filled file."""
    digest = hashlib.sha256(image_sha256.encode())
    for file in filled:
        digest.update(f"\0{file.path}\0{len(file.content)}\0".encode() + file.content)
    return digest.hexdigest()


def _fill(file: FileToFill, values: SettingValues, original: bytes | None) -> FilledFile:
    if original is None:
        missing = Finding(
            "settings.file-missing",
            Severity.STOP,
            f"{file.path} is not on this image",
            "File names change between releases; a file under another name is never read.",
            "Choose the image this recipe describes, or bring the recipe up to date.",
            Where(file=file.path),
        )
        return FilledFile(file.path, file.title, file.dialect, b"", (), (missing,))
    try:
        before, _ = read_text(original, name=file.path)
        after = dialect(file.dialect).apply(before, file, values)
    except MintSeedError as error:
        broken = Finding(
            "settings.file-not-editable", Severity.STOP, f"{file.path} could not be filled", error.sentence(),
            "Nothing was changed.", Where(file=file.path),
        )  # fmt: skip
        return FilledFile(file.path, file.title, file.dialect, original, (), (broken,))
    content = after.encode()
    found = [*check_file(content, file.path, file.dialect)]
    if verdict(found) in (Severity.OK, Severity.NOTE):
        lines = after.count("\n")
        found.append(
            Finding(
                "settings.file-sound",
                Severity.OK,
                f"{file.path} reads well",
                f"UTF-8, no mark, Unix line ends, {lines} lines.",
                where=Where(file=file.path),
            )
        )
    return FilledFile(file.path, file.title, file.dialect, content, mark_lines(before, after), tuple(found))


def check_file(data: bytes, path: str, dialect_name: str) -> tuple[Finding, ...]:
    """Judge a settings file as it lies there: what an editor did to it, and what its reader will make of it."""
    text, damage = read_text(data, name=path)
    return (*damage, *dialect(dialect_name).check(text, path))
