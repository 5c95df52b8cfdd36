"""Tables of what a reader makes of a value: each row is asked of the real reader by a test."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from mintseed.core.findings import Severity

Taken = Literal["meant", "dropped", "refused"]
"""`dropped`: the reader goes on as if the line were not there; `refused`: the whole file is."""


@dataclass(frozen=True, slots=True)
class KeepsAway:
    """What a value that is taken does to joining. `severity`: how it is told in a file that somebody else wrote."""

    when: Callable[[str], bool]
    severity: Severity
    code: str
    title: str
    detail: str


@dataclass(frozen=True, slots=True)
class Field:
    """`taken`: what the reader does with a value. `right`: one it takes and means, and `wrong`, none where it takes any. `goes`: whether
    filling takes the line out, because it may keep the board away from the network that was meant."""

    taken: Callable[[str], Taken]
    right: str
    wrong: str = ""
    expected: str = ""
    goes: bool = False
    keeps_away: KeepsAway | None = None


def one_of(*words: str, otherwise: Taken = "refused") -> Callable[[str], Taken]:
    return lambda value: "meant" if value in words else otherwise


def list_of(*words: str, between: str) -> Callable[[str], Taken]:
    """Words with a sign `between` them; one more of it at the end does no harm."""

    def taken(value: str) -> Taken:
        return "meant" if all(w in words for w in value.removesuffix(between).split(between)) else "refused"

    return taken


def matching(pattern: str, otherwise: Taken) -> Callable[[str], Taken]:
    known = re.compile(pattern)
    return lambda value: "meant" if known.fullmatch(value) else otherwise


def number(least: int, most: int) -> Callable[[str], Taken]:
    """A number beyond its range is refused, and what is no number is dropped."""

    def taken(value: str) -> Taken:
        if not re.fullmatch(r"-?[0-9]{1,9}", value):
            return "dropped"
        return "meant" if least <= int(value) <= most else "refused"

    return taken
