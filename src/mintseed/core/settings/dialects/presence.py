"""Files whose being there is all that counts, such as one that switches remote login on."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.values import SettingValues


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` as it is: nobody reads it."""
    return text


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield nothing: whatever stands in it, it is there."""
    yield from ()


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return that it is there."""
    return Meaning(does=("is there, which is all that counts",))
