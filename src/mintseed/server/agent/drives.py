"""Report this bench's drives, and whose cards are in them."""

from __future__ import annotations

import time
from dataclasses import asdict
from datetime import datetime, timedelta

from django.db import transaction
from pydantic import TypeAdapter

from mintseed import wiring
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.card.identity import Recognition
from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Severity
from mintseed.server.cards import recognised, settings_paths
from mintseed.server.changes import changed
from mintseed.server.jobs.leases import writer_of
from mintseed.server.models import Bench, Card, DriveLease, ReportedDrive
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

    def turn(self, bench: Bench, now: datetime, *, busy: bool) -> None:
        """Report what there is to report. `busy`: a card is being written, or was a moment ago."""
        if not (busy or self.changed() or time.monotonic() - self._last_s >= self.EVERY_S):
            Bench.objects.filter(pk=bench.pk).update(seen_at=now)
            return
        self._signature, self._last_s = wiring.bench().readers.signature(), time.monotonic()
        report_drives(bench, now)


def report_drives(bench: Bench, now: datetime) -> None:
    """Store the drives this bench has now. A drive that went loses its row; one that came back is looked at anew."""
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
        lease.path for lease in DriveLease.objects.filter(bench=bench).select_related("write__job", "write__deployment")
        if writer_of(lease, now)
    }  # fmt: skip
    known = {r.path: r for r in ReportedDrive.objects.filter(bench=bench)}
    gone = [path for path in known if path not in {d.path for d in drives}]
    if gone:
        ReportedDrive.objects.filter(bench=bench, path__in=gone).delete()
        changed("drives")
    for drive in drives:
        _report(bench, drive, known.get(drive.path), drive.path in busy, now)


def _report(bench: Bench, drive: Drive, row: ReportedDrive | None, busy: bool, now: datetime) -> None:
    as_json = DRIVE.dump_python(drive, mode="json")
    another = row is None or any(row.drive.get(k) != as_json[k] for k in ("serial", "size_bytes", "card_number"))
    if row is None:
        row = ReportedDrive(bench=bench, path=drive.path)
    if another:
        row.appeared_at, row.recognised, row.card = now, None, None
    due = row.recognised is None or now - row.reported_at > timedelta(seconds=LOOK_AGAIN_S)
    if not (another or due or row.drive != as_json):
        return
    before = (row.pk, row.drive if row.pk else None, row.recognised)
    row.drive = as_json
    if busy:
        row.recognised, row.card = None, None
    elif due:
        row.recognised, row.card = _whose(drive)
    row.reported_at = now
    with transaction.atomic():
        new = before != (row.pk, row.drive, row.recognised)
        row.save()
        if new:
            changed("drives")


def _whose(drive: Drive) -> tuple[dict[str, object] | None, Card | None]:
    """Return whose card is in `drive`; nothing for drives that are never written to and cards that cannot be read."""
    if any(f.severity is Severity.STOP for f in judge_drive(drive)):
        return {"kind": "unknown", "write_id": None}, None
    bench = wiring.bench()
    try:
        marks = recognise_card.execute(drive, settings_paths(), readers=bench.readers, tools=bench.tools)
    except MintSeedError:
        return None, None
    found, card = recognised(marks)
    return asdict(found), card


def listed(bench: Bench) -> list[tuple[ReportedDrive, Drive]]:
    """Return what `bench` reported, as the core's values."""
    rows = ReportedDrive.objects.filter(bench=bench).select_related("card", "bench__site").order_by("path")
    return [(row, DRIVE.validate_python(row.drive)) for row in rows]
