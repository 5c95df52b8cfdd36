"""A place in a settings file that is to be mended, and what mending it would do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mintseed.core.findings import Finding

Mender = Callable[["Place"], "Mended | None"]


@dataclass(frozen=True, slots=True)
class Mended:
    does: str
    lines: list[str]


@dataclass(frozen=True, slots=True)
class Place:
    """A text split at its line ends, and the finding that is to be mended. `at`: its line from 0; -1 for the whole file."""

    lines: list[str]
    finding: Finding
    dialect: str

    @property
    def at(self) -> int:
        return self.finding.where.line - 1

    @property
    def line(self) -> str:
        return self.lines[self.at] if 0 <= self.at < len(self.lines) else ""

    def with_line(self, wanted: str | None, does: str) -> Mended | None:
        """Return the text with its line replaced; None where that changes nothing."""
        if wanted is None or not 0 <= self.at < len(self.lines) or wanted == self.line:
            return None
        return Mended(does, [*self.lines[: self.at], wanted, *self.lines[self.at + 1 :]])
