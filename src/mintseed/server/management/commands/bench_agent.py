"""A bench's own worker: reports its drives, watches powered boards, looks at the network, buries dead jobs."""

from __future__ import annotations

import logging
import signal
import threading
import time
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections

from mintseed import wiring
from mintseed.core.errors import MintSeedError
from mintseed.server.agent.bench_row import own_bench
from mintseed.server.agent.drives import report_drives
from mintseed.server.agent.housekeeping import Housekeeping
from mintseed.server.agent.looking import look_once, sweep, watched
from mintseed.server.agent.network_memory import NetworkMemory, site_networks
from mintseed.server.agent.scanning import ScanThread, scan_wish
from mintseed.server.jobs.leases import bury_the_dead
from mintseed.server.judging import judge_due, judge_soon
from mintseed.server.models import Bench
from mintseed.server.power import switch_off_ghosts

log = logging.getLogger("mintseed.agent")

LOOK_EVERY_S = 0.5
REMEMBER_EVERY_S = 2.0
SETTLES_AFTER_S = 8.0
"""seconds of looking after which a board that was not seen counts as not there: a scan and announcements take some."""


class Command(BaseCommand):
    help = "Run this machine's bench until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        agent = Agent()
        while not stop.wait(LOOK_EVERY_S):
            try:
                close_old_connections()
                agent.turn()
            except (DatabaseError, MintSeedError) as error:
                log.warning("could not look: %s", type(error).__name__)
            except Exception:
                log.exception("the bench stumbled; it goes on")
        agent.scans.stop()


class Agent:
    """One turn after the other; every turn is whole in itself."""

    def __init__(self) -> None:
        self.scans = ScanThread()
        self._housekeeping = Housekeeping()
        self._remembered_s = -REMEMBER_EVERY_S
        self._began_s = time.monotonic()
        judge_soon()  # rules, recipes and boards may be others than when this home ran last

    def turn(self) -> None:
        bench, now = own_bench(), wiring.bench().clock.now()
        bury_the_dead(now)
        report_drives(bench, now)
        switch_off_ghosts(bench, now)
        boards = watched(bench)
        self.scans.want(*scan_wish(bench, boards))
        self._remember(bench)
        if boards:
            look_once(bench, self.scans.found, settled=time.monotonic() - self._began_s > SETTLES_AFTER_S)
        judge_due([b.loaded.row.pk for b in boards])
        self._housekeeping.turn(now)

    def _remember(self, bench: Bench) -> None:
        fresh = self.scans.take_fresh()
        if not fresh and time.monotonic() - self._remembered_s < REMEMBER_EVERY_S:
            return
        self._remembered_s = time.monotonic()
        swept = sweep(site_networks(bench), self.scans.found if fresh else ())
        NetworkMemory(bench).remember(swept.sightings, swept.at, scanned=fresh)
