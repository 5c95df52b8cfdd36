"""What an earlier system left at the end of a card, where the image does not reach, and clearing it.

Two schools: wipe a card before writing, or do not. An image brings its own partitions, so wiping is not needed; but the
backup of an old GPT lies in the last sectors and outlives every image that is smaller than the card. Some boards and
tools read it and see partitions that are gone, so the program looks for it and offers to clear the last MiB.
"""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.source import Source

END_BYTES = 1024 * 1024
"""bytes at the end that are cleared: more than the backup of any usual GPT takes (33 sectors. Source: UEFI 2.10 §5.3)."""

_SECTOR_BYTES = (512, 4096)
"""Sizes of a sector; the backup's header stands in the last one. Source: UEFI 2.10 §5.3.2."""

_BLOCK_BYTES = 4096
_GPT = b"EFI PART"


@dataclass(frozen=True, slots=True)
class End:
    """The end of a card that an image does not reach: where it begins, and how long it is. No length: nothing to clear."""

    offset_bytes: int
    length_bytes: int


def end_of_card(card_bytes: int, image_bytes: int) -> End:
    """Return what lies in the last MiB of a card of `card_bytes` beyond an image of `image_bytes`, from a whole block on."""
    begins = -(-max(image_bytes, card_bytes - END_BYTES) // _BLOCK_BYTES) * _BLOCK_BYTES
    return End(begins, max(0, card_bytes - begins))


def has_backup_table(card: Source) -> bool:
    """Return whether the backup of a GPT stands in the last sector of `card`, in use or left over."""
    return any(card.read_at(card.size_bytes - size, len(_GPT)) == _GPT for size in _SECTOR_BYTES)


def has_old_table(card: Source) -> bool:
    """Return whether the backup of a GPT stands in the last sector of `card`, with no GPT at its start that points there.

    A GPT that reaches to the end of its card is in use, so its backup is no leftover.
    """
    for sector_bytes in _SECTOR_BYTES:
        if card.read_at(card.size_bytes - sector_bytes, len(_GPT)) == _GPT:
            return card.read_at(sector_bytes, len(_GPT)) != _GPT or not _points_to_end(card, sector_bytes)
    return False


def _points_to_end(card: Source, sector_bytes: int) -> bool:
    alternate_lba = int.from_bytes(card.read_at(sector_bytes + 32, 8), "little")
    return (alternate_lba + 1) * sector_bytes == card.size_bytes


def judge_end(path: str) -> Finding:
    """Return the finding about a card at `path` on which an old table stands."""
    return Finding(
        "card.old-table-at-end", Severity.NOTE, "An old partition table stands at the end of this card",
        "Some boards and tools read it and see partitions that are gone; no image smaller than the card reaches there.",
        "Have it cleared with the write.", Where(part=path), "UEFI 2.10 §5.3.2, the backup GPT header in the last sector",
    )  # fmt: skip
