"""What a look at a card does to proofs: it ends one, asks whose the card is, or shows that it still holds.

A proof is of a card, and only for as long as nothing speaks against it. A card that was seen changed, or unknown where it never
left its reader, ends the proof that stood on it. A card of which nobody can say whose it is makes every proof it could be
uncertain, which is no proof, until a person says it or the right card is seen.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import asdict
from datetime import datetime

from django.db.models import QuerySet

from mintseed.core.card import proof
from mintseed.core.card.identity import CardMarks, Recognition
from mintseed.core.errors import RefusedError
from mintseed.server.judged.changes import changed
from mintseed.server.judged.journal import record
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import (
    Bench,
    BootRun,
    Card,
    CardQuestion,
    Deployment,
    ReportedDrive,
    Write,
    WrittenBlocks,
)
from mintseed.server.kept.transactions import all_or_nothing


def standing() -> QuerySet[Write]:
    """Return the writes whose proof stands, or would if it were sure whose card is whose."""
    return Write.objects.filter(proven_at__isnull=False, void_at=None)


@all_or_nothing
def void(writes: Collection[int], now: datetime, why: str) -> int:
    """End the proofs of `writes`, and have what rests on them judged again. Returns how many ended."""
    rows = _locked(writes)
    for row in rows:
        Write.objects.filter(pk=row.pk).update(void_at=now, void_why=why[:200], unsure_at=None, unsure_why="")
        record(row.deployment, "card", "card.void", f"Its card's proof ended: {why}")
        judge_soon(pk=row.deployment_id)
    return len(rows)


def _locked(writes: Collection[int]) -> Sequence[Write]:
    """Return those of `writes` whose proof stands, locked in the one order: deployments before writes."""
    rows = standing().filter(pk__in=writes)
    of = set(rows.values_list("deployment_id", flat=True))
    deployments = {d.pk: d for d in Deployment.objects.select_for_update().filter(pk__in=of).order_by("pk")}
    found = [w for w in rows.select_for_update().order_by("pk") if w.deployment_id in deployments]
    for write in found:
        write.deployment = deployments[write.deployment_id]
    return found


def end_on_card(card: Card, write: Write, now: datetime) -> None:
    """`write` is about to go to `card`, or went there: whatever else was proven on it, or never left that reader, ends."""
    others = standing().exclude(pk=write.pk)
    _end_in(others, card, write.bench, write.drive_path, now, f"{write.deployment.name} was written on its card")


def end_in_drive(card: Card | None, bench: Bench, path: str, now: datetime, why: str) -> None:
    """What lies in a drive is about to go, no image comes to it: whatever was proven on that card, or never left that reader, ends."""
    _end_in(standing(), card, bench, path, now, why)


def _end_in(among: QuerySet[Write], card: Card | None, bench: Bench, path: str, now: datetime, why: str) -> None:
    on_it = set(among.filter(card=card).values_list("pk", flat=True)) if card is not None else set[int]()
    drive = ReportedDrive.objects.filter(bench=bench, path=path).first()
    if drive is not None:
        # A card that never left the reader since it was proven is the same card, whatever its bytes say.
        stayed = among.filter(bench=bench, drive_path=path, proven_at__gte=drive.appeared_at)
        on_it |= set(stayed.values_list("pk", flat=True))
    if on_it:
        void(on_it, now, why)


def was_booted(write: Write) -> bool:
    """Return whether its card was booted since it was proven: what is on it may have changed then."""
    return BootRun.objects.filter(write=write).exists()


def after_look(row: ReportedDrive, found: Recognition, marks: CardMarks | None, now: datetime) -> None:
    """Draw the consequences of what was seen in a drive. `marks`: those of its card, None when it could not be read."""
    where = f"{row.drive.get('model') or row.path} of {row.bench.name}"
    row.question = None
    stayed = set(_stayed(row).values_list("pk", flat=True)) if not found.is_known else set()
    asked_of = {*stayed, *([found.write_id] if found.write_id is not None else [])}
    booted = set(BootRun.objects.filter(write__in=asked_of).values_list("write_id", flat=True))
    does = proof.after_look(
        found, stayed=stayed, booted=booted, readable=marks is not None, half_written=half_written(row) is not None
    )
    be_sure(does.sure, now)
    if does.ends:
        void(does.ends, now, _changed_in(where))
    if does.could_be and marks is not None:
        _ask_whose(row, found, marks, now)


def _changed_in(where: str) -> str:
    return f"what is on its card was seen changed, in {where}; a desktop that mounts a card writes to it too"


def half_written(row: ReportedDrive, but: Write | None = None) -> Card | None:
    """Return the card that a write which was never proven left in this drive, where it did not leave it since: whose it is is known,
    and what was proven on it ended before its first byte."""
    begun = Write.objects.filter(bench=row.bench, drive_path=row.path, started_at__isnull=False)
    writes = begun.exclude(pk__in=[but.pk] if but else [])
    last = writes.select_related("card").order_by("-pk").first()
    left_so = last is not None and last.proven_at is None and (last.started_at or last.begun_at) >= row.appeared_at
    return last.card if last is not None and left_so else None


def _stayed(row: ReportedDrive) -> QuerySet[Write]:
    return standing().filter(bench=row.bench, drive_path=row.path, proven_at__gte=row.appeared_at)


# whose card is it?


@all_or_nothing
def _ask_whose(row: ReportedDrive, found: Recognition, marks: CardMarks, now: datetime) -> None:
    """Ask which card it is, once for each card that lies there, and let nobody rely on any it could be meanwhile."""
    rows = _locked(found.could_be)
    if not rows:
        row.question = None
        return
    could_be = [w.pk for w in rows]
    asked = CardQuestion.objects.filter(
        bench=row.bench, path=row.path, head=marks.head, answered_at=None, asked_at__gte=row.appeared_at
    ).first()
    if asked is None or asked.candidates != could_be:
        asked = CardQuestion.objects.create(
            bench=row.bench, path=row.path, head=marks.head, marks=asdict(marks), candidates=could_be, asked_at=now
        )
    row.question = asked
    why = f"a card of the same image lies in a reader of {row.bench.name}, and nobody said whose it is"
    for one in rows:
        if one.unsure_at is None:
            Write.objects.filter(pk=one.pk).update(unsure_at=now, unsure_why=why[:200])
            record(one.deployment, "card", "card.unsure", f"Not sure any more that its card holds it: {why}")
            judge_soon(pk=one.deployment_id)


@all_or_nothing
def suspend(write_id: int, now: datetime, why: str) -> None:
    """End a proof whose card is about to be changed by us; `prove_anew` may take it up again. Whatever comes in between, it stays ended: a look at
    some blocks would not tell."""
    for one in _locked([write_id]):
        Write.objects.filter(pk=one.pk).update(void_at=now, void_why=why[:200], unsure_at=None, unsure_why="")
        judge_soon(pk=one.deployment_id)


@all_or_nothing
def prove_anew(write_id: int, suspended_at: datetime, now: datetime, digests: bytes, marks: dict[str, object]) -> None:
    """Have a proof that was suspended go on with what was read back from its card just now; one that ended otherwise meanwhile stays so."""
    of = Write.objects.values_list("deployment_id", flat=True).get(pk=write_id)
    Deployment.objects.select_for_update().get(pk=of)
    one = Write.objects.select_for_update().get(pk=write_id)
    if one.void_at != suspended_at:
        return
    WrittenBlocks.objects.filter(write=one).update(digests=digests)
    Write.objects.filter(pk=one.pk).update(marks=marks, proven_at=now, digest="", void_at=None, void_why="")
    judge_soon(pk=of)


def be_sure(write_id: int | None, now: datetime) -> None:
    """Its own card was seen with what was written to it: nothing is uncertain about it."""
    for one in standing().filter(pk__in=[write_id], unsure_at__isnull=False).select_related("deployment"):
        Write.objects.filter(pk=one.pk).update(unsure_at=None, unsure_why="")
        record(one.deployment, "card", "card.sure", "Its card was seen, and holds what was written")
        judge_soon(pk=one.deployment_id)


@all_or_nothing
def answer(pk: int, write_id: int | None, now: datetime, *, nobody_knows: bool = False) -> CardQuestion:
    """Keep what a person said of question `pk`: it is the card of `write_id`, or none of those (None), or that nobody knows.

    Raises CardQuestion.DoesNotExist, and RefusedError for a question that was answered, or an answer it did not offer.
    """
    first = CardQuestion.objects.get(pk=pk)
    rows = {w.pk: w for w in _locked(first.candidates)}
    question = CardQuestion.objects.select_for_update().select_related("bench").get(pk=pk)
    if question.answered_at is not None:
        raise RefusedError("that was said already", next_step="Look at the card again.")
    if write_id is not None and write_id not in question.candidates:
        raise RefusedError("it is not one of those it could be", next_step="Look at the card again.")
    question.answered_at, question.answer = now, rows.get(write_id) if write_id is not None else None
    question.save(update_fields=["answered_at", "answer"])
    if nobody_knows:
        void(list(rows), now, "nobody could say whose card it is that holds the same image")
    else:
        _said(question, rows, now)
    for row in ReportedDrive.objects.select_for_update().filter(question=question):
        mine = rows.get(write_id) if write_id is not None else None
        row.card = mine.card if mine else None
        row.recognised = asdict(Recognition("changed", write_id) if mine else Recognition("unknown"))
        row.save(update_fields=["card", "recognised"])
    changed("drives")
    return question


def _said(question: CardQuestion, rows: dict[int, Write], now: datetime) -> None:
    """The others are sure again, unless another card is still asked about; the one it is was seen changed."""
    asked = CardQuestion.objects.filter(answered_at=None).exclude(pk=question.pk)
    doubtful = {pk for other in asked.values_list("candidates", flat=True) for pk in other}
    for one in rows.values():
        if one.pk not in doubtful:
            Write.objects.filter(pk=one.pk).update(unsure_at=None, unsure_why="")
            judge_soon(pk=one.deployment_id)
    mine = question.answer
    if mine is None:
        return
    if mine.card_id is not None:
        Card.objects.filter(pk=mine.card_id).update(marks_since=question.marks)
    record(
        mine.deployment,
        "card",
        "card.named",
        f"The card in a reader of {question.bench.name} is its card, somebody said",
    )
    if not was_booted(mine):
        void([mine.pk], now, "its card was seen changed, as somebody said whose it is")
