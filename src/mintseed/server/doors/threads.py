"""The threads that requests run on, in one go. They last, and so do their connections to the database.

Django gives every request a thread of its own under ASGI, and a thread's connection ends with it: each answer would
begin with a fresh connection. Here a thread that is free is taken again, the one used last first. And Django goes back to the
event loop between its middleware and a view; ours are all plain functions, so a request's thread does both.

Few of them compute at once, in the order in which they came: Python runs one at a time, and eight that take turns all end late
(measured: of eight askers one in twenty waited for twice as long as most, and with this hardly longer).
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import AsyncIterator, Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import Any

from asgiref.sync import ThreadSensitiveContext, sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.db import connections
from django.http import HttpRequest
from django.http.response import HttpResponseBase

MOST_KEPT = 8
"""free threads kept, with a connection each; more are made while more requests run at once, and end after them."""


class OneGoHandler(ASGIHandler):
    """Runs middleware and view in one go on the thread of the request; a view that is a coroutine goes to the loop."""

    def __init__(self) -> None:
        super().__init__()
        self._in_line = InLine()

    def load_middleware(self, is_async: bool = False) -> None:
        super().load_middleware(is_async=False)

    async def get_response_async(self, request: HttpRequest) -> HttpResponseBase:
        async with self._in_line.turn():
            return await sync_to_async(self.get_response)(request)


AT_ONCE = 2
"""requests of one process that compute at once: while one waits for the database the other goes on"""
COUNTS_FOR_S = 0.2
"""seconds after which one is taken for waiting (for a file that comes in, a device that answers) and keeps nobody waiting"""


class InLine:
    """Lets few through at once, first come, first served. Used from one event loop alone, so it takes no lock."""

    def __init__(self, at_once: int = AT_ONCE, counts_for_s: float = COUNTS_FOR_S) -> None:
        self._free, self._counts_for_s = at_once, counts_for_s
        self._waiting: deque[asyncio.Future[None]] = deque()

    @asynccontextmanager
    async def turn(self) -> AsyncIterator[None]:
        """Wait for one's turn; it lasts for the block, or until one no longer counts."""
        loop = asyncio.get_running_loop()
        await self._come(loop)
        gone = False

        def go() -> None:
            nonlocal gone
            if not gone:
                gone = True
                self._next()

        counts = loop.call_later(self._counts_for_s, go)
        try:
            yield
        finally:
            counts.cancel()
            go()

    async def _come(self, loop: asyncio.AbstractEventLoop) -> None:
        if self._free:
            self._free -= 1
            return
        mine: asyncio.Future[None] = loop.create_future()
        self._waiting.append(mine)
        try:
            await mine
        except asyncio.CancelledError:
            if mine.done() and not mine.cancelled():
                self._next()  # one's turn came in the moment in which one gave up
            raise

    def _next(self) -> None:
        while self._waiting:
            first = self._waiting.popleft()
            if not first.done():
                first.set_result(None)
                return
        self._free += 1


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
