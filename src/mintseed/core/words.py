"""Words put together elsewhere, made into what a person reads."""

from __future__ import annotations

import re
from collections.abc import Iterable

_AN = re.compile(r"(?!USB|[Uu]ni|[Oo]ne\b|[Ee]u)[aeiouAEIOU]|8|11\b|18\b")
"""what is said with a vowel at its beginning"""


def capital(words: str) -> str:
    """Return `words` as they stand at the beginning of a sentence."""
    return f"{words[:1].upper()}{words[1:]}"


def sentence(words: str) -> str:
    """Return `words` as a sentence of their own; of none nothing."""
    return f"{capital(words.rstrip('.'))}." if words else ""


def some(names: Iterable[str], most: int = 4) -> str:
    """Return `names` in a row, of many the first `most` and how many more there are."""
    told = list(names)
    return ", ".join(told[:most]) + (f" and {len(told) - most} more" if len(told) > most else "")


def an(words: str) -> str:
    """Return `words` behind "a" or "an", as they are said."""
    return f"{'an' if _AN.match(words) else 'a'} {words}"
