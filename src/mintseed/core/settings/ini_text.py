"""Lines of sections and keys as Python's configparser reads them. Source: its documentation, and configparser.py."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class IniLine:
    """`kind`: what configparser takes a line for."""

    number: int
    kind: Literal["section", "key", "more", "odd"]
    section: str
    key: str = ""
    """in small letters, as it is compared"""
    value: str = ""
    tail: str = ""
    name: str = ""
    """the key as it is written"""


_SECTION = re.compile(r"\[(.+)\](.*)")
_PARTS_A_PAIR = re.compile(r"[=:]")


def read(text: str) -> Iterator[IniLine]:
    """Yield what configparser makes of each line: one that is further in than its key goes on with the value, across blank lines too."""
    section, key, indent = "", "", 0
    for number, line in enumerate(text.split("\n"), 1):
        bare = line.strip()
        if not bare or bare.startswith(("#", ";")):
            continue
        now = len(line) - len(line.lstrip())
        if section and key and now > indent:
            yield IniLine(number, "more", section, key, bare)
            continue
        indent = now
        if opened := _SECTION.match(bare):
            section, key = opened[1], ""
            yield IniLine(number, "section", section, tail=opened[2].strip())
        elif parts := _PARTS_A_PAIR.search(bare):
            name = bare[: parts.start()].rstrip()
            key = name.lower()
            yield IniLine(number, "key" if key else "odd", section, key, bare[parts.end() :].lstrip(), name=name)
        else:
            yield IniLine(number, "odd", section)
