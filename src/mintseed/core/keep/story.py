"""The log as a story: what happened again and again to nobody in particular is one line, and can be opened."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

T = TypeVar("T")

FOLDED_FROM = 3
"""lines of one kind in a row from which they are one"""


@dataclass(frozen=True, slots=True)
class Told(Generic[T]):
    """Lines that are told as one, in their order; most are a single one."""

    lines: tuple[T, ...]


def folded(lines: Sequence[T], kind: Callable[[T], str | None], least: int = FOLDED_FROM) -> list[Told[T]]:
    """Return `lines` with those of one `kind` in a row put together, where there are at least `least`. A line whose kind is None stands
    by itself always."""
    told: list[Told[T]] = []
    begins = 0
    while begins < len(lines):
        which, ends = kind(lines[begins]), begins + 1
        while which is not None and ends < len(lines) and kind(lines[ends]) == which:
            ends += 1
        run = tuple(lines[begins:ends])
        told += [Told(run)] if len(run) >= least else [Told((one,)) for one in run]
        begins = ends
    return told
