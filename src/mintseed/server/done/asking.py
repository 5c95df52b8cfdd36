"""Have the worker of a bench look now, and wait until it did: it stands where the hardware and the network are, this process does not."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime

from mintseed import wiring
from mintseed.server.kept.bells import AGENT, ring_now
from mintseed.server.kept.models import Bench

LOOK_WITHIN_S = 12.0
"""seconds a worker gets to look"""


def has_looked(bench_pk: int, done: Callable[[datetime], bool]) -> bool:
    """Ask the worker of a bench to look; return whether it did in time. `done` tells it from what is on record, given when it was asked."""
    asked = wiring.bench().clock.now()
    Bench.objects.filter(pk=bench_pk).update(look_wanted_at=asked)
    ring_now(AGENT)
    until = time.monotonic() + LOOK_WITHIN_S
    while time.monotonic() < until:
        time.sleep(0.05)
        if done(asked):
            return True
    return False
