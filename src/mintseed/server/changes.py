"""What open screens are told of: that something changed, never what it is now. They ask for that themselves.

Whoever changes something says so with `changed`, in the same transaction. The web process reads what was said, while
somebody listens, and passes it on as server-sent events (WHATWG HTML, 9.2).
"""

from __future__ import annotations

import asyncio
import json
import logging
import os
import threading
import time
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.models import Session
from django.db import DatabaseError, close_old_connections, connection
from django.db.models import Count, Max
from django.http import HttpRequest, HttpResponseBase, StreamingHttpResponse
from django.utils import timezone

from mintseed.server.bells import WEB, Bell, own_bell, ring_now
from mintseed.server.door import DOORS, door, shows_token
from mintseed.server.models import Change

log = logging.getLogger("mintseed.changes")

EVERYTHING = "everything"
LOOK_EVERY_S, LOOK_AGAIN_S, LIVELY_FOR_S = 1.0, 0.4, 5.0
"""seconds between two looks while nothing changes, and for a while after something did."""

COMMENT_EVERY_S = 20.0
"""seconds of silence after which a comment is sent, so that a broken connection is noticed."""

KEPT_FOR = timedelta(minutes=10)
LATE_COMMITS = 200
"""rows looked at again each time: a transaction that began earlier may be through later."""

MOST_WAITING = 100
"""topics that wait for one listener; one that takes none of them is told `everything` instead."""


def deployment_topic(pk: int) -> str:
    return f"deployment/{pk}"


def changed(*topics: str) -> None:
    """Say that something changed: `deployment/12`, `images`, `drives`, `network`, `taken` (things of the shelf), or `everything`."""
    Change.objects.bulk_create(Change(topic=topic) for topic in dict.fromkeys(topics))


def forget_changes(now: datetime) -> int:
    """Remove what was said long ago."""
    return Change.objects.filter(at__lt=now - KEPT_FOR).delete()[0]


@dataclass(frozen=True)
class Tail:
    """The last of what was said."""

    newest: int
    count: int
    rows: dict[int, str]

    @staticmethod
    def read(last: Tail | None) -> Tail:
        """Return the tail as it is now; `last` itself when nothing was added."""
        since = max(0, last.newest - LATE_COMMITS) if last else 0
        found = Change.objects.filter(pk__gt=since).aggregate(newest=Max("pk"), count=Count("pk"))
        newest, count = found["newest"] or (last.newest if last else 0), found["count"]
        if last is not None and (newest, count) == (last.newest, last.count):
            return last
        begins = max(0, newest - LATE_COMMITS)
        rows = dict(Change.objects.filter(pk__gt=begins).values_list("pk", "topic"))
        return Tail(newest, len(rows), rows)

    def topics_since(self, last: Tail) -> list[str]:
        """Return what was said that `last` does not hold; `everything` when some of it may be missing."""
        if self.newest - last.newest > LATE_COMMITS:
            return [EVERYTHING]
        return list(dict.fromkeys(topic for pk, topic in sorted(self.rows.items()) if pk not in last.rows))


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
