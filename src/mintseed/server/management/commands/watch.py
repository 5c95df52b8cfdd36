"""Watch every powered board: look for it once a second, and note when it joins or is late."""

from __future__ import annotations

import logging
import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections

from mintseed.core.errors import MintSeedError
from mintseed.server.looking import look_for, note_late
from mintseed.server.models import Deployment
from mintseed.server.walk import load_walks

log = logging.getLogger("mintseed.watch")

LOOK_EVERY_S = 0.5


class Command(BaseCommand):
    help = "Watch powered boards until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        while not stop.wait(LOOK_EVERY_S):
            try:
                close_old_connections()
                look_once()
            except (DatabaseError, MintSeedError) as error:
                log.warning("could not look: %s", type(error).__name__)


def look_once() -> None:
    """Look for every board that is powered and not yet claimed."""
    waiting = Deployment.objects.filter(removed_at=None, powered_at__isnull=False, address="")
    for walk in load_walks(waiting.select_related("board_unit", "supply", "network", "image")):
        winner = look_for(walk).winner
        if winner is None:
            note_late(walk)
