"""Do the tasks of one queue: when its bell rings, and from time to time."""

from __future__ import annotations

import time
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections
from django_tasks import DEFAULT_TASK_BACKEND_ALIAS
from django_tasks_db.management.commands.db_worker import Worker

from mintseed.server.kept.bells import Bell

LOOK_EVERY_S = 5.0
"""seconds after which it looks although nobody rang: a job may have come from another machine."""


class Command(BaseCommand):
    help = "Work on one queue until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue-name", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        queue = options["queue_name"]
        bell = Bell(queue)
        worker = Worker(
            queue_names=[queue], interval=0, batch=True, backend_name=DEFAULT_TASK_BACKEND_ALIAS, startup_delay=False,
            max_tasks=None, worker_id=f"{queue}-{time.time_ns():x}"[:64], excluded_queue_names=[],
        )  # fmt: skip
        worker.configure_signals()
        while worker.running:
            worker.run()
            close_old_connections()
            if worker.running:
                bell.wait(LOOK_EVERY_S)
