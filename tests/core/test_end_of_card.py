"""Old partition tables at the end of a card, made by sgdisk(8) and judged by gdisk(8)."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.end_of_card import END_BYTES, end_of_card, has_old_table
from mintseed.core.card.identity import CardMarks, recognise
from mintseed.core.source import BytesSource

MIB = 1024 * 1024
CARD_BYTES = 8 * MIB


@pytest.fixture
def used_card(tmp_path: Path) -> Path:
    """A card as a system with a GPT left it."""
    card = tmp_path / "card"
    card.write_bytes(bytes(CARD_BYTES))
    subprocess.run(["sgdisk", "-og", "-n", "1:2048:0", str(card)], check=True, capture_output=True)
    return card


def overwritten(card: Path, image: bytes) -> bytes:
    held = card.read_bytes()
    return image + held[len(image) :]


def table_scan(path: Path) -> str:
    """What gdisk(8) finds on `path`: the line of its partition table scan that speaks of GPT."""
    said = subprocess.run(["gdisk", "-l", str(path)], input="2\n", capture_output=True, text=True, check=False).stdout
    return next(line.split(":")[1].strip() for line in said.splitlines() if line.strip().startswith("GPT:"))


def test_a_table_in_use_is_no_leftover(used_card: Path) -> None:
    assert table_scan(used_card) == "present"
    assert not has_old_table(BytesSource(used_card.read_bytes()))


def test_the_backup_outlives_a_smaller_image_and_clearing_ends_it(used_card: Path) -> None:
    held = overwritten(used_card, b"\xaa" * (3 * MIB))
    used_card.write_bytes(held)
    # gdisk trips over what is left: it calls the card's table damaged and asks what to do.
    assert table_scan(used_card) == "damaged"
    assert has_old_table(BytesSource(held))
    end = end_of_card(len(held), 3 * MIB)
    cleared = held[: end.offset_bytes] + bytes(end.length_bytes)
    used_card.write_bytes(cleared)
    assert table_scan(used_card) == "not present"
    assert not has_old_table(BytesSource(cleared))


def test_an_image_with_a_table_of_its_own_leaves_the_old_backup(used_card: Path, tmp_path: Path) -> None:
    """A GPT image's own backup ends with the image; the one in the card's last sector is the old one."""
    image = tmp_path / "image"
    image.write_bytes(bytes(4 * MIB))
    subprocess.run(["sgdisk", "-og", "-n", "1:2048:0", str(image)], check=True, capture_output=True)
    assert has_old_table(BytesSource(overwritten(used_card, image.read_bytes())))


def test_large_sectors_are_looked_at_too() -> None:
    """UEFI 2.10 §5.3.2: the backup header stands in the last logical block, which is 4096 bytes on some cards."""
    assert has_old_table(BytesSource(bytes(CARD_BYTES - 4096) + b"EFI PART" + bytes(4088)))
    assert not has_old_table(BytesSource(bytes(CARD_BYTES)))
    assert not has_old_table(BytesSource(b""))


@given(card=st.integers(0, 10**12), image=st.integers(0, 10**12))
def test_only_what_lies_beyond_the_image_is_cleared(card: int, image: int) -> None:
    end = end_of_card(card, image)
    assert 0 <= end.length_bytes <= END_BYTES
    if end.length_bytes:
        assert end.offset_bytes >= image
        assert end.offset_bytes + end.length_bytes == card
        assert end.offset_bytes % 4096 == 0


def test_an_old_table_tells_no_card_from_another() -> None:
    assert recognise(CardMarks(old_table=True), []).old_table
    assert recognise(CardMarks(old_table=True), []).kind == "unknown"
