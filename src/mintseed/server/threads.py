"""The threads that requests run on. They last, and so do their connections to the database.

Django gives every request a thread of its own under ASGI, and a thread's connection ends with it: each answer would
begin with a fresh connection. Here a thread that is free is taken again, the one used last first.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import Any

from asgiref.sync import ThreadSensitiveContext
from django.db import connections

MOST_KEPT = 8
"""free threads kept, with a connection each; more are made while more requests run at once, and end after them."""

Scope = dict[str, Any]
Application = Callable[[Scope, Callable[[], Awaitable[Any]], Callable[[Any], Awaitable[Any]]], Awaitable[None]]


class Threads:
    """Lends threads. Used from one event loop alone, so it takes no lock."""

    def __init__(self, most_kept: int = MOST_KEPT) -> None:
        self._most_kept = most_kept
        self._free: list[ThreadPoolExecutor] = []

    @asynccontextmanager
    async def lent(self) -> AsyncIterator[ThreadPoolExecutor]:
        """Lend one thread for as long as the block lasts."""
        thread = self._free.pop() if self._free else ThreadPoolExecutor(1, thread_name_prefix="request")
        try:
            yield thread
        finally:
            if len(self._free) < self._most_kept:
                self._free.append(thread)
            else:
                thread.submit(connections.close_all)
                thread.shutdown(wait=False)


def on_lasting_threads(application: Application) -> Application:
    """Return `application` with every request on a thread that was lent to it."""
    threads = Threads()

    async def answer(scope: Scope, receive: Any, send: Any) -> None:
        async with threads.lent() as thread, ThreadSensitiveContext(executor=thread):
            await application(scope, receive, send)

    return answer
