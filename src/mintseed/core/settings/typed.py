"""Which type a value gets in a file that knows types."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping

from mintseed.core.recipes.templates import chooses, placeholders_in

Typed = str | bool | int | float


def typed(template: str, value: str, now: object) -> Typed:
    """Return `value` as the file is to say it: a text, unless the recipe writes a number or true and false itself, or such a thing stands in its
    place `now` and the value reads as one."""
    literal = not placeholders_in(template) or chooses(template)
    read = _read(value)
    if literal or (isinstance(now, bool) and isinstance(read, bool)):
        return read
    if (
        isinstance(now, int | float)
        and not isinstance(now, bool)
        and isinstance(read, int | float)
        and not isinstance(read, bool)
    ):
        return read
    return value


def _read(value: str) -> Typed:
    try:
        found = json.loads(value)
    except (ValueError, RecursionError):
        return value
    # Written back it must be what was typed: 007 and 1e400 are texts.
    return found if isinstance(found, bool | int | float) and json.dumps(found) == value else value


def index_of(key: str) -> int | None:
    """Return the place in a list that `key` says, None where it says none."""
    return int(key) if re.fullmatch(r"[0-9]{1,9}", key) else None


def flat(said: Mapping[str, object], before: str = "") -> Iterator[tuple[str, str]]:
    """Yield (outside/inside, value) of everything below a mapping that is one value."""
    for key, value in said.items():
        if isinstance(value, Mapping):
            yield from flat(value, f"{before}{key}/")
        elif not isinstance(value, list):
            yield f"{before}{key}", value if isinstance(value, str) else _said(value)


def _said(value: object) -> str:
    # Decimal digits are made of no number of thousands of them (int max str digits of Python).
    return hex(value) if isinstance(value, int) and value.bit_length() > 64 else json.dumps(value, default=str)
