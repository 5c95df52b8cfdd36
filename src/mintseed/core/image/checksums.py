"""Published checksum lists. Formats: GNU coreutils `HASH␠␠name` and `HASH␠*name`, BSD `SHA256 (name) = HASH`, a lone hash."""

from __future__ import annotations

import re

from mintseed.core.findings import Finding, Severity, Where

_COREUTILS = re.compile(r"^\\?([0-9a-fA-F]{64})[ ][ *](.+)$")
_BSD = re.compile(r"^SHA256 \((.+)\) = ([0-9a-fA-F]{64})$")
_LONE = re.compile(r"^([0-9a-fA-F]{64})$")


def sha256_in_list(text: str, file_name: str) -> str | None:
    """Return the SHA-256 (lower-case hex) that the list `text` gives for `file_name`, or None."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    for line in lines:
        if (match := _COREUTILS.match(line)) and match[2].strip().rsplit("/", 1)[-1] == file_name:
            return match[1].lower()
        if (match := _BSD.match(line)) and match[1].rsplit("/", 1)[-1] == file_name:
            return match[2].lower()
    if len(lines) == 1 and (match := _LONE.match(lines[0])):
        return match[1].lower()
    return None


def compare_sha256(found: str, published: str | None, *, source_name: str, promised: bool = True) -> Finding:
    """Return the finding about a download whose SHA-256 is `found`; `source_name` says where the other came from. `promised`: whether
    anybody said that there is one."""
    where = Where(file=source_name)
    if published is None:
        return Finding(
            "image.sha256-unpublished",
            Severity.CHECK if promised else Severity.NOTE,
            "No published checksum to compare with",
            f"Its SHA-256 is {found}.",
            "Compare it with the one on the download page, letter by letter.",
            where,
            "FIPS 180-4",
        )
    if found != published:
        return Finding(
            "image.sha256-differs",
            Severity.STOP,
            "Not the file that was published",
            f"SHA-256 is {found}; {source_name} says {published}.",
            "Download it again. If it differs again, do not use it.",
            where,
            "FIPS 180-4",
        )
    return Finding(
        "image.sha256-matches",
        Severity.OK,
        "Whole, and the file that was published",
        f"SHA-256 matches {source_name}.",
        where=where,
        source="FIPS 180-4",
    )
