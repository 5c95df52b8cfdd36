"""Run what plays the boards of a bench: pretend ones with their router, or virtual machines in a radio cell."""

from __future__ import annotations

import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand

from mintseed.standins import bench as standin
from mintseed.standins.machine import bench as machine
from mintseed.wiring import config


class Command(BaseCommand):
    help = "Play the boards of this bench until stopped; on a real bench, wait."

    def handle(self, *args: Any, **options: Any) -> None:
        chosen = config()
        if chosen.is_standin:
            standin.serve(chosen.bench_folder, chosen.standin_lan, chosen.standin_pace)
            return
        if chosen.bench == "machine":
            machine.serve(chosen.bench_folder, chosen.machine_lan)
            return
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        stop.wait()
