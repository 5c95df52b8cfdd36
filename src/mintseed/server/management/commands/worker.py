"""Do the tasks of one queue: when its bell rings, and from time to time; by choice several at once, each in a thread of its own."""

from __future__ import annotations

import logging
import os
import select
import signal
import threading
import time
from types import FrameType
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, close_old_connections, connections
from django_tasks import DEFAULT_TASK_BACKEND_ALIAS
from django_tasks_db.management.commands.db_worker import Worker

from mintseed.adapters.one_heap import use_one_heap
from mintseed.server.kept.bells import Bell

log = logging.getLogger("mintseed.jobs")

LOOK_EVERY_S = 5.0
"""seconds after which it looks although nobody rang: a job may have come from another machine."""

LOOKS_WHETHER_DONE_S = 0.1
"""how often one that was asked to end looks whether what is under way is done; its supervisor waits some seconds, then ends it"""


class Command(BaseCommand):
    help = "Work on one queue until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue-name", required=True)
        parser.add_argument("--at-once", type=int, default=1, help="tasks that may be under way side by side")

    def handle(self, *args: Any, **options: Any) -> None:
        use_one_heap()
        queue, count = options["queue_name"], max(1, options["at_once"])
        bell = Bell(queue)
        workers = [_worker(queue, number) for number in range(count)]
        woken, wake = os.pipe()
        os.set_blocking(wake, False)
        signal.set_wakeup_fd(wake)

        def stop(number: int, frame: FrameType | None) -> None:
            for worker in workers:
                worker.running = False

        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGQUIT):
            signal.signal(number, stop)
        threads: dict[str, threading.Thread] = {}
        while workers[0].running:
            # One that broke is begun anew; the others are at a card, and go on.
            for worker in workers:
                if worker.worker_id not in threads or not threads[worker.worker_id].is_alive():
                    threads[worker.worker_id] = threading.Thread(target=_work, args=(worker, bell), daemon=True)
                    threads[worker.worker_id].start()
            select.select([woken], [], [], LOOK_EVERY_S)
        while any(worker.running_task for worker in workers):
            time.sleep(LOOKS_WHETHER_DONE_S)


def _worker(queue: str, number: int) -> Worker:
    return Worker(
        queue_names=[queue], interval=0, batch=True, backend_name=DEFAULT_TASK_BACKEND_ALIAS, startup_delay=False,
        max_tasks=None, worker_id=f"{queue[:40]}-{time.time_ns():x}-{number}", excluded_queue_names=[],
    )  # fmt: skip


def _work(worker: Worker, bell: Bell) -> None:
    try:
        while worker.running:
            try:
                worker.run()
            except DatabaseError as error:
                log.error("%s: the database does not answer: %s", worker.worker_id, type(error).__name__)
            close_old_connections()
            if worker.running:
                bell.wait(LOOK_EVERY_S)
    finally:
        connections.close_all()
