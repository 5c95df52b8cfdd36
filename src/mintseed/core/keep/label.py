"""The label for the box: name, address, page, release, date, and the page as a QR code."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

import segno


@dataclass(frozen=True, slots=True)
class Label:
    """Text as printed. `host_name` is empty where the device was never heard to answer to it. `qr_path` is an SVG path of `qr_size` × `qr_size` modules, quiet zone included."""

    name: str
    host_name: str
    address: str
    url: str
    made_of: str
    made_on: str
    qr_path: str
    qr_size: int


QUIET_ZONE_MODULES = 4
"""ISO/IEC 18004 §9.1."""


def make_label(*, name: str, host_name: str, address: str, url: str, made_of: str, made_on: date) -> Label:
    """Return the label of one deployment; the QR code holds `url` (error correction M). Source: ISO/IEC 18004."""
    path, size = qr_code(url)
    return Label(name, host_name, address, url, made_of, made_on.isoformat(), path, size)


def qr_code(text: str) -> tuple[str, int]:
    """Return `text` as QR code: an SVG path of unit squares and the width in modules with its quiet zone."""
    code = segno.make(text, error="m", micro=False)
    rows = list(code.matrix_iter(border=QUIET_ZONE_MODULES))
    path = "".join(f"M{x} {y}h1v1h-1z" for y, row in enumerate(rows) for x, dark in enumerate(row) if dark)
    return path, len(rows)


def next_name(name: str, taken: frozenset[str]) -> str:
    """Return a free name for the next one of a kind: `press` → `press-2`, `press-2` → `press-3`."""
    stem, _, tail = name.rpartition("-")
    stem, number = (stem, int(tail)) if stem and re.fullmatch(r"[0-9]{1,9}", tail) else (name, 1)
    while True:
        number += 1
        candidate = f"{stem[: 62 - len(str(number))]}-{number}"
        if candidate.lower() not in taken:
            return candidate
