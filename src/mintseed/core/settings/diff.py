"""A settings file as it will be, with the lines that change marked."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from mintseed.core.settings.text import matched
from mintseed.core.visible import visible

SHOW_ENDS_FROM = 64
"""characters: from this length on, four at each end tell keys apart and give nothing away."""


@dataclass(frozen=True, slots=True)
class MarkedLine:
    """`number` counts from 1 in the file as it will be; removed lines have 0."""

    mark: Literal["same", "added", "removed"]
    number: int
    text: str


def mark_lines(before: str, after: str) -> tuple[MarkedLine, ...]:
    """Return the lines of `after` with those of `before` that went, in reading order."""
    old, new = before.split("\n"), after.split("\n")
    old, new = old[: -1 if not old[-1] else None], new[: -1 if not new[-1] else None]
    marked: list[MarkedLine] = []
    for tag, i1, i2, j1, j2 in matched(old, new):
        if tag == "equal":
            marked += [MarkedLine("same", j + 1, new[j]) for j in range(j1, j2)]
        else:
            marked += [MarkedLine("removed", 0, old[i]) for i in range(i1, i2)]
            marked += [MarkedLine("added", j + 1, new[j]) for j in range(j1, j2)]
    return tuple(marked)


def hide(lines: Iterable[MarkedLine], secrets: Iterable[str]) -> tuple[MarkedLine, ...]:
    """Return `lines` fit to be shown: every one of `secrets` shortened to its ends, control characters written out."""
    hidden = [(s, f"{s[:4]}…{s[-4:]}" if len(s) >= SHOW_ENDS_FROM else "…") for s in secrets if s]
    shown = []
    for line in lines:
        text = line.text
        for secret, short in hidden:
            text = text.replace(secret, short)
        shown.append(replace(line, text=visible(text)))
    return tuple(shown)
