"""Sizes and durations in words: never with an exponent, and the unit changes where a number would be rounded into the next."""

from __future__ import annotations

import pytest

from mintseed.core.units import (
    GB,
    GIB,
    KIB,
    MB,
    MIB,
    TB,
    binary_size,
    clock,
    decimal_size,
    drive_size,
    duration,
    nominal_gb,
)


@pytest.mark.parametrize(("size_bytes", "text"), [
    (0, "0 bytes"), (1, "1 byte"), (2, "2 bytes"), (999, "999 bytes"), (1000, "1 kB"), (1_234, "1.23 kB"), (999_499, "999 kB"), (999_700, "1 MB"),
    (412_300_000, "412 MB"), (999_400_000, "999 MB"), (999_999_999, "1 GB"), (1_500_000_000, "1.5 GB"), (63_864_569_856, "63.9 GB"),
    (999_999_999_999, "1 TB"), (2 * TB, "2 TB"), (1_500 * TB, "1500 TB"),
])  # fmt: skip
def test_as_printed_on_packets(size_bytes: int, text: str) -> None:
    assert decimal_size(size_bytes) == text


@pytest.mark.parametrize(("size_bytes", "text"), [
    (0, "0 bytes"), (1, "1 byte"), (900, "900 bytes"), (KIB - 1, "1 KiB"), (KIB, "1 KiB"), (1536, "1.5 KiB"), (MIB - 1, "1 MiB"), (MIB, "1 MiB"), (48 * MIB, "48 MiB"),
    (GIB - 1, "1 GiB"), (GIB, "1 GiB"), (31_914_983_424, "29.7 GiB"), (10 * GIB, "10 GiB"), (2_000_398_934_016, "1863 GiB"),
])  # fmt: skip
def test_as_systems_show_them(size_bytes: int, text: str) -> None:
    assert binary_size(size_bytes) == text


@pytest.mark.parametrize(("size_bytes", "gb"), [
    (32 * GB, 32), (31_914_983_424, 32), (32 * GB * 92 // 100, 32), (32 * GB * 108 // 100, 32), (32 * GB * 91 // 100, None), (32 * GB * 109 // 100, None),
    (2 * GB, 2), (1_024 * GB, 1024), (48 * GB, None), (200 * MB, None),
])  # fmt: skip
def test_which_size_a_card_was_sold_as(size_bytes: int, gb: int | None) -> None:
    """Spare blocks differ by maker, by up to 8 of 100 (common practice)."""
    assert nominal_gb(size_bytes) == gb


def test_a_drive_has_both_names() -> None:
    assert drive_size(31_914_983_424) == "32 GB, shows as 29.7 GiB"
    assert drive_size(2 * TB) == "2 TB, shows as 1862.6 GiB"


@pytest.mark.parametrize(("seconds", "words", "dial"), [
    (-3, "0 s", "0:00"), (0, "0 s", "0:00"), (1.6, "2 s", "0:02"), (59, "59 s", "0:59"), (59.6, "1 min", "1:00"), (60, "1 min", "1:00"), (61, "1 min 1 s", "1:01"),
    (161, "2 min 41 s", "2:41"), (3599, "59 min 59 s", "59:59"), (3600, "1 h 0 min", "1:00:00"), (3661, "1 h 1 min", "1:01:01"), (3900, "1 h 5 min", "1:05:00"),
    (37_408, "10 h 23 min", "10:23:28"),
])  # fmt: skip
def test_how_long(seconds: float, words: str, dial: str) -> None:
    assert duration(seconds) == words
    assert clock(seconds) == dial
