"""Sizes, rates and durations the way people at a bench meet them."""

from __future__ import annotations

KIB = 1024
MIB = 1024 * KIB
GIB = 1024 * MIB
MB = 1_000_000
GB = 1_000_000_000
TB = 1000 * GB

NOMINAL_CARD_GB = (2, 4, 8, 16, 32, 64, 128, 256, 512, 1024)
"""Sizes cards are sold in, in units of 10⁹ bytes. Source: IEC 80000-13 for the unit; common practice for the list."""

_NOMINAL_TOLERANCE = 0.08
"""A card may be this share smaller or larger than printed (common practice: spare blocks differ by maker)."""


def binary_size(size_bytes: int) -> str:
    """Return `size_bytes` in the largest fitting 2ⁿ unit, as most systems show it: ``29.8 GiB``."""
    for unit, name in ((GIB, "GiB"), (MIB, "MiB"), (KIB, "KiB")):
        value = f"{size_bytes / unit:.1f}"
        if float(value) >= 1:
            return f"{value.removesuffix('.0')} {name}"
    return _bytes(size_bytes)


def decimal_size(size_bytes: int) -> str:
    """Return `size_bytes` in the largest fitting 10ⁿ unit, as printed on packets: ``412 MB``. What would be rounded to a thousand of one is one
    of the next."""
    for unit, name in ((TB, "TB"), (GB, "GB"), (MB, "MB"), (1000, "kB")):
        value = float(f"{size_bytes / unit:.3g}")
        if value >= 1:
            return f"{value:g} {name}"
    return _bytes(size_bytes)


def _bytes(size_bytes: int) -> str:
    return counted(size_bytes, "byte")


def counted(number: int, thing: str) -> str:
    """Return so many of a thing whose name takes an s: ``1 file``, ``2 files``."""
    return f"{number} {thing}{'s' * (number != 1)}"


def nominal_gb(size_bytes: int) -> int | None:
    """Return the printed size in GB a drive of `size_bytes` was most likely sold as, or None if none is near."""
    for gb in NOMINAL_CARD_GB:
        if abs(size_bytes - gb * GB) <= gb * GB * _NOMINAL_TOLERANCE:
            return gb
    return None


def drive_size(size_bytes: int) -> str:
    """Return both names of a drive's size: ``32 GB, shows as 29.8 GiB``."""
    gb = nominal_gb(size_bytes)
    printed = f"{gb} GB" if gb else decimal_size(size_bytes)
    return f"{printed}, shows as {binary_size(size_bytes)}"


def duration(seconds: float) -> str:
    """Return a duration in words: ``34 s``, ``2 min 41 s``, ``1 h 5 min``."""
    whole = max(0, round(seconds))
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        minutes, rest = divmod(whole, 60)
        return f"{minutes} min {rest} s" if rest else f"{minutes} min"
    hours, rest = divmod(whole, 3600)
    return f"{hours} h {rest // 60} min"


def clock(seconds: float) -> str:
    """Return a duration as a stop clock shows it: ``2:41``, after an hour ``10:23:28``."""
    whole = max(0, round(seconds))
    if whole >= 3600:
        return f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"
    return f"{whole // 60}:{whole % 60:02d}"
