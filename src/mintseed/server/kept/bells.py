"""Bells: a process that waits for work sleeps until somebody rings, instead of asking the database all the time.

A bell is a FIFO in the home. It only says "look now": what there is to do stands in the database, and whoever waits
looks from time to time anyway, so a bell that is missed, or a bench on another machine, costs seconds and nothing else.
"""

from __future__ import annotations

import os
import select
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from django.db import transaction

from mintseed.wiring import config

AGENT, WEB = "agent", "web"
"""ring every agent and every web process of this home: each waits at a bell of its own. Queues have bells of their own name."""


def own_bell(of: str, name: str) -> str:
    """Return the name of the bell that one of several waits at. Of two that wait at one bell only one would wake."""
    return f"{of}-{name}"


def _path(name: str) -> Path:
    return config().home / "bells" / name


class Bell:
    """The bell called `name`, for the one process that waits at it."""

    def __init__(self, name: str) -> None:
        path = _path(name)
        path.parent.mkdir(mode=0o700, exist_ok=True)
        with suppress(FileExistsError):
            os.mkfifo(path, 0o600)
        # Open for both, so that it never ends when a ringer goes.
        self._descriptor = os.open(path, os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)

    def wait(self, seconds: float, also: tuple[int, ...] = ()) -> bool:
        """Sleep until it rings, one of `also` (descriptors) can be read, or `seconds` are over; return whether it rang."""
        ready, _, _ = select.select([self._descriptor, *also], [], [], seconds)
        if self._descriptor not in ready:
            return False
        with suppress(BlockingIOError):
            os.read(self._descriptor, 4096)
        return True

    def close(self) -> None:
        os.close(self._descriptor)


def ring(*names: str) -> None:
    """Ring the bells called `names`, once what was changed can be seen by others."""
    transaction.on_commit(lambda: ring_now(*names))


def ring_now(*names: str) -> None:
    """Ring the bells called `names` at once."""
    for path in (found for name in names for found in _bells_of(name)):
        # Nobody waits there, or it rings already.
        with suppress(OSError):
            descriptor = os.open(path, os.O_WRONLY | os.O_NONBLOCK | os.O_CLOEXEC)
            try:
                os.write(descriptor, b"!")
            finally:
                os.close(descriptor)


def _bells_of(name: str) -> Iterable[Path]:
    return _path(name).parent.glob(f"{name}-*") if name in (AGENT, WEB) else (_path(name),)
