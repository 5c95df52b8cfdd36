"""Hardware addresses of network cards, in one spelling. Source: IEEE 802, 48-bit identifiers written as six pairs; bit 0 of
the first octet marks a group, which no network card has for its own."""

from __future__ import annotations

import re

from mintseed.core.visible import one_line

_DIGITS = re.compile(r"[0-9a-f]{12}")


def hardware_address(said: str) -> str:
    """Return `said` as ``02:51:48:00:00:0a``, whether it came with colons, hyphens, dots or none. Raises ValueError."""
    digits = re.sub(r"[:.\-]", "", said.strip().lower())
    if not _DIGITS.fullmatch(digits):
        raise ValueError(f"{one_line(said)} is no hardware address of six pairs")
    if int(digits[:2], 16) & 1:
        raise ValueError(f"{one_line(said)} is the address of a group, not of one network card")
    return ":".join(digits[i : i + 2] for i in range(0, 12, 2))
