"""Unit files as systemd reads them, a line at a time: systemd.syntax(7)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

MOST_LINES = 4000
"""of a unit; the longest of a general system has some two hundred"""

YES = frozenset({"1", "yes", "y", "true", "t", "on"})
"""Source: systemd.syntax(7), boolean arguments."""


@dataclass(frozen=True, slots=True)
class UnitFile:
    """`path`: where it lies, empty for what has none. `text`: as it is written, of which `said` are the assignments, sections left out."""

    path: str = ""
    text: str = ""
    said: tuple[tuple[str, str], ...] = ()

    def all(self, key: str) -> tuple[str, ...]:
        """Return every value that is assigned to `key`, in order."""
        return tuple(value for name, value in self.said if name == key)

    def says_yes(self, key: str) -> bool:
        return any(value.lower() in YES for value in self.all(key))


def read_unit_file(path: str, text: str) -> UnitFile:
    """Return the unit file with that text; what is no assignment is passed over."""
    said = []
    for line in _joined(text):
        key, equals, value = line.partition("=")
        if equals:
            said.append((key.strip(), value.strip()))
    return UnitFile(path, text, tuple(said))


def _joined(text: str) -> Iterator[str]:
    """Yield the lines, those that end in a backslash together with what follows; comments between them are none of them."""
    kept: list[str] = []
    for line in text.split("\n", MOST_LINES)[:MOST_LINES]:
        if line.lstrip().startswith(("#", ";")):
            continue
        kept.append(line.removesuffix("\\"))
        if not line.endswith("\\"):
            yield " ".join(kept)
            kept = []
    if kept:
        yield " ".join(kept)
