"""A bench's own worker: reports its drives, watches powered boards, looks at the network, buries dead jobs."""

from __future__ import annotations

import logging
import signal
import threading
import time
from contextlib import suppress
from datetime import datetime
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections

from mintseed import wiring
from mintseed.core.errors import MintSeedError
from mintseed.server.done.agent.bench_row import beat, own_bench
from mintseed.server.done.agent.drives import DriveWatch
from mintseed.server.done.agent.housekeeping import Housekeeping
from mintseed.server.done.agent.looking import Watched, look_once, looked_at_in_s, sweep, watched
from mintseed.server.done.agent.naming import NameThread
from mintseed.server.done.agent.network_memory import NetworkMemory, site_networks
from mintseed.server.done.agent.scanning import ScanThread, scan_wish
from mintseed.server.done.jobs.leases import bury_the_dead
from mintseed.server.done.power import switch_off_ghosts
from mintseed.server.done.reading import read_what_came
from mintseed.server.judged.judging import judge_due
from mintseed.server.kept.bells import AGENT, Bell, own_bell, ring_now
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Bench, Job

log = logging.getLogger("mintseed.agent")

LOOK_EVERY_S = 0.5
"""seconds between two turns while a board is looked for or a card is written."""

IDLE_EVERY_S = 14.0
"""the same while nothing happens; a bell, or a drive that comes, cuts it short."""

BEAT_EVERY_S = 7.0
"""seconds between two signs of life meanwhile: a bench that gives none for 20 s counts as silent"""

GLANCE_EVERY_S = 1.0
"""seconds between two glances at the drives while nothing happens: of a mount nobody tells, and in many containers of no drive either"""

REMEMBER_EVERY_S, IDLE_REMEMBER_S = 2.0, 12.0
SETTLES_AFTER_S = 8.0
"""seconds of looking after which a board that was not seen counts as not there: a scan and announcements take some."""


class Command(BaseCommand):
    help = "Run this machine's bench until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        bell, agent = Bell(own_bell(AGENT, wiring.config().bench_name)), Agent()
        stop = threading.Event()

        def asked(*_: object) -> None:
            stop.set()
            ring_now(AGENT)

        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, asked)
        while not stop.is_set():
            rest_s = LOOK_EVERY_S
            try:
                close_old_connections()
                rest_s = agent.turn()
            except (DatabaseError, MintSeedError) as error:
                log.warning("could not look: %s", type(error).__name__)
            except Exception:
                log.exception("the bench stumbled; it goes on")
            _rest(bell, agent, rest_s)
        agent.scans.stop()


def _rest(bell: Bell, agent: Agent, rest_s: float) -> None:
    if rest_s <= GLANCE_EVERY_S:
        bell.wait(rest_s)
        return
    until, beat_s = time.monotonic() + rest_s, time.monotonic() + BEAT_EVERY_S
    if bell.wait(LOOK_EVERY_S):  # whatever is said of drives, and however often
        return
    while (left := until - time.monotonic()) > 0 and not agent.drives.changed():
        if bell.wait(min(GLANCE_EVERY_S, left), agent.drives.awaited()):
            return
        if time.monotonic() >= beat_s:
            beat_s += BEAT_EVERY_S
            with suppress(DatabaseError):  # the next turn says so
                beat(wiring.config().bench_name, wiring.bench().clock.now())


def _is_asked_for(board: Watched, asked: datetime | None) -> bool:
    """Return whether somebody asked for a look since `board` was looked at last."""
    return asked is not None and (board.run.looked_at is None or board.run.looked_at < asked)


class Agent:
    """One turn after the other; every turn is whole in itself."""

    def __init__(self) -> None:
        self.scans, self.drives, self.names = ScanThread(), DriveWatch(), NameThread()
        self._housekeeping = Housekeeping()
        self._remembered_s = -IDLE_REMEMBER_S
        self._began_s = time.monotonic()
        self._writing = False
        judge_soon()  # rules, recipes and boards may be others than when this home ran last

    def turn(self) -> float:
        """Look at everything once. Returns in how many seconds the next turn is to follow, where nothing happens meanwhile."""
        bench, now = own_bench(), wiring.bench().clock.now()
        bury_the_dead(now)
        working = Job.objects.filter(state__in=(Job.State.QUEUED, Job.State.RUNNING)).exists()
        # Before the drives are looked at, which answers it as far as they go.
        asked = bench.look_wanted_at
        # Once more after a card was written: then it can be looked at again.
        self.drives.turn(bench, now, busy=working or self._writing)
        self._writing = working
        boards = watched(bench)
        due = [b for b in boards if looked_at_in_s(b, now) <= 0 or _is_asked_for(b, asked)]
        switch_off_ghosts(bench, now)
        if due or not boards:
            self.scans.want(*scan_wish(bench, due))
        self._remember(bench, REMEMBER_EVERY_S if due else IDLE_REMEMBER_S)
        self.names.turn(bench, now)
        read_what_came(now)
        if due:
            settled = time.monotonic() - self._began_s > SETTLES_AFTER_S
            look_once(due, self.scans.found, settled=settled)
        more = judge_due([b.loaded.row.pk for b in due])
        self._housekeeping.turn(now)
        if working or more or self.scans.busy or due:
            return LOOK_EVERY_S
        next_s = min((looked_at_in_s(b, now) for b in boards), default=IDLE_EVERY_S)
        return min(IDLE_EVERY_S, max(LOOK_EVERY_S, next_s))

    def _remember(self, bench: Bench, every_s: float) -> None:
        fresh = self.scans.take_fresh()
        if not fresh and time.monotonic() - self._remembered_s < every_s:
            return
        self._remembered_s = time.monotonic()
        swept = sweep(site_networks(bench), self.scans.found if fresh else ())
        NetworkMemory(bench).remember(swept.sightings, swept.at, scanned=fresh)
