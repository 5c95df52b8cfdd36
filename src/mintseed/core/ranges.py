"""Ranges of bytes: an offset and a length."""

from __future__ import annotations

from collections.abc import Iterable

Range = tuple[int, int]


def joined(ranges: Iterable[Range]) -> tuple[Range, ...]:
    """Return `ranges`, which are in the order of their offsets, with those that touch or overlap made one and empty ones left out."""
    found: list[Range] = []
    for offset, length in ranges:
        if not length:
            continue
        if found and offset <= sum(found[-1]):
            found[-1] = (found[-1][0], max(sum(found[-1]), offset + length) - found[-1][0])
        else:
            found.append((offset, length))
    return tuple(found)
