"""Report this bench's drives, and whose cards are in them."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta

from django.db import transaction
from pydantic import TypeAdapter

from mintseed import wiring
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.identity import UNKNOWN, CardMarks, Recognition
from mintseed.core.card.samples import SAMPLES_BEFORE_POWER, SAMPLES_WHILE_IT_LIES
from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Severity
from mintseed.server.done.cards import recognised, settings_paths, still_holds
from mintseed.server.done.jobs.leases import writer_of
from mintseed.server.done.proofs import after_look, was_booted
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import DEAD_AFTER_S
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Bench, Card, CardErrand, DriveLease, Job, ReportedDrive, Write
from mintseed.server.kept.stored_types import stored
from mintseed.services import recognise_card

DRIVE = TypeAdapter(Drive)
RECOGNITION = TypeAdapter(Recognition)

LOOK_AGAIN_S = 60.0
"""seconds after which a card that lies still in its reader is looked at again: somebody else may write to it."""


class DriveWatch:
    """Reports the drives when they changed, while one of them is written, and from time to time; else that the bench is
    alive, and no more."""

    EVERY_S = 15.0

    def __init__(self) -> None:
        self._signature: object = None
        self._last_s = -self.EVERY_S

    def changed(self) -> bool:
        """Return whether drives came, went, or were mounted since they were last reported."""
        return wiring.bench().readers.signature() != self._signature

    def awaited(self) -> tuple[int, ...]:
        """Return descriptors that can be read once drives may have changed, until `changed` is asked."""
        return wiring.bench().readers.awaited()

    def turn(self, bench: Bench, now: datetime, *, busy: bool) -> None:
        """Report what there is to report. `busy`: a card is being written, or was a moment ago."""
        wanted = bench.look_wanted_at is not None
        if not (busy or wanted or self.changed() or time.monotonic() - self._last_s >= self.EVERY_S):
            Bench.objects.filter(pk=bench.pk).update(seen_at=now)
            return
        self._signature, self._last_s = wiring.bench().readers.signature(), time.monotonic()
        report_drives(bench, now)


def report_drives(bench: Bench, now: datetime) -> None:
    """Store the drives this bench has now. A drive that went loses its row; one that came back is looked at anew, and all are
    when somebody wants them looked at."""
    wanted = bench.look_wanted_at
    try:
        drives = wiring.bench().readers.drives()
        trouble = ""
    except MintSeedError as error:
        drives, trouble = (), error.sentence()
    Bench.objects.filter(pk=bench.pk).update(seen_at=now, trouble=trouble[:300])
    if bench.trouble != trouble[:300]:
        changed("drives")
    if trouble:
        return
    busy = {
        lease.path for lease in DriveLease.objects.filter(bench=bench).select_related("write__job", "write__deployment", "card_work__job")
        if writer_of(lease, now)
    }  # fmt: skip
    # What lies on a card changes under whoever looks while its files are put there.
    busy |= set(
        CardErrand.objects.filter(bench=bench, job__state=Job.State.RUNNING, job__heartbeat_at__gte=now - timedelta(seconds=DEAD_AFTER_S))
        .exclude(does=CardErrand.Does.READ).values_list("drive_path", flat=True)
    )  # fmt: skip
    known = {r.path: r for r in ReportedDrive.objects.filter(bench=bench)}
    gone = [path for path in known if path not in {d.path for d in drives}]
    if gone:
        ReportedDrive.objects.filter(bench=bench, path__in=gone).delete()
        changed("drives")
    for drive in drives:
        _report(bench, drive, known.get(drive.path), drive.path in busy, now, wanted=wanted is not None)
    if wanted is not None:
        # Answered last: whoever waits for it sees what was seen.
        Bench.objects.filter(pk=bench.pk, look_wanted_at=wanted).update(look_wanted_at=None)
        bench.look_wanted_at = None


def _report(
    bench: Bench, drive: Drive, row: ReportedDrive | None, busy: bool, now: datetime, *, wanted: bool = False
) -> None:
    as_json = DRIVE.dump_python(drive, mode="json")
    was = None if row is None else stored(DRIVE, row.drive, None)
    another = was is None or drive.is_another_than(was)
    if row is None:
        row = ReportedDrive(bench=bench, path=drive.path)
    if another:
        row.appeared_at, row.recognised, row.card, row.question = now, None, None, None
    due = wanted or row.recognised is None or now - row.reported_at > timedelta(seconds=LOOK_AGAIN_S)
    if not (another or due or row.drive != as_json):
        return
    before = (row.pk, row.drive if row.pk else None, row.recognised, row.question_id)
    row.drive = as_json
    if busy:
        row.recognised, row.card = None, None
    elif due:
        _look(row, drive, SAMPLES_BEFORE_POWER if wanted or row.recognised is None else SAMPLES_WHILE_IT_LIES, now)
    row.reported_at = now
    with transaction.atomic():
        new = before != (row.pk, row.drive, row.recognised, row.question_id)
        row.save()
        if new:
            changed("drives")


def _look(row: ReportedDrive, drive: Drive, most: int, now: datetime) -> None:
    """See whose card is in `drive`, and what that does to proofs."""
    if any(f.severity is Severity.STOP for f in judge_drive(drive)):
        row.recognised, row.card, row.looked_at = asdict(UNKNOWN), None, now
        return
    seen = look_at_card(drive, wiring.bench(), most)
    row.looked_at = now
    if seen is None:
        row.recognised, row.card = None, None
        return
    row.recognised, row.card = asdict(seen.found), seen.card
    after_look(row, seen.found, seen.marks, now)
    if seen.found.kind == "same" and seen.found.write_id is not None:
        # Back in a reader that had let go of it: what it holds now came from the card, not from a memory of the reader's.
        again = Write.objects.filter(pk=seen.found.write_id, looked_again_at=None, ended_at__lt=row.appeared_at)
        if again.update(looked_again_at=now):
            judge_soon(writes=seen.found.write_id)


@dataclass(frozen=True)
class SeenCard:
    """What a look at a card came to."""

    found: Recognition
    marks: CardMarks
    card: Card | None


def look_at_card(drive: Drive, bench: wiring.Bench, most: int) -> SeenCard | None:
    """Look whose card is in `drive`, with `most` samples of what was written to it; None when it cannot be read.

    A card that begins as it was written and holds something else further on is that card, changed. Once it was booted that is
    what a system does.
    """
    try:
        marks = recognise_card.execute(drive, settings_paths(), readers=bench.readers, tools=bench.tools)
        found, card = recognised(marks)
        write = Write.objects.filter(pk__in=[found.write_id]).first() if found.kind == "same" else None
        if write is not None and not was_booted(write):
            with bench.readers.look(drive) as disk:
                if not still_holds(write, disk, most):
                    found = replace(found, kind="changed")
    except MintSeedError:
        return None
    return SeenCard(found, marks, card)


def listed(*benches: Bench) -> list[tuple[ReportedDrive, Drive]]:
    """Return what `benches` reported, as the core's values."""
    if not benches:
        return []
    by_key = {bench.pk: bench for bench in benches}
    rows = list(ReportedDrive.objects.filter(bench__in=by_key).select_related("question").order_by("bench_id", "path"))
    for row in rows:
        row.bench = by_key[row.bench_id]
    return [(row, DRIVE.validate_python(row.drive)) for row in rows]
