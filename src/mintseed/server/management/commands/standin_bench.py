"""Run the stand-in bench: pretend boards and router."""

from __future__ import annotations

import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand

from mintseed.standins.bench import serve
from mintseed.wiring import config


class Command(BaseCommand):
    help = "Run the stand-in bench until stopped; on a real bench, wait."

    def handle(self, *args: Any, **options: Any) -> None:
        chosen = config()
        if chosen.is_standin:
            serve(chosen.bench_folder, chosen.standin_lan, chosen.standin_pace)
            return
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        stop.wait()
