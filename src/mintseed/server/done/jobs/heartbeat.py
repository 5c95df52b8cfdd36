"""A running job's sign of life: a thread that writes progress and learns of a stop, on a connection of its own."""

from __future__ import annotations

import logging
import threading
import time
from dataclasses import replace
from types import TracebackType

from django.db import DatabaseError, OperationalError, connection
from django.utils import timezone

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError, StoppedError
from mintseed.server.done.jobs.leases import holds_lease
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import DEAD_AFTER_S, HEARTBEAT_S, harm_of, topic_of
from mintseed.server.kept.models import Job
from mintseed.server.kept.transactions import is_contention

LOOKS_WHETHER_S = 0.2
"""how often work that waits looks whether it may go on"""

log = logging.getLogger("mintseed.jobs")


class Heartbeat:
    """Use as a context around the work; call `tell` often from within it.

    `tell` raises StoppedError after a person asked for a stop, OutsideError when the database is gone (a job that
    cannot report does not go on unseen) and when the job was called dead meanwhile: others rely on that.
    """

    def __init__(self, job: Job) -> None:
        self._pk, self._holder, self._job = job.pk, job.write or job.card_work, job
        self._latest: Progress | None = None
        self._told: Progress | None = None
        self._topic = topic_of(job)
        self._stop_asked = threading.Event()
        self._paused = threading.Event()
        self._waited_s = 0.0
        self._database_gone = threading.Event()
        self._given_up = threading.Event()
        self._last_beat_s = time.monotonic()
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, name=f"heartbeat-{job.pk}", daemon=True)

    def __enter__(self) -> Heartbeat:
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._over.set()
        self._thread.join(5)

    def tell(self, progress: Progress) -> None:
        """Take note of how far the work is; while a person wants it to wait, return only when it may go on."""
        if self._latest is None or self._latest.phase is not progress.phase:
            self._waited_s = 0.0
        self._latest = replace(progress, elapsed_s=max(0.0, progress.elapsed_s - self._waited_s))
        self._raise_if_over()
        began_s = time.monotonic()
        while self._paused.is_set():
            self._over.wait(LOOKS_WHETHER_S)
            self._raise_if_over()
        self._waited_s += time.monotonic() - began_s

    def _raise_if_over(self) -> None:
        if self._database_gone.is_set():
            raise OutsideError("the database stopped answering, so the work was stopped",
                               next_step="Start the application again, then have it done again.")  # fmt: skip
        if self._given_up.is_set() or time.monotonic() - self._last_beat_s > DEAD_AFTER_S:
            raise OutsideError("this work was called dead meanwhile, so it does not go on",
                               next_step="Look at how things stand, then have it done again.")  # fmt: skip
        if self._stop_asked.is_set():
            raise StoppedError(
                f"stopped by you{harm_of(self._job)}", next_step="Have it done again when you are ready."
            )

    def tell_bytes(self, done: int, total: int) -> None:
        """Take note of plain bytes done."""
        self.tell(Progress(Phase.FILLING, done, total, 0))

    def _beat(self) -> None:
        try:
            while not self._over.wait(HEARTBEAT_S / 2):
                try:
                    self._write()
                    self._last_beat_s = time.monotonic()
                except OperationalError as error:
                    if not is_contention(error):
                        raise
                    # It met somebody else at a row: the next beat comes in half a second.
        except DatabaseError as error:
            log.error("job %s: the database does not answer: %s", self._pk, type(error).__name__)
            self._database_gone.set()
        finally:
            connection.close()

    def _write(self) -> None:
        """Write how far the work is, and learn what was asked of it meanwhile."""
        values: dict[str, object] = {"heartbeat_at": timezone.now()}
        if (latest := self._latest) is not None:
            values |= {
                "phase": latest.phase,
                "done_bytes": latest.done_bytes,
                "total_bytes": latest.total_bytes,
                "rate_bytes_per_s": latest.rate_bytes_per_s,
                "left_s": latest.left_s,
            }
            if latest is not self._told:
                changed(self._topic)
                self._told = latest
        lost_drive = self._holder is not None and not holds_lease(self._holder)
        if lost_drive or not Job.objects.filter(pk=self._pk, state=Job.State.RUNNING).update(**values):
            self._given_up.set()
        asked = Job.objects.filter(pk=self._pk).values_list("stop_requested", "pause_requested").first()
        stop, wait = asked or (False, False)
        if stop:
            self._stop_asked.set()
        (self._paused.set if wait and not stop else self._paused.clear)()
