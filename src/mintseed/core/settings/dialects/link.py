"""A symbolic link on the root volume, such as the one that says the time zone. Source: localtime(5)."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.values import SettingValues
from mintseed.core.visible import one_line

TARGET = "target"
"""the one key a recipe names for a link"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return where the link leads. Raises SettingsFileError where the recipe names no target, or it comes out odd."""
    target = values.for_template(file.values.get(TARGET, ""))
    if not target or any(c in target for c in '\n\r"\\') or ".." in target.split("/"):
        raise SettingsFileError(
            f"a link cannot lead to {target!r}", expected=f"values: {{{TARGET}: /a/path}}", where=file.place
        )
    return target


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield nothing: where it leads is the recipe's to say."""
    yield from ()


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return where it leads."""
    return Meaning(does=(f"leads to {one_line(text)}",) if text else ())
