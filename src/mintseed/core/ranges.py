"""Ranges of bytes: an offset and a length."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

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


def without(ranges: Iterable[Range], taken: Iterable[Range]) -> Iterator[Range]:
    """Yield what is left of `ranges`, which are in order and apart from one another, when `taken` is taken out."""
    holes, at = joined(sorted(taken)), 0
    for begins, length in ranges:
        ends = begins + length
        while at < len(holes) and sum(holes[at]) <= begins:
            at += 1
        for hole in range(at, len(holes)):
            hole_begins, hole_ends = holes[hole][0], sum(holes[hole])
            if hole_begins >= ends:
                break
            if hole_begins > begins:
                yield begins, hole_begins - begins
            begins = max(begins, hole_ends)
        if begins < ends:
            yield begins, ends - begins
