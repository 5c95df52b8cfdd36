"""Errands to cards that are written already: asked for here, done by the bench's worker."""

from __future__ import annotations

import json

from mintseed import wiring
from mintseed.core.errors import InputError, RefusedError
from mintseed.server.done.agent.bench_row import is_alive
from mintseed.server.done.card_files import Files, packed
from mintseed.server.done.jobs.leases import lock_lease, writer_of
from mintseed.server.done.jobs.tasks import card_files_task
from mintseed.server.done.picked import picked_drive
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import CardErrand, Job
from mintseed.server.kept.transactions import all_or_nothing

MOST_FILES = 40
"""files of one errand"""


@all_or_nothing
def begin(
    does: CardErrand.Does, drive_id: int, *, path: str, serial: str, deployment: int | None, put: Files | None = None, was: Files | None = None
) -> CardErrand:  # fmt: skip
    """Have the bench look at a card, or change files on it. `path` and `serial` are the drive as the person picked it; `put` what is to lie there,
    `was` what has to lie there still. Raises MissingError, RefusedError."""
    row, drive = picked_drive(drive_id, path, serial)
    bench, now = row.bench, wiring.bench().clock.now()
    if not is_alive(bench, now):
        raise RefusedError(f"the worker of {bench.name} does not answer", next_step="Start it, then try again.")
    if busy := writer_of(lock_lease(bench, drive.path), now):
        raise RefusedError(f"it is in use for {busy}", where=drive.path, next_step="Wait until it has ended.")
    if len(put or {}) > MOST_FILES:
        raise InputError(f"{len(put or {})} files are too many", expected=f"at most {MOST_FILES}", where="files")
    errand = CardErrand.objects.create(
        does=does, bench=bench, deployment_id=deployment, drive_path=drive.path, drive_serial=drive.serial, drive_size_bytes=drive.size_bytes,
        reader=" ".join(t for t in (drive.model, drive.serial) if t)[:160], wanted=json.dumps({"put": packed(put or {}), "was": packed(was or {})}),
        created_at=now,
    )  # fmt: skip
    job = Job.objects.create(kind=Job.Kind.CARD_FILES, errand=errand)
    card_files_task.using(queue_name=bench.write_queue).enqueue(job.pk)
    ring(bench.write_queue)
    return errand
