"""Regular expressions that come from a description. They run in time linear in the text, whatever somebody wrote."""

from __future__ import annotations

from functools import lru_cache

import re2

from mintseed.core.limits import MAX_PATTERN_CHARACTERS


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re2._Regexp:
    quiet = re2.Options()
    quiet.log_errors = False
    return re2.compile(pattern, quiet)


def check_pattern(pattern: str) -> str:
    """Return `pattern`. Raises ValueError when it is too long or none that can run in linear time (no back-references)."""
    if len(pattern) > MAX_PATTERN_CHARACTERS:
        raise ValueError(f"longer than {MAX_PATTERN_CHARACTERS} characters")
    try:
        _compiled(pattern)
    except re2.error as error:
        said = error.args[0] if error.args else ""
        raise ValueError(f"no pattern: {said.decode() if isinstance(said, bytes) else said}") from error
    return pattern


def matches_whole(pattern: str, text: str) -> bool:
    """Return whether the whole of `text` matches `pattern`, one that `check_pattern` let pass."""
    return _compiled(pattern).fullmatch(text) is not None
