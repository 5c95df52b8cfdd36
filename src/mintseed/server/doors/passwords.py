"""Tries with a password are counted before they are looked at, by who really sends them.

A try takes its place in one locked step, so that many at once are counted like many in turn; it is given back when the password
was right. Looking at one takes a tenth of a second of a core on purpose, so only a few are looked at side by side.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta

from django.db import IntegrityError, transaction
from django.utils import timezone

from mintseed.core.errors import RefusedError
from mintseed.server.doors.half_open import peer_block
from mintseed.server.kept.models import WrongPasswords
from mintseed.server.kept.transactions import all_or_nothing

MOST_FAILURES = 5
WAIT_S = 300
"""Wrong passwords from one peer before it waits, and for how many seconds (common practice)."""

AT_ONCE = 2
"""passwords one web process looks at side by side; whoever else comes is told to come again."""

_looking = threading.BoundedSemaphore(AT_ONCE)


@contextmanager
def one_try(address: str) -> Iterator[Callable[[], None]]:
    """Take one try for the peer at `address`; call what is yielded when the password was right.

    Raises RefusedError when the peer has none left, or too many are looked at just now.
    """
    peer = peer_block(address)
    if not _looking.acquire(timeout=1.0):
        raise RefusedError("too many come in at this moment", next_step="Try again in a moment.")
    try:
        _take(peer)
        right = threading.Event()
        yield right.set
        if right.is_set():
            WrongPasswords.objects.filter(peer=peer).delete()
    finally:
        _looking.release()


def forget_wrong_passwords(now: datetime) -> int:
    """Forget the tries whose waiting time is over: a network may hold any number of addresses."""
    return WrongPasswords.objects.filter(since__lt=now - timedelta(seconds=WAIT_S)).delete()[0]


@all_or_nothing
def _take(peer: str) -> None:
    try:
        with transaction.atomic():
            WrongPasswords.objects.get_or_create(peer=peer)
    except IntegrityError:
        pass  # another try of the same peer made it at this moment
    row, now = WrongPasswords.objects.select_for_update().get(peer=peer), timezone.now()
    if now - row.since > timedelta(seconds=WAIT_S):
        row.count, row.since = 0, now
    if row.count >= MOST_FAILURES:
        raise RefusedError(
            "too many wrong passwords from here", next_step=f"Wait {WAIT_S // 60} minutes, then try again."
        )
    row.count += 1
    row.since = row.since if row.count > 1 else now
    row.save(update_fields=["count", "since"])
