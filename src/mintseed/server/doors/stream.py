"""Open screens listen to one stream of server-sent events (WHATWG HTML, 9.2): the topics of what was said to have changed."""

from __future__ import annotations

import asyncio
import json
import logging
import os
import threading
import time
from collections.abc import AsyncIterator, Callable

from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.models import Session
from django.db import DatabaseError, close_old_connections, connection
from django.http import HttpRequest, HttpResponseBase, StreamingHttpResponse
from django.utils import timezone

from mintseed.server.doors.door import DOORS, door, shows_token
from mintseed.server.judged.changes import EVERYTHING, Tail
from mintseed.server.kept.bells import WEB, Bell, own_bell, ring_now

log = logging.getLogger("mintseed.changes")

LOOK_EVERY_S, LOOK_AGAIN_S, LIVELY_FOR_S = 1.0, 0.4, 5.0
"""seconds between two looks while nothing changes, and for a while after something did."""

COMMENT_EVERY_S = 20.0
"""seconds of silence after which a comment is sent, so that a broken connection is noticed."""

MOST_WAITING = 100
"""topics that wait for one listener; one that takes none of them is told `everything` instead."""


class Feed:
    """Reads what was said while somebody listens; one for a whole web process, on a thread and connection of its own."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._listeners: dict[asyncio.Queue[str | None], asyncio.AbstractEventLoop] = {}
        self._thread: threading.Thread | None = None

    def listen(self) -> asyncio.Queue[str | None]:
        """Return a queue that topics are put into from now on; hand it to `leave` at the end."""
        queue: asyncio.Queue[str | None] = asyncio.Queue(MOST_WAITING)
        with self._lock:
            self._listeners[queue] = asyncio.get_running_loop()
            if self._thread is None or not self._thread.is_alive():
                self._thread = threading.Thread(target=self._read, name="changes", daemon=True)
                self._thread.start()
        return queue

    def leave(self, queue: asyncio.Queue[str | None]) -> None:
        with self._lock:
            self._listeners.pop(queue, None)

    def end(self) -> None:
        """Let every stream end: this process is asked to stop. Called from a signal's handler, so it takes no lock."""
        for queue, loop in list(self._listeners.items()):
            loop.call_soon_threadsafe(_put_end, queue)

    def _read(self) -> None:
        bell = Bell(own_bell(WEB, os.environ.get("MINTSEED_WEB", "0")))
        try:
            self._read_on(bell)
        finally:
            bell.close()
            connection.close()

    def _read_on(self, bell: Bell) -> None:
        last: Tail | None = None
        lively_until_s = 0.0
        while True:
            with self._lock:
                if not self._listeners:
                    self._thread = None
                    return
            try:
                close_old_connections()
                tail = Tail.read(last)
                if last is not None and tail is not last:
                    lively_until_s = time.monotonic() + LIVELY_FOR_S
                    self._tell(tail.topics_since(last))
                last = tail
            except DatabaseError as error:
                log.warning("changes cannot be read: %s", type(error).__name__)
                connection.close()
            bell.wait(LOOK_AGAIN_S if time.monotonic() < lively_until_s else LOOK_EVERY_S)

    def _tell(self, topics: list[str]) -> None:
        with self._lock:
            listeners = list(self._listeners.items())
        for queue, loop in listeners:
            try:
                loop.call_soon_threadsafe(_put, queue, topics)
            except RuntimeError:
                self.leave(queue)  # its loop is closed


def _put(queue: asyncio.Queue[str | None], topics: list[str]) -> None:
    for topic in topics:
        if queue.full():
            while not queue.empty():
                queue.get_nowait()
            topic = EVERYTHING
        queue.put_nowait(topic)


def _put_end(queue: asyncio.Queue[str | None]) -> None:
    while not queue.empty():
        queue.get_nowait()
    queue.put_nowait(None)


feed = Feed()


async def changes(request: HttpRequest) -> HttpResponseBase:
    """Send what changes as server-sent events, until the browser leaves, or may not listen any more."""
    ring_now("visitor")
    response = StreamingHttpResponse(_events(_listener(request)), content_type="text/event-stream")
    response.headers["X-Accel-Buffering"] = "no"
    return response


def _listener(request: HttpRequest) -> Callable[[], bool]:
    """Return what tells whether the one who listens may still: its session was not ended, or the door stands open."""
    by_token, key = shows_token(request.headers.get("Authorization", "")), request.session.session_key

    def may_listen() -> bool:
        try:
            if by_token or door() == "open":
                return True
            held = Session.objects.filter(session_key=key, expire_date__gt=timezone.now()).first()
            return held is not None and SESSION_KEY in held.get_decoded()
        finally:
            connection.close()

    return may_listen


async def _events(may_listen: Callable[[], bool]) -> AsyncIterator[bytes]:
    queue = feed.listen()
    try:
        # Whoever comes, comes again or comes late asks for everything once.
        yield b"retry: 1000\n" + _event([EVERYTHING])
        while True:
            try:
                first = await asyncio.wait_for(queue.get(), COMMENT_EVERY_S)
            except TimeoutError:
                yield b": still here\n\n"
                continue
            topics = {first}
            while not queue.empty():
                topics.add(queue.get_nowait())
            if None in topics:
                return
            # What may be missing from a full queue may be that.
            if topics & {DOORS, EVERYTHING} and not await asyncio.to_thread(may_listen):
                return
            yield _event(sorted(t for t in topics if t is not None))
    finally:
        feed.leave(queue)


def _event(topics: list[str]) -> bytes:
    return f"data: {json.dumps(topics)}\n\n".encode()
