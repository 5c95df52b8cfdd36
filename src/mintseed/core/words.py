"""Words put together elsewhere, made into what a person reads."""

from __future__ import annotations


def capital(words: str) -> str:
    """Return `words` as they stand at the beginning of a sentence."""
    return f"{words[:1].upper()}{words[1:]}"


def sentence(words: str) -> str:
    """Return `words` as a sentence of their own; of none nothing."""
    return f"{capital(words.rstrip('.'))}." if words else ""
