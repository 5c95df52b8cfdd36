"""Which card is this? Told by its own bytes against the writes on record, and by its own number where the system tells it.

A USB reader's serial is the reader's; two cards through one reader look the same to it, and some readers have none.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

HEAD_BYTES = 1024 * 1024
"""bytes of a card's start that are compared whole: its partition table and, on many boards, its boot code."""

MOST_FILES = 32
"""settings files looked at to recognise a card."""

Kind = Literal["same", "changed", "kin", "unknown"]


@dataclass(frozen=True, slots=True)
class CardMarks:
    """What tells a card from another. Empty where it could not be read. `head` is the BLAKE3 of the first HEAD_BYTES;
    `volume_id` the serial of its FAT boot volume; `files` maps settings files to the BLAKE3 of their content. `old_table`:
    the backup of an earlier partition table stands at its end; that tells no card from another."""

    number: str = ""
    size_bytes: int = 0
    disk_id: str = ""
    volume_id: str = ""
    head: str = ""
    files: Mapping[str, str] = field(default_factory=dict)
    old_table: bool = False


@dataclass(frozen=True, slots=True)
class WrittenMarks:
    """The marks one proven write left on its card, or the ones it had when somebody said `later` that it is this card."""

    write_id: int
    marks: CardMarks
    card_id: int | None = None
    later: bool = False


@dataclass(frozen=True, slots=True)
class Recognition:
    """Whose card it is. `same`: holds what that write put there; `changed`: that card, booted or edited since;
    `kin`: a card of the same image, nobody can say which of those that `could_be`, or another one; `unknown`: no write on record
    matches. `old_table` as in its marks."""

    kind: Kind
    write_id: int | None = None
    old_table: bool = False
    could_be: tuple[int, ...] = ()

    @property
    def is_known(self) -> bool:
        return self.kind in ("same", "changed")


UNKNOWN = Recognition("unknown")


def recognise(seen: CardMarks, written: Sequence[WrittenMarks]) -> Recognition:
    """Return whose card `seen` is, by `written` (newest first).

    A card's own number decides alone when both sides have one. Without it: the head, the disk identifier and every
    settings file alike is the same card. The disk identifier and some settings files alike is that card, changed since: the
    one with most files alike. Where cards have as many alike, such as two of one image and one network after their first
    boot, nobody can say which it is. Empty marks match nothing.
    """
    changed: list[tuple[int, WrittenMarks]] = []
    kin: list[WrittenMarks] = []
    for one in written:
        kind, alike = _compare(seen, one.marks)
        if kind == "same" and not one.later:
            return Recognition("same", one.write_id, seen.old_table)
        if kind in ("same", "changed"):
            # Told apart by its number, or by what it held when somebody said whose it is: nothing is more alike.
            certain = kind == "same" or bool(seen.number and one.marks.number)
            changed.append((MOST_FILES + 1 if certain else alike, one))
        elif kind == "kin" and seen.size_bytes == one.marks.size_bytes:
            kin.append(one)
    if not changed:
        return Recognition("kin" if kin else "unknown", None, seen.old_table, _writes(kin))
    most = max(alike for alike, _ in changed)
    best = [one for alike, one in changed if alike == most]
    cards = {one.card_id for one in best}
    if len(cards) > 1 or (None in cards and len(best) > 1):
        return Recognition("kin", None, seen.old_table, _writes(best))
    return Recognition("changed", best[0].write_id, seen.old_table)


def _writes(found: Sequence[WrittenMarks]) -> tuple[int, ...]:
    return tuple(dict.fromkeys(one.write_id for one in found))


def _compare(seen: CardMarks, then: CardMarks) -> tuple[Kind, int]:
    """Return how `seen` stands to `then`, and how many settings files are alike."""
    told_apart = bool(seen.number and then.number)
    if told_apart and seen.number != then.number:
        return "unknown", 0
    alike = {p for p, digest in then.files.items() if digest and seen.files.get(p) == digest}
    if seen.head and seen.head == then.head and seen.disk_id == then.disk_id and len(alike) == len(then.files):
        return "same", len(alike)
    kin = bool(seen.disk_id) and seen.disk_id == then.disk_id and seen.volume_id == then.volume_id
    if told_apart or (kin and alike):
        return "changed", len(alike)
    return ("kin" if kin else "unknown"), 0
