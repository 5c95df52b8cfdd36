"""Cards on record: whose card is in a reader, told by the writes that were proven."""

from __future__ import annotations

import random
import secrets
from collections.abc import Collection
from dataclasses import replace

from django.db.models import Max
from pydantic import TypeAdapter

from mintseed.core.card.capacity import CapacityProof, lost_marks
from mintseed.core.card.identity import CardMarks, Recognition, WrittenMarks, recognise
from mintseed.core.card.samples import SAMPLES_WHILE_IT_LIES, BlockDigests, first_that_differs
from mintseed.core.errors import RefusedError
from mintseed.core.image.changes import ImageChanges
from mintseed.core.source import Source
from mintseed.server.kept.models import Card, CardQuestion, Write, WrittenBlocks
from mintseed.server.kept.stored_types import stored

MARKS = TypeAdapter(CardMarks)
CAPACITY = TypeAdapter(CapacityProof)
CHANGES = TypeAdapter(ImageChanges)

MOST_WRITES = 500
"""proven writes compared with a card, newest first; a bench that wrote more has most of its cards in service."""


_held: tuple[object, tuple[WrittenMarks, ...]] = (None, ())


def written_marks() -> tuple[WrittenMarks, ...]:
    """Return the marks of proven writes, newest first, and the ones that cards had when somebody said whose they are. They
    never change, so they are read again only after another proof or answer."""
    global _held
    last = (
        Write.objects.aggregate(last=Max("proven_at"))["last"],
        CardQuestion.objects.aggregate(last=Max("answered_at"))["last"],
    )
    if last != _held[0]:
        rows = Write.objects.filter(proven_at__isnull=False).exclude(marks=None).order_by("-proven_at")
        marks: list[WrittenMarks] = []
        newest: set[int] = set()
        for pk, held, card, since in rows.values_list("pk", "marks", "card_id", "card__marks_since")[:MOST_WRITES]:
            if (found := stored(MARKS, held, None)) is not None:
                marks.append(WrittenMarks(pk, found, card))
            # What it was like later speaks for the last thing that was written to it.
            if card is not None and card not in newest and (later := stored(MARKS, since, None)) is not None:
                marks.append(WrittenMarks(pk, later, card, later=True))
            newest |= {card} if card is not None else set()
        _held = (last, tuple(marks))
    return _held[1]


def settings_paths(more: Collection[str] = ()) -> set[str]:
    """Return the settings files that tell cards apart: those that were ever filled, and `more`."""
    return {path for one in written_marks() for path in one.marks.files} | set(more)


def recognised(marks: CardMarks) -> tuple[Recognition, Card | None]:
    """Return whose card shows `marks`, and its row where it is known. What a person said of these very bytes counts."""
    found = recognise(marks, written_marks())
    if found.kind == "kin" and marks.head:
        said = CardQuestion.objects.filter(answered_at__isnull=False, head=marks.head).order_by("-answered_at").first()
        if said is not None and said.answer_id is None and set(found.could_be) <= set(said.candidates):
            return replace(found, kind="unknown", could_be=()), None
        if said is not None and said.answer_id in found.could_be:
            found = replace(found, kind="changed", write_id=said.answer_id, could_be=())
    if found.write_id is not None and found.is_known:
        return found, Write.objects.select_related("card").get(pk=found.write_id).card
    if marks.number:
        return found, Card.objects.filter(number=marks.number).first()
    return found, None


def still_holds(write: Write, disk: Source, most: int) -> bool:
    """Return whether `most` samples of a card, chosen now, hold what `write` left there; at a thorough look its marks beyond the
    image too. Of a write of an older version nothing is known block by block; then the first MiB and its files alone speak."""
    blocks = WrittenBlocks.objects.filter(write=write).first()
    dice = random.Random(secrets.randbits(64))
    if blocks is not None:
        known = BlockDigests(blocks.block_bytes, write.written_bytes, bytes(blocks.digests))
        if first_that_differs(disk, known, most, dice) is not None:
            return False
    if most <= SAMPLES_WHILE_IT_LIES:
        return True
    room = stored(CAPACITY, write.capacity, None)
    return room is None or not lost_marks(disk, room)


def card_of(marks: CardMarks, known: Card | None = None) -> tuple[Card, Recognition]:
    """Return the row of the card that shows `marks`, a fresh one for a card nobody wrote yet. Raises as `known_card` does."""
    card, found = known_card(marks, known)
    return card or Card.objects.create(number=marks.number, size_bytes=marks.size_bytes), found


def known_card(marks: CardMarks, known: Card | None = None) -> tuple[Card | None, Recognition]:
    """Return the row of the card that shows `marks`, None for a card nobody wrote yet; `known` is the card where its bytes do
    not tell and it never left its reader. Raises RefusedError where only a person can say which it is."""
    found, card = recognised(marks)
    if found.kind == "kin" and known is not None:
        return known, found
    if found.kind == "kin" and any(
        w.holds or w.unsure_at for w in Write.objects.filter(pk__in=found.could_be, void_at=None)
    ):
        raise RefusedError(
            "this card holds an image that was written here, and its bytes do not tell which card it is", where="the card",
            next_step="Say under Card whose it is, then write it.",
        )  # fmt: skip
    return card, found
