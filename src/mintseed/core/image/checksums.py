"""Published checksum lists. Formats: GNU coreutils `HASH␠␠name` and `HASH␠*name`, also with one blank or tab as hands write it; BSD
`SHA256 (name) = HASH` and openssl-dgst(1)'s `SHA2-256(name)= HASH`; a lone hash."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.limits import MAX_LIST_LINES

_COREUTILS = re.compile(r"^\\?([0-9a-fA-F]{64})[ \t][ *]?(.+)$")
_BSD = re.compile(r"^SHA(?:2-)?256 ?\((.+)\) ?= ?([0-9a-fA-F]{64})$")
_LONE = re.compile(r"^([0-9a-fA-F]{64})$")
_OTHER_SUM = re.compile(r"\b(?:[0-9a-fA-F]{128}|[0-9a-fA-F]{96}|[0-9a-fA-F]{40}|[0-9a-fA-F]{32})\b")
_OTHERS = {128: "a SHA-512", 96: "a SHA-384", 40: "a SHA-1", 32: "an MD5"}
"""what else is published, by its length in hex digits (FIPS 180-4, RFC 1321)"""

LIST_NAME = re.compile(r"sha-?256", re.IGNORECASE)
"""How a file with checksums is called that lies beside an image."""


@dataclass(frozen=True, slots=True)
class Listed:
    """A SHA-256 as a list gives it, in lower-case hex; `line` counts from 1."""

    sha256: str
    line: int


def listed_for(text: str, file_name: str, *, alone: bool = True) -> Listed | None:
    """Return what the list `text` says of `file_name`, or None. `alone`: a hash without a name, where it is all there is, is meant for that file."""
    lines = [(n, line.strip()) for n, line in enumerate(text.splitlines()[:MAX_LIST_LINES], 1) if line.strip()]
    for number, line in lines:
        if (match := _COREUTILS.match(line)) and match[2].strip().rsplit("/", 1)[-1] == file_name:
            return Listed(match[1].lower(), number)
        if (match := _BSD.match(line)) and match[1].rsplit("/", 1)[-1] == file_name:
            return Listed(match[2].lower(), number)
    if alone and len(lines) == 1 and (match := _LONE.match(lines[0][1])):
        return Listed(match[1].lower(), lines[0][0])
    return None


def listed_beside(lists: Iterable[tuple[str, str]], file_name: str, found: str) -> tuple[str, Listed] | None:
    """Return which of `lists`, as names and texts, speaks of `file_name`, and what it says; one that agrees with `found` before one that does not.

    A hash without a name counts only in a list that is called like the file."""
    said = [
        (name, listed) for name, text in lists if (listed := listed_for(text, file_name, alone=name.startswith(file_name)))
    ]  # fmt: skip
    return next((one for one in said if one[1].sha256 == found), said[0] if said else None)


def pasted(text: str, file_name: str) -> Listed:
    """Return the SHA-256 that `text`, copied from a download page, gives for `file_name`. Raises InputError saying what it is instead."""
    if (listed := listed_for(text, file_name)) is not None:
        return listed
    if other := _OTHER_SUM.search(text):
        raise InputError(f"that is {_OTHERS[len(other[0])]}", expected="a SHA-256: 64 digits and letters from a to f",
                         next_step="Look whether the page gives the SHA-256 too.")  # fmt: skip
    names = [m[2].strip() for line in text.splitlines() if (m := _COREUTILS.match(line.strip()))]
    held = f"it speaks of {', '.join(names[:3])}" if names else "no SHA-256 stands in it"
    raise InputError(held, expected=f"a SHA-256 for {file_name}, as `HASH  {file_name}`, or the hash alone",
                     next_step="Copy the line of this very file from the download page.")  # fmt: skip


def compare_sha256(
    found: str, published: str | None, *, source_name: str, promised: bool = True, line: int = 0
) -> Finding:
    """Return the finding about a download whose SHA-256 is `found`; `source_name` and `line` say where the other came from. `promised`: whether
    anybody said that there is one."""
    where = Where(file=source_name, line=line)
    place = f"line {line} of {source_name}" if line else source_name
    if published is None:
        return Finding(
            "image.sha256-unpublished",
            Severity.CHECK if promised else Severity.NOTE,
            "No published checksum to compare with",
            f"Its SHA-256 is {found}.",
            "Copy the one on the download page: under Images it is pasted and compared.",
            where,
            "FIPS 180-4",
        )
    if found != published:
        return Finding(
            "image.sha256-differs",
            Severity.STOP,
            "Not the file that was published",
            f"SHA-256 is {found}; {place} says {published}.",
            "Download it again. If it differs again, do not use it.",
            where,
            "FIPS 180-4",
        )
    return Finding(
        "image.sha256-matches",
        Severity.OK,
        "Whole, and the file that was published",
        f"SHA-256 matches {place}.",
        where=where,
        source="FIPS 180-4",
    )
