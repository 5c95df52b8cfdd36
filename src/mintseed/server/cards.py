"""Cards on record: whose card is in a reader, told by the writes that were proven."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime

from django.db.models import Max
from pydantic import TypeAdapter

from mintseed.core.card.identity import CardMarks, Recognition, WrittenMarks, recognise
from mintseed.server.models import Card, Write
from mintseed.server.stored_types import stored

MARKS = TypeAdapter(CardMarks)

MOST_WRITES = 500
"""proven writes compared with a card, newest first; a bench that wrote more has most of its cards in service."""


_held: tuple[datetime | None, tuple[WrittenMarks, ...]] = (None, ())


def written_marks() -> tuple[WrittenMarks, ...]:
    """Return the marks of proven writes, newest first. They never change, so they are read again only after another
    proof."""
    global _held
    last = Write.objects.aggregate(last=Max("proven_at"))["last"]
    if last is None or last != _held[0]:
        rows = Write.objects.filter(proven_at__isnull=False).exclude(marks=None).order_by("-proven_at")
        listed = rows.values_list("pk", "marks")[:MOST_WRITES]
        marks = tuple(
            WrittenMarks(pk, found) for pk, held in listed if (found := stored(MARKS, held, None)) is not None
        )
        _held = (last, marks)
    return _held[1]


def settings_paths(more: Collection[str] = ()) -> set[str]:
    """Return the settings files that tell cards apart: those that were ever filled, and `more`."""
    return {path for one in written_marks() for path in one.marks.files} | set(more)


def recognised(marks: CardMarks) -> tuple[Recognition, Card | None]:
    """Return whose card shows `marks`, and its row where it is known."""
    found = recognise(marks, written_marks())
    if found.write_id is not None and found.is_known:
        return found, Write.objects.select_related("card").get(pk=found.write_id).card
    if marks.number:
        return found, Card.objects.filter(number=marks.number).first()
    return found, None


def card_of(marks: CardMarks) -> tuple[Card, Recognition]:
    """Return the row of the card that shows `marks`, a fresh one for a card nobody wrote yet."""
    found, card = recognised(marks)
    return card or Card.objects.create(number=marks.number, size_bytes=marks.size_bytes), found
