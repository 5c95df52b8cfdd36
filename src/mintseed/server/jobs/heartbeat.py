"""A running job's sign of life: a thread that writes progress and learns of a stop, on a connection of its own."""

from __future__ import annotations

import logging
import threading
from types import TracebackType

from django.db import DatabaseError, connection
from django.utils import timezone

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError, StoppedError
from mintseed.server.jobs.state import HEARTBEAT_S
from mintseed.server.models import Job

log = logging.getLogger("mintseed.jobs")


class Heartbeat:
    """Use as a context around the work; call `tell` often from within it.

    `tell` raises StoppedError after a person asked for a stop, OutsideError when the database is gone: a job that
    cannot report does not go on unseen.
    """

    def __init__(self, job: Job) -> None:
        self._pk = job.pk
        self._latest: Progress | None = None
        self._stop_asked = threading.Event()
        self._database_gone = threading.Event()
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
        self._latest = progress
        if self._database_gone.is_set():
            raise OutsideError("the database stopped answering, so the work was stopped",
                               next_step="Start the application again, then write the card again.")  # fmt: skip
        if self._stop_asked.is_set():
            raise StoppedError("stopped by you; the card is not usable", next_step="Write it again when you are ready.")

    def tell_bytes(self, done: int, total: int) -> None:
        """Take note of plain bytes done."""
        self.tell(Progress(Phase.FILLING, done, total, 0))

    def _beat(self) -> None:
        try:
            while not self._over.wait(HEARTBEAT_S / 2):
                self._write()
        except DatabaseError as error:
            log.error("job %s: the database does not answer: %s", self._pk, type(error).__name__)
            self._database_gone.set()
        finally:
            connection.close()

    def _write(self) -> None:
        values: dict[str, object] = {"heartbeat_at": timezone.now()}
        if (latest := self._latest) is not None:
            values |= {
                "phase": latest.phase,
                "done_bytes": latest.done_bytes,
                "total_bytes": latest.total_bytes,
                "rate_bytes_per_s": latest.rate_bytes_per_s,
                "left_s": latest.left_s,
            }
        Job.objects.filter(pk=self._pk, state=Job.State.RUNNING).update(**values)
        if Job.objects.filter(pk=self._pk, stop_requested=True).exists():
            self._stop_asked.set()
